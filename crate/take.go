package crate

import (
	"context"
	"strings"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/upgrade"
)

// What take is asked and answers.
type (
	TakeRequest = libraries.TakeRequest
	Taken       = libraries.Taken
	TakenFile   = libraries.TakenFile
)

// The states of a file that was taken.
const (
	StateAdded = libraries.StateAdded
	StateThere = libraries.StateThere
	StateMoved = libraries.StateMoved
)

// Take adds a library to the project and, if requested, what it needs on a page.
func (c *Crate) Take(ctx context.Context, req TakeRequest) (*Taken, error) {
	// What must be fetched is fetched before the project is locked: a slow server keeps nobody waiting.
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	req.Dir = c.Dir
	var notes []string
	if req.Fits {
		if notes, err = fitting(ctx, before, &req); err != nil {
			return nil, err
		}
	}
	opens, err := libraries.OpenAll(ctx, before, req)
	for _, o := range opens {
		if o != nil {
			defer o.Close()
		}
	}
	if err != nil {
		return nil, err
	}
	d, set, err := c.plan(ctx, libraries.TakeTitle(opens, req))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out, put, err := libraries.TakeAll(ctx, d, opens, req)
	if err != nil {
		return nil, err
	}
	out.Notes = append(notes, out.Notes...)
	var passed func() error
	if put != nil {
		passed = put.Passed
	}
	err = d.Finish(ctx, &out.Result, &out.Pages, passed)
	if put == nil {
		out.Pages = reconcile.Changed(out.Pages) // those whose references followed files
	}
	return out, err
}

// fitting names the versions that fit in a request's sources, which must be packages without a version.
func fitting(ctx context.Context, p *project.Project, req *TakeRequest) (notes []string, err error) {
	sources := append([]string{req.Source}, req.More...)
	for i, s := range sources {
		name, wish := origin.SplitPackage(strings.TrimPrefix(s, record.FromRegistry))
		if wish != "" || !source.ValidPackage(name) || source.IsAddress(s) {
			return nil, problem.Misuse("leave --fits out, or name the package alone", "--fits chooses the version "+
				"of a "+
				"package, and %s is not the name of one alone", s)
		}
		version, note, err := upgrade.Fits(ctx, p, name, req.As)
		if err != nil {
			return nil, err
		}
		if sources[i] += "@" + version; note != "" {
			notes = append(notes, note)
		}
	}
	req.Source, req.More = sources[0], sources[1:]
	return notes, nil
}
