package crate

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/source"
)

// wanted is one file that is to be on a page. An own file has no library.
type wanted struct {
	library string
	at      string // in the site
	pair    string // the same thing in the other build, in the site
	style   bool
}

// IncludedPage says what was done to one page.
type IncludedPage struct {
	Page    string   `json:"page"`
	Added   []string `json:"added,omitempty"`
	Removed []string `json:"removed,omitempty"`
	Already []string `json:"already,omitempty"`
	Note    string   `json:"note,omitempty"`
}

// IncludeRequest asks for libraries or own files on pages.
type IncludeRequest struct {
	Names []string // libraries of the crate, or patterns of own files
	Pages []string
	Dir   string
	Build string
	// Fragments allows tags on parts of pages, which otherwise are left alone.
	Fragments bool
}

// Included says what include or omit did.
type Included struct {
	Outcome
	Pages []IncludedPage `json:"pages"`
	Notes []string       `json:"notes,omitempty"`
}

// Include puts libraries or own files on pages.
func (p *Project) Include(req IncludeRequest) (*Included, error) {
	return p.edit("include", req, func(set *change.Set, site *Site, pages []string) (*Included, error) {
		files, err := p.wantedFiles(site, req)
		if err != nil {
			return nil, err
		}
		out := &Included{Notes: p.absentNeeds(req.Names)}
		out.Pages, err = p.includeOn(set, pages, files, req.Fragments)
		return out, err
	})
}

// Omit takes libraries or own files off pages. Without pages it is all pages.
func (p *Project) Omit(req IncludeRequest) (*Included, error) {
	if len(req.Pages) == 0 {
		req.Pages = []string{"**"}
	}
	return p.edit("omit", req, func(set *change.Set, site *Site, pages []string) (*Included, error) {
		places := map[string]bool{}
		for _, name := range req.Names {
			if p.List.Library(name) != nil || p.Seal.Libraries[name] != nil {
				maps.Copy(places, p.placesOf(name))
				continue
			}
			files, err := p.ownFiles(site, name, req.Dir)
			if err != nil {
				return nil, err
			}
			for _, f := range files {
				places[f] = true
			}
		}
		out := &Included{}
		var err error
		out.Pages, err = p.omitFrom(set, pages, places)
		return out, err
	})
}

// placesOf lists where a library's files are: paths in the site, and the address of one that can't be sealed.
func (p *Project) placesOf(name string) map[string]bool {
	places := map[string]bool{}
	if lib := p.Seal.Libraries[name]; lib != nil {
		for _, f := range lib.Files {
			if at, ok := p.inSite(f.At); ok && f.At != "" {
				places[at] = true
			}
		}
	} else if lib := p.List.Library(name); lib != nil && source.IsAddress(lib.From) {
		places[lib.From] = true
	}
	return places
}

