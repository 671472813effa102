package crate

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"
	"golang.org/x/sync/errgroup"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// TakeRequest asks for a library to be brought in.
type TakeRequest struct {
	Source    string
	More      []string          // other sources, taken in the same change
	Dir       string            // where the command was given
	Files     []string          // patterns; none takes the suggestion
	Parts     []string          // options beside the suggestion, by name
	As        string            // the library's name in the crate
	Rename    map[string]string // file names, old to new
	Together  bool
	ByKind    bool   // in the site's folders by kind, where the site's habit is another
	Names     string // shipped, plain or versioned, where that differs from the site's habit
	Build     string // what pages use: minified or readable
	OneBuild  bool   // keep only that build
	Because   string
	Needs     []string
	Pages     []string // include at once
	Overwrite bool
	Integrity string // what the source's own bytes must have
	WithNeeds bool   // take from the registry what it needs on a page, too
	OnlyDesk  bool   // it is for the developer alone and must not ship
}

// Taken says what take did.
type Taken struct {
	Outcome
	Library  string         `json:"library"`
	Version  string         `json:"version"`
	Licence  string         `json:"licence,omitempty"`
	Digest   string         `json:"digest,omitempty"`
	Together bool           `json:"together,omitempty"`
	Why      string         `json:"why_together,omitempty"`
	Choices  []TakenFile    `json:"choices"`
	Pages    []IncludedPage `json:"pages,omitempty"`
	Notes    []string       `json:"notes,omitempty"`
	Build    string         `json:"build"`
	// FirstSeen says that nothing was known of the source's bytes before.
	FirstSeen bool     `json:"first_seen,omitempty"`
	Needs     []Supply `json:"needs,omitempty"`
	With      []string `json:"with,omitempty"`   // libraries that were taken along
	Others    []Taken  `json:"others,omitempty"` // of several sources, all but the first
}

// TakenFile is one file of the set, and where it went.
type TakenFile struct {
	Path   string `json:"path"`
	At     string `json:"at"`
	Size   int64  `json:"size"`
	Reason string `json:"reason"`
}

