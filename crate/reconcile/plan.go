// Package reconcile is the one mechanism that changes a project. A command makes a plan: the records as they should be,
// the files to put, and the work on pages. From that and the snapshot it computes the consequences (files to put and to
// remove, references that follow files, the text of the records), and applies them in one change set.
package reconcile

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"slices"
	"sync"

	"merrycrate.example/merry/crate/mentions"
	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/texts"
)

// A Plan is a planned change of a project. List and Seal are copies that a command changes freely; everything else is
// planned by methods. Nothing happens before Apply.
type Plan struct {
	Before *project.Project // the snapshot, which nobody changes
	List   *record.List
	Seal   *record.Seal
	// Repository means that the project is in a git repository, which then merges the records line by line.
	Repository bool
	// RestoreOnly means that the change only restores files, and writes no file of version control.
	RestoreOnly bool
	// ListApplied says that all that the packing list says was applied.
	ListApplied bool
	// Measure asks for the costs of changed pages, before and after.
	Measure bool
	// DropGone takes tags off pages that lead to files of a library that its new version does not have, and Dropped
	// lists them. Without it such a tag stops the change.
	DropGone bool
	Dropped  []string
	// LeftBehind are files that were to be removed and stay, with the reason.
	LeftBehind []string

	set    *change.Set
	site   *walk.Site
	work   []pageWork
	wholes []wholeWork
	mu     sync.Mutex
	script map[string][]byte // scripts that are put, by their integrity
	// files that were not taken, to the one of the same library that is their other build
	turned map[string]map[string]string

	renamed   map[string]string                        // libraries that have another name from now on
	moving    map[paths.InSite]paths.InSite            // the site's own files that move
	inScripts bool                                     // texts in scripts follow them, too
	own       func(name paths.InSite, b []byte) []byte // edits own stylesheets and scripts
	prepare   []func(v *tags.Page) (edits []page.Edit, note string)
	mentions  []Mention
	contents  map[paths.InProject]string // what was planned already, by its integrity
	off       map[string]bool            // places in the project, and addresses, of which tags are taken off all pages
}

// New begins a plan on a snapshot that was read under the lock of the set.
func New(p *project.Project, set *change.Set) *Plan {
	return &Plan{Before: p, List: p.List.Clone(), Seal: p.Seal.Clone(), set: set, script: map[string][]byte{},
		turned: map[string]map[string]string{}}
}

// Dry reports whether the plan is only to be shown.
func (d *Plan) Dry() bool { return d.set.Dry() }

// PutOwn puts a file of the tool's own making into the site, unless it is there. Another file in its place is refused.
func (d *Plan) PutOwn(name paths.InSite, b []byte) error {
	at := d.Before.InProject(name)
	switch there, err := d.Before.ReadFile(at); {
	case err == nil && string(there) == string(b):
		return nil
	case err == nil:
		return problem.Refuse(problem.FileInTheWay, "merry move "+texts.Word(at.String())+" "+
			texts.Word(name.Dir()+"/own-"+name.Base())+"  # moves it away", "%s exists already, with other bytes", at)
	}
	return d.set.Write(at, b, disk.Stamp{})
}

// Title sets the title of the change, as undo lists it.
func (d *Plan) Title(title string) { d.set.Title(title) }

// Untitled reports whether the change has no title yet.
func (d *Plan) Untitled() bool { return d.set.Untitled() }

// Site lists the site's files as they are before the change; they are walked once.
func (d *Plan) Site(ctx context.Context) (*walk.Site, error) {
	if d.site != nil {
		return d.site, nil
	}
	var err error
	d.site, err = d.Before.Walk(ctx)
	return d.site, err
}

// Pages returns the pages that match patterns, or all pages if there are no patterns and all is set.
func (d *Plan) Pages(ctx context.Context, patterns []string, dir string, all bool) ([]paths.InSite, error) {
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	if all && len(patterns) == 0 {
		return site.Pages, nil
	}
	return d.Before.Select(site, patterns, dir)
}

// A Policy says what to do with an existing file that has other bytes.
type Policy int

