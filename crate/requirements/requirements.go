package requirements

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"merrycrate.example/merry/crate/origin"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// A Resolver finds what a library's scripts require on a page, and which library, package or file provides it. It
// remembers what it has read, so one Resolver serves a whole command.
type Resolver struct {
	*origin.Opener
	Facts *facts.Reader // reads scripts and runs them in the sandbox

	texts memo.Memo[string, [][]byte] // page scripts of a package, by name, version and depth
	// reports of the copies of other libraries in a package, by path
	copies memo.Memo[*origin.Opened, map[string]*script.Report]
}

// New returns a Resolver that opens packages with opener and reads scripts with reader.
func New(opener *origin.Opener, reader *facts.Reader) *Resolver {
	return &Resolver{Opener: opener, Facts: reader}
}

// A Requirement says what would supply a global that a library needs on a page.
type Requirement struct {
	Global   string   `json:"global,omitempty"`  // the global that the library needs
	Import   string   `json:"import,omitempty"`  // the name by which a module imports it, in the place of a global
	Or       []string `json:"or,omitempty"`      // other globals that would do
	Strength string   `json:"strength"`          // while loading, later, or optional
	At       string   `json:"at"`                // file:line:column of the evidence
	Library  string   `json:"library,omitempty"` // of the crate, that defines it
	There    string   `json:"there,omitempty"`   // a script that stands on the pages without a record and defines it
	Package  string   `json:"package,omitempty"` // that would define it
	Range    string   `json:"range,omitempty"`   // of it, that the library asks for
	// the file of it that does, where it is none of those that it would be taken for
	Part string `json:"part,omitempty"`
	// the one file of it that is taken, where the others are not needed
	Only string `json:"only,omitempty"`
	Own  string `json:"own,omitempty"` // a file of the package itself that has it
	// Why says how a package was found that the library's own manifest does not depend on.
	Why string `json:"why,omitempty"`

	// Lacks are members that the scripts use and what is there has not.
	Lacks []string `json:"lacks,omitempty"`

	// elsewhere are members that what is there has not, each with the package that has it, as name@version.
	elsewhere map[string]string

	guess  bool // the script asked for it and then stopped, which may have another reason
	tested bool // the script asks whether it is there
	// unproved says that nobody but the script's own text speaks of it, which may be for what few pages do.
	unproved bool
	named    bool // the manifest's word alone tells the package: nobody is asked for it
}

// OnPages begins, in a Page, the names of what stands on the pages without a record: where it is comes behind. Behind
// it alone stands the key of a script's name whose text is not known.
const OnPages = "on the pages:"

// Unmet are the globals of requirements that a package would supply, and members of globals that another version than
// the one that is there has, each with that package, as name@range.
func Unmet(needs []Requirement) map[string]string {
	unmet := map[string]string{}
	for _, n := range needs {
		if n.Library+n.There+n.Import == "" && n.Package != "" && n.Global != "" {
			unmet[n.Global] = strings.TrimSuffix(n.Package+"@"+n.Range, "@")
		}
		maps.Copy(unmet, n.elsewhere)
	}
	return unmet
}

// Elsewhere are the members that it lacks and another version of the same package has, each with that, as name@version.
func (s *Requirement) Elsewhere() map[string]string { return s.elsewhere }

// File is the script of the package that needs it.
func (s *Requirement) File() string {
	file, _, _ := strings.Cut(s.At, ":")
	return file
}

// ownGlobals are those that chosen scripts define themselves.
func ownGlobals(o *origin.Opened, sel *packages.Selection) map[string]bool {
	own := map[string]bool{}
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil {
			for _, g := range f.Script.Defines {
				own[g.Name] = true
			}
		}
	}
	return own
}

// NeedsOf lists what the chosen scripts of a package need while loading, each global once, by the strongest evidence,
// and what they need with the further strengths: later, or where it is there.
func NeedsOf(o *origin.Opened, sel *packages.Selection, further ...script.Strength) []Requirement {
	own := ownGlobals(o, sel)
	var list []Requirement
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		if !c.Page || f.Script == nil {
			continue
		}
		for _, n := range f.Script.Needs {
			if n.Strength != script.Hard && !slices.Contains(further, n.Strength) || own[n.Name] {
				continue
			}
			found := Requirement{Global: n.Name, Or: n.Or, Strength: string(n.Strength), At: fmt.Sprintf("%s:%d:%d",
				f.Path, n.Line, n.Column), tested: n.Tested}
			i := slices.IndexFunc(list, func(s Requirement) bool {
				return s.Global == n.Name || slices.Contains(s.Or, n.Name) || slices.Contains(n.Or, s.Global)
			})
			switch {
			case i < 0:
				list = append(list, found)
			case n.Strength == script.Hard && list[i].Strength != string(script.Hard):
				list[i] = found
			}
		}
	}
	return list
}

