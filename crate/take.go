package crate

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/requirements"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// What take is asked and answers.
type (
	TakeRequest = libraries.TakeRequest
	Taken       = libraries.Taken
	TakenFile   = libraries.TakenFile
)

// The states of a file that was taken.
const (
	StateAdded = libraries.StateAdded
	StateThere = libraries.StateThere
	StateMoved = libraries.StateMoved
)

// Take adds a library to the project and, if requested, what it needs on a page.
func (c *Crate) Take(ctx context.Context, req TakeRequest) (*Taken, error) {
	sources := append([]string{req.Source}, req.More...)
	// What must be fetched is fetched before the project is locked: a slow server keeps nobody waiting.
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	opens, err := c.openAll(ctx, before, sources, req)
	for _, o := range opens {
		if o != nil {
			defer o.Close()
		}
	}
	if err != nil {
		return nil, err
	}
	title := "take"
	for _, o := range opens {
		title += " " + strings.TrimSpace(cmp.Or(req.As, strings.ToLower(o.Name))+" "+o.Version)
	}
	d, set, err := c.plan(ctx, title)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	t := &libraries.Take{Draft: d}
	var out *Taken
	for i, o := range opens {
		one := req
		one.Source = sources[i]
		if i > 0 && slices.Contains(t.Taken, strings.ToLower(o.Name)) {
			continue // it came along with an earlier one
		}
		taken, err := t.One(ctx, o, one)
		if err != nil {
			return nil, err
		}
		if out == nil {
			out = taken
		} else {
			out.Others = append(out.Others, *taken)
		}
	}
	t.Together()
	if len(req.Pages) > 0 {
		pages, err := d.Pages(ctx, req.Pages, c.Dir, false)
		if err != nil {
			return nil, err
		}
		in := &reconcile.Include{Fragments: req.Fragments}
		after := d.Before.With(d.List, d.Seal)
		for _, lib := range t.Taken {
			in.Files = append(in.Files, after.TaggedFiles(lib, record.NoBuild)...)
		}
		d.OnPages(pages, in.Page)
		if out.Missing, err = reconcile.MissingNeeds(d, pages, t.Taken); err != nil {
			return nil, err
		}
		return out, d.Finish(ctx, &out.Result, &out.Pages, in.Passed)
	}
	err = d.Finish(ctx, &out.Result, &out.Pages, nil)
	out.Pages = reconcile.Changed(out.Pages) // those whose references followed files
	return out, err
}

// openAll opens several sources at once, and with them what they need where that is to be taken too.
func (c *Crate) openAll(ctx context.Context, p *project.Project, sources []string, req TakeRequest) ([]*origin.Opened,
	error) {
	return parallel.MapWide(ctx, parallel.Connections, sources, func(ctx context.Context, s string) (*origin.Opened,
		error) {
		name, _ := origin.SplitPackage(s)
		opened := p.OpenNamed
		if req.As != "" {
			name, opened = req.As, c.Origin.Open // it is to stand beside what the crate has
		}
		open := origin.Request{Name: s, Dir: c.Dir, Integrity: req.Integrity}
		open.Allowed = project.AllowedBy(p.List.HoldFor(name))
		o, err := opened(ctx, open)
		if err == nil && o.Kind == origin.Package {
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
