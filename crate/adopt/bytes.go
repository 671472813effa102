package adopt

import (
	"context"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// maxArchives is how many archives of a registry are opened to find one file's bytes in them.
const maxArchives = 12

// versionIn finds what a script's or stylesheet's text may say about its version.
var versionIn = memo.Regexp(`\b[0-9]+\.[0-9]+\.[0-9]+(?:-[0-9A-Za-z.]+)?\b`)

// byBytes looks for a file without any version in the registry's packages whose names are near its own: the versions
// that its text names come first, then the newest of each major version, then others from the newest on.
func (a *adoption) byBytes(ctx context.Context, r *recognised) error {
	p := a.d.Before
	if p.Origin.Offline || !a.published(r) {
		return nil
	}
	opened := 0
	for _, name := range nearNames(r.name) {
		doc, err := p.Origin.Document(ctx, name, false)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			continue // there is no such package
		}
		for _, version := range likelyVersions(doc, r.bytes) {
			if opened++; opened > maxArchives {
				break
			}
			o, err := p.Origin.OpenPackage(ctx, name, version, nil)
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if err != nil {
				continue
			}
			if r.settle(o, "the registry's "+name+" "+o.Version+" has the same bytes") {
				return nil
			}
			o.Close()
		}
	}
	return nil
}

// nearNames lists the names that a package may have whose file has a name.
func nearNames(file string) []string {
	var list []string
	stem := strings.ToLower(file)
	bare := strings.TrimRight(strings.TrimSuffix(stem, "js"), ".-")
	_, plugin, _ := strings.Cut(stem, ".")
	for _, name := range []string{stem, bare, bare + ".js", bare + "js", bare + "-js", strings.ReplaceAll(stem, ".",
		"-"),
		strings.TrimSuffix(plugin, ".js")} {
		if len(name) > 2 && source.ValidPackage(name) && !slices.Contains(list, name) {
			list = append(list, name)
		}
	}
	return list
}

// likelyVersions orders a package's versions by how likely they have a file's bytes.
func likelyVersions(doc *source.Package, b []byte) []string {
	var list []string
	add := func(version string) {
		if !slices.Contains(list, version) {
			list = append(list, version)
		}
	}
	all := doc.Sorted()
	slices.Reverse(all)
	said := map[string]bool{}
	for _, version := range versionIn().FindAll(b, -1) {
		said[string(version)] = true
	}
	for _, v := range all {
		if said[v.Version] {
			add(v.Version)
		}
	}
	majors := map[string]bool{}
	for _, v := range all {
		major, _, _ := strings.Cut(v.Version, ".")
		if !majors[major] && !strings.Contains(v.Version, "-") {
			majors[major] = true
			add(v.Version)
		}
	}
	for _, v := range all {
		if !strings.Contains(v.Version, "-") {
			add(v.Version)
		}
	}
	return list
}

// published reports whether a file looks like one that somebody publishes: it is minified, or made for loaders, too.
// Nobody's own files are looked for in a registry.
func (a *adoption) published(r *recognised) bool {
	return strings.Contains(path.Base(r.path), ".min.") || manifest.BuildOf(r.bytes) == record.Minified ||
		a.d.Before.Facts.Script(r.bytes).Form == script.Universal
}
