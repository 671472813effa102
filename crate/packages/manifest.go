package packages

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/memo"
)

// maxPassing is how long a script may be, in bytes, that does nothing but hand on another file.
const maxPassing = 2 << 10

var handsOn = memo.Regexp(`require\(\s*["'](\.{1,2}/[^"']+)["']\s*\)`)

// followMain takes for the manifest's main file the one that this hands on: module.exports = require('./dist/winch').
func (d *Package) followMain() error {
	d.completeEntries()
	f := d.File(path.Clean(d.Manifest.Main))
	if f == nil || f.Kind != Script || f.Size > maxPassing {
		return nil
	}
	b, err := d.tree.ReadFile(f.Path)
	if err != nil {
		return err
	}
	found := handsOn().FindAllSubmatch(b, -1)
	d.Collects = len(found) > 1
	if len(found) != 1 {
		return nil
	}
	to, ok := resolve(f.Path, string(found[0][1]))
	for _, name := range []string{to, to + ".js", to + "/index.js"} {
		if g := d.File(name); ok && g != nil && g != f && g.Kind == Script {
			d.Manifest.Main = g.Path
			break
		}
	}
	return nil
}

// completeEntries adds the endings that a manifest leaves out, as loaders of modules do.
func (d *Package) completeEntries() {
	for _, entry := range []*string{&d.Manifest.Main, &d.Manifest.Browser, &d.Manifest.Module} {
		if *entry == "" || d.File(path.Clean(*entry)) != nil {
			continue
		}
		for _, more := range []string{".js", "/index.js"} {
			if d.File(path.Clean(*entry)+more) != nil {
				*entry = path.Clean(*entry) + more
				break
			}
		}
	}
}

// maxManifest is the largest manifest that is read, in bytes.
const maxManifest = 4 << 20

// readManifest finds the package's own manifest: of the JSON files in its first folder, the one that says most as a
// manifest does.
func (d *Package) readManifest(tree Tree) {
	type found struct {
		m    manifest.Manifest
		says int
	}
	var list []found
	for i := range d.Files {
		f := &d.Files[i]
		if strings.Contains(f.Path, "/") || !jsonFile(f) {
			continue
		}
		b, err := tree.ReadFile(f.Path)
		if err != nil {
			continue
		}
		if m, ok := manifest.Read(b); ok {
			f.Kind, m.File = About, f.Path
			list = append(list, found{m, m.Score()})
		}
	}
	if len(list) > 0 {
		for _, f := range list {
			d.Manifests = append(d.Manifests, f.m)
		}
		d.Manifest = slices.MinFunc(list, func(a, b found) int {
			return cmp.Or(b.says-a.says, strings.Compare(a.m.File, b.m.File))
		}).m
	}
}

func jsonFile(f *File) bool {
	return f.Kind == Data && path.Ext(f.Path) == ".json" && f.Size <= maxManifest
}

// maxPackages is how many packages of a folder are looked into to tell that it is a folder of packages.
const maxPackages = 3

// installed sets folders of other packages apart: those whose subfolders each have a manifest of their own.
func (d *Package) installed(tree Tree) {
	manifests := map[string]string{}      // a folder to a JSON file in it
	below := map[string]map[string]bool{} // a folder to its subfolders
	own := map[string]bool{}              // folders with files of their own
	for i := range d.Files {
		f := &d.Files[i]
		dir := path.Dir(f.Path)
		if jsonFile(f) && (manifests[dir] == "" || path.Base(f.Path) < path.Base(manifests[dir])) {
			manifests[dir] = f.Path
		}
		own[dir] = own[dir] || !strings.HasPrefix(path.Base(f.Path), ".")
		for ; dir != "."; dir = path.Dir(dir) {
			up := path.Dir(dir)
			if below[up] == nil {
				below[up] = map[string]bool{}
			}
			below[up][dir] = true
		}
	}
	for _, dir := range slices.Sorted(maps.Keys(below)) {
		if dir == "." || own[dir] || !d.arePackages(below[dir], manifests, below, tree) {
			continue
		}
		for i := range d.Files {
			if strings.HasPrefix(d.Files[i].Path, dir+"/") {
				d.Files[i].ExcludedBecause = otherPackages
			}
		}
	}
}

// arePackages reports whether folders are packages, or scopes of packages, by looking into a few.
func (d *Package) arePackages(folders map[string]bool, manifests map[string]string, below map[string]map[string]bool,
	tree Tree) bool {
	looked := 0
	for _, dir := range slices.Sorted(maps.Keys(folders)) { // the first few are looked into
		if strings.HasPrefix(path.Base(dir), ".") {
			continue
		}
		if manifests[dir] == "" {
			if !strings.HasPrefix(path.Base(dir), "@") || !d.arePackages(below[dir], manifests, below, tree) {
				return false
			}
			looked++
			continue
		}
		if looked++; looked > maxPackages {
			continue
		}
		b, err := tree.ReadFile(manifests[dir])
		if err != nil {
			return false
		}
		if m, ok := manifest.Read(b); !ok || path.Base(m.Name) != path.Base(dir) {
			return false
		}
	}
	return looked > 0
}
