package tags

import (
	"bytes"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
)

// An Editor collects edits of a page's tags, over one parse. Each edit sees the earlier ones: targets follow
// references, and new tags have positions among the existing ones.
type Editor struct {
	*Page
	// Messages says what else was changed on the page, and why.
	Messages []string
	// Protected says of tags to come that they are in a condition or loop of a server's template.
	Protected []string

	p       *project.Project // as the records will be
	scripts *Scripts
	texts   map[int]string // of includes that are written otherwise
	refs    map[int]string // what they refer to then
	raw     []page.Edit    // in the page's text beside its tags
	list    []slot         // the includes, and those to come, in their order
	// concerned are includes of which something else is known now than when the page was written: of another version,
	// or with needs that were recorded meanwhile.
	concerned map[int]bool
	hints     *bool // whether hints are wanted, nil if nothing was said of them
	builds    map[string]record.Build
	served    map[string]bool // libraries that this page has from elsewhere, or not, from now on
}

// A slot is an include that is there, or a tag that is to come.
type slot struct {
	index    int // of the include, -1 for a tag to come
	removed  bool
	tag      string
	spot     page.Spot
	deferred bool
	what     item // of a tag to come
	moved    bool // it is an include that was moved
}

// NewEditor begins the editing of a page, for a project as its records will be.
func NewEditor(p *project.Project, scripts *Scripts, v *Page) *Editor {
	e := &Editor{Page: v, p: p, scripts: scripts, texts: map[int]string{}, refs: map[int]string{},
		concerned: map[int]bool{}, list: make([]slot, len(v.Includes))}
	for i := range e.list {
		e.list[i].index = i
	}
	return e
}

// Project is the project as its records will be.
func (e *Editor) Project() *project.Project { return e.p }

// Edits reports whether anything is to be done.
func (e *Editor) Edits() bool {
	return len(e.texts)+len(e.raw) > 0 || slices.ContainsFunc(e.list, func(s slot) bool {
		return s.removed || s.index < 0
	})
}

// Tag is an include as it will be written.
func (e *Editor) Tag(i int) string {
	if text, ok := e.texts[i]; ok {
		return text
	}
	return e.Text(i)
}

// Reference is what an include refers to as it will be written.
func (e *Editor) Reference(i int) string {
	if ref, ok := e.refs[i]; ok {
		return ref
	}
	return e.Includes[i].Ref
}

// Refer makes an include refer to something else, and sets or takes off attributes: those of names that values lack.
func (e *Editor) Refer(i int, ref string, names []string, values map[string]string) {
	e.Replace(i, retag(e.Tag(i), ref, names, values), ref)
}

// Carries reports whether an include has attributes with the values that a link is to have: the hash among those that
// it demands, whatever else it says.
func (e *Editor) Carries(i int, values map[string]string) bool {
	if e.ModuleCopy(i) != "" && values[OnError] == "" {
		return false
	}
	for name, want := range values {
		got, has := e.Attr(&e.Includes[i], name)
		switch {
		case !has:
			return false
		case name == "integrity" && !slices.Contains(strings.Fields(got), want):
			return false
		case name == OnError && got != want:
			return false
		}
	}
	return true
}

// Follow makes an include refer to where its file will be, as seen from where the page will be.
func (e *Editor) Follow(i int, ref string, to paths.InSite) {
	e.texts[i], e.refs[i] = retag(e.Tag(i), ref, nil, nil), ref
	e.Lead(e.p, i, Target{Path: to})
}

// Replace writes an include otherwise, which then refers to ref.
func (e *Editor) Replace(i int, text, ref string) {
	e.texts[i], e.refs[i] = text, ref
	e.Lead(e.p, i, Lead(e.p, e.From, e.Base, ref, e.Filled()))
}

// Rewrite writes an include otherwise that refers to nothing, such as an inline script.
func (e *Editor) Rewrite(i int, text string) { e.texts[i] = text }

