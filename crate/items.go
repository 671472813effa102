package crate

import (
	"fmt"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/script"
)

// includeName is what findings and tables call an include.
func (p *Project) includeName(v *view, i int) string {
	in := &v.Includes[i]
	switch {
	case in.Kind == page.InlineScript || in.Kind == page.InlineStyle:
		line, _ := page.Position(v.Bytes, in.Start)
		return fmt.Sprintf("the %s in line %d", in.Kind, line)
	case v.targets[i].Path != "":
		return v.targets[i].Path
	case v.targets[i].URL != "":
		return v.targets[i].URL
	}
	return in.Ref
}

func (c *checker) items(v *view) []order.Item { return c.scripts.items(v) }

// items tells of each include of a page what matters for its order.
func (s *scripts) items(v *view) []order.Item {
	items := make([]order.Item, len(v.Includes))
	for i := range v.Includes {
		in, it := &v.Includes[i], &items[i]
		it.Style = in.Kind == page.Stylesheet || in.Kind == page.InlineStyle
		it.Inline = in.Kind == page.InlineScript || in.Kind == page.InlineStyle
		it.Library = v.library[i]
		it.Own = it.Library == "" && (it.Inline || v.targets[i].Path != "")
		it.Inert = in.Inert != "" || in.Kind == page.Hint || in.Kind == page.Other
		if it.Inert {
			continue
		}
		switch in.When {
		case page.Deferred:
			it.When = order.Deferred
		case page.Async:
			it.When = order.AnyTime
		}
		if it.Style {
			it.Name = s.p.includeName(v, i)
			continue
		}
		known := s.ofInclude(v, i)
		if known == nil {
			it.Name = s.p.includeName(v, i)
			it.Unknown = v.targets[i].Path == "" || v.library[i] != ""
			continue
		}
		it.Text = known.text
		it.Name = s.p.includeName(v, i)
		if !in.Module && known.Form != script.Classic && known.Form != script.Universal {
			continue // a browser does not run it in such a tag, or it does nothing there
		}
		for _, g := range known.Defines {
			it.Defines = append(it.Defines, g.Name)
		}
		for _, g := range known.Parts {
			it.Parts = append(it.Parts, g.Name)
		}
		where := func(g script.Global) string {
			line, column := g.Line, g.Column
			if it.Inline {
				first, at := page.Position(v.Bytes, in.TextStart())
				if line == 1 {
					column += at - 1
				}
				line += first - 1
			}
			return fmt.Sprintf("%s:%d:%d", known.name, line, column)
		}
		for _, n := range known.Needs {
			if n.Strength == script.Hard {
				it.Needs = append(it.Needs, order.Need{Global: n.Name, Or: n.Or, Where: where(n.Global)})
			}
		}
		for _, g := range known.PartNeeds {
			it.PartNeeds = append(it.PartNeeds, order.Need{Global: g.Name, Where: where(g)})
		}
	}
	return items
}
