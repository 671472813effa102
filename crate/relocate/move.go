// Package relocate moves libraries, single files of libraries, and a site's own files, and finds files that somebody
// moved by hand. Package reconcile lets references and records follow.
package relocate

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/texts"
)

// A Request asks for things to be moved.
type Request struct {
	What      []string // libraries, LIB:FILE, or files, folders and patterns of the site
	To        string   // a folder, or a file's new name
	Dir       string   // where paths begin
	InScripts bool     // paths in own scripts are changed, too
}

// Moved is the result of move.
type Moved struct {
	reconcile.Result
	Moves    []Move                 `json:"moves"`              // the files that moved
	Pages    []reconcile.PageChange `json:"pages,omitempty"`    // the pages that changed
	Mentions []reconcile.Mention    `json:"mentions,omitempty"` // texts in scripts
	Notes    []string               `json:"notes,omitempty"`    // what else to know
}

// A Move is one file that moved, by paths in the project.
type Move struct {
	From    string `json:"from"`              // old path
	To      string `json:"to"`                // new path
	Library string `json:"library,omitempty"` // the library's name in the crate
}

// moving is a move that is being determined.
type moving struct {
	d    *reconcile.Plan
	req  Request
	site *walk.Site
	to   string // in the site
	into bool   // to is a folder that things go into
	own  map[paths.InSite]paths.InSite
	// files are single files of libraries, by path in the source, to their new places.
	files   map[string]map[string]string
	folders map[string]map[string]string // likewise, folders in the source of which all files move
	whole   map[string]string            // libraries to their new folders
	keep    map[string]bool              // of those, the ones whose files keep their places to each other
}

// Plan plans a move.
func Plan(ctx context.Context, d *reconcile.Plan, req Request) error {
	m := &moving{d: d, req: req, own: map[paths.InSite]paths.InSite{}, files: map[string]map[string]string{},
		folders: map[string]map[string]string{}, whole: map[string]string{}, keep: map[string]bool{}}
	var err error
	if m.site, err = d.Site(ctx); err != nil {
		return err
	}
	if err := m.target(); err != nil {
		return err
	}
	for _, what := range req.What {
		if err := m.meant(what); err != nil {
			return err
		}
	}
	if err := m.free(); err != nil {
		return err
	}
	for from, to := range m.own {
		d.Move(from, to)
	}
	d.InScripts(req.InScripts)
	m.ownOrder()
	for _, name := range slices.Sorted(maps.Keys(m.whole)) {
		if err := m.library(ctx, name); err != nil {
			return err
		}
	}
	for _, name := range slices.Sorted(maps.Keys(m.files)) {
		if err := m.fileOf(ctx, name); err != nil {
			return err
		}
	}
	return nil
}

// target reads where things are to go.
func (m *moving) target() error {
	meant := m.d.Before.Meant(m.req.To, m.req.Dir)
	outside := problem.Refuse(problem.NameBad, "name a folder or a file below "+m.d.Before.Site(),
		"%s is outside the site", m.req.To)
	if strings.HasPrefix(m.req.To, "/") || len(meant) == 0 {
		return outside
	}
	m.to = meant[0]
	if m.to != "." {
		if _, err := paths.Site(m.to); err != nil {
			if strings.HasPrefix(path.Clean(m.to), "..") {
				return outside
			}
			return problem.Refuse(problem.NameBad, "choose another name", "%s: %w", m.req.To, err)
		}
	}
	if m.site.Reserved(m.to) {
		return problem.Refuse(problem.NameBad, "choose another folder", "%s is a folder of version control, of merry "+
			"or of installed packages", m.req.To)
	}
	m.into = strings.HasSuffix(m.req.To, "/") || m.to == "." || len(m.req.What) > 1 || m.isFolder(m.to)
	for up := path.Dir(m.to); up != "."; up = path.Dir(up) {
		if m.site.Has(paths.Found(up)) {
			return problem.Refuse(problem.FileInTheWay, "choose another folder", "%s is a file, so nothing can be "+
				"put into it", up)
		}
	}
	if m.site.Has(paths.Found(m.to)) && m.into {
		return problem.Refuse(problem.FileInTheWay, "choose another folder", "%s is a file, so nothing can be "+
			"put into it", m.to)
	}
	return nil
}

func (m *moving) isFolder(dir string) bool {
	info, err := m.d.Before.Disk.Stat(paths.Found(dir).In(m.d.Before.Site()).String())
	return err == nil && info.IsDir()
}

