package change

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
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

func testKey() ([]byte, error) { return []byte("the key of the tests' own machine"), nil }

func on(t *testing.T, root string) *disk.Folder {
	t.Helper()
	f, err := disk.Open(paths.OnDisk(root))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f
}

// stamp is what a file looks like, zero if there is none.
func stamp(t *testing.T, root, name string) disk.Stamp {
	t.Helper()
	s, err := on(t, root).Stamp(name)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		t.Fatal(err)
	}
	return s
}

func begin(t *testing.T, root, title string, opt Options) *Set {
	t.Helper()
	opt.Key = testKey
	s, err := Begin(context.Background(), on(t, root), title, opt)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// revert plans the taking back of the last change, as the command does.
func takeBack(t *testing.T, root string) (*Set, Done, error) {
	s, err := Begin(context.Background(), on(t, root), "", Options{Key: testKey})
	if err != nil {
		return nil, Done{}, err
	}
	done, err := s.Undo()
	if err != nil {
		s.Close()
		return nil, done, err
	}
	return s, done, nil
}

// write plans a file as a command does: with the stamp of what it read.
func write(t *testing.T, s *Set, name, content string) {
	t.Helper()
	if err := s.Write(paths.FoundInProject(name), []byte(content), stamp(t, string(s.on.Path()), name)); err != nil {
		t.Fatal(err)
	}
}

func commit(t *testing.T, s *Set) {
	t.Helper()
	if err := s.Commit(context.Background()); err != nil {
		t.Fatal(err)
	}
	s.Close()
}

func undo(t *testing.T, root string) Done {
	t.Helper()
	s, done, err := takeBack(t, root)
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
	if err := s.Remove(paths.FoundInProject("js/b.js"), stamp(t, root, "js/b.js")); err != nil {
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
	if _, _, err := takeBack(t, root); !errors.Is(err, ErrNothing) {
		t.Errorf("a second undo: %v", err)
	}
}

func TestHistoryIsAStackWithAnEnd(t *testing.T) {
	root := project(t, nil)
	for i := range maxUndone + 5 {
		s := begin(t, root, fmt.Sprint("change ", i), Options{})
		write(t, s, "a.html", fmt.Sprint(i))
		commit(t, s)
	}
	history, err := History(on(t, root), testKey)
	if err != nil || len(history) != maxUndone || history[0].Title != fmt.Sprint("change ", maxUndone+4) {
		t.Fatalf("%d changes are kept, the last one %q, %v", len(history), history[0].Title, err)
	}
	for i := range maxUndone {
		undo(t, root)
		if got, want := text(t, root, "a.html"), fmt.Sprint(maxUndone+4-i-1); got != want {
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
	if err := s.Commit(context.Background()); err != nil {
		t.Fatal(err)
	}
	entries := s.Entries()
	if len(entries) != 2 || !strings.Contains(entries[0].Diff, "-two\n+three\n") || entries[1].Diff != "" ||
		!entries[1].Create {
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
	page, readOnly := stamp(t, root, "a.html"), stamp(t, root, "ro/y")
	tests := []struct {
		name  string
		stamp disk.Stamp
		want  string
	}{
		{"../out", disk.Stamp{}, "leads out of the project"},
		{"/abs", disk.Stamp{}, "leads out of the project"},
		{"a/../../b", disk.Stamp{}, "leads out of the project"},
		{"folder", disk.Stamp{}, "is a folder"},
		{"a.html/b", disk.Stamp{}, "is a file, and a folder"},
		{"a.html", disk.Stamp{}, "changed by another program"},
		{"a.html", disk.Stamp{Size: page.Size, ModTime: page.ModTime - 1, ChangeTime: page.ChangeTime,
			Inode: page.Inode}, "changed by another program"},
		{"ro/y", readOnly, "read-only"},
	}
	for _, tt := range tests {
		err := s.Write(paths.FoundInProject(tt.name), []byte("new"), tt.stamp)
		if err == nil || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("%s: %v, want %q", tt.name, err, tt.want)
		}
	}
	if err := s.Write(paths.FoundInProject("b.html"), nil, disk.Stamp{}); err != nil {
		t.Fatal(err)
	}
	if err := s.Write(paths.FoundInProject("b.html"), nil, disk.Stamp{}); err == nil ||
		!strings.Contains(err.Error(), "twice") {
		t.Errorf("a file changed twice: %v", err)
	}
	for _, pair := range [][2]string{{"d/e", "d/e/f"}, {"g/h/i", "g"}} {
		if err := s.Write(paths.FoundInProject(pair[0]), nil, disk.Stamp{}); err != nil {
			t.Fatal(err)
		}
		if err := s.Write(paths.FoundInProject(pair[1]), nil, disk.Stamp{}); err == nil ||
			!strings.Contains(err.Error(), "both a file and a folder") {
			t.Errorf("%v in one go: %v", pair, err)
		}
	}
	for _, name := range []string{".git/config", "js/.HG/x", ".merry/changes/x", "git~1/config"} {
		if err := s.Write(paths.FoundInProject(name), nil, disk.Stamp{}); err == nil ||
			!strings.Contains(err.Error(), "where merry writes nothing") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestChangedBetweenDraftAndCommit(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "b.html": "old"})
	s := begin(t, root, "late", Options{})
	write(t, s, "a.html", "new")
	write(t, s, "b.html", "new")
	os.WriteFile(filepath.Join(root, "b.html"), []byte("somebody's own"), 0o644)
	before := stamp(t, root, "a.html")
	if err := s.Commit(context.Background()); err == nil ||
		!strings.Contains(err.Error(), "b.html was changed by another program") {
		t.Errorf("commit: %v", err)
	}
	if stamp(t, root, "a.html") != before {
		t.Error("the commit was begun before all files were looked at")
	}
	if text(t, root, "a.html") != "old" || text(t, root, "b.html") != "somebody's own" {
		t.Error("a refused commit changed something")
	}
}

func TestLinksStayInside(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("making links needs special rights on this system")
	}
	outside := t.TempDir()
	os.WriteFile(filepath.Join(outside, "x.html"), []byte("theirs"), 0o644)
	root := project(t, map[string]string{"real/a.html": "old"})
	for link, to := range map[string]string{"linked.html": "real/a.html", "alias": "real",
		"out.html": filepath.Join(outside, "x.html"), "away": outside, "nowhere.html": "gone"} {
		if err := os.Symlink(to, filepath.Join(root, link)); err != nil {
			t.Fatal(err)
		}
	}
	s := begin(t, root, "links", Options{})
	write(t, s, "linked.html", "new")
	for name, want := range map[string]string{"out.html": "outside the project", "away/y.html": "outside the project",
		"nowhere.html": "leads nowhere"} {
		if err := s.Write(paths.FoundInProject(name), nil, disk.Stamp{}); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", name, err)
		}
	}
	commit(t, s)
	if info, _ := os.Lstat(filepath.Join(root, "linked.html")); info.Mode()&os.ModeSymlink == 0 ||
		text(t, root, "real/a.html") != "new" {
		t.Error("the link was replaced, or its page not changed")
	}
}

func TestPermissionsAreKept(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("file permissions work differently on this system")
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
			if err := s.Write(paths.FoundInProject(fmt.Sprintf("d%d/f%d", i%7, i)), []byte(fmt.Sprint(i)),
				disk.Stamp{}); err != nil {
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

// interrupted leaves a committed set that was not applied, as a power cut right after the commit
// point does.
func interrupted(t *testing.T, root string, files map[string]string) {
	t.Helper()
	s := begin(t, root, "interrupted", Options{})
	for name, content := range files {
		write(t, s, name, content)
	}
	s.journal.Entries = s.Entries()
	b, err := s.journal.text(testKey)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.into.Create(journalFile, b, 0o644); err != nil {
		t.Fatal(err)
	}
	folder := filepath.Join(root, Folder, "changes", s.staging)
	if err := os.Rename(folder, strings.TrimSuffix(folder, drafted)+going); err != nil {
		t.Fatal(err)
	}
	s.staging = ""
	s.Close()
}

// finish is Finish with the tests' own key.
func finish(t *testing.T, root string) ([]string, error) {
	return Finish(context.Background(), on(t, root), Options{Key: testKey})
}

func TestRecoveryRollsForward(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "b.html": "old", "c.html": "old"})
	interrupted(t, root, map[string]string{"a.html": "new", "b.html": "new", "d.html": "new"})
	// One of the files was applied already, another one was changed by its owner since.
	os.WriteFile(filepath.Join(root, "a.html"), []byte("new"), 0o644)
	os.WriteFile(filepath.Join(root, "b.html"), []byte("somebody's own"), 0o644)
	said, err := finish(t, root)
	if err != nil || len(said) != 2 || !strings.Contains(said[0], "now complete") ||
		!strings.Contains(said[1], "b.html was changed") {
		t.Errorf("recovery said %q, %v", said, err)
	}
	for name, want := range map[string]string{"a.html": "new", "b.html": "somebody's own", "c.html": "old",
		"d.html": "new"} {
		if got := text(t, root, name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if said, err := finish(t, root); len(said) > 0 || err != nil {
		t.Errorf("a second recovery said %q, %v", said, err)
	}
}

func TestNewerJournalsAreRefused(t *testing.T) {
	root := project(t, nil)
	folder := filepath.Join(root, Folder, "changes", "000001.going")
	os.MkdirAll(folder, 0o755)
	os.WriteFile(filepath.Join(folder, "journal.json"), []byte(`{"format": 99}`), 0o644)
	if _, err := finish(t, root); err == nil || !strings.Contains(err.Error(), "format 99") {
		t.Errorf("recovery: %v", err)
	}
}

func TestUnfinishedIsReadAsFinished(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "b.html": "old"})
	interrupted(t, root, map[string]string{"a.html": "new", "js/deep/d.js": "new"})
	view, note, err := View(context.Background(), on(t, root), testKey, nil)
	if err != nil || !strings.Contains(note, "interrupted") {
		t.Fatalf("%q, %v", note, err)
	}
	for name, want := range map[string]string{"a.html": "new", "b.html": "old", "js/deep/d.js": "new"} {
		if b, _, err := view.Read(name, 100, nil); string(b) != want {
			t.Errorf("%s is read as %q, %v", name, b, err)
		}
	}
	for dir, want := range map[string]string{".": ".merry a.html b.html js", "js": "deep", "js/deep": "d.js"} {
		list, err := view.List(dir)
		var names []string
		for _, e := range list {
			names = append(names, e.Name())
		}
		if got := strings.Join(names, " "); got != want || err != nil {
			t.Errorf("%s lists %q, want %q, %v", dir, got, want, err)
		}
	}
	if text(t, root, "a.html") != "old" || text(t, root, "js/deep/d.js") != "(not there)" {
		t.Error("reading changed the project")
	}
}

func TestAbandonTakesBack(t *testing.T) {
	root := project(t, map[string]string{"a.html": "old", "b.html": "old"})
	interrupted(t, root, map[string]string{"a.html": "new", "b.html": "new", "c/d.html": "new"})
	f := on(t, root)
	j, err := readJournal(f, "000001"+going, testKey)
	if err != nil {
		t.Fatal(err)
	}
	all, _ := f.Enter(changes)
	defer all.Close()
	c := executor{on: f, all: all, id: "000001", j: j}
	j.Entries = j.Entries[:2] // the stop came after these two
	c.makeFolders(c.j.Folders)
	for _, e := range j.Entries {
		set, dir, base, err := c.at(e)
		if err != nil {
			t.Fatal(err)
		}
		if err := set.Exchange(e.Staged, dir, base); err != nil {
			t.Fatal(err)
		}
	}
	c.close()
	os.WriteFile(filepath.Join(root, "b.html"), []byte("somebody's own"), 0o644)
	list, err := Abandon(context.Background(), f, Options{Key: testKey})
	if err != nil || len(list) != 1 || len(list[0].Left) != 1 || list[0].Left[0] != "b.html" || list[0].Kept == "" {
		t.Fatalf("%+v, %v", list, err)
	}
	for name, want := range map[string]string{"a.html": "old", "b.html": "somebody's own", "c/d.html": "(not there)"} {
		if got := text(t, root, name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if got := text(t, root, list[0].Kept+"/"+j.Entries[1].Staged); got != "old" {
		t.Errorf("the old content of the file that somebody changed is %q", got)
	}
}

// TestRolledBack: what goes wrong after the commit point is reverted, and nothing of anybody's is lost.
func TestRolledBack(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("making links needs special rights on this system")
	}
	for name, meddle := range map[string]func(root string){
		"a file appears": func(root string) {
			os.WriteFile(filepath.Join(root, "js/new.js"), []byte("theirs"), 0o644)
		},
		"a page is edited": func(root string) {
			os.WriteFile(filepath.Join(root, "z.html"), []byte("theirs!"), 0o644)
		},
		"a page is removed": func(root string) { os.Remove(filepath.Join(root, "z.html")) },
		"a folder is exchanged": func(root string) {
			os.Rename(filepath.Join(root, "js"), filepath.Join(root, "was"))
			os.Symlink("../..", filepath.Join(root, "js"))
		},
	} {
		root := project(t, map[string]string{"a.html": "old", "js/old.js": "old", "z.html": "old"})
		interrupted(t, root, map[string]string{"a.html": "new", "js/new.js": "new", "z.html": "new"})
		meddle(root)
		before := map[string]string{}
		for _, f := range []string{"a.html", "js/new.js", "js/old.js", "z.html", "was/old.js"} {
			before[f] = text(t, root, f)
		}
		f := on(t, root)
		j, err := readJournal(f, "000001"+going, testKey)
		if err != nil {
			t.Fatal(err)
		}
		all, _ := f.Enter(changes)
		c := executor{on: f, all: all, id: "000001", j: j}
		if err = c.apply(); err == nil {
			t.Errorf("%s: it was carried out all the same", name)
		} else if err = c.rollBack(err); !strings.Contains(err.Error(), "reverted") {
			t.Errorf("%s: %v", name, err)
		}
		c.close()
		all.Close()
		for f, want := range before {
			if got := text(t, root, f); got != want {
				t.Errorf("%s: %s is %q, want %q", name, f, got, want)
			}
		}
	}
}

func TestForeignJournals(t *testing.T) {
	own := project(t, map[string]string{"a.html": "old"})
	interrupted(t, own, map[string]string{"a.html": "new"})
	genuine, err := os.ReadFile(filepath.Join(own, Folder, "changes", "000001.going", journalFile))
	if err != nil {
		t.Fatal(err)
	}
	for name, journal := range map[string]string{
		"of an older format": `{"format": 1, "title": "x", "entries": [{"path": "a.html", "draft": "000001"}]}`,
		"without proof": `{"format": 2, "proof": "", "change": {"title": "x", "entries": [{"path": "a.html", ` +
			`"draft": "000001"}]}}`,
		"altered": strings.Replace(string(genuine), "a.html", "b.html", 1),
		"no JSON": "{", "empty": "", "null": "null",
	} {
		for _, state := range []string{going, done} {
			root := project(t, map[string]string{"a.html": "old", "b.html": "old"})
			folder := filepath.Join(root, Folder, "changes", "000001"+state)
			os.MkdirAll(folder, 0o755)
			os.WriteFile(filepath.Join(folder, journalFile), []byte(journal), 0o644)
			os.WriteFile(filepath.Join(folder, "000001"), []byte("theirs"), 0o644)
			if state == done {
				if _, _, err := takeBack(t, root); !errors.Is(err, ErrNothing) {
					t.Errorf("%s, done: %v", name, err)
				}
			} else {
				if _, err := finish(t, root); err == nil || !strings.Contains(err.Error(), "you did not write it") {
					t.Errorf("%s: %v", name, err)
				}
				if list, err := Abandon(context.Background(), on(t, root), Options{Key: testKey}); err != nil ||
					len(list) != 1 || list[0].Kept == "" {
					t.Errorf("%s: abandoning it: %+v, %v", name, list, err)
				}
				begin(t, root, "after", Options{})
			}
			if text(t, root, "a.html") != "old" || text(t, root, "b.html") != "old" {
				t.Errorf("%s: it was carried out", name)
			}
		}
	}
	// A journal that is the user's own must speak of the project alone, too.
	for _, bad := range []journal{{Entries: []Entry{{Path: "../x", Staged: "1"}}},
		{Entries: []Entry{{Path: ".git/config", Staged: "1"}}}, {Entries: []Entry{{Path: "a", Staged: "../1"}}},
		{Folders: []string{".."}}, {Undoes: "../.."}} {
		b, err := bad.text(testKey)
		if err != nil {
			t.Fatal(err)
		}
		root := project(t, nil)
		folder := filepath.Join(root, Folder, "changes", "000001.going")
		os.MkdirAll(folder, 0o755)
		os.WriteFile(filepath.Join(folder, journalFile), b, 0o644)
		if _, err := finish(t, root); err == nil || !strings.Contains(err.Error(), "you did not write it") {
			t.Errorf("%+v: %v", bad, err)
		}
	}
}

// TestKept: what a dry set is given is kept as it was, though callers fill one buffer again and again.
func TestKept(t *testing.T) {
	root := project(t, nil)
	kept := map[string][]byte{}
	s := begin(t, root, "dry", Options{Dry: true, Keep: func(name string, content []byte) { kept[name] = content }})
	buffer := []byte("oar")
	for _, name := range []string{"oar", "row"} {
		copy(buffer, name)
		if err := s.Create(paths.FoundInProject(name), buffer, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if string(kept["oar"]) != "oar" || string(kept["row"]) != "row" || len(kept) != 2 {
		t.Errorf("kept is %q", kept)
	}
	if text(t, root, "oar") != "(not there)" {
		t.Error("a dry set wrote a file")
	}
}
