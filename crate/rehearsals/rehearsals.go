// Package rehearsals runs pages in the sandbox, and turns what that shows into findings.
package rehearsals

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// A Runner rehearses the pages of a project.
type Runner struct {
	P       *project.Project
	Scripts *tags.Scripts
	Staging *pageload.Loader
	Leads   *references.Resolver
	// View reads a page as a visitor receives it; nil for one of which too little is known.
	View func(name paths.InSite) *tags.Page
	// Provider tells who defines a global: a library of the crate, or an own script.
	Provider func(global string) (library, own string)
}

// Shown is what rehearsals of pages showed.
type Shown struct {
	Found     []check.Finding
	Fine      []check.Finding // of the findings that were there before, those that are refuted
	Then      []Consequence
	Unsure    []string // faults that may come of what can't be simulated
	Rehearsed int      // pages
}

// Pages rehearses pages and reports the first fault of each script, if nothing that was found already says it. What
// stops because another script stopped is a consequence of that one's finding. Fine are those of the findings that a
// rehearsal refutes.
func (c *Runner) Pages(ctx context.Context, pages []paths.InSite, found []check.Finding) (*Shown, error) {
	results, err := parallel.Map(ctx, pages, func(ctx context.Context, name paths.InSite) (result, error) {
		var r result
		v := c.View(name)
		if v == nil {
			return r, nil
		}
		req := c.Staging.Request(v)
		if req.OnLoad == nil && !slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool {
			return s.Skip == ""
		}) {
			return r, nil
		}
		req.Clicks, req.Wanted, req.Watched = true, c.wanted(v), c.watched(v)
		report, err := c.P.Facts.Rehearse(ctx, req)
		if err != nil {
			return r, err
		}
		if report.Stopped != "" && report.Guessed {
			r.unsure = append(r.unsure, fmt.Sprintf("%s: the rehearsal was stopped: %s", c.P.InProject(name),
				report.Stopped))
		} else if report.Stopped != "" {
			r.found = append(r.found, check.Finding{Name: check.RehearsalEnded, Severity: check.Warning,
				File: c.P.InProject(name).String(), Line: 1, Column: 1,
				Message: "the rehearsal was stopped: " + report.Stopped, Why: "merry can't tell what the scripts " +
					"would have done after that",
				Next: "open the page in a browser and read its console; merry check --no-rehearse"})
		}
		r.done = true
		c.faults(v, req, report, found, &r.found, &r.unsure, &r.then)
		gone, less := c.refuted(v, report, found)
		r.fine = append(gone, less...)
		for _, f := range less {
			r.found = append(r.found, milder(f))
		}
		r.found = append(r.found, c.asked(v, req, report, found)...)
		r.found = append(r.found, c.lacking(v, report)...)
		r.found = append(r.found, c.copied(v, report, found)...)
		r.found = append(r.found, c.forbidden(v, req, report)...)
		if slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool {
			return s.When == rehearse.AnyTime && s.Skip == ""
		}) {
			req.Late = true
			late, err := c.P.Facts.Rehearse(ctx, req)
			if err != nil {
				return r, err
			}
			c.races(v, report, late, found, &r.found)
		}
		return r, nil
	})
	out := &Shown{}
	for _, r := range results {
		out.Found = append(out.Found, r.found...)
		out.Fine = append(out.Fine, r.fine...)
		out.Unsure = append(out.Unsure, r.unsure...)
		out.Then = append(out.Then, r.then...)
		if r.done {
			out.Rehearsed++
		}
	}
	return out, err
}

// forbidden tells of what scripts make or ask for, and that a policy forbids.
func (c *Runner) forbidden(v *tags.Page, req *rehearse.Request, report *rehearse.Report) (list []check.Finding) {
	for _, m := range c.Staging.Policies.Made(v, report) {
		name, where := c.whose(v, req, m.Include, m.Module, m.Line, m.Column)
		if where != "" {
			where = " (" + where + ")"
		}
		f := check.Finding{Name: check.PolicyForbids, Severity: check.Error, File: c.P.InProject(v.Path).String(),
			Message: fmt.Sprintf("%s %s%s; %s", name, m.What, where, m.Policy),
			Why:     "a browser does not do it, and its console says so", Next: m.Next}
		f.Line, f.Column = v.Position(v.Includes[m.Include].Start)
		list = append(list, f)
	}
	return list
}

