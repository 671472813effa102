package tags

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
)

// A History gives tags back the form that they had before a switch. Most tags need none of it: writing the link
// attributes, or taking them off, gives the old bytes alone. A link that had its attributes in another
// order, or another integrity beside the sealed one, is remembered in the seal.
type History struct {
	recorded []record.Tag

	mu    sync.Mutex
	plain map[string]bool // what tags say now that need no memory
	new   []record.Tag
	given []record.Tag // entries that were used
}

// NewHistory begins with what the seal remembers.
func NewHistory(known []record.Tag) *History { return &History{recorded: known} }

// Refer makes an include refer to ref, in the form that it had before where that is known.
func (m *History) Refer(e *Editor, i int, ref string, values map[string]string) {
	old, in := e.Tag(i), &e.Includes[i]
	was := e.Targets[i]
	names := e.linkAttributes(i)
	now := retag(old, ref, names, values)
	if t := m.find(e.Path.String(), old); t != nil && sameMeaning(e, t.Was, now) {
		m.mu.Lock()
		m.given = append(m.given, *t)
		m.mu.Unlock()
		e.Replace(i, t.Was, ref)
		return
	}
	e.Replace(i, now, ref)
	back := map[string]string{}
	for _, name := range names {
		if value, ok := e.Attr(in, name); ok {
			back[name] = cmp.Or(value, "anonymous")
		}
	}
	if was.URL != "" && back["integrity"] == "" {
		return // back it will have the integrity that it lacks
	}
	if public, _ := cdn.WithoutSecrets(was.URL); public != was.URL {
		return // the seal is no place for a credential
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if retag(now, in.Ref, names, back) != old || !was.Path.IsZero() && in.Ref != plainReference(e.Page, was.Path) {
		m.new = append(m.new, record.Tag{Page: e.Path.String(), Now: now, Was: old})
		return
	}
	if t := m.find("", now); t != nil {
		// what is remembered of all pages is not true of this one
		m.new = append(m.new, record.Tag{Page: e.Path.String(), Now: now, Was: old})
	} else if m.plain == nil {
		m.plain = map[string]bool{now: true}
	} else {
		m.plain[now] = true
	}
}

// plainReference is the reference that switching back would write if it knew nothing of how the page's references were
// written.
func plainReference(v *Page, name paths.InSite) string {
	bare := *v.Page
	bare.Includes = nil
	ref, _ := Reference(&bare, v.From, name)
	return ref
}

// sameMeaning reports whether two tags refer to the same, and demand no other bytes of it.
func sameMeaning(e *Editor, was, now string) bool {
	a, err := page.Read([]byte(was))
	b, err2 := page.Read([]byte(now))
	if err != nil || err2 != nil || len(a.Includes) == 0 || len(b.Includes) == 0 ||
		Lead(e.p, e.From, e.Base, a.Includes[0].Ref, e.Filled()) != Lead(e.p, e.From, e.Base, b.Includes[0].Ref,
			e.Filled()) {
		return false
	}
	x, _ := a.Attr(&a.Includes[0], "integrity")
	y, _ := b.Attr(&b.Includes[0], "integrity")
	mine, err := integrity.Parse(x)
	return y == "" && x == "" || x == "" || err == nil && (slices.Contains(mine, y) || !strings.Contains(x, "sha384-"))
}

// find finds how a tag was written: on this page, else on any.
func (m *History) find(pagePath, now string) *record.Tag {
	var found *record.Tag
	for i := range m.recorded {
		t := &m.recorded[i]
		if t.Now == now && (t.Page == pagePath || t.Page == "" && found == nil) {
			found = t
		}
	}
	return found
}

// Tags is what to remember from now on. Where all pages were switched, what was given back is forgotten.
func (m *History) Tags(all bool) []record.Tag {
	var list []record.Tag
	for _, t := range m.recorded {
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
