package packages

import (
	"bytes"
	"path"
	"slices"
	"strings"
	"unicode"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/script"
)

// shownFile finds the files of tags, and of statements that import a stylesheet.
var shownFile = memo.Regexp(`(?:src|href)\s*=\s*["']?([^"'\s>]*[\w.@-]+\.(?:js|mjs|css))\b|` +
	`(?:import|require)\b[^"'\n]*["']([^"'\s]*[\w.@-]+\.css)["']`)

// readReadme finds what the readme says: the files that its examples show, those that it speaks of, and its examples of
// use.
func (d *Package) readReadme() {
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != Document || f.Size > 1<<20 || !strings.HasPrefix(strings.ToLower(f.Path), "readme") {
			continue
		}
		b, err := d.tree.ReadFile(f.Path)
		if err != nil {
			continue
		}
		text := string(b)
		if d.Examples == nil {
			d.Examples = manifest.Examples(text)
		}
		d.nameGlobals(b)
		for _, sheet := range d.ofKind(Stylesheet) {
			if strings.Contains(text, path.Base(sheet.Path)) {
				d.Spoken = append(d.Spoken, sheet.Path)
			}
		}
		first := d.ShownFrom == nil // what the page has before the library's first own file
		for _, block := range manifest.StartBlocks(text) {
			var set []string
			for _, m := range shownFile().FindAllStringSubmatch(block, -1) {
				switch name := d.meantBy(m[1] + m[2]); {
				case name == "":
					if first {
						d.ShownFrom = append(d.ShownFrom, m[1]+m[2])
					}
					if stemKey(m[1]+m[2]) == manifest.NameKey(d.Name) && path.Ext(m[1]) == ".js" {
						d.ShownElsewhere = true
					}
				case !slices.Contains(set, name):
					set = append(set, name)
				}
			}
			if len(set) > 0 {
				first = false
				d.Shown = append(d.Shown, set)
			}
		}
	}
}

// needed tells lines that say what a library stands on.
var needed = memo.Regexp(`(?i)\b(?:requires?|required|depends?|dependency|dependencies|relies|rely|needs?|needed|` +
	`must|based on|built on|prerequisites?|present)\b`)

// nameGlobals notes which globals that the package's scripts read the readme calls needed.
func (d *Package) nameGlobals(readme []byte) {
	said := map[string]bool{}
	for line := range bytes.Lines(readme) {
		if !needed().Match(line) {
			continue
		}
		for word := range bytes.FieldsFuncSeq(line, func(c rune) bool {
			return c != '$' && c != '_' && !unicode.IsLetter(c) && !unicode.IsDigit(c)
		}) {
			said[string(word)] = true
		}
	}
	for _, f := range d.ofKind(Script) {
		if f.Script == nil {
			continue
		}
		for _, n := range f.Script.Needs {
			if said[n.Name] && !slices.Contains(d.SpokenGlobals, n.Name) {
				d.SpokenGlobals = append(d.SpokenGlobals, n.Name)
			}
		}
	}
}

// meantBy is the file that an address in the readme means: the one whose path agrees with the longest end of it, else
// one that is called so but for the marks of a build; "" for none.
func (d *Package) meantBy(address string) string {
	address, _, _ = strings.Cut(address, "?")
	parts := strings.Split(strings.ToLower(address), "/")
	agree := func(name string) int {
		own, n := strings.Split(strings.ToLower(name), "/"), 0
		for n < len(own) && n < len(parts) && own[len(own)-1-n] == parts[len(parts)-1-n] {
			n++
		}
		return n
	}
	var best *File
	most := 0
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != Script && f.Kind != Stylesheet || f.ExcludedBecause == otherPackages {
			continue
		}
		n := 2 * agree(f.Path)
		if n == 0 && path.Ext(f.Path) == path.Ext(address) && stemOf(f.Path) == stemOf(address) {
			n = 1
		}
		if f.ExcludedBecause != "" && n < 4 {
			continue
		}
		if n > most || n == most && n > 0 && better(f, best) {
			best, most = f, n
		}
	}
	if best == nil {
		return ""
	}
	return best.Path
}

