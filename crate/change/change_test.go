package change

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
)

// project makes a folder with files.
func project(t *testing.T, files map[string]string) string {
	t.Helper()
	root := t.TempDir()
	for name, text := range files {
		full := filepath.Join(root, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return root
}

func text(t *testing.T, root, name string) string {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(root, filepath.FromSlash(name)))
	if errors.Is(err, os.ErrNotExist) {
		return "(not there)"
	}
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

func begin(t *testing.T, root, title string, opt Options) *Set {
	t.Helper()
	s, err := Begin(root, title, opt)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// write drafts a file as a command does: with the stamp of what it read.
func write(t *testing.T, s *Set, name, content string) {
	t.Helper()
	_, stamp, err := Read(s.Root(), name)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		t.Fatal(err)
	}
	if err := s.Write(name, []byte(content), stamp); err != nil {
		t.Fatal(err)
	}
}

func commit(t *testing.T, s *Set) {
	t.Helper()
	if err := s.Commit(); err != nil {
		t.Fatal(err)
	}
	s.Close()
}

func undo(t *testing.T, root string) Done {
	t.Helper()
	s, done, err := Undo(root, Options{})
	if err != nil {
		t.Fatal(err)
	}
	commit(t, s)
	return done
}

func TestCommitAndUndo(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old a", "js/b.js": "old b"})
	s := begin(t, root, "first", Options{})
	write(t, s, "a.html", "new a")
	write(t, s, "deep/er/c.js", "new c")
	_, stamp, _ := Read(root, "js/b.js")
	if err := s.Remove("js/b.js", stamp); err != nil {
		t.Fatal(err)
	}
	if text(t, root, "a.html") != "old a" || text(t, root, "deep/er/c.js") != "(not there)" {
		t.Fatal("a draft touched the project")
	}
	commit(t, s)
	for name, want := range map[string]string{"a.html": "new a", "deep/er/c.js": "new c", "js/b.js": "(not there)"} {
		if got := text(t, root, name); got != want {
			t.Errorf("after the commit %s is %q, want %q", name, got, want)
		}
	}
	if done := undo(t, root); done.Title != "first" || len(done.Entries) != 3 {
		t.Errorf("undone was %+v", done)
	}
	for name, want := range map[string]string{"a.html": "old a", "deep/er/c.js": "(not there)", "js/b.js": "old b"} {
		if got := text(t, root, name); got != want {
			t.Errorf("after the undo %s is %q, want %q", name, got, want)
		}
	}
	if _, err := os.Stat(filepath.Join(root, "deep")); !errors.Is(err, os.ErrNotExist) {
		t.Error("the folders that the change made are still there")
	}
	if _, _, err := Undo(root, Options{}); !errors.Is(err, ErrNothing) {
		t.Errorf("a second undo: %v", err)
	}
}

func TestHistoryIsAStackWithAnEnd(t *testing.T) {
	root := project(t, nil)
	for i := range keep + 5 {
		s := begin(t, root, fmt.Sprint("change ", i), Options{})
		write(t, s, "a.html", fmt.Sprint(i))
		commit(t, s)
	}
	history, err := History(root)
	if err != nil || len(history) != keep || history[0].Title != fmt.Sprint("change ", keep+4) {
		t.Fatalf("%d changes are kept, the last one %q, %v", len(history), history[0].Title, err)
	}
	for i := range keep {
		undo(t, root)
		if got, want := text(t, root, "a.html"), fmt.Sprint(keep+4-i-1); got != want {
			t.Fatalf("after %d undos a.html is %q, want %q", i+1, got, want)
		}
	}
}

func TestCloseGivesUp(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old"})
	s := begin(t, root, "never", Options{})
	write(t, s, "a.html", "new")
	s.Close()
	if text(t, root, "a.html") != "old" {
		t.Error("a set that was given up changed something")
	}
	if left, _ := filepath.Glob(filepath.Join(root, Folder, "changes", "*")); len(left) > 0 {
		t.Errorf("%v is left", left)
	}
	begin(t, root, "after", Options{}) // the lock is free again
}

func TestDryRunWritesNothing(t *testing.T) {
	root := project(t, map[string]string{"a.html": "one\ntwo\n"})
	s := begin(t, root, "dry", Options{Dry: true})
	write(t, s, "a.html", "one\nthree\n")
	write(t, s, "new.bin", "\x00\x01")
	if err := s.Commit(); err != nil {
		t.Fatal(err)
	}
	entries := s.Entries()
	if len(entries) != 2 || !strings.Contains(entries[0].Diff, "-two\n+three\n") || entries[1].Diff != "" || !entries[1].Create {
		t.Errorf("entries are %+v", entries)
	}
	if _, err := os.Stat(filepath.Join(root, Folder)); err == nil || text(t, root, "a.html") != "one\ntwo\n" {
		t.Error("a dry run wrote something")
	}
}

func TestRefusals(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "folder/x": "", "ro/y": ""})
	os.Chmod(filepath.Join(root, "ro/y"), 0o444)
	s := begin(t, root, "refused", Options{})
	_, stamp, _ := Read(root, "a.html")
	_, readOnly, _ := Read(root, "ro/y")
	tests := []struct {
		name  string
		stamp Stamp
		want  string
	}{
		{"../out", Stamp{}, "leads out of the project"},
		{"/abs", Stamp{}, "leads out of the project"},
		{"a/../../b", Stamp{}, "leads out of the project"},
		{"folder", Stamp{}, "is a folder"},
		{"a.html/b", Stamp{}, "not a directory"},
		{"a.html", Stamp{}, "changed by another program"},
		{"a.html", Stamp{Size: stamp.Size, ModTime: stamp.ModTime - 1}, "changed by another program"},
		{"ro/y", readOnly, "read-only"},
	}
	for _, tt := range tests {
		err := s.Write(tt.name, []byte("new"), tt.stamp)
		if err == nil || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("%s: %v, want %q", tt.name, err, tt.want)
		}
	}
	if err := s.Write("b.html", nil, Stamp{}); err != nil {
		t.Fatal(err)
	}
	if err := s.Write("b.html", nil, Stamp{}); err == nil || !strings.Contains(err.Error(), "twice") {
		t.Errorf("a file changed twice: %v", err)
	}
}

