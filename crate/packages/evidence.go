package packages

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/script"
)

// A feature is one thing that speaks for a file as the one that the library is, or against it.
type feature struct {
	name   string
	says   string // the reason in an answer, with %s for what was found; "" if it gives no reason
	weight int
	holds  func(e *evidence) (found string, ok bool)
}

// evidence is a file that is looked at, with what is known of it.
type evidence struct {
	d     *Package
	f     *File
	name  string // the library's, as names are compared
	stem  string // the file's, as names are compared
	base  string // the file's, less its ending and the marks of builds
	core  *File  // the library's script, if the file is a stylesheet; nil if it has no script
	named bool   // its name has been said to be the library's
}

// What a rating of a file comes to. Next to nothing speaks for one of at most nothing but its folder; of such the
// largest is chosen. A plain script of less than likely gives way to a likely module. One of less than hinted is left
// over in a library whose manifest means modules.
const (
	nothing = 6
	hinted  = 12
	likely  = 30
	settled = 25 // how far the chosen file is ahead of the next one where there is no doubt
)

// features are all that speaks for a file or against it. Of the features of one row the first that holds counts. A
// file's rating is the sum of the weights; its reason is the weightiest feature that says one.
var features = slices.Concat([][]feature{
	{ // What its name says.
		{"own name", "it has the library's name", 100, func(e *evidence) (string, bool) {
			return "",
				e.stem == e.name
		}},
		{"own name, singular or plural", "it has the library's name", 60, func(e *evidence) (string, bool) {
			short := strings.TrimSuffix(strings.TrimSuffix(e.name, "css"), "js")
			return "", short != "" && (e.stem+"s" == e.name || e.stem == e.name+"s" || e.stem == short ||
				e.stem+"s" == short || e.stem == short+"s")
		}},
		{"begins with its name", "its name begins with the library's", 40, func(e *evidence) (string, bool) {
			return "", e.name != "" && strings.HasPrefix(e.stem, e.name) && manifest.BeginsWith(e.f.Path, e.d.Name)
		}},
		{"ends with its name", "its name ends with the library's", 40, func(e *evidence) (string, bool) {
			return "", manifest.EndsWith(e.base, e.d.Name)
		}},
		{"part of its name", "its name is a part of the library's", 30, func(e *evidence) (string, bool) {
			return "", manifest.IsPartOf(e.base, e.d.Name, e.d.standsOn)
		}},
		{"named as its scope", "it has the name of the library's scope", 30, func(e *evidence) (string, bool) {
			scope, _, is := strings.Cut(strings.TrimPrefix(e.d.Name, "@"), "/")
			return "", is && e.stem == manifest.NameKey(scope)
		}},
		{"own banner", "its banner has the library's name", 60, func(e *evidence) (string, bool) {
			return "", e.f.Banner.Name != "" && manifest.NameKey(e.f.Banner.Name) == e.name
		}},
		{"whole by name", "it contains everything", 50, func(e *evidence) (string, bool) {
			return "", e.stem == "all" || e.stem == "bundle"
		}},
		{"for pages by name", "its name says that it is for a page", 45, func(e *evidence) (string, bool) {
			return "", slices.Contains([]string{"browser", "standalone", "global", "cdn", "umd", "iife"}, e.stem)
		}},
		{"no other", "", 30, func(e *evidence) (string, bool) { return "", e.d.alone(e.f) }},
		{"a file of the kind", "", 1, func(*evidence) (string, bool) { return "", true }},
	},
	{{"default look", "its name says that it is the default", 20, func(e *evidence) (string, bool) {
		folder := strings.ToLower(path.Base(path.Dir(e.f.Path)))
		return "", e.f.Kind == Stylesheet && (usualLook().MatchString(e.base) || folder == "default")
	}}},
	{{"defines its name", "", 25, func(e *evidence) (string, bool) {
		return "", e.f.Script != nil && slices.ContainsFunc(e.f.Script.Defines, func(g script.Global) bool {
			return manifest.NameKey(g.Name) == e.name
		})
	}}},
	{{"complete by name", "it is the complete build", 85, func(e *evidence) (string, bool) {
		rest, is := strings.CutPrefix(e.stem, e.name)
		return "", is && e.name != "" && e.f.Kind == Script && slices.Contains(completeWords, rest)
	}}},
	{{"for loaders by name", "", -8, func(e *evidence) (string, bool) {
		return "", e.f.Kind == Script && loaderName().MatchString(e.base)
	}}},
	{{"for tags and loaders", "", universal, func(e *evidence) (string, bool) {
		return "", e.f.Script != nil && e.f.Script.Form == script.Universal
	}}},
	{{"look in the manifest", "%s calls it \"style\"", 200, func(e *evidence) (string, bool) {
		style := e.d.Manifest.Style
		return e.d.Manifest.File, e.f.Kind == Stylesheet && style != "" && e.isOrPairs(path.Clean(style))
	}}},
	{{"beside the script", "it has the name of the script beside it", 100, func(e *evidence) (string, bool) {
		return "", e.f.Kind == Stylesheet && e.core != nil && path.Dir(e.f.Path) == path.Dir(e.core.Path) &&
			stemOf(e.core.Path) == e.base
	}}, {"called as the script", "it has the name of the script", 30, func(e *evidence) (string, bool) {
		return "", e.f.Kind == Stylesheet && e.core != nil && stemOf(e.core.Path) == e.base
	}}},
}, fromManifest(), [][]feature{
	{{"page's file in the manifest", "%s calls it %q", 90, func(e *evidence) (string, bool) {
		return e.namedAs(func(key string) bool { return !elsewhere().MatchString(key) })
	}}, {"named in the manifest", "%s calls it %q", 30, func(e *evidence) (string, bool) {
		return e.namedAs(func(string) bool { return true })
	}}},
	{{"the readme's one script", "it is the script that its readme shows", 180, func(e *evidence) (string, bool) {
		return "", e.d.onlyShown(e.f)
	}}},
	{{"look of the first example", "its readme shows it", 80, func(e *evidence) (string, bool) {
		return "", e.f.Kind == Stylesheet && e.d.firstShown(e.f)
	}}},
	{{"first look of the first example", "", 5, func(e *evidence) (string, bool) {
		return "", e.f.Kind == Stylesheet && e.d.firstOfAll(e.f)
	}}},
	{{"look in the readme", "its readme shows it", 45, func(e *evidence) (string, bool) {
		return "", e.f.Kind == Stylesheet && e.d.shown(e.f)
	}}, {"in the readme", "its readme shows it", 12, func(e *evidence) (string, bool) { return "", e.d.shown(e.f) }}},
	{{"named by the script", "the script names it", 8, func(e *evidence) (string, bool) {
		return "", e.d.Reported[e.f.Path]
	}}},
	{
		{"folder of builds", "", 5, func(e *evidence) (string, bool) {
			return "", e.inFolder("dist", "umd", "build", "js",
				"css", ".", "release")
		}},
		{"folder of plug-ins", "", -20, func(e *evidence) (string, bool) { return "", ofPlugIn(e.f.Path) }},
		{"folder for bundlers", "", -5, func(e *evidence) (string, bool) {
			return "", e.inFolder("esm", "es", "es6", "cjs",
				"commonjs", "amd", "module", "modules", "lib", "system")
		}},
	},
})

