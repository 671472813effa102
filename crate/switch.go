package crate

import (
	"context"

	"merrycrate.example/merry/crate/switching"
)

// Request and result of Switch.
type (
	SwitchRequest = switching.Request
	Switched      = switching.Switched
)

// Switch changes references between local copies and CDN links, and between builds. It refuses if the bytes differ.
func (c *Crate) Switch(ctx context.Context, req SwitchRequest) (*Switched, error) {
	d, set, err := c.plan(ctx, "")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	return switching.Switch(ctx, d, req, c.Dir)
}
