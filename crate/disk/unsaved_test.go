package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"merrycrate.example/merry/crate/paths"
)

// TestUnsaved: a text that is not saved is read, described, stamped and listed in place of the file, also where there
// the file is not on disk yet. Nothing is written.
func TestUnsaved(t *testing.T) {
	dir := t.TempDir()
	if err := os.MkdirAll(filepath.Join(dir, "a"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "a", "one"), []byte("saved"), 0o644); err != nil {
		t.Fatal(err)
	}
	on, err := Open(paths.OnDisk(dir))
	if err != nil {
		t.Fatal(err)
	}
	defer on.Close()
	f := on.With(map[string][]byte{"a/one": []byte("one, longer"), "a/two": []byte("two")})
	for name, want := range map[string]string{"a/one": "one, longer", "a/two": "two"} {
		b, stamp, err := f.Read(name, MaxFile, nil)
		if err != nil || string(b) != want || stamp.Size != int64(len(want)) {
			t.Errorf("%s has %q, %v, %v", name, b, stamp, err)
		}
		info, err := f.Stat(name)
		if err != nil || info.Size() != int64(len(want)) || !info.Mode().IsRegular() || StampOf(info) != stamp {
			t.Errorf("%s is described as %v, %v; its stamp is %v", name, info, err, stamp)
		}
		if is, has := f.Unsaved(name); !has || is != stamp {
			t.Errorf("%s has the stamp %v, and when read %v", name, is, stamp)
		}
		if list := f.Stamps("a", []string{filepath.Base(name)}); list[0] != stamp {
			t.Errorf("%s has in its folder the stamp %v, and when read %v", name, list[0], stamp)
		}
	}
	list, err := f.List("a")
	var names []string
	for _, e := range list {
		names = append(names, e.Name())
	}
	if err != nil || !slices.Equal(names, []string{"one", "two"}) {
		t.Errorf("the folder has %q, %v", names, err)
	}
	if _, _, err := on.Read("a/two", MaxFile, nil); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("the folder itself has the text: %v", err)
	}
	if _, is := on.Unsaved("a/one"); is {
		t.Error("the folder itself has a text that is not saved")
	}
}
