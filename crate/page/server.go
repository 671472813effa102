package page

import (
	"slices"

	"merrycrate.example/merry/crate/template"
)

// enclosingBlock returns the outermost region with a condition or a loop that a place is in, or nil. One that the whole
// page is in, or its head or body, sets nothing apart.
func (p *Page) enclosingBlock(offset int) *template.Region {
	list := p.regions()
	for i := range list {
		r := &list[i]
		around := false
		for _, m := range []mark{p.html, p.head, p.body} {
			around = around || m.there() && r.Start <= m.start && m.start < r.End
		}
		if !r.Block && !around && r.Start < offset && offset < r.End {
			return r
		}
	}
	return nil
}

// blockEnds are the places before the ends of a page's blocks where it extends another template: of those with scripts
// or styles the last one first. There is none where it extends nothing.
func (p *Page) blockEnds(body bool) []slot {
	if !template.Extends(p.Bytes) {
		return nil
	}
	var list []slot
	for _, with := range []bool{true, false} {
		for _, r := range slices.Backward(p.regions()) {
			has, indent := false, p.indentAt(r.Start)
			for i := range p.Includes {
				if in := &p.Includes[i]; r.InnerStart <= in.Start && in.End <= r.InnerEnd {
					has = has || (in.Kind == Script || in.Kind == InlineScript) == body
					indent = p.indentAt(in.Start)
				}
			}
			if r.Block && has == with {
				list = append(list, slot{offset: r.InnerEnd, indent: indent})
			}
		}
	}
	return list
}

// regions finds the page's regions, once.
func (p *Page) regions() []template.Region {
	if !p.looked {
		p.looked, p.served = true, template.RegionsOf(p.Bytes, p.holes)
	}
	return p.served
}

// EnclosingBlock returns the directive of the template condition or loop that contains an include, "" if none does.
func (p *Page) EnclosingBlock(index int) string {
	if r := p.enclosingBlock(p.Includes[index].Start); r != nil {
		return r.Directive
	}
	return ""
}
