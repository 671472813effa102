package inspect

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
)

// links are the addresses that pages have of files of the crate.
type links struct {
	mu sync.Mutex
	of map[string]*link
}

type link struct {
	integrity string   // that it must have
	first     location // of the pages with it, the first by name
	standsIn  bool     // every page has a fallback for it
}

type location struct {
	file         string
	line, column int
}

func (l *links) add(address, integ string, at location, fallback bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	old := l.of[address]
	if old == nil {
		l.of[address] = &link{integ, at, fallback}
		return
	}
	if at.file < old.first.file {
		old.first = at
	}
	old.standsIn = old.standsIn && fallback
}

// online fetches every CDN link that a page has to a file of the crate, once, and compares.
func (c *inspection) online(ctx context.Context) ([]check.Finding, error) {
	addresses := slices.Sorted(maps.Keys(c.links.of))
	lists, err := parallel.MapWide(ctx, parallel.Connections, addresses, func(ctx context.Context,
		a string) ([]check.Finding, error) {
		l := c.links.of[a]
		f := check.Finding{Severity: check.Error, File: l.first.file, Line: l.first.line, Column: l.first.column}
		b, err := c.p.Origin.Fetch(ctx, a)
		switch {
		case err != nil && problem.ClassOf(err) == problem.Outside && !c.p.Origin.Offline:
			f.Name, f.Message, f.Why, f.Next = check.LinkUnreachable, a+" does not answer: "+
				strings.TrimPrefix(err.Error(), a+": "), "pages that link to it will lack the file",
				"merry switch --local"
			if l.standsIn {
				f.Severity, f.Why = check.Warning,
					"pages that link to it fall back to the local copy, after the attempt fails"
			}
		case err != nil:
			return nil, err
		case integrity.Of(b) != l.integrity:
			f.Name, f.Why, f.Next = check.LinkDiffers, "sealed: "+l.integrity+", there: "+integrity.Of(b),
				"merry switch --local; then tell the CDN's operator"
			f.Message = a + " has bytes other than the sealed ones"
		default:
			return nil, nil
		}
		return []check.Finding{f}, nil
	})
	return slices.Concat(lists...), err
}