// Provide finds what meets needs: a library of the crate first, by the global that it defines and whatever it is
// called; else a package that the library's own manifest depends on. Defined tells which library of the crate defines a
// global.
func (r *Resolver) Provide(ctx context.Context, o *origin.Opened, needs []Requirement,
	defined map[string]string) ([]Requirement, error) {
	for i := range needs {
		n := &needs[i]
		globals := append([]string{n.Global}, n.Or...)
		for _, g := range globals {
			if n.Library = cmp.Or(defined[g], defined[OnPages+manifest.NameKey(g)]); n.Library != "" {
				break
			}
		}
		if n.Library != "" && n.Strength == string(script.Later) && n.tested && !declared(o, globals) {
			n.Library = "" // it works with that, and without
		}
		for _, c := range dependencies(o) {
			if n.Library == "" && !o.InRegistry() && slices.ContainsFunc(globals, func(g string) bool {
				return manifest.NameKey(c.name) == manifest.NameKey(g)
			}) {
				n.Package, n.Range, n.named = c.name, c.rng, true
			}
		}
		if n.Library == "" && o.InRegistry() {
			var err error
			if n.Package, n.Range, n.Part, err = r.packageFor(ctx, o, globals,
				n.Strength == string(script.Optional) || n.Strength == string(script.Later) && n.tested,
				forUse(*n)); err != nil {
				return nil, err
			}
		}
	}
	return needs, nil
}

// Undeclared finds a package for a need that no dependency of the library meets: one that has the global's name, or
// that the library's own name begins with. What counts is that its script defines the global. Of its versions it is the
// newest that there was when the library's version came out, since later ones nobody can have meant.
func (r *Resolver) Undeclared(ctx context.Context, o *origin.Opened, n *Requirement) error {
	globals := append([]string{n.Global}, n.Or...)
	supplies := func(ctx context.Context, p *origin.Opened) (bool, error) {
		if suppliesOne(p, globals) {
			return true, nil
		}
		// Reading does not find all that running does.
		texts, err := r.packageTexts(ctx, p.Name, p.Version, 0)
		if err != nil || len(texts) == 0 {
			return false, err
		}
		missing, _, known := r.Facts.Lacks(ctx, texts, nil, globals)
		return known && len(missing) < len(globals), nil
	}
	names := namesFor(o.Name, globals)
	if first, _, more := strings.Cut(path.Base(n.File()), "."); more { // what a plug-in's file begins with (base.x.js)
		first = strings.ToLower(first)
		if source.ValidPackage(first) && !slices.Contains(names, first) && first != o.Name {
			names = append(names, first)
		}
	}
	known := func(name string) bool { // to its makers, who build it with that or show it
		return o.Manifest.Dev[name] != "" || slices.ContainsFunc(o.ShownFrom, func(address string) bool {
			return slices.Contains(manifest.NamesIn(address), name)
		})
	}
	first(names, known)
	return r.byNames(ctx, o, n, names, supplies)
}

// first puts those first of which something holds, and leaves the sequence otherwise.
func first[T any](list []T, holds func(T) bool) {
	slices.SortStableFunc(list, func(a, b T) int {
		switch x, y := holds(a), holds(b); {
		case x && !y:
			return -1
		case y && !x:
			return 1
		}
		return 0
	})
}

// byNames finds a package for a need among names that it may have; supplies reports whether one has what is needed.
// Where no registry may be asked there is none.
func (r *Resolver) byNames(ctx context.Context, o *origin.Opened, n *Requirement, names []string,
	supplies func(context.Context, *origin.Opened) (bool, error)) error {
	if len(r.Registries) == 0 || r.Offline {
		return nil
	}
	then := r.published(ctx, o)
	for _, name := range names {
		doc, err := r.Document(ctx, name, true)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			continue // there is no such package
		}
		version, why := newestBy(doc, then), ""
		dev, devErr := doc.Resolve(o.Manifest.Dev[name], nil)
		shown, shownErr := doc.Resolve(n.Range, nil)
		if n.Range != "" && shownErr == nil {
			version, why = shown.Version, ", which its readme shows"
		} else if rng := o.Manifest.Dev[name]; rng != "" && devErr == nil {
			version, why = dev.Version, ", and its makers built it with "+rng
		} else if !then.IsZero() {
			why = fmt.Sprintf(", the newest when %s %s was published", o.Name, o.Version)
		}
		if version == "" {
			continue
		}
		p, err := r.OpenPackage(ctx, name, version, nil)
		if err != nil {
			continue
		}
		if ok, err := supplies(ctx, p); err != nil {
			return err
		} else if !ok {
			continue
		}
		n.Package, n.Range = name, version
		n.Why = fmt.Sprintf("it is not a declared dependency, but %s %s defines it%s", name, version, why)
		return nil
	}
	return nil
}

