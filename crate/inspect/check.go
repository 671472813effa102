// Package inspect finds what is wrong with a project, and what runs when on its pages: check, order, rehearsals. It
// reads a project and returns findings, and the edits that fix pages. It changes nothing itself.
package inspect

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/rehearsals"
	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/since"
	"merrycrate.example/merry/crate/support"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/upgrade"
)

// Checked is the result of check.
type Checked struct {
	Pages    int             `json:"pages"`    // number of pages that were checked
	Findings []check.Finding `json:"findings"` // sorted by file and position
	// Rehearsed is the number of rehearsed pages. Unsure lists findings of rehearsals that are uncertain.
	Rehearsed int `json:"rehearsed"`
	// findings that are uncertain: a rehearsal could not simulate something
	Unsure []string `json:"unsure,omitempty"`
	// Before is how many findings an earlier check had that are still there, and Mended how many are not; both where
	// one was named.
	Before int `json:"before,omitempty"`
	Mended int `json:"mended,omitempty"` // findings of the baseline that are fixed
}

// Against leaves of the findings those that an earlier check did not have. Of pages that were not checked now, nothing
// is known to be fixed.
func (c *Checked) Against(earlier *Checked, some bool) {
	was := len(c.Findings)
	c.Findings, c.Mended = check.Newer(earlier.Findings, c.Findings)
	if c.Before = was - len(c.Findings); some {
		c.Mended = 0
	}
}

// A CheckRequest says what to check.
type CheckRequest struct {
	Pages   []string // patterns; none is all
	Dir     string   // where patterns begin
	Since   string   // only pages that changed since this revision
	Profile string   // hold the pages against this profile of the packing list, too
	Live    bool     // hold the pages against what a public page must not have
	Online  bool     // fetch every CDN link of the crate, and compare
	Fresh   bool     // read and check all pages, whatever is remembered of them
	// Rehearse says whether the pages are rehearsed.
	Rehearse Rehearsing
}

// Rehearsing says which pages are rehearsed.
type Rehearsing int

// The choices.
const (
	IfFew  Rehearsing = iota // all, where they are few
	Always                   // all
	Never                    // none
)

// FewPages is how many pages are rehearsed without being asked to.
const FewPages = 25

// An inspection answers what the checks ask about the project. It remembers, since ten thousand pages ask the same.
type inspection struct {
	p       *project.Project
	site    *walk.Site
	scripts *tags.Scripts
	leads   *references.Resolver
	profile *check.Profile
	sealed  sealedFiles

	targets    memo.Memo[reference, tags.Target]
	identities memo.Memo[string, identity]
	providers  memo.Memo[string, map[string]string] // a global to the own script that defines it
	shared     memo.Memo[string, *uses]
	folders    memo.Memo[string, map[string]bool] // of libraries
	bases      memo.Memo[string, map[string]string]
	names      memo.Memo[string, map[string]string]
	classes    memo.Memo[string, map[string]bool] // of libraries' stylesheets, by integrity
	missing    memo.Memo[string, []check.MissingFeature]
	browsers   *support.Browsers
	csp        *csp.Index
	staging    *pageload.Loader
	removed    *upgrade.Removed
	links      links
	devOnly    sync.Pool
	parts      *compose.Site
	wholes     map[paths.InSite]*compose.Page // of the pages that are put together from several files
	open       map[paths.InSite]bool          // pages that may have tags which are not known
	mu         sync.Mutex                     // of wholes
}

// stateOf tells one state of all pages from another, 0 if one of them is not to be remembered.
func stateOf(results []pageResult) uint64 {
	var state uint64
	for _, r := range results {
		if r.stamp == 0 {
			return 0
		}
		state = state*31 + r.stamp
	}
	return state
}

// A reference is what a page says, and from where: pages of one folder share most of theirs.
type reference struct {
	dir, base, ref string
	filled         bool // the page is filled in
}

func newInspection(p *project.Project, site *walk.Site) *inspection {
	browsers, err := support.Parse(p.List.Browsers)
	if err != nil {
		browsers = &support.Browsers{} // a list with others was not read
	}
	c := &inspection{p: p, browsers: browsers, site: site, scripts: tags.NewScripts(p), leads: references.New(p, site),
		links: links{of: map[string]*link{}}, csp: csp.New(p)}
	c.csp.Scripts = c.scripts
	c.removed = upgrade.NewRemoved(p)
	c.parts, c.wholes = p.Parts(site), map[paths.InSite]*compose.Page{}
	c.staging = &pageload.Loader{P: p, Scripts: c.scripts, Policies: c.csp, Leads: c.leads}
	return c
}

// profileOf is the profile of a name that pages are compared with, nil for none.
func profileOf(p *project.Project, name string) (*check.Profile, error) {
	if name == "" {
		return nil, nil
	}
	prof, ok := p.List.Profiles[name]
	if !ok {
		return nil, project.NoProfile(p.List, name)
	}
	return &check.Profile{Name: name, Serve: prof.Serve, Build: prof.Build, Fallback: prof.Fallback,
		Without: prof.Without}, nil
}

// public is a profile that also holds pages against what a public page must not have, whatever its name.
func public(p *check.Profile) *check.Profile {
	if p == nil {
		return &check.Profile{Name: "live", Public: true}
	}
	with := *p
	with.Public = true
	return &with
}

