package rehearsals

import (
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/tags"
)

// asked reports what scripts ask for while the page loads, and that is not there, beside what was found already.
func (c *Runner) asked(v *tags.Page, req *rehearse.Request, report *rehearse.Report,
	found []check.Finding) []check.Finding {
	if v.Base != "" {
		return nil // the room does not know it
	}
	var list []check.Finding
	includes := pageload.Scripts(v)
	told := map[string]bool{}
	for _, a := range report.Asked {
		rest, here := strings.CutPrefix(a.Address, pageload.Site)
		rest, err := url.PathUnescape(tags.WithoutQuery(rest))
		if !here || err != nil || a.By == "send" || !a.Sure || a.Script < 0 || a.Script >= len(includes) ||
			told[rest] ||
			strings.ContainsAny(rest, "[]{}<>|\\ ") {
			continue // elsewhere, or made of what the room can't know
		}
		at := paths.Found(strings.TrimPrefix(path.Clean("/"+rest), "/"))
		if !slices.Contains(references.Static, strings.ToLower(path.Ext(rest))) || c.Leads.Has(at) ||
			c.P.At(c.P.InProject(at)).File != nil {
			continue
		}
		told[rest] = true
		i := includes[a.Script]
		name, where := c.whose(v, req, i, a.Module, a.Line, a.Column)
		if where != "" {
			where = " (" + where + ")"
		}
		if slices.ContainsFunc(found, func(f check.Finding) bool {
			return f.Name == check.LeadsNowhere && strings.Contains(f.Message, "no file "+at.String())
		}) {
			continue
		}
		f := check.Finding{Name: check.LeadsNowhere, Severity: check.Error, File: c.P.InProject(v.Path).String(),
			Message: fmt.Sprintf("%s asks for %s, which does not exist%s", name, at, where),
			Why:     "the browser gets \"not found\" for it, and its console says so",
			Next: "put the file there, or let " +
				"the script ask for another"}
		if near, caseOnly := c.Leads.Near(at); !near.IsZero() {
			if caseOnly {
				f.Next = "on disk it is written " + near.String()
			} else {
				f.Next = "the nearest file is " + near.String() + "; " + f.Next
			}
		}
		if l := v.Library(i); l != "" {
			f.Next = "take " + l +
				" again and keep that file with --keep; or set its path in the script, as the library's " +
				"documentation says"
		}
		f.Line, f.Column = v.Position(v.Includes[i].Start)
		list = append(list, f)
	}
	return list
}
