package libraries

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/standing"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/texts"
)

// TakeRequest asks for a library to be brought in.
type TakeRequest struct {
	Source    string
	More      []string // other sources, taken in the same change
	Integrity string   // what the source's own bytes must have
	Dir       string   // where the command was given, absolute
	Selecting
	Arranging
	As        string // the library's name in the crate
	Because   string
	Needs     []string
	WithNeeds bool         // take from the registry what it needs on a page, too
	Fits      bool         // the newest versions that fit the site's browsers, and the libraries that are there
	DevOnly   bool         // it is for the developer alone and must not ship
	Build     record.Build // what pages use
	Overwrite bool
	Pages     []string // include at once
	Fragments bool     // also on parts of pages
	// OnlyThisPage allows edits of the pages' own files alone, and of no part that other pages have, too.
	OnlyThisPage bool
}

// Selecting says which files of a source are taken. Where it says nothing, the suggested ones are.
type Selecting struct {
	Files []string    // patterns of files that are taken instead of the suggestion
	Parts []string    // options beside the suggestion, by name
	Keep  []string    // patterns of files that lie beside, without tags
	Form  script.Form // of the library's own script, where that is not left to what is there
	Whole bool        // all that the source has for a page
	Both  bool        // the build that pages do not use, too
	Maps  bool        // source maps, too

	imported string // the name by which a module of what was asked for imports it
}

// Arranging says where the files go. Where it says nothing, the site's habit decides.
type Arranging struct {
	Into    string            // one folder for all, from the site's
	Places  map[string]string // own places of files and folders, by their paths in the source
	Rename  map[string]string // file names, old to new
	Arrange record.Arrange
	Names   record.Names
}

// Taken is the result of take.
type Taken struct {
	reconcile.Result
	Library  string `json:"library"`            // the library's name in the crate
	Already  bool   `json:"already,omitempty"`  // it was in the crate already
	Version  string `json:"version"`            // exact version
	Licence  string `json:"licence,omitempty"`  // SPDX identifier
	Digest   string `json:"digest,omitempty"`   // integrity of the source's bytes
	Together bool   `json:"together,omitempty"` // its files are in one folder
	// files that had to stay together where the others went by their kinds
	InFolder     []string               `json:"in_folder,omitempty"`
	FolderReason string                 `json:"folder_reason,omitempty"` // why files stayed in one folder
	Choices      []TakenFile            `json:"choices"`                 // the library's files
	Pages        []reconcile.PageChange `json:"pages,omitempty"`         // the pages that changed
	Notes        []string               `json:"notes,omitempty"`         // what else to know
	Build        record.Build           `json:"build"`                   // the build that pages use
	// FirstSeen says that nothing was known of the source's bytes before.
	FirstSeen bool                       `json:"first_seen,omitempty"`
	Needs     []requirements.Requirement `json:"needs,omitempty"`     // what it needs on a page
	AlsoTook  []string                   `json:"also_took,omitempty"` // libraries that were taken along
	Others    []Taken                    `json:"others,omitempty"`    // of several sources, all but the first
	Missing   []reconcile.MissingNeed    `json:"missing,omitempty"`   // needs that the pages have not
}

// TakenFile is one file of the set, and where it went.
type TakenFile struct {
	Path   string `json:"path"`   // path in the package
	At     string `json:"at"`     // path in the project
	Size   int64  `json:"size"`   // bytes
	Reason string `json:"reason"` // why it was taken
	// State is "added", "there", or "moved" from Was.
	State string `json:"state"`
	Was   string `json:"was,omitempty"` // path before it moved
}

// The states of a file that was taken.
const (
	StateAdded = "added"
	StateThere = "there"
	StateMoved = "moved"
)

// A Take is one change that takes one or several libraries.
type Take struct {
	Plan  *reconcile.Plan
	Taken []string // in the order in which pages need them

	scripts map[string][]script.Need // what the tagged scripts of each taken library must find on a page
	defines map[string]string        // a global to the library that defines it, those that are being taken too
	there   *standing.Scripts        // what stands on the pages without a record; nil if no pages are named
}

