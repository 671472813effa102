package libraries

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/texts"
)

// Applied is the result of settle.
type Applied struct {
	reconcile.Result
	Done  []Done                 `json:"done"`            // what was applied
	Pages []reconcile.PageChange `json:"pages,omitempty"` // the pages that changed
	Notes []string               `json:"notes,omitempty"` // what else to know
}

// Done is one thing that was applied for a library.
type Done struct {
	Library string `json:"library"` // the library's name in the crate
	What    string `json:"what"`    // what was done
}

// An Applying is one run of settle.
type Applying struct {
	Plan    *reconcile.Plan
	Dir     string   // where paths begin
	Sources []string // folders in which archives are looked for that are not where they were
	Out     *Applied
}

func (s *Applying) did(library, format string, args ...any) {
	s.Out.Done = append(s.Out.Done, Done{library, fmt.Sprintf(format, args...)})
}

// Prefetch fetches what is needed before the project is locked, so that a slow server blocks nobody. Faults are
// reported when the change is planned.
func Prefetch(ctx context.Context, p *project.Project) {
	s := &Applying{Plan: &reconcile.Plan{Before: p}}
	for _, lib := range p.List.Libraries {
		if sealed := p.Seal.Libraries[lib.Name]; sealed != nil && sealed.Version == lib.Version &&
			sealed.Origin == lib.From {
			continue
		}
		if o, err := s.source(ctx, lib); err == nil {
			o.Close()
		}
	}
}

// Libraries plans to make the files and the seal of each library match the packing list.
func (s *Applying) Libraries(ctx context.Context) error {
	d := s.Plan
	s.renamed()
	for _, name := range d.Seal.Names() {
		if d.List.Library(name) == nil {
			if err := s.drop(ctx, name); err != nil {
				return err
			}
		}
	}
	for i := range d.List.Libraries {
		lib := d.List.Libraries[i]
		if err := knownNeeds(d.List, lib); err != nil {
			return err
		}
		if err := s.library(ctx, lib); err != nil {
			return err
		}
	}
	return nil
}

// renamed finds entries that somebody gave another name: the seal has the same files under one that the list has no
// more.
func (s *Applying) renamed() {
	d := s.Plan
	for _, lib := range d.List.Libraries {
		if d.Seal.Libraries[lib.Name] != nil {
			continue
		}
		for _, old := range d.Seal.Names() {
			sealed := d.Seal.Libraries[old]
			if d.List.Library(old) != nil || sealed.Origin != lib.From || sealed.Version != lib.Version {
				continue
			}
			d.Rename(old, lib.Name)
			s.did(lib.Name, "renamed from %s to %s", old, lib.Name)
			for i := range d.List.Libraries {
				for n, need := range d.List.Libraries[i].Needs {
					if need == old {
						d.List.Libraries[i].Needs[n] = lib.Name
					}
				}
			}
			break
		}
	}
}

// drop takes out what the list has no more.
func (s *Applying) drop(ctx context.Context, name string) error {
	d := s.Plan
	if by := d.List.NeededBy(name); len(by) > 0 {
		return problem.Refuse(problem.Needed, "restore the entry, or remove "+name+" from needs: of "+by[0],
			"%s needs %s, which is no longer in the packing list", by[0], name)
	}
	var places []string
	for _, f := range d.Seal.Libraries[name].Files {
		if !f.At.IsZero() {
			places = append(places, f.At.String())
		}
	}
	delete(d.Seal.Libraries, name)
	s.did(name, "removed, with its tags: it is no longer in the packing list")
	return d.Omit(ctx, places)
}