// The policies.
const (
	Refuse    Policy = iota // stop, and say so
	Overwrite               // write over it
	Leave                   // leave it alone
)

// A State is the result of putting a file.
type State int

// The states.
const (
	Whole     State = iota // it was there with these bytes
	Put                    // it was not there, or its older bytes were
	LeftAlone              // other bytes are there
)

// Rename gives a library another name in the seal; the packing list has it already.
func (d *Plan) Rename(old, new string) {
	if d.renamed == nil {
		d.renamed = map[string]string{}
	}
	d.renamed[old] = new
	d.Seal.Libraries[new] = d.Seal.Libraries[old]
	delete(d.Seal.Libraries, old)
}

// now is what a library that had a name before is called.
func (d *Plan) now(name string) string { return cmp.Or(d.renamed[name], name) }

// Put plans one file of a library, by its path in the source. Its own older bytes, unchanged since they were taken,
// give way; what else is there is treated by the policy.
func (d *Plan) Put(library, name string, at paths.InProject, b []byte, policy Policy) (State, error) {
	old, stamp, err := d.Before.Disk.Read(at.String(), disk.MaxFile, nil)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		stamp = disk.Stamp{}
	case err != nil:
		return Whole, err
	case string(old) == string(b):
		return Whole, nil
	case policy == Leave:
		return LeftAlone, nil
	case policy == Refuse:
		if err := d.mayReplace(library, name, at, old); err != nil {
			return Whole, err
		}
	}
	d.mu.Lock()
	integ, done := d.contents[at]
	again := done && integ == integrity.Of(b)
	if d.contents == nil {
		d.contents = map[paths.InProject]string{}
	}
	if !done {
		d.contents[at] = integrity.Of(b)
	}
	d.mu.Unlock()
	if again {
		return Put, nil // one step of the change put it there for another
	}
	return Put, d.set.Write(at, b, stamp)
}

// mayReplace refuses to write over what is not the library's own, or was changed since.
func (d *Plan) mayReplace(library, name string, at paths.InProject, old []byte) error {
	of := d.Before.At(at)
	sealed := d.Before.Seal.Libraries[of.Library]
	of.Library = d.now(of.Library)
	next := "move it away, choose another name with --rename " + at.Base() + "=NAME, or use --overwrite"
	switch {
	case of.Library == "":
		return problem.Refuse(problem.FileInTheWay, next, "%s exists already with other bytes and is not the crate's, "+
			"so it was left alone", at)
	case of.Library != library:
		return problem.Refuse(problem.FileInTheWay, next, "%s exists already with other bytes and belongs to %s, so "+
			"it was left alone", at, of.Library)
	case integrity.Of(old) != of.File.Integrity:
		return problem.Refuse(problem.FileChanged, "move the change into a file of your own; merry refill "+library+
			" --overwrite  # restores the sealed bytes", "%s was changed since it was taken, and the upgrade would "+
			"lose the change", at)
	case of.File.Path == name && sealed != nil && d.Seal.Libraries[library] != nil &&
		sealed.Version == d.Seal.Libraries[library].Version:
		// The same version can't have other bytes: it is another source.
		return problem.Refuse(problem.FileInTheWay, next, "%s exists already with other bytes and belongs to %s, so "+
			"it was left alone", at, of.Library)
	}
	return nil
}

// A Source is where the files of a selection are read from.
type Source interface {
	ReadInto(name string, buf []byte) ([]byte, error)
}

