package requirements

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// maxShownFiles is how many of the addresses in a readme are looked for.
const maxShownFiles = 6

// shown adds what nothing declares and the readme shows on a page before the library's own files, if these make use of
// it: scripts that define what the chosen ones speak of, and stylesheets with classes that they set.
func (r *Resolver) shown(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	if !o.InRegistry() || len(o.ShownFrom) == 0 {
		return needs, nil
	}
	text, err := scriptsText(o, sel)
	if err != nil || len(text) == 0 {
		return needs, err
	}
	text, own := comment().ReplaceAll(text, nil), ownGlobals(o, sel)
	declared, err := r.meant(ctx, o)
	if err != nil {
		return nil, err
	}
	runs, tried, err := r.run(ctx, o, sel, needs, page)
	if err != nil {
		return nil, err
	}
	stops := tried && !runs
	for _, address := range o.ShownFrom[:min(len(o.ShownFrom), maxShownFiles)] {
		names := manifest.NamesIn(address)
		if slices.ContainsFunc(names, func(name string) bool { return known(o, needs, name) }) {
			continue
		}
		n := &Requirement{Strength: string(script.Hard), At: "README", Range: manifest.VersionIn(address)}
		for _, c := range declared {
			if slices.Contains(names, c.name) {
				names, n.Range = []string{c.name}, c.rng
			}
		}
		err := r.byNames(ctx, o, n, names, func(_ context.Context, p *origin.Opened) (bool, error) {
			if packedIn(o, sel, p) {
				return false, nil
			}
			if path.Ext(address) == ".css" {
				return n.onlyStyle(p, text), nil
			}
			files := onPage(p, p.Suggest())
			n.Only = ""
			if f := shownIn(p, address); f != nil && !slices.Contains(files, f) {
				files, n.Only = []*packages.File{f}, f.Path
			}
			if len(files) == 0 {
				return false, nil
			}
			var err error
			n.Global, err = r.spokenOf(ctx, p, files, text)
			if n.Global != "" || err != nil || !stops {
				return n.Global != "" && !own[n.Global], err
			}
			n.Global = p.Name
			with := append(slices.Clone(needs), Requirement{Global: p.Name, Package: p.Name, Range: p.Version})
			runs, known, err := r.run(ctx, o, sel, with, page)
			return runs && known, err
		})
		if err != nil {
			return nil, err
		}
		if n.Package == "" || slices.ContainsFunc(needs, func(m Requirement) bool { return m.Package == n.Package }) {
			continue
		}
		if n.Why = "its readme shows it on the page"; !listsOne(declared, n.Package) {
			n.Why = fmt.Sprintf("it is not a declared dependency, but the readme shows %s on the page", n.Package)
		}
		if library := page.Defined[n.Global]; library != "" {
			n.Library, n.Package = library, ""
		}
		needs = append(needs, *n)
	}
	return needs, nil
}

var comment = memo.Regexp(`(?s)/\*.*?\*/`)

// scriptsText is the text of the chosen scripts, one after the other.
func scriptsText(o *origin.Opened, sel *packages.Selection) (text []byte, err error) {
	for _, f := range onPage(o, sel) {
		b, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return nil, err
		}
		text = append(append(text, b...), '\n')
	}
	return text, nil
}

// known reports whether a name is the library's own, or that of something which meets one of its needs.
func known(o *origin.Opened, needs []Requirement, name string) bool {
	key := manifest.NameKey(name)
	return key == manifest.NameKey(o.Name) || slices.ContainsFunc(needs, func(n Requirement) bool {
		return key == manifest.NameKey(n.Package) || key == manifest.NameKey(n.Library) ||
			key == manifest.NameKey(n.Global)
	})
}

// shownIn is the script of a package that an address means, nil if it has none that is called so.
func shownIn(p *origin.Opened, address string) *packages.File {
	for i := range p.Files {
		f := &p.Files[i]
		if f.Script != nil && f.ExcludedBecause == "" && path.Base(f.Path) == path.Base(address) &&
			(f.Script.Form == script.Classic ||
				f.Script.Form == script.Universal) {
			return f
		}
	}
	return nil
}

// spokenOf is a global that scripts of a package make, or a member that they add to one, of which a text speaks; "" if
// there is none.
func (r *Resolver) spokenOf(ctx context.Context, p *origin.Opened, files []*packages.File, text []byte) (string,
	error) {
	for _, f := range files {
		var made []string
		for _, g := range f.Script.Defines {
			made = append(made, g.Name)
		}
		own, err := p.Tree.ReadFile(f.Path)
		if err != nil {
			return "", err
		}
		more, _ := r.Facts.Makes(ctx,
			own) // reading does not find all that running does
		for _, before := range []string{`\b(?:window|self|globalThis)\.`, `(?:^|[^\w$.]|\b\w\.)`} { // the surer first
			for _, name := range append(made, more...) {
				word, err := regexp.Compile(before + regexp.QuoteMeta(name) + `(?:[^\w$'":-]|$)`)
				if err == nil && len(name) > 1 && word.Match(text) {
					return name, nil
				}
			}
		}
		if name := partSpoken(f, text, false); name != "" {
			return name, nil
		}
	}
	return "", nil
}

// partSpoken is a member that a script adds to a global and of which a text speaks, "" if there is none. Plugins says
// that only those count which it adds for others to call (base.fn.picker).
func partSpoken(f *packages.File, text []byte, plugins bool) string {
	for _, g := range f.Script.Parts {
		_, member, _ := strings.Cut(g.Name, ".")
		plugin, is := strings.CutPrefix(member, "fn.")
		if is && !strings.Contains(plugin, ".") && bytes.Contains(text, []byte("."+plugin+"(")) ||
			!is && !plugins && bytes.Contains(text, []byte("."+member+".")) {
			return g.Name
		}
	}
	return ""
}

// addsSpoken is the plug-in that a package's scripts add to a global and a text calls, "" if there is none.
func addsSpoken(p *origin.Opened, text []byte) string {
	for _, f := range onPage(p, p.Suggest()) {
		if name := partSpoken(f, text, true); name != "" {
			return name
		}
	}
	return ""
}

// fewClasses is how many classes of a stylesheet a script must set, of those with more than one word in their names,
// to be one that goes with it. The readme has said so already.
const fewClasses = 2

// onlyStyle makes a stylesheet of a package what is needed, if a text sets classes that it has, and reports whether it
// does.
func (s *Requirement) onlyStyle(p *origin.Opened, text []byte) bool {
	for _, c := range p.Suggest().Choices {
		if f := p.File(c.Path); !c.Page || f.Kind != packages.Stylesheet || f.Build == packages.Minified &&
			f.OtherBuild != "" {
			continue
		}
		b, err := p.Tree.ReadFile(c.Path)
		if err != nil {
			continue
		}
		if len(classesSet(b, text)) >= fewClasses {
			s.Global, s.Only = p.Name, p.Of(c.Path, record.Minified)
			return true
		}
	}
	return false
}