// loaderName tells names that say which loader a script is for.
var loaderName = memo.Regexp(`[-._](?:amd|common|commonjs|cjs|system|node)$`)

// standsOn reports whether a name is that of something which the library stands on, as names are compared.
func (d *Package) standsOn(key string) bool {
	for _, list := range []map[string]string{d.Manifest.Peers, d.Manifest.Dependencies, d.Manifest.Dev} {
		for name := range list {
			if manifest.NameKey(name) == key {
				return true
			}
		}
	}
	return slices.ContainsFunc(d.Files, func(f File) bool {
		return f.Script != nil && slices.ContainsFunc(f.Script.Needs, func(n script.Need) bool {
			return manifest.NameKey(n.Name) == key
		})
	})
}

// completeWords are what the name of a build has, behind the library's, that has all of its parts.
var completeWords = []string{"bundle", "full", "complete", "all", "pkgd", "packaged", "standalone"}

// usualLook tells the names of stylesheets that give the usual look.
var usualLook = memo.Regexp(`(?:^|[-._])(?:default|light)$`)

// elsewhere tells the keys of a manifest that name files for others than pages.
var elsewhere = memo.Regexp(`(?i)source|src|native|^es|esm|next|fesm|node|sass|scss|less|test|types|typings|bin`)

// An entry is a key of a manifest under which it names a file for others.
type entry struct {
	key  string
	file func(m *manifest.Manifest) string
}

