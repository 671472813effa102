// Package hashes keeps the hashes of inline texts in policies right when pages change: those of import maps, mostly.
package hashes

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/crate/project"
)

// A Keeper knows which texts changed. A page's own policy is written with the page, files of headers at the end. It is
// for several goroutines at once.
type Keeper struct {
	before  *project.Project
	headers []string // the files of headers that have hashes

	mu      sync.Mutex
	pairs   [][2]string // an inline text of a page before and after
	changed map[paths.InSite]bool
}

// New makes the keeper for a change of a project.
func New(before *project.Project) *Keeper {
	h := &Keeper{before: before, changed: map[paths.InSite]bool{}}
	for _, name := range before.List.Headers {
		if b, err := before.ReadFile(paths.FoundInProject(name)); err == nil && policy.HasHashes(string(b)) {
			h.headers = append(h.headers, name)
		}
	}
	return h
}

// Page writes the hashes in a page's own policies. It returns the new bytes, and the texts whose hashes files of
// headers are going to have.
func (h *Keeper) Page(name paths.InSite, before, after []byte) ([]byte, map[string]bool) {
	pairs := changedTexts(before, after)
	if len(pairs) == 0 {
		return after, nil
	}
	if pg, err := page.Read(after); err == nil {
		for _, m := range slices.Backward(pg.Policies) {
			end := m.Start + strings.IndexByte(string(after[m.Start:]), '>') + 1
			tag := string(after[m.Start:max(end, m.Start)])
			for _, p := range pairs {
				tag = policy.Rehash(tag, p[0], p[1], false)
			}
			after = slices.Concat(after[:m.Start], []byte(tag), after[max(end, m.Start):])
		}
	}
	coming := map[string]bool{}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.changed[name] = true
	for _, p := range pairs {
		for _, file := range h.headers {
			b, err := h.before.ReadFile(paths.FoundInProject(file))
			if err == nil && policy.Rehash(string(b), p[0], p[1], false) != string(b) {
				coming[p[1]] = true
			}
		}
		if !slices.Contains(h.pairs, p) {
			h.pairs = append(h.pairs, p)
		}
	}
	return after, coming
}

// changedTexts pairs the inline scripts and styles of a page that changed: those of one kind, in their order, if there
// are as many as before.
func changedTexts(before, after []byte) (list [][2]string) {
	was, now := inlineTexts(before), inlineTexts(after)
	for kind, old := range was {
		gone := slices.DeleteFunc(slices.Clone(old), func(s string) bool { return slices.Contains(now[kind], s) })
		come := slices.DeleteFunc(slices.Clone(now[kind]), func(s string) bool { return slices.Contains(old, s) })
		if len(gone) != len(come) {
			continue
		}
		for i := range gone {
			list = append(list, [2]string{gone[i], come[i]})
		}
	}
	return list
}

// inlineTexts are the inline texts of a page, import maps apart from other scripts.
func inlineTexts(b []byte) map[string][]string {
	pg, err := page.Read(b)
	if err != nil {
		return nil
	}
	list := map[string][]string{}
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.Kind != page.InlineScript && in.Kind != page.InlineStyle || len(pg.HolesIn(in)) > 0 {
			continue
		}
		typ, _ := pg.Attr(in, "type")
		kind := fmt.Sprint(in.Kind, strings.EqualFold(typ, "importmap"))
		list[kind] = append(list[kind], page.Normal(string(pg.InlineText(in))))
	}
	return list
}

// Files writes the files of headers. The hash of a text that another of the site's pages still has stays beside the new
// one. The errors are those of write and of reading.
func (h *Keeper) Files(ctx context.Context, pages []paths.InSite, write func(at paths.InProject, b []byte,
	seen disk.Stamp) error) error {
	if len(h.pairs) == 0 {
		return nil
	}
	for _, name := range h.headers {
		at := paths.FoundInProject(name)
		b, stamp, err := h.before.Disk.Read(name, disk.MaxRecord, nil)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return err
		}
		text := string(b)
		for _, p := range h.pairs {
			if policy.Rehash(text, p[0], p[1], false) == text {
				continue
			}
			text = policy.Rehash(text, p[0], p[1], h.staysElsewhere(ctx, pages, p[0]))
		}
		if text != string(b) {
			if err := write(at, []byte(text), stamp); err != nil {
				return err
			}
		}
	}
	return nil
}

// staysElsewhere reports whether a page that did not change has an inline text.
func (h *Keeper) staysElsewhere(ctx context.Context, pages []paths.InSite, text string) bool {
	for _, name := range pages {
		if h.changed[name] || ctx.Err() != nil {
			continue
		}
		b, err := h.before.ReadInSite(name)
		if err != nil {
			continue
		}
		for _, list := range inlineTexts(b) {
			if slices.Contains(list, text) {
				return true
			}
		}
	}
	return false
}
