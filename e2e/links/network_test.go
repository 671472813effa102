package links

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// connected is a site whose pages link to a CDN, with a library of a registry, and nothing in the cache: what a
// colleague or a machine that checks has after a clone.
func connected(t *testing.T) (*merrytest.Site, func() int64) {
	t.Helper()
	s, c := merrytest.Linked(t)
	r := s.Register()
	s.Run("take", "tidechart", "--page", "tides.html")
	s.Run("switch", "--cdn", "brinework", "oarlock")
	s.Write("crate.yaml", s.Read("crate.yaml")+"profiles: {live: {serve: cdn, fallback: true}}\n")
	s.Run("cache", "--trim", "0")
	os.RemoveAll(filepath.Join(s.Home, ".merry", "cache"))
	for _, gone := range []string{"js", "css", "fonts"} {
		entries, _ := os.ReadDir(filepath.Join(s.Dir, gone))
		for _, e := range entries {
			if strings.Contains(e.Name(), "oarlock") || strings.Contains(e.Name(), "brinework") ||
				strings.Contains(e.Name(), "tidechart") {
				os.Remove(filepath.Join(s.Dir, gone, e.Name()))
			}
		}
	}
	return s, func() int64 { return r.Connections() + c.Connections() }
}

// TestConnections: no command opens a connection unless its purpose needs one, whatever is missing on this machine.
func TestConnections(t *testing.T) {
	t.Parallel()
	const none, some = false, true
	idle, asked := connected(t) // for all commands that ask nobody
	for _, tt := range []struct {
		command string
		wants   bool
	}{
		{"contents", none}, {"check", none}, {"check --rehearse", none}, {"check --profile live", none},
		{"check --fix", none}, {"order **", none}, {"order ** --fix", none}, {"bill", none},
		{"bill --form cyclonedx", none}, {"hold oarlock --because x", none}, {"omit oarlock", none},
		{"include js/club.js --page index.html", none}, {"drop brinework", none}, {"undo", none},
		{"undo --list", none}, {"seal js/club.js", none}, {"seal --html js/club.js", none}, {"check --policy", none},
		{"check --pages", none}, {"sources try harbour", some}, {"sources --measure", some},
		{"seal --check --plain index.html", some}, {"cache", none}, {"start", none},
		{"peek ../downloads/oarlock-2.0.3.zip", none}, {"take ../downloads/oarlock-1.4.2.zip --as old --together",
			none},
		{"sources set registry https://registry.harbour.example", none},
		{"sources set cdn other https://cdn.other.example/{name}/{version}/{path}", none}, {"switch --hints", none},
		{"move oarlock vendor/oarlock", none},
		{"move js/club.js js/own/", none}, {"move --found", none}, {"drop tidechart --files dist/tidechart.min.css",
			none}, {"settle", none}, {"include tidechart --only dist/tidechart.js --page tides.html", none},
		{"refill", some},
		{"check --online", some}, {"switch --local", some}, {"versions tidechart", some}, {"versions --newer", some},
		{"take tidechart --as again --together", some}, {"peek tidechart", some}, {"sources", some},
		{"repin tidechart@3.0.0", some}, {"compare tidechart 3.0.0", some},
		{"sources learn http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js", some},
	} {
		t.Run(tt.command, func(t *testing.T) {
			t.Parallel()
			s, connections := idle.Copy(), asked
			if tt.wants {
				s, connections = connected(t)
			}
			s.T, s.Untyped = t, true
			before := connections()
			r := s.Try(strings.Fields(tt.command)...)
			if opened := connections() - before; (opened > 0) != tt.wants {
				t.Errorf("merry %s opened %d connections:\n%s%s", tt.command, opened, r.Out, r.Err)
			}
			if tt.wants {
				before = connections()
				s.Try(append(strings.Fields(tt.command), "--offline")...)
				if opened := connections() - before; opened > 0 {
					t.Errorf("merry %s --offline opened %d connections", tt.command, opened)
				}
			}
		})
	}
}

// TestInterrupted: Ctrl-C during a wait for a server ends the command, says that nothing was changed, and leaves
// nothing.
func TestInterrupted(t *testing.T) {
	t.Parallel()
	s, r := merrytest.Registered(t)
	r.Fail("tidechart", standin.Slow)
	before := s.State()
	cmd := s.Command("take", "tidechart", "--page", "tides.html")
	var said strings.Builder
	cmd.Stderr = &said
	asked := r.Requests()
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	for from := time.Now(); r.Requests() == asked && time.Since(from) < time.Minute; {
		time.Sleep(10 * time.Millisecond)
	}
	if err := cmd.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	from := time.Now()
	cmd.Wait()
	if cmd.ProcessState.ExitCode() != 130 || !strings.Contains(said.String(), "interrupted; nothing was changed") ||
		time.Since(from) > time.Minute {
		t.Errorf("status %d after %v: %s", cmd.ProcessState.ExitCode(), time.Since(from), said.String())
	}
	if s.State() != before {
		t.Error("something changed")
	}
	left, _ := filepath.Glob(filepath.Join(s.Home, ".merry", "cache", "new", "*"))
	drafts, _ := filepath.Glob(filepath.Join(s.Dir, ".merry", "changes", "*.draft"))
	if len(left)+len(drafts) > 0 {
		t.Errorf("left behind: %v %v", left, drafts)
	}
}

// TestMuteTerminal: a terminal that answers no questions keeps no command waiting.
func TestMuteTerminal(t *testing.T) {
	t.Parallel()
	script, err := exec.LookPath("script")
	if err != nil {
		t.Skip("there is no script command to make a terminal with")
	}
	s := merrytest.Started(t)
	for _, args := range []string{"--help", "--json contents", "check --no-rehearse", "take --help"} {
		cmd := s.Command()
		cmd = exec.Command(script, "-qec", cmd.Path+" "+args, "/dev/null")
		cmd.Dir, cmd.Env = s.Dir, append(s.Command().Env, "TERM=xterm-256color")
		in, _, err := os.Pipe() // a terminal from which nothing ever comes
		if err != nil {
			t.Fatal(err)
		}
		defer in.Close()
		cmd.Stdin = in
		from := time.Now()
		out, err := cmd.Output()
		if took := time.Since(from); err != nil || took > 2*time.Minute || strings.Contains(string(out), "\x1b]11;?") {
			t.Errorf("merry %s took %v, %v: %q", args, took, err, out[:min(len(out), 80)])
		}
	}
}