// Take makes the seal's lines for a selection of a package, and plans the files in their places; those of a library
// that pages only link to are kept in the cache instead. The reading is shared out over the processors; each file is
// read once.
func (d *Plan) Take(ctx context.Context, library string, from Source, of *packages.Package, sel *packages.Selection,
	at map[string]paths.InSite, linked bool, policy Policy) ([]record.File, error) {
	d.turned[library] = map[string]string{}
	for _, c := range sel.Choices {
		if other := of.File(c.Path).OtherBuild; other != "" && !sel.Has(other) {
			d.turned[library][other] = c.Path
		}
	}
	var buffers sync.Pool
	return parallel.Map(ctx, sel.Choices, func(_ context.Context, c packages.Choice) (record.File, error) {
		buf, _ := buffers.Get().(*[]byte)
		if buf == nil {
			buf = new([]byte)
		}
		defer buffers.Put(buf)
		b, err := from.ReadInto(c.Path, *buf)
		if err != nil {
			return record.File{}, err
		}
		*buf = b
		f := d.file(of.File(c.Path), c, b, at[c.Path])
		if f.OtherBuild != "" && !sel.Has(f.OtherBuild) {
			f.OtherBuild = ""
		}
		if linked {
			return f, d.Before.Origin.Cache.Put(f.Integrity, b)
		}
		_, err = d.Put(library, f.Path, f.At, b, policy)
		return f, err
	})
}

// file makes the seal's line for a file.
func (d *Plan) file(f *packages.File, c packages.Choice, b []byte, at paths.InSite) record.File {
	out := record.File{Path: c.Path, At: at.In(d.Before.Site()), Size: int64(len(b)), Integrity: integrity.Of(b),
		Build: f.Build, OtherBuild: f.OtherBuild,
		Role: record.Role(c.Page)}
	if f.Script != nil {
		out.Module = f.Script.Form == script.Module
	} else if f.Kind == packages.Script {
		// one that lies among what nobody is suggested
		out.Module = script.IsModule(b, d.Before.Facts.Script)
	}
	if c.Page && f.Kind == packages.Script {
		d.mu.Lock()
		d.script[out.Integrity] = slices.Clone(b)
		d.mu.Unlock()
	}
	return out
}

// Localise puts the copies of a library into their places that are not there: since pages only had links to them so
// far, or on a fresh checkout. It returns the places.
func (d *Plan) Localise(ctx context.Context, name string) ([]string, error) {
	sealed := d.Seal.Libraries[name]
	sealed.Linked = false
	var missing []record.File
	for _, f := range sealed.Files {
		if !f.At.IsZero() && !d.Before.Exists(f.At) {
			missing = append(missing, f)
		}
	}
	return parallel.Map(ctx, missing, func(ctx context.Context, f record.File) (string, error) {
		b, err := obtain.Bytes(ctx, d.Before, project.Sealed{Library: name, File: &f})
		if err != nil {
			cause := problem.Of(err)
			return "", &problem.Problem{Code: cause.Code, Class: cause.Class, Next: cause.Next, Err: err,
				What: "the local copy of " + f.Path + " of " + name + ": " + err.Error()}
		}
		_, err = d.Put(name, f.Path, f.At, b, Refuse)
		return f.At.String(), err
	})
}

// plannedScript returns the text of a script that is about to be put.
func (d *Plan) plannedScript(of project.Sealed) ([]byte, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	b, ok := d.script[of.File.Integrity]
	return b, ok
}

// Texts are the scripts that a library will put on a page after this change, after those of the libraries that it
// needs.
func (d *Plan) Texts(library string) [][]byte {
	return d.Before.With(d.List, d.Seal).Texts(library, d.plannedScript)
}

