package inspect

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// movedByHand tells of libraries of which files lie elsewhere than the seal has them, once for each.
func movedByHand(p *project.Project, strayed map[paths.InProject]paths.InProject) []check.Finding {
	moved := map[string][]string{}
	for from, to := range strayed {
		library := p.At(from).Library
		moved[library] = append(moved[library], from.String()+" to "+to.String())
	}
	var found []check.Finding
	for library, list := range moved {
		slices.Sort(list)
		from, _, _ := strings.Cut(list[0], " to ")
		found = append(found, check.Finding{Name: check.SealedMoved, Severity: check.Error, File: from,
			Message: fmt.Sprintf("%s was moved by hand: %s", library, project.Abbreviate(list, 3)),
			Why:     "records and tags with the old paths lead nowhere", Next: "merry move --found  # records " +
				"and pages " +
				"follow; or move the files back"})
	}
	return found
}

// listDiffers tells where the packing list and the seal say different things.
func listDiffers(p *project.Project) []check.Finding {
	var found []check.Finding
	for _, d := range p.Differences() {
		f := check.Finding{Name: check.ListDiffers, Severity: check.Error, File: record.ListFile, Line: d.Line,
			Column: 3, Message: d.Library + ": " + d.What,
			Why: "the pages do not show what the packing list says", Next: "merry settle --dry-run  # shows how to " +
				"apply it; or correct the packing list"}
		if d.Line == 0 {
			f.File, f.Column = record.SealFile, 0
		}
		found = append(found, f)
	}
	return found
}

// follow remembers what was moved by hand.
func (c *inspection) follow(strayed map[paths.InProject]paths.InProject) {
	c.leads.Moved = map[paths.InSite]paths.InSite{}
	for from, to := range strayed {
		was, ok := c.p.InSite(from)
		is, ok2 := c.p.InSite(to)
		if ok && ok2 {
			c.leads.Moved[was] = is
		}
	}
}

// leadMoved lets the tags of a page lead to files that were moved by hand.
func (c *inspection) leadMoved(v *tags.Page) {
	for i, t := range v.Targets {
		if to, moved := c.leads.Moved[t.Path]; moved {
			v.Lead(c.p, i, tags.Target{Path: to})
		}
	}
}