// Edit changes the page's text. An edit inside an include's tag joins what else is done to the tag, and one inside
// another edit joins that, where it is found by what it replaces, from the end.
func (e *Editor) Edit(edits ...page.Edit) {
	for _, edit := range edits {
		i := slices.IndexFunc(e.Includes, func(in page.Include) bool {
			return in.Start <= edit.Start && edit.End <= in.End
		})
		if i < 0 {
			if k := slices.IndexFunc(e.raw, func(r page.Edit) bool {
				return r.Start <= edit.Start && edit.End <= r.End && r.End-r.Start > edit.End-edit.Start
			}); k >= 0 {
				was := string(e.Page.Bytes[edit.Start:edit.End])
				if at := strings.LastIndex(e.raw[k].Text, was); at >= 0 {
					e.raw[k].Text = e.raw[k].Text[:at] + edit.Text + e.raw[k].Text[at+len(was):]
				}
				continue
			}
			e.raw = append(e.raw, edit)
			continue
		}
		in := &e.Includes[i]
		if _, edited := e.texts[i]; !edited {
			e.texts[i] = string(page.Apply(e.Page.Bytes[in.Start:in.End],
				[]page.Edit{{Start: edit.Start - in.Start, End: edit.End - in.Start, Text: edit.Text}}))
			continue
		}
		// What is before the edit may have changed its length: it is found by what it replaces.
		e.texts[i] = strings.Replace(e.texts[i], string(e.Page.Bytes[edit.Start:edit.End]), edit.Text, 1)
	}
}

// Remove takes includes off the page.
func (e *Editor) Remove(indices ...int) {
	for i := range e.list {
		if slices.Contains(indices, e.list[i].index) && e.list[i].index >= 0 {
			e.list[i].removed = true
		}
	}
}

// Removed reports whether an include was taken off.
func (e *Editor) Removed(i int) bool { return e.list[e.position(i)].removed }

// position is where in the list an include is.
func (e *Editor) position(index int) int {
	return slices.IndexFunc(e.list, func(s slot) bool { return s.index == index })
}

// insertAt puts a tag to come before the slot at a position of the list.
func (e *Editor) insertAt(at int, s slot) {
	s.index = -1
	e.list = slices.Insert(e.list, at, s)
}

// Bytes returns the page as it will be.
func (e *Editor) Bytes() ([]byte, error) {
	if !e.Edits() {
		return e.Page.Bytes, nil
	}
	edits, err := e.Changes()
	if err != nil {
		return nil, err
	}
	return page.Apply(e.Page.Bytes, edits), nil
}

// Changes returns the edits that make the page what it will be.
func (e *Editor) Changes() ([]page.Edit, error) {
	if !e.Edits() {
		return nil, nil
	}
	edits := slices.Clone(e.raw)
	var removed []int
	for _, s := range e.list {
		switch text, ok := e.texts[s.index]; {
		case s.index < 0:
		case s.removed:
			removed = append(removed, s.index)
		case ok:
			in := &e.Includes[s.index]
			edits = append(edits, page.Edit{Start: in.Start, End: in.End, Text: text})
		}
	}
	groups := e.groups()
	if len(groups) == 0 || e.Plain() {
		for _, g := range groups {
			edit, err := e.Insert(g.spot, g.tags)
			if err != nil {
				return nil, e.noPlace(err)
			}
			edits = append(edits, edit)
		}
		return append(edits, e.Page.Remove(removed...)...), nil
	}
	return e.doubtful(append(edits, e.Page.Remove(removed...)...), removed, groups)
}

func (e *Editor) noPlace(err error) error {
	return problem.Refuse(problem.PageRefused, "write the tag by hand", "%s: %w", e.Path, err)
}

// A group is tags that go in at one spot.
type group struct {
	spot page.Spot
	tags []string
	at   int // of its first tag in the editor's list
}

