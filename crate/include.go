package crate

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/reconcile"
)

// What include and omit are asked and answer.
type (
	IncludeRequest = libraries.IncludeRequest
	Included       = libraries.Included
	MissingNeed    = reconcile.MissingNeed
)

// Include puts libraries or own files on pages.
func (c *Crate) Include(ctx context.Context, req IncludeRequest) (*Included, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("include", req.Names...))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	req.Dir = c.Dir
	out, in, err := libraries.Include(ctx, d, req)
	if err != nil {
		return nil, err
	}
	return out, d.Finish(ctx, &out.Result, &out.Pages, in.Passed)
}

// Omit takes libraries or own files off pages. Without pages it is all pages.
func (c *Crate) Omit(ctx context.Context, req IncludeRequest) (*Included, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("omit", req.Names...))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	req.Dir = c.Dir
	if err := libraries.Omit(ctx, d, req); err != nil {
		return nil, err
	}
	out := &Included{}
	return out, d.Finish(ctx, &out.Result, &out.Pages, nil)
}
