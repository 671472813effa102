package crate

import (
	"maps"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
)

// tagMemory gives tags back the form that they had before a switch. Most tags need none of it: writing the link
// attributes, or taking them off, gives the old bytes by itself. A link that had its attributes in another
// order, or another integrity beside the sealed one, is remembered in the seal.
type tagMemory struct {
	known []record.Tag

	mu    sync.Mutex
	plain map[string]bool // what tags say now that need no memory
	new   []record.Tag
	given []record.Tag // entries that were used
}

// refer returns the edits that make an include refer to ref.
func (m *tagMemory) refer(v *view, i int, ref string, values map[string]string) []page.Edit {
	in := &v.Includes[i]
	old := string(v.Bytes[in.Start:in.End])
	edits := v.ReferTo(i, ref, linkAttributes, values)
	now := within(v.Bytes[in.Start:in.End], edits, in.Start)
	if t := m.recall(v.path, old); t != nil && sameMeaning(v, t.Was, now) {
		m.mu.Lock()
		m.given = append(m.given, *t)
		m.mu.Unlock()
		return []page.Edit{{Start: in.Start, End: in.End, Text: t.Was}}
	}
	back := map[string]string{}
	for _, name := range linkAttributes {
		if value, ok := v.Attr(in, name); ok {
			back[name] = orWord(value, "anonymous")
		}
	}
	if v.targets[i].URL != "" && back["integrity"] == "" {
		return edits // back it will have the integrity that it lacks
	}
	if with(now, in.Ref, back) != old || v.targets[i].Path != "" && in.Ref != relativeTo(v, v.targets[i].Path) {
		m.mu.Lock()
		m.new = append(m.new, record.Tag{Page: v.path, Now: now, Was: old})
		m.mu.Unlock()
		return edits
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if t := m.recall("", now); t != nil {
		m.new = append(m.new, record.Tag{Page: v.path, Now: now, Was: old}) // what is remembered of all pages is not true of this one
	} else if m.plain == nil {
		m.plain = map[string]bool{now: true}
	} else {
		m.plain[now] = true
	}
	return edits
}

// relativeTo is the reference that switching back would write if it knew nothing of how the page's references were written.
func relativeTo(v *view, name string) string {
	bare := *v.Page
	bare.Includes = nil
	ref, _ := refTo(&bare, v.path, name)
	return ref
}

// within carries out edits of a page on a part of it that begins at start and holds them all.
func within(part []byte, edits []page.Edit, start int) string {
	edits = slices.Clone(edits)
	for i := range edits {
		edits[i].Start -= start
		edits[i].End -= start
	}
	return string(page.Apply(part, edits))
}

// with makes a tag refer to something else, "" where the text is no tag.
func with(tag, ref string, values map[string]string) string {
	pg, err := page.Read([]byte(tag))
	if err != nil || len(pg.Includes) == 0 {
		return ""
	}
	return string(page.Apply(pg.Bytes, pg.ReferTo(0, ref, linkAttributes, values)))
}

// sameMeaning tells whether two tags refer to the same, and demand no other bytes of it.
func sameMeaning(v *view, was, now string) bool {
	a, err := page.Read([]byte(was))
	b, err2 := page.Read([]byte(now))
	if err != nil || err2 != nil || len(a.Includes) == 0 || len(b.Includes) == 0 || targetOf(v.path, v.Base, a.Includes[0].Ref) != targetOf(v.path, v.Base, b.Includes[0].Ref) {
		return false
	}
	x, _ := a.Attr(&a.Includes[0], "integrity")
	y, _ := b.Attr(&b.Includes[0], "integrity")
	mine, err := integrity.Parse(x)
	return y == "" && x == "" || x == "" || err == nil && (slices.Contains(mine, y) || !strings.Contains(x, "sha384-"))
}

// recall finds how a tag was written: on this page, else on any.
func (m *tagMemory) recall(pagePath, now string) *record.Tag {
	var found *record.Tag
	for i := range m.known {
		t := &m.known[i]
		if t.Now == now && (t.Page == pagePath || t.Page == "" && found == nil) {
			found = t
		}
	}
	return found
}

// merged is what to remember from now on. Where all pages were switched, what was given back is forgotten.
func (m *tagMemory) merged(all bool) []record.Tag {
	var list []record.Tag
	for _, t := range m.known {
		if !all || !slices.Contains(m.given, t) {
			list = append(list, t)
		}
	}
	// What is the same on every page is said once.
	was := map[string]string{}
	several := maps.Clone(m.plain)
	if several == nil {
		several = map[string]bool{}
	}
	for _, t := range append(slices.Clone(list), m.new...) {
		if old, ok := was[t.Now]; ok && old != t.Was {
			several[t.Now] = true
		}
		was[t.Now] = t.Was
	}
	for _, t := range m.new {
		if !several[t.Now] {
			t.Page = ""
		}
		if !slices.Contains(list, t) {
			list = append(list, t)
		}
	}
	return list
}
