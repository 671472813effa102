package repin

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/upgrade"
)

// needs reports whether a list of needs is met by a library. What is only used where it is there is no need.
func needs(list []requirements.Requirement, library string) bool {
	return slices.ContainsFunc(list, func(n requirements.Requirement) bool {
		return n.Library == library && n.Strength != string(script.Optional)
	})
}

// releases reports whether the old version needs a library of the crate, and the new one does not. What nobody found
// out, but somebody wrote down, stays.
func (r *repinning) releases(library string) bool {
	return needs(r.needed, library) && !needs(r.needs, library) || slices.Contains(r.instead, library)
}

// bring plans what comes along with the libraries that move: packages that meet new needs are taken, and put on the
// pages before what needs them; what is no longer needed goes, where nothing else uses it.
func bring(ctx context.Context, d *reconcile.Plan, moving []*repinning, req Request, out *Moved) error {
	taking := &libraries.Take{Plan: d}
	for _, r := range moving {
		out.Notes = append(out.Notes, r.notes...)
		if len(r.take) == 0 {
			continue
		}
		before := len(taking.Taken)
		entry := *d.List.Library(r.lib.Name)
		for _, n := range r.take {
			if err := taking.Need(ctx, n, &entry); err != nil {
				return err
			}
		}
		*d.List.Library(r.lib.Name) = entry
		if err := onPagesOf(ctx, d, r.lib.Name, taking.Taken[before:]); err != nil {
			return err
		}
	}
	out.Took = taking.Taken
	for _, r := range moving {
		for _, need := range r.lib.Needs {
			if !r.releases(need) {
				continue
			}
			if err := release(ctx, d, r, need, req, out); err != nil {
				return err
			}
		}
	}
	return nil
}

// onPagesOf puts the files of libraries on the pages that have another one.
func onPagesOf(ctx context.Context, d *reconcile.Plan, library string, taken []string) error {
	_, pages, err := upgrade.UsesOf(ctx, d.Before, library, nil)
	if err != nil || len(pages) == 0 {
		return err
	}
	in := &reconcile.Include{Fragments: true, Patterns: project.Texts(pages)}
	after := d.Before.With(d.List, d.Seal)
	for _, name := range d.List.NeedsFirst(taken) {
		in.Files = append(in.Files, after.TaggedFiles(name, record.NoBuild)...)
	}
	d.OnPages(pages, in.Page)
	return nil
}

// release takes a need out of what a library needs. The library that met it goes, too, if it was there for nothing
// else: no other library needs it, no page's own script uses its globals, it has no stylesheet, and nobody said why it
// is there.
func release(ctx context.Context, d *reconcile.Plan, r *repinning, need string, req Request, out *Moved) error {
	if !req.WithNeeds {
		out.Notes = append(out.Notes, fmt.Sprintf("%s %s no longer needs %s; --with-needs releases it", r.lib.Name,
			r.o.Version, need))
		return nil
	}
	entry := d.List.Library(r.lib.Name)
	entry.Needs = slices.DeleteFunc(slices.Clone(entry.Needs), func(n string) bool { return n == need })
	stays, err := whyStays(ctx, d, r.lib.Name, need)
	if err != nil {
		return err
	}
	if stays != "" {
		out.Notes = append(out.Notes, fmt.Sprintf("%s %s no longer needs %s, which stays: %s", r.lib.Name,
			r.o.Version, need, stays))
		return nil
	}
	if _, err := libraries.Drop(ctx, d, need, true); err != nil {
		return err
	}
	out.Released = append(out.Released, need)
	return nil
}

// whyStays says what else a library is there for, "" for nothing.
func whyStays(ctx context.Context, d *reconcile.Plan, but, library string) (string, error) {
	lib := d.List.Library(library)
	if lib == nil {
		return "it is not in the packing list", nil
	}
	if by := d.List.NeededBy(library); len(by) > 0 {
		return by[0] + " needs it", nil
	}
	if lib.Because != "" {
		return "it is there because " + lib.Because, nil
	}
	var globals []upgrade.RemovedName
	mine := map[string]bool{}
	for global, by := range d.Before.Globals() {
		if by == library {
			globals = append(globals, upgrade.RemovedName{Kind: "global", Name: global})
			mine[global] = true
		}
	}
	for name, sealed := range d.Seal.Libraries {
		for _, f := range sealed.Files {
			if packages.KindOf(f.Path) == packages.Stylesheet && f.Role == record.Tagged && name == library {
				return "it has a stylesheet on pages", nil
			}
			if f.Facts == nil || name == library || name == but {
				continue
			}
			for _, needed := range f.Facts.Needs {
				if slices.ContainsFunc(strings.Split(needed, "|"), func(g string) bool { return mine[g] }) {
					return name + " uses it", nil
				}
			}
		}
	}
	uses, _, err := upgrade.UsesOf(ctx, d.Before, library, globals)
	if err != nil {
		return "", err
	}
	for _, u := range uses {
		if len(u.Uses) > 0 {
			return u.Name + " is used in " + abbreviated(u.Uses), nil
		}
	}
	return "", nil
}
