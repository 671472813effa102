package libraries

import (
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// IncludeRequest asks for libraries or own files on pages.
type IncludeRequest struct {
	Names []string // libraries of the crate, or patterns of own files
	Pages []string
	Dir   string // where the command was given, absolute
	Build record.Build
	// Only are files of the libraries, where not all that they have for pages is meant.
	Only []string
	// Fragments allows tags on parts of pages, which otherwise are left alone.
	Fragments bool
	// OnlyThisPage allows edits of the pages' own files alone, and of no part that other pages have, too.
	OnlyThisPage bool
}

// Included is the result of include and omit.
type Included struct {
	reconcile.Result
	Pages   []reconcile.PageChange  `json:"pages"`             // the pages, each with what was done
	Missing []reconcile.MissingNeed `json:"missing,omitempty"` // needs of what was put there that its pages have not
}

// Include plans to put libraries or own files on pages.
func Include(ctx context.Context, d *reconcile.Plan, req IncludeRequest) (*Included, *reconcile.Include, error) {
	pages, err := d.Pages(ctx, req.Pages, req.Dir, false)
	if err != nil {
		return nil, nil, err
	}
	files, err := wantedFiles(ctx, d, req)
	if err != nil {
		return nil, nil, err
	}
	out := &Included{}
	if out.Missing, err = reconcile.MissingNeeds(ctx, d, pages, req.Names); err != nil {
		return nil, nil, err
	}
	in := &reconcile.Include{Files: files, Fragments: req.Fragments, Patterns: req.Pages}
	d.OnWholePages(pages, req.OnlyThisPage, in.Page)
	return out, in, nil
}

// Omit plans to take libraries or own files off pages. Without pages it is all pages.
func Omit(ctx context.Context, d *reconcile.Plan, req IncludeRequest) error {
	pages, err := d.Pages(ctx, req.Pages, req.Dir, true)
	if err != nil {
		return err
	}
	site, err := d.Site(ctx)
	if err != nil {
		return err
	}
	places := map[string]bool{}
	for _, name := range req.Names {
		if d.List.Library(name) != nil || d.Seal.Libraries[name] != nil {
			for _, said := range req.Only {
				if sealed := d.Before.Seal.Libraries[name]; sealed != nil && !slices.ContainsFunc(sealed.Files,
					func(f record.File) bool { return f.Called(said) }) {
					return NoFile(name, sealed, said)
				}
			}
			of := map[string]bool{}
			placesOf(d, name, of)
			for at := range of {
				f := d.Before.Seal.Libraries[name].At(at)
				places[at] = len(req.Only) == 0 || f != nil && slices.ContainsFunc(req.Only, f.Called)
			}
			continue
		}
		files, err := d.Before.FindFiles(site, name, req.Dir)
		if err != nil {
			return err
		}
		for _, f := range files {
			places[d.Before.InProject(f).String()] = true
		}
	}
	d.OnPages(pages, reconcile.Omit(places))
	return nil
}

// placesOf adds where a library's files are: paths in the project, and the address of one that can't be sealed.
func placesOf(d *reconcile.Plan, name string, places map[string]bool) {
	if sealed := d.Before.Seal.Libraries[name]; sealed != nil {
		for _, f := range sealed.Files {
			if !f.At.IsZero() {
				places[f.At.String()] = true
			}
		}
	} else if lib := d.Before.List.Library(name); lib != nil && source.IsAddress(lib.From) {
		places[lib.From] = true
	}
}

// wantedFiles turns names into files: those of libraries ordered so that what is needed comes before
// what needs it, own files after them.
func wantedFiles(ctx context.Context, d *reconcile.Plan, req IncludeRequest) ([]project.TaggedFile, error) {
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	var libs []string
	var own []project.TaggedFile
	for _, name := range req.Names {
		if d.List.Library(name) != nil {
			libs = append(libs, name)
			continue
		}
		files, err := d.Before.FindFiles(site, name, req.Dir)
		if err != nil {
			return nil, err
		}
		if strings.ContainsAny(name, "*?[{") { // a pattern means files of the site's own
			files = slices.DeleteFunc(files, func(f paths.InSite) bool {
				return d.Before.At(d.Before.InProject(f)).File != nil
			})
			if len(files) == 0 {
				return nil, problem.Refuse(problem.FileUnknown, "merry contents  # lists the libraries, which are "+
					"included by name", "all files that match %s are files of libraries", name)
			}
		}
		for _, f := range files {
			t := project.TaggedFile{At: f, Style: packages.KindOf(f.String()) == packages.Stylesheet}
			if of := d.Before.At(d.Before.InProject(f)); of.File != nil {
				t.Library, t.File = of.Library, of.File // a library's file, by its path
			}
			own = append(own, t)
		}
	}
	var files []project.TaggedFile
	for _, lib := range d.List.NeedsFirst(libs) {
		if d.Seal.Libraries[lib] != nil {
			_, stays, err := AddBuild(ctx, d, lib, req.Build)
			if err != nil {
				return nil, err
			}
			if stays != "" {
				return nil, problem.Refuse(problem.NothingThere, "leave --"+string(req.Build)+" out", "%s", stays)
			}
		}
		of := d.Before.With(d.List, d.Seal).TaggedFiles(lib, req.Build)
		if len(req.Only) > 0 {
			if of, err = Tag(ctx, d, lib, req.Only, req.Build); err != nil {
				return nil, err
			}
		}
		if len(of) == 0 {
			return nil, problem.Refuse(problem.NothingThere, "take it again, with --files", "%s has no script or "+
				"stylesheet in the project that could go on a page", lib)
		}
		files = append(files, of...)
	}
	order := d.List.Own.Order
	slices.SortStableFunc(own, func(a, b project.TaggedFile) int {
		i, j := slices.Index(order, a.At.String()), slices.Index(order, b.At.String())
		if i < 0 || j < 0 {
			return 0
		}
		return i - j
	})
	return append(files, own...), nil
}