// meant determines one thing that is to be moved.
func (m *moving) meant(what string) error {
	p := m.d.Before
	if name, file, ok := strings.Cut(what, ":"); ok && p.Seal.Libraries[name] != nil {
		return m.meantFile(name, file)
	}
	if p.Seal.Libraries[what] != nil {
		if p.List.Library(what) == nil {
			return problem.Refuse(problem.RecordBroken, "merry settle", "%s is in the seal, but not in the "+
				"packing list", what)
		}
		m.whole[what] = m.to
		return nil
	}
	for _, pat := range p.Meant(what, m.req.Dir) {
		if pat == "." {
			continue
		}
		found := false
		for _, name := range slices.SortedFunc(m.site.All(), func(a, b paths.InSite) int {
			return strings.Compare(a.String(), b.String())
		}) {
			rest, below := strings.CutPrefix(name.String(), pat+"/")
			switch {
			case name.String() == pat || !below && doublestar.MatchUnvalidated(pat, name.String()):
				rest = name.Base()
				if name.String() == pat && !m.into {
					rest = ""
				}
			case below && m.into:
				rest = path.Join(path.Base(pat), rest)
			case !below:
				continue
			}
			found = true
			if err := m.one(name, path.Join(m.to, rest)); err != nil {
				return err
			}
		}
		if found {
			if m.isFolder(pat) {
				m.librariesIn(pat)
			}
			return nil
		}
	}
	return problem.Refuse(problem.FileUnknown, "merry contents  # lists the crate; a file is named by its path",
		"%s is neither a library of the crate nor a file or folder of the site", what)
}

// one notes that a file of the site goes to a place.
func (m *moving) one(from paths.InSite, to string) error {
	p := m.d.Before
	at := p.InProject(from)
	switch at {
	case project.ListPath, project.SealPath:
		return problem.Refuse(problem.NameBad, "leave it where it is", "%s is merry's own record, which must stay at "+
			"the project's root", at)
	}
	place, err := paths.Site(to)
	if err != nil {
		return problem.Refuse(problem.NameBad, "choose another name", "%s: %w", to, err)
	}
	if of := p.At(at); of.File != nil {
		m.file(of.Library, of.File.Path, to)
		return nil
	}
	if place == from {
		return nil
	}
	if link, err := p.Disk.IsLink(at.String()); err != nil || link {
		return cmp.Or(err, problem.Refuse(problem.FileInTheWay, "move the file that it leads to, and make the "+
			"link again", "%s is a link", at))
	}
	m.own[from] = place
	return nil
}

func (m *moving) file(library, name, to string) {
	if m.files[library] == nil {
		m.files[library] = map[string]string{}
	}
	m.files[library][name] = to
}

// librariesIn notes libraries of which all files lie in a folder that moves: they move as a whole.
func (m *moving) librariesIn(dir string) {
	to := m.to
	if m.into {
		to = path.Join(m.to, path.Base(dir))
	}
	for name := range m.files {
		at := libraries.PlacesOf(m.d.Before, name)
		folder := commonFolder(at)
		rest, below := strings.CutPrefix(folder+"/", dir+"/")
		if len(m.files[name]) == len(at) && below {
			m.whole[name] = path.Join(to, rest)
			m.keep[name] = true
			delete(m.files, name)
		}
	}
}

// commonFolder is the lowest folder that has all places below it.
func commonFolder(at map[string]paths.InSite) string {
	folder := ""
	for _, place := range at {
		if folder == "" {
			folder = place.Dir()
		}
		for folder != "." && place.Dir() != folder && !strings.HasPrefix(place.Dir(), folder+"/") {
			folder = path.Dir(folder)
		}
	}
	return folder
}

// meantFile determines LIB:FILE, in which FILE may be a folder.
func (m *moving) meantFile(library, file string) error {
	sealed := m.d.Before.Seal.Libraries[library]
	n := 0
	for _, f := range sealed.Files {
		at, ok := m.d.Before.InSite(f.At)
		if !ok || f.At.IsZero() {
			continue
		}
		rest := ""
		switch {
		case f.Path == file || at.String() == file || at.Base() == file:
			if m.into {
				rest = at.Base()
			}
		case strings.HasPrefix(f.Path, strings.TrimSuffix(file, "/")+"/"):
			rest = path.Join(path.Dir(strings.TrimPrefix(f.Path, strings.TrimSuffix(file, "/")+"/")), at.Base())
		default:
			continue
		}
		n++
		m.file(library, f.Path, path.Join(m.to, rest))
		if f.Path != file && at.String() != file && at.Base() != file {
			m.folders[library] = map[string]string{strings.TrimSuffix(file, "/"): m.to}
		}
	}
	if n == 0 {
		return libraries.NoFile(library, sealed, file)
	}
	return nil
}

