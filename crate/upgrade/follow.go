package upgrade

import (
	"context"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// A renaming carries classes' new names into pages and into the site's own stylesheets and scripts, and counts where.
type renaming struct {
	renames map[string]string // old names to new ones; one that is two now has both, with a blank between
	parts   map[string]string // parts of pictures: file of the package or nothing, # and old name, to the new one
	before  *project.Project
	mu      sync.Mutex
	places  map[string]int
	files   map[string][]string // of each old name, the own files that follow
}

func newRenaming(before *project.Project, renames, parts map[string]string) *renaming {
	return &renaming{before: before, renames: renames, parts: parts, places: map[string]int{},
		files: map[string][]string{}}
}

func (r *renaming) count(old string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.places[old]++
}

// on asks for the renaming of all pages that have one of the libraries, and, unless it is for pages alone, of their own
// styles and scripts and of those in own files.
func (r *renaming) on(ctx context.Context, d *reconcile.Plan, libraries map[string]bool, pagesOnly bool) error {
	if len(r.renames)+len(r.parts) == 0 {
		return nil
	}
	pages, err := d.Pages(ctx, nil, "", true)
	if err != nil {
		return err
	}
	d.OnPages(pages, r.symbols(libraries))
	d.OnPages(pages, reconcile.Rename(r.renames, libraries, r.count))
	if pagesOnly {
		return nil
	}
	d.OnPages(pages, r.inline(libraries))
	d.OnOwn(func(name paths.InSite, b []byte) []byte {
		at := d.Before.InProject(name).String()
		return page.Apply(b, r.edits(packages.KindOf(name.String()) == packages.Stylesheet, b, at))
	})
	return nil
}

// inline is the work on the styles and scripts that stand in pages.
func (r *renaming) inline(libraries map[string]bool) reconcile.PageWork {
	return func(_ context.Context, e *tags.Editor, done *reconcile.PageChange) error {
		concerned := e.Fragment
		for i := range e.Includes {
			concerned = concerned || libraries[e.Library(i)]
		}
		if !concerned {
			return nil
		}
		for i := range e.Includes {
			in := &e.Includes[i]
			if in.Kind != page.InlineScript && in.Kind != page.InlineStyle || in.Kind == page.InlineScript &&
				in.Inert != "" {
				continue
			}
			for _, edit := range r.edits(in.Kind == page.InlineStyle, e.Code(in), done.Page) {
				edit.Start, edit.End = edit.Start+in.TextStart(), edit.End+in.TextStart()
				e.Edit(edit)
			}
		}
		return nil
	}
}

// edits are those of one stylesheet or script, in a file of the project.
func (r *renaming) edits(sheet bool, b []byte, file string) []page.Edit {
	var list []page.Edit
	put := func(old string, offset int, selector, sure bool) {
		new := r.renames[old]
		if strings.Contains(new, " ") && !selector && !sure {
			return
		}
		if selector {
			new = strings.ReplaceAll(new, " ", ".")
		}
		list = append(list, page.Edit{Start: offset, End: offset + len(old), Text: new})
		r.mu.Lock()
		defer r.mu.Unlock()
		r.places[old]++
		if !slices.Contains(r.files[old], file) {
			r.files[old] = append(r.files[old], file)
		}
	}
	if sheet {
		for _, m := range style.Read(b).Mentions {
			if m.Kind == style.Class && r.renames[m.Name] != "" && strings.HasPrefix(string(b[m.Offset:]), m.Name) {
				put(m.Name, m.Offset, true, true)
			}
		}
		return list
	}
	for _, u := range script.Uses(b, func(w string) bool { return r.renames[w] != "" }) {
		switch two := strings.Contains(r.renames[u.Word], " "); {
		case u.Global || u.Member || u.Selector == '#':
		case u.Selector == '.' && strings.Contains(u.Word, "-"), u.Selector == '.' && u.How == script.Sure:
			put(u.Word, u.Offset, true, true)
		case u.How == script.Sure && (!two || script.InMarkup(b, u.Offset)):
			put(u.Word, u.Offset, false, true)
		}
	}
	return list
}

// done says what became of the names.
func (r *renaming) done() []DoneRename {
	var list []DoneRename
	for old, new := range r.renames {
		files := r.files[old]
		slices.Sort(files)
		list = append(list, DoneRename{Old: old, New: new, Places: r.places[old], Files: files})
	}
	for old, new := range r.parts {
		_, name, _ := strings.Cut(old, "#")
		list = append(list, DoneRename{Old: "#" + name, New: "#" + new, Places: r.places[old]})
	}
	slices.SortFunc(list, func(a, b DoneRename) int { return strings.Compare(a.Old, b.Old) })
	return list
}