// library settles one entry.
func (s *Applying) library(ctx context.Context, lib record.Library) error {
	d := s.Plan
	sealed := d.Seal.Libraries[lib.Name]
	if sealed == nil && lib.Only == record.DevOnly && lib.Serve == record.CDN && source.IsAddress(lib.From) {
		return nil // a link that can't be sealed
	}
	if lib.Hold != nil && lib.Version != "" && !project.AllowedBy(lib.Hold)(lib.Version) {
		return problem.Refuse(problem.Held, "merry hold "+lib.Name+" --off  # if the reason no longer applies; or "+
			"write another version", "%s is held %s, but the packing list says %s: %s", lib.Name, lib.Hold.Reason(),
			lib.Version, cmp.Or(lib.Hold.Because, "no reason was given"))
	}
	if sealed == nil || sealed.Version != lib.Version || sealed.Origin != lib.From {
		return s.bring(ctx, lib, sealed)
	}
	if !d.Before.Differs(lib.Name) && !d.Before.Origin.Has(sealed) {
		// What was taken alone does not tell where the rest of a source would have its files stand.
		s.Out.Notes = append(s.Out.Notes, lib.Name+": its source is not in the cache; packing list and seal agree, "+
			"but changes of folders and names were not checked")
		return nil
	}
	l, done, err := s.open(ctx, lib, sealed)
	if err != nil {
		return err
	}
	defer done()
	place, err := l.find(d)
	if err != nil {
		return err
	}
	added, moved, turned, gone := l.against(d, sealed, place)
	if added+moved+turned+gone == 0 {
		return nil
	}
	if err := s.omit(ctx, l, sealed); err != nil {
		return err
	}
	if _, err = l.Plan(ctx, d); err != nil {
		return err
	}
	for _, part := range []struct {
		n    int
		what string
	}{{added, "added"}, {moved, "moved"}, {turned, "with another role"}, {gone, "removed"}} {
		if part.n > 0 {
			s.did(lib.Name, "%s %s", files(part.n), part.what)
		}
	}
	return nil
}

// omit takes the tags of files off that the list names no more, unless their other build stays.
func (s *Applying) omit(ctx context.Context, l *Library, sealed *record.Sealed) error {
	var places []string
	for _, f := range sealed.Files {
		if f.Role == record.Tagged && !l.Selection.Has(f.Path) &&
			!(f.OtherBuild != "" && l.Selection.Has(f.OtherBuild)) && !f.At.IsZero() {
			places = append(places, f.At.String())
		}
	}
	if len(places) == 0 {
		return nil
	}
	return s.Plan.Omit(ctx, places)
}

func files(n int) string {
	if n == 1 {
		return "1 file"
	}
	return fmt.Sprintf("%d files", n)
}

// open opens a library whose version and source are as they were, with the selection that its entry says.
func (s *Applying) open(ctx context.Context, lib record.Library, sealed *record.Sealed) (*Library, func(), error) {
	d := s.Plan
	l, done, err := openSealed(ctx, d.Before, lib, sealed)
	if err != nil || l.partial {
		if o, serr := s.source(ctx, lib); serr == nil {
			done()
			if l, err = Of(o, lib, Sealed(o.Package, sealed)); err != nil {
				o.Close()
				return nil, nil, err
			}
			l.Linked, done = sealed.Linked, o.Close
			if l.Digest != sealed.Digest && sealed.Digest != "" {
				done()
				return nil, nil, problem.Refuse(problem.NotTheBytes, "name the folder with the original source: merry "+
					"settle --from FOLDER", "%s: %s has bytes other than the sealed ones", lib.Name, lib.From)
			}
		} else if err != nil {
			return nil, nil, err
		}
	}
	l.At = nil
	same := l.Entry
	same.Maps = false
	entries.Name(l.Package, l.Selection, &same)
	if (!lib.Whole || l.partial) && sameSet(same.Take, lib.Take) && sameSet(same.Keep, lib.Keep) &&
		(same.Maps || !lib.Maps) {
		return l, done, nil
	}
	for _, names := range [][]string{lib.Take, lib.Keep} {
		if _, gone := entries.Known(l.Package, lib.Version, lib, names, nil); len(gone) > 0 {
			done()
			return nil, nil, problem.Refuse(problem.FileUnknown, "correct it in "+record.ListFile+"; merry peek "+
				texts.Word(lib.Name)+"  # lists the files", "%s: the packing list names %s, which %s does not have",
				lib.Name, gone[0], lib.From)
		}
	}
	l.Selection, _ = entries.Choose(l.Package, lib.Version, lib, nil)
	return l, done, nil
}

func sameSet(a, b []string) bool {
	x, y := slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b))
	return slices.Equal(x, y)
}

// find is where the files would go.
func (l *Library) find(d *reconcile.Plan) (*placement.Placement, error) {
	again := *l
	return again.place(d)
}

