package repin

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// A crateAfter is the crate as it will be when some of its libraries have moved.
type crateAfter struct {
	p      *project.Project
	moving map[string]*repinning
	bases  map[string][][]byte // the texts of libraries, by name
}

func after(p *project.Project, list []*repinning) *crateAfter {
	a := &crateAfter{p: p, moving: map[string]*repinning{}, bases: map[string][][]byte{}}
	for _, r := range list {
		a.moving[r.lib.Name] = r
	}
	return a
}

// page is what needs are held against.
func (a *crateAfter) page() requirements.Page {
	defined := maps.Clone(a.p.Globals())
	maps.DeleteFunc(defined, func(_, library string) bool { return a.moving[library] != nil })
	for name, r := range a.moving {
		for _, f := range pageScripts(r.o, r.sel) {
			for _, g := range slices.Concat(f.Script.Defines, f.Script.Parts) {
				defined[g.Name] = name
			}
		}
	}
	return requirements.Page{Defined: defined, Texts: a.texts, Version: func(library string) (string, string) {
		if lib := a.p.List.Library(library); lib != nil {
			if name, packaged := lib.Package(); packaged {
				return name, a.version(lib)
			}
		}
		return "", ""
	}}
}

func pageScripts(o *origin.Opened, sel *packages.Selection) []*packages.File {
	var list []*packages.File
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil {
			list = append(list, f)
		}
	}
	return list
}

// version is a library's version as it will be.
func (a *crateAfter) version(lib *record.Library) string {
	if r := a.moving[lib.Name]; r != nil {
		return r.o.Version
	}
	return lib.Version
}

// texts are the scripts of a library behind those of the libraries that it needs.
func (a *crateAfter) texts(library string) [][]byte {
	if list, known := a.bases[library]; known {
		return list
	}
	var list [][]byte
	done := map[string]bool{}
	var add func(name string)
	add = func(name string) {
		lib := a.p.List.Library(name)
		if lib == nil || done[name] {
			return
		}
		done[name] = true
		r := a.moving[name]
		needs := lib.Needs
		if r != nil {
			needs = r.next.Needs
		}
		for _, need := range needs {
			add(need)
		}
		if r == nil {
			list = append(list, a.p.TextsOf(name, nil)...)
			return
		}
		for _, f := range pageScripts(r.o, r.sel) {
			if b, err := r.o.Tree.ReadFile(f.Path); err == nil {
				list = append(list, b)
			}
		}
	}
	add(library)
	a.bases[library] = list
	return list
}

// check makes sure that what needs what fits the new versions: what the new scripts read, and the ranges of versions
// that manifests say. With needs moving along, it returns further moves that are necessary, and notes in each repinning
// what is to be taken. Everything else that is missing is an error.
func (a *crateAfter) check(ctx context.Context, req Request) (further []Move, err error) {
	names := slices.Sorted(maps.Keys(a.moving))
	for _, name := range names {
		r := a.moving[name]
		r.take, r.notes, r.instead, r.next.Needs = nil, nil, nil, slices.Clone(r.lib.Needs)
		if r.needs, err = a.p.Requirements.Needs(ctx, r.o, r.sel, false, a.page()); err != nil {
			return nil, err
		}
		entries.Name(r.o.Package, r.sel, &r.next) // a file of its own may have come along
		if r.needed == nil {
			if r.needed, err = neededBefore(ctx, a.p, r.lib.Name); err != nil {
				return nil, err
			}
		}
		for i := range r.needs {
			move, err := a.meet(ctx, r, &r.needs[i], req)
			if err != nil {
				return nil, err
			}
			further = append(further, move...)
		}
	}
	if len(further) > 0 {
		return further, nil
	}
	if further, err = a.ranges(ctx, req); err != nil || len(further) > 0 {
		return further, err
	}
	return nil, a.addOns(ctx)
}

// addOns notes members that libraries which stay use of bases that move, and that these have no more.
func (a *crateAfter) addOns(ctx context.Context) error {
	for _, lib := range a.p.List.Libraries {
		if a.moving[lib.Name] != nil || !slices.ContainsFunc(lib.Needs, func(n string) bool {
			return a.moving[n] != nil
		}) {
			continue
		}
		before, err := neededBefore(ctx, a.p, lib.Name)
		if err != nil {
			return err
		}
		o, err := a.p.OpenKept(ctx, lib.Name)
		if err != nil {
			continue // what it uses is not known, as before
		}
		now, err := a.p.Requirements.Needs(ctx, o, libraries.Sealed(o.Package, a.p.Seal.Libraries[lib.Name]), false,
			a.page())
		o.Close()
		if err != nil {
			return err
		}
		for i := range now {
			base := a.moving[now[i].Library]
			if base == nil {
				continue
			}
			if lacks := newLacks(before, &now[i]); len(lacks) > 0 {
				base.notes = append(base.notes, fmt.Sprintf("%s %s uses %s.%s, which %s %s has not", lib.Name,
					lib.Version, now[i].Global, project.Abbreviate(lacks, 3), base.lib.Name, base.o.Version))
			}
		}
	}
	return nil
}

