package crate

import (
	"context"

	"merrycrate.example/merry/crate/inventory"
)

// Names are the names of the project's libraries, files, pages, profiles and CDNs.
type Names = inventory.Names

// Names lists the project's names, for completion.
func (c *Crate) Names(ctx context.Context) (*Names, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inventory.NamesOf(ctx, p)
}

// KnownVersions are a library's versions, the newest first.
func (c *Crate) KnownVersions(ctx context.Context, name string) ([]string, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inventory.VersionsOf(ctx, p, name)
}
