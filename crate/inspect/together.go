package inspect

import (
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// together judges the pages that are put together from several files, each as a visitor receives it. A part is judged
// on its pages, and not alone.
func (c *inspection) together(ctx context.Context, pages []paths.InSite, results []pageResult) ([]pageResult, error) {
	var composing []paths.InSite
	for i, r := range results {
		if r.composes {
			composing = append(composing, pages[i])
		}
	}
	if len(composing) == 0 {
		return results, nil
	}
	if len(pages) < len(c.site.Pages) {
		composing = c.site.Pages // who has the parts is not known yet
	}
	c.parts.Learn(ctx, composing)
	at := map[paths.InSite]int{}
	for i, name := range pages {
		at[name] = i
	}
	visited := c.parts.Visited(pages)
	judged, err := parallel.Map(ctx, visited, func(ctx context.Context, name paths.InSite) (pageResult, error) {
		i, asked := at[name]
		d, _ := c.devOnly.Get().(*scratch)
		if d == nil {
			d = new(scratch)
		}
		defer c.devOnly.Put(d)
		whole := c.parts.ComposeIn(d.bytes, name)
		if whole == nil && asked && !results[i].composes {
			return results[i], nil // it is judged already
		}
		if whole != nil {
			d.bytes = whole.Bytes
		} else if b, err := c.p.ReadInSite(name); err == nil {
			d.bytes = append(d.bytes[:0], b...)
		}
		r, err := c.judge(ctx, d, name, whole, pageResult{uses: noUses})
		if whole != nil {
			r.found = c.incomplete(whole, r.found)
		}
		if len(r.found) > 0 && whole != nil {
			r.whole, d.bytes = whole, nil // it is kept, with its memory
		}
		if err == nil && (d.v.Page.Inserts() || d.v.Fragment) {
			// a server may put more tags there, or the page is a part of one that nothing here names
			r.open = true
			r.found = slices.DeleteFunc(r.found, func(f check.Finding) bool {
				return slices.Contains(refutable,
					f.Name)
			})
		}
		return r, err
	})
	if err != nil {
		return nil, err
	}
	for i, name := range pages {
		switch r := &results[i]; {
		case c.parts.IsPart(name):
			*r = pageResult{uses: noUses}
		case r.fragment:
			r.found = slices.DeleteFunc(r.found, func(f check.Finding) bool {
				return slices.Contains(refutable,
					f.Name)
			})
		}
	}
	c.open = map[paths.InSite]bool{}
	for n, name := range visited {
		c.open[name] = judged[n].open
		if whole := judged[n].whole; whole != nil {
			c.wholes[name] = whole
		}
		if i, asked := at[name]; asked {
			results[i] = judged[n]
		} else {
			results = append(results, judged[n])
		}
	}
	return results, nil
}

// refutable are the findings that a tag which is not known may refute.
var refutable = []string{check.NeedMissing, check.GlobalGone, check.ImportUnmapped}

// incomplete leaves out what the unknown parts of a page may refute, and tells of these parts.
func (c *inspection) incomplete(whole *compose.Page, found []check.Finding) []check.Finding {
	if len(whole.Unknown) == 0 {
		return found
	}
	found = slices.DeleteFunc(found, func(f check.Finding) bool { return slices.Contains(refutable, f.Name) })
	for _, u := range whole.Unknown {
		f := check.Finding{Name: check.PartUnknown, Severity: check.Note, File: c.p.InProject(u.File).String(),
			Message: "it includes a file that merry can't tell: " + oneLine(u.Text),
			Why:     "what that file has is not known, so this page is judged without it",
			Next:    "no action is needed; a plain path in its place lets merry judge the whole page"}
		if b, err := c.p.ReadInSite(u.File); err == nil {
			f.Line, f.Column = page.Position(b, u.Offset)
		}
		found = append(found, f)
	}
	return found
}

// oneLine is a text without its line breaks, the first part of a long one.
func oneLine(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if len(text) > 80 {
		text = text[:77] + "…"
	}
	return text
}

// view reads a page as a visitor receives it.
func (c *inspection) view(name paths.InSite) (*tags.Page, error) {
	c.mu.Lock()
	whole := c.wholes[name]
	c.mu.Unlock()
	if whole != nil {
		return tags.ReadWhole(c.p, whole)
	}
	v, err := tags.ReadComposed(c.p, c.parts, name)
	if err == nil && v.Whole != nil {
		c.mu.Lock()
		c.wholes[name] = v.Whole // what a rehearsal finds is placed by it
		c.mu.Unlock()
	}
	return v, err
}

// placed puts each finding of a page that is put together into the file that has its place, and joins those of one
// place that show on several pages.
func (c *inspection) placed(found []check.Finding) []check.Finding {
	if len(c.wholes) == 0 {
		return found
	}
	of := map[string]*compose.Page{}
	for name, whole := range c.wholes {
		of[c.p.InProject(name).String()] = whole
	}
	on := map[check.Finding][]string{}
	var list []check.Finding
	for _, f := range found {
		whole := of[f.File]
		if whole == nil || f.Line == 0 || f.Name == check.PartUnknown {
			list = append(list, f)
			continue
		}
		name, line, column := whole.Position(whole.Offset(f.Line, f.Column))
		page := whole.Name.String()
		f.File, f.Line, f.Column = c.p.InProject(name).String(), line, column
		if strings.HasPrefix(f.Next, "merry order ") && len(whole.Files()) > 1 {
			f.Next = "merry order " + texts.Word(page) + "  # shows what runs when, and in which file each tag is"
		}
		key := f
		key.Next = "" // it may name the page
		if _, had := on[key]; !had {
			list = append(list, f)
		}
		if !slices.Contains(on[key], page) {
			on[key] = append(on[key], page)
		}
	}
	for i := range list {
		key := list[i]
		key.Next = ""
		pages := on[key]
		if slices.Sort(pages); len(pages) > 1 || len(pages) == 1 && c.p.InProject(paths.Found(pages[0])).String() !=
			list[i].File {
			list[i].On = project.Abbreviate(pages, 6)
		}
	}
	return list
}
