package crate

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// Held is the result of hold.
type Held struct {
	Result
	Library string       `json:"library"`        // the library's name in the crate
	Hold    *record.Hold `json:"hold,omitempty"` // nil if it was taken off
}

// Hold keeps a library at a version, or below one; a nil hold lets it go.
func (c *Crate) Hold(ctx context.Context, name string, hold *record.Hold) (*Held, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("hold", name))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if err := libraries.Hold(d, name, hold); err != nil {
		return nil, err
	}
	out := &Held{Library: name, Hold: hold}
	return out, d.Finish(ctx, &out.Result, nil, nil)
}
