package rehearsals

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// wanted are the members that a page's scripts use, at any time and without asking, of globals that libraries on it
// define.
func (c *Runner) wanted(v *tags.Page) []string {
	var list []string
	for _, i := range pageload.Scripts(v) {
		k := c.Scripts.OfInclude(v, i)
		if k == nil || k.Report == nil || v.Includes[i].Inert != "" {
			continue
		}
		for _, use := range k.Report.Uses {
			global, _, _ := strings.Cut(use.Name, ".")
			if c.baseOf(v, i, global) != "" && !slices.Contains(list, use.Name) {
				list = append(list, use.Name)
			}
		}
	}
	return list
}

// baseOf is the library on the page that defines a global for an include, "" for none, or its own.
func (c *Runner) baseOf(v *tags.Page, i int, global string) string {
	library := c.P.Globals()[global]
	if library == "" || library == v.Library(i) || !slices.ContainsFunc(pageload.Scripts(v), func(j int) bool {
		return v.Library(j) == library && v.Includes[j].Inert == ""
	}) {
		return ""
	}
	return library
}

// lacking tells of members that scripts use later and that the library on the page has not, beside what stopped
// already.
func (c *Runner) lacking(v *tags.Page, report *rehearse.Report) []check.Finding {
	if report.Stopped != "" || len(report.Lacking) == 0 {
		return nil
	}
	lacks := map[string]rehearse.MissingMember{}
	for _, l := range report.Lacking {
		lacks[l.Member] = l
	}
	var list []check.Finding
	for n, i := range pageload.Scripts(v) {
		k := c.Scripts.OfInclude(v, i)
		if k == nil || k.Report == nil || n >= len(report.Ran) || !report.Ran[n] {
			continue // it stops anyway
		}
		for _, use := range k.Report.Uses {
			l, lacking := lacks[use.Name]
			if !lacking {
				continue
			}
			global, _, _ := strings.Cut(use.Name, ".")
			f := c.missingMember(v, i, c.baseOf(v, i, global), l)
			if f != nil {
				f.Why = c.usedAt(v, i, k.Name, use) + ": it stops when it comes to that"
				list = append(list, *f)
			}
		}
	}
	return list
}

// missingMember is the finding of a member that an include uses of a library: one that another version has, or a
// misspelt one. Other members may be those that only some versions have, and a script may know that.
func (c *Runner) missingMember(v *tags.Page, i int, library string, of rehearse.MissingMember) *check.Finding {
	if library == "" {
		return nil
	}
	f := check.Finding{Name: check.MemberLacking, Severity: check.Warning, File: c.P.InProject(v.Path).String(),
		Message: fmt.Sprintf("%s uses %s, which %s %s on this page does not have", v.Name(i), of.Member, library,
			c.P.Seal.Libraries[library].Version)}
	f.Line, f.Column = v.Position(v.Includes[i].Start)
	switch had := c.hadBefore(library, of.Member); {
	case had != "":
		f.Next = "merry repin " + texts.Word(library+"@"+had) + "  # which has it"
	case of.Near != "" && v.Library(i) == "":
		f.Message += "; did you mean " + of.Near + "?"
		f.Next = "write " + of.Near
	default:
		return nil
	}
	return &f
}

// hadBefore is the version of a library that had a member of a global, as far as that was seen, "" for none.
func (c *Runner) hadBefore(library, member string) string {
	sealed := c.P.Seal.Libraries[library]
	for _, version := range slices.Backward(slices.Sorted(maps.Keys(sealed.Gone))) {
		if slices.Contains(sealed.Gone[version], member) {
			return version
		}
	}
	for _, name := range c.P.Seal.Names() {
		if _, version := origin.SplitPackage(c.P.Seal.Libraries[name].Unmet[member]); version != "" {
			return version
		}
	}
	return ""
}

// usedAt is the place of a use in a script, which may stand in the page.
func (c *Runner) usedAt(v *tags.Page, i int, name string, use script.Global) string {
	if in := &v.Includes[i]; in.Kind == page.InlineScript {
		line, column := v.Position(in.TextStart())
		if use.Line == 1 {
			use.Column += column - 1
		}
		use.Line += line - 1
		name = c.P.InProject(v.Path).String()
	}
	return fmt.Sprintf("%s:%d:%d", name, use.Line, use.Column)
}
