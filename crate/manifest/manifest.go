// Package manifest reads what a package says about itself: its manifest, licence, banners, readme examples and file
// names.
package manifest

import (
	"encoding/json"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/paths"
)

// A Manifest is a package's manifest. It gives hints; the files decide.
type Manifest struct {
	File                   string // its path in the package, "" if there is none
	Name, Version, Licence string
	Main, Browser, Style   string
	Module, Exports        string // Exports is what the package's own name stands for
	AllExports             json.RawMessage
	// LicenceNamed are its other keys that name a file, such as one that a host of files serves, by key.
	Named        map[string]string
	Dependencies map[string]string
	Peers        map[string]string
	Dev          map[string]string // what its makers built and tested it with
}

// Read reads a JSON text as a package's manifest, and reports whether it is one: it has a name, and a version or a
// main file. Each field is read on its own, since hand-written manifests have all kinds of values in them.
func Read(b []byte) (Manifest, bool) {
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
	m := Manifest{Name: text("name"), Version: text("version"), Licence: text("license"), Main: text("main"),
		Browser: text("browser"),
		Style:   text("style"), Module: text("module"), Exports: exported(raw["exports"]), AllExports: raw["exports"],
		Dependencies: words("dependencies"), Peers: words("peerDependencies"), Dev: words("devDependencies")}
	m.forBrowsers(raw["browser"])
	for key := range raw {
		switch name := strings.TrimPrefix(text(key), "./"); path.Ext(name) {
		case ".js", ".mjs", ".css":
			if strings.ContainsAny(name, " \t\n") {
				continue // a description
			}
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
	if m.Licence == "" {
		m.Licence = severally(raw["licenses"])
	}
	return m, m.Name != "" && (m.Version != "" || m.Main != "" || m.Module != "" || m.Exports != "")
}

// severally is what old manifests say of several licences: any of them.
func severally(raw json.RawMessage) string {
	var list []struct{ Type string }
	json.Unmarshal(raw, &list)
	var names []string
	for _, l := range list {
		if l.Type != "" {
			names = append(names, l.Type)
		}
	}
	return strings.Join(names, " OR ")
}

// forBrowsers puts files in the places of others, as a manifest's map for browsers says: its keys and values are paths
// in the package; what it says of other packages is left out, and so is what it has nothing instead of.
func (m *Manifest) forBrowsers(raw json.RawMessage) {
	var instead map[string]any
	if json.Unmarshal(raw, &instead) != nil {
		return
	}
	for from, to := range instead {
		file, ok := to.(string)
		for _, entry := range []*string{&m.Main, &m.Module} {
			if ok && *entry != "" && path.Clean(from) == path.Clean(*entry) {
				*entry = file
			}
		}
	}
}

// Score counts the useful keys of a manifest.
func (m *Manifest) Score() int {
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

// DependsOn reports whether the manifest names a package that this one imports, or itself.
func (m *Manifest) DependsOn(name string) bool {
	return m.Dependencies[name] != "" || m.Peers[name] != "" || name == m.Name
}

// Own lists the files that the manifest gives to importers, the best first.
func (m *Manifest) Own() []string { return m.modules().Own() }

// Specifiers are the names under which the package's modules are imported, each with its file; the modules that there
// are are given.
func (m *Manifest) Specifiers(modules []string) map[string]string {
	return m.modules().Specifiers(modules)
}

func (m *Manifest) modules() module.Package {
	return module.Package{Name: m.Name, Exports: m.AllExports, Entries: []string{m.Module, m.Main}}
}
