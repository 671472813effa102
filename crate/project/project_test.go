package project

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

func read(t *testing.T, list string, seal *record.Seal) *Project {
	t.Helper()
	root := paths.OnDisk(t.TempDir())
	for name, b := range map[string][]byte{record.ListFile: []byte("format: 1\n" + list),
		record.SealFile: seal.Bytes()} {
		if err := os.WriteFile(string(root.Join(name)), b, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	cache := source.NewCache(t.TempDir())
	on, err := disk.Open(root)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { on.Close() })
	p, err := Read(on, &origin.Opener{Cache: cache}, &facts.Reader{Cache: cache})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestWhoOwnsAnAddress: of a package that was taken under two names, the first by the alphabet owns the CDN's address,
// every time.
func TestWhoOwnsAnAddress(t *testing.T) {
	seal := record.NewSeal()
	for _, name := range []string{"oarlock", "a-second-one", "zweites"} {
		seal.Libraries[name] = &record.Sealed{Version: "2.0.3",
			Files: []record.File{{Path: "dist/oarlock.js", At: paths.FoundInProject("js/" + name + ".js"),
				Role: record.Tagged}}}
	}
	p := read(t,
		`libraries: {oarlock: {version: 2.0.3, from: "registry:oarlock"}, zweites: {version: 2.0.3, from: "registry:oarlock"}, a-second-one: {version: 2.0.3, from: "registry:oarlock"}}
cdns: {harbour: "https://cdn.harbour.example/{name}/{version}/{path}"}
`, seal)
	for range 50 {
		if of := p.With(p.List,
			p.Seal).AtAddress("https://cdn.harbour.example/oarlock/2.0.3/dist/" +
			"oarlock.js"); of.Library != "a-second-one" {
			t.Fatalf("the address is %s's", of.Library)
		}
	}
}

// TestASnapshotStaysAsItWas: what is planned on clones does not show in the snapshot.
func TestASnapshotStaysAsItWas(t *testing.T) {
	seal := record.NewSeal()
	seal.Libraries["oarlock"] = &record.Sealed{Version: "2.0.3",
		Files: []record.File{{Path: "a.js", At: paths.FoundInProject("js/a.js")}}}
	p := read(t, "libraries: {oarlock: {version: 2.0.3, needs: [x], take: [a.js]}}\n", seal)
	list, planned := p.List.Clone(), p.Seal.Clone()
	list.Library("oarlock").Version, list.Library("oarlock").Needs[0] = "3.0.0", "y"
	planned.Libraries["oarlock"].Files[0].Path = "b.js"
	list.Put(record.Library{Name: "brinework"})
	if p.List.Library("oarlock").Version != "2.0.3" || p.List.Library("oarlock").Needs[0] != "x" ||
		p.Seal.Libraries["oarlock"].Files[0].Path != "a.js" || p.List.Library("brinework") != nil {
		t.Error("the snapshot changed with the plan")
	}
}

func TestWalkSetsPackagesApart(t *testing.T) {
	p := read(t, "site: .\n", record.NewSeal())
	for name, text := range map[string]string{
		"index.html": "x", "js/club.js": "1", ".git/config": "x",
		"parcels/oar/about.json": `{"name":"oar","version":"1.0.0"}`, "parcels/oar/page.html": "x",
		"parcels/@gull/rope/m.json": `{"name":"@gull/rope","main":"x.js"}`, "crews/2024/index.html": "x",
	} {
		full := p.Root.Join(name)
		os.MkdirAll(string(full.Join("..")), 0o755)
		if err := os.WriteFile(string(full), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	site, err := p.Walk(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if len(site.Pages) != 2 || !site.Excludes(paths.Found("parcels/oar/page.html")) ||
		!site.Excludes(paths.Found(".git/config")) || site.Excludes(paths.Found("crews/2024/index.html")) {
		t.Errorf("pages %v, apart %v", site.Pages, site.Excluded)
	}
}

// TestWalkOrder: pages are reported by their whole paths, each once, each with the stamp that is its own, whatever
// their folders are called and however many one of them has.
func TestWalkOrder(t *testing.T) {
	p := read(t, "", record.NewSeal())
	names := []string{"a.html", "a-b/x.html", "a/x.html", "a/b/y.html", "a0.html", "a/b.html", "a b/z.html", "z.html",
		"deep/er/and/er.html"}
	for i := range 3 * 256 {
		names = append(names, fmt.Sprintf("many/p%d.html", i))
	}
	slices.Sort(names)
	for _, name := range append(names, "a/club.js") {
		at := string(p.Root.Join(name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(at), 0o755), os.WriteFile(at, []byte(name), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	site, err := p.WalkAndSee(context.Background(), true)
	if err != nil {
		t.Fatal(err)
	}
	if got := Texts(site.Pages); !slices.Equal(got, names) {
		t.Errorf("pages are %s", Abbreviate(got, 12))
	}
	for i, name := range site.Pages {
		if of, err := p.Disk.Stamp(name.String()); err != nil || site.Stamps[i] != of {
			t.Fatalf("%s was seen as %+v and is %+v (%v)", name, site.Stamps[i], of, err)
		}
	}
	if !site.Has(paths.Found("a/b/y.html")) || !site.Has(paths.Found("a/club.js")) || site.Has(paths.Found("a/b")) ||
		len(slices.Collect(site.All())) != len(names)+3 {
		t.Errorf("%d files, of them %v no pages", len(slices.Collect(site.All())), site.Others)
	}
}