// shows reports whether a set of files that the readme shows has a file, or its other build.
func shows(set []string, f *File) bool {
	return slices.Contains(set, f.Path) || f.OtherBuild != "" && slices.Contains(set, f.OtherBuild)
}

// shown reports whether an example of the readme shows a file.
func (d *Package) shown(f *File) bool {
	return slices.ContainsFunc(d.Shown, func(set []string) bool { return shows(set, f) })
}

// onlyShown reports whether a script is the one that the readme's first example with a script of the package has.
func (d *Package) onlyShown(f *File) bool {
	if d.ShownElsewhere {
		return false
	}
	for _, set := range d.Shown {
		scripts := slices.DeleteFunc(slices.Clone(set), func(name string) bool { return d.File(name).Kind != Script })
		if len(scripts) == 0 {
			continue
		}
		return f.Kind == Script && !slices.ContainsFunc(scripts, func(name string) bool {
			return name != f.Path && name != f.OtherBuild
		})
	}
	return false
}

// firstShown reports whether the readme's first example with a stylesheet of the package has this one.
func (d *Package) firstShown(f *File) bool {
	for _, set := range d.Shown {
		if slices.ContainsFunc(set, func(name string) bool { return d.File(name).Kind == Stylesheet }) {
			return shows(set, f)
		}
	}
	return false
}

// firstOfAll reports whether a stylesheet is the first that the readme shows.
func (d *Package) firstOfAll(f *File) bool {
	for _, set := range d.Shown {
		for _, name := range set {
			if d.File(name).Kind == Stylesheet {
				return shows([]string{name}, f)
			}
		}
	}
	return false
}

// maxShown is how many further scripts or stylesheets of an example are taken.
const maxShown = 6

// addShown adds what the readme's first example with a chosen file shows with it: plug-ins that it begins with, or
// data. What defines the same is another way, and what needs what nobody here has is for others.
func (d *Package) addShown(s *Selection) {
	for _, c := range slices.Clone(s.Choices) {
		main := d.File(c.Path)
		at := slices.IndexFunc(d.Shown, func(set []string) bool { return shows(set, main) })
		if at < 0 || main.Build == Minified && s.Has(main.OtherBuild) {
			continue
		}
		withScript := slices.ContainsFunc(s.Choices, func(c Choice) bool {
			return d.File(c.Path).Kind == Script && shows(d.Shown[at], d.File(c.Path))
		})
		if main.Kind == Stylesheet && !withScript {
			continue // a list of what there is
		}
		var more []*File
		for _, name := range d.Shown[at] {
			f := d.File(name)
			if f.Build == Minified && f.OtherBuild != "" {
				f = d.File(f.OtherBuild)
			}
			if f.Kind == main.Kind && f != main && !s.Has(f.Path) && f.ExcludedBecause == "" && d.goesWith(f, main) {
				more = append(more, f)
			}
		}
		for _, f := range more[:min(len(more), maxShown)] {
			d.addBothBuilds(s, f, "its readme shows it with "+path.Base(main.Path))
		}
	}
}

// goesWith reports whether a file adds something to another one, on a page that has what that needs.
func (d *Package) goesWith(f, main *File) bool {
	if f.Kind == Stylesheet {
		return !d.aside(f) && !(skinPlace(f.Path) && skinPlace(main.Path)) && stemOf(f.Path) != stemOf(main.Path)
	}
	if f.Script == nil || main.Script == nil || f.Script.Form == script.Module || f.Script.Form == script.Server ||
		f.Script.Form == script.AMD || stemOf(f.Path) == stemOf(main.Path) {
		return false
	}
	if language().MatchString(path.Base(f.Path)) || language().MatchString(path.Dir(f.Path)+"/") {
		return false // one of those that a page may have
	}
	for _, n := range main.Script.Hard() {
		if defined(f.Script)[n.Name] && d.Foreign(n.Name) {
			return false // a copy of its base, which the page has from elsewhere
		}
	}
	met := defined(main.Script)
	for _, n := range main.Script.Hard() {
		met[n.Name] = true
	}
	for _, n := range f.Script.Hard() {
		if !met[n.Name] && !slices.ContainsFunc(n.Or, func(or string) bool { return met[or] }) {
			return false
		}
	}
	return !slices.ContainsFunc(f.Script.Defines, func(g script.Global) bool { return defined(main.Script)[g.Name] }) &&
		!(f.Script.DefinesUnknown && main.Script.DefinesUnknown)
}

