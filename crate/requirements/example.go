package requirements

import (
	"bytes"
	"context"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// exampleOf is the first example of a package's readme that uses what the chosen scripts define, nil for none.
func exampleOf(o *origin.Opened, sel *packages.Selection) *manifest.Example {
	var names []string
	for _, f := range onPage(o, sel) {
		for _, g := range f.Script.Defines {
			names = append(names, regexp.QuoteMeta(g.Name)+`\b`)
		}
		for _, g := range f.Script.Parts {
			if i := strings.LastIndexByte(g.Name, '.'); strings.Contains(g.Name, ".fn.") {
				names = append(names, `\.`+regexp.QuoteMeta(g.Name[i+1:])+`\(`)
			} else {
				names = append(names, regexp.QuoteMeta(g.Name)+`\b`)
			}
		}
	}
	if len(names) == 0 {
		return nil
	}
	uses, err := regexp.Compile(`(?:^|[^\w$"'/-])(?:` + strings.Join(names[:min(len(names), 60)], "|") + `)`)
	if err != nil {
		return nil
	}
	for i := range o.Examples {
		if uses.MatchString(o.Examples[i].Code) {
			return &o.Examples[i]
		}
	}
	return nil
}

// maxRivals is how many other builds the readme's example is tried with.
const maxRivals = 3

// ByExample returns, with what it needs, the suggestion that the readme's example runs with: the suggested one, unless
// that fails and another build of the library passes. Build makes the suggestion with one. Both is what Needs found.
func (r *Resolver) ByExample(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	optional bool, page Page, build func(packages.Option) *packages.Selection) (*packages.Selection, []Requirement,
	error) {
	if module, wants, err := r.moduleInstead(ctx, o, sel, needs, optional, page, build); err != nil || module != nil {
		return module, wants, err
	}
	example := exampleOf(o, sel)
	if example == nil {
		return r.unwrapped(ctx, o, sel, needs, optional, page, build)
	}
	if works, known, err := r.works(ctx, o, sel, needs, page, example); err != nil || works || !known {
		return sel, needs, err
	}
	tried := 0
	for _, option := range o.Options() {
		if f := o.File(option.Files[0]); option.Kind != packages.Variant || f.Script == nil ||
			f.Script.Form == script.Module || tried == maxRivals {
			continue
		}
		tried++
		option.Why = "the readme's example runs with it, and not with " + path.Base(onPage(o, sel)[0].Path)
		rival := build(option)
		wants, err := r.Needs(ctx, o, rival, optional, page)
		if err != nil {
			return nil, nil, err
		}
		if slices.ContainsFunc(wants, func(n Requirement) bool {
			return !slices.ContainsFunc(needs, func(m Requirement) bool { return m.Global == n.Global })
		}) {
			continue // it is for pages with something else
		}
		if works, known, err := r.works(ctx, o, rival, wants, page, example); err != nil || works && known {
			return rival, wants, err
		}
	}
	return sel, needs, nil
}

// moduleInstead is the library as a module, with what it needs, where its plain script stops and nobody can help it:
// some builds count on a bundler for what they stand on. It is nil where the script runs, or there is no module.
func (r *Resolver) moduleInstead(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	optional bool, page Page, build func(packages.Option) *packages.Selection) (*packages.Selection, []Requirement,
	error) {
	option, ok := o.Meant()
	missing := slices.ContainsFunc(needs, func(n Requirement) bool {
		return n.Strength == string(script.Hard) && n.Library+n.Package+n.Own == ""
	})
	if files := onPage(o, sel); !ok || missing || len(files) == 0 || !asksForPackages(o, files[0]) {
		return nil, nil, nil
	}
	runs, known, err := r.run(ctx, o, sel, needs, page)
	if err != nil || runs || !known {
		return nil, nil, err
	}
	option.Why = "the plain script stops, since it counts on a bundler for packages; an import map resolves them"
	module := build(option)
	wants, err := r.Needs(ctx, o, module, optional, page)
	return module, wants, err
}

// asksForPackages reports whether a script's list for loaders names packages that it depends on.
func asksForPackages(o *origin.Opened, f *packages.File) bool {
	_, dependencies, _ := o.Depends()
	return slices.ContainsFunc(f.Script.Asks, func(name string) bool { return dependencies[name] != "" })
}

// unwrapped is the build whose global is what users mean by its name, where that of the suggested one is an object that
// has it as a member: some builds give a page what they export, and others that one thing.
func (r *Resolver) unwrapped(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	optional bool, page Page, build func(packages.Option) *packages.Selection) (*packages.Selection, []Requirement,
	error) {
	files := onPage(o, sel)
	if len(files) != 1 || len(files[0].Script.Defines) != 1 {
		return sel, needs, nil
	}
	global := files[0].Script.Defines[0].Name
	wraps := func(f *packages.File) (bool, bool) {
		text, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return false, false
		}
		members, known := r.Facts.Members(ctx, [][]byte{text})
		return members[global], known
	}
	var rivals []packages.Option
	for _, option := range o.Options() {
		f := o.File(option.Files[0])
		if option.Kind == packages.Variant && f.Script != nil && f.Script.Form != script.Module &&
			len(f.Script.Defines) == 1 && f.Script.Defines[0].Name == global && 20*max(f.Size, files[0].Size) <
			21*min(f.Size, files[0].Size) {
			rivals = append(rivals, option)
		}
	}
	if len(rivals) == 0 {
		return sel, needs, nil
	}
	if wrapped, known := wraps(files[0]); !wrapped || !known {
		return sel, needs, ctx.Err()
	}
	slices.SortStableFunc(rivals, func(a, b packages.Option) int { // the nearest first
		far := func(o packages.Option) int {
			return strings.Compare(path.Dir(o.Files[0]), path.Dir(files[0].Path)) & 1
		}
		return far(a) - far(b)
	})
	for _, option := range rivals[:min(len(rivals), maxRivals)] {
		if wrapped, known := wraps(o.File(option.Files[0])); !wrapped && known {
			option.Why = global + " is what it is called, and not an object with it"
			rival := build(option)
			wants, err := r.Needs(ctx, o, rival, optional, page)
			return rival, wants, err
		}
	}
	return sel, needs, nil
}

