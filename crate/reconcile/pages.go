package reconcile

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/hashes"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/successors"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// A PageChange lists what changed on one page: the references of tags, as they are written.
type PageChange struct {
	Page    string   `json:"page"`              // the page, in the site
	Added   []string `json:"added,omitempty"`   // references that were added
	Removed []string `json:"removed,omitempty"` // references that were removed
	Already []string `json:"already,omitempty"` // references that were there before
	Also    []string `json:"also,omitempty"`    // what else of it was changed: its import map, its hints
	// Unrecorded are tags that load one of the files already and that no record knows: nothing was added beside them.
	Unrecorded []string `json:"unrecorded,omitempty"`
	// On are the pages that a part is on which changed.
	On   []string `json:"on,omitempty"`
	Note string   `json:"note,omitempty"` // what else happened
	// Before and After are the costs of the page, if Measure is set.
	Before *Cost `json:"before,omitempty"`
	After  *Cost `json:"after,omitempty"` // what the page costs after the change
}

// place is where something stands, as file:line:column.
func place(file string, line, column int) string { return fmt.Sprintf("%s:%d:%d", file, line, column) }

// PageWork is an edit of one page. The editor knows the project with its new records. It may run for several pages at
// once.
type PageWork func(ctx context.Context, e *tags.Editor, done *PageChange) error

type pageWork struct {
	pages []paths.InSite
	do    PageWork
}

// OnPages asks for work on pages. Each page is read and parsed once, whatever is asked for, and written once.
func (d *Plan) OnPages(pages []paths.InSite, do PageWork) {
	d.work = append(d.work, pageWork{pages, do})
}

// maxWeighed is for how many pages of a change it is said what they cost.
const maxWeighed = 200