// A Stop is a script that surely stops while its page loads.
type Stop struct {
	Include int    // of the page
	Global  string // that was not there, "" where something else is the reason
	Where   string // the place, file:line:column
	Words   string // what a finding would say
}

// Stops runs one page, and lists the scripts that surely stop while it loads.
func (c *Runner) Stops(ctx context.Context, v *tags.Page) ([]Stop, error) {
	req := c.Staging.Request(v)
	report, err := c.P.Facts.Rehearse(ctx, req)
	if err != nil {
		return nil, err
	}
	includes := pageload.Scripts(v)
	var list []Stop
	for _, f := range report.Faults {
		stops := stopping(f)
		if !f.Sure || f.Console != "" || f.When != "loading" || f.Script < 0 || f.Script >= len(includes) ||
			stops >= len(includes) || slices.ContainsFunc(list, func(s Stop) bool {
			return s.Include == includes[stops]
		}) {
			continue
		}
		_, where := c.whose(v, req, includes[f.Script], f.Module, f.Line, f.Column)
		list = append(list, Stop{includes[stops], f.Global, where, v.Name(includes[stops]) + " stops: " + f.Message})
	}
	return list, nil
}

// A result is that of one page.
type result struct {
	found, fine []check.Finding
	unsure      []string
	then        []Consequence
	done        bool
}

// refuted lists the findings of needs whose script came to its end on this very page with nothing to complain of. Those
// of a global that it asks for, and of one that something on the page makes, are gone; all others are less: the script
// loads, and what it does later may fail.
func (c *Runner) refuted(v *tags.Page, report *rehearse.Report, found []check.Finding) (gone,
	less []check.Finding) {
	type position struct{ line, column int }
	here := map[position][]check.Finding{}
	for _, f := range found {
		if f.Severity == check.Error && f.File == c.P.InProject(v.Path).String() {
			here[position{f.Line, f.Column}] = append(here[position{f.Line, f.Column}], f)
		}
	}
	stopped := map[int]bool{}
	for _, f := range report.Faults {
		stopped[stopping(f)] = stopped[stopping(f)] || f.Console == ""
	}
	for n, i := range pageload.Scripts(v) {
		if report.Stopped != "" || n >= len(report.Ran) || !report.Ran[n] || stopped[n] {
			continue
		}
		k := c.Scripts.OfInclude(v, i)
		line, column := v.Position(v.Includes[i].Start)
		if k == nil {
			continue
		}
		for _, f := range here[position{line, column}] {
			asks := f.Name == check.NeedMissing && f.Global != "" && slices.ContainsFunc(k.Report.Needs,
				func(n script.Need) bool { return n.Name == f.Global && n.Tested })
			switch need := f.Name == check.NeedMissing || f.Name == check.NeedLater; {
			case asks || c.made(f, report):
				// what it writes into the page, or makes by a name that it puts together, is there anyway
				gone = append(gone, f)
			case f.Declared || need && f.Global != "":
				less = append(less, f)
			}
		}
	}
	return gone, less
}

// made reports whether a global that a finding says is absent, or one of the library that it says is, was made anyway.
func (c *Runner) made(f check.Finding, report *rehearse.Report) bool {
	return f.Name == check.NeedMissing && slices.ContainsFunc(report.Defined, func(g string) bool {
		return g == f.Global || f.Missing != "" && c.P.Globals()[g] == f.Missing
	})
}

// milder is a finding of a need whose script loads without it: it may fail later.
func milder(f check.Finding) check.Finding {
	f.Severity, f.Why = check.Warning, "it loads anyway, but fails when it uses this later"
	return f
}

