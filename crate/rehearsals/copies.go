package rehearsals

import (
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/tags"
)

// watched are the globals that the page's files define.
func (c *Runner) watched(v *tags.Page) []string {
	var list []string
	for _, i := range pageload.Scripts(v) {
		k := c.Scripts.OfInclude(v, i)
		if k == nil || k.Report == nil || v.Includes[i].Inert != "" || v.Includes[i].Kind != page.Script {
			continue
		}
		for _, g := range k.Defines {
			if !slices.Contains(list, g.Name) {
				list = append(list, g.Name)
			}
		}
	}
	return list
}

// copied tells of files that have a copy of a library inside which the page has from another file, too, beside what was
// found already.
func (c *Runner) copied(v *tags.Page, report *rehearse.Report, found []check.Finding) []check.Finding {
	includes := pageload.Scripts(v)
	at := c.P.InProject(v.Path).String()
	var list []check.Finding
	told := map[[2]int]bool{}
	for _, r := range report.Replaced {
		if r.First >= len(includes) || r.Script >= len(includes) || told[[2]int{r.First, r.Script}] {
			continue
		}
		i, j := includes[r.First], includes[r.Script]
		line, column := v.Position(v.Includes[j].Start)
		if v.Includes[i].Kind != page.Script || v.Includes[j].Kind != page.Script ||
			v.Targets[i] == v.Targets[j] || slices.ContainsFunc(found, func(f check.Finding) bool {
			return f.File == at && f.Line == line && (f.Name == check.IncludedTwice || f.Name == check.TwoVersions)
		}) {
			continue
		}
		told[[2]int{r.First, r.Script}] = true
		f := check.Finding{Name: check.IncludedTwice, Severity: check.Warning, File: at, Line: line, Column: column,
			Message: fmt.Sprintf("%s has a copy of what %s defines, and replaces %s", v.Name(j), v.Name(i), r.Global),
			Why:     "what was added to the first copy in between is gone",
			Next: "remove the tag of " + v.Name(i) + ", or take a build of the other without the copy: " +
				"merry peek lists builds"}
		if r.Was != r.Version && r.Was != "" && r.Version != "" {
			f.Name = check.TwoVersions
			f.Message = fmt.Sprintf("%s has %s of %s inside, and replaces the %s of %s", v.Name(j), r.Version, r.Global,
				r.Was, v.Name(i))
		}
		list = append(list, f)
	}
	return list
}
