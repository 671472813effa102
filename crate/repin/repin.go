// Package repin plans the move of libraries to other versions: their files and references, what they need, and the
// names that are other ones now.
package repin

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/successors"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/upgrade"
)

// A Request asks for libraries to be moved to other versions, in one change.
type Request struct {
	Moves []Move
	Dir   string // where sources are looked for
	// all libraries of the crate that came from a registry, to the newest that their holds allow
	Newest  bool
	Renames map[string]string // classes on pages, old to new; parts of pictures, each with # before
	// RenameSure applies the renames that comparing the two versions is sure of.
	RenameSure bool
	// PagesOnly leaves own stylesheets and scripts as they are where classes are renamed.
	PagesOnly bool
	// WithNeeds moves what the libraries need along: it takes what is new, and releases what is needed no more.
	WithNeeds bool
	// Fits chooses, of libraries without a wish, the newest version that fits the site's browsers and the other
	// libraries.
	Fits bool
	// Modules allows a version that has only modules: pages import the library, and hand it to their plain scripts.
	Modules bool
	// KeepParts refuses a version that lacks a file which pages have.
	KeepParts bool
}

// Move is one library and where it is to go.
type Move struct {
	Library string
	Wish    string // a version, a range or a tag; "" for the newest
	Source  string // where the other version is, if not where the library came from
}

// Moved is the result of repin.
type Moved struct {
	reconcile.Result
	Libraries []MovedLibrary         `json:"libraries"`         // the libraries that moved
	Pages     []reconcile.PageChange `json:"pages,omitempty"`   // Removed and Added: the references before and after
	Renames   []DoneRename           `json:"renames,omitempty"` // the renames that were applied
	// Faults are findings of check on the pages that have the libraries, rehearsed, which were not there before.
	Faults []check.Finding `json:"faults,omitempty"`
	// Dropped are files that the new version does not have, each with the places of the tags that went.
	Dropped  []string `json:"dropped,omitempty"`
	Modules  []string `json:"modules,omitempty"`  // the lines of the module that pages get for a plain script
	Took     []string `json:"took,omitempty"`     // libraries that were taken since they are needed now
	Released []string `json:"released,omitempty"` // libraries that went since nothing needs them any more
	Notes    []string `json:"notes,omitempty"`    // what else to know
}

// MovedLibrary is one library that was moved, or was where it should be.
type MovedLibrary struct {
	Library string `json:"library"` // the library's name in the crate
	Old     string `json:"old"`     // the old version
	New     string `json:"new"`     // the new version
}

// DoneRename is a class that was renamed on pages and in own files.
type DoneRename struct {
	Kind   string   `json:"kind"`            // class, attribute, custom property, or symbol for a part of a picture
	Old    string   `json:"old"`             // the old name
	New    string   `json:"new"`             // two names with a blank between them where it became two
	Places int      `json:"places"`          // number of places
	Files  []string `json:"files,omitempty"` // own stylesheets and scripts that follow
}

// repinning is one library on its way.
type repinning struct {
	lib  *record.Library // as it is
	o    *origin.Opened
	sel  *packages.Selection
	next record.Library

	needs   []requirements.Requirement // what the new version needs
	needed  []requirements.Requirement // what the old one needs; nil if nobody asked yet
	take    []requirements.Requirement // needs whose packages are to be taken
	instead []string                   // libraries in whose place others are taken
	notes   []string
	bridge  *bridge // to its module, where pages had its plain script; nil for none
}

// Prefetch opens what a request needs before the project is locked, so that a slow server blocks nobody. It returns the
// pages, by their names in the site, that have a library which moves.
func Prefetch(ctx context.Context, p *project.Project, req Request) ([]string, error) {
	list, moving, err := gather(ctx, p, req, &Moved{})
	defer func() { closeMoves(list) }()
	if err != nil {
		return nil, err
	}
	var on []string
	for _, r := range moving {
		for _, n := range r.take {
			if dep, err := p.Origin.OpenPackage(ctx, n.Package, n.Range, nil); err == nil {
				p.Requirements.Prefetch(ctx, dep, dep.Suggest(), after(p, list).page(), true)
			}
		}
		_, pages, err := upgrade.UsesOf(ctx, p, r.lib.Name, nil)
		if err != nil {
			return nil, err
		}
		on = append(on, project.Texts(pages)...)
	}
	slices.Sort(on)
	return slices.Compact(on), ctx.Err()
}

