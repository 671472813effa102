//go:build unix

package disk

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// folder makes a folder with files, and one outside of it with a secret.
func folder(t *testing.T, files ...string) (f *Folder, outside string) {
	t.Helper()
	root := t.TempDir()
	outside = t.TempDir()
	if err := os.WriteFile(filepath.Join(outside, "secret"), []byte("secret"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, name := range files {
		full := filepath.Join(root, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(full), 0o755), os.WriteFile(full, []byte(name),
			0o644)); err != nil {
			t.Fatal(err)
		}
	}
	f, err := Open(paths.OnDisk(root))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f, outside
}

func link(t *testing.T, f *Folder, to, name string) {
	t.Helper()
	if err := os.Symlink(to, f.full(name)); err != nil {
		t.Fatal(err)
	}
}

func enter(t *testing.T, f *Folder, name string) *Entry {
	t.Helper()
	p, err := f.Enter(name)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.Close() })
	return p
}

// TestReadStaysInside: links are followed inside and nowhere else, by whatever way they lead out.
func TestReadStaysInside(t *testing.T) {
	f, outside := folder(t, "a/b.js", "c.js")
	link(t, f, "a", "near")
	link(t, f, f.full("a"), "whole")
	link(t, f, "../c.js", "a/up")
	for name, want := range map[string]string{"a/b.js": "a/b.js", "near/b.js": "a/b.js", "whole/b.js": "a/b.js",
		"a/up": "c.js"} {
		if b, stamp, err := f.Read(name, 100, nil); string(b) != want || err != nil || stamp.Size != int64(len(want)) {
			t.Errorf("%s: %q, %v", name, b, err)
		}
	}
	link(t, f, outside, "away")
	link(t, f, filepath.Join(outside, "secret"), "out")
	link(t, f, "../"+filepath.Base(filepath.Dir(outside))+"/"+filepath.Base(outside)+"/secret", "dots")
	link(t, f, "/proc/self/root"+outside, "magic")
	link(t, f, "round", "round")
	for _, name := range []string{"away/secret", "out", "dots", "magic/secret", "round", "../c.js", "a/../../x",
		"/etc/passwd", "gone", "c.js/x"} {
		if b, _, err := f.Read(name, 100, nil); err == nil || len(b) > 0 {
			t.Errorf("%s was read: %q", name, b)
		}
		if _, err := f.Stat(name); err == nil {
			t.Errorf("%s was looked at", name)
		}
	}
	if _, err := f.List("away"); err == nil {
		t.Error("a folder outside was listed")
	}
	for _, name := range []string{"gone", "c.js/x", "gone/x"} {
		if _, _, err := f.Read(name, 100, nil); !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, syscall.ENOTDIR) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestReadIsBounded: only plain files up to a limit are read, and at once.
func TestReadIsBounded(t *testing.T) {
	f, _ := folder(t, "small", "empty")
	if err := errors.Join(syscall.Mkfifo(f.full("pipe"), 0o644), os.Truncate(f.full("small"), 100),
		os.Truncate(f.full("empty"), 0)); err != nil {
		t.Fatal(err)
	}
	for _, buf := range [][]byte{nil, make([]byte, 0, 10), make([]byte, 0, 100), make([]byte, 0, 1000)} {
		if b, _, err := f.Read("small", 100, buf); len(b) != 100 || err != nil {
			t.Errorf("into %d bytes: %d, %v", cap(buf), len(b), err)
		}
		if b, _, err := f.Read("empty", 100, buf); len(b) != 0 || err != nil {
			t.Errorf("nothing, into %d bytes: %d, %v", cap(buf), len(b), err)
		}
	}
	for name, want := range map[string]string{"small": "at most 99", "pipe": "is a pipe", ".": "is a folder"} {
		var p *problem.Problem
		if _, _, err := f.Read(name, 99, nil); !errors.As(err, &p) || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestStampsOfAFolder: looked at together, files have the stamps that each has alone; what is no plain file has none.
func TestStampsOfAFolder(t *testing.T) {
	f, outside := folder(t, "a/one", "a/two", "b/three")
	link(t, f, outside, "a/away")
	list := f.Stamps("a", []string{"one", "two", "away", "none"})
	for i, name := range []string{"a/one", "a/two"} {
		if of, err := f.Stamp(name); err != nil || of != list[i] || of.Size == 0 {
			t.Errorf("%s: %+v alone, %+v together, %v", name, of, list[i], err)
		}
	}
	if list[2] != (Stamp{}) || list[3] != (Stamp{}) {
		t.Errorf("%+v", list[2:])
	}
	three, err := f.Stamp("b/three")
	if of := f.Through(map[string]string{"a/one": "b/three", "a/two": ""}).Stamps("a",
		[]string{"one", "two"}); err != nil || of[0] != three || of[1] != (Stamp{}) {
		t.Errorf("as a change leaves it: %+v, %v", of, err)
	}
}

// TestList: a folder's entries are those that the system's own list has, each with its type and what a look at it says,
// and sorted, however many there are.
func TestList(t *testing.T) {
	f, outside := folder(t, "a/sub/x", "a/one", "a/.hidden")
	link(t, f, outside, "a/away")
	link(t, f, "one", "a/near")
	if err := syscall.Mkfifo(f.full("a/pipe"), 0o644); err != nil {
		t.Fatal(err)
	}
	for i := range 700 {
		if err := os.WriteFile(f.full(fmt.Sprintf("a/%03d-%s", i, strings.Repeat("n", 3+i%200))), []byte("x"),
			0o600); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadDir(f.full("a"))
	if err != nil {
		t.Fatal(err)
	}
	got, err := f.List("a")
	if err != nil || len(got) != len(want) {
		t.Fatalf("%d entries, not %d (%v)", len(got), len(want), err)
	}
	for i, w := range want {
		g := got[i]
		if g.Name() != w.Name() || g.Type() != w.Type() || g.IsDir() != w.IsDir() {
			t.Errorf("%s %v is told as %s %v", w.Name(), w.Type(), g.Name(), g.Type())
		}
		a, aerr := w.Info()
		b, berr := g.Info()
		if aerr != nil || berr != nil || a.Name() != b.Name() || a.Size() != b.Size() || a.Mode() != b.Mode() ||
			StampOf(a) != StampOf(b) {
			t.Errorf("%s looks like %+v, not %+v (%v, %v)", w.Name(), b, a, berr, aerr)
		}
	}
}

// TestWritesTakeNothingsPlace: what is made or moved never replaces what is there, and no link is followed on the way.
func TestWritesTakeNothingsPlace(t *testing.T) {
	f, outside := folder(t, "a/one", "b/two", "b/one")
	a, b := enter(t, f, "a"), enter(t, f, "b")
	if err := a.Move("one", b, "one"); !errors.Is(err, fs.ErrExist) {
		t.Errorf("a move over another file: %v", err)
	}
	if err := a.Create("one", nil, 0o644); !errors.Is(err, fs.ErrExist) {
		t.Errorf("making what is there: %v", err)
	}
	if err := a.Exchange("one", b, "two"); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{"a/one": "b/two", "b/two": "a/one", "b/one": "b/one"} {
		if got, _ := os.ReadFile(f.full(name)); string(got) != want {
			t.Errorf("%s holds %q, want %q", name, got, want)
		}
	}
	if err := a.Move("one", b, "three"); err != nil {
		t.Error(err)
	}
	link(t, f, outside, "away")
	link(t, f, "b", "near")
	for _, name := range []string{"away", "near", "away/x", "b/two", "b/two/x"} {
		if p, err := f.Enter(name); err == nil {
			t.Errorf("%s was entered", name)
			p.Close()
		}
	}
	if _, err := f.Enter("near"); err == nil || !strings.Contains(err.Error(), "is now a link") {
		t.Errorf("a link in the place of a folder: %v", err)
	}
	if name, err := f.Inside("away"); err == nil {
		t.Errorf("a link out of the folder is inside, at %s", name)
	}
	if name, err := f.Inside("near"); err != nil || name != "b" {
		t.Errorf("a link inside leads to %s, %v", name, err)
	}
	link(t, f, filepath.Join(outside, "made"), "b/made")
	if err := b.Create("made", nil, 0o644); err == nil {
		t.Error("a file was made where a link leads")
	}
	if _, _, err := b.Read("made", 100); err == nil {
		t.Error("a link was read")
	}
	// A folder that goes takes nothing with it that its links lead to.
	link(t, f, outside, "b/away")
	if err := enter(t, f, ".").RemoveAll("b"); err != nil {
		t.Error(err)
	}
	if _, err := os.Stat(f.full("b")); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("it is still there: %v", err)
	}
	if left, _ := os.ReadDir(outside); len(left) != 1 {
		t.Errorf("outside there is %v", left)
	}
}

// TestWhoMayWrite: what only its owner may replace, or nobody may, is known before it is tried.
func TestWhoMayWrite(t *testing.T) {
	f, _ := folder(t, "a/one")
	p := enter(t, f, "a")
	if err := errors.Join(p.MayChange("one"), p.MayChange("new")); err != nil {
		t.Error(err)
	}
	own := filepath.Join(string(f.Path()), "own")
	os.WriteFile(own, []byte("x"), 0o600)
	if b, err := ReadOwn(own); string(b) != "x" || err != nil {
		t.Errorf("%q, %v", b, err)
	}
	if b, err := ReadOwn(own + "-not"); b != nil || err != nil {
		t.Errorf("%q, %v", b, err)
	}
	os.Chmod(own, 0o602)
	if _, err := ReadOwn(own); err == nil || !strings.Contains(err.Error(), "others may write") {
		t.Errorf("a file that others may write to: %v", err)
	}
	if os.Getuid() != 0 {
		return
	}
	os.Chmod(own, 0o600)
	os.Chown(own, 12345, 12345)
	if _, err := ReadOwn(own); err == nil || !strings.Contains(err.Error(), "another user") {
		t.Errorf("somebody else's file: %v", err)
	}
}

// TestExchangedFolder: a folder that is another one when it is entered than when it was looked at is not entered.
func TestExchangedFolder(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"a", "b"} {
		if err := os.Mkdir(filepath.Join(dir, name), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	seen, err := os.Lstat(filepath.Join(dir, "a"))
	if err != nil {
		t.Fatal(err)
	}
	for name, same := range map[string]bool{"a": true, "b": false} {
		entered, err := os.OpenRoot(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		if err := isStill(entered, seen, "a"); (err == nil) != same {
			t.Errorf("%s in the place of a: %v", name, err)
		}
		entered.Close()
	}
}