var entries = []entry{
	{"browser", func(m *manifest.Manifest) string { return m.Browser }},
	{"main", func(m *manifest.Manifest) string { return m.Main }},
	{"module", func(m *manifest.Manifest) string { return m.Module }},
	{"exports", func(m *manifest.Manifest) string { return m.Exports }},
}

// called reports whether a file has the name of one that an entry names.
func (e *evidence) called(file string) bool { return file != "" && e.stem == stemKey(file) }

// fromManifest are the features of a file that an entry names: that it is that file, which says more of a script that a
// plain tag can load, or that it is called so. A name that anything could have says so of modules alone.
func fromManifest() [][]feature {
	var rows [][]feature
	for _, entry := range entries {
		exact := func(e *evidence) (string, bool) {
			file := entry.file(&e.d.Manifest)
			return e.d.Manifest.File, file != "" && path.Clean(file) == e.f.Path
		}
		says := "%s calls it " + fmt.Sprintf("%q", entry.key)
		rows = append(rows, []feature{
			{entry.key + " for a tag", says, 50, func(e *evidence) (string, bool) {
				found, ok := exact(e)
				return found, ok && e.f.Script != nil && e.f.Script.Form != script.Module
			}},
			{entry.key + " of the manifest", says, 15, exact},
			{"called as the " + entry.key, "it has the name of what %s calls " + fmt.Sprintf("%q", entry.key), 12,
				func(e *evidence) (string, bool) {
					file := entry.file(&e.d.Manifest)
					return e.d.Manifest.File, !e.named && e.called(file) && e.stem != "index"
				}},
		})
	}
	return append(rows, []feature{{"meant by the manifest", "", 15, func(e *evidence) (string, bool) {
		module := e.f.Script != nil && e.f.Script.Form == script.Module
		return "", (e.stem != "index" || module) && slices.ContainsFunc(entries, func(x entry) bool {
			return e.called(x.file(&e.d.Manifest))
		})
	}}})
}

// namedAs finds the first of the manifest's keys that suit under which it names the file or its other build.
func (e *evidence) namedAs(suits func(key string) bool) (string, bool) {
	first := ""
	for key, file := range e.d.Manifest.Named {
		if (first == "" || key < first) && e.isOrPairs(path.Clean(file)) && suits(key) {
			first = key
		}
	}
	return e.d.Manifest.File + "\x00" + first, first != ""
}

// isOrPairs reports whether a path is the file's, or that of its other build.
func (e *evidence) isOrPairs(name string) bool {
	return name == e.f.Path || e.f.OtherBuild != "" && name == e.f.OtherBuild
}

func (e *evidence) inFolder(names ...string) bool {
	return slices.Contains(names, strings.ToLower(path.Base(path.Dir(e.f.Path))))
}

// A rating is what speaks for a file.
type rating struct {
	score    int
	reason   string
	features []string // their names, in the table's order
	weak     bool     // what speaks for it says nothing of the file itself
}

// rateName adds up what speaks for a file, whatever it can do on a page. Core is the library's script, for stylesheets.
func (d *Package) rateName(f, core *File) rating {
	r, kept := d.ratings[f]
	if !kept || core != nil {
		r = d.rateAnew(f, core)
		if d.ratings != nil && core == nil {
			d.ratings[f] = r
		}
	}
	return r
}

