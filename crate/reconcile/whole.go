package reconcile

import (
	"context"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// OnWholePages asks for work on pages as visitors receive them. Where a page is put together from several files, each
// edit goes into the file that has its place, so that the work may change other pages, too. With only set, it may
// change nothing but the page's own file.
func (d *Plan) OnWholePages(pages []paths.InSite, only bool, do PageWork) {
	d.wholes = append(d.wholes, wholeWork{pageWork{pages, do}, only})
}

type wholeWork struct {
	pageWork
	only bool // change nothing but the page's own file
}

// partEditor does work on pages that are put together from several files, one page after the other: what one page adds
// to a part, the next one has already.
type partEditor struct {
	d       *Plan
	after   *project.Project
	scripts *tags.Scripts
	parts   *compose.Site
	texts   map[paths.InSite][]byte // of the files that were edited
	added   map[paths.InSite][]string
	removed map[paths.InSite][]string
}

// whole does the work on whole pages, and hands the work on pages of one file to the work on files. It returns the
// edited texts of parts, and what changed.
func (d *Plan) whole(ctx context.Context, after *project.Project) (map[paths.InSite][]byte, []PageChange, error) {
	if len(d.wholes) == 0 {
		return nil, nil, nil
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, nil, err
	}
	k := &partEditor{d: d, after: after, scripts: d.scriptsAfter(after), texts: map[paths.InSite][]byte{},
		added: map[paths.InSite][]string{}, removed: map[paths.InSite][]string{}}
	k.parts = compose.New(func(name paths.InSite) ([]byte, error) {
		if b, edited := k.texts[name]; edited {
			return b, nil
		}
		return d.Before.ReadInSite(name)
	}, site.Has, after.EndingIn)
	learned := false // how the site's pages are put together
	var changes []PageChange
	for _, w := range d.wholes {
		if !learned && d.Before.Composes(w.pages) {
			k.parts.Learn(ctx, site.Pages)
			learned = true
		}
		var alone []paths.InSite
		for _, name := range w.pages {
			if learned && k.parts.IsPart(name) && !w.only {
				with := k.parts.PagesWith(name)
				if !slices.ContainsFunc(with, func(n paths.InSite) bool { return !slices.Contains(w.pages, n) }) {
					continue // it is a part of pages that are worked on, too
				}
			}
			var whole *compose.Page
			if learned && !k.parts.IsPart(name) {
				whole = k.parts.Compose(name)
			}
			if whole == nil || len(whole.Pieces) == 1 {
				alone = append(alone, name)
				continue
			}
			done, err := k.page(ctx, whole, w)
			if err != nil {
				return nil, nil, err
			}
			if done != nil {
				changes = append(changes, *done)
			}
		}
		d.work = append(d.work, pageWork{alone, w.do})
	}
	for _, name := range k.edited() {
		changes = append(changes, PageChange{Page: name.String(), Added: k.added[name], Removed: k.removed[name],
			On: project.Texts(k.parts.PagesWith(name))})
	}
	return k.texts, changes, nil
}

// edited are the parts that were edited, sorted.
func (k *partEditor) edited() []paths.InSite {
	var list []paths.InSite
	for name := range k.texts {
		list = append(list, name)
	}
	slices.SortFunc(list, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return list
}

// page does work on one page, nil if all that is to be told is told of its parts.
func (k *partEditor) page(ctx context.Context, whole *compose.Page, w wholeWork) (*PageChange, error) {
	done := &PageChange{Page: whole.Name.String()}
	v, err := tags.ReadWhole(k.after, whole)
	if err != nil {
		return nil, err
	}
	for i, t := range v.Targets {
		if v.Of[i].Library == "" && !t.IsZero() {
			v.Of[i] = tags.FileOf(k.d.Before, t)
		}
	}
	e := tags.NewEditor(k.after, k.scripts, v)
	if err := w.do(ctx, e, done); err != nil {
		return nil, err
	}
	if e.Finish(ctx); len(e.Messages) > 0 {
		done.Note = strings.Trim(done.Note+"; "+strings.Join(e.Messages, "; "), "; ")
	}
	if err := k.d.keepMap(ctx, e, k.after, k.scripts, done); err != nil {
		return nil, err
	}
	edits, err := e.Changes()
	if err != nil {
		return nil, err
	}
	if w.only {
		if edits, err = ownEdits(whole, edits); err != nil {
			return nil, err
		}
	}
	if slices.ContainsFunc(edits, func(x page.Edit) bool { return x.Start == 0 && x.End == len(whole.Bytes) }) {
		return nil, problem.Refuse(problem.PageRefused, "write the tag by hand", "%s: %w", whole.Name, page.ErrNoPlace)
	}
	shared := slices.ContainsFunc(whole.Files(), func(n paths.InSite) bool { return k.texts[n] != nil })
	files := byFile(whole, edits)
	if err := k.refuseMoves(files); err != nil {
		return nil, err
	}
	for name, list := range files {
		b, edited := k.texts[name]
		if !edited {
			if b, err = k.d.Before.ReadInSite(name); err != nil {
				return nil, err
			}
		}
		for _, edit := range list {
			k.added[name] = appendRefs(k.added[name], []byte(edit.Text))
			k.removed[name] = appendRefs(k.removed[name], b[edit.Start:edit.End])
		}
		k.texts[name] = page.Apply(b, list)
		k.parts.Forget(name)
	}
	if len(edits) == 0 && shared && len(done.Already) > 0 {
		return nil, nil // an earlier page put it into a part that this one has, too
	}
	if len(edits) > 0 {
		done.Added, done.Removed = nil, nil // told of the files that have them
		if done.Note == "" && len(done.Already)+len(done.Unrecorded)+len(done.Also) == 0 {
			return nil, nil
		}
	}
	return done, nil
}

// refuseMoves refuses edits that move a tag from a part that several pages have into another file: the other pages
// would lose it.
func (k *partEditor) refuseMoves(files map[paths.InSite][]page.Edit) error {
	for from, list := range files {
		with := k.parts.PagesWith(from)
		if len(with) < 2 {
			continue
		}
		b, edited := k.texts[from]
		if !edited {
			b, _ = k.d.Before.ReadInSite(from)
		}
		for _, edit := range list {
			tag := strings.TrimSpace(string(b[edit.Start:edit.End]))
			if tag == "" || !strings.HasPrefix(tag, "<") {
				continue
			}
			for to, others := range files {
				if to != from && slices.ContainsFunc(others, func(x page.Edit) bool {
					return strings.Contains(x.Text,
						tag)
				}) {
					return problem.Refuse(problem.PageRefused, "move the tags by hand, so that all pages keep what "+
						"they need",
						"%s has to move from %s into %s, but other pages have that part, too: %s", tag, from, to,
						project.Abbreviate(project.Texts(with), 4))
				}
			}
		}
	}
	return nil
}

// appendRefs adds the references of the tags in a text.
func appendRefs(list []string, text []byte) []string {
	if pg, err := page.Read(text); err == nil {
		for i := range pg.Includes {
			if ref := pg.Includes[i].Ref; ref != "" && !slices.Contains(list, ref) {
				list = append(list, ref)
			}
		}
	}
	return list
}

// byFile hands the edits of a composed page to the files that have their places. What is inserted at the border between
// two pieces goes into the one that it was put beside.
func byFile(whole *compose.Page, edits []page.Edit) map[paths.InSite][]page.Edit {
	list := map[paths.InSite][]page.Edit{}
	for _, edit := range edits {
		text := edit.Text
		for i := range whole.Pieces {
			p := &whole.Pieces[i]
			end := p.At + p.End - p.Start
			in := edit.Start < end && edit.End > p.At
			if edit.Start == edit.End {
				in = p.At <= edit.Start && edit.Start < end ||
					edit.Start == end && (edit.After || i == len(whole.Pieces)-1) && p.At < end
			}
			if !in {
				continue
			}
			from, to := max(edit.Start, p.At), min(edit.End, end)
			list[p.File] = append(list[p.File], page.Edit{Start: p.Start + from - p.At, End: p.Start + max(from,
				to) - p.At,
				Text: text})
			text = ""
			if edit.Start == edit.End {
				break
			}
		}
	}
	return list
}

// ownEdits moves what is inserted into the page's own file: to the nearest place of it that comes later, else earlier.
// It refuses a page that has none in the same part, head or body.
func ownEdits(whole *compose.Page, edits []page.Edit) ([]page.Edit, error) {
	pg, err := page.Read(whole.Bytes)
	if err != nil {
		return nil, err
	}
	var list []page.Edit
	for _, edit := range edits {
		if name, _ := whole.Locate(edit.Start); name == whole.Name || edit.Start != edit.End {
			list = append(list, edit)
			continue
		}
		at, style := -1, strings.Contains(edit.Text, "<link")
		for i := range whole.Pieces {
			p := &whole.Pieces[i]
			end := p.At + p.End - p.Start
			if p.File == whole.Name && pg.InHeadAt(end) == style && len(strings.TrimSpace(string(
				whole.Bytes[p.At:end]))) > 0 && (at < 0 || end <= edit.Start || at < edit.Start) {
				at = end
			}
		}
		if at < 0 {
			return nil, problem.Refuse(problem.PageRefused, "put it on all pages that have that part: the same "+
				"command "+
				"without --only-this-page", "%s has no place of its own for %s; the place is in a part that other "+
				"pages "+
				"have, too", whole.Name, strings.TrimSpace(edit.Text))
		}
		edit.Start, edit.End, edit.After = at, at, true
		list = append(list, edit)
	}
	return list, nil
}
