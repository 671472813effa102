package packages

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/script"
)

// Complete adds to chosen files what must come along: what stylesheets ask for, source maps.
func (d *Package) complete(s *Selection, maps bool) {
	for i := 0; i < len(s.Choices); i++ { // it grows on the way
		f := d.File(s.Choices[i].Path)
		if f == nil {
			continue
		}
		for _, r := range f.Refs {
			switch {
			case r.There && paths.Hidden(r.Path):
				s.Notes = append(s.Notes, fmt.Sprintf("%s asks for %s, whose name begins with a dot; such files are "+
					"taken only if --files names them", f.Path, r.URL))
			case r.There && r.By != "":
				s.add(r.Path, path.Base(r.By)+" fetches it while it runs", false)
			case r.There:
				s.add(r.Path, fmt.Sprintf("%s asks for it", path.Base(f.Path)), false)
			case r.Path != "":
				s.Notes = append(s.Notes, fmt.Sprintf("%s asks for %s, which is not in the package", f.Path, r.URL))
			}
		}
		d.addOwnNames(s, f)
		if maps && f.Map != "" && d.File(f.Map) != nil {
			s.add(f.Map, "source map of "+path.Base(f.Path), false)
		}
	}
	slices.SortFunc(s.Choices, func(a, b Choice) int { return strings.Compare(a.Path, b.Path) })
}

// Suggest returns the files that a page would want.
func (d *Package) Suggest() *Selection { return d.SuggestWith(nil) }

// SuggestWith returns the files that a page would want, with options: a variant replaces a script or stylesheet, a part
// is added.
func (d *Package) SuggestWith(options []Option) *Selection {
	s := &Selection{}
	for _, kind := range []Kind{Script, Stylesheet} {
		f, why := d.main(kind)
		if f == nil && kind == Script {
			f, why = d.Entry(), "its manifest names it; an import map resolves its imports"
		}
		for _, o := range options {
			if o.Kind == Variant && d.File(o.Files[0]).Kind == kind {
				f, why = d.File(o.Files[0]), o.why()
			}
		}
		if f != nil {
			d.addBothBuilds(s, f, why)
			if f.Script != nil && f.Script.Form == script.Module {
				s.Notes = append(s.Notes, f.Path+" is an ES module: use <script type=\"module\">, or import it in a "+
					"script of yours")
			}
		}
	}
	d.addOwn(s)
	for _, o := range options {
		switch o.Kind {
		case Variant:
		case Many:
			for _, name := range o.Files {
				s.add(name, "of the catalogue "+o.Name, false)
			}
		case AddOn:
			s.add(o.Files[0], o.why(), false)
		default:
			d.addBothBuilds(s, d.File(o.Files[0]), o.why())
		}
	}
	if len(s.Choices) == 0 || d.entry() != nil && !slices.ContainsFunc(s.Choices, func(c Choice) bool {
		return d.File(c.Path).Kind == Script
	}) {
		s.Notes = append(s.Notes, d.whyNothing())
	}
	d.complete(s, true)
	return s
}

// whyNothing says why no script or stylesheet suits a page.
func (d *Package) whyNothing() string {
	if inside := d.ofKind(Archive); len(inside) > 0 {
		var names []string
		for _, f := range inside[:min(6, len(inside))] {
			names = append(names, f.Path)
		}
		if more := len(inside) - len(names); more > 0 {
			names = append(names, fmt.Sprintf("%d more", more))
		}
		return "it contains archives: " + strings.Join(names, ", ") + "; name one of them"
	}
	forms := map[script.Form]int{}
	for _, f := range d.ofKind(Script) {
		if f.Script != nil {
			forms[f.Script.Form]++
		}
	}
	switch {
	case forms[script.Module] > 0:
		return "its modules import packages by name, which a page resolves only with an import map, or which only a " +
			"server or a bundler provides; name files with --files if the site has such a map"
	case forms[script.Server] > 0:
		return "its scripts are for a server or a bundler (they use require and module.exports), so a page " +
			"can't use them"
	case forms[script.AMD] > 0:
		return "its scripts are for an AMD loader; name files with --files if the site has one"
	}
	return "no script or stylesheet for a page was found; name files with --files"
}