// Take brings a library into the project, and with it, where that is asked for, what it needs on a page.
func (p *Project) Take(req TakeRequest) (*Taken, error) {
	sources := append([]string{req.Source}, req.More...)
	opens, err := p.openAll(sources, req)
	defer func() {
		for _, o := range opens {
			if o != nil {
				o.close()
			}
		}
	}()
	if err != nil {
		return nil, err
	}
	title := "take"
	for _, o := range opens {
		title += " " + strings.TrimSpace(orWord(req.As, strings.ToLower(o.Name))+" "+o.Version)
	}
	set, err := change.Begin(p.Root, title, p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	t := &taking{p: p, set: set}
	var out *Taken
	for i, o := range opens {
		one := req
		one.Source = sources[i]
		if i > 0 && slices.Contains(t.taken, strings.ToLower(o.Name)) {
			continue // it came along with an earlier one
		}
		taken, err := t.one(o, one, 0)
		if err != nil {
			return nil, err
		}
		if out == nil {
			out = taken
		} else {
			out.Others = append(out.Others, *taken)
		}
	}
	if len(req.Pages) > 0 {
		site, err := p.Walk()
		if err != nil {
			return nil, err
		}
		pages, err := p.Select(site, req.Pages, req.Dir)
		if err != nil {
			return nil, err
		}
		var files []wanted
		for _, lib := range t.taken {
			files = append(files, p.pageFiles(lib, "")...)
		}
		if out.Pages, err = p.includeOn(set, pages, files, false); err != nil {
			return nil, err
		}
	}
	list, err := record.SetLibraries(p.list, t.libraries)
	if err != nil {
		return nil, err
	}
	oc, err := p.commit(set, list)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

// connections is how many sources are asked for at once.
const connections = 32

// openAll opens several sources at once, and with them what they need where that is to be taken too.
func (p *Project) openAll(sources []string, req TakeRequest) ([]*opened, error) {
	opens := make([]*opened, len(sources))
	var g errgroup.Group
	g.SetLimit(connections)
	for i, s := range sources {
		g.Go(func() error {
			one := req
			one.Source = s
			o, err := p.reach.openAllowed(s, req.Dir, req.Integrity, p.heldFor(one))
			if err != nil {
				return err
			}
			opens[i] = o
			if req.WithNeeds {
				p.prefetch(o, 0)
			}
			return nil
		})
	}
	return opens, g.Wait()
}

// heldFor is what the hold of a library that is in the crate already allows.
func (p *Project) heldFor(req TakeRequest) func(string) bool {
	name, _ := splitPackage(req.Source)
	if req.As != "" {
		name = req.As
	}
	if lib := p.List.Library(name); lib != nil {
		return allowedBy(lib.Hold)
	}
	return nil
}

// taking is one change in which one or several libraries are taken.
type taking struct {
	p     *Project
	set   *change.Set
	taken []string // in the order in which pages need them
	// libraries are the entries of the packing list as they will be.
	libraries []record.Library
}

// mostDepth is how far needs of needs are followed.
const mostDepth = 10

func (t *taking) one(o *opened, req TakeRequest, depth int) (*Taken, error) {
	p := t.p
	lib := record.Library{Name: strings.ToLower(o.Name), Version: o.Version, From: originFor(p.Root, o), Build: req.Build, Because: req.Because, Needs: req.Needs}
	if req.As != "" {
		lib.Name = req.As
	}
	if err := validName(lib.Name); err != nil {
		return nil, err
	}
	if old := p.List.Library(lib.Name); old != nil {
		if old.Version != lib.Version {
			return nil, refused(fmt.Sprintf("merry repin %s@%s to move it, or merry take %s --as NAME to have both", lib.Name, orWord(lib.Version, "VERSION"), req.Source),
				"%s %s is in the crate already, and this is %s; two versions under one name would be mixed up", lib.Name, old.Version, orWord(lib.Version, "of no known version"))
		}
		lib = keepChoices(lib, *old)
	}
	if req.OnlyDesk {
		lib.Only = "desk"
	}
	if err := p.knownNeeds(lib); err != nil {
		return nil, err
	}
	if lib.Build == "" {
		lib.Build = string(delivery.Minified)
	}
	sel, err := selectFiles(o, req.Files, req.Parts)
	if err != nil {
		return nil, err
	}
	if req.OneBuild {
		sel = oneBuild(o.Delivery, sel, delivery.Build(lib.Build))
	}
	lib.Take = takeList(o.Delivery, sel)
	switch {
	case req.Together:
		lib.Arrange = "together"
	case req.ByKind:
		lib.Arrange = "kind"
	}
	if req.Names != "" {
		lib.Names = req.Names
	}
	if req.Rename != nil {
		lib.Rename = req.Rename
	}
	before := len(t.taken)
	needs, err := t.needs(o, sel, &lib, req, depth)
	if err != nil {
		return nil, err
	}
	place, sealed, err := t.place(o, sel, &lib, req.Overwrite)
	if err != nil {
		return nil, err
	}
	out := &Taken{Library: lib.Name, Version: lib.Version, Licence: o.Licence, Digest: sealed.Digest, Together: place.Together,
		Why: place.Why, Notes: append(o.remarks, sel.Notes...), Build: lib.Build, FirstSeen: o.firstSeen, Needs: needs, With: slices.Clone(t.taken[before : len(t.taken)-1])}
	for _, c := range sel.Choices {
		out.Choices = append(out.Choices, TakenFile{Path: c.Path, At: p.inProject(place.At[c.Path]), Size: o.File(c.Path).Size, Reason: c.Reason})
	}
	return out, nil
}

// place finds a place for every chosen file, drafts the files, and writes both records.
func (t *taking) place(o *opened, sel *delivery.Selection, lib *record.Library, overwrite bool) (*delivery.Placement, *record.Sealed, error) {
	p := t.p
	habits, together := p.habitsFor(lib)
	place, err := o.Place(sel, lib.Name, lib.Version, habits, together, lib.Rename)
	if err != nil {
		return nil, nil, &Problem{Class: Refused, What: err.Error(), Err: err}
	}
	if place.Together && p.List.Arrange != "together" {
		lib.Arrange = "together"
	}
	sealed, err := p.placeFiles(t.set, o, sel, place, lib.Name, overwrite)
	if err != nil {
		return nil, nil, err
	}
	sealed.Version, sealed.Origin, sealed.Licence = lib.Version, lib.From, o.Licence
	if sealed.Digest, err = o.tree.Digest(); err != nil {
		return nil, nil, err
	}
	p.Seal.Libraries[lib.Name] = sealed
	p.indexPlaces()
	p.addGlobals(lib.Name, o, sel)
	t.libraries = append(t.libraries, *lib)
	if old := p.List.Library(lib.Name); old != nil {
		*old = *lib
	} else {
		p.List.Libraries = append(p.List.Libraries, *lib)
	}
	t.taken = append(t.taken, lib.Name)
	if !t.set.Dry() {
		err = p.reach.keep(o, sealed)
	}
	return place, sealed, err
}

// needs finds out what the chosen scripts need on a page and who supplies it. What the crate has is
// recorded as a need; what a package would supply is taken first, where that is asked for.
func (t *taking) needs(o *opened, sel *delivery.Selection, lib *record.Library, req TakeRequest, depth int) ([]Supply, error) {
	p := t.p
	needs := p.supply(o, needsOf(o, sel))
	for i := range needs {
		n := &needs[i]
		if n.Library == "" && n.Package != "" && req.WithNeeds && depth < mostDepth {
			name := strings.ToLower(n.Package)
			if p.List.Library(name) == nil {
				dep, err := p.reach.openPackage(n.Package, n.Range, nil)
				if err != nil {
					return nil, err
				}
				_, err = t.one(dep, TakeRequest{Source: fromRegistry + n.Package, Dir: req.Dir, Build: req.Build, WithNeeds: true, OnlyDesk: req.OnlyDesk}, depth+1)
				dep.close()
				if err != nil {
					return nil, fmt.Errorf("%s needs %s: %w", lib.Name, n.Package, err)
				}
			}
			n.Library = name
		}
		if n.Library != "" && n.Library != lib.Name && !slices.Contains(lib.Needs, n.Library) {
			lib.Needs = append(lib.Needs, n.Library)
		}
	}
	return needs, nil
}

// keepChoices fills a second take of the same library with what the first one said.
func keepChoices(lib, old record.Library) record.Library {
	out := old
	out.From = lib.From
	if lib.Build != "" {
		out.Build = lib.Build
	}
	if lib.Because != "" {
		out.Because = lib.Because
	}
	if lib.Needs != nil {
		out.Needs = lib.Needs
	}
	return out
}

func orWord(s, word string) string {
	if s == "" {
		return word
	}
	return s
}

func validName(name string) error {
	plain := strings.TrimPrefix(name, "@")
	if plain == "" || strings.ContainsFunc(plain, func(r rune) bool {
		return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("-_./", r))
	}) || strings.Contains(plain, "..") || strings.HasPrefix(plain, "/") || strings.HasSuffix(plain, "/") {
		return usage("give one with --as NAME", "%q is no name for a library; use letters, digits, and - _ .", name)
	}
	return nil
}

func (p *Project) knownNeeds(lib record.Library) error {
	for _, n := range lib.Needs {
		if n == lib.Name {
			return usage("", "%s can't need itself", n)
		}
		if p.List.Library(n) == nil {
			return refused("merry take "+n+" first", "%s is to need %s, which is not in the crate", lib.Name, n)
		}
	}
	return nil
}

func selectFiles(o *opened, patterns, parts []string) (*delivery.Selection, error) {
	if len(patterns) == 0 {
		var options []delivery.Option
		for _, name := range parts {
			op, ok := o.Option(name)
			if !ok {
				var known []string
				for _, k := range o.Options() {
					known = append(known, k.Name)
				}
				next := "it has none"
				if len(known) > 0 {
					next = "it has " + strings.Join(known, ", ")
				}
				return nil, refused(next, "--part %s: %s has no such part", name, o.tree.Name)
			}
			options = append(options, op)
		}
		sel := o.SuggestWith(options)
		if len(sel.Choices) == 0 {
			return nil, refused("merry peek "+o.tree.Name+" --all, then merry take with --files", "%s: %s", o.tree.Name, strings.Join(sel.Notes, "; "))
		}
		return sel, nil
	}
	for _, pat := range patterns {
		found := false
		for i := range o.Files {
			ok, err := doublestar.Match(pat, o.Files[i].Path)
			if err != nil {
				return nil, usage("", "--files %s is no pattern", pat)
			}
			found = found || ok
		}
		if !found {
			return nil, refused("merry peek "+o.tree.Name+" --all lists what is there", "--files %s matches nothing in %s", pat, o.tree.Name)
		}
	}
	return o.Choose(func(name string) (string, bool) {
		for _, pat := range patterns {
			if doublestar.MatchUnvalidated(pat, name) {
				return pat, true
			}
		}
		return "", false
	}), nil
}

// oneBuild drops the files of the other build where both are chosen.
func oneBuild(d *delivery.Delivery, s *delivery.Selection, build delivery.Build) *delivery.Selection {
	return s.Without(func(name string) bool {
		f := d.File(name)
		if f.Kind == delivery.Map {
			f = d.File(f.MapOf)
		}
		return f != nil && f.Pair != "" && s.Has(f.Pair) && f.Build != build
	})
}

// takeList is what the packing list says of a selection: all of it, so that it can be repeated.
func takeList(d *delivery.Delivery, s *delivery.Selection) []string {
	var list []string
	brought := map[string]bool{}
	for _, c := range s.Choices {
		f := d.File(c.Path)
		for _, r := range f.Refs {
			brought[r.Path] = true
		}
		if f.Map != "" {
			brought[f.Map] = true
		}
	}
	for _, c := range s.Choices {
		if !brought[c.Path] || c.Page {
			list = append(list, c.Path)
		}
	}
	return list
}

// placeFiles drafts the files of a selection and seals them.
func (p *Project) placeFiles(set *change.Set, o *opened, sel *delivery.Selection, place *delivery.Placement, library string, overwrite bool) (*record.Sealed, error) {
	var buffers sync.Pool
	files, err := forEach(sel.Choices, func(c delivery.Choice) (record.File, error) {
		buf, _ := buffers.Get().([]byte)
		b, err := o.tree.ReadInto(c.Path, buf)
		if err != nil {
			return record.File{}, err
		}
		defer buffers.Put(b)
		f := o.File(c.Path)
		at := p.inProject(place.At[c.Path])
		sealed := record.File{Path: c.Path, At: at, Size: int64(len(b)), Integrity: integrity.Of(b), Build: string(f.Build), Page: c.Page, Module: isModule(f)}
		if f.Pair != "" && sel.Has(f.Pair) {
			sealed.Pair = f.Pair
		}
		return sealed, p.putFile(set, library, at, b, overwrite)
	})
	if err != nil {
		return nil, err
	}
	return &record.Sealed{Files: files}, nil
}

// isModule tells an ES module from other files.
func isModule(f *delivery.File) bool { return f.Script != nil && f.Script.Form == script.Module }

// putFile drafts one file of a library, never over other bytes without being told to.
func (p *Project) putFile(set *change.Set, library, at string, b []byte, overwrite bool) error {
	old, stamp, err := change.Read(p.Root, at)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		stamp = change.Stamp{}
	case err != nil:
		return err
	case string(old) == string(b):
		return nil
	case !overwrite:
		whose := "it is not the crate's"
		if of, ok := p.byPlace[at]; ok {
			whose = "it is " + of.Library + "'s"
		}
		return refused("move it away, choose another name with --rename "+path.Base(at)+"=NAME, or say --overwrite",
			"%s is there already with other bytes, and %s; it was not touched", at, whose)
	}
	return set.Write(at, b, stamp)
}

