package crate

import (
	"context"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
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
	lib := d.List.Library(name)
	if lib == nil {
		return nil, project.NotInCrate(d.List, name)
	}
	if hold != nil {
		if hold.At == "" && hold.Below == "" {
			hold.At = lib.Version
		}
		if !project.AllowedBy(hold)(lib.Version) {
			return nil, problem.Refuse(problem.Held, "move "+name+" to a version that the hold allows first: "+
				"merry repin "+name+"@VERSION", "%s is at %s, which this hold would exclude", name, lib.Version)
		}
	}
	if hold == nil && lib.Hold != nil && lib.Hold.From != "" {
		return nil, problem.Refuse(problem.Held, "remove it from share: there", "%s is held by %s, for all "+
			"sites below it", name, lib.Hold.From)
	}
	lib.Hold = hold
	out := &Held{Library: name, Hold: hold}
	return out, d.Finish(ctx, &out.Result, nil, nil)
}
