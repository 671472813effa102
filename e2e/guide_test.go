package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// TestGuide runs every command of docs/guide.md and compares what it prints with what stands there. With -update it writes
// that anew.
func TestGuide(t *testing.T) {
	t.Parallel()
	if runtime.GOOS != "linux" {
		t.Skip("the commands of the guide are for a GNU shell")
	}
	const guide = "../docs/guide.md"
	text, err := os.ReadFile(guide)
	if err != nil {
		t.Fatal(err)
	}
	c, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	r, err := standin.NewRegistry()
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	s := merrytest.Club(t)
	if err := demo.WriteDocumented(filepath.Dir(s.Dir), "kind"); err != nil {
		t.Fatal(err)
	}
	if err := demo.WriteFog(filepath.Dir(s.Dir), "kind"); err != nil {
		t.Fatal(err)
	}
	s.Write("../certificate.pem", string(c.Certificate))
	plain := strings.NewReplacer(r.URL, "$REGISTRY", c.Secure, "$CDN", filepath.Dir(s.Dir)+"/", "../", merrytest.Program(t), "merry")
	var out strings.Builder
	ran, inside := 0, false
	for line := range strings.Lines(string(text)) {
		if strings.HasPrefix(line, "```") {
			inside = strings.HasPrefix(line, "```console")
			out.WriteString(line)
			continue
		}
		if !inside {
			out.WriteString(line)
			continue
		}
		command, ok := strings.CutPrefix(line, "$ ")
		if !ok {
			continue // what an earlier run printed
		}
		ran++
		out.WriteString(line)
		cmd := exec.Command("sh", "-c", strings.TrimSpace(command))
		cmd.Dir = s.Dir
		cmd.Env = append(s.Command().Env, "PATH="+filepath.Dir(merrytest.Program(t))+":"+os.Getenv("PATH"), "REGISTRY="+r.URL, "CDN="+c.Secure, "CERTIFICATE=../certificate.pem")
		printed, err := cmd.CombinedOutput()
		if _, exited := err.(*exec.ExitError); err != nil && (!exited || cmd.ProcessState.ExitCode() > 1) {
			t.Fatalf("%s: %v\n%s", command, err, printed)
		}
		out.WriteString(plain.Replace(string(printed)))
		if len(printed) > 0 && printed[len(printed)-1] != '\n' {
			out.WriteString("\n")
		}
	}
	if ran < 30 {
		t.Errorf("only %d commands were found", ran)
	}
	if *update {
		if err := os.WriteFile(guide, []byte(out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	want, got := strings.Split(string(text), "\n"), strings.Split(out.String(), "\n")
	for i := range min(len(want), len(got)) {
		if want[i] != got[i] {
			t.Fatalf("docs/guide.md:%d is\n%s\nand the program prints\n%s", i+1, want[i], got[i])
		}
	}
	if len(want) != len(got) {
		t.Errorf("the guide has %d lines, and should have %d", len(want), len(got))
	}
}