func (d *Package) addBothBuilds(s *Selection, f *File, why string) {
	s.add(f.Path, why, true)
	if f.OtherBuild != "" {
		other := d.File(f.OtherBuild)
		s.add(f.OtherBuild, fmt.Sprintf("the %s build of %s", other.Build, path.Base(f.Path)), true)
	}
}

// Choose selects the files that match patterns, and everything that must come along.
func (d *Package) Choose(match func(name string) (pattern string, ok bool)) *Selection {
	s := &Selection{}
	for _, f := range d.Files {
		if pattern, ok := match(f.Path); ok {
			page := f.Kind == Script || f.Kind == Stylesheet
			s.add(f.Path, "named by "+pattern, page)
		}
	}
	// What another chosen stylesheet imports needs no tag of its own.
	imported := map[string]bool{}
	for _, c := range s.Choices {
		for _, r := range d.File(c.Path).Refs {
			imported[r.Path] = true
		}
	}
	for i := range s.Choices {
		s.Choices[i].Page = s.Choices[i].Page && !imported[s.Choices[i].Path]
	}
	d.keepMany(s)
	d.complete(s, false)
	return s
}

// A rated is a file with what speaks for it.
type rated struct {
	f     *File
	score int
	why   string
}

// rate keeps the better of two.
func (r *rated) rate(f *File, score int, why string) {
	switch {
	case score == 0, r.f != nil && score < r.score:
	case r.f == nil || score > r.score || score > nothing && better(f, r.f) || score <= nothing && f.Size > r.f.Size:
		*r = rated{f, score, why}
	}
}

// A candidate is the file that is the library, nil for none, and why.
type candidate struct {
	f   *File
	why string
}

// main finds the one script, or stylesheet, that is the library, and remembers it once the package is described.
func (d *Package) main(kind Kind) (*File, string) {
	if d.tree != nil {
		return d.findMain(kind)
	}
	m := d.mains.Of(kind, func() (m candidate) { m.f, m.why = d.findMain(kind); return m })
	return m.f, m.why
}

// findMain finds the library's own script or stylesheet. A script that a plain tag can load comes before a module,
// unless next to nothing speaks for it and the module is what the makers mean.
func (d *Package) findMain(kind Kind) (*File, string) {
	plain, module := d.rateAll(kind)
	const hinted, likely = 12, 30
	if entry := d.entry(); module.f != nil && entry != nil && d.meansImports() &&
		d.brings(entry, module.f, map[string]bool{}) {
		module = rated{} // it is a part of what the library is
	}
	if d.meansImports() { // what is left over is not the library
		if module.score < likely {
			module = rated{}
		}
		if plain.score < hinted && module.f == nil {
			return nil, ""
		}
	}
	chosen := plain
	if plain.f == nil || plain.score < likely && module.score >= likely {
		chosen = module
	}
	if chosen.f == nil {
		return nil, ""
	}
	best, why := chosen.f, chosen.why
	if whole, reason := d.whole(best); whole != nil {
		best, why = whole, reason
	}
	best = d.asScript(best)
	if best.Build == Minified && best.OtherBuild != "" {
		best = d.File(best.OtherBuild)
	}
	return best, why
}

// asScript is the file of the same name that servers send as a script, where a plain script has the ending of those for
// servers.
func (d *Package) asScript(f *File) *File {
	name, is := strings.CutSuffix(f.Path, ".cjs")
	twin := d.File(name + ".js")
	if !is || twin == nil || twin.Script == nil || f.Script == nil || twin.Script.Form != f.Script.Form {
		return f
	}
	return twin
}

// weak tells the reasons that say nothing of the file itself.
func weak(kind Kind, why string) bool { return why == largest(kind) || why == only(kind) }

func largest(kind Kind) string { return "the largest " + string(kind) + " available" }

func only(kind Kind) string { return "there is no other " + string(kind) }

