package watch

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"
)

// TestFolder: a burst of changes is reported once, with its names; what is skipped is not, and folders that come later
// are watched too.
func TestFolder(t *testing.T) {
	root := t.TempDir()
	for _, dir := range []string{"js", ".git"} {
		if err := os.Mkdir(filepath.Join(root, dir), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	ctx, stop := context.WithCancel(context.Background())
	told := make(chan []string, 100)
	ended := make(chan error, 1)
	go func() {
		ended <- Folder(ctx, root, 20*time.Millisecond, func(dir string) bool { return strings.HasPrefix(dir, ".git") },
			func(names []string) { told <- names })
	}()
	if first := <-told; first != nil {
		t.Errorf("at first, %q are told", first)
	}
	write := func(name string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(root, name), []byte("x"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	heard := func(want string) {
		t.Helper()
		for late := time.After(20 * time.Second); ; {
			select {
			case names := <-told:
				if slices.ContainsFunc(names, func(n string) bool { return strings.HasPrefix(n, ".git") }) {
					t.Errorf("what is skipped is told: %q", names)
				}
				if slices.Contains(names, want) {
					return
				}
			case <-late:
				t.Fatalf("%s is never told", want)
			}
		}
	}
	write(".git/HEAD")
	write("js/club.js")
	heard("js/club.js")
	if err := os.Mkdir(filepath.Join(root, "css"), 0o755); err != nil {
		t.Fatal(err)
	}
	heard("css")
	write("css/own.css")
	heard("css/own.css")
	stop()
	if err := <-ended; !errors.Is(err, context.Canceled) {
		t.Errorf("it ended with %v", err)
	}
}