func TestChangedBetweenDraftAndCommit(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "b.html": "old"})
	s := begin(t, root, "late", Options{})
	write(t, s, "a.html", "new")
	write(t, s, "b.html", "new")
	os.WriteFile(filepath.Join(root, "b.html"), []byte("somebody's own"), 0o644)
	if err := s.Commit(); err == nil || !strings.Contains(err.Error(), "b.html was changed by another program") {
		t.Errorf("commit: %v", err)
	}
	if text(t, root, "a.html") != "old" || text(t, root, "b.html") != "somebody's own" {
		t.Error("a refused commit changed something")
	}
}

func TestLinksStayInside(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("making links needs rights there")
	}
	outside := t.TempDir()
	os.WriteFile(filepath.Join(outside, "x.html"), []byte("theirs"), 0o644)
	root := project(t, map[string]string{"real/a.html": "old"})
	for link, to := range map[string]string{"linked.html": "real/a.html", "alias": "real", "out.html": filepath.Join(outside, "x.html"), "away": outside, "nowhere.html": "gone"} {
		if err := os.Symlink(to, filepath.Join(root, link)); err != nil {
			t.Fatal(err)
		}
	}
	s := begin(t, root, "links", Options{})
	write(t, s, "linked.html", "new")
	for name, want := range map[string]string{"out.html": "outside the project", "away/y.html": "outside the project", "nowhere.html": "leads nowhere"} {
		if err := s.Write(name, nil, Stamp{}); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", name, err)
		}
	}
	commit(t, s)
	if info, _ := os.Lstat(filepath.Join(root, "linked.html")); info.Mode()&os.ModeSymlink == 0 || text(t, root, "real/a.html") != "new" {
		t.Error("the link was replaced, or its page not changed")
	}
}