// against counts what would be other than it was sealed.
func (l *Library) against(d *reconcile.Plan, sealed *record.Sealed, place *placement.Placement) (added, moved, turned,
	gone int) {
	for _, c := range l.Selection.Choices {
		f := sealed.File(c.Path)
		switch {
		case f == nil:
			added++
		case place.At[c.Path].In(d.Before.Site()) != f.At:
			moved++
		case c.Page != (f.Role == record.Tagged):
			turned++
		}
	}
	for _, f := range sealed.Files {
		if !l.Selection.Has(f.Path) {
			gone++
		}
	}
	return added, moved, turned, gone
}

// bring takes a library that was not taken so far, or comes from another source or in another version now.
func (s *Applying) bring(ctx context.Context, lib record.Library, sealed *record.Sealed) error {
	d := s.Plan
	o, err := s.source(ctx, lib)
	if err != nil && sealed == nil {
		found, ferr := s.onDisk(ctx, lib)
		if ferr == nil && found {
			s.Out.Notes = append(s.Out.Notes, fmt.Sprintf("%s: its source is not available (%v)", lib.Name, err))
			return nil
		}
		if ferr != nil {
			err = ferr
		}
	}
	if err != nil {
		return err
	}
	defer o.Close()
	if lib.Version != "" && o.Version != lib.Version {
		return problem.Refuse(problem.NotTheBytes, "correct its version:, or its from:", "the packing list says %s "+
			"%s, but %s has %s", lib.Name, lib.Version, lib.From, cmp.Or(o.Version, "no version"))
	}
	as := lib
	if sealed != nil {
		as.Version = sealed.Version
	}
	sel, notes := entries.Choose(o.Package, o.Version, as, sealed)
	s.Out.Notes = append(s.Out.Notes, notes...)
	if len(sel.Choices) == 0 {
		return problem.Refuse(problem.NothingThere, "merry peek "+texts.Word(lib.From), "%s has none of the files "+
			"that the packing list names for %s", lib.From, lib.Name)
	}
	next := lib
	next.Version, next.Build = o.Version, cmp.Or(lib.Build, record.Minified)
	next.Places = entries.Follow(o.Package, sel, &as, o.Version)
	entries.Name(o.Package, sel, &next)
	l, err := Of(o, next, sel)
	if err != nil {
		return err
	}
	if sealed != nil {
		l.Linked = sealed.Linked
		d.Seal.Libraries[lib.Name].Version = o.Version // so that its older files may be written over
	} else {
		l.Linked = lib.Serve == record.CDN
		if l.At, err = l.lie(ctx, d); err != nil {
			return err
		}
	}
	if _, err := l.Plan(ctx, d); err != nil {
		return err
	}
	switch {
	case sealed != nil && sealed.Version != o.Version:
		s.did(lib.Name, "moved from %s to %s", cmp.Or(sealed.Version, "no version"), cmp.Or(o.Version, "no version"))
	case sealed != nil:
		s.did(lib.Name, "now from %s", lib.From)
	case len(l.At) > 0:
		s.did(lib.Name, "sealed again, verified with %s: the source has the same bytes", files(len(l.At)))
	default:
		s.did(lib.Name, "taken from %s", lib.From)
	}
	if d.Dry() {
		return nil
	}
	return d.Before.Origin.Store(ctx, o, d.Seal.Libraries[lib.Name])
}

// lie tells which chosen files lie on the site already: the very bytes, under the same name, in one place alone.
func (l *Library) lie(ctx context.Context, d *reconcile.Plan) (map[string]paths.InSite, error) {
	at := map[string]paths.InSite{}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	byName := map[string][]paths.InSite{}
	for name := range site.All() {
		byName[name.Base()] = append(byName[name.Base()], name)
	}
	for _, c := range l.Selection.Choices {
		names := []string{path.Base(c.Path)}
		for key, place := range l.Entry.Places {
			if key == c.Path {
				names = append(names, path.Base(place))
			}
		}
		want, err := l.From.ReadInto(c.Path, nil)
		if err != nil {
			continue
		}
		var same []paths.InSite
		for _, n := range names {
			for _, place := range byName[n] {
				if d.Before.At(d.Before.InProject(place)).Library != "" {
					continue
				}
				if b, err := d.Before.ReadInSite(place); err == nil && string(b) == string(want) {
					same = append(same, place)
				}
			}
		}
		if len(same) == 1 {
			at[c.Path] = same[0]
		}
	}
	return at, nil
}
