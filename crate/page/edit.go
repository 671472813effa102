package page

import (
	"bytes"
	"cmp"
	"errors"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// An Edit replaces the bytes from Start to End by Text. Several edits of one page refer to the same
// bytes, those before any of them.
type Edit struct {
	Start, End int
	Text       string
	// After says of an insertion that it was put behind what ends there, not before what begins there.
	After bool
}

// Apply applies the edits on a copy of b. Edits at one place keep their order.
func Apply(b []byte, edits []Edit) []byte {
	edits = slices.Clone(edits)
	// What goes in at a place comes before what is taken out from there on.
	slices.SortStableFunc(edits, func(x, y Edit) int {
		return cmp.Or(x.Start-y.Start, min(1, x.End-x.Start)-min(1, y.End-y.Start))
	})
	size := len(b)
	for _, e := range edits {
		size += len(e.Text) - (e.End - e.Start)
	}
	out := make([]byte, 0, size)
	at := 0
	for _, e := range edits {
		out = append(out, b[at:e.Start]...)
		out = append(out, e.Text...)
		at = e.End
	}
	return append(out, b[at:]...)
}

// ErrNoPlace is returned if a tag can't be put on a page without changing the meaning of the rest.
var ErrNoPlace = errors.New("no place on the page takes the tag without changing the rest")

// A Spot says where new tags go: Before or After an include (by its index), or, where Index is -1,
// at the end of the head or of the body.
type Spot struct {
	Index int
	After bool
	Body  bool
	// Outside says that the tags go before or behind the condition or loop of a server's template that the include
	// stands in.
	Outside bool
}

// EndOfHead and EndOfBody are the spots beside no other include.
var (
	EndOfHead = Spot{Index: -1}
	EndOfBody = Spot{Index: -1, Body: true}
)

// InHeadAt reports whether a place is before the body.
func (p *Page) InHeadAt(offset int) bool {
	switch {
	case p.headEnd.there():
		return offset <= p.headEnd.start
	case p.firstBody >= 0:
		return offset <= p.firstBody
	}
	return true
}

// Plain reports whether the page is of the usual shape, where a tag goes in without harm to the rest.
func (p *Page) Plain() bool { return p.plain }

// Insert returns the edit that puts tags at the spot: a line for each with the page's own
// indentation and line ending where the spot is at the edge of a line, else right there. On a page
// of doubtful shape the result is compared with a full parser's tree, and other places are tried
// until the old tree stands unchanged beside the new elements.
func (p *Page) Insert(spot Spot, tags []string) (Edit, error) {
	places := p.slots(spot)
	if p.plain {
		return p.at(places[0], tags), nil
	}
	// A comment that the page never ends leaves no room after it; only then may a comment change
	// its place in the tree.
	for _, comments := range []bool{true, false} {
		for _, pl := range places {
			for _, inline := range []bool{false, true} {
				pl.inline = inline
				if e := p.at(pl, tags); p.harmless(e, tags, comments) {
					return e, nil
				}
			}
		}
	}
	return Edit{}, ErrNoPlace
}

// A slot is an offset with the indentation that suits it.
type slot struct {
	offset int
	indent string
	after  bool // the offset is the end of something, not the start
	inline bool // no line of its own, whatever the surroundings
}

func (p *Page) slots(spot Spot) []slot {
	var list []slot
	if spot.Index >= 0 {
		in := &p.Includes[spot.Index]
		pl := slot{offset: in.Start, indent: p.indentAt(in.Start)}
		if spot.After {
			pl.offset, pl.after = in.End, true
		}
		if r := p.enclosingBlock(in.Start); r != nil && spot.Outside {
			pl = slot{offset: r.Start, indent: p.indentAt(r.Start)}
			if spot.After {
				pl.offset, pl.after = r.End, true
			}
		}
		list = append(list, pl)
	}
	if !(spot.Body && p.bodyEnd.there()) && !(!spot.Body && p.headEnd.there()) {
		if ends := p.blockEnds(spot.Body); len(ends) > 0 {
			return append(list, ends...)
		}
	}
	if spot.Body {
		if p.bodyEnd.there() {
			list = append(list, slot{offset: p.bodyEnd.start, indent: p.childIndent(p.bodyEnd.start, p.body)})
		}
		if p.htmlEnd.there() {
			list = append(list, slot{offset: p.htmlEnd.start})
		}
		list = append(list, slot{offset: len(p.Bytes)})
	}
	if p.headEnd.there() {
		list = append(list, slot{offset: p.headEnd.start, indent: p.childIndent(p.headEnd.start, p.head)})
	}
	if p.firstBody >= 0 {
		list = append(list, slot{offset: p.firstBody})
	}
	for _, m := range []mark{p.head, p.html} {
		if m.there() {
			list = append(list, slot{offset: m.end, after: true})
		}
	}
	list = append(list, slot{offset: p.headInsertable, after: p.headInsertable > 0}, slot{offset: 0},
		slot{offset: len(p.Bytes)})
	return p.outsideBlocks(list, spot)
}

// outsideBlocks moves places at the end of the head or the body out of conditions and loops that a server's template
// closes only after them.
func (p *Page) outsideBlocks(list []slot, spot Spot) []slot {
	if spot.Index >= 0 || len(p.regions()) == 0 {
		return list
	}
	for i := range list {
		if r := p.enclosingBlock(list[i].offset); r != nil {
			list[i] = slot{offset: r.Start, indent: p.indentAt(r.Start)}
		}
	}
	return list
}

// at makes the edit for one place.
func (p *Page) at(pl slot, tags []string) Edit {
	b := p.Bytes
	start, end := lineStart(b, pl.offset), lineEnd(b, pl.offset)
	switch {
	case pl.inline:
	case pl.after && blank(b[pl.offset:end]) && end > pl.offset && (b[end-1] == '\n' || b[end-1] == '\r') &&
		p.startsLine(pl.offset):
		return Edit{Start: end, End: end, Text: asLines(tags, pl.indent, p.newline(end)), After: true}
	case !pl.after && len(b) > 0 && blank(b[start:pl.offset]):
		return Edit{Start: start, End: start, Text: asLines(tags, pl.indent, p.newline(start))}
	}
	return Edit{Start: pl.offset, End: pl.offset, Text: strings.Join(tags, ""), After: pl.after}
}

// startsLine reports whether the element that ends at offset is the first on its line.
func (p *Page) startsLine(offset int) bool {
	for i := range p.Includes {
		if p.Includes[i].End == offset {
			return blank(p.Bytes[lineStart(p.Bytes, p.Includes[i].Start):p.Includes[i].Start])
		}
	}
	return true
}

func asLines(tags []string, indent, newline string) string {
	var s strings.Builder
	for _, t := range tags {
		s.WriteString(indent + t + newline)
	}
	return s.String()
}

// Remove returns the edits that take out includes, each line with them that held nothing else.
func (p *Page) Remove(indices ...int) []Edit {
	slices.Sort(indices)
	var edits []Edit
	for _, i := range indices {
		in := &p.Includes[i]
		if n := len(edits); n > 0 && blank(p.Bytes[edits[n-1].End:in.Start]) &&
			!bytes.ContainsAny(p.Bytes[edits[n-1].End:in.Start], "\r\n") {
			edits[n-1].End = in.End
			continue
		}
		edits = append(edits, Edit{Start: in.Start, End: in.End})
	}
	for i := range edits {
		e := &edits[i]
		start, end := lineStart(p.Bytes, e.Start), lineEnd(p.Bytes, e.End)
		if blank(p.Bytes[start:e.Start]) && blank(p.Bytes[e.End:end]) && (start > 0 || end < len(p.Bytes)) {
			e.Start, e.End = start, end
		}
	}
	return edits
}

// Refer returns the edit that makes an include refer to ref, with the quotes it has.
func (p *Page) Refer(index int, ref string) Edit {
	a := p.Includes[index].RefAttr
	return Edit{Start: a.ValueStart, End: a.ValueEnd, Text: encode(ref, a.Quote)}
}

// ScriptTag and StyleTag write the tags that the product puts on pages.
func ScriptTag(ref string, deferred bool) string {
	if deferred {
		return `<script src="` + encode(ref, '"') + `" defer></script>`
	}
	return `<script src="` + encode(ref, '"') + `"></script>`
}

// StyleTag writes the link element for a stylesheet.
func StyleTag(ref string) string { return `<link rel="stylesheet" href="` + encode(ref, '"') + `">` }

// harmless holds an edit against the parser: the new tree must be the old one and the new elements,
// and taking them out again must give back the old bytes.
func (p *Page) harmless(e Edit, tags []string, comments bool) bool {
	edited := Apply(p.Bytes, []Edit{e})
	wanted := make([]string, len(tags))
	for i, t := range tags {
		n, err := html.ParseFragment(strings.NewReader(t), &html.Node{Type: html.ElementNode, Data: "head",
			DataAtom: headAtom})
		if err != nil || len(n) != 1 {
			return false
		}
		wanted[i] = shallow(n[0])
	}
	root, err := html.Parse(bytes.NewReader(edited))
	if err != nil {
		return false
	}
	before, err := html.Parse(bytes.NewReader(p.Bytes))
	if err != nil {
		return false
	}
	if take(before, slices.Clone(wanted), false) != 0 {
		return false // such a tag is there already; which one is ours could not be known
	}
	if take(root, slices.Clone(wanted), true) != len(tags) || outline(root, comments) != outline(before, comments) {
		return false
	}
	q, err := Read(edited)
	if err != nil {
		return false
	}
	var added []int
	for i := range q.Includes {
		if in := &q.Includes[i]; slices.Contains(tags, string(edited[in.Start:in.End])) && in.Inert == "" {
			added = append(added, i)
		}
	}
	return len(added) == len(tags) && bytes.Equal(Apply(edited, q.Remove(added...)), p.Bytes)
}

// indentAt returns the white space that begins the line of offset.
func (p *Page) indentAt(offset int) string {
	start := lineStart(p.Bytes, offset)
	end := start
	for end < offset && (p.Bytes[end] == ' ' || p.Bytes[end] == '\t') {
		end++
	}
	return string(p.Bytes[start:end])
}

// childIndent finds the indentation of an element's children from the last line before its end
// tag. Where that element is empty, its own indentation and one step serve.
func (p *Page) childIndent(endTag int, open mark) string {
	b := p.Bytes
	for at := lineStart(b, endTag); at > open.end; {
		prev := lineStart(b, at-1)
		if at >= 2 && b[at-1] == '\n' && b[at-2] == '\r' {
			prev = lineStart(b, at-2)
		}
		if prev < open.end {
			break
		}
		if !blank(b[prev:at]) {
			// The line's own depth is that of a child only where a child begins on it.
			if indent := p.indentAt(prev + len(b[prev:at]) - len(bytes.TrimLeft(b[prev:at], " \t"))); p.topChild(prev,
				at) {
				return indent
			}
		}
		at = prev
	}
	own := p.indentAt(endTag)
	if open.start > 0 {
		own = p.indentAt(open.start)
	}
	return own + p.step()
}

// topChild reports whether a line holds an include, or a tag that is known to be a child of head: the
// lines whose indentation can be trusted without a tree.
func (p *Page) topChild(start, end int) bool {
	line := bytes.TrimLeft(p.Bytes[start:end], " \t")
	for _, name := range []string{"<script", "<link", "<meta", "<title", "<main", "<footer", "</main", "</footer",
		"<base"} {
		if len(line) >= len(name) && bytes.EqualFold(line[:len(name)], []byte(name)) {
			return true
		}
	}
	return false
}

// step is the page's unit of indentation: a tab, or the smallest number of spaces in use.
func (p *Page) step() string {
	smallest := 0
	for _, line := range bytes.Split(p.Bytes[:min(len(p.Bytes), 8192)], []byte("\n")) {
		if len(line) > 0 && line[0] == '\t' {
			return "\t"
		}
		n := len(line) - len(bytes.TrimLeft(line, " "))
		if n > 1 && (smallest == 0 || n < smallest) {
			smallest = n
		}
	}
	if smallest == 0 && p.plain {
		return ""
	}
	return strings.Repeat(" ", smallest)
}

// newline returns the line ending in use before offset.
func (p *Page) newline(offset int) string {
	b := p.Bytes
	if offset == 0 {
		i := bytes.IndexAny(b, "\r\n")
		if i < 0 {
			return "\n"
		}
		offset = i + 1
		if b[i] == '\r' && i+1 < len(b) && b[i+1] == '\n' {
			offset++
		}
	}
	switch {
	case offset >= 2 && b[offset-2] == '\r' && b[offset-1] == '\n':
		return "\r\n"
	case b[offset-1] == '\r':
		return "\r"
	}
	return "\n"
}

func lineStart(b []byte, offset int) int {
	return 1 + bytes.LastIndexAny(b[:offset], "\r\n")
}

// lineEnd returns the offset behind the line ending that follows offset.
func lineEnd(b []byte, offset int) int {
	i := bytes.IndexAny(b[offset:], "\r\n")
	if i < 0 {
		return len(b)
	}
	offset += i + 1
	if b[offset-1] == '\r' && offset < len(b) && b[offset] == '\n' {
		offset++
	}
	return offset
}

func blank(b []byte) bool {
	for _, c := range b {
		if !isSpace(c) {
			return false
		}
	}
	return true
}

// ReferTo returns the edits that make an include refer to ref and set attributes of its tag: one with a
// value is written behind the reference, or in its old place where the tag has it; one with "" is taken
// off. All else of the tag stays.
func (p *Page) ReferTo(index int, ref string, names []string, values map[string]string) []Edit {
	in := &p.Includes[index]
	edits := []Edit{p.Refer(index, ref)}
	added := ""
	for _, name := range names {
		value := values[name]
		at := slices.IndexFunc(in.Attrs, func(a Attr) bool { return a.Name == name })
		switch {
		case at >= 0 && value == "":
			start := in.Attrs[at].NameStart
			for start > 0 && isSpace(p.Bytes[start-1]) {
				start--
			}
			edits = append(edits, Edit{Start: start, End: in.Attrs[at].End})
		case at >= 0 && in.Attrs[at].Quote != 0:
			edits = append(edits, Edit{Start: in.Attrs[at].ValueStart, End: in.Attrs[at].ValueEnd,
				Text: encode(value, in.Attrs[at].Quote)})
		case at >= 0:
			edits = append(edits, Edit{Start: in.Attrs[at].NameStart, End: in.Attrs[at].End,
				Text: name + `="` + encode(value, '"') + `"`})
		case value != "":
			added += " " + name + `="` + encode(value, '"') + `"`
		}
	}
	if added != "" {
		edits = append(edits, Edit{Start: in.RefAttr.End, End: in.RefAttr.End, Text: added})
	}
	return edits
}

// With writes attributes into a tag that ScriptTag or StyleTag made.
func With(tag string, names []string, values map[string]string) string {
	p, err := Read([]byte(tag))
	if err != nil || len(p.Includes) != 1 {
		return tag
	}
	return string(Apply(p.Bytes, p.ReferTo(0, p.Includes[0].Ref, names, values)))
}

// ForOld writes nomodule into a plain script's tag: browsers that know modules pass it over (HTML Standard, section
// 4.12.1).
func ForOld(tag string) string {
	p, err := Read([]byte(tag))
	if err != nil || len(p.Includes) != 1 || p.Includes[0].Kind != Script {
		return tag
	}
	at := p.Includes[0].RefAttr.End
	return tag[:at] + " nomodule" + tag[at:]
}

// Defer writes defer into a plain script's tag; any other tag, and one that says already when it runs, stays as it is.
func Defer(tag string) string {
	p, err := Read([]byte(tag))
	if err != nil || len(p.Includes) != 1 || p.Includes[0].Kind != Script || p.Includes[0].When != Blocking ||
		p.Includes[0].Module {
		return tag
	}
	at := p.Includes[0].RefAttr.End
	return tag[:at] + " defer" + tag[at:]
}
