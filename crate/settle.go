package crate

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/relocate"
	"merrycrate.example/merry/crate/switching"
)

// What settle is asked and answers.
type (
	Settled     = libraries.Applied
	SettledDone = libraries.Done
)

// SettleRequest asks for the packing list to be applied.
type SettleRequest struct {
	Sources []string // archives, or folders of them, that stand in for sources which are not where they were
}

// Settle makes files, seal and pages match the packing list, in one change: after an edit, after a merge, or if the
// seal was lost.
func (c *Crate) Settle(ctx context.Context, req SettleRequest) (*Settled, error) {
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	libraries.Prefetch(ctx, before)
	d, set, err := c.plan(ctx, "settle")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Settled{Done: []SettledDone{}}
	found, err := relocate.Found(ctx, d)
	if err != nil {
		return nil, err
	}
	if found {
		out.Done = append(out.Done, SettledDone{What: "records follow what was moved by hand"})
	}
	s := &libraries.Applying{Plan: d, Dir: c.Dir, Sources: req.Sources, Out: out}
	if err := s.Libraries(ctx); err != nil {
		return nil, err
	}
	memory, err := switching.AsListed(ctx, d, c.Dir, out)
	if err != nil {
		return nil, err
	}
	err = d.Finish(ctx, &out.Result, &out.Pages, func() error {
		d.Seal.Tags = memory.Tags(true)
		return nil
	})
	out.Pages = reconcile.Changed(out.Pages)
	return out, err
}