// free refuses places that something has already.
func (m *moving) free() error {
	p := m.d.Before
	taken := map[string]paths.InSite{}
	for name := range m.site.All() {
		if _, moves := m.own[name]; moves {
			continue
		}
		if of := p.At(p.InProject(name)); of.File != nil && (m.whole[of.Library] != "" ||
			m.files[of.Library][of.File.Path] != "") {
			continue
		}
		taken[strings.ToLower(name.String())] = name
	}
	targets := map[string]string{}
	check := func(from, to string) error {
		folded := strings.ToLower(to)
		if other, ok := targets[folded]; ok {
			return problem.Refuse(problem.NameBad, "move them one after the other, to different names",
				"%s and %s would both become %s", other, from, to)
		}
		targets[folded] = from
		if there, ok := taken[folded]; ok {
			if there.String() != to {
				return problem.Refuse(problem.FileInTheWay, "choose another name", "%s differs from %s only in case; "+
					"on some systems they are one file", to, there)
			}
			return problem.Refuse(problem.FileInTheWay, "move it away first, or choose another name",
				"%s exists already, so nothing was overwritten", to)
		}
		if folded == strings.ToLower(from) && from != to {
			return problem.Refuse(problem.FileInTheWay, "move it to another name first, then to this one",
				"%s differs from %s only in case; on some systems they are one file", to, from)
		}
		return nil
	}
	for _, from := range slices.SortedFunc(maps.Keys(m.own), func(a, b paths.InSite) int {
		return strings.Compare(a.String(), b.String())
	}) {
		if err := check(from.String(), m.own[from].String()); err != nil {
			return err
		}
	}
	for _, library := range slices.Sorted(maps.Keys(m.files)) {
		for _, name := range slices.Sorted(maps.Keys(m.files[library])) {
			from, _ := p.InSite(p.Seal.Libraries[library].File(name).At)
			if to := m.files[library][name]; to != from.String() {
				if err := check(from.String(), to); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// ownOrder lets the packing list's order of own files follow.
func (m *moving) ownOrder() {
	for i, name := range m.d.List.Own.Order {
		if to, moves := m.own[paths.Found(name)]; moves {
			m.d.List.Own.Order[i] = to.String()
		}
	}
}

// library plans moving a whole library into a folder of its own.
func (m *moving) library(ctx context.Context, name string) error {
	l, done, err := libraries.Open(ctx, m.d, name)
	if err != nil {
		return err
	}
	defer done()
	entry := &l.Entry
	folder := commonFolder(l.At)
	habits, _ := project.HabitsFor(m.d.List, entry)
	wish := placement.Wish{Library: name, Habits: habits, Into: entry.Into}
	alone := folder == wish.Folder() || strings.HasPrefix(folder, wish.Folder()+"/") || m.keep[name]
	entry.Into, entry.Arrange = m.whole[name], ""
	rest := l.At
	l.At = map[string]paths.InSite{}
	for p, at := range rest {
		switch {
		case alone:
			to := path.Join(m.whole[name], strings.TrimPrefix(at.String(), folder+"/"))
			if l.At[p], err = paths.Site(to); err != nil {
				return problem.Refuse(problem.NameBad, "choose another folder", "%s: %w", to, err)
			}
		case entry.Places[p] != "" && at.Base() != path.Base(p):
			if entry.Rename == nil {
				entry.Rename = map[string]string{}
			}
			entry.Rename[p] = at.Base() // it keeps the name that somebody gave it
		}
	}
	entry.Places = nil
	_, err = l.Plan(ctx, m.d)
	return err
}

// fileOf plans moving single files of a library.
func (m *moving) fileOf(ctx context.Context, name string) error {
	l, done, err := libraries.Open(ctx, m.d, name)
	if err != nil {
		return err
	}
	defer done()
	if l.Entry.Places == nil {
		l.Entry.Places = map[string]string{}
	}
	for p, to := range m.files[name] {
		delete(l.Entry.Places, p)
		inFolder := false
		for folder := range m.folders[name] {
			inFolder = inFolder || strings.HasPrefix(p, folder+"/")
		}
		if !inFolder {
			delete(l.Entry.Rename, p)
			delete(l.Entry.Rename, path.Base(p))
			l.Entry.Places[p] = to
		}
		delete(l.At, p)
		if f := l.Package.File(p); f != nil && f.Map != "" {
			delete(l.At, f.Map) // it goes with its script
		}
	}
	maps.Copy(l.Entry.Places, m.folders[name])
	l.Firm = true
	_, err = l.Plan(ctx, m.d)
	var broken *placement.BrokenError
	if errors.As(err, &broken) {
		also := broken.To
		if m.files[name][also] != "" {
			also = broken.From
		}
		return problem.Refuse(problem.NameBad, fmt.Sprintf("move them together: merry move %s %s",
			texts.Word(name+":"+commonDir(broken.From, broken.To)), texts.Word(strings.TrimSuffix(m.req.To, "/"))),
			"%w; %s must come along", err, also)
	}
	return err
}

// commonDir is the lowest folder that has both paths below it.
func commonDir(a, b string) string {
	dir := path.Dir(a)
	for dir != "." && !strings.HasPrefix(b, dir+"/") {
		dir = path.Dir(dir)
	}
	return dir
}

// Report completes the result of a move after it was applied.
func Report(d *reconcile.Plan, out *Moved) {
	for from, to := range d.Moves() {
		out.Moves = append(out.Moves, Move{From: from.In(d.Before.Site()).String(),
			To: to.In(d.Before.Site()).String()})
	}
	for name, old := range d.Before.Seal.Libraries {
		new := d.Seal.Libraries[name]
		if new == nil {
			continue
		}
		for _, f := range old.Files {
			if n := new.File(f.Path); n != nil && n.At != f.At {
				out.Moves = append(out.Moves, Move{From: f.At.String(), To: n.At.String(), Library: name})
			}
		}
	}
	slices.SortFunc(out.Moves, func(a, b Move) int { return strings.Compare(a.From, b.From) })
	out.Mentions = d.Mentions()
}
