package libraries

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/standing"
	"merrycrate.example/merry/crate/texts"
)

// sources are all that a request names.
func (req *TakeRequest) sources() []string { return append([]string{req.Source}, req.More...) }

// OpenAll opens all sources of a request at once, and with them what they need where that is to be taken too. Of the
// opened sources, some may be nil where the error is not.
func OpenAll(ctx context.Context, p *project.Project, req TakeRequest) ([]*origin.Opened, error) {
	return parallel.MapWide(ctx, parallel.Connections, req.sources(), func(ctx context.Context,
		s string) (*origin.Opened, error) {
		name, _ := origin.SplitPackage(s)
		open := origin.Request{Name: s, Dir: req.Dir, Integrity: req.Integrity}
		var o *origin.Opened
		var err error
		if req.As != "" { // it is to stand beside what the crate has
			open.Allowed = project.AllowedBy(p.List.HoldFor(req.As))
			o, err = p.Origin.Open(ctx, open)
		} else {
			open.Allowed = project.AllowedBy(p.List.HoldFor(name))
			o, err = obtain.Named(ctx, p, open)
		}
		if err == nil && o.Kind != origin.Package { // those of registries are shared, and ask in any case
			o.Asks = req.WithNeeds
		}
		if err == nil && o.InRegistry() {
			if sel, err := origin.Select(o, req.Files, req.Parts); err == nil {
				page := requirements.Page{Defined: p.Globals(), Texts: func(library string) [][]byte {
					return p.Texts(library, nil)
				}}
				p.Requirements.Prefetch(ctx, o, sel, page, req.WithNeeds)
			}
		}
		return o, err
	})
}

// TakeTitle is the title of a change that takes opened sources.
func TakeTitle(opens []*origin.Opened, req TakeRequest) string {
	title := "take"
	for _, o := range opens {
		title += " " + strings.TrimSpace(cmp.Or(req.As, strings.ToLower(o.Name))+" "+o.Version)
	}
	return title
}

// TakeAll plans to take the opened sources of a request and to put them on its pages. The include is nil if the request
// names no pages.
func TakeAll(ctx context.Context, d *reconcile.Plan, opens []*origin.Opened, req TakeRequest) (*Taken,
	*reconcile.Include, error) {
	t := &Take{Plan: d}
	var pages []paths.InSite
	var err error
	if len(req.Pages) > 0 {
		if pages, err = d.Pages(ctx, req.Pages, req.Dir, false); err != nil {
			return nil, nil, err
		}
		if t.there, err = standing.On(ctx, d, pages); err != nil {
			return nil, nil, err
		}
	}
	var out *Taken
	for i, o := range opens {
		one := req
		one.Source = req.sources()[i]
		if err := ownFile(ctx, d, one); err != nil {
			return nil, nil, err
		}
		if i > 0 && slices.Contains(t.Taken, strings.ToLower(o.Name)) {
			continue // it came along with an earlier one
		}
		taken, err := t.one(ctx, o, one, 0)
		if err != nil {
			return nil, nil, err
		}
		if out == nil {
			out = taken
		} else {
			out.Others = append(out.Others, *taken)
		}
	}
	t.Together()
	if len(req.Pages) == 0 {
		return out, nil, nil
	}
	in := &reconcile.Include{Fragments: req.Fragments, Patterns: req.Pages}
	after := d.Before.With(d.List, d.Seal)
	for _, lib := range t.Taken {
		in.Files = append(in.Files, after.TaggedFiles(lib, record.NoBuild)...)
	}
	d.OnWholePages(pages, req.OnlyThisPage, in.Page)
	out.Missing, err = reconcile.MissingNeeds(ctx, d, pages, t.Taken)
	return out, in, err
}

// ownFile refuses a source that is a file of the site's own, unless the request gives the library a name: most who name
// such a file want it on a page.
func ownFile(ctx context.Context, d *reconcile.Plan, req TakeRequest) error {
	if req.As != "" || !strings.Contains(req.Source, ".") || source.IsAddress(req.Source) {
		return nil
	}
	site, err := d.Site(ctx)
	if err != nil {
		return err
	}
	files, err := d.Before.FindFiles(site, req.Source, req.Dir)
	if err != nil || len(files) != 1 || d.Before.At(d.Before.InProject(files[0])).File != nil {
		return nil // it is no own file
	}
	name, _, _ := strings.Cut(files[0].Base(), ".")
	pages := " --page PAGE"
	if len(req.Pages) > 0 {
		pages = " --page " + texts.Word(req.Pages[0])
	}
	return problem.Refuse(problem.FileInTheWay, fmt.Sprintf("merry include %s%s  # puts it on a page as it is; "+
		"merry take %[1]s --as %[3]s%[2]s  # records it as a library", texts.Word(req.Source), pages,
		texts.Word(strings.ToLower(name))),
		"%s stands among the site's own files", files[0])
}

// page is what needs are held against: what the crate has, and what stands on the pages of a request.
func (t *Take) page() requirements.Page {
	if t.there == nil {
		return requirements.Page{Defined: t.globals(), Texts: t.Plan.Texts, Version: t.version}
	}
	defined := map[string]string{}
	for global, at := range t.there.Defined {
		defined[global] = at
	}
	for global, library := range t.globals() {
		defined[global] = library
	}
	return requirements.Page{Defined: defined, Version: t.version, Texts: func(library string) [][]byte {
		if texts, ok := t.there.Texts[library]; ok || strings.HasPrefix(library, requirements.OnPages) {
			return texts
		}
		return t.Plan.Texts(library)
	}}
}

// version is the package of a registry that a library of the crate is, and its version.
func (t *Take) version(library string) (name, version string) {
	lib := t.Plan.List.Library(library)
	if lib == nil {
		return "", ""
	}
	if name, packaged := lib.Package(); packaged {
		return name, lib.Version
	}
	return "", ""
}
