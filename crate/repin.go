package crate

import (
	"context"

	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/upgrade"
)

// What repin is asked and answers.
type (
	RepinRequest    = upgrade.RepinRequest
	Move            = upgrade.Move
	Repinned        = upgrade.Repinned
	RepinnedLibrary = upgrade.RepinnedLibrary
	DoneRename      = upgrade.DoneRename
)

// Repin moves libraries to other versions: their files, the versions in their names, the references on all
// pages, and both records, in one change. Needs are checked against the new versions first.
func (c *Crate) Repin(ctx context.Context, req RepinRequest) (*Repinned, error) {
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	req.Dir = c.Dir
	if err := upgrade.Prefetch(ctx, before, req); err != nil {
		return nil, err
	}
	d, set, err := c.plan(ctx, "repin")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out, done, err := upgrade.Repin(ctx, d, req)
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