func (p *Project) edit(verb string, req IncludeRequest, work func(*change.Set, *Site, []string) (*Included, error)) (*Included, error) {
	set, site, pages, err := p.begin(verb+" "+strings.Join(req.Names, " "), req.Pages, req.Dir, false)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out, err := work(set, site, pages)
	if err != nil {
		return nil, err
	}
	oc, err := p.commit(set, p.list)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

// wantedFiles turns names into files: those of libraries ordered so that what is needed comes before
// what needs it, own files after them.
func (p *Project) wantedFiles(site *Site, req IncludeRequest) ([]wanted, error) {
	var libs []string
	var own []wanted
	for _, name := range req.Names {
		if p.List.Library(name) != nil {
			libs = append(libs, name)
			continue
		}
		files, err := p.ownFiles(site, name, req.Dir)
		if err != nil {
			return nil, err
		}
		for _, f := range files {
			own = append(own, wanted{at: f, style: delivery.KindOf(f) == delivery.Stylesheet})
		}
	}
	var files []wanted
	for _, lib := range p.needsFirst(libs) {
		of := p.pageFiles(lib, req.Build)
		if len(of) == 0 {
			return nil, refused("merry take it again, with --files", "%s has no script or stylesheet in the project that could go on a page", lib)
		}
		files = append(files, of...)
	}
	order := p.List.Own.Order
	slices.SortStableFunc(own, func(a, b wanted) int {
		i, j := slices.Index(order, a.at), slices.Index(order, b.at)
		if i < 0 || j < 0 {
			return 0
		}
		return i - j
	})
	return append(files, own...), nil
}

// needsFirst orders libraries so that what one needs comes before it.
func (p *Project) needsFirst(libs []string) []string {
	var out []string
	var visit func(name string, path []string)
	visit = func(name string, path []string) {
		if slices.Contains(out, name) || slices.Contains(path, name) {
			return
		}
		if lib := p.List.Library(name); lib != nil {
			for _, n := range lib.Needs {
				if slices.Contains(libs, n) {
					visit(n, append(path, name))
				}
			}
		}
		out = append(out, name)
	}
	for _, l := range libs {
		visit(l, nil)
	}
	return out
}

// ownFiles finds the scripts and stylesheets of the site that a name or pattern means.
func (p *Project) ownFiles(site *Site, pattern, dir string) ([]string, error) {
	var files []string
	for _, pat := range p.meant(pattern, dir) {
		for name := range site.Files {
			kind := delivery.KindOf(name)
			if kind != delivery.Script && kind != delivery.Stylesheet {
				continue
			}
			if name == pat || doublestar.MatchUnvalidated(pat, name) {
				files = append(files, name)
			}
		}
		if files != nil {
			slices.Sort(files)
			return files, nil
		}
	}
	var known []string
	for _, l := range p.List.Libraries {
		known = append(known, l.Name)
	}
	next := "the crate is empty; merry take SOURCE brings a library in"
	if len(known) > 0 {
		next = "the crate has " + strings.Join(known, ", ")
	}
	return nil, refused(next, "%s is neither a library of the crate nor a script or stylesheet of the site", pattern)
}

// absentNeeds notes which of the libraries' needs nothing in the crate was ever asked to meet.
func (p *Project) absentNeeds(names []string) []string {
	var notes []string
	for _, n := range names {
		if lib := p.List.Library(n); lib != nil {
			for _, need := range lib.Needs {
				if !slices.Contains(names, need) {
					notes = append(notes, fmt.Sprintf("%s needs %s on the page before it; merry check tells where it is not", n, need))
				}
			}
		}
	}
	return notes
}

// view is a page with what each of its includes leads to.
type view struct {
	*page.Page
	path    string
	targets []Target
	library []string // of each include, "" where it is of none
}

func (p *Project) view(name string, b []byte) (*view, error) {
	pg, err := page.Read(b)
	if errors.Is(err, page.ErrUTF16) {
		return nil, refused("save it as UTF-8", "%s is in UTF-16, which merry does not edit; it was not touched", name)
	}
	if err != nil {
		return nil, err
	}
	v := &view{Page: pg, path: name, targets: make([]Target, len(pg.Includes)), library: make([]string, len(pg.Includes))}
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.RefAttr.End == 0 {
			continue
		}
		if in.Templated() {
			v.targets[i].Odd = "a server fills it in"
			continue
		}
		v.targets[i] = targetOf(name, pg.Base, in.Ref)
		v.library[i] = p.placed(v.targets[i]).Library
	}
	return v, nil
}

// runs tells whether an include is a script or stylesheet that the browser heeds.
func (v *view) runs(i int) bool {
	k := v.Includes[i].Kind
	return v.Includes[i].Inert == "" && (k == page.Script || k == page.Stylesheet)
}

func (v *view) isStyle(i int) bool { return v.Includes[i].Kind == page.Stylesheet }

// own tells whether an include is the project's own file.
func (v *view) own(i int) bool {
	return v.runs(i) && v.targets[i].Path != "" && v.library[i] == ""
}

// editPages reads each page, lets work change its bytes, and drafts what differs.
func (p *Project) editPages(set *change.Set, pages []string, work func(v *view) ([]byte, IncludedPage, error)) ([]IncludedPage, error) {
	return forEach(pages, func(name string) (IncludedPage, error) {
		at := p.inProject(name)
		b, stamp, err := change.Read(p.Root, at)
		if err != nil {
			return IncludedPage{}, err
		}
		v, err := p.view(name, b)
		if err != nil {
			return IncludedPage{}, err
		}
		edited, done, err := work(v)
		if err != nil {
			return done, err
		}
		done.Page = name
		if string(edited) != string(b) {
			err = set.Write(at, edited, stamp)
		}
		return done, err
	})
}

