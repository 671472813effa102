package packages

import (
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"

	"merrycrate.example/merry/crate/script"
)

// The stems of names are asked for again and again: of a large package once for each file and rating.
var stems, stemKeys memo.Memo[string, string]

// stemKey is manifest.StemKey.
func stemKey(name string) string {
	return stemKeys.Of(name, func() string { return manifest.StemKey(name) })
}

// stemOf is a file's name without ending and without the marks of builds, in lower case.
func stemOf(name string) string {
	return stems.Of(name, func() string {
		base := path.Base(name)
		return strings.ToLower(manifest.WithoutBuild(strings.TrimSuffix(base, path.Ext(base))))
	})
}

// linkBuilds finds the files that are the same thing in the two builds. Names bring two files together;
// which is which is reported by their content.
func (d *Package) linkBuilds() {
	groups := map[string][]int{}
	for i, f := range d.Files {
		if f.Build != NoBuild {
			key := path.Dir(f.Path) + "/" + stemOf(f.Path) + path.Ext(f.Path)
			groups[key] = append(groups[key], i)
		}
	}
	for _, g := range groups {
		d.linkBuildsOf(g)
	}
	// Some keep the two builds in folders of their own: min/x.js beside x.js, or debug/x.js.
	loose := map[string][]int{}
	for i, f := range d.Files {
		if f.Build == NoBuild || f.OtherBuild != "" {
			continue
		}
		dir, base := path.Split(f.Path)
		var parts []string
		for _, p := range strings.Split(strings.Trim(dir, "/"), "/") {
			switch strings.ToLower(p) {
			case "min", "minified", "debug", "uncompressed", "compressed", "prod", "production", "dev", "development",
				"readable":
			default:
				parts = append(parts, p)
			}
		}
		key := strings.Join(parts, "/") + "/" + stemOf(base) + path.Ext(base)
		loose[key] = append(loose[key], i)
	}
	for _, g := range loose {
		d.linkBuildsOf(g)
	}
}

func (d *Package) linkBuildsOf(g []int) {
	var min, readable []int
	for _, i := range g {
		if d.Files[i].Build == Minified {
			min = append(min, i)
		} else {
			readable = append(readable, i)
		}
	}
	if len(min) == 0 || len(readable) == 0 { // what their contents do not tell apart their names do
		both := append(min, readable...)
		min, readable = nil, nil
		for _, i := range both {
			base := strings.TrimSuffix(path.Base(d.Files[i].Path), path.Ext(d.Files[i].Path))
			if manifest.WithoutBuild(base) != base {
				min = append(min, i)
			} else {
				readable = append(readable, i)
			}
		}
		if len(min) != 1 || len(readable) != 1 || d.Files[min[0]].Size > d.Files[readable[0]].Size ||
			!d.defineSame(&d.Files[min[0]], &d.Files[readable[0]]) {
			return
		}
		d.Files[min[0]].Build, d.Files[readable[0]].Build = Minified, Readable
	}
	if len(min) == 0 || len(readable) == 0 {
		return
	}
	slices.SortFunc(min, func(a, b int) int { return len(d.Files[a].Path) - len(d.Files[b].Path) })
	slices.SortFunc(readable, func(a, b int) int { return len(d.Files[a].Path) - len(d.Files[b].Path) })
	a, b := &d.Files[min[0]], &d.Files[readable[0]]
	if a.Script != nil && b.Script != nil && (a.Script.Form == script.Module) != (b.Script.Form == script.Module) {
		return // a tag for the one does not load the other
	}
	a.OtherBuild, b.OtherBuild = b.Path, a.Path
}

// defineSame reports whether two scripts give a page the same globals; of stylesheets nothing is asked.
func (d *Package) defineSame(a, b *File) bool {
	return a.Script == nil || b.Script == nil || hasAll(a.Script, b.Script) && hasAll(b.Script, a.Script)
}

// tieMaps ties each source map to its file: by what the file names, else by the map's own name.
func (d *Package) tieMaps() {
	for i := range d.Files {
		f := &d.Files[i]
		if f.Map != "" {
			if m := d.File(f.Map); m != nil {
				m.MapOf = f.Path
			}
		}
	}
	for i := range d.Files {
		m := &d.Files[i]
		if m.Kind != Map || m.MapOf != "" {
			continue
		}
		if f := d.File(strings.TrimSuffix(m.Path, ".map")); f != nil {
			m.MapOf = f.Path
			if f.Map == "" {
				f.Map = m.Path
			}
		}
	}
}
