package reconcile

import (
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// Cost is what a first visit to a page loads in scripts and stylesheets.
type Cost struct {
	Own      int64    `json:"own"`                // bytes from the site's own server, as packed for the network
	Others   int64    `json:"others"`             // from others, as far as their files are known
	Hosts    []string `json:"hosts,omitempty"`    // to connect to beside its own
	Blocking int      `json:"blocking,omitempty"` // requests for which rendering waits
}

// A scale weighs pages; a file is weighed once.
type scale struct {
	p       *project.Project
	scripts *tags.Scripts
	sizes   memo.Memo[string, int64]
}

// weigh weighs a page: its tags, and what its modules import. What waits for its turn (defer, async, modules) holds up
// no rendering, nor does a stylesheet for other media (HTML Standard, section 4.2.4 and 4.12.1).
func (s *scale) weigh(v *tags.Page) *Cost {
	c := &Cost{}
	seen := map[tags.Target]bool{}
	add := func(t tags.Target, of project.Sealed) (first bool) {
		if t.IsZero() || seen[t] {
			return false
		}
		seen[t] = true
		size := s.sizes.Of(t.String(), func() int64 { return s.size(t, of) })
		u, err := url.Parse(t.URL)
		if t.URL == "" || err != nil {
			c.Own += size
			return true
		}
		c.Others += size
		if !slices.Contains(c.Hosts, u.Host) {
			c.Hosts = append(c.Hosts, u.Host)
		}
		return true
	}
	for i := range v.Includes {
		in := &v.Includes[i]
		if !v.Runs(i) || !add(v.Targets[i], v.Of[i]) {
			continue
		}
		if media, has := v.Attr(in, "media"); in.When == page.Blocking && !(in.Kind == page.Stylesheet && has &&
			(media == "print" || strings.HasPrefix(media, "not all"))) {
			c.Blocking++
		}
	}
	for _, f := range graph.Of(s.scripts, v).Files() {
		if !f.Late {
			add(f.Target, f.Of)
		}
	}
	slices.Sort(c.Hosts)
	return c
}

// size is what a file weighs as packed for the network, as far as it is known.
func (s *scale) size(t tags.Target, of project.Sealed) int64 {
	raw, wire := int64(0), int64(0)
	at := tags.LocationOf(s.p, t, of)
	if !at.IsZero() {
		raw, wire = s.p.Sizes(at)
	}
	if raw == 0 && of.File != nil {
		return of.File.Size
	}
	return wire
}