// published is when a package's version came out, zero if that is not known.
func (r *Resolver) published(ctx context.Context, o *origin.Opened) (then time.Time) {
	if o.InRegistry() {
		if doc, err := r.Document(ctx, o.Name, true); err == nil {
			then = doc.Times[o.Version]
		}
	}
	return then
}

// namesFor lists the names that a package with one of the globals may have: the global's own, in lower case, with
// dashes between its words, with and without .js; and what the name of a plug-in begins with.
func namesFor(plugin string, globals []string) []string {
	var list []string
	add := func(name string) {
		if len(name) > 1 && source.ValidPackage(name) && name != plugin && !slices.Contains(list, name) {
			list = append(list, name)
		}
	}
	for _, g := range globals {
		lower := strings.ToLower(g)
		for _, name := range []string{lower, strings.ToLower(words().ReplaceAllString(g, "$1-$2")), lower + ".js",
			lower + "js", lower + "-js"} {
			add(name)
		}
	}
	if !strings.HasPrefix(plugin, "@") {
		parts := strings.FieldsFunc(plugin, func(c rune) bool { return c == '-' || c == '.' || c == '_' })
		for i := len(parts) - 1; i > 0; i-- {
			add(strings.ToLower(plugin[:strings.Index(plugin, parts[i-1])+len(parts[i-1])]))
		}
	}
	return list[:min(len(list), 12)]
}

var words = memo.Regexp(`([a-z0-9])([A-Z])`)

// newestBy is the newest version, no prerelease, that there was at a time, with a month's grace; the first of all where
// there was none yet, and the newest of all where the time is not known.
func newestBy(p *source.Package, then time.Time) string {
	best, first := "", ""
	for _, v := range p.Sorted() {
		at, known := p.Times[v.Version]
		if strings.ContainsAny(v.Version, "-") || v.Deprecated != "" {
			continue
		}
		if first == "" {
			first = v.Version
		}
		if !then.IsZero() && (!known || at.After(then.AddDate(0, 1, 0))) {
			continue
		}
		best = v.Version // they come in order
	}
	return cmp.Or(best, first)
}

// suppliesOne reports whether what a package would put on a page defines one of the globals, or gives one of the
// members.
func suppliesOne(p *origin.Opened, globals []string) bool {
	return slices.ContainsFunc(p.Suggest().Choices, func(c packages.Choice) bool {
		f := p.File(c.Path)
		return c.Page && f.Script != nil && slices.ContainsFunc(slices.Concat(f.Script.Defines, f.Script.Parts),
			func(g script.Global) bool { return slices.Contains(globals, g.Name) })
	})
}

// A dependency is a package that another one's makers say it goes with, and the range of versions.
type dependency struct{ name, rng string }

// meant lists the dependencies of a package, with ranges that its makers can have meant: one without an upper bound
// ends before the first major version that came out after the package, and what is no range is any version.
func (r *Resolver) meant(ctx context.Context, o *origin.Opened) ([]dependency, error) {
	list := dependencies(o)
	for i := range list {
		c := &list[i]
		_, unclear := source.ParseRange(c.rng)
		if unclear == nil && !open(c.rng) {
			continue
		}
		then := r.published(ctx, o)
		doc, err := r.Document(ctx, c.name, true)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			continue
		}
		if unclear != nil {
			if _, err := doc.Resolve(c.rng, nil); err == nil {
				continue // a tag, say
			}
			c.rng = "*" // an address of sources, or a slip of the pen
		}
		if then.IsZero() {
			continue
		}
		newest := newestBy(doc, then)
		major, err := strconv.Atoi(strings.SplitN(newest, ".", 2)[0])
		if err == nil {
			c.rng = capped(c.rng, major+1)
		}
	}
	return list, nil
}

// farAway is a version that no library reaches.
const farAway = "999999.0.0"

// open reports whether a range has no upper bound.
func open(rng string) bool {
	parsed, err := source.ParseRange(rng)
	return err == nil && parsed.Has(farAway)
}

