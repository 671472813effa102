package packages

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/script"
)

// An OptionKind is the relation of an option to the suggested set.
type OptionKind string

// The kinds of option.
const (
	Variant OptionKind = "instead" // another build of the same thing: slim, bundle, legacy
	Part    OptionKind = "with it" // something that works on top of the core
	Theme   OptionKind = "theme"   // another look
	Many    OptionKind = "many"    // a catalogue of files of which a page wants few
	AddOn   OptionKind = "add-on"  // a module that imports the library by its name: it needs no tag
)

// An Option is another sensible choice, with its difference from the suggested set.
type Option struct {
	Name       string
	Kind       OptionKind
	Files      []string // the one for pages first, then its pair
	Size       int64
	Difference string
	Why        string // it is chosen, where nobody named it as a part

	core  string                   // of a folder that is another build of the whole library: its main file
	there func(global string) bool // what the page has, so that no file of the package need define it
}

// why is the reason for which an option is chosen.
func (o *Option) why() string { return cmp.Or(o.Why, "named by --part "+o.Name) }

// Options finds the sensible choices beside the suggested set; a catalogue is one.
func (d *Package) Options() []Option {
	list := slices.DeleteFunc(d.single(), func(o Option) bool { return d.InCatalogue(o.Files[0]) != nil })
	for _, c := range d.Catalogues {
		list = append(list, d.offers(c))
	}
	if o, has := d.offersAddOns(); has {
		list = append(list, o)
	}
	uniqueNames(list)
	if core, _ := d.main(Script); core != nil && core.Script != nil && core.Script.Form != script.Module &&
		d.Entry() != nil {
		if o, ok := d.InForm(script.Module); ok {
			o.Why, o.Difference = "", "the library as a module, which others import as "+d.Manifest.Name
			list = append(list, o)
		}
	}
	return list
}

// single finds the choices file by file.
func (d *Package) single() []Option {
	core, _ := d.main(Script)
	look, _ := d.main(Stylesheet)
	var list []Option
	for i := range d.Files {
		f := &d.Files[i]
		if f.ExcludedBecause != "" || f.Build == NoBuild || f == core || f == look || f.Build == Minified &&
			f.OtherBuild != "" {
			continue
		}
		if core != nil && f.Path == core.OtherBuild || look != nil && f.Path == look.OtherBuild {
			continue
		}
		var o Option
		var ok bool
		switch {
		case f.Kind == Script && core != nil:
			o, ok = d.scriptOption(f, core)
		case f.Kind == Stylesheet && !d.imported(f):
			o, ok = d.styleOption(f, look)
		}
		if !ok {
			continue
		}
		o.Files, o.Size = []string{f.Path}, f.Size
		if f.OtherBuild != "" {
			o.Files = append(o.Files, f.OtherBuild)
			o.Size = d.File(f.OtherBuild).Size
		}
		list = append(list, o)
	}
	return list
}

func uniqueNames(list []Option) {
	count := map[string]int{}
	for _, o := range list {
		count[o.Name]++
	}
	for i, o := range list {
		if count[o.Name] > 1 {
			list[i].Name = strings.TrimSuffix(o.Files[0], path.Ext(o.Files[0]))
			if o.Kind == Many {
				list[i].Name = o.Name + strings.Replace(path.Ext(o.Files[0]), ".", "-", 1)
			}
		}
	}
}

// OptionsNamed finds the options that a name may mean: the one of that name, else files of catalogues, from whichever
// folder on, whose ending may be left out, else those whose names end so behind a hyphen or a dot.
func (d *Package) OptionsNamed(name string) []Option {
	for _, o := range d.Options() {
		if o.Name == name || o.Kind != Many && slices.Contains(o.Files, name) {
			return []Option{o}
		}
	}
	var found, ending []Option
	for _, c := range append(slices.Clip(d.Catalogues), Catalogue{Name: addOns, Files: d.AddOns}) {
		for _, file := range c.Files {
			f, kind := d.File(file), Part
			if c.Name == addOns {
				kind = AddOn
			}
			o := Option{Name: name, Kind: kind, Files: []string{file}, Size: f.Size}
			if file == name {
				return []Option{o}
			}
			if f.Build == Minified && f.OtherBuild != "" {
				continue // it comes with the readable one, or in its place
			}
			stem := strings.TrimSuffix(strings.TrimSuffix(file, path.Ext(file)), ".min")
			switch {
			case stem == name || strings.HasSuffix(stem, "/"+name):
				found = append(found, o)
			case strings.HasSuffix(stem, "-"+name) || strings.HasSuffix(stem, "."+name):
				ending = append(ending, o)
			}
		}
	}
	if len(found) == 0 {
		found = ending
	}
	if core, _ := d.main(Script); core != nil && len(found) > 1 { // of several builds of all it is the one taken
		beside := slices.DeleteFunc(slices.Clone(found), func(o Option) bool {
			return !strings.HasPrefix(o.Files[0], path.Dir(core.Path)+"/")
		})
		if len(beside) == 1 {
			return beside
		}
	}
	return found
}

