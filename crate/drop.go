package crate

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/reconcile"
)

// Dropped is the result of drop.
type Dropped struct {
	Result
	Library    string       `json:"library"`              // the library's name in the crate
	Pages      []PageChange `json:"pages,omitempty"`      // the pages that changed
	Kept       []string     `json:"kept,omitempty"`       // files that stay, with the reason
	References []string     `json:"references,omitempty"` // places that lead to its files otherwise than by tags
	Part       bool         `json:"part,omitempty"`       // only a part was taken out
}

// DropPart takes files out of a library that stays otherwise: those that patterns match, and those of parts by name.
func (c *Crate) DropPart(ctx context.Context, name string, patterns, parts []string) (*Dropped, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("drop", append(append([]string{name}, parts...), patterns...)...))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	if err := libraries.DropPart(ctx, d, name, patterns, parts); err != nil {
		return nil, err
	}
	out := &Dropped{Library: name, Part: true}
	err = d.Finish(ctx, &out.Result, &out.Pages, nil)
	out.Pages, out.Kept = reconcile.Changed(out.Pages), d.LeftBehind
	return out, err
}

// Drop takes a library out: its includes, the files that no other library shares, and its records. EvenIfNeeded allows
// that others still need it.
func (c *Crate) Drop(ctx context.Context, name string, evenIfNeeded bool) (*Dropped, error) {
	d, set, err := c.plan(ctx, reconcile.Titled("drop", name))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Dropped{Library: name}
	if out.References, err = libraries.Drop(ctx, d, name, evenIfNeeded); err != nil {
		return nil, err
	}
	err = d.Finish(ctx, &out.Result, &out.Pages, nil)
	out.Pages, out.Kept = reconcile.Changed(out.Pages), d.LeftBehind
	return out, err
}
