package libraries

import (
	"context"
	"path"
	"slices"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// DropPart plans to remove files and their tags: files that match patterns, by their paths in the source or the
// project, and parts by name, with everything that nothing else in the library uses.
func DropPart(ctx context.Context, d *reconcile.Plan, name string, patterns, parts []string) error {
	l, done, err := Open(ctx, d, name)
	if err != nil {
		return err
	}
	defer done()
	sealed := d.Seal.Libraries[name]
	gone, err := meant(l, sealed, patterns, parts)
	if err != nil {
		return err
	}
	l.follow(gone)
	rest := l.Selection.Without(func(p string) bool { return gone[p] })
	if len(rest.Choices) == 0 {
		if err := refuseNeeded(d, name); err != nil {
			return err
		}
		return problem.Refuse(problem.NothingThere, "merry drop "+name, "nothing of %s would remain", name)
	}
	for _, c := range rest.Choices {
		for _, r := range l.Package.File(c.Path).Refs {
			if gone[r.Path] && r.By == "" {
				return problem.Refuse(problem.Needed, "drop "+c.Path+" with it, or leave it", "%s asks for %s as %s, "+
					"and would not find it", c.Path, r.Path, r.URL)
			}
		}
	}
	var places []string
	sealed.Files = slices.DeleteFunc(sealed.Files, func(f record.File) bool {
		if gone[f.Path] && !f.At.IsZero() {
			places = append(places, f.At.String())
		}
		return gone[f.Path]
	})
	for i := range sealed.Files {
		if gone[sealed.Files[i].OtherBuild] {
			sealed.Files[i].OtherBuild = ""
		}
	}
	entry := l.Entry
	entry.Whole = false
	places = slices.DeleteFunc(places, func(at string) bool {
		// Where the other build stays, pages use that.
		f := d.Before.Seal.Libraries[name].At(at)
		stays := sealed.File(f.OtherBuild)
		if stays != nil && entry.Build == f.Build {
			entry.Build = stays.Build
		}
		return stays != nil
	})
	entries.Name(l.Package, rest, &entry)
	for p := range gone {
		delete(entry.Places, p)
		delete(entry.Rename, p)
		delete(entry.Rename, path.Base(p))
	}
	d.List.Put(entry)
	if err := Pin(ctx, d, name); err != nil {
		return err
	}
	return d.Omit(ctx, places)
}

// meant finds the files of a library that patterns and names of parts mean.
func meant(l *Library, sealed *record.Sealed, patterns, parts []string) (map[string]bool, error) {
	gone := map[string]bool{}
	for _, pat := range patterns {
		n := len(gone)
		for _, f := range sealed.Files {
			if doublestar.MatchUnvalidated(pat, f.Path) || f.Path == pat || f.At.String() == pat ||
				f.At.Base() == pat || doublestar.MatchUnvalidated(pat, f.At.String()) {
				gone[f.Path] = true
			}
		}
		if len(gone) == n {
			return nil, NoFile(l.Entry.Name, sealed, pat)
		}
	}
	for _, part := range parts {
		n := len(gone)
		for _, o := range l.Package.OptionsNamed(part) {
			for _, f := range o.Files {
				if sealed.File(f) != nil {
					gone[f] = true
				}
			}
		}
		if len(gone) == n {
			return nil, NoFile(l.Entry.Name, sealed, part)
		}
	}
	return gone, nil
}

// NoFile is the error of a name that is no file's of a library.
func NoFile(library string, sealed *record.Sealed, name string) error {
	var has []string
	for _, f := range sealed.Files {
		has = append(has, f.Path)
	}
	slices.Sort(has)
	return problem.Refuse(problem.FileUnknown, "it has "+project.Abbreviate(has, 8), "%s has no file or part %s in "+
		"the crate", library, name)
}

// follow adds what belongs to files that go and to nothing that stays: source maps, what only they ask for.
func (l *Library) follow(gone map[string]bool) {
	for grew := true; grew; {
		grew = false
		asked, goes := map[string]bool{}, map[string]bool{}
		for _, c := range l.Selection.Choices {
			f := l.Package.File(c.Path)
			into := asked
			if gone[c.Path] {
				into = goes
			}
			for _, r := range f.Refs {
				into[r.Path] = true
			}
			if f.Map != "" {
				into[f.Map] = true
			}
		}
		for _, c := range l.Selection.Choices {
			if goes[c.Path] && !asked[c.Path] && !gone[c.Path] && !c.Page {
				gone[c.Path], grew = true, true
			}
		}
	}
}