// maxFurther is how many libraries may move along.
const maxFurther = 20

// gather opens the versions of a request, and those that move along, and makes sure that all fit. It returns all, to be
// closed, and those that move.
func gather(ctx context.Context, p *project.Project, req Request, out *Moved) (list, moving []*repinning, err error) {
	if list, err = openMoves(ctx, p, req, out); err != nil {
		return list, nil, err
	}
	moving = slices.DeleteFunc(slices.Clone(list), func(r *repinning) bool { return r.sel == nil })
	for _, r := range slices.Clone(moving) {
		switch err := scriptKept(p, r, req.Modules); {
		case err != nil && !req.Newest:
			return list, nil, err
		case err != nil:
			moving = stay(moving, slices.Index(moving, r), err, out)
		}
	}
	for len(moving) > 0 {
		further, err := after(p, moving).check(ctx, req)
		switch {
		case err == nil && len(further) == 0:
			return list, moving, nil
		case err != nil && (!req.Newest || problem.Of(err).Code != problem.NeedUnmet):
			return list, nil, err
		case err != nil:
			moving = leave(ctx, p, moving, err, req, out)
			continue
		case len(list) > maxFurther:
			return list, nil, problem.Refuse(problem.NeedUnmet, "name the libraries and their versions",
				"more than %d libraries would have to move along", maxFurther)
		}
		for _, m := range further {
			r, err := openMove(ctx, p, m, req, out)
			if err != nil {
				return list, nil, err
			}
			list = append(list, r)
			if r.sel == nil {
				return list, nil, problem.Refuse(problem.NeedUnmet, "merry versions "+m.Library, "%s would have to be "+
					"%s, and is %s", m.Library, m.Wish, r.o.Version)
			}
			moving = append(moving, r)
			out.Libraries = append(out.Libraries, MovedLibrary{r.lib.Name, r.lib.Version, r.o.Version})
		}
	}
	return list, moving, nil
}

// scriptKept refuses a version that has no script for the pages that have the library's script now.
func scriptKept(p *project.Project, r *repinning, asModules bool) (err error) {
	old, plain := p.Seal.Libraries[r.lib.Name], false
	for _, f := range old.Files {
		plain = plain || f.Role == record.Tagged && packages.KindOf(f.Path) == packages.Script && !f.Module
	}
	modules := ""
	for _, f := range pageScripts(r.o, r.sel) {
		if f.Script.Form != script.Module {
			return nil
		}
		modules = f.Path
	}
	if !plain {
		return nil
	}
	next := "merry versions " + r.lib.Name + "  # lists others"
	if modules != "" && asModules {
		r.bridge, err = bridgeTo(p, r)
		return err
	}
	if modules != "" {
		return problem.Refuse(problem.NothingThere, next, "%s %s has no plain build any more, only modules such as "+
			"%s, and pages have its plain script", r.lib.Name, r.o.Version, modules)
	}
	return problem.Refuse(problem.NothingThere, next, "%s %s has no script for pages any more", r.lib.Name,
		r.o.Version)
}

// Plan plans moving libraries to other versions: their files, the versions in their names, the references on all
// pages, and both records. Needs are checked against the new versions first. Done says afterwards what became of the
// names that were renamed and of the tags; it is nil if there is nothing to apply.
func Plan(ctx context.Context, d *reconcile.Plan, req Request) (out *Moved, done func(), err error) {
	out = &Moved{}
	list, moving, err := gather(ctx, d.Before, req, out)
	defer func() { closeMoves(list) }()
	if err != nil || len(moving) == 0 {
		return out, nil, err
	}
	renames := maps.Clone(req.Renames)
	if renames == nil {
		renames = map[string]string{}
	}
	parts, others := map[string]string{}, map[string]string{}
	for old, new := range renames {
		if strings.HasPrefix(old, "--") || strings.HasPrefix(old, "[") {
			others[strings.Trim(old, "[]")] = strings.Trim(new, "[]")
			delete(renames, old)
		}
		if strings.HasPrefix(old, "#") {
			parts[old] = strings.TrimPrefix(new, "#")
			delete(renames, old)
		}
	}
	if req.RenameSure {
		if err := sureRenames(ctx, d.Before, moving, req, renames, parts, others, out); err != nil {
			return nil, nil, err
		}
	}
	title := "repin"
	concerned := map[string]bool{}
	d.DropGone = !req.KeepParts
	for _, r := range moving {
		title += fmt.Sprintf(" %s %s to %s", r.lib.Name, r.lib.Version, r.o.Version)
		concerned[r.lib.Name] = true
		if err := placeMove(ctx, d, r); err != nil {
			return nil, nil, err
		}
		if r.bridge != nil {
			r.bridge.onPages(d, r, out)
		}
		if err := complete(ctx, d, r.lib.Name); err != nil {
			return nil, nil, err
		}
	}
	if err := bring(ctx, d, moving, req, out); err != nil {
		return nil, nil, err
	}
	d.Title(title)
	r := newRenaming(d.Before, renames, parts, others)
	if err := r.on(ctx, d, concerned, req.PagesOnly); err != nil {
		return nil, nil, err
	}
	return out, func() {
		out.Renames, out.Dropped = r.done(), d.Dropped
		for _, k := range d.LeftBehind {
			out.Notes = append(out.Notes, strings.Replace(k, ": ", " stays: ", 1))
		}
	}, nil
}