// rateAll finds the best script that a plain tag can load, or stylesheet, and the best module.
func (d *Package) rateAll(kind Kind) (plain, module rated) {
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != kind || f.ExcludedBecause != "" || f.Build == NoBuild || f.Size == 0 {
			continue
		}
		score, why := d.score(f)
		if kind == Stylesheet && (d.ofAnother(f) || weak(f.Kind, why) && !d.styled(f)) {
			continue
		}
		// An ending of modules says how it is meant, whatever it imports: a worker, say.
		if f.Script != nil && (f.Script.Form == script.Module || path.Ext(f.Path) == ".mjs") {
			module.rate(f, score, why)
		} else {
			plain.rate(f, score, why)
		}
	}
	return plain, module
}

// meansImports tells a library whose manifest names a module that a browser can't import without an import map.
func (d *Package) meansImports() bool {
	f := d.entry()
	return f != nil && d.cannotImport(f, map[string]bool{}, false)
}

// whole finds the script that defines all that another one defines, and what that one needs, too: one tag that needs
// nothing is better than parts. Of several it is the smallest of the readable.
func (d *Package) whole(f *File) (*File, string) {
	if f.Script == nil || len(f.Script.Hard()) == 0 || len(f.Script.Defines)+len(f.Script.Parts) == 0 {
		return nil, ""
	}
	var found *File
	why := ""
	for _, g := range d.ofKind(Script) {
		if g == f || g.Script == nil || g.Script.Form != script.Universal && g.Script.Form != script.Classic ||
			len(g.Script.Hard()) >= len(f.Script.Hard()) {
			continue
		}
		has := defined(g.Script)
		if !hasAll(g.Script, f.Script) {
			continue
		}
		var met []string
		for _, n := range f.Script.Hard() {
			if has[n.Name] {
				met = append(met, n.Name)
			}
		}
		alike := stemOf(g.Path) == stemOf(f.Path) && len(g.Script.Hard()) == 0 && len(f.Script.Defines) > 0
		if len(met) == 0 && !alike || found != nil && (g.Build == found.Build && g.Size >= found.Size ||
			found.Build == Readable && g.Build == Minified) {
			continue
		}
		found, why = g, "it works alone, while "+f.Path+" needs "+f.Script.Hard()[0].Name
		if len(met) > 0 {
			why = "it works alone: it includes " + strings.Join(met[:min(3, len(met))], ", ")
		}
	}
	return found, why
}

// hasAll reports whether a script defines and gives all that another one does. What that gives to a global which the
// one defines counts as given, unless it does nothing but give: such a part is there for itself.
func hasAll(r, of *script.Report) bool {
	has := func(list []script.Global, name string) bool {
		return slices.ContainsFunc(list, func(g script.Global) bool { return g.Name == name })
	}
	for _, g := range of.Defines {
		if !has(r.Defines, g.Name) {
			return false
		}
	}
	for _, g := range of.Parts {
		global, _, _ := strings.Cut(g.Name, ".")
		if !has(r.Parts, g.Name) && !(len(of.Defines) > 0 && has(r.Defines, global)) {
			return false
		}
	}
	return true
}

// nothing is the most that a file is rated for which nothing speaks but its folder: of such the largest is chosen.
const nothing = 6

// universal is how much more a script is rated that a plain tag can load and a loader, too.
const universal = 4

// better breaks ties: the shallower, then the readable, then the larger of
// scripts: of themes the plainest name is likeliest the one without a theme.
func better(a, b *File) bool {
	if x, y := strings.Count(a.Path, "/"), strings.Count(b.Path, "/"); x != y {
		return x < y
	}
	if a.Build != b.Build {
		return a.Build == Readable
	}
	if a.Kind == Script && a.Size != b.Size {
		return a.Size > b.Size
	}
	return len(a.Path) < len(b.Path)
}

// score rates a file as the one that the library is, with the reason. What can't run on a page rates 0.
func (d *Package) score(f *File) (int, string) {
	ready := 0
	if f.Script != nil {
		switch f.Script.Form {
		case script.Server, script.AMD, script.Broken:
			return 0, ""
		case script.Module:
			if d.cannotImport(f, map[string]bool{}, false) {
				return 0, ""
			}
		case script.Universal:
			ready = universal
		}
		for _, g := range f.Script.Defines {
			if manifest.NameKey(g.Name) == manifest.NameKey(d.Name) {
				ready += 25
				break
			}
		}
	}
	score, reason := d.scoreName(f)
	if score <= nothing && f.Script != nil && len(f.Script.Defines)+len(f.Script.Parts)+len(f.Script.Hard()) == 0 &&
		f.Script.Form != script.Module {
		return 0, "" // nothing speaks for it, and a page would get nothing from it
	}
	return score + ready, reason
}

