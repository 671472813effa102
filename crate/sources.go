package crate

import (
	"context"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/sources"
)

// RefuseUser refuses an address that names a user, a password or a token.
func RefuseUser(address string) error { return source.RefuseUser(address) }

// TrySources asks every registry whether it answers. isSet reports whether an environment variable is set.
func (c *Crate) TrySources(ctx context.Context, list []record.Registry, isSet func(name string) bool) ([]SourceState,
	error) {
	return sources.TryRegistries(ctx, c.Origin, list, isSet)
}

// LearnCDN derives a CDN's address pattern from one link to a file of the crate, and writes it into the packing list.
func (c *Crate) LearnCDN(ctx context.Context, address, name string) (*Learned, error) {
	var set *change.Set
	defer func() {
		if set != nil {
			set.Close()
		}
	}()
	return sources.LearnCDN(ctx, c.Origin, address, name, func() (d *reconcile.Plan, err error) {
		d, set, err = c.plan(ctx, "learn a CDN")
		return d, err
	})
}

// CDNs lists the patterns of the project's CDNs by their names; outside of a project there are none.
func (c *Crate) CDNs(ctx context.Context) map[string]cdn.Pattern {
	p, err := c.read(ctx)
	if err != nil {
		return nil
	}
	return p.List.CDNs
}

// SetCDN writes a CDN's address pattern into the packing list.
func (c *Crate) SetCDN(ctx context.Context, name, pattern string) (*Result, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("set cdn", name))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Result{}
	if err := sources.PutCDN(d, name, cdn.Pattern(pattern)); err != nil {
		return nil, err
	}
	return out, d.Finish(ctx, out, nil, nil)
}

// Results of asking registries, CDNs and hosts.
type (
	CDNFile      = sources.File
	SourceState  = sources.RegistryState
	Learned      = sources.Learned
	MeasuredHost = sources.Measured
)

// TryCDNs asks CDNs of the packing list, all where none is named, for every file of the crate that goes on pages.
func (c *Crate) TryCDNs(ctx context.Context, names []string) ([]CDNFile, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return sources.Try(ctx, p, names)
}

// MeasureHosts asks each host that pages link to a few times for one of the files that they have from it.
func (c *Crate) MeasureHosts(ctx context.Context) ([]MeasuredHost, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return sources.Measure(ctx, p)
}
