package crate

import (
	"context"

	"merrycrate.example/merry/crate/reconcile"
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
// that was tried on a copy of the project, where there is one.
func (c *Crate) Repin(ctx context.Context, req RepinRequest) (*Repinned, error) {
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	req.Dir = c.Dir
	if err := repin.Prefetch(ctx, before, req); err != nil {
		return nil, repin.Forward(ctx, before, req, err)
	}
	out, err := c.repin(ctx, req)
	if err != nil {
		return nil, repin.Forward(ctx, before, req, err)
	}
	return out, nil
}

func (c *Crate) repin(ctx context.Context, req RepinRequest) (*Repinned, error) {
	d, set, err := c.plan(ctx, "repin")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out, done, err := repin.Plan(ctx, d, req)
	if err != nil || done == nil {
		return out, err
	}
	if err := d.Finish(ctx, &out.Result, &out.Pages, nil); err != nil {
		return nil, err
	}
	done()
	out.Pages = reconcile.Changed(out.Pages)
	return out, nil
}
