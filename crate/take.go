package crate

import (
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// TakeRequest asks for a library to be brought in.
type TakeRequest struct {
	Source    string
	More      []string          // other sources, taken in the same change
	Files     []string          // patterns; none takes the suggestion
	Parts     []string          // options beside the suggestion, by name
	As        string            // the library's name in the crate
	Rename    map[string]string // file names, old to new
	Arrange   record.Arrange    // where that differs from the site's habit
	Names     record.Names      // where that differs from the site's habit
	Build     record.Build      // what pages use
	OneBuild  bool              // keep only that build
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
	Library  string       `json:"library"`
	Version  string       `json:"version"`
	Licence  string       `json:"licence,omitempty"`
	Digest   string       `json:"digest,omitempty"`
	Together bool         `json:"together,omitempty"`
	Kept     []string     `json:"kept_together,omitempty"` // files that had to stay together where the others went by their kinds
	Why      string       `json:"why_together,omitempty"`
	Choices  []TakenFile  `json:"choices"`
	Pages    []PageChange `json:"pages,omitempty"`
	Notes    []string     `json:"notes,omitempty"`
	Build    record.Build `json:"build"`
	// FirstSeen says that nothing was known of the source's bytes before.
	FirstSeen bool            `json:"first_seen,omitempty"`
	Needs     []origin.Supply `json:"needs,omitempty"`
	With      []string        `json:"with,omitempty"`   // libraries that were taken along
	Others    []Taken         `json:"others,omitempty"` // of several sources, all but the first
}

// TakenFile is one file of the set, and where it went.
type TakenFile struct {
	Path   string `json:"path"`
	At     string `json:"at"`
	Size   int64  `json:"size"`
	Reason string `json:"reason"`
}

// Take brings a library into the project, and with it, where that is asked for, what it needs on a page.
func (c *Crate) Take(ctx context.Context, req TakeRequest) (*Taken, error) {
	sources := append([]string{req.Source}, req.More...)
	// What must be fetched is fetched before the project is locked: a slow server keeps nobody waiting.
	before, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	opens, err := c.openAll(ctx, before, sources, req)
	for _, o := range opens {
		if o != nil {
			defer o.Close()
		}
	}
	if err != nil {
		return nil, err
	}
	title := "take"
	for _, o := range opens {
		title += " " + strings.TrimSpace(orWord(req.As, strings.ToLower(o.Name))+" "+o.Version)
	}
	d, set, err := c.draft(ctx, title)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	t := &taking{c: c, d: d}
	var out *Taken
	for i, o := range opens {
		one := req
		one.Source = sources[i]
		if i > 0 && slices.Contains(t.taken, strings.ToLower(o.Name)) {
			continue // it came along with an earlier one
		}
		taken, err := t.one(ctx, o, one, 0)
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
		pages, err := d.Pages(ctx, req.Pages, c.Dir, false)
		if err != nil {
			return nil, err
		}
		in := &reconcile.Include{}
		after := d.Before.With(d.List, d.Seal)
		for _, lib := range t.taken {
			in.Files = append(in.Files, after.TaggedFiles(lib, record.NoBuild)...)
		}
		d.OnPages(pages, in.Page)
		return out, finish(ctx, d, &out.Outcome, &out.Pages, in.Passed)
	}
	err = finish(ctx, d, &out.Outcome, &out.Pages, nil)
	out.Pages = changed(out.Pages) // those whose references followed files
	return out, err
}

// openAll opens several sources at once, and with them what they need where that is to be taken too.
func (c *Crate) openAll(ctx context.Context, p *project.Project, sources []string, req TakeRequest) ([]*origin.Opened, error) {
	return parallel.MapWide(ctx, parallel.Connections, sources, func(ctx context.Context, s string) (*origin.Opened, error) {
		name, _ := origin.SplitPackage(s)
		if req.As != "" {
			name = req.As
		}
		open := origin.Request{Name: s, Dir: c.Dir, Integrity: req.Integrity}
		if lib := p.List.Library(name); lib != nil {
			open.Allowed = project.AllowedBy(lib.Hold) // of what is in the crate already
		}
		o, err := c.Origin.Open(ctx, open)
		if err == nil && o.Kind == origin.Package {
			if sel, err := origin.Select(o, req.Files, req.Parts); err == nil {
				page := origin.Page{Defined: p.Globals(), Texts: func(library string) [][]byte { return p.Texts(library, nil) }}
				c.Origin.Prefetch(ctx, c.Facts, o, sel, page, req.WithNeeds)
			}
		}
		return o, err
	})
}

// taking is one change in which one or several libraries are taken.
type taking struct {
	c       *Crate
	d       *reconcile.Draft
	taken   []string          // in the order in which pages need them
	defines map[string]string // a global to the library that defines it, those that are being taken too
}

func (t *taking) one(ctx context.Context, o *origin.Opened, req TakeRequest, depth int) (*Taken, error) {
	d := t.d
	lib := record.Library{Name: orWord(req.As, strings.ToLower(o.Name)), Version: o.Version, From: o.For(string(d.Before.Root)), Build: req.Build, Because: req.Because, Needs: req.Needs}
	if err := record.ValidName(lib.Name); err != nil {
		return nil, err
	}
	if old := d.List.Library(lib.Name); old != nil {
		if old.Version != lib.Version {
			return nil, problem.Refuse(problem.LibraryThere, fmt.Sprintf("merry repin %s@%s to move it, or merry take %s --as NAME to have both", lib.Name, orWord(lib.Version, "VERSION"), req.Source),
				"%s %s is in the crate already, and this is %s; two versions under one name would be mixed up", lib.Name, old.Version, orWord(lib.Version, "of no known version"))
		}
		lib = old.TakenAgain(lib)
	}
	if req.OnlyDesk {
		lib.Only = record.Desk
	}
	if err := knownNeeds(d.List, lib); err != nil {
		return nil, err
	}
	if lib.Build == record.NoBuild {
		lib.Build = record.Minified
	}
	sel, err := origin.Select(o, req.Files, req.Parts)
	if err != nil {
		return nil, err
	}
	if req.OneBuild {
		sel = o.OneBuild(sel, lib.Build)
	}
	if req.Arrange != "" {
		lib.Arrange = req.Arrange
	}
	if req.Names != "" {
		lib.Names = req.Names
	}
	if req.Rename != nil {
		lib.Rename = req.Rename
	}
	before := len(t.taken)
	needs, err := t.needs(ctx, o, sel, &lib, req, depth)
	if err != nil {
		return nil, err
	}
	lib.Take = o.Named(sel)
	place, sealed, err := t.place(ctx, o, sel, &lib, req.Overwrite)
	if err != nil {
		return nil, err
	}
	known := d.Before.Seal.Libraries[lib.Name]
	out := &Taken{Library: lib.Name, Version: lib.Version, Licence: o.Licence, Digest: sealed.Digest, Together: place.Together,
		Kept: place.Kept, Why: place.Why, Notes: append(o.Remarks, sel.Notes...), Build: lib.Build, FirstSeen: o.FirstSeen && (known == nil || known.Digest != sealed.Digest), Needs: needs, With: slices.Clone(t.taken[before : len(t.taken)-1])}
	for _, c := range sel.Choices {
		out.Choices = append(out.Choices, TakenFile{Path: c.Path, At: place.At[c.Path].In(d.Before.Site()).String(), Size: o.File(c.Path).Size, Reason: c.Reason})
	}
	return out, nil
}

// place finds a place for every chosen file, drafts the files, and drafts both records.
func (t *taking) place(ctx context.Context, o *origin.Opened, sel *delivery.Selection, lib *record.Library, overwrite bool) (*placement.Placement, *record.Sealed, error) {
	d := t.d
	habits, arrange := project.HabitsFor(d.List, lib)
	place, err := placement.Place(o.Delivery, sel, lib.Name, lib.Version, habits, arrange, lib.Rename)
	if err != nil {
		return nil, nil, err
	}
	if aside := d.Spoken(lib.Name, o.Tree, sel.Paths(), place.At); len(aside) > 0 {
		// A file of the site's own has the name; the library's is called after the library then.
		lib.Rename = maps.Clone(lib.Rename)
		for _, base := range aside {
			if lib.Rename == nil {
				lib.Rename = map[string]string{}
			}
			lib.Rename[base] = path.Base(lib.Name) + "-" + base
		}
		if place, err = placement.Place(o.Delivery, sel, lib.Name, lib.Version, habits, arrange, lib.Rename); err != nil {
			return nil, nil, err
		}
	}
	policy := reconcile.Refuse
	if overwrite {
		policy = reconcile.Overwrite
	}
	sealed := &record.Sealed{Version: lib.Version, Origin: lib.From, Licence: o.Licence}
	if sealed.Files, err = d.Take(ctx, lib.Name, o.Tree, o.Delivery, sel, place.At, false, policy); err != nil {
		return nil, nil, err
	}
	if sealed.Digest, err = o.Tree.Digest(); err != nil {
		return nil, nil, err
	}
	d.Seal.Libraries[lib.Name] = sealed
	d.List.Put(*lib)
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil {
			for _, g := range slices.Concat(f.Script.Defines, f.Script.Parts) {
				t.globals()[g.Name] = lib.Name
			}
		}
	}
	t.taken = append(t.taken, lib.Name)
	if !d.Dry() {
		err = t.c.Origin.Store(ctx, o, sealed)
	}
	return place, sealed, err
}

