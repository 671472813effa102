package packages

import (
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"

	"merrycrate.example/merry/crate/record"
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
	d.linkFar()
}

// fewPairs is how many minified files a folder may have whose readable builds are looked for elsewhere. One with more
// is a catalogue, which stays as it is.
const fewPairs = 8

// linkFar finds the minified builds of readable files that lie elsewhere in the package, as dist/x.min.js for x.js:
// of scripts one that defines and needs the same, of stylesheets one of the size that is left.
func (d *Package) linkFar() {
	alone := func(f *File, build record.Build) bool {
		return f.Build == build && f.OtherBuild == "" && f.ExcludedBecause == ""
	}
	minified := map[string][]*File{}
	beside := map[string]int{} // how many such a folder has
	for i := range d.Files {
		if m := &d.Files[i]; alone(m, Minified) && marked(m) {
			key := stemOf(m.Path) + path.Ext(m.Path)
			minified[key] = append(minified[key], m)
			beside[path.Dir(m.Path)]++
		}
	}
	for i := range d.Files { // some call the build for pages nothing but that
		m := &d.Files[i]
		if !alone(m, Minified) || m.Kind != Script || stemOf(m.Path) != "minified" {
			continue
		}
		if f := d.File(path.Join(path.Dir(m.Path), "index.js")); f != nil && alone(f, Readable) && d.sameThing(m, f) {
			f.OtherBuild, m.OtherBuild = m.Path, f.Path
		}
	}
	for i := range d.Files {
		f := &d.Files[i]
		if !alone(f, Readable) {
			continue
		}
		var found *File
		for _, m := range minified[stemOf(f.Path)+path.Ext(f.Path)] {
			if m.OtherBuild == "" && beside[path.Dir(m.Path)] <= fewPairs && d.sameThing(m, f) && (found == nil ||
				better(m, found)) {
				found = m
			}
		}
		if found != nil {
			f.OtherBuild, found.OtherBuild = found.Path, f.Path
		}
	}
}

// pairedCopy is the copy of a readable file that has a minified build, where the file itself has none: some have one
// copy at the top and another, with the build for pages, in dist.
func (d *Package) pairedCopy(f *File) *File {
	if f.Build != Readable || f.OtherBuild != "" {
		return f
	}
	for _, g := range d.ofKind(f.Kind) {
		if g.Build == Readable && g.OtherBuild != "" && near(g.Size, f.Size) && stemOf(g.Path) == stemOf(f.Path) &&
			d.sameThing(d.File(g.OtherBuild), f) {
			return g
		}
	}
	return f
}

// near tells sizes of files that differ in no more than their first comment.
func near(a, b int64) bool { return max(a, b)-min(a, b) <= 64+max(a, b)/50 }

// sameThing reports whether one file may be the minified build of the other by what both have.
func (d *Package) sameThing(minified, readable *File) bool {
	if readable.Kind != Script {
		return minified.Size <= readable.Size && 2*minified.Size >= readable.Size &&
			len(minified.Refs) == len(readable.Refs)
	}
	a, b := minified.Script, readable.Script
	if a == nil || b == nil || a.Form != b.Form || minified.Size > readable.Size || 8*minified.Size < readable.Size ||
		!d.definesAll(minified, readable) || len(a.Hard()) != len(b.Hard()) {
		return false
	}
	return !slices.ContainsFunc(a.Hard(), func(n script.Need) bool {
		return !slices.ContainsFunc(b.Hard(), func(m script.Need) bool { return m.Name == n.Name })
	})
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
		if len(min) != 1 || len(readable) != 1 ||
			float64(d.Files[min[0]].Size) > d.Files[readable[0]].most() ||
			!d.definesAll(&d.Files[min[0]], &d.Files[readable[0]]) {
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

// most is how large a minified build of a file may be: of what has nothing left to minify it has its own name inside.
func (f *File) most() float64 { return 1.02 * float64(f.Size) }

// definesAll reports whether a readable script gives a page all globals that a minified one gives. Those that a script
// keeps for itself (__tide) the one may have alone; of stylesheets nothing is asked.
func (d *Package) definesAll(minified, readable *File) bool {
	if minified.Script == nil || readable.Script == nil {
		return true
	}
	public := *readable.Script
	public.Defines = slices.DeleteFunc(slices.Clone(public.Defines), func(g script.Global) bool {
		return strings.HasPrefix(g.Name, "__")
	})
	return hasAll(readable.Script, minified.Script) && hasAll(minified.Script, &public)
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
