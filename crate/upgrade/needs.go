package upgrade

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"

	"merrycrate.example/merry/crate/requirements"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// needsKept makes sure that what needs what fits the new versions: ranges that packages say in their manifests, and
// what the new scripts read.
func needsKept(ctx context.Context, p *project.Project, list []*repinning) error {
	version := map[string]string{} // of a package, as it will be
	library := map[string]string{}
	for _, lib := range p.List.Libraries {
		version[lib.NameOnCDNs()], library[lib.NameOnCDNs()] = lib.Version, lib.Name
	}
	moving := map[string]*repinning{}
	for _, r := range list {
		version[r.lib.NameOnCDNs()] = r.o.Version
		moving[r.lib.Name] = r
	}
	for _, lib := range p.List.Libraries {
		var manifest manifest.Manifest
		if r := moving[lib.Name]; r != nil {
			manifest = r.o.Manifest
		} else if o, err := p.OpenKept(ctx, lib.Name); err == nil {
			manifest = o.Manifest
			o.Close()
		}
		for _, ranges := range []map[string]string{manifest.Peers, manifest.Dependencies} {
			for pkg, wish := range ranges {
				need := library[pkg]
				if need == "" || need == lib.Name || moving[lib.Name] == nil && moving[need] == nil ||
					!slices.Contains(lib.Needs, need) {
					continue
				}
				allowed, err := source.ParseRange(wish)
				if err != nil || allowed.Has(version[pkg]) {
					continue
				}
				if unmetBefore(ctx, p, lib, need, pkg) {
					continue // it was so before, and somebody may have a reason
				}
				return misfit(p, lib, moving, need, wish, version[pkg])
			}
		}
	}
	defined := p.Globals()
	for _, r := range list {
		for _, n := range requirements.NeedsOf(r.o, r.sel) {
			by := ""
			for _, g := range append([]string{n.Global}, n.Or...) {
				by = cmp.Or(by, defined[g])
			}
			if by == "" {
				return problem.Refuse(problem.NeedUnmet, "take a library that defines "+n.Global+" first",
					"%s %s uses %s (%s), which nothing in the crate defines", r.lib.Name, r.o.Version, n.Global, n.At)
			}
			if by != r.lib.Name && !slices.Contains(r.next.Needs, by) {
				r.next.Needs = append(slices.Clone(r.next.Needs), by)
			}
		}
	}
	return nil
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
func misfit(p *project.Project, lib record.Library, moving map[string]*repinning, need, wish, has string) error {
	at := lib.Version
	if r := moving[lib.Name]; r != nil {
		at = r.o.Version
	}
	held := ""
	next := fmt.Sprintf("upgrade both at once: merry repin %s@%s %s@VERSION", lib.Name, at, need)
	if n := p.List.Library(need); n != nil && n.Hold != nil {
		held = fmt.Sprintf("; %s is held %s: %s", need, n.Hold.Reason(), cmp.Or(n.Hold.Because, "no reason was given"))
		next = "merry versions " + lib.Name + "  # lists others; or remove the hold: merry hold " + need + " --off"
	} else if moving[lib.Name] == nil {
		next = fmt.Sprintf("upgrade %s too: merry repin %s@%s %s", lib.Name, need, has, lib.Name)
	}
	return problem.Refuse(problem.NeedUnmet, next, "%s %s requires %s %s, but would find %s%s", lib.Name, at, need,
		wish, has, held)
}

// knownRenames leaves out renamings of files that the new version does not have.
func knownRenames(d *packages.Package, sel *packages.Selection, rename map[string]string) map[string]string {
	out := map[string]string{}
	for old, new := range rename {
		if slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
			return c.Path == old || path.Base(c.Path) == old
		}) {
			out[old] = new
		}
	}
	return out
}
