package reconcile

import (
	"context"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/successors"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// A Mention is a text in a script that may be the path of a file that moves.
type Mention struct {
	At      string `json:"at"`                // file:line:column, in the project
	Text    string `json:"text"`              // the string with the path
	To      string `json:"to"`                // what it would be
	Changed bool   `json:"changed,omitempty"` // whether the path was changed
}

// A relinker makes references follow files that move, whatever they stand in: attributes, sets of images, styles,
// imports, import maps, conditional comments; on pages, in the site's own stylesheets and scripts. What moves itself
// keeps leading to what it led to.
type relinker struct {
	d     *Plan
	moved map[paths.InSite]paths.InSite // libraries' files and own ones
	own   map[paths.InSite]paths.InSite // the site's own files alone
	after *project.Project

	mu       sync.Mutex
	mentions []Mention
	bases    []paths.InSite // pages from whose folders scripts may write paths, one of each folder
}

// Move asks for a file of the site's own to be moved.
func (d *Plan) Move(from, to paths.InSite) {
	if d.moving == nil {
		d.moving = map[paths.InSite]paths.InSite{}
	}
	d.moving[from] = to
}

// Moves are the files of the site's own that are to be moved.
func (d *Plan) Moves() map[paths.InSite]paths.InSite { return d.moving }

// OnOwn plans an edit of the site's own stylesheets and scripts, after their references were updated. It may run for
// several files at once.
func (d *Plan) OnOwn(edit func(name paths.InSite, b []byte) []byte) { d.own = edit }

// InScripts also changes strings in scripts that are paths of moved files; without it they are only reported.
func (d *Plan) InScripts(change bool) { d.inScripts = change }

// Mentions are the strings in scripts that may be paths of moved files. They are known after Apply.
func (d *Plan) Mentions() []Mention { return d.mentions }

// relink begins to make references follow. It returns nil if nothing moves.
func (d *Plan) relink(ctx context.Context, after *project.Project) (*relinker, error) {
	r := &relinker{d: d, after: after, moved: map[paths.InSite]paths.InSite{}, own: d.moving}
	for name, old := range d.Before.Seal.Libraries {
		new := d.Seal.Libraries[d.now(name)]
		if new == nil {
			continue
		}
		for o, n := range successors.Between(old, new) {
			if n == nil || n.At == o.At || o.At.IsZero() || n.At.IsZero() {
				continue
			}
			from, ok := d.Before.InSite(o.At)
			to, ok2 := after.InSite(n.At)
			if ok && ok2 {
				r.moved[from] = to
			}
		}
	}
	for from, to := range d.moving {
		r.moved[from] = to
	}
	if len(r.moved) == 0 && d.own == nil {
		return nil, nil
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	seen := map[string]bool{".": true}
	r.bases = []paths.InSite{paths.Found("index.html")}
	for _, p := range site.Pages {
		if !seen[p.Dir()] && len(r.bases) < maxBases {
			seen[p.Dir()] = true
			r.bases = append(r.bases, p)
		}
	}
	return r, nil
}

// maxBases is from how many folders of pages paths in scripts are tried.
const maxBases = 40

// at is where a file will be.
func (r *relinker) at(name paths.InSite) paths.InSite {
	if to, moves := r.moved[name]; moves {
		return to
	}
	return name
}

// lead writes a reference again that is in a file, "" if it may stay as it is.
func (r *relinker) lead(from paths.InSite, base, ref string, filled bool) string {
	t := tags.Lead(r.d.Before, from, base, ref, filled)
	if t.Path.IsZero() {
		return ""
	}
	to, moves := r.moved[t.Path]
	if !moves {
		// A folder's address means its first page.
		if first, ok := r.moved[paths.Found(path.Join(t.Path.String(), "index.html"))]; ok &&
			path.Ext(t.Path.String()) == "" {
			if to, moves = first, true; to.Base() == "index.html" && to.Dir() != "." {
				to = paths.Found(to.Dir())
			}
		}
	}
	at := r.at(from)
	if !moves {
		if page.Templated(ref) || tags.Resolve(from, base, ref).Path != t.Path {
			return "" // it does not begin where its page is
		}
		if at.Dir() == from.Dir() || strings.HasPrefix(ref, "/") || base != "" && !strings.HasPrefix(base, ".") {
			return ""
		}
		to = t.Path
	}
	new := tags.Rewrite(ref, from, at, base, t.Path, to)
	if strings.HasSuffix(tags.WithoutQuery(ref), "/") && !strings.HasSuffix(tags.WithoutQuery(new), "/") &&
		path.Ext(to.String()) == "" {
		plain := tags.WithoutQuery(new)
		new = plain + "/" + new[len(plain):]
	}
	if new == ref {
		return ""
	}
	return new
}

// leadImport is lead for what a module imports, or an import map leads to: without a dot or a slash at its begin it
// would be a package's name.
func (r *relinker) leadImport(from paths.InSite, base, ref string, filled bool) string {
	if new := r.lead(from, base, ref, filled); new != "" {
		return asAddress(new)
	}
	return ""
}

// page makes one page's references follow.
func (r *relinker) page(ctx context.Context, e *tags.Editor, done *PageChange) error {
	_, itself := r.own[e.Path]
	var fallbacks []int      // that were written again
	byPlace := map[int]int{} // where an include's reference stands to the include
	for i := range e.Includes {
		if a := e.Includes[i].RefAttr; a.End > 0 {
			byPlace[a.ValueStart] = i
		}
		if n, local := e.FallbackOf(i); n >= 0 && (itself || r.moved[local.Path] != paths.InSite{}) {
			if ref, ok := tags.Reference(e.Page.Page, r.at(e.From), r.at(local.Path)); ok {
				_, copies := e.Fallback(n)
				copies[len(copies)-1] = tags.Copy{Ref: ref}
				e.SetFallback(i, e.FallbackAgain(i, n, copies...))
				fallbacks = append(fallbacks, n)
			}
		} else if e.ModuleCopy(i) != "" && (itself || r.moved[local.Path] != paths.InSite{}) {
			if ref, ok := tags.Reference(e.Page.Page, r.at(e.From), r.at(local.Path)); ok {
				e.Refer(i, e.Reference(i), []string{tags.OnError},
					map[string]string{tags.OnError: tags.ModuleFallback(ref)})
			}
		}
	}
	if itself && strings.HasPrefix(e.Base, ".") {
		return problem.Refuse(problem.PageReaches, "make the base element's address begin with a slash",
			"%s: its base element is relative, so its references would all lead elsewhere", e.Path)
	}
	page.References(e.Page.Bytes, func(ref page.Reference) {
		base := e.Base
		if ref.In == page.InText {
			r.mention(e, ref)
			return
		}
		if ref.Attribute == "data-copy" && slices.ContainsFunc(fallbacks, func(n int) bool {
			return e.Includes[n].Start < ref.Start && ref.Start < e.Includes[n].End
		}) {
			return // it followed already
		}
		new := r.lead(e.From, base, ref.Ref, e.Filled())
		if ref.In == page.InImport {
			new = r.leadImport(e.From, base, ref.Ref, e.Filled())
		}
		if new == "" || ref.Attribute != "" && strings.HasPrefix(ref.Attribute, "data-") &&
			r.moved[tags.Lead(r.d.Before, e.From, base, ref.Ref, e.Filled()).Path].IsZero() {
			return
		}
		if i, ok := byPlace[ref.Start]; ok {
			e.Follow(i, new, r.at(e.Targets[i].Path))
		} else {
			e.Edit(ref.Edit(new))
		}
		if !slices.Contains(done.Removed, ref.Ref) {
			done.Removed, done.Added = append(done.Removed, ref.Ref), append(done.Added, new)
		}
	})
	return nil
}

// mention looks at a text of an inline script.
func (r *relinker) mention(e *tags.Editor, ref page.Reference) {
	new := r.lead(e.From, e.Base, ref.Ref, e.Filled())
	t := tags.Lead(r.d.Before, e.From, e.Base, ref.Ref, e.Filled())
	if new == "" || r.moved[t.Path].IsZero() || slices.ContainsFunc(e.Includes, func(in page.Include) bool {
		return in.Start <= ref.Start && ref.End <= in.End && in.Kind == page.Script
	}) {
		return
	}
	if r.d.inScripts {
		e.Edit(ref.Edit(new))
	}
	line, column := e.Position(ref.Start)
	r.note(e.Path, line, column, ref.Ref, new)
}

func (r *relinker) note(in paths.InSite, line, column int, text, to string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.mentions = append(r.mentions, Mention{At: place(r.after.InProject(r.at(in)).String(), line, column), Text: text,
		To: to, Changed: r.d.inScripts})
}

// files makes the references in the site's own stylesheets and scripts follow, and plans own files in their new places.
func (r *relinker) files(ctx context.Context) error {
	site, err := r.d.Site(ctx)
	if err != nil {
		return err
	}
	pages := map[paths.InSite]bool{}
	for _, p := range site.Pages {
		pages[p] = true
	}
	var list []paths.InSite
	for _, kind := range []packages.Kind{packages.Stylesheet, packages.Script} {
		list = append(list, r.d.Before.OwnFiles(site, kind)...)
	}
	for from := range r.own {
		if !pages[from] && !slices.Contains(list, from) {
			list = append(list, from)
		}
	}
	err = parallel.Each(ctx, list, func(_ context.Context, name paths.InSite) error {
		at := r.d.Before.InProject(name)
		b, stamp, err := r.d.Before.Disk.Read(at.String(), disk.MaxFile, nil)
		if err != nil {
			return err
		}
		edited := r.edited(name, b)
		if d := r.d; d.own != nil {
			edited = d.own(name, edited)
		}
		if to, moves := r.own[name]; moves {
			return r.d.applyPages(at, r.after.InProject(to), edited, stamp)
		}
		if string(edited) == string(b) {
			return nil
		}
		if err := refuseConflict(at, b); err != nil {
			return err
		}
		return r.d.set.Write(at, edited, stamp)
	})
	slices.SortFunc(r.mentions, func(a, b Mention) int { return strings.Compare(a.At, b.At) })
	r.d.mentions = r.mentions
	return err
}

// applyPages plans a file's text in another place, with the permissions that it has.
func (d *Plan) applyPages(from, to paths.InProject, text []byte, seen disk.Stamp) error {
	info, err := d.Before.Disk.Stat(from.String())
	if err != nil {
		return err
	}
	if err := d.set.Remove(from, seen); err != nil {
		return err
	}
	return d.set.Create(to, text, info.Mode())
}

// edited is a stylesheet or script with its references as they will be.
func (r *relinker) edited(name paths.InSite, b []byte) []byte {
	var edits []page.Edit
	switch packages.KindOf(name.String()) {
	case packages.Stylesheet:
		for _, ref := range style.References(b) {
			if new := r.lead(name, "", ref.URL, false); new != "" && ref.End > ref.Start {
				in := page.Reference{In: page.InStyle, Start: ref.Start, End: ref.End}
				edits = append(edits, in.Edit(new))
			}
		}
	case packages.Script:
		places := texts.NewIndex(b)
		page.ScriptReferences(b, func(ref page.Reference) {
			if new := r.inScript(name, places, ref); new != "" {
				edits = append(edits, ref.Edit(new))
			}
		})
	}
	return page.Apply(b, edits)
}

// inScript is what a reference in an own script becomes, "" if it stays. An import is written from the script's own
// place; another text may be a path from the page's folder, or the script's, and is changed only if requested.
func (r *relinker) inScript(name paths.InSite, in *texts.Index, ref page.Reference) string {
	if ref.In == page.InImport {
		return r.leadImport(name, "", ref.Ref, false)
	}
	for _, from := range append(slices.Clone(r.bases), name) {
		was := tags.Resolve(from, "", ref.Ref).Path
		to, moves := r.moved[was]
		if !moves {
			continue
		}
		new := tags.Rewrite(ref.Ref, from, from, "", was, to)
		if new == ref.Ref {
			return ""
		}
		line, column := in.At(ref.Start)
		r.note(name, line, column, ref.Ref, new)
		if r.d.inScripts {
			return new
		}
		return ""
	}
	return ""
}
