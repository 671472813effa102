package requirements

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/origin"

	"merrycrate.example/merry/crate/manifest"

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
		found := NeedsOf(o, sel, further...)
		more, err := r.Tried(ctx, o, sel, found)
		if err != nil {
			return nil, err
		}
		needs, err := r.Provide(ctx, o, append(found, more...), page.Defined)
		if err != nil {
			return nil, err
		}
		if needs, err = r.Confirm(ctx, o, sel, needs, page); err != nil {
			return nil, err
		}
		if needs, err = r.listed(ctx, o, sel, needs, page.Defined); err != nil {
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
		if needs, err = r.inUse(ctx, o, sel, needs, page); err != nil {
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
}

// Prefetch asks what Needs will ask, and that of the packages that it names when deep, so that nothing is waited for
// when it is asked in earnest, with the project locked. What can't be had is reported then.
func (r *Resolver) Prefetch(ctx context.Context, o *origin.Opened, sel *packages.Selection, page Page, deep bool) {
	r.prefetch(ctx, o, sel, page, deep, 0)
}

func (r *Resolver) prefetch(ctx context.Context, o *origin.Opened, sel *packages.Selection, page Page, deep bool,
	depth int) {
	if o.Kind != origin.Package || depth >= MaxDepth {
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
	if o.Kind != origin.Package {
		return needs, nil
	}
	declared := map[string]string{}
	for _, d := range dependencies(o) {
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
		shared := func(p *origin.Opened) string {
			for _, g := range onPage(p, p.Suggest()) {
				for _, d := range g.Script.Defines {
					if of[d.Name] {
						return d.Name
					}
				}
			}
			return ""
		}
		for _, name := range f.Script.Asks {
			key := manifest.NameKey(name)
			met := func(s Requirement) bool {
				return manifest.NameKey(s.Package) == key || manifest.NameKey(s.Library) == key ||
					manifest.NameKey(s.Global) == key
			}
			if !source.ValidPackage(name) || key == manifest.NameKey(o.Name) || slices.ContainsFunc(needs, met) {
				continue
			}
			n := Requirement{Strength: string(script.Hard), At: f.Path, Range: declared[name],
				Why: "its list for loaders names it"}
			for _, global := range slices.Sorted(maps.Keys(defined)) {
				library := defined[global]
				if of[global] && (manifest.NameKey(library) == key ||
					manifest.NameKey(library) == manifest.NameKey(global)) {
					n.Global, n.Library = global, library
				}
			}
			switch {
			case n.Library != "":
			case n.Range != "":
				if p, err := r.OpenPackage(ctx, name, n.Range, nil); err == nil {
					n.Package, n.Global = name, shared(p)
				}
			default:
				err := r.byNames(ctx, o, &n, []string{name}, func(_ context.Context, p *origin.Opened) (bool, error) {
					n.Global = shared(p)
					return n.Global != "", nil
				})
				if err != nil {
					return nil, err
				}
			}
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			if n.Global != "" {
				needs = append(needs, n)
			}
		}
	}
	return needs, nil
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
	if o.Kind != origin.Package {
		return true, nil
	}
	if runs, known, err := r.run(ctx, o, sel, needs, page); err != nil || runs || !known {
		return true, err
	}
	for i := range needs {
		n := &needs[i]
		if n.Package == "" || n.Library != "" {
			continue
		}
		newest, err := r.OpenPackage(ctx, n.Package, n.Range, nil)
		if err != nil {
			return true, ctx.Err()
		}
		earlier, err := r.earlierMajors(ctx, n.Package, n.Range, newest.Version)
		if err != nil {
			return true, err
		}
		was := *n
		for _, version := range earlier {
			n.Range = version
			runs, known, err := r.run(ctx, o, sel, needs, page)
			if err != nil {
				return true, err
			}
			if runs && known {
				n.Why = strings.TrimPrefix(was.Why+"; ", "; ") + fmt.Sprintf("without %s it stops, with %s it runs",
					newest.Version, version)
				return true, nil
			}
		}
		*n = was
	}
	return false, nil
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
	if err != nil {
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