func (d *Package) rateAnew(f, core *File) rating {
	e := &evidence{d: d, f: f, name: manifest.NameKey(d.Name), stem: stemKey(f.Path), base: stemOf(f.Path),
		core: core}
	r := rating{weak: true}
	weightiest := 0
	for row, alternatives := range features {
		for _, x := range alternatives {
			found, ok := x.holds(e)
			if !ok {
				continue
			}
			r.score += x.weight
			r.features = append(r.features, x.name)
			e.named = e.named || row == 0 && x.weight >= 40
			if x.says != "" && x.weight > weightiest {
				weightiest, r.reason, r.weak = x.weight, said(x.says, found), false
			}
			break
		}
	}
	if r.weak {
		r.reason = largest(f.Kind)
		if d.alone(f) {
			r.reason = only(f.Kind)
		}
	}
	return r
}

// said is a reason with what was found in it.
func said(says, found string) string {
	if !strings.Contains(says, "%") {
		return says
	}
	var values []any
	for _, v := range strings.Split(found, "\x00") {
		values = append(values, v)
	}
	return fmt.Sprintf(says, values...)
}

func largest(kind Kind) string { return "the largest " + string(kind) + " available" }

func only(kind Kind) string { return "there is no other " + string(kind) }

// notForPages tells stylesheets that are for a page inside an editor, for printing, for pages without scripts, or for
// pages whose policy forbids what the script would write itself.
var notForPages = memo.Regexp(`(?:^|[-._])(?:csp|print|noscript|amp)$|^(?:contents?|iframe|editor-content|ie\d*)$`)

// ofPlugIn tells a file of a plug-in that comes with the library.
func ofPlugIn(name string) bool {
	for _, part := range strings.Split(strings.ToLower(path.Dir(name)), "/") {
		if slices.Contains([]string{"plugins", "plugin", "addons", "addon", "extensions", "contrib"}, part) {
			return true
		}
	}
	return false
}

// aside tells a stylesheet that is not taken unless somebody names it.
func (d *Package) aside(f *File) bool {
	if ofPlugIn(f.Path) && f.Path != path.Clean(d.Manifest.Style) && !d.firstShown(f) {
		return f.Kind == Stylesheet
	}
	return f.Kind == Stylesheet && stemKey(f.Path) != manifest.NameKey(d.Name) &&
		notForPages().MatchString(stemOf(f.Path))
}

// A Decision is why a script, or a stylesheet, is taken for the library's, and how sure that is.
type Decision struct {
	File            string `json:"file"`                        // path in the package
	Because         string `json:"because"`                     // what speaks for it most
	Sure            bool   `json:"sure"`                        // no other file is nearly as likely
	RunnerUp        string `json:"runner_up,omitempty"`         // the next likely file, where it is not sure
	RunnerUpBecause string `json:"runner_up_because,omitempty"` // what speaks for that most
}

// Doubt says which other file may be meant, "" where there is no doubt.
func (x *Decision) Doubt() string {
	if x.Sure {
		return ""
	}
	return fmt.Sprintf("not sure of %s: %s is nearly as likely, because %s", x.File, x.RunnerUp,
		x.RunnerUpBecause)
}

// Decisions are those for the script and the stylesheet of the suggestion, as far as it has them.
func (d *Package) Decisions() []Decision {
	var list []Decision
	core, _ := d.main(Script)
	for _, kind := range []Kind{Script, Stylesheet} {
		f, why := d.main(kind)
		if f == nil || kind == Stylesheet && d.WritesLook || kind == Script && d.DrawnByFont {
			continue
		}
		own := d.score(f, core)
		x := Decision{File: f.Path, Because: why, Sure: true}
		most := own.score - settled
		for _, g := range d.ofKind(kind) {
			r := d.score(g, core)
			if g == f || g.Path == f.OtherBuild || r.score <= max(most, hinted) || why != own.reason ||
				g.Build == Minified &&
					g.OtherBuild != "" || kind == Stylesheet && d.aside(g) || isModule(g) != isModule(f) {
				continue
			}
			x.Sure, x.RunnerUp, x.RunnerUpBecause, most = false, g.Path, r.reason, r.score
		}
		list = append(list, x)
	}
	return list
}

func isModule(f *File) bool { return f.Script != nil && f.Script.Form == script.Module }
