package upgrade

import (
	"bytes"
	"context"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// optionAttributes finds attributes that no script names and that are options of a library. Scripts read all data
// attributes of an element at once, and take options by the name after data-. If an attribute of the element has a new
// word in front now, its options have that word, too. Both versions' scripts must have the option as a word. A rename
// is only probable if other elements have the attribute, or an own script reads it.
func (c *Compared) optionAttributes(ctx context.Context, p *project.Project, old, new *side) error {
	word, of := "", map[string]bool{} // attributes with the word in front now
	known := map[string]bool{}
	for _, l := range c.Removed {
		if l.Kind != string(style.Attribute) {
			continue
		}
		known[l.Name] = true
		tail, data := strings.CutPrefix(l.Name, "data-")
		if !data || l.Rename == nil || !l.Rename.Sure {
			continue
		}
		if front, ok := strings.CutSuffix(strings.TrimPrefix(l.Rename.New, "data-"), tail); ok && front != "" {
			word, of[l.Name] = front, true
		}
	}
	if word == "" {
		return nil
	}
	site, err := p.Walk(ctx)
	if err != nil {
		return err
	}
	beside, elsewhere := map[string]bool{}, map[string]bool{}
	for _, name := range site.Pages {
		b, err := p.ReadInSite(name)
		if err != nil {
			continue // check tells of it
		}
		page.Elements(b, func(_ string, names []string, _ int) {
			with := slices.ContainsFunc(names, func(n string) bool { return of[n] })
			for _, n := range names {
				if tail, data := strings.CutPrefix(n, "data-"); !data || known[n] || old.reads[n] || tail == "" ||
					strings.HasPrefix(tail, word) {
					continue
				}
				if with {
					beside[n] = true
				} else {
					elsewhere[n] = true
				}
			}
		})
	}
	own := ownTexts(p, site.Pages)
	for _, name := range p.OwnFiles(site, packages.Script) {
		if b, err := p.ReadInSite(name); err == nil {
			own = append(own, b)
		}
	}
	for _, n := range slices.Sorted(maps.Keys(beside)) {
		option := script.DatasetName(n)
		if !saysWord(old.scripts, option) || !saysWord(new.scripts, option) {
			continue
		}
		sure := !elsewhere[n] && !saysWord(own, option) && !saysWord(own, n)
		c.Removed = append(c.Removed, RemovedName{Kind: string(style.Attribute), Name: n,
			Rename: &renames.Rename{Old: n,
				New: "data-" + word + strings.TrimPrefix(n, "data-"), Score: 0.85, Sure: sure, Because: []string{
					"it is an option of elements whose attributes have " + word + " in front now"}}})
	}
	return nil
}

// ownTexts are the scripts that stand in pages.
func ownTexts(p *project.Project, pages []paths.InSite) [][]byte {
	var list [][]byte
	for _, name := range pages {
		b, err := p.ReadInSite(name)
		if err != nil {
			continue
		}
		pg, err := page.Read(b)
		if err != nil {
			continue
		}
		for i := range pg.Includes {
			if in := &pg.Includes[i]; in.Kind == page.InlineScript {
				list = append(list, pg.InlineText(in))
			}
		}
	}
	return list
}

// saysWord reports whether one of some scripts has a name as a word.
func saysWord(list [][]byte, word string) bool {
	return slices.ContainsFunc(list, func(text []byte) bool {
		for at := 0; ; {
			i := bytes.Index(text[at:], []byte(word))
			if i < 0 {
				return false
			}
			at += i
			end := at + len(word)
			if (at == 0 || !inWord(text[at-1])) && (end == len(text) || !inWord(text[end])) {
				return true
			}
			at = end
		}
	})
}

func inWord(c byte) bool {
	return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}
