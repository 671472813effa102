package sandbox

import (
	"net"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"
)

// TestClosedRoom: once the room is closed, nothing in this process opens a file or a connection, starts a program, or
// makes or removes anything; it still computes, keeps time and writes what it has.
func TestClosedRoom(t *testing.T) {
	if os.Getenv("MERRY_TEST_ROOM") == "" {
		cmd := exec.Command(os.Args[0], "-test.run", "^TestClosedRoom$")
		cmd.Env = append(os.Environ(), "MERRY_TEST_ROOM=1")
		out, err := cmd.CombinedOutput()
		if strings.Contains(string(out), "can't be closed here") {
			t.Skipf("%s", out)
		}
		if err != nil || !strings.Contains(string(out), "closed and at work") {
			t.Errorf("%v\n%s", err, out)
		}
		return
	}
	name := t.TempDir() + "/made"
	if err := confine(); err != nil {
		os.Stdout.WriteString("can't be closed here: " + err.Error() + "\n")
		os.Exit(0)
	}
	ways := map[string]func() error{
		"read a file":     func() error { _, err := os.ReadFile("/etc/passwd"); return err },
		"make a file":     func() error { return os.WriteFile(name, nil, 0o644) },
		"remove a folder": func() error { return os.Remove(name) },
		"list a folder":   func() error { _, err := os.ReadDir("/"); return err },
		"connect":         func() error { _, err := net.DialTimeout("tcp", "127.0.0.1:1", time.Second); return err },
		"send":            func() error { _, err := net.Dial("udp", "127.0.0.1:1"); return err },
		"start a program": func() error { return exec.Command("/bin/true").Run() },
		"end another":     func() error { return syscall.Kill(os.Getppid(), 0) },
		"be another":      func() error { return syscall.Exec("/bin/true", nil, nil) },
	}
	for way, try := range ways {
		if err := try(); err == nil || !strings.Contains(err.Error(), "not permitted") {
			os.Stdout.WriteString(way + ": " + errText(err) + "\n")
			os.Exit(1)
		}
	}
	done := make(chan bool)
	for range 50 { // new threads are the runtime's own
		go func() { time.Sleep(time.Millisecond); done <- true }()
	}
	for range 50 {
		<-done
	}
	os.Stdout.WriteString("closed and at work\n")
	os.Exit(0)
}

func errText(err error) string {
	if err == nil {
		return "it can"
	}
	return err.Error()
}
