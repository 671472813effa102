package packages

import (
	"fmt"
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
				s.note(fmt.Sprintf("%s asks for %s, whose name begins with a dot; such files are taken only if "+
					"--files names them", f.Path, r.URL))
			case r.There && r.By != "":
				s.add(r.Path, path.Base(r.By)+" fetches it while it runs", false)
			case r.There:
				s.add(r.Path, fmt.Sprintf("%s asks for it", path.Base(f.Path)), false)
			case r.Path != "":
				s.note(fmt.Sprintf("%s asks for %s, which is not in the package", f.Path, r.URL))
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
	look, _ := d.main(Stylesheet)
	for _, kind := range []Kind{Script, Stylesheet} {
		f, why := d.main(kind)
		core := f
		switch {
		case kind == Stylesheet && d.WithFont != "":
			f, why = d.File(d.WithFont), "it has the icons and their font"
		case kind == Stylesheet && d.WritesLook:
			f = nil
			s.Notes = append(s.Notes, "its script writes the rules of its stylesheet into the page, so it needs none")
		case kind == Script && f != nil && look != nil && d.withLook(f, look) != nil:
			f, why = d.withLook(f, look), "it has what "+path.Base(look.Path)+" is for, too"
		case kind == Script && d.DrawnByFont:
			f = nil
			s.Notes = append(s.Notes, "its font draws the icons, so it needs no script; "+path.Base(core.Path)+" "+
				"draws "+
				"them without the font")
		}
		if f == nil && kind == Script && !d.DrawnByFont {
			f, why = d.Entry(), "its manifest names it; an import map resolves its imports"
		}
		for _, o := range options {
			if o.Kind == Variant && d.File(o.Files[0]).Kind == kind {
				f, why = d.File(o.Files[0]), o.why()
			} else if again := d.File(o.core); again != nil && again.Kind == kind {
				f, why = again, o.why()
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
	d.addShown(s)
	d.addSkin(s)
	d.addDefaults(s)
	there := func(string) bool { return false }
	for _, o := range options {
		if o.there != nil {
			there = o.there
		}
	}
	d.addOwn(s, there)
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
	if len(s.Choices) == 0 || d.entry() != nil && !d.DrawnByFont && !slices.ContainsFunc(s.Choices,
		func(c Choice) bool {
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
		s.add(f.OtherBuild, otherBuild(other, f), true)
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

// Core is the script that is the library, nil if it has none.
func (d *Package) Core() *File {
	f, _ := d.main(Script)
	return f
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
	if chosen.f == nil || chosen.f == module.f && module.score < likely && !d.alone(module.f) &&
		d.score(module.f, nil).weak {
		return nil, "" // nothing speaks for one of many modules
	}
	if kind == Stylesheet && (d.loadsItself(chosen.f) || d.oneOfLooks(chosen)) {
		return nil, ""
	}
	best, why := chosen.f, chosen.why
	if whole, reason := d.whole(best); whole != nil {
		best, why = whole, reason
	}
	best = d.asScript(d.collection(best))
	if best.Build == Minified && best.OtherBuild != "" {
		best = d.File(best.OtherBuild)
	}
	return d.pairedCopy(best), why
}

// loadsItself tells a stylesheet for which little speaks, of a library whose script asks where it was loaded from: that
// loads its looks itself.
func (d *Package) loadsItself(look *File) bool {
	core, _ := d.main(Script)
	if core == nil || !core.FindsItself {
		return false
	}
	return !slices.ContainsFunc(d.score(look, core).features, func(name string) bool { return !little[name] })
}

// oneOfLooks tells a stylesheet for which no more speaks than for others in its folder: which look a page wants is for
// its makers to say.
func (d *Package) oneOfLooks(r rated) bool {
	core, _ := d.main(Script)
	if !d.score(r.f, core).weak {
		return false
	}
	others := 0
	for _, f := range d.ofKind(Stylesheet) {
		if f != r.f && f.Path != r.f.OtherBuild && path.Dir(f.Path) == path.Dir(r.f.Path) && f.Build != NoBuild &&
			d.score(f, core).score == r.score && (f.OtherBuild == "" || f.Build == Readable) {
			others++
		}
	}
	return others >= fewLooks
}

// withLook is the script that a stylesheet belongs to which is called otherwise than the library's script: it defines
// what that does, and a global that is called as the stylesheet. It is nil where there is none.
func (d *Package) withLook(core, look *File) *File {
	name := stemKey(look.Path)
	gives := func(f *File) bool {
		return slices.ContainsFunc(f.Script.Defines, func(g script.Global) bool {
			return manifest.NameKey(g.Name) == name
		})
	}
	if core.Script == nil || len(core.Script.Defines)+len(core.Script.Parts) == 0 ||
		name == stemKey(core.Path) || gives(core) {
		return nil
	}
	var found *File
	for _, f := range d.ofKind(Script) {
		if f != core && f.Script != nil && f.Script.Form == core.Script.Form && gives(f) && hasAll(f.Script,
			core.Script) &&
			(f.Build != Minified || f.OtherBuild == "") && (found == nil || f.Size < found.Size) {
			found = f
		}
	}
	return found
}

// little are features that say little of a stylesheet.
var little = map[string]bool{"a file of the kind": true, "default look": true, "named by the script": true,
	"folder of builds": true, "folder of plug-ins": true, "folder for bundlers": true, "own banner": true}

// collection is the build that contains what the manifest's main file collects: one that is called as the script, with
// more behind, and that defines the same and is larger. Without one it is the script itself.
func (d *Package) collection(f *File) *File {
	if !d.Collects || f.Script == nil {
		return f
	}
	var found *File
	for _, g := range d.ofKind(Script) {
		if g == f || g.Script == nil || g.Script.Form != f.Script.Form || g.Size <= f.Size || !hasAll(g.Script,
			f.Script) ||
			!saysWhole(stemOf(g.Path), stemOf(f.Path)) || g.Build == Minified && g.OtherBuild != "" ||
			found != nil && len(path.Base(found.Path)) <= len(path.Base(g.Path)) {
			continue
		}
		found = g
	}
	if found == nil {
		return f
	}
	return found
}

// saysWhole reports whether a stem is another one with a word behind it which says that it has all of its parts.
func saysWhole(stem, of string) bool {
	rest, is := strings.CutPrefix(stem, of)
	words := strings.FieldsFunc(rest, func(c rune) bool { return c == '-' || c == '.' || c == '_' })
	return is && slices.ContainsFunc(words, func(w string) bool {
		return w == "with" || slices.Contains(completeWords, w)
	})
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

// rateAll finds the best script that a plain tag can load, or stylesheet, and the best module.
func (d *Package) rateAll(kind Kind) (plain, module rated) {
	var core *File
	if kind == Stylesheet {
		core, _ = d.main(Script)
	}
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != kind || f.ExcludedBecause != "" || f.Build == NoBuild || f.Size == 0 {
			continue
		}
		r := d.score(f, core)
		score, why := r.score, r.reason
		if kind == Stylesheet && (d.aside(f) || d.ofAnother(f) || r.weak && !d.styled(f)) {
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
	if f.Script == nil || len(f.Script.Hard()) == 0 || len(f.Script.Defines)+len(f.Script.Parts) == 0 &&
		!f.Script.DefinesUnknown {
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
		if !hasAll(g.Script, f.Script) && !(stemKey(g.Path) == stemKey(f.Path) && sameButCase(g.Script, f.Script)) {
			continue
		}
		var met []string
		for _, n := range f.Script.Hard() {
			if has[n.Name] {
				met = append(met, n.Name)
			}
		}
		// What defines the same, needs nothing and is larger has what the other one needs inside.
		alike := len(g.Script.Hard()) == 0 && g.Script.DefinesUnknown == f.Script.DefinesUnknown &&
			(len(f.Script.Defines) > 0 && stemKey(g.Path) == stemKey(f.Path) ||
				g.Size > f.Size && manifest.BeginsWith(g.Path, stemOf(f.Path)))
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

// WithoutBase returns the script that needs its base from outside, in place of one that has a copy of that inside.
// It is for a page that has all that it needs: a second copy would replace the page's. Has tells what is there.
func (d *Package) WithoutBase(has func(global string) bool) (Option, bool) {
	plain, _ := d.rateAll(Script)
	f := plain.f
	if f == nil || f.Script == nil {
		return Option{}, false
	}
	if whole, _ := d.whole(f); whole == nil {
		return Option{}, false
	}
	needs := f.Script.Hard()
	for _, n := range needs {
		if !has(n.Name) && !slices.ContainsFunc(n.Or, has) {
			return Option{}, false
		}
	}
	if f.Build == Minified && f.OtherBuild != "" {
		f = d.File(f.OtherBuild)
	}
	return Option{Name: optionName(f, d.Name), Kind: Variant, Files: []string{f.Path}, Size: f.Size,
		Why: "the build without " + needs[0].Name + ", which is there", there: has}, true
}

// sameButCase reports whether two scripts define one global each, called the same but for its case: tideLine, TideLine.
func sameButCase(a, b *script.Report) bool {
	return len(a.Defines) == 1 && len(b.Defines) == 1 && strings.EqualFold(a.Defines[0].Name, b.Defines[0].Name)
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

// score rates a file as the one that the library is. What can't run on a page rates 0. Core is the library's script,
// for stylesheets.
func (d *Package) score(f, core *File) rating {
	if f.Script != nil {
		switch f.Script.Form {
		case script.Server, script.AMD, script.Broken:
			return rating{}
		case script.Module:
			if d.cannotImport(f, map[string]bool{}, false) {
				return rating{}
			}
		}
	}
	r := d.rateName(f, core)
	speaks := r.score
	if f.Script != nil && f.Script.Form == script.Universal {
		speaks -= universal // that is no more than a way to be loaded
	}
	if speaks <= nothing && f.Script != nil && f.Script.Form != script.Module &&
		len(f.Script.Defines)+len(f.Script.Parts)+len(f.Script.Hard()) == 0 {
		return rating{} // nothing speaks for it, and a page would get nothing from it
	}
	return r
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

func (d *Package) ofKind(kind Kind) []*File {
	var list []*File
	for i := range d.Files {
		if f := &d.Files[i]; f.Kind == kind && f.ExcludedBecause == "" {
			list = append(list, f)
		}
	}
	return list
}