// works runs an example of the readme after the chosen scripts and what supplies their needs. Known is false where that
// can't be tried: the sandbox has not all that it uses, or the example counts on something that it does not show.
func (r *Resolver) works(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement, page Page,
	example *manifest.Example) (works, known bool, err error) {
	base, err := r.bases(ctx, needs, page)
	if err != nil || base.unknown {
		return false, false, err
	}
	for _, f := range inOrder(onPage(o, sel)) {
		text, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return false, false, err
		}
		base.texts = append(base.texts, text)
	}
	works, known = r.Facts.Works(ctx, base.texts, example.Page(), []byte(example.Code))
	return works, known, nil
}

// inUse keeps, of the needs that loading does not show, those without which the readme's example fails. Where no
// example can be run what a declared dependency provides is kept; what a script uses only where it is there is kept if
// a dependency is called so.
func (r *Resolver) inUse(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	needs, err := withoutMade(o, sel, needs)
	if err != nil || !slices.ContainsFunc(needs, forUse) {
		return needs, err
	}
	unproved := func() []Requirement {
		return slices.DeleteFunc(slices.Clone(needs), func(n Requirement) bool {
			return n.Strength == string(script.Optional) && n.Library == "" && (hasInside(o, sel, n.Global) ||
				!slices.ContainsFunc(dependencies(o), func(c dependency) bool {
					return manifest.NameKey(c.name) == manifest.NameKey(n.Global)
				}))
		})
	}
	example := exampleOf(o, sel)
	if example == nil {
		return unproved(), nil
	}
	if works, known, err := r.works(ctx, o, sel, needs, page, example); err != nil || !works || !known {
		return unproved(), err // the example says nothing
	}
	return fewest(needs, func(i int) bool {
		return forUse(needs[i]) && needs[i].Library == "" && !(needs[i].Strength == string(script.Later) &&
			mustBeThere(o, needs[i].Package))
	},
		func(list []Requirement) (bool, error) {
			works, known, err := r.works(ctx, o, sel, list, page, example)
			return works && known, err
		})
}

// withoutMade leaves out what the scripts use where it is there, and make themselves if it is not: a bundle has inside
// what its parts would look for.
func withoutMade(o *origin.Opened, sel *packages.Selection, needs []Requirement) ([]Requirement, error) {
	text, err := scriptsText(o, sel)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(needs, func(n Requirement) bool {
		if !forUse(n) || n.Library != "" {
			return false
		}
		made, err := regexp.Compile(`\.` + regexp.QuoteMeta(n.Global) + `\s*=\s*([\w$.]+\s*\|\||[^=])`)
		return err == nil && slices.ContainsFunc(made.FindAllSubmatch(text, -1), func(m [][]byte) bool {
			return len(m[1]) == 1 // and none that adds to what is there (X.tide = X.tide || {})
		})
	}), nil
}