// one takes one library from its opened source and, if requested, what it needs.
//
// It is longer than 80 lines because it is the one sequence of steps of a take.
func (t *Take) one(ctx context.Context, o *origin.Opened, req TakeRequest, depth int) (*Taken, error) {
	d := t.Plan
	lib := record.Library{Name: cmp.Or(req.As, strings.ToLower(o.Name)), Version: o.Version,
		From: o.For(string(d.Before.Root)), Build: req.Build, Because: req.Because, Needs: req.Needs}
	if err := record.ValidName(lib.Name); err != nil {
		return nil, err
	}
	old := d.List.Library(lib.Name)
	if old != nil {
		if old.Version != lib.Version {
			return nil, problem.Refuse(problem.LibraryThere, fmt.Sprintf("merry repin %s@%s --from %s  # moves it; "+
				"or, to have both: merry take %[3]s --as NAME", lib.Name, cmp.Or(o.Version, "VERSION"),
				texts.Word(req.Source)),
				"%s %s is already in the crate, and this is %s; one name can't stand for two versions", lib.Name,
				old.Version, cmp.Or(lib.Version, "of unknown version"))
		}
		lib = old.MergeRetake(lib)
	}
	if req.DevOnly {
		lib.Only = record.DevOnly
	}
	if err := knownNeeds(d.List, lib); err != nil {
		return nil, err
	}
	if lib.Build == record.NoBuild {
		lib.Build = record.Minified
	}
	known := d.Seal.Libraries[lib.Name]
	places := PlacesOf(d.Before, lib.Name)
	imports := t.there.ImportedOf(o.Manifest.Name)
	if _, ok := o.InForm(script.Module); ok && len(imports) > 0 && known == nil && !req.named() {
		req.Form = script.Module // a module of the site imports it
	}
	there := t.page().Defined
	sel, err := req.choose(o, &lib, known, func(global string) bool { return there[global] != "" })
	if err != nil {
		return nil, err
	}
	for _, specifier := range imports {
		if more, err := asModule(o, specifier); err == nil {
			for _, c := range more.Choices {
				sel.Add(c)
			}
		}
	}
	lib.Maps = lib.Maps || req.Maps
	req.arrange(&lib)
	before := len(t.Taken)
	needs, err := t.Plan.Before.Requirements.Needs(ctx, o, sel, req.WithNeeds, t.page())
	if err == nil && known == nil && !req.named() {
		sel, needs, err = t.Plan.Before.Requirements.ByExample(ctx, o, sel, needs, req.WithNeeds, t.page(),
			func(option packages.Option) *packages.Selection {
				other := o.InBuild(o.SuggestWith([]packages.Option{option}), lib.Build)
				o.AddBuilds(other, req.Both, req.Maps)
				return other
			})
	}
	if err != nil {
		return nil, err
	}
	if needs, err = t.needs(ctx, o, sel, needs, &lib, req, depth); err != nil {
		return nil, err
	}
	entries.Name(o.Package, sel, &lib)
	l, err := Of(o, lib, sel)
	if err != nil {
		return nil, err
	}
	if req.Overwrite {
		l.Policy = reconcile.Overwrite
	}
	if !req.rearranges() {
		l.At = places
	}
	place, err := l.Plan(ctx, d)
	if err != nil {
		return nil, err
	}
	sealed := d.Seal.Libraries[lib.Name]
	sealed.Unmet = requirements.Unmet(needs)
	if cdn := learnFrom(d.List, o, &lib, sealed); cdn != "" {
		sel.Notes = append(sel.Notes, "the packing list has a new CDN, "+cdn+": "+string(d.List.CDNs[cdn]))
	}
	t.note(o, sel, lib.Name)
	if !d.Dry() {
		if err := d.Before.Origin.Store(ctx, o, d.Seal.Libraries[lib.Name]); err != nil {
			return nil, err
		}
	}
	out := &Taken{Library: lib.Name, Already: known != nil, Version: lib.Version, Licence: o.Licence, Digest: l.Digest,
		Together: place.Together,
		InFolder: place.Kept, FolderReason: place.Why, Notes: slices.Concat(o.Notes, sel.Notes, o.Contacts(sel)),
		Build:     lib.Build,
		FirstSeen: o.FirstSeen && (known == nil || known.Digest != l.Digest), Needs: needs, AlsoTook: t.along(before,
			lib.Name)}
	for _, c := range sel.Choices {
		f := TakenFile{Path: c.Path, At: place.At[c.Path].In(d.Before.Site()).String(), Size: o.File(c.Path).Size,
			Reason: c.Reason, State: StateAdded}
		switch was, before := places[c.Path]; {
		case before && was == place.At[c.Path]:
			f.State = StateThere
		case before:
			f.State, f.Was = StateMoved, was.In(d.Before.Site()).String()
		}
		out.Choices = append(out.Choices, f)
	}
	return out, nil
}