// globals tells who defines what, with what is being taken.
func (t *taking) globals() map[string]string {
	if t.defines == nil {
		t.defines = map[string]string{}
		for g, lib := range t.d.Before.Globals() {
			t.defines[g] = lib
		}
	}
	return t.defines
}

// needs finds out what the chosen scripts need on a page and who supplies it. What the crate has is
// recorded as a need; what a package would supply is taken first, where that is asked for.
func (t *taking) needs(ctx context.Context, o *origin.Opened, sel *delivery.Selection, lib *record.Library, req TakeRequest, depth int) ([]origin.Supply, error) {
	needs, err := t.c.Origin.Needs(ctx, t.c.Facts, o, sel, req.WithNeeds, origin.Page{Defined: t.globals(), Texts: t.d.Texts})
	if err != nil {
		return nil, err
	}
	for i := range needs {
		if err := t.meet(ctx, &needs[i], lib, req, depth); err != nil {
			return nil, err
		}
	}
	return slices.DeleteFunc(needs, func(n origin.Supply) bool {
		return n.Library == "" && n.Package == "" && n.Strength != string(script.Hard)
	}), nil
}

// meet takes what supplies a need, where that is asked for, and records what the crate has.
func (t *taking) meet(ctx context.Context, n *origin.Supply, lib *record.Library, req TakeRequest, depth int) error {
	if n.Library == "" && n.Package != "" && req.WithNeeds && depth < origin.MostDepth {
		name := strings.ToLower(n.Package)
		if t.d.List.Library(name) == nil {
			dep, err := t.c.Origin.OpenPackage(ctx, n.Package, n.Range, nil)
			if err != nil {
				return err
			}
			_, err = t.one(ctx, dep, TakeRequest{Source: record.FromRegistry + n.Package, Build: req.Build, WithNeeds: true, OnlyDesk: req.OnlyDesk}, depth+1)
			if err != nil && problem.Of(err).Code == problem.NothingThere {
				n.Why = "its package " + n.Package + " has nothing for a page"
				n.Package, n.Range = "", ""
				return nil
			}
			if err != nil {
				return fmt.Errorf("%s needs %s: %w", lib.Name, n.Package, err)
			}
		}
		n.Library = name
	}
	if n.Library != "" && n.Library != lib.Name && !slices.Contains(lib.Needs, n.Library) {
		lib.Needs = append(lib.Needs, n.Library)
	}
	return nil
}

func knownNeeds(list *record.List, lib record.Library) error {
	for _, n := range lib.Needs {
		if n == lib.Name {
			return problem.Misuse("leave it out of --needs", "%s can't need itself", n)
		}
		if list.Library(n) == nil {
			return problem.Refuse(problem.NeedUnmet, "merry take "+n+" first", "%s is to need %s, which is not in the crate", lib.Name, n)
		}
	}
	return nil
}