// demoted makes needs for use of those that a script only tests for: with all else it runs to its end without one.
// Of needs that nothing supplies those go.
func (r *Resolver) demoted(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	for i := 0; i < len(needs); i++ {
		n := needs[i]
		nobody := n.Library == "" && n.Package == "" && n.Own == ""
		if forUse(n) || !nobody && (!n.tested || n.Package == "" || mustBeThere(o, n.Package)) {
			continue
		}
		if r.under(ctx, n, needs) {
			continue // without it the others bring it, so trying says nothing
		}
		less := slices.Delete(slices.Clone(needs), i, i+1)
		runs, known, err := r.run(ctx, o, sel, less, page)
		switch {
		case err != nil:
			return nil, err
		case !runs || !known:
		case nobody:
			needs = less
			i--
		case !listsOne(dependencies(o), n.Package) && !oneOfSeveral(onPage(o, sel), n.Global):
			needs[i].Strength = string(script.Optional) // its makers do not say that it is there
		default:
			needs[i].Strength = string(script.Later)
		}
	}
	return r.standing(ctx, needs)
}

// mustBeThere reports whether the makers say that another package must be there with theirs.
func mustBeThere(o *origin.Opened, pkg string) bool {
	peers, _, optional := o.Depends()
	return peers[pkg] != "" && !optional[pkg]
}

func listsOne(list []dependency, name string) bool {
	return slices.ContainsFunc(list, func(c dependency) bool { return c.name == name })
}

// oneOfSeveral reports whether scripts look for a global and, where that is not there, for others that would do.
func oneOfSeveral(files []*packages.File, global string) bool {
	return slices.ContainsFunc(files, func(f *packages.File) bool {
		return slices.ContainsFunc(f.Script.Needs, func(n script.Need) bool {
			return n.Name == global && len(n.Or) > 0
		})
	})
}

// standing leaves out what loading does not show and what a page could not have: packages whose own scripts stop.
func (r *Resolver) standing(ctx context.Context, needs []Requirement) ([]Requirement, error) {
	for i := 0; i < len(needs); i++ {
		n := needs[i]
		if !forUse(n) || n.Package == "" || n.Library != "" {
			continue
		}
		texts, err := r.packageTexts(ctx, n.Package, n.Range, 0)
		if err != nil {
			return nil, err
		}
		if len(texts) == 0 {
			continue
		}
		last := len(texts) - 1
		if _, stops, known := r.Facts.Lacks(ctx, texts[:last], texts[last], nil); known && stops {
			needs = slices.Delete(slices.Clone(needs), i, i+1)
			i--
		}
	}
	return needs, nil
}

// peers adds what the makers say the library stands on, and nothing while loading shows: packages of which the scripts
// use members (race.fn.boat), and those whose files the readme shows with the library's.
func (r *Resolver) peers(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	if !o.InRegistry() {
		return needs, nil
	}
	var text []byte
	for _, f := range onPage(o, sel) {
		b, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return nil, err
		}
		text = append(text, b...)
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
		spoken := bytes.Contains(text, []byte(c.name))
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
		why := usesMembers(p, text)
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
		if why == "" && styleName().MatchString(c.name) && onlyStyles(p) && !r.styledAlready(o, sel, p) {
			why = "it depends on it, and it is a stylesheet"
		}
		if why == "" && shown && !packedIn(o, sel, p) {
			why = "its readme shows it on the page"
		}
		if why == "" && peers[c.name] != "" && !strings.Contains(c.name, "/") && c.name != o.Name &&
			manifest.BeginsWith(o.Name, c.name) && len(onPage(p, p.Suggest())) > 0 && !packedIn(o, sel, p) {
			why = "it is made for that, by its name and by its makers' word"
		}
		only := ""
		if sheet := r.worn(o, sel, p, text); why == "" && sheet != "" {
			why = "its script sets classes of that"
			if !addsSpoken(p, text) {
				only = sheet
			}
		}
		if why == "" || len(p.Suggest().Choices) == 0 {
			continue
		}
		n := Requirement{Only: only, Global: c.name, Strength: string(script.Hard), At: o.Manifest.File, Package: c.name,
			Range: c.rng, Why: why}
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
func (r *Resolver) worn(o *origin.Opened, sel *packages.Selection, p *origin.Opened, text []byte) string {
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
		set, missing := 0, 0
		for _, class := range style.Classes(b) {
			if strings.ContainsAny(class, "-_") && bytes.Contains(text, []byte(class)) {
				set++
				if !bytes.Contains(own, []byte("."+class)) {
					missing++
				}
			}
		}
		if set >= manyClasses && 2*missing > set {
			return c.Path
		}
	}
	return ""
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

// hasInside reports whether a chosen script has inside what another build of it needs from outside.
func hasInside(o *origin.Opened, sel *packages.Selection, global string) bool {
	return slices.ContainsFunc(onPage(o, sel), func(f *packages.File) bool {
		for i := range o.Files {
			g := &o.Files[i]
			if g.Script != nil && g != f && path.Base(g.Path) == path.Base(f.Path) &&
				slices.ContainsFunc(g.Script.Hard(),
					func(n script.Need) bool { return n.Name == global }) {
				return true
			}
		}
		return false
	})
}

// forUse tells a need that loading does not show.
func forUse(n Requirement) bool { return n.Strength != string(script.Hard) }
