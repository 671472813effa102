package crate

import (
	"context"

	"merrycrate.example/merry/crate/inventory"
)

// What peek answers.
type (
	Peeked        = inventory.Peeked
	PeekedFile    = inventory.PeekedFile
	PeekedOption  = inventory.PeekedOption
	ExcludedGroup = inventory.ExcludedGroup
	PeekedChoice  = inventory.PeekedChoice
)

// Peek looks inside a source. With all set, every script is read, and the files excluded are listed too.
func (c *Crate) Peek(ctx context.Context, name, wanted string, all bool) (*Peeked, error) {
	c.Origin.Everything = all
	o, err := c.open(ctx, name, wanted)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	return inventory.PeekInto(ctx, c.Origin, o, all)
}
