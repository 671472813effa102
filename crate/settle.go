package crate

import (
	"context"

	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/relocate"
	"merrycrate.example/merry/crate/settle"
	"merrycrate.example/merry/crate/tags"
)

// What settle is asked and answers.
type (
	Settled     = settle.Settled
	SettledDone = settle.Done
)

// SettleRequest asks for the packing list to be carried out.
type SettleRequest struct {
	Sources []string // archives, or folders of them, that stand in for sources which are not where they were
}

// Settle makes files, seal and pages what the packing list says, in one change: after somebody edited it, after two people's
// work was merged, or when the seal was lost.
func (c *Crate) Settle(ctx context.Context, req SettleRequest) (*Settled, error) {
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	settle.Prefetch(ctx, before)
	d, set, err := c.draft(ctx, "settle")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Settled{Done: []SettledDone{}}
	found, err := relocate.Found(ctx, d)
	if err != nil {
		return nil, err
	}
	if found {
		out.Done = append(out.Done, SettledDone{What: "records follow what was moved by hand"})
	}
	s := &settle.Settling{Draft: d, Dir: c.Dir, Sources: req.Sources, Out: out}
	if err := s.Libraries(ctx); err != nil {
		return nil, err
	}
	memory, err := c.settleServing(ctx, d, out)
	if err != nil {
		return nil, err
	}
	err = finish(ctx, d, &out.Outcome, &out.Pages, func() error {
		d.Seal.Tags = memory.Tags(true)
		return nil
	})
	out.Pages = changed(out.Pages)
	return out, err
}

// settleServing drafts that pages refer to libraries as the packing list says, from where and in which build, where it says
// something else than when it was last carried out. What somebody switched on some pages alone stays.
func (c *Crate) settleServing(ctx context.Context, d *reconcile.Draft, out *Settled) (*tags.Memory, error) {
	memory := tags.NewMemory(d.Seal.Tags)
	for i := range d.List.Libraries {
		lib := &d.List.Libraries[i]
		was := d.Before.Seal.Libraries[lib.Name]
		if was == nil || d.Seal.Libraries[lib.Name] == nil {
			continue
		}
		req := SwitchRequest{Libraries: []string{lib.Name}}
		serve, build := lib.Ways()
		if was.Serve != "" && was.Serve != serve {
			req.Serve = serve
		}
		if was.Build != record.NoBuild && was.Build != build {
			req.Build = build
		}
		if req.Serve == "" && req.Build == record.NoBuild {
			continue
		}
		explicit := *lib
		if _, _, err := c.drafts(ctx, d, req, memory); err != nil {
			return nil, err
		}
		if entry := d.List.Library(lib.Name); explicit.Serve == "" && entry.Serve == record.Local {
			entry.Serve = "" // as it is written
		}
		out.Done = append(out.Done, SettledDone{Library: lib.Name, What: reconcile.Titled("pages use it", string(req.Serve), string(req.Build))})
	}
	d.Settled = true
	return memory, nil
}
