package crate

import (
	"context"

	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/relocate"
)

// What move is asked and answers.
type (
	MoveRequest = relocate.Request
	Moved       = relocate.Moved
	MovedFile   = relocate.Move
	Mention     = reconcile.Mention
)

// Move moves libraries, single files of libraries, or own files; all references follow.
func (c *Crate) Move(ctx context.Context, req MoveRequest) (*Moved, error) {
	req.Dir = c.Dir
	title := reconcile.Titled("move", append(append([]string{}, req.What...), "to", req.To)...)
	return c.moving(ctx, title, func(d *reconcile.Plan) error { return relocate.Plan(ctx, d, req) })
}

// FollowMoved updates records and pages after somebody moved files by hand.
func (c *Crate) FollowMoved(ctx context.Context) (*Moved, error) {
	return c.moving(ctx, "move --found", func(d *reconcile.Plan) error {
		_, err := relocate.Found(ctx, d)
		return err
	})
}

// moving applies what is planned, and says what moved.
func (c *Crate) moving(ctx context.Context, title string, plan func(d *reconcile.Plan) error) (*Moved, error) {
	d, set, err := c.plan(ctx, title)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if err := plan(d); err != nil {
		return nil, err
	}
	out := &Moved{}
	if err := d.Finish(ctx, &out.Result, &out.Pages, nil); err != nil {
		return nil, err
	}
	out.Pages = reconcile.Changed(out.Pages)
	relocate.Report(d, out)
	return out, nil
}
