package reconcile

import (
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// Cost is what a page's scripts and stylesheets cost whoever opens it for the first time.
type Cost struct {
	Own      int64    `json:"own"`                // bytes from the site's own server, as packed for the network
	Others   int64    `json:"others"`             // from others, as far as their files are known
	Hosts    []string `json:"hosts,omitempty"`    // to connect to beside its own
	Blocking int      `json:"blocking,omitempty"` // requests for which rendering waits
}

// A scale weighs pages; a file is weighed once.
type scale struct {
	p     *project.Project
	sizes memo.Memo[string, int64]
}

// weigh weighs a page. What waits for its turn (defer, async, modules) holds up no rendering, nor does a stylesheet for other media (HTML
// Standard, section 4.2.4 and 4.12.1).
func (s *scale) weigh(v *tags.Page) *Cost {
	c := &Cost{}
	seen := map[string]bool{}
	for i := range v.Includes {
		in, t := &v.Includes[i], v.Targets[i]
		if !v.Runs(i) || t.IsZero() || seen[t.String()] {
			continue
		}
		seen[t.String()] = true
		size := s.sizes.Of(t.String(), func() int64 {
			at := v.Place(s.p, i)
			if at.IsZero() {
				if f := v.Of[i].File; f != nil {
					return f.Size
				}
				return 0
			}
			raw, wire := s.p.Sizes(at)
			if f := v.Of[i].File; raw == 0 && f != nil {
				return f.Size
			}
			return wire
		})
		if media, has := v.Attr(in, "media"); in.When == page.Blocking && !(in.Kind == page.Stylesheet && has && (media == "print" || strings.HasPrefix(media, "not all"))) {
			c.Blocking++
		}
		u, err := url.Parse(t.URL)
		if t.URL == "" || err != nil {
			c.Own += size
			continue
		}
		c.Others += size
		if !slices.Contains(c.Hosts, u.Host) {
			c.Hosts = append(c.Hosts, u.Host)
		}
	}
	slices.Sort(c.Hosts)
	return c
}