// neededBefore is what a library's scripts need as they are. Where the source is at no hand, nothing is known.
func neededBefore(ctx context.Context, p *project.Project, name string) ([]requirements.Requirement, error) {
	o, err := p.OpenKept(ctx, name)
	if err != nil {
		return []requirements.Requirement{}, ctx.Err()
	}
	defer o.Close()
	list, err := p.Requirements.Needs(ctx, o, libraries.Sealed(o.Package, p.Seal.Libraries[name]), false,
		after(p, nil).page())
	if list == nil {
		list = []requirements.Requirement{}
	}
	return list, err
}

// meet sees to one need of a new version: it records the library that meets it, or notes what is to be taken.
func (a *crateAfter) meet(ctx context.Context, r *repinning, n *requirements.Requirement, req Request) ([]Move,
	error) {
	hard := n.Strength == string(script.Hard)
	switch {
	case n.Library == r.lib.Name || n.There != "" || n.Import != "":
		return nil, nil
	case n.Library != "":
		lacks := newLacks(r.needed, n)
		if len(lacks) > 0 || a.otherwise(ctx, r, n) {
			return a.replace(ctx, r, n, lacks, req)
		}
		if n.Strength != string(script.Optional) && !slices.Contains(r.next.Needs, n.Library) {
			r.next.Needs = append(slices.Clone(r.next.Needs), n.Library)
		}
		return nil, nil
	case n.Package != "" && req.WithNeeds:
		r.take = append(r.take, *n)
		return nil, nil
	case slices.ContainsFunc(r.needed, func(b requirements.Requirement) bool {
		return b.Global == n.Global && b.Library == "" && b.Strength == n.Strength
	}):
		return nil, nil // pages have it from elsewhere, or it was missing before
	case hard && n.Package != "":
		return nil, problem.Refuse(problem.NeedUnmet, "the same command with --with-needs  # takes it along",
			"%s %s uses %s (%s), which nothing in the crate defines; the package %s does", r.lib.Name, r.o.Version,
			n.Global, n.At, n.Package)
	case hard:
		return nil, problem.Refuse(problem.NeedUnmet, "take a library that defines "+n.Global+" first",
			"%s %s uses %s (%s), which nothing in the crate defines", r.lib.Name, r.o.Version, n.Global, n.At)
	case n.Package != "":
		r.notes = append(r.notes, fmt.Sprintf("%s %s uses %s of the package %s, which the crate has not; --with-needs "+
			"takes it along", r.lib.Name, r.o.Version, n.Global, n.Package))
	}
	return nil, nil
}

// newLacks are the members that a library uses and what is there has not, less those that it was so with before.
func newLacks(before []requirements.Requirement, n *requirements.Requirement) []string {
	return slices.DeleteFunc(slices.Clone(n.Lacks), func(member string) bool {
		return slices.ContainsFunc(before, func(b requirements.Requirement) bool {
			return b.Global == n.Global && b.Library == n.Library && slices.Contains(b.Lacks, member)
		})
	})
}

// otherwise reports whether the old version depends on the package that meets a need now, and the new one does not: its
// makers may mean another one by the same global.
func (a *crateAfter) otherwise(ctx context.Context, r *repinning, n *requirements.Requirement) bool {
	pkg := a.p.List.Library(n.Library).NameOnCDNs()
	o, err := a.p.OpenKept(ctx, r.lib.Name)
	if err != nil {
		return false
	}
	defer o.Close()
	depends := func(m manifest.Manifest) bool { return m.Peers[pkg] != "" || m.Dependencies[pkg] != "" }
	return depends(o.Manifest) && !depends(r.o.Manifest)
}

// replace finds the package that the new version depends on for a global, where the library of the crate that defines
// it is another one. If there is no such package, it notes members that another version of that library has.
func (a *crateAfter) replace(ctx context.Context, r *repinning, n *requirements.Requirement, lacks []string,
	req Request) ([]Move, error) {
	page := a.page()
	maps.DeleteFunc(page.Defined, func(_, library string) bool { return library == n.Library })
	others, err := a.p.Requirements.Needs(ctx, r.o, r.sel, false, page)
	if err != nil {
		return nil, err
	}
	there := a.p.List.Library(n.Library)
	at := slices.IndexFunc(others, func(o requirements.Requirement) bool {
		return o.Global == n.Global && o.Package != "" && o.Library == "" && o.Package != there.NameOnCDNs()
	})
	what := fmt.Sprintf("%s %s uses %s of the package", r.lib.Name, r.o.Version, n.Global)
	switch {
	case at < 0:
		if n.Strength != string(script.Optional) && !slices.Contains(r.next.Needs, n.Library) {
			r.next.Needs = append(slices.Clone(r.next.Needs), n.Library)
		}
		if found := n.Elsewhere(); len(found) > 0 && len(lacks) > 0 {
			member := slices.Sorted(maps.Keys(found))[0]
			r.notes = append(r.notes, fmt.Sprintf("%s %s uses %s, which %s %s has not; %s has", r.lib.Name,
				r.o.Version, member, there.Name, a.version(there), found[member]))
		}
		return nil, nil
	case req.WithNeeds:
		r.take = append(r.take, others[at])
		r.instead = append(r.instead, n.Library)
		return nil, nil
	}
	return nil, problem.Refuse(problem.NeedUnmet, fmt.Sprintf("the same command with --with-needs  # takes %s in its "+
		"place", others[at].Package), "%s %s, and %s of the crate is another one", what, others[at].Package,
		there.Name)
}

