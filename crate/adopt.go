package crate

import (
	"context"

	"merrycrate.example/merry/crate/adopt"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/relocate"
)

// What adopt is asked and answers.
type (
	AdoptRequest = adopt.Request
	Adopted      = adopt.Adopted
	AdoptedTag   = adopt.Tag
)

// The states of a tag that adopt looked at.
const (
	StateAdopted = adopt.StateAdopted
	StateDevOnly = adopt.StateDevOnly
	StateAsked   = adopt.StateAsked
	StateOwn     = adopt.StateOwn
	StateLeft    = adopt.StateLeft
)

// Adopt takes tags under record that are on pages, or that were copied from somewhere.
func (c *Crate) Adopt(ctx context.Context, req AdoptRequest) (*Adopted, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("adopt", req.Pages...))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	req.Dir = c.Dir
	if _, err := relocate.Found(ctx, d); err != nil {
		return nil, err
	}
	out, err := adopt.Plan(ctx, d, req)
	if err != nil {
		return nil, err
	}
	var pages []PageChange
	err = d.Finish(ctx, &out.Result, &pages, nil)
	if req.Pasted != "" {
		out.Pages = pages
	}
	return out, err
}
