package e2e

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestTour runs every command of docs/tour.md and compares its output with the document. With -update it writes the
// outputs into the document.
func TestTour(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	if runtime.GOOS != "linux" {
		t.Skip("the commands of the tour are for a GNU shell")
	}
	const tour = "../docs/tour.md"
	text, err := os.ReadFile(tour)
	if err != nil {
		t.Fatal(err)
	}
	s := merrytest.Empty(t)
	club := filepath.Join(t.TempDir(), "club")
	export := stoodBy(t, s, club)
	s.Dir = filepath.Join(club, "site")
	plain := strings.NewReplacer(export["REGISTRY"], "$REGISTRY", export["CDN"], "$CDN", club+"/", "../",
		merrytest.Program(t), "merry")
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
		cmd.Env = append(s.Command().Env, "PATH="+filepath.Dir(merrytest.Program(t))+":"+os.Getenv("PATH"),
			"REGISTRY="+export["REGISTRY"], "CDN="+export["CDN"], "CERTIFICATE="+export["CERTIFICATE"])
		printed, err := cmd.CombinedOutput()
		if _, exited := err.(*exec.ExitError); err != nil && (!exited || cmd.ProcessState.ExitCode() > 1) {
			t.Fatalf("%s: %v\n%s", command, err, printed)
		}
		out.WriteString(plain.Replace(string(printed)))
		if words := strings.Fields(command); words[0] == "merry" {
			works(t, s, words[1:], merrytest.Result{Out: string(printed)})
		}
		if len(printed) > 0 && printed[len(printed)-1] != '\n' {
			out.WriteString("\n")
		}
	}
	if ran < 30 {
		t.Errorf("only %d commands were found", ran)
	}
	if *update {
		if err := os.WriteFile(tour, []byte(out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	want, got := strings.Split(string(text), "\n"), strings.Split(out.String(), "\n")
	for i := range min(len(want), len(got)) {
		if want[i] != got[i] {
			t.Fatalf("docs/tour.md:%d is\n%s\nand the program prints\n%s", i+1, want[i], got[i])
		}
	}
	if len(want) != len(got) {
		t.Errorf("the tour has %d lines, and should have %d", len(want), len(got))
	}
}

// stoodBy has the demo write its site into a folder and be its registry and CDN until the test ends, and returns what
// it says to export.
func stoodBy(t *testing.T, s *merrytest.Site, dir string) map[string]string {
	t.Helper()
	cmd := s.Command("demo", "--to", dir, "--stand-ins")
	printed, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cmd.Process.Signal(os.Interrupt); cmd.Wait() })
	said := map[string]string{}
	for lines := bufio.NewScanner(printed); len(said) == 0 && lines.Scan(); {
		if list, ok := strings.CutPrefix(strings.TrimSpace(lines.Text()), "export "); ok {
			for _, w := range strings.Fields(list) {
				name, value, _ := strings.Cut(w, "=")
				said[name] = value
			}
		}
	}
	if len(said) != 3 {
		t.Fatalf("the demo says to export %v", said)
	}
	return said
}