// includeOn puts files on pages. A fragment is the part of some page that has its tags elsewhere, so
// it is passed over; where nothing else was named, that is an error.
func (p *Project) includeOn(set *change.Set, pages []string, files []wanted, fragments bool) ([]IncludedPage, error) {
	passed := 0
	var mu sync.Mutex
	out, err := p.editPages(set, pages, func(v *view) ([]byte, IncludedPage, error) {
		var done IncludedPage
		if v.Fragment && !fragments {
			mu.Lock()
			passed++
			mu.Unlock()
			done.Note = "left alone: a fragment, with no doctype, html, head or body tag; --fragments puts the tags there all the same"
			return v.Bytes, done, nil
		}
		for _, f := range files {
			if at := p.find(v, f); at >= 0 {
				done.Already = append(done.Already, v.Includes[at].Ref)
				continue
			}
			b, err := p.includeOne(v, f)
			if err != nil {
				return nil, done, err
			}
			done.Added = append(done.Added, f.at)
			if v, err = p.view(v.path, b); err != nil {
				return nil, done, err
			}
		}
		return v.Bytes, done, nil
	})
	if err == nil && passed == len(pages) && passed > 0 {
		return nil, refused("include it on the whole page, or say --fragments", "%s: a fragment, with no doctype, html, head or body tag; its scripts and styles belong on the page that it is put into", abbreviate(pages, 3))
	}
	return out, err
}

// find returns the include that brings a file, in either build and from wherever, or -1.
func (p *Project) find(v *view, f wanted) int {
	for i := range v.Includes {
		if !v.runs(i) {
			continue
		}
		at := v.targets[i].Path
		if of := p.placed(v.targets[i]); of.File != nil && at == "" {
			at, _ = p.inSite(of.File.At)
		}
		if at != "" && (at == f.at || at == f.pair) {
			return i
		}
	}
	return -1
}

func (p *Project) includeOne(v *view, f wanted) ([]byte, error) {
	ref, ok := refTo(v.Page, v.path, f.at)
	if !ok {
		return nil, refused("take the base element away, or write the tag by hand", "%s: its base element leads to another site, from where no local file can be reached", v.path)
	}
	spot, deferred := p.spotFor(v, f)
	values := map[string]string{}
	if lib := p.List.Library(f.library); lib != nil && lib.Serve == "cdn" {
		// The library is served from a CDN everywhere else; the address was compared when it was switched.
		of := p.byPlace[p.inProject(f.at)].File
		if list := p.addressesOf(f.library, p.Seal.Libraries[f.library], of); len(list) > 0 {
			ref, values = list[0], linkValues(of)
			if err := p.reach.sameThere(ref, of); err != nil {
				return nil, err
			}
		}
	}
	tag, names := page.StyleTag(ref), linkAttributes
	if of := p.byPlace[p.inProject(f.at)].File; of != nil && of.Module && !f.style {
		tag, names = page.ScriptTag(ref, false), append([]string{"type"}, linkAttributes...)
		values["type"] = "module" // which runs after parsing by itself
	} else if !f.style {
		tag = page.ScriptTag(ref, deferred)
	}
	tag = page.With(tag, names, values)
	return v.put(spot, tag)
}

// put puts a tag on the page: never between a script and its fallback.
func (v *view) put(spot page.Spot, tag string) ([]byte, error) {
	if spot.After && spot.Index >= 0 {
		if at, _ := v.fallbackOf(spot.Index); at >= 0 {
			spot.Index = at
		}
	}
	e, err := v.Insert(spot, []string{tag})
	if err != nil {
		return nil, refused("write the tag by hand", "%s: %v", v.path, err)
	}
	return page.Apply(v.Bytes, []page.Edit{e}), nil
}

