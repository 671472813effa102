package crate

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/reconcile"
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
	// What must be fetched is fetched before the project is locked: a slow server keeps nobody waiting.
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	req.Dir = c.Dir
	opens, err := libraries.OpenAll(ctx, before, req)
	for _, o := range opens {
		if o != nil {
			defer o.Close()
		}
	}
	if err != nil {
		return nil, err
	}
	d, set, err := c.plan(ctx, libraries.TakeTitle(opens, req))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out, put, err := libraries.TakeAll(ctx, d, opens, req)
	if err != nil {
		return nil, err
	}
	var passed func() error
	if put != nil {
		passed = put.Passed
	}
	err = d.Finish(ctx, &out.Result, &out.Pages, passed)
	if put == nil {
		out.Pages = reconcile.Changed(out.Pages) // those whose references followed files
	}
	return out, err
}
