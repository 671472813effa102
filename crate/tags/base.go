package tags

import (
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/crate/project"
)

// HeedBase makes of a page one without a base if a policy forbids that.
func HeedBase(p *project.Project, name paths.InSite, pg *page.Page) {
	if baseForbidden(p, name, pg) {
		pg.IgnoreBase()
	}
}

// baseForbidden reports whether a policy keeps browsers from heeding a page's base (Content Security Policy Level 3,
// section 6.3.1): one that its server sends, or one in its head before the base.
func baseForbidden(p *project.Project, name paths.InSite, pg *page.Page) bool {
	if pg.Base == "" {
		return false
	}
	u := policy.Use{Directive: "base-uri"}
	if t := ResolveOnce(name, "", pg.Base); t.URL != "" {
		u.URL = t.URL
	} else {
		u.Path = "/" + strings.TrimPrefix(t.Path.String(), "/")
	}
	forbids := func(of *policy.Policy) bool {
		verdict, _ := of.Judge(u)
		return verdict == policy.Forbidden
	}
	for _, m := range pg.Policies {
		if m.InHead && !m.ReportOnly && m.Start < pg.BaseStart() && forbids(policy.Parse(m.Text).Enforced()) {
			return true
		}
	}
	for _, h := range p.Headers().Of("/" + name.String()) {
		if h.Name != "content-security-policy" {
			continue
		}
		for _, of := range policy.ParseHeader(h.Value) {
			if forbids(of) {
				return true
			}
		}
	}
	return false
}