// remove plans the removal of the files that libraries had and no library has any more. A file that was changed since
// it was taken stays.
func (d *Plan) remove() error {
	has := map[paths.InProject]string{}
	for _, name := range d.Seal.Names() {
		for _, f := range d.Seal.Libraries[name].Files {
			has[f.At] = name
		}
	}
	for at := range d.contents { // a library that was taken twice in one change lies elsewhere now
		if has[at] == "" {
			if err := d.set.Withdraw(at); err != nil {
				return err
			}
		}
	}
	for _, was := range d.Before.Seal.Names() {
		name := d.now(was)
		old, new := d.Before.Seal.Libraries[was], d.Seal.Libraries[name]
		done := map[paths.InProject]bool{}
		for _, f := range old.Files {
			other, stays := has[f.At]
			if f.At.IsZero() || done[f.At] || stays && other == name {
				continue
			}
			done[f.At] = true
			if stays {
				if new == nil {
					d.LeftBehind = append(d.LeftBehind, f.At.String()+": "+other+" has it too")
				}
				continue
			}
			b, stamp, err := d.Before.Disk.Read(f.At.String(), disk.MaxFile, nil)
			switch {
			case errors.Is(err, fs.ErrNotExist):
			case err != nil:
				return err
			case integrity.Of(b) != f.Integrity:
				d.LeftBehind = append(d.LeftBehind, f.At.String()+": it was changed since it was taken")
			default:
				if err := d.set.Remove(f.At, stamp); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// Write plans a file of the project that belongs to no library, such as a page's first version.
func (d *Plan) Write(at paths.InProject, b []byte, seen disk.Stamp) error {
	return d.set.Write(at, b, seen)
}

// records plans the two records where they say something else than before.
func (d *Plan) records(ctx context.Context) error {
	if err := d.attributes(); err != nil {
		return err
	}
	d.ways()
	d.facts(ctx)
	list, err := record.Rewrite(d.Before.ListText, d.Before.List, d.List)
	if err != nil {
		return err
	}
	if string(list) != string(d.Before.ListText) {
		if err := d.set.Write(project.ListPath, list, d.Before.ListStamp); err != nil {
			return err
		}
	}
	if b := d.Seal.Bytes(); string(b) != string(d.Before.SealText) && (len(d.Seal.Libraries) > 0 ||
		d.Before.SealText != nil) {
		return d.set.Write(project.SealPath, b, d.Before.SealStamp)
	}
	return nil
}

// facts notes in the seal what the scripts for pages are, where it does not say so yet and their bytes are available.
func (d *Plan) facts(ctx context.Context) {
	for name, sealed := range d.Seal.Libraries {
		for i := range sealed.Files {
			f := &sealed.Files[i]
			if f.Role != record.Tagged || f.Facts != nil || packages.KindOf(f.Path) != packages.Script {
				continue
			}
			of := project.Sealed{Library: name, File: f}
			b, ok := d.plannedScript(of)
			if !ok {
				var err error
				if b, err = d.Before.LocalBytes(of); err != nil {
					continue
				}
			}
			report := *d.Before.Facts.ScriptOf(f.Integrity, b)
			report.Needs = slices.DeleteFunc(slices.Clone(report.Needs), func(n script.Need) bool {
				// who reads the seal can't verify it
				return n.Strength == script.Hard && !d.Before.Facts.AsksFor(ctx, b, n.Name)
			})
			made, whole := d.Before.Facts.Makes(ctx, b)
			f.Facts = project.FactsOf(&report, made, whole)
		}
	}
}

// ways notes in the seal how pages use libraries. What somebody wrote into the packing list by hand, and nothing has
// carried out yet, is not noted.
func (d *Plan) ways() {
	for name, sealed := range d.Seal.Libraries {
		lib := d.List.Library(name)
		if lib == nil {
			continue
		}
		serve, build := lib.Usage()
		old := d.Before.List.Library(name)
		carried := func(is bool) bool {
			return old == nil || d.Before.Seal.Libraries[name] == nil || !is ||
				d.ListApplied
		}
		var was record.Serve
		var wasBuild record.Build
		if old != nil {
			was, wasBuild = old.Usage()
		}
		if sealed.Serve == "" || carried(serve == was) {
			sealed.Serve = serve
		}
		if sealed.Build == record.NoBuild || carried(build == wasBuild) {
			sealed.Build = build
		}
	}
}

// attributes tells git how the records merge, once something is in them.
func (d *Plan) attributes() error {
	if !d.Repository || d.RestoreOnly || len(d.Seal.Libraries) == 0 {
		return nil
	}
	b, stamp, err := d.Before.Disk.Read(record.AttributesFile, disk.MaxRecord, nil)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil // somebody has something else there
	}
	if out := record.Attributes(b); string(out) != string(b) {
		if tell := d.Before.Notify; tell != nil && !d.Dry() {
			tell("wrote " + record.AttributesFile + ": git now merges the records line by line")
		}
		return d.set.Write(paths.FoundInProject(record.AttributesFile), out, stamp)
	}
	return nil
}

// Apply applies the plan completely or not at all, and returns the changed files and pages.
func (d *Plan) Apply(ctx context.Context) (*Result, []PageChange, error) {
	return d.ApplyUnless(ctx, nil)
}

// ApplyUnless is Apply, unless objects, asked when everything is planned, returns an error.
func (d *Plan) ApplyUnless(ctx context.Context, objects func() error) (*Result, []PageChange, error) {
	after := d.Before.With(d.List, d.Seal)
	if err := d.remove(); err != nil {
		return nil, nil, err
	}
	relink, err := d.relink(ctx, after)
	if err != nil {
		return nil, nil, err
	}
	pages, err := d.pages(ctx, after, relink)
	if err != nil {
		return nil, nil, err
	}
	if relink != nil {
		if err := relink.files(ctx); err != nil {
			return nil, nil, err
		}
	}
	if objects != nil {
		if err := objects(); err != nil {
			return nil, nil, err
		}
	}
	if err := d.records(ctx); err != nil {
		return nil, nil, err
	}
	if err := d.set.Commit(ctx); err != nil {
		return nil, nil, err
	}
	out := ResultOf(d.set)
	for i := range out.Files {
		f := &out.Files[i]
		at := paths.FoundInProject(f.Path)
		if f.Library = after.At(at).Library; f.Library == "" {
			f.Library = d.Before.At(at).Library
		}
	}
	out.Named, err = d.named(ctx, out)
	return out, pages, err
}

// named lists the places that name files of the site which are gone, and that no command changes.
func (d *Plan) named(ctx context.Context, out *Result) ([]string, error) {
	var gone []paths.InSite
	for _, f := range out.Files {
		if at, ok := d.Before.InSite(paths.FoundInProject(f.Path)); ok && f.Do == Remove {
			gone = append(gone, at)
		}
	}
	return mentions.Elsewhere(ctx, d.Before, gone)
}

// A Result lists the changes of a plan, or on a dry run the planned ones.
type Result struct {
	DryRun bool         `json:"dry_run,omitempty"` // nothing was changed: this is what would change
	Files  []FileChange `json:"files"`             // the files that change
	// Named are places that name files which are gone, and that no command changes: file:line:column and the name.
	Named []string `json:"named,omitempty"`
}

// A FileChange is one file of a change.
type FileChange struct {
	Path string `json:"path"` // path in the project
	Do   Action `json:"do"`   // add, change or remove
	Size int64  `json:"size"` // in bytes
	// Library is the one whose file it is, "" for pages, records and own files.
	Library string `json:"library,omitempty"`
	Diff    string `json:"diff,omitempty"` // unified, on a dry run
	// Integrity stands for the diff of a file that is no text, or is minified.
	Integrity string `json:"integrity,omitempty"`
}

// An Action is what is done to a file.
type Action string

// The deeds.
const (
	Add    Action = "add"
	Change Action = "change"
	Remove Action = "remove"
)

// ResultOf lists the changes of a set.
func ResultOf(set *change.Set) *Result {
	out := &Result{DryRun: set.Dry()}
	for _, e := range set.Entries() {
		f := FileChange{Path: e.Path, Do: Change, Size: e.Size, Diff: e.Diff, Integrity: e.Integrity}
		switch {
		case e.Remove:
			f.Do = Remove
		case e.Create:
			f.Do = Add
		}
		out.Files = append(out.Files, f)
	}
	return out
}

// Finish applies the plan and stores its result in out, and the changed pages in pages unless that is nil. If last is
// set, it runs before anything is written; its error stops the change.
func (d *Plan) Finish(ctx context.Context, out *Result, pages *[]PageChange, last func() error) error {
	result, changed, err := d.ApplyUnless(ctx, last)
	if err != nil {
		return err
	}
	*out = *result
	if pages != nil {
		*pages = changed
	}
	return nil
}

// Changed returns the pages on which something changed.
func Changed(pages []PageChange) []PageChange {
	var list []PageChange
	for _, p := range pages {
		if len(p.Added)+len(p.Removed)+len(p.Also) > 0 {
			list = append(list, p)
		}
	}
	return list
}