// capped ends the open parts of a range before a major version.
func capped(rng string, major int) string {
	parts := strings.Split(rng, "||")
	for i, part := range parts {
		if part = strings.TrimSpace(part); open(part) {
			if part == "*" || part == "x" {
				part = ""
			}
			part = strings.TrimSpace(fmt.Sprintf("%s <%d.0.0", part, major))
		}
		parts[i] = part
	}
	return strings.Join(parts, " || ")
}

// dependencies lists those of a package, by their names.
func dependencies(o *origin.Opened) []dependency {
	var list []dependency
	peers, others, _ := o.Depends()
	for _, deps := range []map[string]string{peers, others} {
		for n, r := range deps {
			if d := (dependency{n, r}); !slices.Contains(list, d) {
				list = append(list, d)
			}
		}
	}
	slices.SortFunc(list, func(a, b dependency) int {
		return cmp.Or(strings.Compare(a.name, b.name), strings.Compare(a.rng, b.rng))
	})
	return list
}

// partOf finds another script of a package that defines one of the globals, beside those that it would be taken for: a
// plug-in that its makers ship with it.
func partOf(p *origin.Opened, globals []string) string {
	for _, g := range globals {
		if f := p.Definer(g, nil); f != nil {
			return f.Path
		}
	}
	return ""
}

// declared reports whether a package depends on one that is called as a global, or almost.
func declared(o *origin.Opened, globals []string) bool {
	return slices.ContainsFunc(dependencies(o), func(c dependency) bool { return called(c.name, globals) })
}

// called reports whether a package is called as a global, or one of the names begins with the other.
func called(name string, globals []string) bool {
	return slices.ContainsFunc(globals, func(g string) bool {
		a, b := manifest.NameKey(name), manifest.NameKey(g)
		return a != "" && b != "" && (a == b || strings.HasPrefix(a, b) || strings.HasPrefix(b, a))
	})
}

// packageFor finds the dependency that defines one of the globals, and the file of it where that is none of those that
// it would be taken for. Names that agree are tried first; what counts is that a script of the package defines the
// global. With onlyNear other names are not tried, with onlySupplied a name alone does not count.
func (r *Resolver) packageFor(ctx context.Context, o *origin.Opened, globals []string, onlyNear,
	onlySupplied bool) (name, rng, part string, err error) {
	list, err := r.meant(ctx, o)
	if err != nil {
		return "", "", "", err
	}
	near := func(c dependency) bool { return called(c.name, globals) }
	first(list, near)
	if onlyNear { // what is used where it is there need not come along, unless its name says that it is meant
		list = slices.DeleteFunc(list, func(c dependency) bool { return !near(c) })
	}
	const most = 8
	type supplies struct {
		it   bool
		part string
	}
	found, err := parallel.MapWide(ctx, most, list[:min(most, len(list))], func(ctx context.Context,
		c dependency) (supplies, error) {
		dep, err := r.OpenPackage(ctx, c.name, c.rng, nil)
		if err != nil {
			return supplies{}, ctx.Err() // a dependency that can't be had supplies nothing
		}
		return supplies{suppliesOne(dep, globals), partOf(dep, globals)}, nil
	})
	if err != nil {
		return "", "", "", err
	}
	if i := slices.IndexFunc(found, func(s supplies) bool { return s.it }); i >= 0 {
		return list[i].name, list[i].rng, "", nil
	}
	if i := slices.IndexFunc(found, func(s supplies) bool { return s.part != "" }); i >= 0 && !onlySupplied {
		return list[i].name, list[i].rng, found[i].part, nil
	}
	exact := func(c dependency) bool {
		return slices.ContainsFunc(globals, func(g string) bool {
			return manifest.NameKey(c.name) == manifest.NameKey(g)
		})
	}
	i := slices.IndexFunc(list, exact)
	if i < 0 || onlySupplied {
		return "", "", "", nil
	}
	meant := list[i]
	// It is the one that is meant; the newest version that has something for a page is taken.
	if newest, err := r.OpenPackage(ctx, meant.name, meant.rng, nil); err == nil {
		earlier, err := r.earlierMajors(ctx, meant.name, meant.rng, newest.Version)
		if err != nil {
			return "", "", "", err
		}
		for _, version := range earlier {
			if dep, err := r.OpenPackage(ctx, meant.name, version, nil); err == nil && suppliesOne(dep, globals) {
				return meant.name, version, "", nil
			}
		}
	}
	return meant.name, meant.rng, "", ctx.Err()
}