// imported reports whether another file refers to one.
func (d *Package) imported(f *File) bool {
	d.once.Do(func() {
		d.referred = map[string]bool{}
		for i := range d.Files {
			for _, r := range d.Files[i].Refs {
				d.referred[r.Path] = true
			}
		}
	})
	return d.referred[f.Path]
}

func defined(r *script.Report) map[string]bool {
	m := map[string]bool{}
	for _, g := range r.Defines {
		m[g.Name] = true
	}
	return m
}

func (d *Package) scriptOption(f, core *File) (Option, bool) {
	if f.Script == nil || core.Script == nil {
		return Option{}, false
	}
	switch f.Script.Form {
	case script.Server, script.AMD, script.Broken, script.Module:
		return Option{}, false
	}
	ours := defined(core.Script)
	for _, n := range f.Script.Needs {
		if ours[n.Name] && n.Strength != script.Later {
			return Option{Name: optionName(f, d.Name), Kind: Part,
				Difference: fmt.Sprintf("for %s: it needs %s, which %s defines", path.Base(core.Path), n.Name,
					path.Base(core.Path))}, true
		}
	}
	for _, g := range f.Script.Defines {
		if ours[g.Name] {
			return Option{Name: optionName(f, d.Name), Kind: Variant, Difference: d.difference(f, core)}, true
		}
	}
	return Option{}, false
}

// difference says how a variant differs from the core.
func (d *Package) difference(f, core *File) string {
	var tells []string
	has := func(r *script.Report, name string) bool {
		return slices.ContainsFunc(r.Hard(), func(n script.Need) bool { return n.Name == name })
	}
	for _, n := range core.Script.Hard() {
		if !has(f.Script, n.Name) {
			tells = append(tells, "includes "+n.Name)
		}
	}
	for _, n := range f.Script.Hard() {
		if !has(core.Script, n.Name) {
			tells = append(tells, "needs "+n.Name)
		}
	}
	if a, b := f.Script.Syntax, core.Script.Syntax; a != b {
		tells = append(tells, fmt.Sprintf("syntax of %d, not %d", a, b))
	}
	switch r := float64(f.Size) / float64(max(1, core.Size)); {
	case f.Build != core.Build && f.OtherBuild == "":
		tells = append(tells, string(f.Build))
	case r < 0.9:
		tells = append(tells, fmt.Sprintf("%.0f%% of the size", r*100))
	case r > 1.1:
		tells = append(tells, fmt.Sprintf("%.1f times the size", r))
	}
	if len(tells) == 0 {
		return "defines the same"
	}
	return strings.Join(tells, ", ")
}

func (d *Package) styleOption(f, look *File) (Option, bool) {
	dir := strings.ToLower(path.Base(path.Dir(f.Path)))
	stem := strings.ToLower(path.Base(f.Path))
	o := Option{Name: optionName(f, d.Name), Kind: Part, Difference: "another stylesheet of the package"}
	switch {
	case dir == "themes" || dir == "theme" || dir == "skins" || strings.Contains(stem, "theme") ||
		strings.Contains(stem, "skin"):
		o.Kind, o.Difference = Theme, "another look"
	case look != nil && strings.HasPrefix(stemKey(f.Path), stemKey(look.Path)):
		o.Kind, o.Difference = Variant, fmt.Sprintf("%.0f%% of the size of %s",
			100*float64(f.Size)/float64(max(1, look.Size)), path.Base(look.Path))
	}
	return o, true
}

// optionName is a file's name without the library's, which it need not repeat.
func optionName(f *File, library string) string {
	stem, _ := manifest.NameVersion(path.Base(f.Path))
	short := strings.ToLower(stem)
	base := strings.ToLower(path.Base(library))
	for _, name := range []string{base, strings.TrimSuffix(strings.TrimSuffix(base, "js"), ".")} {
		if rest, ok := strings.CutPrefix(short, name); ok && name != "" {
			if rest = strings.Trim(rest, ".-_"); rest != "" {
				return rest
			}
		}
	}
	return short
}