// choose selects the files: those that are asked for, beside those that are there. Has tells which globals the crate
// and the pages have.
func (req *Selecting) choose(o *origin.Opened, lib *record.Library, known *record.Sealed,
	has func(global string) bool) (*packages.Selection, error) {
	lib.Whole = lib.Whole || req.Whole
	asked := req.named()
	if known == nil && lib.Take != nil && !asked {
		sel, notes := entries.Choose(o.Package, o.Version, *lib, nil) // it is in the list, and was not taken yet
		sel.Notes = append(sel.Notes, notes...)
		return sel, nil
	}
	there := &packages.Selection{}
	if known != nil {
		there = Sealed(o.Package, known)
		if !asked {
			there = o.TurnTo(there, lib.Build)
			o.AddBuilds(there, req.Both, req.Maps || lib.Maps)
			return there, nil
		}
	}
	var sel *packages.Selection
	var err error
	switch {
	case req.imported != "":
		sel, err = asModule(o, req.imported)
	case req.Whole:
		sel = entries.Whole(o.Package, nil, req.Files)
	default:
		// Where nothing is there yet, what is kept is beside what is suggested.
		wanted := req.Files
		if len(req.Files) > 0 || known != nil && len(req.Parts) == 0 && req.Form == "" {
			wanted = slices.Concat(req.Files, req.Keep)
		}
		form, ferr := req.inForm(o)
		if ferr != nil {
			return nil, ferr
		}
		if option, ok := o.WithoutBase(has); ok && !asked {
			form = append(form, option)
		}
		sel, err = origin.Select(o, wanted, req.Parts, form...)
		switch {
		case err != nil:
			return nil, err
		case len(wanted) > 0:
			entries.Roles(o.Package, sel, req.Files)
		default:
			sel = o.InBuild(sel, lib.Build)
		}
		o.AddBuilds(sel, req.Both, req.Maps)
		if !asked {
			for _, d := range o.Decisions() {
				if doubt := d.Doubt(); doubt != "" {
					sel.Notes = append(sel.Notes, doubt+"; --files "+texts.Word(d.RunnerUp)+" takes that")
				}
			}
		}
		if len(wanted) == 0 && len(req.Keep) > 0 {
			beside, err := origin.Select(o, req.Keep, nil)
			if err != nil {
				return nil, err
			}
			for _, c := range beside.Choices {
				c.Page = false
				sel.Add(c)
			}
		}
	}
	if err != nil {
		return nil, err
	}
	entries.Keep(sel, req.Keep, req.Files)
	if known != nil {
		sel = unite(o.Package, there, sel, req)
	}
	slices.SortFunc(sel.Choices, func(a, b packages.Choice) int { return strings.Compare(a.Path, b.Path) })
	return sel, nil
}

// named reports whether files are asked for, and not what is suggested.
func (req *Selecting) named() bool {
	return len(req.Files)+len(req.Parts)+len(req.Keep) > 0 || req.Whole || req.Form != "" || req.imported != ""
}

// inForm is the library's script in the form requested.
func (req *Selecting) inForm(o *origin.Opened) ([]packages.Option, error) {
	if req.Form == "" {
		return nil, nil
	}
	option, ok := o.InForm(req.Form)
	if !ok {
		what := "script for a plain tag"
		if req.Form == script.Module {
			what = "module that a page could import"
		}
		return nil, problem.Refuse(problem.NothingThere, "merry peek "+texts.Word(cmp.Or(o.Spec, o.Tree.Name)),
			"%s has no %s", o.Tree.Name, what)
	}
	return []packages.Option{option}, nil
}

// unite adds what is requested to what is there. Of a part only what it brings is added, and a variant stands in for
// what it is a variant of. What is there keeps its role unless it is named by its own path.
func unite(d *packages.Package, there, sel *packages.Selection, req *Selecting) *packages.Selection {
	if len(req.Parts) > 0 && len(req.Files) == 0 && !req.Whole {
		usual := d.Suggest()
		there = there.Without(func(name string) bool { return usual.Tagged(name) && !sel.Has(name) })
		sel = sel.Without(usual.Has)
	}
	out := there.Without(func(string) bool { return false })
	out.Last = sel.Last
	for _, c := range sel.Choices {
		named := slices.Contains(req.Files, c.Path) || len(req.Parts) > 0
		c.Page = c.Page && (named || !there.Has(c.Path))
		out.Add(c)
	}
	entries.Keep(out, req.Keep, req.Files)
	return out
}

// rearranges reports whether files that are there are to be placed again.
func (req *TakeRequest) rearranges() bool {
	return req.Arrange != "" || req.Into != "" || req.Whole || req.Names != "" || req.Rename != nil
}