// spotFor decides where on a page a file goes: behind what it needs, before what needs it and before
// the page's own; where nothing binds it, at the end of the head or where the page keeps its scripts.
func (p *Project) spotFor(v *view, f wanted) (spot page.Spot, deferred bool) {
	needs := p.allNeeds(f.library)
	last, first := -1, -1
	inHead, inBody, allDeferred := 0, 0, true
	for i := range v.Includes {
		if !v.runs(i) && v.Includes[i].Kind != page.InlineScript && v.Includes[i].Kind != page.InlineStyle || v.Includes[i].Inert != "" {
			continue
		}
		in := &v.Includes[i]
		if f.style {
			switch {
			case in.Kind == page.InlineStyle && f.library != "" && first < 0:
				first = i
			case in.Kind != page.Stylesheet:
			case v.library[i] != "" && (slices.Contains(needs, v.library[i]) || v.library[i] == f.library), f.library == "" && v.library[i] != "":
				last = i
			case f.library != "" && first < 0 && (v.own(i) || slices.Contains(p.allNeeds(v.library[i]), f.library)):
				first = i
			}
			continue
		}
		if in.Kind == page.Script && in.When != page.Async {
			if in.InHead {
				inHead++
				allDeferred = allDeferred && in.When == page.Deferred
			} else {
				inBody++
			}
		}
		switch {
		case in.Kind == page.Stylesheet || in.Kind == page.InlineStyle:
		case in.Kind == page.Script && v.library[i] != "" && (slices.Contains(needs, v.library[i]) || v.library[i] == f.library), in.Kind == page.Script && f.library == "":
			last = i
		case f.library == "" || first >= 0:
		case in.Kind == page.Script && (v.own(i) || slices.Contains(p.allNeeds(v.library[i]), f.library)),
			in.Kind == page.InlineScript && !in.InHead && in.Start > v.LastContent:
			first = i
		}
	}
	if first >= 0 && (last < first) {
		return page.Spot{Index: first}, !f.style && v.Includes[first].When == page.Deferred && !v.Includes[first].Module
	}
	if last >= 0 {
		return page.Spot{Index: last, After: true}, !f.style && v.Includes[last].When == page.Deferred && !v.Includes[last].Module
	}
	if f.style || inBody == 0 && inHead > 0 {
		return page.EndOfHead, !f.style && allDeferred
	}
	return page.EndOfBody, false
}

// allNeeds lists the libraries that must come before one, the needs of its needs among them.
func (p *Project) allNeeds(library string) []string {
	var out []string
	var visit func(name string)
	visit = func(name string) {
		lib := p.List.Library(name)
		if lib == nil {
			return
		}
		for _, n := range lib.Needs {
			if !slices.Contains(out, n) {
				out = append(out, n)
				visit(n)
			}
		}
	}
	if library != "" {
		visit(library)
	}
	return out
}

func (p *Project) omitFrom(set *change.Set, pages []string, places map[string]bool) ([]IncludedPage, error) {
	return p.editPages(set, pages, func(v *view) ([]byte, IncludedPage, error) {
		var done IncludedPage
		var out []int
		for i := range v.Includes {
			at := v.targets[i].Path
			if of := p.placed(v.targets[i]); of.File != nil && at == "" {
				at, _ = p.inSite(of.File.At)
			}
			if v.runs(i) && (places[at] || places[v.targets[i].URL]) {
				out = append(out, i)
				if at, _ := v.fallbackOf(i); at >= 0 {
					out = append(out, at)
				}
				done.Removed = append(done.Removed, v.Includes[i].Ref)
			}
		}
		return page.Apply(v.Bytes, v.Remove(out...)), done, nil
	})
}

// Undone says what undo took back.
type Undone struct {
	Outcome
	Title string `json:"title"`
}

// Undo takes back the project's last change.
func Undo(dir string, opt change.Options) (*Undone, error) {
	if _, err := recoverAbove(dir); err != nil {
		return nil, err
	}
	root, err := findRoot(dir)
	if err != nil {
		// The last change may have been the start itself.
		if root, err = filepath.Abs(dir); err != nil {
			return nil, err
		}
		if _, serr := os.Stat(filepath.Join(root, change.Folder)); serr != nil {
			return nil, refused("", "there is no change to undo here")
		}
	}
	set, last, err := change.Undo(root, opt)
	var changed *change.ChangedError
	switch {
	case errors.Is(err, change.ErrNothing):
		return nil, refused("", "%v", err)
	case errors.As(err, &changed):
		return nil, refused("put those files aside, run merry undo, and put your changes in again",
			"%q can't be undone: %s changed since, and undoing would lose that", last.Title, abbreviate(changed.Paths, 6))
	case err != nil:
		return nil, err
	}
	defer set.Close()
	if err := set.Commit(); err != nil {
		return nil, err
	}
	return &Undone{Outcome: Outcome{DryRun: set.Dry(), Files: touched(set.Entries())}, Title: last.Title}, nil
}

// History lists what can be undone, the last change first.
func History(dir string) ([]change.Done, error) {
	root, err := findRoot(dir)
	if err != nil {
		return nil, err
	}
	return change.History(root)
}