// faults turns what a rehearsal showed into findings, in the page's terms.
func (c *Runner) faults(v *tags.Page, req *rehearse.Request, report *rehearse.Report, found []check.Finding,
	list *[]check.Finding, unsure *[]string, then *[]Consequence) {
	includes := pageload.Scripts(v)
	items := c.Scripts.Items(v)
	at := c.P.InProject(v.Path).String()
	said := map[int]bool{}
	for _, f := range report.Faults {
		if m := noMember().FindStringSubmatch(f.Message); m != nil && f.Sure {
			if near := rehearse.NearMember(m[1]); near != "" {
				f.Message += "; did you mean " + near + "?"
			}
		}
		if f.When == clicked {
			c.clickFails(v, req, f, said, list, unsure)
			continue
		}
		if f.Script == rehearse.OnLoad && f.Console == "" && !said[f.Script] {
			said[f.Script] = c.onLoadFails(v, items, at, f, list, unsure)
			continue
		}
		stops := stopping(f)
		if f.Script < 0 || f.Script >= len(includes) || stops >= len(includes) || f.Console != "" || said[stops] {
			continue
		}
		i := includes[stops]
		line, column := v.Position(v.Includes[i].Start)
		name, where := c.whose(v, req, includes[f.Script], f.Module, f.Line, f.Column)
		if stops != f.Script {
			name = v.Name(i)
		}
		when := map[string]string{"ready": " when the page is ready", "load": " when the page has loaded",
			"later": " shortly after"}[f.When]
		message := fmt.Sprintf("%s stops%s: %s", name, when, strings.TrimSuffix(f.Message, "."))
		if !f.Sure {
			*unsure = append(*unsure, fmt.Sprintf("%s: %s (%s)", c.P.InProject(paths.Found(v.At(i))), message, where))
			continue
		}
		said[stops] = true
		if slices.ContainsFunc(found, func(o check.Finding) bool {
			return o.File == at && (strings.HasPrefix(o.Name, "need-") && o.Line == line && o.Column == column ||
				strings.Contains(o.Then, name+" stops"))
		}) {
			continue // what it needs and why that is not there has been said
		}
		if j := stoppedBefore(items, includes, said, i, f.Global); j >= 0 {
			line, column := v.Position(v.Includes[j].Start)
			*then = append(*then, Consequence{at, line, column, name, where, strings.TrimSuffix(f.Message, ".")})
			continue
		}
		why, next := "the browser's console will say so, and the rest of the script does not run",
			"merry order "+texts.Word(at)+"  # shows what runs when"
		if f.Global != "" {
			why = c.locate(items, i, f.Global)
			if f.When == "loading" && slices.ContainsFunc(items[min(i+1, len(items)):], func(it order.Item) bool {
				return it.Phase == items[i].Phase && !it.Inert && it.Defines.Has(f.Global)
			}) {
				next = "merry order " + texts.Word(at) + " --fix"
			}
		}
		if where != "" {
			why = "at " + where + "; " + why
		}
		*list = append(*list, check.Finding{Name: check.ScriptFails, Severity: check.Error, File: at, Line: line,
			Column: column, Message: message, Why: why, Next: next})
	}
}

// stopping is the script that a fault stops: while the page loads the one that runs, in whoever's text the place is.
func stopping(f rehearse.Fault) int {
	if f.When == "loading" && f.Running >= 0 && f.Script >= 0 {
		return f.Running
	}
	return f.Script
}

// A Consequence is a script that stops because of what a finding of an error says.
type Consequence struct {
	file         string // of the finding
	line, column int
	name         string // of the script
	where, what  string
}

// stoppedBefore is the include of the script that would define a global and stopped before, -1 for none.
func stoppedBefore(items []order.Item, includes []int, said map[int]bool, i int, global string) int {
	for n, j := range includes {
		if said[n] && j < i && global != "" && items[j].Defines.Has(global) {
			return j
		}
	}
	return -1
}

// WithConsequences adds to findings what stops because of them.
func WithConsequences(found []check.Finding, then []Consequence) {
	for _, t := range then {
		for n := range found {
			if f := &found[n]; f.Severity == check.Error && f.File == t.file && f.Line == t.line &&
				f.Column == t.column {
				f.Stops(t.name, t.where, t.what)
				break
			}
		}
	}
}

// noMember finds the name that an object has not.
var noMember = memo.Regexp(`^TypeError: .*\.([A-Za-z]+) is not a function$`)

// clicked is the time of a fault that a click makes.
const clicked = "clicked"

// clickFails tells that what a click does stops, once for each script that does not stop before, and for each handler
// in the page.
func (c *Runner) clickFails(v *tags.Page, req *rehearse.Request, f rehearse.Fault, said map[int]bool,
	list *[]check.Finding, unsure *[]string) {
	includes := pageload.Scripts(v)
	inPage := f.Script < 0 || f.Script >= len(includes)
	if f.Console != "" || !inPage && said[f.Script] || inPage && f.Handler == "" {
		return
	}
	at := c.P.InProject(v.Path).String()
	name, where := "the onclick of "+f.Clicked, ""
	line, column := v.Position(max(0, bytes.Index(v.Bytes, []byte(f.Handler))))
	if inPage {
		where = fmt.Sprintf("%s:%d:%d", at, line, column)
	} else {
		line, column = v.Position(v.Includes[includes[f.Script]].Start)
		name, where = c.whose(v, req, includes[f.Script], f.Module, f.Line, f.Column)
	}
	message := fmt.Sprintf("%s stops when %s is clicked: %s", name, f.Clicked, strings.TrimSuffix(f.Message, "."))
	if inPage {
		message = fmt.Sprintf("%s stops: %s", name, strings.TrimSuffix(f.Message, "."))
	}
	if !f.Sure {
		*unsure = append(*unsure, fmt.Sprintf("%s: %s (%s)", at, message, where))
		return
	}
	if !inPage {
		said[f.Script] = true
	}
	why := "the console says so then, and the rest of what the click does is left out"
	if where != "" {
		why = "at " + where + "; " + why
	}
	*list = append(*list, check.Finding{Name: check.ClickFails, Severity: check.Warning, File: at, Line: line,
		Column: column, Message: message, Why: why, Next: "click it in a browser, and read its console"})
}