// pageFiles lists the files of a library that go on pages, in the build that is asked for or, where
// that is "", in the one that the packing list names. Stylesheets come first, then the library's
// core before its parts.
func (p *Project) pageFiles(library, build string) []wanted {
	lib, entry := p.Seal.Libraries[library], p.List.Library(library)
	if lib == nil {
		return nil
	}
	if build == "" && entry != nil {
		build = entry.Build
	}
	if build == "" {
		build = string(delivery.Minified)
	}
	var list []wanted
	for i := range lib.Files {
		f := &lib.Files[i]
		if !f.Page || f.At == "" || f.Pair != "" && f.Build != build {
			continue
		}
		if at, ok := p.inSite(f.At); ok {
			list = append(list, wanted{library: library, at: at, style: delivery.KindOf(f.Path) == delivery.Stylesheet, pair: p.placeOf(lib, f.Pair)})
		}
	}
	core := strings.ToLower(path.Base(library))
	slices.SortStableFunc(list, func(a, b wanted) int {
		if a.style != b.style {
			if a.style {
				return -1
			}
			return 1
		}
		ac, bc := strings.HasPrefix(strings.ToLower(path.Base(a.at)), core), strings.HasPrefix(strings.ToLower(path.Base(b.at)), core)
		switch {
		case ac != bc && ac:
			return -1
		case ac != bc:
			return 1
		}
		return len(path.Base(a.at)) - len(path.Base(b.at))
	})
	return list
}

func (p *Project) placeOf(lib *record.Sealed, deliveryPath string) string {
	for _, f := range lib.Files {
		if deliveryPath != "" && f.Path == deliveryPath {
			at, _ := p.inSite(f.At)
			return at
		}
	}
	return ""
}
