package inspect

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/tags"
)

// Mend fixes what is safe to fix on a page, and returns what it did: references with exactly one possible file, names
// in the wrong case, wrong integrity, missing crossorigin, double includes, and the order.
func (r *Repairer) Mend(ctx context.Context, e *tags.Editor) []string {
	var did []string
	r.c.mendReferences(e, &did)
	r.c.mendLinks(e, &did)
	mendDoubles(e, &did)
	ordered := r.Order(ctx, e)
	did = append(did, ordered.Moves...)
	if ordered.NotProvedFewest {
		did = append(did, NotProvedFewest)
	}
	return did
}

// mendReferences makes references right of which only one file can be meant.
func (c *inspection) mendReferences(e *tags.Editor, did *[]string) {
	for i := range e.Includes {
		in, t := &e.Includes[i], e.Targets[i].Path
		if t.IsZero() || in.Inert != "" || c.leads.Has(t) {
			continue
		}
		near, caseOnly := c.leads.Near(t)
		if !caseOnly && (near.IsZero() || !strings.EqualFold(near.Base(), t.Base()) || len(c.leads.Called(t)) != 1) {
			continue
		}
		if ref, err := e.Reach(near); err == nil {
			e.Refer(i, ref, nil, nil)
			*did = append(*did, fmt.Sprintf("%s is now %s", in.Ref, ref))
		}
	}
}

// mendLinks makes the link attributes of tags right whose file is sealed.
func (c *inspection) mendLinks(e *tags.Editor, did *[]string) {
	for i := range e.Includes {
		in, of := &e.Includes[i], e.Of[i]
		value, has := e.Attr(in, "integrity")
		meta, err := integrity.Parse(value)
		_, origin := e.Attr(in, "crossorigin")
		if !e.Stands(i) || !has || err != nil {
			continue
		}
		switch local := e.Targets[i].Path; {
		case !local.IsZero() && !c.matches(local, value):
			e.Refer(i, e.Reference(i), tags.LinkAttributes, nil)
			*did = append(*did, fmt.Sprintf("%s is local, so its wrong integrity was removed", e.Reference(i)))
		case local.IsZero() && of.File != nil && meta.Algorithm() == "sha384" && !meta.Allows(of.File.Integrity):
			e.Refer(i, e.Reference(i), tags.LinkAttributes, tags.LinkValues(of.File))
			*did = append(*did, fmt.Sprintf("%s has the sealed file's integrity again", in.Ref))
		case e.Targets[i].URL != "" && !origin:
			at := in.Attrs[slices.IndexFunc(in.Attrs, func(a page.Attr) bool { return a.Name == "integrity" })].End
			e.Edit(page.Edit{Start: at, End: at, Text: ` crossorigin="anonymous"`})
			*did = append(*did, fmt.Sprintf("%s now has crossorigin, which its integrity needs", in.Ref))
		}
	}
}

// mendDoubles takes off what is there a second time.
func mendDoubles(e *tags.Editor, did *[]string) {
	seen := map[tags.Target]bool{}
	for i := range e.Includes {
		t := e.Targets[i]
		if !e.Runs(i) || t.IsZero() {
			continue
		}
		if seen[t] {
			e.Remove(i)
			if at, _ := e.FallbackOf(i); at >= 0 {
				e.Remove(at)
			}
			*did = append(*did, fmt.Sprintf("%s was included twice, and is now included once", e.Reference(i)))
		}
		seen[t] = true
	}
}