// onLoadFails tells that the body's onload stops, and whether that is sure.
func (c *Runner) onLoadFails(v *tags.Page, items []order.Item, at string, f rehearse.Fault, list *[]check.Finding,
	unsure *[]string) bool {
	if f.Line == 0 {
		f.Line, f.Column = v.Position(v.OnLoadStart)
	}
	message := "the onload of the body stops when the page has loaded: " + strings.TrimSuffix(f.Message, ".")
	if !f.Sure {
		*unsure = append(*unsure, fmt.Sprintf("%s:%d:%d: %s", at, f.Line, f.Column, message))
		return false
	}
	why := "the browser's console will say so, and the rest of the script does not run"
	if f.Global != "" {
		why = c.locate(items, len(items), f.Global)
	}
	*list = append(*list, check.Finding{Name: check.ScriptFails, Severity: check.Error, File: at, Line: f.Line,
		Column: f.Column, Message: message, Why: why,
		Next: "merry order " + texts.Word(at) + "  # shows what runs when"})
	return true
}

// whose says of which script a rehearsal speaks, and where: of the one of an include, or of a module that it imports,
// by its place in the request, from 1.
func (c *Runner) whose(v *tags.Page, req *rehearse.Request, i, module, line, column int) (name, where string) {
	name = v.Name(i)
	if line == 0 {
		return name, ""
	}
	file := c.P.InProject(v.Path).String()
	if k := c.Scripts.OfInclude(v, i); k != nil {
		file = k.Name
	}
	if module > 0 && req.Modules[module-1].Name != file {
		file = req.Modules[module-1].Name
		name = fmt.Sprintf("%s, which %s imports,", file, name)
	}
	return name, fmt.Sprintf("%s:%d:%d", file, line, column)
}

// races reports scripts that stop only where an async script comes late: whether they do depends on the network.
func (c *Runner) races(v *tags.Page, early, late *rehearse.Report, found []check.Finding, list *[]check.Finding) {
	includes, items := pageload.Scripts(v), c.Scripts.Items(v)
	at := c.P.InProject(v.Path).String()
	for _, f := range late.Faults {
		j := slices.IndexFunc(items, func(it order.Item) bool {
			return it.Phase == order.AnyTime && (it.Defines.Has(f.Global) || f.Global == "" && !it.Inert)
		})
		if f.Script < 0 || f.Script >= len(includes) || !f.Sure || f.Console != "" || j < 0 ||
			slices.ContainsFunc(early.Faults, func(e rehearse.Fault) bool { return e.Script == f.Script && e.Sure }) {
			continue
		}
		line, column := v.Position(v.Includes[includes[f.Script]].Start)
		if slices.ContainsFunc(found, func(o check.Finding) bool {
			return o.File == at && o.Name == check.NeedRace &&
				o.Line == line
		}) {
			continue
		}
		*list = append(*list, check.Finding{Name: check.NeedRace, Severity: check.Warning, File: at, Line: line,
			Column: column,
			Message: fmt.Sprintf("%s is async, so the network decides whether it runs in time for %s", items[j].Name,
				items[includes[f.Script]].Name),
			Why:  fmt.Sprintf("if it comes late, %s stops: %s", items[includes[f.Script]].Name, f.Message),
			Next: "remove async from the tag, or write defer on both"})
		return
	}
}

// locate says where a global that was missing comes from.
func (c *Runner) locate(items []order.Item, i int, global string) string {
	for j := range items {
		if !items[j].Defines.Has(global) {
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
			return fmt.Sprintf("%s would come from %s, which stopped earlier", global, items[j].Name)
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
