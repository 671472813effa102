package crate

import (
	"context"

	"merrycrate.example/merry/crate/inspect"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/looks"
)

// What look is asked and answers.
type (
	LookRequest = look.Request
	Looked      = look.Looked
	LookedPage  = look.Page
	LookedShot  = looks.Shot
	// LookDifference is what looks different on a page.
	LookDifference = looks.Difference
)

// Look opens pages in the browser of this machine, as they are or as a profile would have them, and says what it said.
func (c *Crate) Look(ctx context.Context, req LookRequest, profile string) (*Looked, error) {
	p, drafted, err := c.asProfile(ctx, profile)
	if err != nil {
		return nil, err
	}
	if profile == "" { // what check finds is of the pages as they are
		found, err := inspect.Check(ctx, p, CheckRequest{Pages: req.Pages, Dir: c.Dir})
		if err != nil {
			return nil, err
		}
		req.Findings = found.Findings
	}
	req.Dir, req.Drafted, req.Browser, req.Hosts, req.Certificates, req.Offline = c.Dir, drafted, c.settings.Browser, c.settings.Hosts, c.settings.Certificates, c.Origin.Offline
	return look.Look(ctx, p, req)
}

// HasBrowser tells whether this machine has a browser that can be looked with.
func (c *Crate) HasBrowser() bool { return look.HasBrowser(c.settings.Browser) }

// TeachCases writes pages of which check and the browser say different things as cases of their own, without the site's content, into
// folders below one, and returns those.
func (c *Crate) TeachCases(ctx context.Context, dir string, seen *Looked) ([]string, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return look.Teach(p, dir, seen)
}

// CompareLooks holds two looks at the same pages against each other: the second gets what is different.
func CompareLooks(before, after *Looked) error { return look.Compare(before, after) }

// MarkedLook is a picture of what differs, as PNG.
func MarkedLook(p *LookedPage) ([]byte, error) { return looks.Marked(p.Before, p.After, p.Different) }