// arrange writes into an entry how its files are to lie.
func (req *TakeRequest) arrange(lib *record.Library) {
	if req.Arrange != "" {
		lib.Arrange, lib.Into = req.Arrange, ""
	}
	if req.Into != "" {
		lib.Into, lib.Arrange = path.Clean(req.Into), ""
	}
	if req.Whole && lib.Into == "" {
		lib.Arrange = record.Together
	}
	if req.Names != "" {
		lib.Names = req.Names
	}
	if req.Rename != nil {
		lib.Rename = maps.Clone(lib.Rename)
		if lib.Rename == nil {
			lib.Rename = map[string]string{}
		}
		maps.Copy(lib.Rename, req.Rename)
	}
	if req.Places != nil {
		lib.Places = maps.Clone(lib.Places)
		if lib.Places == nil {
			lib.Places = map[string]string{}
		}
		maps.Copy(lib.Places, req.Places)
	}
}

// along are the libraries that came along since a place in the list, but for the one that they came with.
func (t *Take) along(since int, name string) []string {
	return slices.DeleteFunc(slices.Clone(t.Taken[since:]), func(n string) bool { return n == name })
}

// note remembers who defines what.
func (t *Take) note(o *origin.Opened, sel *packages.Selection, name string) {
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil {
			for _, g := range slices.Concat(f.Script.Defines, f.Script.Parts) {
				t.globals()[g.Name] = name
			}
			if t.scripts == nil {
				t.scripts = map[string][]script.Need{}
			}
			t.scripts[name] = append(t.scripts[name], f.Script.Hard()...)
		}
	}
	if !slices.Contains(t.Taken, name) {
		t.Taken = append(t.Taken, name)
	}
}

// Together records the needs that libraries of one change meet among themselves, in whichever sequence they were named,
// and puts what is needed before what needs it.
func (t *Take) Together() {
	for _, name := range t.Taken {
		lib := t.Plan.List.Library(name)
		own := map[string]bool{}
		for g, by := range t.globals() {
			own[g] = by == name
		}
		for _, n := range t.scripts[name] {
			for _, g := range append([]string{n.Name}, n.Or...) {
				by := t.globals()[g]
				if own[g] || by == "" || by == name || slices.Contains(lib.Needs, by) || t.needed(by, name) {
					continue
				}
				if n.Or == nil || !slices.ContainsFunc(n.Or, func(o string) bool { return t.globals()[o] == name }) {
					lib.Needs = append(lib.Needs, by)
				}
			}
		}
	}
	t.arrived()
	t.Taken = t.Plan.List.NeedsFirst(t.Taken)
}

// arrived records the needs of libraries that were in the crate before and that this change meets: what is recorded
// does not depend on which came first. It goes by what the seal says of their scripts.
func (t *Take) arrived() {
	for i := range t.Plan.List.Libraries {
		lib := &t.Plan.List.Libraries[i]
		sealed := t.Plan.Seal.Libraries[lib.Name]
		if sealed == nil || slices.Contains(t.Taken, lib.Name) {
			continue
		}
		for _, f := range sealed.Files {
			if f.Facts == nil || f.Role != record.Tagged {
				continue
			}
			for _, need := range f.Facts.Needs {
				if by := t.meets(strings.Split(need, "|"), lib); by != "" {
					lib.Needs = append(lib.Needs, by)
				}
			}
		}
	}
}

// meets returns the taken library that meets a need of one that was there, "" if something else does already.
func (t *Take) meets(globals []string, lib *record.Library) string {
	found := ""
	for _, g := range globals {
		by := t.globals()[g]
		switch {
		case by == "":
		case by == lib.Name, slices.Contains(lib.Needs, by):
			return ""
		case found == "" && slices.Contains(t.Taken, by) && !t.needed(by, lib.Name):
			found = by
		}
	}
	return found
}

// needed reports whether a library needs another one, over others too: two can't need each other.
func (t *Take) needed(library, other string) bool {
	seen := map[string]bool{}
	var visit func(name string) bool
	visit = func(name string) bool {
		lib := t.Plan.List.Library(name)
		if lib == nil || seen[name] {
			return false
		}
		seen[name] = true
		return slices.ContainsFunc(lib.Needs, func(n string) bool { return n == other || visit(n) })
	}
	return visit(library)
}

// globals tells who defines what, with what is being taken.
func (t *Take) globals() map[string]string {
	if t.defines == nil {
		t.defines = map[string]string{}
		for g, lib := range t.Plan.Before.Globals() {
			t.defines[g] = lib
		}
	}
	return t.defines
}
