package requirements

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/origin"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/module"

	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/script"

	"merrycrate.example/merry/crate/source"
)

// maxMembers is how many needs of members a library may have, maxFiles how many files of its own they may bring.
const (
	maxMembers = 6
	maxFiles   = 12
)

// Needs finds out what the chosen scripts of a package need on a page, with optional set also what they use where it is
// there, and what supplies each: a library of the crate, a package, or a file of the package itself, which is added to
// the selection. Where the newest of a package is none that the scripts run with, an older one is named.
func (r *Resolver) Needs(ctx context.Context, o *origin.Opened, sel *packages.Selection, optional bool,
	page Page) ([]Requirement, error) {
	for round := 0; ; round++ {
		further := []script.Strength{script.Later}
		if optional {
			further = append(further, script.Optional)
		}
		found := NeedsOf(o, sel)
		more, err := r.Tried(ctx, o, sel, found)
		if err != nil {
			return nil, err
		}
		found = append(found, more...)
		for _, n := range NeedsOf(o, sel, further...) {
			if !slices.ContainsFunc(found, func(f Requirement) bool { return f.Global == n.Global }) {
				found = append(found, n)
			}
		}
		needs, err := r.Provide(ctx, o, found, page.Defined)
		if err != nil {
			return nil, err
		}
		if needs, err = r.Confirm(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		if needs, err = r.listed(ctx, o, sel, needs, page.Defined); err != nil {
			return nil, err
		}
		if needs, err = r.versioned(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		brought := false
		for i := range needs {
			brought = bring(o, sel, &needs[i]) || brought
		}
		// What the library uses of those is known only when they are: an add-on of an add-on needs both.
		for n := 0; n < maxMembers && !brought; n++ {
			member, err := r.Member(ctx, o, sel, needs, page)
			if err != nil {
				return nil, err
			}
			if member == nil {
				break
			}
			brought = bring(o, sel, member)
			needs = append(needs, *member)
			if member.Library == "" && member.Package == "" {
				break
			}
		}
		if brought && round < maxFiles { // what was may need something itself
			continue
		}
		if needs, err = r.demoted(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		if needs, err = r.inUse(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		if needs, err = r.peers(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		if needs, err = r.shown(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		if needs, err = r.agreed(ctx, o, needs, page); err != nil {
			return nil, err
		}
		runs, err := r.fit(ctx, o, sel, needs, page)
		if err != nil || runs {
			return needs, err
		}
		return r.companions(ctx, o, sel, needs, page)
	}
}

// MaxDepth is how far needs of needs are followed.
const MaxDepth = 10

// A Page is what Needs asks the crate about: who defines what, and which scripts a library puts on a page.
type Page struct {
	Defined map[string]string // a global, or a member of one, to the library of the crate that has it
	Texts   func(library string) [][]byte
	// Version is the package of a registry that a library of the crate is, and its version; "" if it is none.
	Version func(library string) (name, version string)
}

// Prefetch asks what Needs will ask, and that of the packages that it names when deep, so that nothing is waited for
// when it is asked in earnest, with the project locked. What can't be had is reported then.
func (r *Resolver) Prefetch(ctx context.Context, o *origin.Opened, sel *packages.Selection, page Page, deep bool) {
	r.prefetch(ctx, o, sel, page, deep, 0)
}

func (r *Resolver) prefetch(ctx context.Context, o *origin.Opened, sel *packages.Selection, page Page, deep bool,
	depth int) {
	if !o.InRegistry() || depth >= MaxDepth {
		return
	}
	needs, err := r.Needs(ctx, o, sel, deep, page)
	if err != nil || !deep {
		return
	}
	parallel.EachWide(ctx, parallel.Connections, needs, func(ctx context.Context, n Requirement) error {
		if n.Package == "" {
			return nil
		}
		if dep, err := r.OpenPackage(ctx, n.Package, n.Range, nil); err == nil {
			r.prefetch(ctx, dep, dep.Suggest(), page, deep, depth+1)
		}
		return nil
	})
}

// listed adds what the chosen scripts' lists for loaders name and nothing else told: packages that define what a script
// reads where it is there, or that share one namespace with it.
func (r *Resolver) listed(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	defined map[string]string) ([]Requirement, error) {
	if !o.InRegistry() {
		return needs, nil
	}
	declared := map[string]string{}
	list, err := r.meant(ctx, o)
	if err != nil {
		return nil, err
	}
	for _, d := range list {
		declared[d.name] = d.rng
	}
	for _, f := range onPage(o, sel) {
		of := map[string]bool{}
		for _, g := range f.Script.Defines {
			of[g.Name] = true
		}
		for _, n := range f.Script.Needs {
			of[n.Name] = true
		}
		for _, name := range f.Script.Asks {
			key := manifest.NameKey(name)
			met := func(s Requirement) bool {
				return manifest.NameKey(s.Package) == key || manifest.NameKey(s.Library) == key ||
					manifest.NameKey(s.Global) == key
			}
			if pkg, file := module.PackageOf(name), strings.TrimPrefix(name,
				module.PackageOf(name)+"/"); file != name &&
				declared[pkg] != "" {
				n, err := r.fileOf(ctx, o, f, pkg, declared[pkg], file, defined)
				if err != nil {
					return nil, err
				}
				if n != nil {
					needs = append(needs, *n)
				}
				continue
			}
			if !source.ValidPackage(name) || key == manifest.NameKey(o.Name) || slices.ContainsFunc(needs, met) {
				continue
			}
			n, err := r.fromList(ctx, o, f, name, declared[name], of, defined)
			if err != nil {
				return nil, err
			}
			// Several packages may add to one global, and the list names each.
			if n.Global != "" && !slices.ContainsFunc(needs, func(s Requirement) bool {
				return s.Global == n.Global && s.Import == "" && (n.Package == "" || s.Package == n.Package ||
					s.Library != "" || strings.HasPrefix(n.Package, s.Package))
			}) {
				needs = append(needs, n)
			}
		}
	}
	return needs, nil
}

// fromList is the need of a package that a script's list for loaders names. It has a global if there is one that the
// script has to do with, of those given: of a library of the crate, else of the package.
func (r *Resolver) fromList(ctx context.Context, o *origin.Opened, by *packages.File, name, rng string,
	of map[string]bool, defined map[string]string) (Requirement, error) {
	n := Requirement{Strength: string(script.Hard), At: by.Path, Range: rng, Why: "its list for loaders names it",
		tested: true}
	shared := func(p *origin.Opened) string {
		for _, g := range onPage(p, p.Suggest()) {
			for _, d := range g.Script.Defines {
				if of[d.Name] {
					return d.Name
				}
			}
		}
		for _, g := range onPage(p, p.Suggest()) { // it adds to what this one stands on, too
			if rng != "" && slices.ContainsFunc(g.Script.Hard(), func(n script.Need) bool { return of[n.Name] }) {
				return name
			}
		}
		return ""
	}
	key := manifest.NameKey(name)
	for _, global := range slices.Sorted(maps.Keys(defined)) {
		library := defined[global]
		if of[global] && (manifest.NameKey(library) == key || manifest.NameKey(global) == key) {
			n.Global, n.Library = global, library
		}
	}
	var err error
	switch {
	case n.Library != "":
	case n.Range != "":
		if p, opened := r.OpenPackage(ctx, name, n.Range, nil); opened == nil {
			n.Package, n.Global = name, shared(p)
		}
	default:
		var text []byte
		if text, err = o.Tree.ReadFile(by.Path); err != nil {
			return n, err
		}
		err = r.byNames(ctx, o, &n, []string{name}, func(ctx context.Context, p *origin.Opened) (bool, error) {
			if n.Global = shared(p); n.Global == "" {
				var err error
				if n.Global, err = r.spokenOf(ctx, p, onPage(p, p.Suggest()), text); err != nil {
					return false, err
				}
			}
			return n.Global != "", nil
		})
	}
	return n, cmp.Or(err, ctx.Err())
}

// fileOf is the need of one file of a dependency, which a list for loaders names by its path (base/event); nil if the
// dependency has no such file, or what it would be taken for is that.
func (r *Resolver) fileOf(ctx context.Context, o *origin.Opened, by *packages.File, pkg, rng, file string,
	defined map[string]string) (*Requirement, error) {
	p, err := r.OpenPackage(ctx, pkg, rng, nil)
	if err != nil {
		return nil, ctx.Err()
	}
	for i := range p.Files {
		f := &p.Files[i]
		if f.Script == nil || f.Script.Form != script.Classic && f.Script.Form != script.Universal ||
			f.Path != file+".js" && !strings.HasSuffix(f.Path, "/"+file+".js") {
			continue
		}
		n := &Requirement{Strength: string(script.Hard), At: by.Path, Package: pkg, Range: rng, Global: file,
			Why: "its list for loaders names " + pkg + "/" + file}
		for _, g := range slices.Concat(f.Script.Defines, f.Script.Parts) {
			n.Global = g.Name
			break
		}
		if slices.ContainsFunc(by.Script.Defines, func(g script.Global) bool { return g.Name == n.Global }) {
			return nil, nil // it has that packed into it
		}
		if !p.Suggest().Has(f.Path) {
			n.Part = f.Path
		}
		if n.Library = defined[n.Global]; n.Library != "" {
			n.Package, n.Part = "", ""
		}
		return n, nil
	}
	return nil, nil
}

// bring adds to the selection the package's own file that supplies a need, and reports whether there is one.
func bring(o *origin.Opened, sel *packages.Selection, n *Requirement) bool {
	if n.Own == "" || sel.Has(n.Own) {
		return false
	}
	o.Bring(sel, n.Own, n.Global+" is from it")
	return true
}

// maxMajors is how many earlier major versions of what a library needs are tried.
const maxMajors = 3

// fit names an earlier major version of a needed package where the scripts stop with the newest that was found, and run
// to their end with that. It reports whether they run then; where that can't be tried they count as running.
func (r *Resolver) fit(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) (bool, error) {
	if !o.InRegistry() {
		return true, nil
	}
	if runs, known, err := r.run(ctx, o, sel, needs, page); err != nil || runs || !known {
		return true, err
	}
	other, err := r.older(ctx, needs, func(list []Requirement) (bool, error) {
		runs, known, err := r.run(ctx, o, sel, list, page)
		return runs && known, err
	}, "with %s it stops, with %s it runs")
	copy(needs, other)
	return err != nil || other != nil, err
}

// older are needs with an earlier major version of one of them with which a try succeeds, nil if there is none. Why has
// two places, for the version that fails and the one that does not.
func (r *Resolver) older(ctx context.Context, needs []Requirement, try func([]Requirement) (bool, error),
	why string) ([]Requirement, error) {
	for i := range needs {
		n := &needs[i]
		if n.Package == "" || n.Library != "" || n.Only != "" {
			continue
		}
		newest, err := r.OpenPackage(ctx, n.Package, n.Range, nil)
		if err != nil {
			return nil, ctx.Err()
		}
		earlier, err := r.earlierMajors(ctx, n.Package, n.Range, newest.Version)
		if err != nil {
			return nil, err
		}
		for _, version := range earlier {
			other := slices.Clone(needs)
			other[i].Range = version
			if ok, err := try(other); err != nil || ok {
				other[i].because(fmt.Sprintf(why, newest.Version, version))
				return other, err
			}
		}
	}
	return nil, nil
}

// companions finds dependencies that nothing in the scripts names, and without which they stop: with all that its
// makers list a library runs, and what can be left out again is none.
func (r *Resolver) companions(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	pages := onPage(o, sel)
	if len(pages) == 0 {
		return needs, nil
	}
	all := slices.Clone(needs)
	for _, c := range unused(o, needs) {
		if len(all)-len(needs) == maxCandidates {
			break
		}
		p, err := r.OpenPackage(ctx, c.name, c.rng, nil)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil || len(onPage(p, p.Suggest())) == 0 {
			continue
		}
		n := Requirement{Global: c.name, Strength: string(script.Hard), At: pages[0].Path, Package: c.name,
			Range: c.rng, Why: "it stops without it"}
		for _, f := range onPage(p, p.Suggest()) {
			if len(f.Script.Defines) > 0 {
				n.Global = f.Script.Defines[0].Name
				break
			}
		}
		all = append(all, n)
	}
	runs := func(list []Requirement) (bool, error) {
		runs, known, err := r.run(ctx, o, sel, list, page)
		return runs && known, err
	}
	if ok, err := runs(all); len(all) == len(needs) || !ok || err != nil {
		return needs, err
	}
	return fewest(all, func(i int) bool { return i >= len(needs) }, runs)
}

// earlierMajors lists the newest version of each major of a package before a version's that a range allows; where the
// range is that version alone, nobody declared one.
func (r *Resolver) earlierMajors(ctx context.Context, name, wish, version string) ([]string, error) {
	doc, err := r.Document(ctx, name, false)
	if err != nil {
		return nil, ctx.Err()
	}
	rng, err := source.ParseRange(wish)
	if err != nil || wish == version {
		rng = nil
	}
	major := func(v string) string { m, _, _ := strings.Cut(v, "."); return m }
	var list []string
	last := major(version)
	sorted := doc.Sorted()
	for i := len(sorted) - 1; i >= 0 && len(list) < maxMajors; i-- {
		v := sorted[i].Version
		if strings.Contains(v, "-") || source.CompareVersions(v, version) >= 0 || major(v) == last || rng != nil &&
			!rng.Has(v) {
			continue
		}
		last = major(v)
		list = append(list, v)
	}
	return list, nil
}

// run runs the chosen scripts after what supplies their needs, and reports whether all come to their end.
func (r *Resolver) run(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) (runs, known bool, err error) {
	base, err := r.bases(ctx, needs, page)
	if err != nil || base.unknown {
		return false, false, err
	}
	runs, known = true, true
	for _, f := range inOrder(onPage(o, sel)) {
		text, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return false, false, err
		}
		_, stops, tried := r.Facts.Lacks(ctx, base.texts, text, nil)
		runs, known = runs && !stops, known && tried
		base.texts = append(base.texts, text)
	}
	return runs, known, nil
}
