package requirements

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// peers adds what the makers say the library stands on, and nothing while loading shows: packages of which the scripts
// use members (race.fn.boat), and those whose files the readme shows with the library's.
func (r *Resolver) peers(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	if !o.InRegistry() {
		return needs, nil
	}
	text, err := scriptsText(o, sel)
	if err != nil {
		return nil, err
	}
	list, err := r.meant(ctx, o)
	if err != nil {
		return nil, err
	}
	for _, c := range list {
		key := manifest.NameKey(c.name)
		shown := slices.ContainsFunc(o.ShownFrom, func(address string) bool {
			return manifest.StemKey(address) == key
		})
		peers, _, optional := o.Depends()
		spoken := bytes.Contains(text, []byte(c.name)) || len(key) > 3 && bytes.Contains(text, []byte(key))
		if peers[c.name] == "" && !styleName().MatchString(c.name) && !shown && !spoken ||
			optional[c.name] ||
			slices.ContainsFunc(needs, func(n Requirement) bool {
				return n.Package == c.name || manifest.NameKey(n.Library) == key
			}) {
			continue
		}
		p, err := r.OpenPackage(ctx, c.name, c.rng, nil)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			continue
		}
		if slices.ContainsFunc(needs, func(n Requirement) bool {
			return strings.HasPrefix(n.Library, OnPages) &&
				suppliesOne(p, append([]string{n.Global}, n.Or...))
		}) {
			continue // it is one of them, wherever it is from
		}
		why, only := r.whyPeer(o, sel, p, c, shown, text), ""
		if why == "" { // a later one may have given up what it uses
			earlier, err := r.earlierMajors(ctx, c.name, c.rng, p.Version)
			if err != nil {
				return nil, err
			}
			for _, version := range earlier {
				if old, err := r.OpenPackage(ctx, c.name, version, nil); err == nil && usesMembers(old, text) != "" {
					why, c.rng, p = usesMembers(old, text), version, old
					break
				}
			}
		}
		if why == "" {
			why, only = byLook(o, sel, p, text)
		}
		if why == "" || len(p.Suggest().Choices) == 0 {
			continue
		}
		n := Requirement{Only: only, Global: c.name, Strength: string(script.Hard), At: o.Manifest.File,
			Package: c.name, Range: c.rng, Why: why}
		for _, f := range onPage(p, p.Suggest()) {
			if len(f.Script.Defines) > 0 {
				n.Global = f.Script.Defines[0].Name
				break
			}
		}
		if library := page.Defined[n.Global]; library != "" {
			n.Library, n.Package = library, ""
		}
		needs = append(needs, n)
	}
	return needs, nil
}

// whyPeer says why a library stands on a package that its makers name, "" where nothing tells. Shown says that the
// readme has it on the page.
func (r *Resolver) whyPeer(o *origin.Opened, sel *packages.Selection, p *origin.Opened, c dependency, shown bool,
	text []byte) string {
	if why := usesMembers(p, text); why != "" {
		return why
	}
	peers, _, _ := o.Depends()
	spoken := addsSpoken(p, text)
	switch packed := packedIn(o, sel, p); {
	case styleName().MatchString(c.name) && onlyStyles(p) && !r.styledAlready(o, sel, p):
		return "it depends on it, and it is a stylesheet"
	case shown && !packed:
		return "its readme shows it on the page"
	case peers[c.name] != "" && !packed && !strings.Contains(c.name, "/") && c.name != o.Name &&
		strings.HasPrefix(manifest.NameKey(o.Name), manifest.NameKey(c.name)) && manifest.BeginsWith(o.Name, c.name) &&
		len(onPage(p, p.Suggest())) > 0:
		return "it is made for that, by its name and by its makers' word"
	case spoken != "" && !slices.ContainsFunc(onPage(o, sel), func(f *packages.File) bool {
		return slices.ContainsFunc(f.Script.Parts, func(g script.Global) bool { return g.Name == spoken })
	}):
		return "it uses " + spoken
	}
	return ""
}

// byLook says that scripts set classes of a package's stylesheet, "" if they do not, and which one file that is where
// they make no use of its scripts, "" for the whole.
func byLook(o *origin.Opened, sel *packages.Selection, p *origin.Opened, text []byte) (why, only string) {
	if only = worn(o, sel, p, text); only == "" {
		return "", ""
	}
	if slices.ContainsFunc(onPage(o, sel), func(f *packages.File) bool {
		return slices.ContainsFunc(f.Script.Needs, func(n script.Need) bool {
			return suppliesOne(p, append([]string{n.Name}, n.Or...))
		})
	}) {
		only = ""
	}
	return "its script sets classes of that", only
}

