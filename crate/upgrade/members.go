package upgrade

import (
	"context"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/renames"
)

// members are what the scripts of a version give to pages, as running them shows.
type members struct {
	of    map[string]map[string]bool // of each global, its own ones and those of libraries that it adds something to
	forms map[string]string          // of globals and members, by their paths: function, class, method, object or value
	whole bool                       // all scripts ran to their ends
}

func newMembers() *members {
	return &members{of: map[string]map[string]bool{}, forms: map[string]string{}, whole: true}
}

// read runs a script behind those that it needs, and adds what there is then and was not there before.
func (m *members) read(ctx context.Context, p *project.Project, bases [][]byte, name string, text []byte) error {
	report, err := p.Facts.Behind(ctx, bases, name, text)
	if err != nil || report.Stopped != "" {
		m.whole = false
		return ctx.Err()
	}
	m.whole = m.whole && !slices.Contains(report.Ran, false)
	was := &rehearse.Report{}
	if n := len(bases) - 1; n >= 0 {
		if was, err = p.Facts.Behind(ctx, bases[:n], "bases", bases[n]); err != nil {
			return err
		}
	}
	for g, list := range report.Members {
		if _, based := was.Members[g]; !based {
			m.forms[g] = report.Forms[g]
		}
		for _, member := range list {
			if slices.Contains(was.Members[g], member) {
				continue
			}
			if m.of[g] == nil {
				m.of[g] = map[string]bool{}
			}
			m.of[g][member] = true
			m.forms[g+"."+member] = report.Forms[g+"."+member]
		}
	}
	return nil
}

// removedMembers lists members that are gone: of the library's own globals, and those that it added to the globals of
// other libraries.
func (c *Compared) removedMembers(old, new *side) {
	for _, g := range slices.Sorted(maps.Keys(old.members.of)) {
		// Of a global that is gone, or of which nothing is known now, no members are listed.
		if old.defines[g] && (!new.defines[g] || len(new.members.of[g]) == 0) || !old.defines[g] && !new.members.whole {
			continue
		}
		for _, m := range slices.Sorted(maps.Keys(old.members.of[g])) {
			class, _, instance := strings.Cut(m, ".prototype.")
			if !new.members.of[g][m] && (!instance || new.members.of[g][class]) {
				c.Removed = append(c.Removed, RemovedName{Kind: "member", Name: g + "." + m})
			}
		}
	}
	c.otherForms(old, new)
}

// sameButForm reports whether two members have one name but for capitals, and are different things: a function and a
// class.
func sameButForm(r renames.Rename, global string, old, new *side) bool {
	return strings.EqualFold(r.Old, r.New) && old.members.forms[global+"."+r.Old] != new.members.forms[global+"."+r.New]
}

// otherForms lists globals and members that are there still, and can't be called any more, or make no objects.
func (c *Compared) otherForms(old, new *side) {
	if !new.members.whole {
		return
	}
	words := map[string]string{"object": "an object", "value": "a value", "class": "a class, which needs new",
		"method": "a function that makes no objects"}
	for _, name := range slices.Sorted(maps.Keys(old.members.forms)) {
		was, is := old.members.forms[name], new.members.forms[name]
		switch {
		case is == "" || is == was || strings.Contains(name, "prototype."):
		case (was == "function" || was == "method") && (is == "object" || is == "value" || is == "class"):
			c.Removed = append(c.Removed, RemovedName{Kind: functionKind, Name: name, Now: words[is]})
			if was == "function" && is != "class" {
				c.Removed = append(c.Removed, RemovedName{Kind: constructorKind, Name: name, Now: words[is]})
			}
		case (was == "function" || was == "class") && (is == "method" || is == "object" || is == "value"):
			c.Removed = append(c.Removed, RemovedName{Kind: constructorKind, Name: name, Now: words[is]})
		}
	}
}

// The kinds of what is there still, and can't be used as before.
const (
	functionKind    = "function"
	constructorKind = "constructor"
)
