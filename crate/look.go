package crate

import (
	"context"
	"path/filepath"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/browser"
	"merrycrate.example/merry/crate/inspect"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/texts"
)

// What look is asked and answers.
type (
	LookRequest = look.Request
	Looked      = look.Report
	LookedPage  = look.Page
	LookedShot  = browser.Shot
	// LookDifference lists what looks different on a page.
	LookDifference = look.Difference
)

// Look opens pages in this machine's browser, as they are or as a profile would leave them, and returns what the
// browser said.
func (c *Crate) Look(ctx context.Context, req LookRequest, profile string) (*Looked, error) {
	p, planned, err := c.asProfile(ctx, profile)
	if err != nil {
		return nil, err
	}
	if profile == "" { // what check finds is of the pages as they are
		pages := slices.DeleteFunc(slices.Clone(req.Pages), func(name string) bool {
			return req.Behind != "" && strings.HasPrefix(name, "/") // an address that the server behind knows
		})
		if len(pages) == len(req.Pages) || len(pages) > 0 {
			found, err := inspect.Check(ctx, p, CheckRequest{Pages: pages, Dir: c.Dir, Rehearse: inspect.Always})
			if err != nil {
				return nil, err
			}
			req.Findings = found.Findings
		}
	}
	req.Dir = c.Dir
	return c.lookAt(ctx, p, planned, req)
}

// lookAt looks at a project's pages with the user's browser, and with some of its files planned.
func (c *Crate) lookAt(ctx context.Context, p *project.Project, planned map[string][]byte, req LookRequest) (*Looked,
	error) {
	req.Overlay, req.Browser, req.Hosts, req.Certificates, req.Offline = planned, c.settings.Browser, c.settings.Hosts,
		c.settings.Certificates, c.Origin.Offline
	return look.Look(ctx, c.window, p, req)
}

// LookAhead opens the pages that a compared library is on, as they are and as repin would leave them, and compares the
// two. RenameSure includes the certain renames. It changes nothing.
func (c *Crate) LookAhead(ctx context.Context, compared *Compared, req CompareRequest, renameSure bool) (*Looked,
	error) {
	if len(compared.PageUses) == 0 {
		return nil, problem.Misuse("merry compare "+texts.Word(req.Library)+" "+texts.Word(req.New)+
			"  # without --look", "%s is on no page of this project, so there is nothing to open", req.Library)
	}
	p, planned, err := c.asAfter(ctx, func(dry *Crate) error {
		before, err := dry.read(ctx)
		if err != nil {
			return err
		}
		move := ahead(before, req, c.Dir)
		move.RenameSure = renameSure
		_, err = dry.Repin(ctx, move)
		return err
	})
	if err != nil {
		return nil, err
	}
	at := LookRequest{Pages: compared.PageUses, Dir: filepath.Join(string(p.Root), p.Site()), Screenshots: true}
	was, err := c.lookAt(ctx, p, nil, at)
	if err != nil {
		return nil, err
	}
	now, err := c.lookAt(ctx, p, planned, at)
	if err != nil {
		return nil, err
	}
	now.Disagreements = nil // check knows the pages as they are
	return now, look.Compare(was, now)
}

// HasBrowser reports whether this machine has a browser that can be looked with.
func (c *Crate) HasBrowser() bool { return look.HasBrowser(c.settings.Browser) }

// CompareLooks compares two looks at the same pages, and stores the differences in the second.
func CompareLooks(before, after *Looked) error { return look.Compare(before, after) }

// MarkedLook returns a picture of the differences, as PNG.
func MarkedLook(p *LookedPage) ([]byte, error) { return look.Marked(p.Before, p.After, p.Different) }