// toRehearse reads a page as a visitor receives it, nil for one that may have tags or parts which are not known.
func (c *inspection) toRehearse(name paths.InSite) *tags.Page {
	if c.open[name] {
		return nil
	}
	v, err := c.view(name)
	if err != nil || v.Whole != nil && len(v.Whole.Unknown) > 0 {
		return nil // what can't be read has a finding of its own
	}
	c.leadMoved(v)
	return v
}

// withoutReports leaves out merry's own reports, which are no pages.
func withoutReports(pages []paths.InSite, results []pageResult) ([]paths.InSite, []pageResult) {
	if !slices.ContainsFunc(results, func(r pageResult) bool { return r.report }) {
		return pages, results
	}
	var names []paths.InSite
	var left []pageResult
	for i, r := range results {
		if !r.report {
			names, left = append(names, pages[i]), append(left, r)
		}
	}
	return names, left
}

// pages checks the pages of which nothing is remembered that still holds.
func (c *inspection) pages(ctx context.Context, pages []paths.InSite, last *pageCache) ([]pageResult, error) {
	var seen []disk.Stamp
	if slices.Equal(pages, c.site.Pages) {
		seen = c.site.Stamps
	}
	results := make([]pageResult, len(pages))
	left := last.load(pages, seen, results)
	err := parallel.Each(ctx, left, func(ctx context.Context, i int) (err error) {
		results[i], err = c.page(ctx, pages[i], last)
		return err
	})
	if err != nil {
		return nil, err
	}
	return c.together(ctx, pages, results)
}

// unmatched reports patterns of the packing list that match no page.
func unmatched(p *project.Project, site *walk.Site) (found []check.Finding) {
	for _, pattern := range site.UnmatchedPatterns {
		found = append(found, check.Finding{Name: check.PagesUnmatched, Severity: check.Warning, File: record.ListFile,
			Line: p.List.Line("pages"), Column: 1,
			Message: fmt.Sprintf("pages: no file of the site matches %q", pattern),
			Why:     "pages that the pattern was meant for are not checked, and no command changes them",
			Next:    "correct the pattern, or remove it"})
	}
	return found
}

// Check looks at the crate's files and at pages.
//
// It is longer than 80 lines because it is the one sequence of steps of a check.
func Check(ctx context.Context, p *project.Project, req CheckRequest) (*Checked, error) {
	known, has := p.Origin.Cache.Result(checkedResult, string(p.Root))
	site, err := p.WalkAndSee(ctx, has) // what is remembered of pages is compared with how they look now
	if err != nil {
		return nil, err
	}
	pages, all := site.Pages, len(req.Pages) == 0 && req.Since == ""
	if len(pages) == 0 && site.UnmatchedPatterns != nil {
		return nil, problem.Refuse(problem.PageUnknown, "correct pages: there, or create a page: merry start --page "+
			"index.html", "%s:%d: pages: no file of the site matches %s", record.ListFile, p.List.Line("pages"),
			strings.Join(site.UnmatchedPatterns, ", "))
	}
	if len(req.Pages) > 0 {
		if pages, err = p.Select(site, req.Pages, req.Dir); err != nil {
			return nil, err
		}
	}
	if req.Since != "" {
		if pages, err = since.Changed(ctx, p, site, req.Since, pages); err != nil {
			return nil, err
		}
	}
	strayed, err := p.Strayed(ctx, site)
	if err != nil {
		return nil, err
	}
	found := append(movedByHand(p, strayed), listDiffers(p)...)
	found = append(found, unmatched(p, site)...)
	p = p.Found(strayed) // all else is reported as if the records had followed
	c := newInspection(p, site)
	c.follow(strayed)
	if c.profile, err = profileOf(p, req.Profile); err != nil {
		return nil, err
	}
	if req.Live {
		c.profile = public(c.profile)
	}
	of, err := c.files(ctx)
	if err != nil {
		return nil, err
	}
	found = append(found, of...)
	found = append(found, c.csp.Found...)
	last := cacheKey(p, site, req, p.Headers().Texts, known)
	rehearsing := req.Rehearse == Always || req.Rehearse == IfFew && len(pages) <= FewPages
	results, err := c.pages(ctx, pages, last)
	if err != nil {
		return nil, err
	}
	used := newUsage()
	pages, results = withoutReports(pages, results)
	for _, r := range results {
		found = append(found, r.found...)
		used.add(r.uses)
	}
	if req.Online {
		list, err := c.online(ctx)
		if err != nil {
			return nil, err
		}
		found = append(found, list...)
	} else {
		last.store(pages, results)
	}
	if all {
		whole, err := c.wholeSite(ctx, used, stateOf(results))
		if err != nil {
			return nil, err
		}
		found = append(found, whole...)
	}
	out := &Checked{Pages: len(pages)}
	if rehearsing {
		runner := &rehearsals.Runner{P: p, Scripts: c.scripts, Staging: c.staging, Leads: c.leads, View: c.toRehearse,
			Provider: c.Provider}
		shown, err := runner.Pages(ctx, c.parts.Visited(pages), found)
		if err != nil {
			return nil, err
		}
		out.Rehearsed, out.Unsure = shown.Rehearsed, shown.Unsure
		found = append(slices.DeleteFunc(found, func(f check.Finding) bool { return slices.Contains(shown.Fine, f) }),
			shown.Found...)
		rehearsals.WithConsequences(found, shown.Then)
	}
	found = c.placed(found)
	check.Sort(found)
	// never null in JSON; what is reported of a stylesheet is the same for all its pages
	out.Findings = append([]check.Finding{}, slices.Compact(found)...)
	return out, nil
}
