package crate

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/rehearse"
)

// rehearsals rehearses pages and reports the first fault of each script, if nothing that was found already says it.
func (c *checker) rehearsals(pages []string, found []check.Finding, out *Checked) ([]check.Finding, error) {
	type result struct {
		found  []check.Finding
		unsure []string
		done   bool
	}
	results, err := forEach(pages, func(name string) (result, error) {
		var r result
		b, err := readInto(c.p.path(c.p.inProject(name)), nil)
		if err != nil {
			return r, err
		}
		v, err := c.p.view(name, b)
		if err != nil {
			return r, nil // there is a finding of its own
		}
		req := c.scripts.rehearsal(v)
		if !slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool { return s.Skip == "" }) {
			return r, nil
		}
		report, err := c.p.reach.rehearse(req)
		if err != nil {
			return r, err
		}
		if report.Stopped != "" {
			r.unsure = append(r.unsure, fmt.Sprintf("%s: the rehearsal stopped: %s", c.p.inProject(name), report.Stopped))
		}
		r.done = true
		c.faults(v, report, found, &r.found, &r.unsure)
		if slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool { return s.When == rehearse.AnyTime && s.Skip == "" }) {
			req.Late = true
			late, err := c.p.reach.rehearse(req)
			if err != nil {
				return r, err
			}
			c.races(v, report, late, found, &r.found)
		}
		return r, nil
	})
	var list []check.Finding
	for _, r := range results {
		list = append(list, r.found...)
		out.Unsure = append(out.Unsure, r.unsure...)
		if r.done {
			out.Rehearsed++
		}
	}
	return list, err
}

// faults turns what a rehearsal showed into findings, in the page's terms.
func (c *checker) faults(v *view, report *rehearse.Report, found []check.Finding, list *[]check.Finding, unsure *[]string) {
	includes := scriptsOf(v)
	items := c.items(v)
	at := c.p.inProject(v.path)
	said := map[int]bool{}
	for _, f := range report.Faults {
		if f.Script < 0 || f.Script >= len(includes) || f.Console != "" || said[f.Script] {
			continue
		}
		i := includes[f.Script]
		line, column := page.Position(v.Bytes, v.Includes[i].Start)
		name := c.p.includeName(v, i)
		where := ""
		if f.Line > 0 {
			file := at
			if k := c.scripts.ofInclude(v, i); k != nil {
				file = k.name
			}
			where = fmt.Sprintf("%s:%d:%d", file, f.Line, f.Column)
		}
		when := map[string]string{"ready": " when the page is ready", "load": " when the page has loaded", "later": " a moment later"}[f.When]
		message := fmt.Sprintf("%s stops%s: %s", name, when, strings.TrimSuffix(f.Message, "."))
		if !f.Sure {
			*unsure = append(*unsure, fmt.Sprintf("%s:%d:%d: %s (%s)", at, line, column, message, where))
			continue
		}
		said[f.Script] = true
		if slices.ContainsFunc(found, func(o check.Finding) bool {
			return o.File == at && strings.HasPrefix(o.Name, "need-") && o.Line == line && o.Column == column
		}) {
			continue // what it needs and why that is not there has been said
		}
		why, next := "the browser's console will say so, and nothing behind that place runs", "merry order "+at+" shows what runs when"
		if f.Global != "" {
			why = c.whence(items, i, f.Global)
		}
		if where != "" {
			why = "at " + where + "; " + why
		}
		*list = append(*list, check.Finding{Name: check.ScriptFails, Severity: check.Error, File: at, Line: line, Column: column, Message: message, Why: why, Next: next})
	}
}

// races reports scripts that stop only where an async script comes late: whether they do depends on the network.
func (c *checker) races(v *view, early, late *rehearse.Report, found []check.Finding, list *[]check.Finding) {
	includes, items := scriptsOf(v), c.items(v)
	at := c.p.inProject(v.path)
	for _, f := range late.Faults {
		j := slices.IndexFunc(items, func(it order.Item) bool { return it.When == order.AnyTime && slices.Contains(it.Defines, f.Global) })
		if f.Script < 0 || f.Script >= len(includes) || !f.Sure || f.Global == "" || j < 0 ||
			slices.ContainsFunc(early.Faults, func(e rehearse.Fault) bool { return e.Script == f.Script && e.Sure }) {
			continue
		}
		line, column := page.Position(v.Bytes, v.Includes[includes[f.Script]].Start)
		if slices.ContainsFunc(found, func(o check.Finding) bool { return o.File == at && o.Name == check.NeedRace && o.Line == line }) {
			continue
		}
		*list = append(*list, check.Finding{Name: check.NeedRace, Severity: check.Warning, File: at, Line: line, Column: column,
			Message: fmt.Sprintf("%s is async, and whether it runs in time for %s depends on the network", items[j].Name, items[includes[f.Script]].Name),
			Why:     fmt.Sprintf("where it comes late, %s stops: %s", items[includes[f.Script]].Name, f.Message), Next: "take async off the tag, or write defer on both"})
		return
	}
}

// whence says where a global that was missing comes from.
func (c *checker) whence(items []order.Item, i int, global string) string {
	for j := range items {
		if !slices.Contains(items[j].Defines, global) {
			continue
		}
		between := 0
		for n := min(i, j) + 1; n <= max(i, j); n++ {
			if !items[n].Inert && !items[n].Style {
				between++
			}
		}
		switch {
		case j == i:
			return global + " is its own, and was not defined yet"
		case j < i:
			return fmt.Sprintf("%s would come from %s, which stopped before", global, items[j].Name)
		case between == 1:
			return fmt.Sprintf("%s comes from %s, one script later", global, items[j].Name)
		}
		return fmt.Sprintf("%s comes from %s, %d scripts later", global, items[j].Name, between)
	}
	library, own := c.Provider(global)
	if library+own != "" {
		return fmt.Sprintf("%s would come from %s, which is not on this page", global, library+own)
	}
	return "nothing on this page defines " + global
}