// language tells the names of files that translate a library.
var language = memo.Regexp(`(?i)^(?:(?:.*[-._])?(?:locale|lang|i18n)[-._][a-z]{2}|[a-z]{2}[-_][a-z]{2})(?:[-_.].*)?$|` +
	`(?:^|/)(?:lang|languages?|locales?|l10n|i18n|locali[sz]ation)/[^/]*$`)

// skinWords are what the name of a stylesheet has, behind that of the one it is for, which gives this its usual look.
var skinWords = []string{"theme", "default", "skin", "themedefault", "defaulttheme"}

// skinPlace tells a stylesheet that is a look by its folder or its name.
func skinPlace(name string) bool {
	for _, part := range strings.Split(strings.ToLower(path.Dir(name)), "/") {
		if slices.Contains([]string{"theme", "themes", "skin", "skins"}, part) {
			return true
		}
	}
	stem := stemOf(name)
	return strings.Contains(stem, "theme") || strings.Contains(stem, "skin")
}

// addSkin adds the look of a stylesheet that is not a look itself: one beside it that is called so and that the readme
// speaks of, or those that a first example of the readme shows with it.
func (d *Package) addSkin(s *Selection) {
	for _, c := range slices.Clone(s.Choices) {
		look := d.File(c.Path)
		if look.Kind != Stylesheet || skinPlace(look.Path) || look.Build == Minified && s.Has(look.OtherBuild) {
			continue
		}
		for _, f := range d.ofKind(Stylesheet) {
			if s.Has(f.Path) || f.Build == Minified && f.OtherBuild != "" || d.aside(f) {
				continue
			}
			rest, is := strings.CutPrefix(stemKey(f.Path), stemKey(look.Path))
			beside := is && slices.Contains(skinWords, rest) && path.Dir(f.Path) == path.Dir(look.Path) &&
				slices.ContainsFunc(d.Spoken, func(name string) bool { return shows([]string{name}, f) })
			shown := skinPlace(f.Path) && slices.ContainsFunc(d.Shown, func(set []string) bool {
				return shows(set, look) && shows(set, f)
			})
			if beside || shown {
				d.addBothBuilds(s, f, "its readme has it as a look of "+path.Base(look.Path))
			}
		}
	}
}

// addDefaults adds what lies with the library's script and says by its name that it is the default of something which
// the script is handed: a script called as that with more behind (davit-ui-default.js), which defines what is called as
// the library, too, and a stylesheet of a folder that is called so (default-skin).
func (d *Package) addDefaults(s *Selection) {
	core, _ := d.main(Script)
	look, _ := d.main(Stylesheet)
	if core == nil || !s.Has(core.Path) || core.Script == nil || len(core.Script.Defines) == 0 {
		return
	}
	found := false
	for _, f := range d.ofKind(Script) {
		if f.Script == nil || f.Script.Form != core.Script.Form || s.Has(f.Path) || f.Build == Minified &&
			f.OtherBuild != "" || path.Dir(f.Path) != path.Dir(core.Path) ||
			!defaultOf(stemOf(f.Path), stemOf(core.Path)) {
			continue
		}
		if slices.ContainsFunc(f.Script.Defines, func(g script.Global) bool {
			return strings.HasPrefix(g.Name, core.Script.Defines[0].Name)
		}) {
			d.addBothBuilds(s, f, "its name says that it is the default")
			found = true
		}
	}
	for _, f := range d.ofKind(Stylesheet) {
		folder := path.Dir(f.Path)
		if found && look != nil && path.Dir(folder) == path.Dir(look.Path) && strings.Contains(path.Base(folder),
			"default") && !s.Has(f.Path) && !(f.Build == Minified && f.OtherBuild != "") {
			d.addBothBuilds(s, f, "its name says that it is the default")
		}
	}
}

// defaultOf reports whether a stem is another one with words behind it of which the last is default.
func defaultOf(stem, of string) bool {
	rest, is := strings.CutPrefix(stem, of)
	return is && len(rest) > len("-default") && (strings.HasSuffix(rest, "-default") ||
		strings.HasSuffix(rest, ".default"))
}