// leave takes one library out of those that move, for the sake of what others need, and says why: one without which
// nothing is wrong any more, else the last.
func leave(ctx context.Context, p *project.Project, moving []*repinning, why error, req Request,
	out *Moved) []*repinning {
	at := len(moving) - 1
	for i := range moving {
		if _, err := after(p, slices.Delete(slices.Clone(moving), i, i+1)).check(ctx, req); err == nil {
			at = i
			break
		}
	}
	return stay(moving, at, why, out)
}

// stay takes one library out of those that move, and says why.
func stay(moving []*repinning, at int, why error, out *Moved) []*repinning {
	left := moving[at]
	out.Notes = append(out.Notes, fmt.Sprintf("%s stays at %s: %s", left.lib.Name, left.lib.Version, why))
	for i := range out.Libraries {
		if out.Libraries[i].Library == left.lib.Name {
			out.Libraries[i].New = left.lib.Version
		}
	}
	return slices.Delete(slices.Clone(moving), at, at+1)
}

// complete puts files for pages that the new version has and the old one had not on the pages that had all of the old
// one's.
func complete(ctx context.Context, d *reconcile.Plan, library string) error {
	old, new := d.Before.Seal.Libraries[library], d.Seal.Libraries[library]
	follows, next := map[*record.File]bool{}, map[string]string{}
	for o, n := range successors.Between(old, new) {
		if follows[n] = true; n != nil {
			next[o.Path] = n.Path
		}
	}
	fresh := slices.DeleteFunc(d.Before.With(d.List, d.Seal).TaggedFiles(library, record.NoBuild),
		func(f project.TaggedFile) bool { return follows[f.File] || !f.Style && f.File.Module })
	had := d.Before.TaggedFiles(library, record.NoBuild)
	if len(fresh) == 0 || len(had) == 0 {
		return nil
	}
	_, pages, err := upgrade.UsesOf(ctx, d.Before, library, nil)
	if err != nil {
		return err
	}
	in := &reconcile.Include{Files: fresh, Fragments: true, Patterns: project.Texts(pages)}
	d.OnPages(pages, func(ctx context.Context, e *tags.Editor, done *reconcile.PageChange) error {
		for _, f := range had {
			if !slices.ContainsFunc(e.Of, func(of project.Sealed) bool {
				return of.Library == library && (of.File.Path == f.File.Path || of.File.Path == next[f.File.Path])
			}) {
				return nil
			}
		}
		return in.Page(ctx, e, done)
	})
	return nil
}

// placeMove plans a library's new version. It stays where it is: its entry says where that is, if it is not the usual
// place.
func placeMove(ctx context.Context, d *reconcile.Plan, r *repinning) error {
	old := d.Seal.Libraries[r.lib.Name]
	next := r.next
	next.Rename = knownRenames(r.o.Package, r.sel, r.lib.Rename)
	next.Places = entries.Follow(r.o.Package, r.sel, r.lib, r.o.Version)
	l, err := libraries.Of(r.o, next, r.sel)
	if err != nil {
		return err
	}
	l.Linked = old.Linked
	old.Version = r.o.Version // so that its older files may be written over
	if _, err := l.Plan(ctx, d); err != nil {
		return err
	}
	entry := d.List.Library(r.lib.Name)
	entry.Rename = r.lib.Rename
	if d.Dry() {
		return nil
	}
	return d.Before.Origin.Store(ctx, r.o, d.Seal.Libraries[r.lib.Name])
}
