package crate

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
)

// Refilled is the result of refill.
type Refilled = libraries.Refilled

// Refill puts the sealed files of libraries back, all libraries where none is named. What is there with
// other bytes is left alone unless overwrite says otherwise. Sources are archives, or folders of them, that may have
// what is nowhere else; each byte is compared with the seal.
func (c *Crate) Refill(ctx context.Context, names []string, overwrite bool, sources []string) (*Refilled, error) {
	d, set, err := c.plan(ctx, "refill")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	d.RestoreOnly = true
	out, err := libraries.Refill(ctx, d, libraries.RefillRequest{Names: names, Overwrite: overwrite, Dir: c.Dir,
		Sources: sources, Notify: c.notify})
	if err != nil {
		return nil, err
	}
	return out, d.Finish(ctx, &out.Result, nil, nil)
}