// alone reports whether there is no other file of a kind but its other build.
func (d *Package) alone(f *File) bool {
	for i := range d.Files {
		if g := &d.Files[i]; g.Kind == f.Kind && g.ExcludedBecause == "" && g.Size > 0 && g != f &&
			g.Path != f.OtherBuild {
			return false
		}
	}
	return true
}

func (d *Package) scoreName(f *File) (int, string) {
	name := manifest.NameKey(d.Name)
	stem := manifest.StemKey(f.Path)
	score, reason := 1, largest(f.Kind)
	switch {
	case stem == name:
		score, reason = 100, "it has the library's name"
	case name != "" && (stem+"s" == name || stem == name+"s"):
		score, reason = 60, "it has the library's name"
	case name != "" && strings.HasPrefix(stem, name) && manifest.BeginsWith(f.Path, d.Name):
		score, reason = 40, "its name begins with the library's"
	case f.Banner.Name != "" && manifest.NameKey(f.Banner.Name) == name:
		score, reason = 60, "its banner has the library's name"
	case stem == "all" || stem == "bundle":
		score, reason = 50, "it contains everything"
	case stem == "browser" || stem == "standalone" || stem == "global" || stem == "cdn" || stem == "umd" ||
		stem == "iife":
		score, reason = 45, "its name says that it is for a page"
	case d.alone(f):
		score, reason = 30, only(f.Kind)
	case f.Kind == Stylesheet && (stem == "default" || strings.ToLower(path.Base(path.Dir(f.Path))) == "default"):
		score, reason = nothing+1, "its name says that it is the default"
	}
	for _, hint := range []struct{ key, value string }{{"browser", d.Manifest.Browser}, {"style", d.Manifest.Style},
		{"main", d.Manifest.Main}, {"module", d.Manifest.Module}, {"exports", d.Manifest.Exports}} {
		if hint.value != "" && path.Clean(hint.value) == f.Path {
			score += 15
			if score < 60 {
				reason = fmt.Sprintf("%s calls it %q", d.Manifest.File, hint.key)
			}
		} else if hint.value != "" && score < 40 && stem == manifest.StemKey(hint.value) && stem != "index" {
			score += 12
			reason = fmt.Sprintf("it has the name of what %s calls %q", d.Manifest.File, hint.key)
		}
		// Whatever build it is of, it is what the makers mean; a name that anything could have says so of modules
		// alone.
		if hint.value != "" && stem == manifest.StemKey(hint.value) && (stem != "index" || f.Script != nil &&
			f.Script.Form == script.Module) {
			score += 15
		}
	}
	for _, key := range slices.Sorted(maps.Keys(d.Manifest.Named)) {
		value := d.Manifest.Named[key]
		if path.Clean(value) == f.Path || f.OtherBuild != "" && path.Clean(value) == f.OtherBuild {
			score += 30
			if score < 60 {
				reason = fmt.Sprintf("%s calls it %q", d.Manifest.File, key)
			}
			break
		}
	}
	if d.Shown[stemOf(f.Path)+path.Ext(f.Path)] {
		score += 12
		if score < 30 {
			reason = "its readme shows it"
		}
	}
	if d.Reported[f.Path] {
		score += 8
		if score < 30 {
			reason = "the script names it"
		}
	}
	switch dir := path.Base(path.Dir(f.Path)); strings.ToLower(dir) {
	case "dist", "umd", "build", "js", "css", ".", "release":
		score += 5
	case "esm", "es", "es6", "cjs", "commonjs", "amd", "module", "modules", "lib":
		score -= 5
	}
	return score, reason
}

func (d *Package) ofKind(kind Kind) []*File {
	var list []*File
	for i := range d.Files {
		if f := &d.Files[i]; f.Kind == kind && f.ExcludedBecause == "" {
			list = append(list, f)
		}
	}
	return list
}
