package crate

import (
	"context"
	"sync"

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

// settleServing drafts that pages refer to libraries as the packing list says: from where, and in which build. A page that
// differs by somebody's wish is left alone; where no page is as the list says, the list was edited, and all follow.
func (c *Crate) settleServing(ctx context.Context, d *reconcile.Draft, out *Settled) (*tags.Memory, error) {
	pages, err := d.Pages(ctx, nil, c.Dir, true)
	if err != nil {
		return nil, err
	}
	type served struct{ serve, otherServe, build, otherBuild bool }
	var mu sync.Mutex
	is := map[string]served{}
	err = d.Look(ctx, pages, func(v *tags.Page) {
		mu.Lock()
		defer mu.Unlock()
		for i := range v.Includes {
			of := v.Of[i]
			lib := d.List.Library(of.Library)
			if !v.Runs(i) || of.File == nil || lib == nil {
				continue
			}
			s := is[lib.Name]
			if remote := v.Targets[i].Path.IsZero(); remote == (lib.Serve == record.CDN) {
				s.serve = true
			} else {
				s.otherServe = true
			}
			if of.File.Build == lib.Build || of.File.Pair == "" {
				s.build = s.build || of.File.Pair != ""
			} else {
				s.otherBuild = true
			}
			is[lib.Name] = s
		}
	})
	if err != nil {
		return nil, err
	}
	memory := tags.NewMemory(d.Seal.Tags)
	for i := range d.List.Libraries {
		lib := &d.List.Libraries[i]
		s := is[lib.Name]
		req := SwitchRequest{Libraries: []string{lib.Name}}
		if s.otherServe && !s.serve {
			if req.Serve = lib.Serve; req.Serve == "" {
				req.Serve = record.Local
			}
		}
		if s.otherBuild && !s.build {
			req.Build = lib.Build
		}
		if req.Serve == "" && req.Build == record.NoBuild {
			continue
		}
		if _, _, err := c.drafts(ctx, d, req, memory); err != nil {
			return nil, err
		}
		out.Done = append(out.Done, SettledDone{Library: lib.Name, What: reconcile.Titled("pages use it", string(req.Serve), string(req.Build))})
	}
	return memory, nil
}
