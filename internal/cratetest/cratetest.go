// Package cratetest makes small projects for the tests of the packages that read one.
package cratetest

import (
	"os"
	"path/filepath"
	"testing"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Harbour is a list file's text below its format line: oarlock 2.0.3 of a registry, and a CDN that has it.
const Harbour = "libraries:\n  oarlock: {version: 2.0.3, from: \"registry:oarlock\", build: minified}\n" +
	"cdns: {harbour: \"https://cdn.harbour.example/{name}/{version}/{path}\"}\n"

// WithPages is WithOarlock with more files, whose names are from the project's folder.
func WithPages(t testing.TB, list string, files map[string]string) *project.Project {
	t.Helper()
	p := WithOarlock(t, list)
	for name, text := range files {
		full := string(p.Root.Join(name))
		if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return p
}

// WithOarlock returns a project in a temporary folder whose crate holds both builds of oarlock 2.0.3 below js. Its list
// file is the format line and list.
func WithOarlock(t testing.TB, list string) *project.Project {
	t.Helper()
	root := paths.OnDisk(t.TempDir())
	seal := record.NewSeal()
	seal.Libraries["oarlock"] = &record.Sealed{Version: "2.0.3", Files: []record.File{
		{Path: "dist/oarlock.js", At: paths.FoundInProject("js/oarlock.js"),
			Integrity: integrity.Of([]byte("readable")), Build: "readable", OtherBuild: "dist/oarlock.min.js",
			Role: record.Tagged},
		{Path: "dist/oarlock.min.js", At: paths.FoundInProject("js/oarlock.min.js"),
			Integrity: integrity.Of([]byte("minified")), Build: "minified", OtherBuild: "dist/oarlock.js",
			Role: record.Tagged},
	}}
	for name, b := range map[string][]byte{record.ListFile: []byte("format: 1\n" + list),
		record.SealFile: seal.Bytes()} {
		if err := os.WriteFile(string(root.Join(name)), b, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	on, err := disk.Open(root)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { on.Close() })
	cache := source.NewCache(t.TempDir())
	p, err := project.Read(on, &origin.Opener{Cache: cache}, &facts.Reader{Cache: cache})
	if err != nil {
		t.Fatal(err)
	}
	return p
}