// groups lists the tags to come, those that stand together in one.
func (e *Editor) groups() []group {
	var list []group
	joined := false
	for at, s := range e.list {
		switch {
		case s.index >= 0:
			joined = joined && s.removed
		case joined && list[len(list)-1].spot == s.spot:
			list[len(list)-1].tags = append(list[len(list)-1].tags, s.tag)
		default:
			list, joined = append(list, group{s.spot, []string{s.tag}, at}), true
		}
	}
	return list
}

// kept is the spot of a group beside a tag that stays: the one for it may be taken off by now.
func (e *Editor) kept(g group) page.Spot {
	if g.spot == page.EndOfHead || g.spot == page.EndOfBody || !e.Removed(g.spot.Index) {
		return g.spot
	}
	for at := g.at - 1; at >= 0; at-- {
		if s := e.list[at]; s.index >= 0 && !s.removed {
			return page.Spot{Index: s.index, After: true, Outside: g.spot.Outside}
		}
	}
	for _, s := range e.list[g.at:] {
		if s.index >= 0 && !s.removed {
			return page.Spot{Index: s.index, Outside: g.spot.Outside}
		}
	}
	return page.EndOfBody
}

// doubtful puts the tags to come into a page of doubtful shape, once all else is done to it: each group is compared
// with a full parser, and together they must be found again.
func (e *Editor) doubtful(edits []page.Edit, removed []int, groups []group) ([]page.Edit, error) {
	b := page.Apply(e.Page.Bytes, edits)
	pg, err := page.Read(b)
	if err != nil {
		return nil, err
	}
	var in []page.Edit
	n := len(pg.Includes)
	for _, g := range groups {
		spot := e.kept(g)
		was := spot.Index
		for _, r := range removed {
			if r < was {
				spot.Index--
			}
		}
		if spot.Index >= len(pg.Includes) {
			return nil, e.noPlace(page.ErrNoPlace)
		}
		edit, err := pg.Insert(spot, g.tags)
		if err != nil {
			return nil, e.noPlace(err)
		}
		in = append(in, edit)
		n += len(g.tags)
	}
	b = page.Apply(b, in)
	if after, err := page.Read(b); err != nil || len(after.Includes) != n {
		return nil, e.noPlace(page.ErrNoPlace)
	}
	for _, edit := range in {
		edit.Start = before(edits, edit.Start)
		edit.End = edit.Start
		edits = append(edits, edit)
	}
	if overlap(edits) || !bytes.Equal(page.Apply(e.Page.Bytes, edits), b) {
		// edits at one place got into each other's way
		return []page.Edit{{Start: 0, End: len(e.Page.Bytes), Text: string(b)}}, nil
	}
	return edits, nil
}

// overlap reports whether two edits replace the same bytes.
func overlap(edits []page.Edit) bool {
	sorted := slices.Clone(edits)
	slices.SortStableFunc(sorted, func(a, b page.Edit) int { return a.Start - b.Start })
	for i := 1; i < len(sorted); i++ {
		if sorted[i].Start < sorted[i-1].End {
			return true
		}
	}
	return false
}

// before is where in a text a place was before edits were applied to it.
func before(edits []page.Edit, place int) int {
	sorted := slices.Clone(edits)
	slices.SortStableFunc(sorted, func(a, b page.Edit) int { return a.Start - b.Start })
	shift := 0
	for _, e := range sorted {
		begin := e.Start + shift
		if place < begin || place == begin && e.End > e.Start {
			break
		}
		if place < begin+len(e.Text) {
			return e.Start
		}
		shift += len(e.Text) - (e.End - e.Start)
	}
	return place - shift
}

// retag makes a tag refer to something else, with other attributes.
func retag(tag, ref string, names []string, values map[string]string) string {
	pg, err := page.Read([]byte(tag))
	if err != nil || len(pg.Includes) == 0 || pg.Includes[0].RefAttr.End == 0 {
		return tag
	}
	return string(page.Apply(pg.Bytes, pg.ReferTo(0, ref, names, values)))
}

// PlaceInProject is where the file of an include is in the project, "" for one that leads elsewhere.
func (e *Editor) PlaceInProject(i int) string { return e.p.InProject(e.Targets[i].Path).String() }
