package e2e

import (
	"bytes"
	"os"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestFullDisk: an answer that can't be written is a fault, whatever the command and the form; and what a report is
// written to stays what it is.
func TestFullDisk(t *testing.T) {
	t.Parallel()
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("this system has no device that is full")
	}
	defer full.Close()
	s := merrytest.Started(t)
	for _, command := range []string{"check", "check --json", "check --sarif", "check --policy", "bill", "bill --json",
		"contents", "order index.html", "undo --list", "--help", "help crate.yaml", "completion bash", "seal " +
			"js/club.js"} {
		cmd := s.Command(strings.Fields(command)...)
		var errOut bytes.Buffer
		cmd.Stdout, cmd.Stderr = full, &errOut
		cmd.Run()
		if status := cmd.ProcessState.ExitCode(); status != 3 || !strings.Contains(errOut.String(),
			"the answer could not be written") {
			t.Errorf("%s: status %d\n%s", command, status, errOut.String())
		}
	}
	s.Fail(3, []string{"/dev/full can't be used: the disk is full"}, "check", "--report", "/dev/full")
	if info, err := os.Stat("/dev/full"); err != nil || info.Mode().IsRegular() {
		t.Error("a report took the place of a device")
	}
}