// pages does the work on pages, references that follow first.
func (d *Plan) pages(ctx context.Context, after *project.Project, relink *relinker) ([]PageChange, error) {
	follow := newFollower(d, after)
	if len(follow.moved) > 0 || relink != nil {
		site, err := d.Site(ctx)
		if err != nil {
			return nil, err
		}
		if len(follow.moved) > 0 {
			d.work = slices.Insert(d.work, 0, pageWork{site.Pages, follow.page})
		}
		if relink != nil && len(relink.moved) > 0 {
			d.work = slices.Insert(d.work, 0, pageWork{site.Pages, relink.page})
		}
	}
	parts, wholes, err := d.whole(ctx, after)
	if err != nil {
		return nil, err
	}
	byPage := map[paths.InSite][]PageWork{}
	for name := range parts {
		byPage[name] = nil
	}
	for _, w := range d.work {
		for _, p := range w.pages {
			byPage[p] = append(byPage[p], w.do)
		}
	}
	var list []paths.InSite
	for p := range byPage {
		list = append(list, p)
	}
	slices.SortFunc(list, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	d.Measure = d.Measure && len(list) <= maxWeighed
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	r := &pageRun{d: d, after: after, scripts: d.scriptsAfter(after), guard: csp.New(after),
		weights: &scale{p: after, scripts: d.scriptsAfter(after)}, views: d.Before.Viewpoint(site),
		hidden: newHidden(d, follow, relink), hashes: hashes.New(d.Before), parts: parts, work: byPage}
	changes, err := parallel.Map(ctx, list, r.page)
	if err == nil {
		err = follow.missed()
	}
	if err == nil {
		err = r.hashes.Files(ctx, site.Pages, d.set.Write)
	}
	r.hidden.tell(d.Before)
	return joinChanges(changes, wholes), err
}

// A pageRun is what the work on each of the pages needs. It is for several goroutines at once.
type pageRun struct {
	d       *Plan
	after   *project.Project
	scripts *tags.Scripts
	guard   *csp.Index
	weights *scale
	views   *project.Viewpoint
	hidden  *hidden
	hashes  *hashes.Keeper
	parts   map[paths.InSite][]byte     // what the work on whole pages made of files
	work    map[paths.InSite][]PageWork // by page
}

// page does the work on one page, and writes it where that changed it.
func (r *pageRun) page(ctx context.Context, name paths.InSite) (PageChange, error) {
	done := PageChange{Page: name.String()}
	at := r.d.Before.InProject(name)
	b, stamp, err := r.d.Before.Disk.Read(at.String(), disk.MaxPage, nil)
	if err != nil {
		return done, err
	}
	if page.IsReport(b) {
		return done, nil
	}
	text, put := r.parts[name]
	if !put {
		text = b
	}
	if text, err = r.d.prepared(name, text, &done); err != nil {
		return done, err
	}
	v, err := tags.ReadPart(ctx, r.after, r.views, name, text)
	if err != nil {
		return done, err
	}
	for i, t := range v.Targets {
		if v.Of[i].Library == "" && !t.IsZero() {
			v.Of[i] = tags.FileOf(r.d.Before, t) // of a library that goes, or of a place that it leaves
		}
	}
	e := tags.NewEditor(r.after, r.scripts, v)
	for _, do := range r.work[name] {
		if err := do(ctx, e, &done); err != nil {
			return done, err
		}
	}
	r.hidden.look(e)
	if e.Finish(ctx); len(e.Messages) > 0 {
		done.Note = strings.Trim(done.Note+"; "+strings.Join(e.Messages, "; "), "; ")
	}
	if err := r.d.keepMap(ctx, e, r.after, r.scripts, &done); err != nil {
		return done, err
	}
	edited, err := e.Bytes()
	if err != nil {
		return done, err
	}
	changed := string(edited) != string(b)
	if changed {
		var coming map[string]bool
		edited, coming = r.hashes.Page(name, b, edited)
		r.d.note(r.guard, r.weights, v, edited, coming, &done)
		if err := refuseConflict(at, b); err != nil {
			return done, err
		}
	}
	if to, moves := r.d.moving[name]; moves {
		err = r.d.applyPages(at, r.after.InProject(to), edited, stamp)
		done.Note = "moved to " + to.String()
	} else if changed {
		err = r.d.set.Write(at, edited, stamp)
	}
	return done, err
}

// refuseConflict refuses to change a file that has the marks of an unresolved merge.
func refuseConflict(at paths.InProject, b []byte) error {
	i := texts.ConflictMarks(b)
	if i < 0 {
		return nil
	}
	line, column := page.Position(b, i)
	return problem.Refuse(problem.PageRefused, "choose what stays, and remove the marks; then the same command again",
		"%s has the marks of an unresolved merge", place(at.String(), line, column))
}

// joinChanges joins what is told of files with what is told of pages that are put together from several.
func joinChanges(files, wholes []PageChange) []PageChange {
	for _, w := range wholes {
		if i := slices.IndexFunc(files, func(f PageChange) bool { return f.Page == w.Page }); i >= 0 {
			f := &files[i]
			f.Added, f.Removed = append(f.Added, w.Added...), append(f.Removed, w.Removed...)
			f.Already, f.Unrecorded = append(f.Already, w.Already...), append(f.Unrecorded, w.Unrecorded...)
			f.Also, f.On = append(f.Also, w.Also...), w.On
			f.Note = strings.Trim(f.Note+"; "+w.Note, "; ")
			if len(f.On) == 1 && f.On[0] == f.Page {
				f.On = nil
			}
			continue
		}
		files = append(files, w)
	}
	slices.SortStableFunc(files, func(a, b PageChange) int { return strings.Compare(a.Page, b.Page) })
	return files
}

// note says of an edited page what its policies forbid now and did not before, and what it costs where that is wanted.
// Files of headers are going to have the hashes of some inline texts.
func (d *Plan) note(guard *csp.Index, weights *scale, v *tags.Page, edited []byte, coming map[string]bool,
	done *PageChange) {
	if !d.Measure && !guard.Applies(v) {
		return
	}
	// What was read has been rewritten meanwhile.
	was, err := tags.Read(d.Before, v.Path, v.Bytes)
	if err != nil {
		return
	}
	after, err := tags.Read(guard.Project(), v.Path, edited)
	if err != nil {
		return
	}
	if d.Measure {
		done.Before, done.After = weights.weigh(was), weights.weigh(after)
	}
	var new []string
	before := guard.Forbidden(was)
	for what, words := range guard.Forbidden(after) {
		if before[what] == "" && !coming[what.What] {
			new = append(new, words)
		}
	}
	if slices.Sort(new); len(new) > 0 {
		more := ""
		if len(new) > 1 {
			more = fmt.Sprintf(", and %d more", len(new)-1)
		}
		done.Note = strings.Trim(done.Note+"; "+new[0]+more+"; merry check "+v.Path.String()+" says more", "; ")
	}
}

// A follower makes references on all pages follow the files of libraries to their new places, names and versions. A
// page that refers to what is gone stops the change.
type follower struct {
	d     *Plan
	after *project.Project
	// of the libraries that are in both records: files to which a reference would differ
	moved map[*record.File]*record.File

	mu   sync.Mutex
	gone []gone
}

// gone is a tag of a file that nothing stands for any more, and the file's path in the package.
type gone struct{ at, file string }

func newFollower(d *Plan, after *project.Project) *follower {
	f := &follower{d: d, after: after, moved: map[*record.File]*record.File{}}
	for name, old := range d.Before.Seal.Libraries {
		new := d.Seal.Libraries[d.now(name)]
		if new == nil {
			continue
		}
		for o, n := range successors.Between(old, new) {
			if n == nil {
				other := new.File(cmp.Or(o.OtherBuild, d.turned[d.now(name)][o.Path]))
				if other != nil && other.Build == d.List.Library(d.now(name)).Build {
					n = other // the build that pages are to use from now on
				}
			}
			if n == nil || n.At != o.At || n.Path != o.Path || n.Integrity != o.Integrity ||
				new.Version != old.Version {
				f.moved[o] = n
			}
		}
	}
	return f
}

func (f *follower) page(ctx context.Context, e *tags.Editor, done *PageChange) error {
	for i := range e.Includes {
		old := tags.FileOf(f.d.Before, e.Targets[i])
		new, moves := f.moved[old.File]
		if old.File == nil || !moves || f.d.off[old.File.At.String()] {
			continue
		}
		if new == nil {
			if of := tags.FileOf(f.after, e.Targets[i]).Library; of != "" && of != old.Library {
				continue // another library has it, too
			}
			f.mu.Lock()
			f.gone = append(f.gone, gone{e.At(i), old.File.Path})
			f.mu.Unlock()
			if f.d.DropGone {
				done.Removed = append(done.Removed, removeTag(e, i))
			}
			continue
		}
		if err := f.follow(ctx, e, i, old, new, done); err != nil {
			return err
		}
	}
	return nil
}

// follow makes one include refer to a library's new file, its fallback with it.
func (f *follower) follow(ctx context.Context, e *tags.Editor, i int, old project.Sealed, new *record.File,
	done *PageChange) error {
	at, _ := f.after.InSite(new.At)
	if e.Targets[i].Path == at {
		return nil
	}
	local, err := e.Reach(at)
	if err != nil {
		return err
	}
	if new.Integrity != old.File.Integrity {
		e.Concern(i)
	}
	was := e.Includes[i].Ref
	address := e.Targets[i].URL
	if address == "" {
		if e.Targets[i].Path != at {
			if page.Templated(was) || tags.Resolve(e.From, e.Base, was).Path != e.Targets[i].Path {
				if local = tags.Rewrite(was, e.From, e.From, e.Base, e.Targets[i].Path, at); local == was {
					return nil // a server makes it, and can't make it so that it leads there
				}
			}
			e.Refer(i, local, nil, nil)
			done.Removed, done.Added = append(done.Removed, was), append(done.Added, local)
		}
		return nil
	}
	lib, before := f.after.List.Library(f.d.now(old.Library)), f.d.Before.List.Library(old.Library)
	if before == nil {
		before = lib // it was called otherwise
	}
	versions := [2]string{f.d.Before.Seal.Libraries[old.Library].Version,
		f.after.Seal.Libraries[f.d.now(old.Library)].Version}
	ref := ""
	if versions[0] == versions[1] && old.File.Path == new.Path {
		ref = address
	}
	if moved := elsewhere(f.d.Before, before, lib, versions, old.File, new, address); moved != "" {
		ref = moved
	}
	if ref == "" {
		return problem.Refuse(problem.CDNUnclear, "merry switch "+old.Library+" --local  # then the same command again",
			"%s has a link to a CDN whose pattern is not set, so its new address is unknown", e.At(i))
	}
	same := ref == address && old.File.Integrity == new.Integrity
	if !same {
		if err := f.d.Before.Origin.HasSame(ctx, ref, new); err != nil {
			return err
		}
	}
	if n, _ := e.FallbackOf(i); n >= 0 {
		_, were := e.Fallback(n)
		copies, err := demanding(ctx, f.d.Before, again(f.d.Before, before, lib, versions, old.File, new, were), new)
		if err != nil {
			return err
		}
		if tag := e.FallbackAgain(i, n, append(copies, tags.Copy{Ref: local})...); tag != "" {
			e.SetFallback(i, tag)
			if same && new.At != old.File.At {
				done.Removed, done.Added = append(done.Removed, old.File.At.String()), append(done.Added, local)
			}
		}
	}
	values := tags.LinkValues(new)
	if e.ModuleCopy(i) != "" {
		values[tags.OnError] = tags.ModuleFallback(local)
	}
	if !same || !e.Carries(i, values) && e.ModuleCopy(i) != "" {
		e.ReferWith(i, ref, values)
		done.Removed, done.Added = append(done.Removed, was), append(done.Added, ref)
	}
	return nil
}

// missed lists the tags that were taken off since nothing stands for their files any more, with all places; where they
// are to stay, it refuses the change.
func (f *follower) missed() error {
	if len(f.gone) == 0 {
		return nil
	}
	places := map[string][]string{}
	for _, g := range f.gone {
		places[g.file] = append(places[g.file], g.at)
	}
	for _, file := range slices.Sorted(maps.Keys(places)) {
		slices.Sort(places[file])
		f.d.Dropped = append(f.d.Dropped, fmt.Sprintf("%s: %s", file, project.Abbreviate(places[file], 5)))
	}
	if f.d.DropGone {
		return nil
	}
	return problem.Refuse(problem.FileUnknown, "omit it from those pages; or take another of its files, and "+
		"include that",
		"no file of the library replaces what tags on pages lead to: %s", project.Abbreviate(f.d.Dropped, 5))
}

// Include is the work that puts files on pages. A fragment is the part of some page that has its tags elsewhere, so it
// is passed over unless fragments are meant; where nothing else was named, that is an error, which Passed makes.
type Include struct {
	Files     []project.TaggedFile
	Fragments bool
	Patterns  []string // by which the pages were named

	mu      sync.Mutex
	passed  []string // fragments
	special []string // pages that take no libraries
	others  int
}

// literal reports whether a page was named by its own path, and not by a pattern.
func (in *Include) literal(name paths.InSite) bool {
	return slices.ContainsFunc(in.Patterns, func(pattern string) bool {
		clean := path.Clean(filepath.ToSlash(pattern))
		return !strings.ContainsAny(pattern, "*?[{") && (name.String() == clean || strings.HasSuffix(clean,
			"/"+name.Base()) || strings.HasSuffix("/"+name.String(), "/"+clean))
	})
}

// Page puts the files on one page.
func (in *Include) Page(ctx context.Context, e *tags.Editor, done *PageChange) error {
	p := e.Project()
	in.mu.Lock()
	if e.Fragment && !in.Fragments {
		in.passed = append(in.passed, e.Path.String())
		in.mu.Unlock()
		done.Note =
			"left alone: a fragment, without doctype, html, head or body tag; --fragments puts the tags there anyway"
		return nil
	}
	if what := e.Special(); what != "" && !in.literal(e.Path) {
		in.special = append(in.special, e.Path.String()+" is "+what)
		in.mu.Unlock()
		done.Note = "left alone: it is " + what + "; named by its own path, it gets the tags anyway"
		return nil
	}
	in.others++
	in.mu.Unlock()
	for _, f := range in.Files {
		if ref := e.Find(f); ref != "" {
			done.Already = append(done.Already, ref)
			e.ConcernLibrary(f.Library)
			continue
		}
		if line, ref := e.Unrecorded(f); line > 0 {
			done.Unrecorded = append(done.Unrecorded, fmt.Sprintf("line %d loads it already, from %s", line, ref))
			continue
		}
		address := ""
		if lib := p.List.Library(f.Library); lib != nil && lib.Serve == record.CDN {
			// The library is served from a CDN everywhere else; the address was compared when it was switched.
			if list := p.AddressesOf(lib, p.Seal.Libraries[f.Library], f.File); len(list) > 0 {
				address = list[0]
				if err := p.Origin.HasSame(ctx, address, f.File); err != nil {
					return err
				}
			}
		}
		if err := e.Include(f, address); err != nil {
			return err
		}
		done.Added = append(done.Added, f.At.String())
	}
	if len(e.Protected) > 0 {
		done.Note = "note: " + strings.Join(e.Protected, "; ")
	}
	return nil
}

// Passed refuses an include that met nothing but fragments.
func (in *Include) Passed() error {
	if len(in.special) > 0 && in.others+len(in.passed) == 0 {
		slices.Sort(in.special)
		return problem.Refuse(problem.PageRefused, "name the page by its own path, if it is to have the tags anyway",
			"%s; such pages take no libraries", project.Abbreviate(in.special, 3))
	}
	if len(in.passed) == 0 || in.others > 0 {
		return nil
	}
	slices.Sort(in.passed)
	return problem.Refuse(problem.PageRefused, "include it on the whole page, or use --fragments",
		"%s: a fragment, without doctype, html, head or body tag; its scripts and styles belong on the page that "+
			"includes it", project.Abbreviate(in.passed, 3))
}

// Omit takes the tags of files in places, and of addresses, off all pages.
func (d *Plan) Omit(ctx context.Context, places []string) error {
	site, err := d.Site(ctx)
	if err != nil {
		return err
	}
	if d.off == nil {
		d.off = map[string]bool{}
	}
	for _, at := range places {
		d.off[at] = true
	}
	d.OnPages(site.Pages, Omit(d.off))
	return nil
}

// Omit is the work that takes tags off pages: those of files in places, and of addresses.
func Omit(places map[string]bool) PageWork {
	return func(_ context.Context, e *tags.Editor, done *PageChange) error {
		for i := range e.Includes {
			at := e.Targets[i].Path.String()
			if of := e.Of[i]; of.File != nil && at == "" {
				at = of.File.At.String()
			} else if at != "" {
				at = e.PlaceInProject(i)
			}
			if e.Stands(i) && (places[at] || places[e.Targets[i].URL]) {
				done.Removed = append(done.Removed, removeTag(e, i))
			}
		}
		return nil
	}
}

// removeTag takes a tag off a page, with its fallback, and returns its reference.
func removeTag(e *tags.Editor, i int) string {
	e.Remove(i)
	if n, _ := e.FallbackOf(i); n >= 0 {
		e.Remove(n)
	}
	return e.Includes[i].Ref
}

// Rename is the work that renames classes on pages that have one of the libraries, and on fragments. Count is reported
// each place.
func Rename(classes map[string]string, libraries map[string]bool, count func(class string)) PageWork {
	return func(_ context.Context, e *tags.Editor, _ *PageChange) error {
		concerned := e.Fragment
		for i := range e.Includes {
			concerned = concerned || libraries[e.Library(i)]
		}
		if !concerned {
			return nil
		}
		page.Names(e.Page.Page.Bytes, func(n page.Name) {
			if to, ok := classes[n.Text]; ok && n.Kind == page.ClassName {
				e.Edit(page.Edit{Start: n.Start, End: n.End, Text: to})
				count(n.Text)
			}
		})
		return nil
	}
}

// Titled joins a command and its arguments to a title.
func Titled(verb string, about ...string) string {
	return strings.TrimSpace(fmt.Sprintf("%s %s", verb, strings.Join(slices.DeleteFunc(about, func(s string) bool {
		return s == ""
	}), " ")))
}
