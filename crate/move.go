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
	d, set, err := c.draft(ctx, reconcile.Titled("move", append(append([]string{}, req.What...), "to", req.To)...))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	req.Dir = c.Dir
	if err := relocate.Draft(ctx, d, req); err != nil {
		return nil, err
	}
	out := &Moved{}
	if err := finish(ctx, d, &out.Outcome, &out.Pages, nil); err != nil {
		return nil, err
	}
	out.Pages = changed(out.Pages)
	relocate.Report(d, out)
	return out, nil
}

// FollowMoved lets records and pages follow what somebody moved by hand.
func (c *Crate) FollowMoved(ctx context.Context) (*Moved, error) {
	d, set, err := c.draft(ctx, "move --found")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if _, err := relocate.Found(ctx, d); err != nil {
		return nil, err
	}
	out := &Moved{}
	if err := finish(ctx, d, &out.Outcome, &out.Pages, nil); err != nil {
		return nil, err
	}
	out.Pages = changed(out.Pages)
	relocate.Report(d, out)
	return out, nil
}
