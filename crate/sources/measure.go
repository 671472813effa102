// Package sources asks registries, CDNs and the hosts that pages link to: whether they answer, how fast, and whether
// they serve the recorded bytes. It also derives a CDN's address pattern from a link.
package sources

import (
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/tags"
)

// Measured is a host to which pages link, how it answered, and how many pages link to it.
type Measured struct {
	source.Measured
	Pages int `json:"pages"` // number of pages that link to it
}

// asks is how often each host is asked.
const asks = 4

// Measure asks each host that pages link to a few times for one of the files that they have from it.
func Measure(ctx context.Context, p *project.Project) ([]Measured, error) {
	if p.Origin.Offline {
		return nil, problem.Fault(problem.Offline, "the same command without --offline",
			"measuring needs a connection, and --offline allows none")
	}
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	var list []Measured
	for _, name := range site.Pages {
		b, err := p.ReadInSite(name)
		if err != nil {
			return nil, err
		}
		v, err := tags.Read(p, name, b)
		if err != nil {
			continue // check tells of it
		}
		here := map[string]bool{}
		for i, t := range v.Targets {
			_, rest, is := strings.Cut(t.URL, "://")
			host, _, _ := strings.Cut(rest, "/")
			if !is || !v.Runs(i) || here[host] {
				continue
			}
			here[host] = true
			at := slices.IndexFunc(list, func(m Measured) bool { return m.Host == host })
			if at < 0 {
				at, list = len(list), append(list, Measured{Measured: source.Measured{Host: host, Address: t.URL}})
			}
			list[at].Pages++
		}
	}
	slices.SortFunc(list, func(a, b Measured) int { return strings.Compare(a.Host, b.Host) })
	return parallel.MapWide(ctx, parallel.Connections, list, func(ctx context.Context, m Measured) (Measured, error) {
		m.Measured = p.Origin.Client.Measure(ctx, m.Address, asks)
		return m, ctx.Err()
	})
}
