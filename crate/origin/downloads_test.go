package origin

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/record"
)

// TestArchiveIn: of what a record says only the last part counts, and only files that a library may come in are found.
func TestArchiveIn(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"downloads/winch-1.0.0.zip", "downloads/notes.txt", "downloads/sub/inner.zip",
		"secret/key.js", "winch.tgz"} {
		full := filepath.Join(dir, filepath.FromSlash(name))
		os.MkdirAll(filepath.Dir(full), 0o755)
		if err := os.WriteFile(full, []byte("x"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	os.MkdirAll(filepath.Join(dir, "downloads", "folder.zip"), 0o755)
	os.Symlink(filepath.Join(dir, "secret", "key.js"), filepath.Join(dir, "downloads", "link.js"))
	for from, want := range map[string]string{"winch-1.0.0.zip": "downloads/winch-1.0.0.zip",
		"somewhere/else/winch-1.0.0.zip": "downloads/winch-1.0.0.zip", "winch.tgz": "winch.tgz",
		"notes.txt": "", "../secret/key.js": "", "sub/inner.zip": "", "folder.zip": "", "link.js": "", "..": "",
		".": "", "/": "", "": "", "secret": ""} {
		got := ArchiveIn(dir, []string{"downloads", "winch.tgz", "nowhere"}, from)
		if rel, _ := filepath.Rel(dir, got); got != "" && filepath.ToSlash(rel) != want || got == "" && want != "" {
			t.Errorf("%q is %q, want %q", from, got, want)
		}
	}
}

// TestCandidates: archives of a folder are those that are called like the source or the library in its version.
func TestCandidates(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"winch-1.0.0.zip", "winch-2.0.0.zip", "cleat-1.0.0.zip", "download(3).zip"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte("x"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	sealed := &record.Sealed{Version: "1.0.0", Origin: "old/download(3).zip",
		Files: []record.File{{Path: "dist/winch.js"}}}
	base := func(list []string) string {
		for i := range list {
			list[i] = filepath.Base(list[i])
		}
		return strings.Join(list, " ")
	}
	if got := base(Candidates(dir, []string{"."}, "winch", sealed)); got != "download(3).zip winch-1.0.0.zip" {
		t.Errorf("candidates are %s", got)
	}
	os.MkdirAll(filepath.Join(dir, "dist"), 0o755)
	os.WriteFile(filepath.Join(dir, "dist", "winch.js"), []byte("x"), 0o644)
	if got := Candidates(dir, []string{"."}, "winch", sealed); len(got) != 3 || got[2] != dir {
		t.Errorf("with the files themselves there, candidates are %v", got)
	}
}
