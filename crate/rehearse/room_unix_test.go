//go:build unix

package rehearse

import (
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// TestSourceMapsAreNotOpened: a comment that names a source map opens no file, in a script or in what eval reads. The
// file here is a pipe that nobody writes into: whoever opens it waits for ever.
func TestSourceMapsAreNotOpened(t *testing.T) {
	name := filepath.Join(t.TempDir(), "map")
	if err := syscall.Mkfifo(name, 0o600); err != nil {
		t.Fatal(err)
	}
	comment := "\n//# sourceMappingURL=file://" + name
	for _, page := range []string{"<!doctype html><script>gone();" + comment + "</script>",
		"<!doctype html><script>eval('gone();" + strings.ReplaceAll(comment, "\n", "\\n") + "')</script>"} {
		done := make(chan *Report, 1)
		go func() { done <- run(t, page, nil) }()
		select {
		case r := <-done:
			if len(r.Faults) != 1 || r.Faults[0].Global != "gone" {
				t.Errorf("%+v", r.Faults)
			}
		case <-time.After(20 * time.Second):
			t.Errorf("the run waits for a file: %s", page)
		}
	}
}