// packedIn reports whether the chosen scripts have inside what another build of the library needs from a package.
func packedIn(o *origin.Opened, sel *packages.Selection, p *origin.Opened) bool {
	for _, f := range onPage(o, sel) {
		needs := func(list []script.Need) bool {
			return slices.ContainsFunc(list, func(n script.Need) bool {
				return suppliesOne(p, append([]string{n.Name}, n.Or...))
			})
		}
		if needs(f.Script.Hard()) {
			return false
		}
		for i := range o.Files {
			g := &o.Files[i]
			of := strings.HasPrefix(manifest.StemKey(f.Path), manifest.StemKey(g.Path)) // a build of the same
			if g.Script != nil && g != f && of && g.Size < f.Size+f.Size/4 && (needs(g.Script.Needs) ||
				slices.Contains(g.Script.Asks, p.Name) && !slices.Contains(f.Script.Asks, p.Name)) &&
				slices.ContainsFunc(f.Script.Defines, func(d script.Global) bool {
					return slices.ContainsFunc(g.Script.Defines, func(e script.Global) bool { return e.Name == d.Name })
				}) {
				return true
			}
		}
	}
	return false
}

// styleName tells the names of packages that are stylesheets, or may be.
var styleName = memo.Regexp(`(?i)css|style|theme|font|icon|normalize|reset`)

// manyClasses is how many classes of a dependency's stylesheet a script must set, of those with more than one word in
// their names, to be meant for pages that have it.
const manyClasses = 12

// worn is the stylesheet of a package whose classes the scripts set, where the library's own stylesheets do not have
// most of them; "" if there is none.
func worn(o *origin.Opened, sel *packages.Selection, p *origin.Opened, text []byte) string {
	own := sheetsOf(o, sel)
	for _, c := range p.Suggest().Choices {
		f := p.File(c.Path)
		if !c.Page || f.Kind != packages.Stylesheet || f.Build == packages.Minified && f.OtherBuild != "" {
			continue
		}
		b, err := p.Tree.ReadFile(c.Path)
		if err != nil {
			continue
		}
		set := classesSet(b, text)
		missing := 0
		for _, class := range set {
			if !bytes.Contains(own, []byte("."+class)) {
				missing++
			}
		}
		if len(set) >= manyClasses && 2*missing > len(set) {
			return p.Of(c.Path, record.Minified)
		}
	}
	return ""
}

// classesSet are the classes of a stylesheet, of those with more than one word in their names, that a script sets.
func classesSet(sheet, script []byte) (list []string) {
	for _, class := range style.Classes(sheet) {
		if strings.ContainsAny(class, "-_") && bytes.Contains(script, []byte(class)) {
			list = append(list, class)
		}
	}
	return list
}

// sheetsOf is the text of the chosen stylesheets, one after the other.
func sheetsOf(o *origin.Opened, sel *packages.Selection) (all []byte) {
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Kind == packages.Stylesheet {
			if b, err := o.Tree.ReadFile(c.Path); err == nil {
				all = append(all, b...)
			}
		}
	}
	return all
}

// styledAlready reports whether the chosen stylesheets have most of the classes that a package's stylesheets have: its
// makers built that into theirs.
func (r *Resolver) styledAlready(o *origin.Opened, sel *packages.Selection, p *origin.Opened) bool {
	own, classes, has := sheetsOf(o, sel), 0, 0
	for _, m := range style.Read(sheetsOf(p, p.Suggest())).Makes() {
		if m.Kind == style.Class {
			classes++
			if bytes.Contains(own, []byte("."+m.Name)) {
				has++
			}
		}
	}
	return classes > 0 && 2*has >= classes
}

// onlyStyles reports whether a package has stylesheets for a page and no script.
func onlyStyles(p *origin.Opened) bool {
	sel := p.Suggest()
	return len(sel.Choices) > 0 && !slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
		return c.Page && p.File(c.Path).Kind != packages.Stylesheet
	})
}

// usesMembers says which member of a global that a package's scripts give is used in a text, "" for none. Members are
// those of a prototype for plug-ins, which nobody else has.
func usesMembers(p *origin.Opened, text []byte) string {
	for _, f := range onPage(p, p.Suggest()) {
		for _, g := range f.Script.Parts {
			_, member, ok := strings.Cut(g.Name, ".fn.")
			if ok && len(member) > 3 && !strings.Contains(member, ".") && bytes.Contains(text,
				[]byte("fn."+member+".")) {
				return "it uses " + g.Name
			}
		}
	}
	return ""
}
