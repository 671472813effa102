package requirements

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/source"
)

// agreed names versions that go with each other for packages that needs would be met by: where one of them stands on
// another one, both can be of ranges that the library allows, and still not fit. It puts each behind what it stands on.
func (r *Resolver) agreed(ctx context.Context, o *origin.Opened, needs []Requirement, page Page) ([]Requirement,
	error) {
	declared := map[string]string{}
	for _, c := range dependencies(o) {
		declared[c.name] = c.rng
	}
	standsOn := make([]map[string]string, len(needs))
	for i := range needs {
		n := &needs[i]
		if n.Package == "" || n.Library != "" || !o.InRegistry() {
			continue
		}
		p, err := r.OpenPackage(ctx, n.Package, n.Range, nil)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			continue
		}
		peers, others, _ := p.Depends()
		standsOn[i] = basesOf(peers, others)
		for k := range needs {
			if rng := standsOn[i][named(&needs[k], page)]; rng != "" && k != i {
				if err := r.agree(ctx, n, p.Version, &needs[k], rng, declared, page); err != nil {
					return nil, err
				}
			}
		}
	}
	return basesFirst(needs, func(i, k int) bool { return standsOn[i][named(&needs[k], page)] != "" }), nil
}

// basesOf are the packages that one stands on, with their ranges: its peers and its dependencies.
func basesOf(peers, dependencies map[string]string) map[string]string {
	all := maps.Clone(peers)
	if all == nil {
		all = map[string]string{}
	}
	maps.Copy(all, dependencies)
	return all
}

// under reports whether one of the packages that needs would be met by stands on that of another need.
func (r *Resolver) under(ctx context.Context, n Requirement, needs []Requirement) bool {
	return n.Package != "" && slices.ContainsFunc(needs, func(other Requirement) bool {
		if other.Package == "" || other.Package == n.Package || other.Library != "" {
			return false
		}
		p, err := r.OpenPackage(ctx, other.Package, other.Range, nil)
		if err != nil {
			return false
		}
		peers, others, _ := p.Depends()
		return basesOf(peers, others)[n.Package] != ""
	})
}

// named is the package that meets a need, or that a library of the crate is; "" for none.
func named(n *Requirement, page Page) string {
	if n.Library != "" && page.Version != nil {
		name, _ := page.Version(n.Library)
		return name
	}
	return n.Package
}

// agree makes the version of what a need stands on one that the package allows which would meet the need. Of what the
// crate has that can't be changed, so it is the package whose version changes, unless the library names its range.
func (r *Resolver) agree(ctx context.Context, n *Requirement, version string, on *Requirement, rng string,
	declared map[string]string, page Page) error {
	allowed, err := source.ParseRange(rng)
	if err != nil {
		return nil // a tag, or an address: nothing is known of it
	}
	if on.Library != "" {
		_, there := page.Version(on.Library)
		if there == "" || allowed.Has(there) || declared[n.Package] != "" {
			return nil
		}
		return r.olderFor(ctx, n, named(on, page), there)
	}
	doc, err := r.Document(ctx, on.Package, false)
	if err != nil {
		return ctx.Err()
	}
	now, err := doc.Resolve(on.Range, nil)
	if err != nil || allowed.Has(now.Version) {
		return nil // that it can't be had is said when it is taken
	}
	own, _ := source.ParseRange(declared[on.Package])
	both, err := doc.Resolve(rng, func(v string) bool { return own == nil || own.Has(v) })
	if err == nil {
		on.Range = both.Version
		on.because(fmt.Sprintf("%s %s goes with %s", n.Package, version, rng))
	}
	return nil
}

// olderFor names the newest version of a package that goes with a version of what it stands on.
func (r *Resolver) olderFor(ctx context.Context, n *Requirement, on, there string) error {
	doc, err := r.Document(ctx, n.Package, false)
	if err != nil {
		return ctx.Err()
	}
	fits, err := doc.Resolve("*", func(version string) bool {
		v := doc.Versions[version]
		rng, err := source.ParseRange(basesOf(v.Peers, v.Dependencies)[on])
		return err == nil && rng.Has(there)
	})
	if err == nil {
		n.Range = fits.Version
		n.because(fmt.Sprintf("it goes with %s %s", on, there))
	}
	return nil
}

// basesFirst puts needs behind those that they stand on, and leaves them in their sequence otherwise.
func basesFirst(needs []Requirement, standsOn func(i, k int) bool) []Requirement {
	var list []Requirement
	left := make([]int, len(needs))
	for i := range left {
		left[i] = i
	}
	for len(left) > 0 {
		at := slices.IndexFunc(left, func(i int) bool {
			return !slices.ContainsFunc(left, func(k int) bool { return k != i && standsOn(i, k) })
		})
		at = max(at, 0) // those in a circle come as they are
		list = append(list, needs[left[at]])
		left = slices.Delete(left, at, at+1)
	}
	return list
}
