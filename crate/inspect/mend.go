package inspect

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/demands"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// Mend fixes what is safe to fix on a page, and returns what it did: references with exactly one possible file, names
// in the wrong case, wrong integrity, missing crossorigin, double includes, and the order.
func (r *Repairer) Mend(ctx context.Context, e *tags.Editor) []string {
	var did []string
	r.c.mendReferences(e, &did)
	r.c.mendIntegrity(e, &did)
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

// mendIntegrity writes what demands of tags, hints and import maps ought to be: the hash of the sealed file, or of the
// site's own. A demand is never dropped.
func (c *inspection) mendIntegrity(e *tags.Editor, did *[]string) {
	entries := map[int]map[string]string{} // of import maps
	for _, d := range demands.Of(e.Page.Page) {
		in, of, t := &e.Includes[d.Include], e.Of[d.Include], e.Targets[d.Include]
		if d.Entry {
			t = tags.ResolveOnce(e.From, e.Base, d.Ref)
			of = tags.FileOf(c.p, t)
		}
		if strings.TrimSpace(d.Value) == "" || page.MayHaveHoles(d.Value) {
			continue
		}
		if right, known := c.demanded(of, t, &d); known && !slices.Contains(d.Heeded(), right) {
			if d.Entry {
				if entries[d.Include] == nil {
					entries[d.Include] = map[string]string{}
				}
				entries[d.Include][d.Ref] = right
			} else {
				e.Edit(attributeEdit(in, "integrity", right))
			}
			*did = append(*did, fmt.Sprintf("%s has the integrity of its file again", d.Ref))
		}
		if t.URL != "" && len(d.Heeded()) > 0 && !d.CORS {
			at := in.Attrs[slices.IndexFunc(in.Attrs, func(a page.Attr) bool { return a.Name == "integrity" })].End
			e.Edit(page.Edit{Start: at, End: at, Text: ` crossorigin="anonymous"`})
			*did = append(*did, fmt.Sprintf("%s now has crossorigin, which its integrity needs", in.Ref))
		}
	}
	for i, demand := range entries {
		_, text, _ := e.MapText(i)
		if m, err := module.ReadMap([]byte(text)); err == nil {
			indent, newline := e.Layout()
			e.SetMapText(i, string(m.Edit(module.Wish{Demand: demand}, indent, newline)))
		}
	}
}

// attributeEdit writes the value of one of an include's attributes again.
func attributeEdit(in *page.Include, name, value string) page.Edit {
	a := in.Attrs[slices.IndexFunc(in.Attrs, func(a page.Attr) bool { return a.Name == name })]
	return page.Edit{Start: a.ValueStart, End: a.ValueEnd, Text: value}
}

// demanded is the hash that a file ought to be demanded with, in the strongest algorithm of the demand. It is known of
// sealed files, and of the site's own.
func (c *inspection) demanded(of project.Sealed, t tags.Target, d *demands.Demand) (right string, known bool) {
	algorithm := "sha384"
	if meta := d.Heeded(); len(meta) > 0 {
		algorithm = meta.Algorithm()
	}
	var b []byte
	var err error
	switch {
	case of.File != nil && algorithm == "sha384":
		return of.File.Integrity, true
	case of.File != nil:
		b, err = c.p.LocalBytes(of)
	case !t.Path.IsZero() && t.URL == "":
		b, err = c.p.ReadInSite(t.Path)
	default:
		return "", false
	}
	return integrity.Sum(algorithm, b), err == nil
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