// ranges makes sure that versions fit the ranges that packages say in their manifests.
func (a *crateAfter) ranges(ctx context.Context, req Request) ([]Move, error) {
	for i := range a.p.List.Libraries {
		lib := &a.p.List.Libraries[i]
		var m manifest.Manifest
		r := a.moving[lib.Name]
		if r != nil {
			m = r.o.Manifest
		} else if o, err := a.p.OpenKept(ctx, lib.Name); err == nil {
			m = o.Manifest
			o.Close()
		}
		for _, list := range []map[string]string{m.Peers, m.Dependencies} {
			for _, pkg := range slices.Sorted(maps.Keys(list)) {
				at := slices.IndexFunc(lib.Needs, func(n string) bool {
					other := a.p.List.Library(n)
					return other != nil && other.NameOnCDNs() == pkg
				})
				if at < 0 {
					continue
				}
				need := lib.Needs[at]
				if need == lib.Name || r == nil && a.moving[need] == nil || r != nil && r.releases(need) {
					continue
				}
				is := a.version(a.p.List.Library(need))
				allowed, err := source.ParseRange(list[pkg])
				if err != nil || allowed.Has(is) || unmetBefore(ctx, a.p, *lib, need, pkg) {
					continue // where it was so before, somebody may have a reason
				}
				if req.WithNeeds {
					if move, ok := a.along(ctx, lib, need, list[pkg]); ok {
						return []Move{move}, nil
					}
				}
				return nil, a.misfit(ctx, lib, need, list[pkg], is)
			}
		}
	}
	return nil, nil
}

// along is the further move that makes two libraries fit: of what is needed into the range that is asked for, or of
// what stands on a base to its newest version that fits the base. What is named or held stays.
func (a *crateAfter) along(ctx context.Context, lib *record.Library, need, wish string) (Move, bool) {
	base := a.p.List.Library(need)
	if a.moving[lib.Name] != nil {
		return Move{Library: need, Wish: wish}, a.moving[need] == nil && base.Hold == nil
	}
	version := a.newestFor(ctx, lib, base)
	return Move{Library: lib.Name, Wish: version}, version != "" && lib.Hold == nil
}

// newestFor is the newest version of a library whose manifest allows the version that a base will have, "" if there is
// none or that can't be known.
func (a *crateAfter) newestFor(ctx context.Context, lib, base *record.Library) string {
	pkg, ok := lib.Package()
	if !ok {
		return ""
	}
	doc, err := a.p.Origin.Document(ctx, pkg, false)
	if err != nil {
		return ""
	}
	for _, v := range slices.Backward(doc.Sorted()) {
		wish := cmp.Or(v.Peers[base.NameOnCDNs()], v.Dependencies[base.NameOnCDNs()])
		if allowed, err := source.ParseRange(wish); wish != "" && err == nil && allowed.Has(a.version(base)) &&
			v.Deprecated == "" && v.Version != lib.Version && !strings.Contains(v.Version, "-") {
			return v.Version
		}
	}
	return ""
}

// unmetBefore reports whether what a library says of a package that it needs is not met even now.
func unmetBefore(ctx context.Context, p *project.Project, lib record.Library, need, pkg string) bool {
	o, err := p.OpenKept(ctx, lib.Name)
	if err != nil {
		return false
	}
	defer o.Close()
	wish := cmp.Or(o.Manifest.Peers[pkg], o.Manifest.Dependencies[pkg])
	allowed, err := source.ParseRange(wish)
	return wish != "" && err == nil && !allowed.Has(p.List.Library(need).Version)
}

// misfit says which need is in the way, and what can be done.
func (a *crateAfter) misfit(ctx context.Context, lib *record.Library, need, wish, has string) error {
	base := a.p.List.Library(need)
	held := ""
	next := "merry versions " + lib.Name + "  # lists others"
	switch {
	case base.Hold != nil:
		held = fmt.Sprintf("; %s is held %s: %s", need, base.Hold.Reason(), cmp.Or(base.Hold.Because,
			"no reason was given"))
		next += "; or remove the hold: merry hold " + need + " --off"
	case a.moving[lib.Name] != nil:
		next = fmt.Sprintf("move both at once: merry repin %s@%s %s", lib.Name, a.version(lib), need)
	default:
		if version := a.newestFor(ctx, lib, base); version != "" {
			next = fmt.Sprintf("move %s too: merry repin %s@%s %s@%s", lib.Name, need, has, lib.Name, version)
		} else {
			held = "; no version of " + lib.Name + " is known to be made for that"
		}
	}
	return problem.Refuse(problem.NeedUnmet, next, "%s %s requires %s %s, but would find %s%s", lib.Name,
		a.version(lib), need, wish, has, held)
}
