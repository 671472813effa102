package crate

import (
	"bytes"
	"context"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/inspect"
	"merrycrate.example/merry/crate/inventory"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/proved"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/relocate"
	"merrycrate.example/merry/crate/tags"
)

// What reading commands are asked and answer.
type (
	CheckRequest = inspect.CheckRequest
	Checked      = inspect.Checked
	PagePolicy   = csp.PagePolicy
	Ordered      = inspect.Ordered
	OrderedPage  = inspect.OrderedPage
	Contents     = inventory.Contents
	Bill         = inventory.Bill
)

// NotProvedFewest is said of moves that may not be the fewest.
const NotProvedFewest = inspect.NotProvedFewest

// Check looks at the crate's files and at pages.
func (c *Crate) Check(ctx context.Context, req CheckRequest) (*Checked, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	req.Dir = c.Dir
	return inspect.Check(ctx, p, req)
}

// Policies determines the smallest content security policy with which each page works, and proves it: in this machine's
// browser, too, if there is one and the pages are not many.
func (c *Crate) Policies(ctx context.Context, patterns []string) ([]PagePolicy, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	list, err := csp.Policies(ctx, p, patterns, c.Dir)
	if err != nil || !look.HasBrowser(c.settings.Browser) {
		return list, err
	}
	// Check asks nobody: links are answered from the cache, and the browser keeps to this machine.
	defer func(was bool) { c.Origin.Offline = was }(c.Origin.Offline)
	c.Origin.Offline = true
	return list, proved.InBrowser(ctx, list, func(policies map[string]string) (*look.Report, error) {
		return c.lookAt(ctx, p, nil, look.Request{Pages: slices.Sorted(maps.Keys(policies)), Dir: string(p.Root.Join(
			p.Site())), Policies: policies})
	})
}

// SARIF returns findings of check as a SARIF 2.1.0 log of a version of this program, ready for JSON. Where files can't
// be read any more, columns count bytes.
func (c *Crate) SARIF(ctx context.Context, findings []check.Finding, program string) any {
	p, err := c.read(ctx)
	if err != nil {
		return check.Log{Program: program}.SARIF(findings)
	}
	lines := map[string][][]byte{}
	return check.Log{Program: program, Line: func(file string, line int) []byte {
		if _, read := lines[file]; !read {
			b, _ := p.ReadFile(paths.FoundInProject(file))
			lines[file] = bytes.Split(b, []byte("\n"))
		}
		if line > len(lines[file]) {
			return nil
		}
		return lines[file][line-1]
	}}.SARIF(findings)
}

// Order returns when pages' scripts and stylesheets take effect.
func (c *Crate) Order(ctx context.Context, patterns []string) ([]Ordered, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inspect.Order(ctx, p, patterns, c.Dir)
}

// Contents sums the crate up.
func (c *Crate) Contents(ctx context.Context) (*Contents, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inventory.ContentsOf(ctx, p)
}

// Bill lists the third-party libraries that the site ships. Advisories, if not "", names a folder, an archive or a
// file.
func (c *Crate) Bill(ctx context.Context, advisories string) (*Bill, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inventory.BillOf(ctx, p, advisories)
}

// OrderFixed is the result of order --fix.
type OrderFixed struct {
	Result
	Pages []OrderedPage `json:"pages"` // each with its moves
}

// FixOrder repairs the order of pages with the fewest moves.
func (c *Crate) FixOrder(ctx context.Context, patterns []string) (*OrderFixed, error) {
	out := &OrderFixed{}
	err := c.repair(ctx, "order --fix", patterns, &out.Result, func(pages []paths.InSite) {
		out.Pages = make([]OrderedPage, len(pages))
	}, func(ctx context.Context, r *inspect.Repairer, e *tags.Editor, n int) { out.Pages[n] = r.Order(ctx, e) })
	out.Pages = slices.DeleteFunc(out.Pages, func(p OrderedPage) bool { return p.Page == "" }) // of a part
	return out, err
}

// Mended is the result of check --fix.
type Mended struct {
	Result
	Pages []MendedPage `json:"pages"` // the pages that were fixed
}

// MendedPage lists what was fixed on one page.
type MendedPage struct {
	Page string   `json:"page"` // the page, in the site
	Did  []string `json:"did"`  // what was fixed
}

// Mend fixes what is safe to fix: references with exactly one possible file, names in the wrong case, link attributes,
// double includes, and the order.
func (c *Crate) Mend(ctx context.Context, patterns []string) (*Mended, error) {
	out := &Mended{}
	err := c.repair(ctx, mending, patterns, &out.Result, func(pages []paths.InSite) {
		out.Pages = make([]MendedPage, len(pages))
	}, func(ctx context.Context, r *inspect.Repairer, e *tags.Editor, n int) {
		out.Pages[n] = MendedPage{e.Path.String(), r.Mend(ctx, e)}
	})
	out.Pages = slices.DeleteFunc(out.Pages, func(p MendedPage) bool { return len(p.Did) == 0 })
	return out, err
}

// fixing is the title of the change that fixes what is safe; records follow what was moved by hand in it, too.
const mending = "check --fix"

// repair does work on pages, each of which is reported its number among them.
func (c *Crate) repair(ctx context.Context, title string, patterns []string, out *Result,
	begin func(pages []paths.InSite), work func(ctx context.Context, r *inspect.Repairer, e *tags.Editor,
		n int)) error {
	d, set, err := c.plan(ctx, title)
	if err != nil {
		return err
	}
	defer set.Close()
	pages, err := d.Pages(ctx, patterns, c.Dir, true)
	if err != nil {
		return err
	}
	site, err := d.Site(ctx)
	if err != nil {
		return err
	}
	begin(pages)
	if title == mending {
		if _, err := relocate.Found(ctx, d); err != nil {
			return err
		}
	}
	r := inspect.NewRepairer(d.Before, site)
	d.OnWholePages(pages, false, func(ctx context.Context, e *tags.Editor, _ *reconcile.PageChange) error {
		n, _ := slices.BinarySearchFunc(pages, e.Path, func(a, b paths.InSite) int {
			return strings.Compare(a.String(), b.String())
		})
		work(ctx, r, e, n)
		return nil
	})
	return d.Finish(ctx, out, nil, nil)
}

// Rehearsing says which pages check rehearses.
type Rehearsing = inspect.Rehearsing

// The choices.
const (
	IfFew  = inspect.IfFew
	Always = inspect.Always
	Never  = inspect.Never
)

// The verdicts on a step of a page's order.
const (
	Fine    = inspect.Fine
	Racing  = inspect.Racing
	Unknown = inspect.Unknown
)

// What answers are made of.
type (
	Step            = inspect.Step
	Look            = inspect.Look
	OrderConstraint = inspect.OrderConstraint
	BillLine        = inventory.BillLine
	Warning         = inventory.Warning
)