func TestPermissionsAreKept(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("permissions are others there")
	}
	root := project(t, map[string]string{"a.html": "old"})
	os.Chmod(filepath.Join(root, "a.html"), 0o640)
	s := begin(t, root, "mode", Options{})
	write(t, s, "a.html", "new")
	commit(t, s)
	undo(t, root)
	if info, _ := os.Stat(filepath.Join(root, "a.html")); info.Mode().Perm() != 0o640 {
		t.Errorf("the permissions are %v", info.Mode().Perm())
	}
}

func TestManyAtOnce(t *testing.T) {
	root := project(t, nil)
	s := begin(t, root, "many", Options{})
	var wg sync.WaitGroup
	for i := range 200 {
		wg.Go(func() {
			if err := s.Write(fmt.Sprintf("d%d/f%d", i%7, i), []byte(fmt.Sprint(i)), Stamp{}); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	commit(t, s)
	for i := range 200 {
		if got := text(t, root, fmt.Sprintf("d%d/f%d", i%7, i)); got != fmt.Sprint(i) {
			t.Fatalf("f%d is %q", i, got)
		}
	}
}

// interrupted leaves a committed set that was not carried out, as a power cut right after the commit
// point does.
func interrupted(t *testing.T, root string, files map[string]string) {
	t.Helper()
	s := begin(t, root, "interrupted", Options{})
	for name, content := range files {
		write(t, s, name, content)
	}
	s.journal.Entries = s.Entries()
	b, _ := json.Marshal(s.journal)
	os.WriteFile(filepath.Join(s.folder, "journal.json"), b, 0o644)
	if err := os.Rename(s.folder, strings.TrimSuffix(s.folder, ".draft")+".going"); err != nil {
		t.Fatal(err)
	}
	s.folder = ""
	s.Close()
}

func TestRecoveryRollsForward(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "b.html": "old", "c.html": "old"})
	interrupted(t, root, map[string]string{"a.html": "new", "b.html": "new", "d.html": "new"})
	// One of the files was carried out already, another one was changed by its owner since.
	os.WriteFile(filepath.Join(root, "a.html"), []byte("new"), 0o644)
	os.WriteFile(filepath.Join(root, "b.html"), []byte("somebody's own"), 0o644)
	said, err := Recover(root)
	if err != nil || len(said) != 2 || !strings.Contains(said[0], "finished now") || !strings.Contains(said[1], "b.html was changed") {
		t.Errorf("recovery said %q, %v", said, err)
	}
	for name, want := range map[string]string{"a.html": "new", "b.html": "somebody's own", "c.html": "old", "d.html": "new"} {
		if got := text(t, root, name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if said, err := Recover(root); len(said) > 0 || err != nil {
		t.Errorf("a second recovery said %q, %v", said, err)
	}
}

func TestNewerJournalsAreRefused(t *testing.T) {
	root := project(t, nil)
	folder := filepath.Join(root, Folder, "changes", "000001.going")
	os.MkdirAll(folder, 0o755)
	os.WriteFile(filepath.Join(folder, "journal.json"), []byte(`{"format": 99}`), 0o644)
	if _, err := Recover(root); err == nil || !strings.Contains(err.Error(), "format 99") {
		t.Errorf("recovery: %v", err)
	}
}

func TestParseFault(t *testing.T) {
	for text, ok := range map[string]bool{"": true, "stop@3": true, "full@1": true, "stop": false, "burn@1": false, "stop@x": false} {
		if _, err := ParseFault(text); (err == nil) != ok {
			t.Errorf("%q: %v", text, err)
		}
	}
}
