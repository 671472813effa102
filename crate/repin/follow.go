package repin

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
	"merrycrate.example/merry/crate/upgrade"
)

// A renaming carries classes' new names into pages and into the site's own stylesheets and scripts, and counts where.
type renaming struct {
	renames map[string]string // old names to new ones; one that is two now has both, with a blank between
	parts   map[string]string // parts of pictures: file of the package or nothing, # and old name, to the new one
	others  map[string]string // attributes and custom properties, by their names
	before  *project.Project
	mu      sync.Mutex
	places  map[string]int
	files   map[string][]string // of each old name, the own files that follow
}

func newRenaming(before *project.Project, renames, parts, others map[string]string) *renaming {
	return &renaming{before: before, renames: renames, parts: parts, others: others, places: map[string]int{},
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
	if len(r.renames)+len(r.parts)+len(r.others) == 0 {
		return nil
	}
	pages, err := d.Pages(ctx, nil, "", true)
	if err != nil {
		return err
	}
	d.OnPages(pages, r.symbols(libraries))
	d.OnPages(pages, reconcile.Rename(r.renames, libraries, r.count))
	d.OnPages(pages, r.inMarkup(libraries))
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

// concerns reports whether a page has one of some libraries, or is a part of pages that may.
func concerns(e *tags.Editor, libraries map[string]bool) bool {
	concerned := e.Fragment
	for i := range e.Includes {
		concerned = concerned || libraries[e.Library(i)]
	}
	return concerned
}

// inMarkup is the work on attributes in a page's markup, and on custom properties in its style attributes.
func (r *renaming) inMarkup(libraries map[string]bool) reconcile.PageWork {
	return func(_ context.Context, e *tags.Editor, _ *reconcile.PageChange) error {
		if len(r.others) == 0 || !concerns(e, libraries) {
			return nil
		}
		page.Names(e.Page.Page.Bytes, func(n page.Name) {
			if to := r.others[n.Text]; to != "" && n.Kind == page.AttributeName {
				e.Edit(page.Edit{Start: n.Start, End: n.End, Text: to})
				r.count(n.Text)
			}
		})
		e.Page.Pieces(func(x page.Piece) {
			if x.Kind != page.StyleValue {
				return
			}
			rest := e.Page.Page.Bytes[x.Start:min(len(e.Page.Page.Bytes), x.Start+len(x.Text))]
			for _, edit := range r.properties(rest, func(int) bool { return true }) {
				e.Edit(page.Edit{Start: x.Start + edit.Start, End: x.Start + edit.End, Text: edit.Text})
				r.count(string(rest[edit.Start:edit.End]))
			}
		})
		return nil
	}
}

// properties are the edits of custom properties in a text, at places that count.
func (r *renaming) properties(b []byte, counts func(at int) bool) (list []page.Edit) {
	for _, m := range style.PropertyName().FindAllIndex(b, -1) {
		if to := r.others[string(b[m[0]:m[1]])]; to != "" && counts(m[0]) {
			list = append(list, page.Edit{Start: m[0], End: m[1], Text: to})
		}
	}
	return list
}

// symbols is the work that carries new names of parts of pictures into pages. They are by file of the package and old
// name, with # between, or by # and the old name alone.
func (r *renaming) symbols(libraries map[string]bool) reconcile.PageWork {
	return func(_ context.Context, e *tags.Editor, _ *reconcile.PageChange) error {
		upgrade.SymbolsOn(r.before, e.Page, func(of project.Sealed, name string, start, end int) {
			for _, key := range []string{of.File.Path + "#" + name, "#" + name} {
				if new := r.parts[key]; new != "" && libraries[of.Library] {
					e.Edit(page.Edit{Start: start, End: end, Text: new})
					r.count(key)
					return
				}
			}
		})
		return nil
	}
}

// inline is the work on the styles and scripts that stand in pages.
func (r *renaming) inline(libraries map[string]bool) reconcile.PageWork {
	return func(_ context.Context, e *tags.Editor, done *reconcile.PageChange) error {
		if !concerns(e, libraries) {
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
	edit := func(old, written, to string, offset int) {
		list = append(list, page.Edit{Start: offset, End: offset + len(written), Text: to})
		r.mu.Lock()
		defer r.mu.Unlock()
		r.places[old]++
		if !slices.Contains(r.files[old], file) {
			r.files[old] = append(r.files[old], file)
		}
	}
	put := func(old string, offset int, selector, sure bool) {
		new := r.renames[old]
		if strings.Contains(new, " ") && !selector && !sure {
			return
		}
		if selector {
			new = strings.ReplaceAll(new, " ", ".")
		}
		edit(old, old, new, offset)
	}
	if sheet {
		for _, m := range style.Read(b).Mentions {
			if to := r.others[m.Name]; to != "" && (m.Kind == style.Attribute || m.Kind == style.Property) &&
				strings.HasPrefix(string(b[m.Offset:]), m.Name) {
				edit(m.Name, m.Name, to, m.Offset)
			}
			if m.Kind == style.Class && r.renames[m.Name] != "" && strings.HasPrefix(string(b[m.Offset:]), m.Name) {
				put(m.Name, m.Offset, true, true)
			}
		}
		return list
	}
	datasets := map[string]string{} // members of datasets to their attributes
	for old := range r.others {
		if name := script.DatasetName(old); name != "" {
			datasets[name] = old
		}
	}
	for _, of := range r.properties(b, script.InText(b)) {
		name := string(b[of.Start:of.End])
		edit(name, name, of.Text, of.Start)
	}
	for _, u := range script.Uses(b, func(w string) bool {
		return r.renames[w] != "" || r.others[w] != "" || datasets[w] != ""
	}) {
		switch old := datasets[u.Word]; {
		case r.others[u.Word] != "" && !u.Member && !u.Global:
			edit(u.Word, u.Word, r.others[u.Word], u.Offset)
			continue
		case old != "" && u.Member && u.Of == "dataset" && script.DatasetName(r.others[old]) != "":
			edit(old, u.Word, script.DatasetName(r.others[old]), u.Offset)
			continue
		case r.renames[u.Word] == "":
			continue
		}
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
		list = append(list, DoneRename{Kind: string(style.Class), Old: old, New: new, Places: r.places[old],
			Files: files})
	}
	for old, new := range r.others {
		files := r.files[old]
		slices.Sort(files)
		kind := style.Attribute
		if strings.HasPrefix(old, "--") {
			kind = style.Property
		}
		list = append(list, DoneRename{Kind: string(kind), Old: old, New: new, Places: r.places[old], Files: files})
	}
	for old, new := range r.parts {
		_, name, _ := strings.Cut(old, "#")
		list = append(list, DoneRename{Kind: upgrade.Symbol, Old: "#" + name, New: "#" + new, Places: r.places[old]})
	}
	slices.SortFunc(list, func(a, b DoneRename) int { return strings.Compare(a.Old, b.Old) })
	return list
}
