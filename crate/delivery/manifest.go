package delivery

import (
	"cmp"
	"encoding/json"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/paths"
)

// A Manifest is what a package's own manifest says. It hints; the files decide.
type Manifest struct {
	File                   string // its path in the delivery, "" where there is none
	Name, Version, Licence string
	Main, Browser, Style   string
	Module, Exports        string // Exports is what the package's own name stands for
	// Named are its other keys that name a file, such as one that a host of files serves, by key.
	Named        map[string]string
	Dependencies map[string]string
	Peers        map[string]string
	Dev          map[string]string // what its makers built and tested it with
}

// mostPassing is how long a script may be, in bytes, that does nothing but hand on another file.
const mostPassing = 2 << 10

var handsOn = regexp.MustCompile(`require\(\s*["'](\.{1,2}/[^"']+)["']\s*\)`)

// followMain takes for the manifest's main file the one that this hands on: module.exports = require('./dist/winch').
func (d *Delivery) followMain() error {
	f := d.File(path.Clean(d.Manifest.Main))
	if f == nil || f.Kind != Script || f.Size > mostPassing {
		return nil
	}
	b, err := d.tree.ReadFile(f.Path)
	if err != nil {
		return err
	}
	found := handsOn.FindAllSubmatch(b, -1)
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

// mostManifest is the largest manifest that is read, in bytes.
const mostManifest = 4 << 20

// ReadManifest reads a JSON text as a package's manifest, and tells whether it is one: it has a name, and a version or a
// main file. Each field is read on its own, since hand-written manifests have all kinds of values in them.
func ReadManifest(b []byte) (Manifest, bool) {
	var raw map[string]json.RawMessage
	if json.Unmarshal(b, &raw) != nil {
		return Manifest{}, false
	}
	text := func(key string) string {
		var s string
		json.Unmarshal(raw[key], &s)
		return s
	}
	words := func(key string) map[string]string {
		var m map[string]string
		json.Unmarshal(raw[key], &m)
		return m
	}
	m := Manifest{Name: text("name"), Version: text("version"), Licence: text("license"), Main: text("main"), Browser: text("browser"),
		Style: text("style"), Module: text("module"), Exports: exported(raw["exports"]), Dependencies: words("dependencies"), Peers: words("peerDependencies"), Dev: words("devDependencies")}
	for key := range raw {
		switch name := strings.TrimPrefix(text(key), "./"); path.Ext(name) {
		case ".js", ".mjs", ".css":
			if !slices.Contains([]string{"name", "main", "module", "browser", "style", "exports"}, key) {
				if m.Named == nil {
					m.Named = map[string]string{}
				}
				m.Named[key] = name
			}
		}
	}
	if !paths.IsVersion(m.Version) {
		m.Version = ""
	}
	if m.Licence == "" {
		var old struct{ Type string }
		json.Unmarshal(raw["license"], &old)
		m.Licence = old.Type
	}
	return m, m.Name != "" && (m.Version != "" || m.Main != "" || m.Module != "" || m.Exports != "")
}

// says counts what a manifest says that is of use here.
func (m *Manifest) says() int {
	n := 0
	for _, s := range []string{m.Version, m.Version, m.Licence, m.Main, m.Browser, m.Style, m.Module, m.Exports} {
		if s != "" {
			n++
		}
	}
	return n + min(1, len(m.Dependencies)) + min(1, len(m.Peers))
}

// exported finds the file that a manifest's exports name for the package itself, on a page if they tell.
func exported(raw json.RawMessage) string {
	var file string
	if json.Unmarshal(raw, &file) == nil {
		return file
	}
	var by map[string]json.RawMessage
	if json.Unmarshal(raw, &by) != nil {
		return ""
	}
	for _, key := range []string{".", "browser", "script", "default", "import"} {
		if sub, ok := by[key]; ok {
			if file := exported(sub); file != "" {
				return file
			}
		}
	}
	return ""
}

// readManifest finds the delivery's own manifest: of the JSON files in its first folder, the one that says most as a
// manifest does.
func (d *Delivery) readManifest(tree Tree) {
	type found struct {
		m    Manifest
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
		if m, ok := ReadManifest(b); ok {
			f.Kind, m.File = About, f.Path
			list = append(list, found{m, m.says()})
		}
	}
	if len(list) > 0 {
		for _, f := range list {
			d.Manifests = append(d.Manifests, f.m)
		}
		d.Manifest = slices.MinFunc(list, func(a, b found) int { return cmp.Or(b.says-a.says, strings.Compare(a.m.File, b.m.File)) }).m
	}
}

func jsonFile(f *File) bool {
	return f.Kind == Data && path.Ext(f.Path) == ".json" && f.Size <= mostManifest
}

// mostPackages is how many packages of a folder are looked into to tell that it is a folder of packages.
const mostPackages = 3

// installed sets folders of other packages apart: those whose subfolders each have a manifest of their own.
func (d *Delivery) installed(tree Tree) {
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
	for dir, subs := range below {
		if dir == "." || own[dir] || !d.arePackages(subs, manifests, below, tree) {
			continue
		}
		for i := range d.Files {
			if strings.HasPrefix(d.Files[i].Path, dir+"/") {
				d.Files[i].Aside = otherPackages
			}
		}
	}
}

// arePackages tells whether folders are packages, or scopes of packages, by looking into a few.
func (d *Delivery) arePackages(folders map[string]bool, manifests map[string]string, below map[string]map[string]bool, tree Tree) bool {
	looked := 0
	for dir := range folders {
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
		if looked++; looked > mostPackages {
			continue
		}
		b, err := tree.ReadFile(manifests[dir])
		if err != nil {
			return false
		}
		if m, ok := ReadManifest(b); !ok || path.Base(m.Name) != path.Base(dir) {
			return false
		}
	}
	return looked > 0
}
