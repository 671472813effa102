package crate

import (
	"context"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/inspect"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/repin"
)

// What repin is asked and answers.
type (
	RepinRequest    = repin.Request
	Move            = repin.Move
	Repinned        = repin.Moved
	RepinnedLibrary = repin.MovedLibrary
	DoneRename      = repin.DoneRename
)

// Repin moves libraries to other versions: their files, the versions in their names, the references on all
// pages, and both records, in one change. Needs are checked against the new versions first. A refusal names a command
// that was tried on a copy of the project, where there is one. The pages that have the libraries are rehearsed before
// and after, and what is wrong only after is part of the answer.
func (c *Crate) Repin(ctx context.Context, req RepinRequest) (*Repinned, error) {
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	req.Dir = c.Dir
	pages, err := repin.Prefetch(ctx, before, req)
	if err != nil {
		return nil, repin.Forward(ctx, before, req, err)
	}
	var was *Checked
	if len(pages) > 0 && len(pages) <= inspect.FewPages && !c.Dry {
		if was, err = rehearsed(ctx, before, pages); err != nil {
			return nil, err
		}
	}
	out, err := c.repin(ctx, req)
	if err != nil {
		return nil, repin.Forward(ctx, before, req, err)
	}
	if was == nil || len(out.Pages) == 0 && len(out.Files) == 0 {
		return out, nil
	}
	p, err := c.read(ctx)
	if err != nil {
		return out, err
	}
	now, err := rehearsed(ctx, p, pages)
	if err != nil {
		return out, err
	}
	came, _ := check.Changes(was.Findings, now.Findings)
	for _, f := range came {
		if f.Severity != check.Note {
			out.Faults = append(out.Faults, f)
		}
	}
	return out, nil
}

// rehearsed checks pages by their names in the site, and loads and clicks them.
func rehearsed(ctx context.Context, p *project.Project, pages []string) (*Checked, error) {
	return inspect.Check(ctx, p, CheckRequest{Pages: pages, Dir: string(p.Root.Join(p.Site())),
		Rehearse: inspect.Always})
}

func (c *Crate) repin(ctx context.Context, req RepinRequest) (*Repinned, error) {
	d, set, err := c.plan(ctx, "repin")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	return repin.Do(ctx, d, req)
}
