package requirements

import (
	"context"
	"path"
	"slices"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
)

// maxRivals is how many other builds the readme's example is tried with.
const maxRivals = 3

// ByExample returns, with what it needs, the suggestion that the readme's example runs with. It is the suggested one,
// unless that fails. Then earlier majors of what it needs are tried, and then other builds of the library. A plain
// script that stops in any case gives way to the module. Build makes the suggestion with one option in it. Sel and
// needs are what Needs was asked about, and what it found.
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
	works := func(list []Requirement) (bool, error) {
		works, known, err := r.works(ctx, o, sel, list, page, example)
		return works && known, err
	}
	if older, err := r.older(ctx, needs, works, "its readme's example fails with %s, with %s it runs"); err != nil ||
		older != nil {
		return sel, older, err
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
	first(rivals, func(o packages.Option) bool { return path.Dir(o.Files[0]) == path.Dir(files[0].Path) })
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
