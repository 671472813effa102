package requirements

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
)

// lackingThere says of what stands on the pages, in the crate or without a record, which members it has not that the
// scripts use. Of a package of the registry those count that another version has, and that is named.
func (r *Resolver) lackingThere(ctx context.Context, n *Requirement, uses []string, page Page) error {
	members, known := r.Facts.Members(ctx, page.Texts(n.Library))
	if !known {
		return nil
	}
	lacks := slices.DeleteFunc(slices.Clone(uses), func(use string) bool { return members[use] })
	if n.Lacks = lacks; len(lacks) == 0 {
		return nil
	}
	name, version := "", ""
	if page.Version != nil {
		name, version = page.Version(n.Library)
	}
	if name == "" || len(r.Registries) == 0 || r.Offline {
		n.because("it uses " + short(lacks) + ", which that has not: it may be too old or too new")
		return nil
	}
	doc, err := r.Document(ctx, name, false)
	if err != nil {
		return ctx.Err()
	}
	newest := newestBy(doc, time.Time{})
	others, err := r.earlierMajors(ctx, name, "*", newest)
	if err != nil {
		return err
	}
	best, fewest := "", lacks
	for _, other := range append([]string{newest}, others...) {
		less, known, err := r.lacking(ctx, name, other, lacks)
		if err != nil {
			return err
		}
		if known && len(less) < len(fewest) {
			best, fewest = other, less
		}
	}
	if best != "" {
		gone := slices.DeleteFunc(slices.Clone(lacks), func(use string) bool { return slices.Contains(fewest, use) })
		n.elsewhere = map[string]string{}
		for _, use := range gone {
			n.elsewhere[n.Global+"."+use] = name + "@" + best
		}
		n.because(fmt.Sprintf("it uses %s, which %s %s has not; %[4]s has: merry repin %[2]s@%[4]s", short(gone),
			n.Library, version, best))
	}
	return nil
}

// versioned names, for packages that needs would be met by, the newest version that has the members which the chosen
// scripts use of them. If none has all it is the one that lacks fewest, and the members are named.
func (r *Resolver) versioned(ctx context.Context, o *origin.Opened, sel *packages.Selection,
	needs []Requirement, page Page) ([]Requirement, error) {
	for i := range needs {
		n := &needs[i]
		uses := usesOf(onPage(o, sel), append([]string{n.Global}, n.Or...))
		if n.Library != "" && len(uses) > 0 {
			if err := r.lackingThere(ctx, n, uses, page); err != nil {
				return nil, err
			}
		}
		if !o.InRegistry() || n.Package == "" || n.Library != "" || len(uses) == 0 {
			continue
		}
		newest, err := r.OpenPackage(ctx, n.Package, n.Range, nil)
		if err != nil {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			continue
		}
		lacks, known, err := r.lacking(ctx, n.Package, newest.Version, uses)
		if err != nil {
			return nil, err
		}
		if !known || len(lacks) == 0 {
			continue
		}
		earlier, err := r.earlierMajors(ctx, n.Package, n.Range, newest.Version)
		if err != nil {
			return nil, err
		}
		best, fewestLacks := "", lacks
		everywhere := lacks // what no version has is none of theirs
		for _, version := range earlier {
			less, known, err := r.lacking(ctx, n.Package, version, uses)
			if err != nil {
				return nil, err
			}
			if !known {
				continue
			}
			everywhere = slices.DeleteFunc(slices.Clone(everywhere), func(name string) bool {
				return !slices.Contains(less, name)
			})
			if len(less) < len(fewestLacks) {
				best, fewestLacks = version, less
			}
		}
		own := slices.DeleteFunc(slices.Clone(fewestLacks), func(name string) bool {
			return slices.Contains(everywhere, name)
		})
		if best != "" {
			gone := slices.DeleteFunc(slices.Clone(lacks), func(name string) bool {
				return slices.Contains(fewestLacks, name)
			})
			n.Range = best
			n.because(fmt.Sprintf("it uses %s, which %s %s has not", short(gone), n.Package, newest.Version))
		}
		if len(own) > 0 {
			n.because("no version has all that it uses: " + short(own) + " is missing")
		}
	}
	return needs, nil
}

// because adds a reason.
func (s *Requirement) because(why string) { s.Why = strings.TrimPrefix(s.Why+"; "+why, "; ") }

// short is the first few of a list of names.
func short(names []string) string {
	const most = 4
	if len(names) > most {
		return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %d more", len(names)-most)
	}
	return strings.Join(names, ", ")
}

// usesOf are the members that scripts use of one of some globals, less the global: trim, fn.boat. They are sorted.
func usesOf(files []*packages.File, globals []string) []string {
	var list []string
	for _, f := range files {
		for _, g := range f.Script.Uses {
			global, member, _ := strings.Cut(g.Name, ".")
			if slices.Contains(globals, global) && !slices.Contains(list, member) && !ofAnyObject[member] {
				list = append(list, member)
			}
		}
	}
	// What a script adds for others is there by then.
	list = slices.DeleteFunc(list, func(member string) bool {
		return slices.ContainsFunc(files, func(f *packages.File) bool {
			return slices.ContainsFunc(f.Script.Parts, func(g script.Global) bool {
				_, part, _ := strings.Cut(g.Name, ".")
				return part == member
			})
		})
	})
	slices.Sort(list)
	return list
}

// ofAnyObject are the members that functions and objects have in any case.
var ofAnyObject = map[string]bool{"call": true, "apply": true, "bind": true, "prototype": true, "constructor": true,
	"length": true, "name": true, "toString": true, "hasOwnProperty": true, "valueOf": true, "default": true,
	"fn": true}

// lacking are the members of those that a version of a package does not give its globals; known is false where that
// can't be told.
func (r *Resolver) lacking(ctx context.Context, name, version string, uses []string) (lacks []string, known bool,
	err error) {
	texts, err := r.packageTexts(ctx, name, version, 0)
	if err != nil || len(texts) == 0 {
		return nil, false, err
	}
	members, known := r.Facts.Members(ctx, texts)
	if !known {
		return nil, false, nil
	}
	for _, use := range uses {
		if !members[use] {
			lacks = append(lacks, use)
		}
	}
	return lacks, true, nil
}
