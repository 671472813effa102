package crate

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
)

// Mended says what check --fix mended.
type Mended struct {
	Outcome
	Pages []MendedPage `json:"pages"`
}

// MendedPage is one page with what was mended on it.
type MendedPage struct {
	Page string   `json:"page"`
	Did  []string `json:"did"`
}

// Mend mends what is safe: a reference of which exactly one file can be meant, a name in other case, an integrity that is not
// the sealed one's, a missing crossorigin, an include that stands there twice, and the order. All else is left for people.
func (p *Project) Mend(patterns []string, dir string) (*Mended, error) {
	set, site, pages, err := p.begin("check --fix", patterns, dir, true)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	c := newChecker(p, site)
	did := make([][]string, len(pages))
	if _, err := p.editPages(set, pages, func(v *view) ([]byte, IncludedPage, error) {
		i, _ := slices.BinarySearch(pages, v.path)
		b, err := c.mend(v, &did[i])
		return b, IncludedPage{}, err
	}); err != nil {
		return nil, err
	}
	oc, err := p.commit(set, p.list)
	if err != nil {
		return nil, err
	}
	out := &Mended{Outcome: *oc}
	for i, list := range did {
		if len(list) > 0 {
			out.Pages = append(out.Pages, MendedPage{pages[i], list})
		}
	}
	return out, nil
}

// mend mends one page, in an order in which each step sees what the one before it did.
func (c *checker) mend(v *view, did *[]string) ([]byte, error) {
	edits := c.references(v, did)
	v, err := c.p.view(v.path, page.Apply(v.Bytes, edits))
	if err != nil {
		return nil, err
	}
	if v, err = c.p.view(v.path, page.Apply(v.Bytes, c.tagsRight(v, did))); err != nil {
		return nil, err
	}
	if v, err = c.p.view(v.path, page.Apply(v.Bytes, c.doubles(v, did))); err != nil {
		return nil, err
	}
	done := OrderedPage{Page: v.path}
	b, err := c.reorder(v, &done)
	if err != nil {
		*did = append(*did, fmt.Sprintf("left the order as it is: %v", err))
		return v.Bytes, nil
	}
	*did = append(*did, done.Moves...)
	return b, nil
}

// references makes references right of which only one file can be meant.
func (c *checker) references(v *view, did *[]string) []page.Edit {
	var edits []page.Edit
	for i := range v.Includes {
		in, t := &v.Includes[i], v.targets[i].Path
		if t == "" || in.Inert != "" || c.Has(t) {
			continue
		}
		near, caseOnly := c.Near(t)
		if !caseOnly && (near == "" || !strings.EqualFold(path.Base(near), path.Base(t)) || len(c.byBase[strings.ToLower(path.Base(t))]) != 1) {
			continue
		}
		if ref, ok := refTo(v.Page, v.path, near); ok {
			edits = append(edits, v.Refer(i, ref))
			*did = append(*did, fmt.Sprintf("%s is now %s", in.Ref, ref))
		}
	}
	return edits
}

// tagsRight makes the link attributes of tags right whose file is sealed.
func (c *checker) tagsRight(v *view, did *[]string) []page.Edit {
	var edits []page.Edit
	for i := range v.Includes {
		in := &v.Includes[i]
		if !v.runs(i) {
			continue
		}
		of := c.p.placed(v.targets[i])
		value, has := v.Attr(in, "integrity")
		meta, err := integrity.Parse(value)
		_, origin := v.Attr(in, "crossorigin")
		switch {
		case !has || err != nil:
		case v.targets[i].Path != "" && !c.Matches(v.targets[i].Path, value):
			edits = append(edits, v.ReferTo(i, in.Ref, linkAttributes, nil)...)
			*did = append(*did, fmt.Sprintf("%s is local, and lost an integrity that was not its own", in.Ref))
		case v.targets[i].URL != "" && of.File != nil && strings.HasPrefix(meta.Strongest()[0], "sha384-") && !slices.Contains(meta.Strongest(), of.File.Integrity):
			edits = append(edits, v.ReferTo(i, in.Ref, linkAttributes, linkValues(of.File))...)
			*did = append(*did, fmt.Sprintf("%s has the sealed file's integrity again", in.Ref))
		case v.targets[i].URL != "" && !origin:
			at := in.Attrs[slices.IndexFunc(in.Attrs, func(a page.Attr) bool { return a.Name == "integrity" })].End
			edits = append(edits, page.Edit{Start: at, End: at, Text: ` crossorigin="anonymous"`})
			*did = append(*did, fmt.Sprintf("%s has a crossorigin now, without which its integrity can't be checked", in.Ref))
		}
	}
	return edits
}

// doubles takes off what is there a second time.
func (c *checker) doubles(v *view, did *[]string) []page.Edit {
	seen := map[Target]bool{}
	var out []int
	for i := range v.Includes {
		t := v.targets[i]
		if !v.runs(i) || t.Path == "" && t.URL == "" {
			continue
		}
		if seen[t] {
			out = append(out, i)
			if at, _ := v.fallbackOf(i); at >= 0 {
				out = append(out, at)
			}
			*did = append(*did, fmt.Sprintf("%s was there twice, and is there once", v.Includes[i].Ref))
		}
		seen[t] = true
	}
	return v.Remove(out...)
}
