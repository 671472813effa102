package upgrade

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/style"

	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/texts"
)

// A RepinRequest asks for libraries to be moved to other versions, in one change.
type RepinRequest struct {
	Moves []Move
	Dir   string // where sources are looked for
	// all libraries of the crate that came from a registry, to the newest that their holds allow
	Newest  bool
	Renames map[string]string // classes on pages, old to new; parts of pictures, each with # before
	// RenameSure applies the renames that comparing the two versions is sure of.
	RenameSure bool
	// PagesOnly leaves own stylesheets and scripts as they are where classes are renamed.
	PagesOnly bool
}

// Move is one library and where it is to go.
type Move struct {
	Library string
	Wish    string // a version, a range or a tag; "" for the newest
	Source  string // where the other version is, if not where the library came from
}

// Repinned is the result of repin.
type Repinned struct {
	reconcile.Result
	Libraries []RepinnedLibrary      `json:"libraries"`         // the libraries that moved
	Pages     []reconcile.PageChange `json:"pages,omitempty"`   // Removed and Added: the references before and after
	Renames   []DoneRename           `json:"renames,omitempty"` // the renames that were applied
	Notes     []string               `json:"notes,omitempty"`   // what else to know
}

// RepinnedLibrary is one library that was moved, or was where it should be.
type RepinnedLibrary struct {
	Library string `json:"library"` // the library's name in the crate
	Old     string `json:"old"`     // the old version
	New     string `json:"new"`     // the new version
}

// DoneRename is a class that was renamed on pages and in own files.
type DoneRename struct {
	Kind   string   `json:"kind"`            // class, attribute, custom property, or symbol for a part of a picture
	Old    string   `json:"old"`             // the old name
	New    string   `json:"new"`             // two names with a blank between them where it became two
	Places int      `json:"places"`          // number of places
	Files  []string `json:"files,omitempty"` // own stylesheets and scripts that follow
}

// repinning is one library on its way.
type repinning struct {
	lib  *record.Library // as it is
	o    *origin.Opened
	sel  *packages.Selection
	next record.Library
}

// Prefetch opens the versions of a request before the project is locked, so that a slow server blocks nobody.
func Prefetch(ctx context.Context, p *project.Project, req RepinRequest) error {
	list, err := openMoves(ctx, p, req, &Repinned{})
	closeMoves(list)
	return err
}

// Repin plans moving libraries to other versions: their files, the versions in their names, the references on all
// pages, and both records. Needs are checked against the new versions first. It reports whether there is anything to
// apply; Done says afterwards what became of the classes that were renamed.
func Repin(ctx context.Context, d *reconcile.Plan, req RepinRequest) (out *Repinned, done func(), err error) {
	out = &Repinned{}
	list, err := openMoves(ctx, d.Before, req, out)
	defer func() { closeMoves(list) }()
	if err != nil {
		return nil, nil, err
	}
	moving := slices.DeleteFunc(slices.Clone(list), func(r *repinning) bool { return r.sel == nil })
	if len(moving) == 0 {
		return out, nil, nil
	}
	for err := needsKept(ctx, d.Before, moving); err != nil; err = needsKept(ctx, d.Before, moving) {
		if !req.Newest || problem.Of(err).Code != problem.NeedUnmet {
			return nil, nil, err
		}
		if moving = leave(ctx, d.Before, moving, err, out); len(moving) == 0 {
			return out, nil, nil
		}
	}
	renames := maps.Clone(req.Renames)
	if renames == nil {
		renames = map[string]string{}
	}
	parts, others := map[string]string{}, map[string]string{}
	for old, new := range renames {
		if strings.HasPrefix(old, "--") || strings.HasPrefix(old, "[") {
			others[strings.Trim(old, "[]")] = strings.Trim(new, "[]")
			delete(renames, old)
		}
		if strings.HasPrefix(old, "#") {
			parts[old] = strings.TrimPrefix(new, "#")
			delete(renames, old)
		}
	}
	if req.RenameSure {
		if err := sureRenames(ctx, d.Before, moving, req, renames, parts, others, out); err != nil {
			return nil, nil, err
		}
	}
	title := "repin"
	concerned := map[string]bool{}
	for _, r := range moving {
		title += fmt.Sprintf(" %s %s to %s", r.lib.Name, r.lib.Version, r.o.Version)
		concerned[r.lib.Name] = true
		if err := placeMove(ctx, d, r); err != nil {
			return nil, nil, err
		}
	}
	d.Title(title)
	r := newRenaming(d.Before, renames, parts, others)
	if err := r.on(ctx, d, concerned, req.PagesOnly); err != nil {
		return nil, nil, err
	}
	return out, func() {
		out.Renames = r.done()
		for _, k := range d.LeftBehind {
			out.Notes = append(out.Notes, strings.Replace(k, ": ", " stays: ", 1))
		}
	}, nil
}

// leave takes one library out of those that move, for the sake of what others need, and says why: one without which
// nothing is wrong any more, else the last.
func leave(ctx context.Context, p *project.Project, moving []*repinning, why error, out *Repinned) []*repinning {
	at := len(moving) - 1
	for i := range moving {
		if needsKept(ctx, p, slices.Delete(slices.Clone(moving), i, i+1)) == nil {
			at = i
			break
		}
	}
	left := moving[at]
	out.Notes = append(out.Notes, fmt.Sprintf("%s stays at %s: %s", left.lib.Name, left.lib.Version, why))
	for i := range out.Libraries {
		if out.Libraries[i].Library == left.lib.Name {
			out.Libraries[i].New = left.lib.Version
		}
	}
	return slices.Delete(slices.Clone(moving), at, at+1)
}

func closeMoves(list []*repinning) {
	for _, r := range list {
		r.o.Close()
	}
}

// openMoves opens the versions that libraries are to go to. Of a library that is there already, nothing is selected.
// What was opened is returned with an error, too.
func openMoves(ctx context.Context, p *project.Project, req RepinRequest, out *Repinned) ([]*repinning, error) {
	moves := slices.Clone(req.Moves)
	if req.Newest {
		for _, lib := range p.List.Libraries {
			switch _, ok := lib.Package(); {
			case p.Seal.Libraries[lib.Name] == nil:
			case ok:
				moves = append(moves, Move{Library: lib.Name})
				if lib.Hold != nil {
					out.Notes = append(out.Notes, fmt.Sprintf("%s is held %s: %s", lib.Name, lib.Hold.Reason(),
						cmp.Or(lib.Hold.Because, "no reason was given")))
				}
			default:
				out.Notes = append(out.Notes, fmt.Sprintf("%s stays at %s: it came from %s, which has no "+
					"other versions", lib.Name, cmp.Or(lib.Version, "no version"), lib.From))
			}
		}
	}
	var list []*repinning
	for _, m := range moves {
		r, err := openMove(ctx, p, m, req, out)
		if err != nil {
			return list, err
		}
		list = append(list, r)
		out.Libraries = append(out.Libraries, RepinnedLibrary{r.lib.Name, r.lib.Version, r.o.Version})
		if r.sel == nil && !req.Newest {
			out.Notes = append(out.Notes, r.lib.Name+" is already at this version")
		}
	}
	return list, nil
}

// openMove opens the version that a library is to go to.
func openMove(ctx context.Context, p *project.Project, m Move, req RepinRequest, out *Repinned) (*repinning, error) {
	lib, sealed, err := p.Sealed(m.Library)
	if err != nil {
		return nil, err
	}
	if source.IsVersion(m.Wish) {
		if err := heldBack(lib, m.Wish); err != nil {
			return nil, err
		}
	}
	from := m.Source
	if from == "" {
		pkg, ok := lib.Package()
		if !ok && m.Wish != "" && obtain.RegistryHas(ctx, p, lib, sealed) {
			pkg, ok = lib.Name, true
			out.Notes = append(out.Notes, fmt.Sprintf("%s came from %s; the registry has the same bytes under that "+
				"name, so the new version is from there", lib.Name, lib.From))
		}
		if !ok {
			return nil, problem.Misuse(fmt.Sprintf("name an archive or a folder with it, such as: merry repin %s "+
				"--from ../downloads/%s-2.0.0.zip", lib.Name, lib.Name), "%s came from %s, so merry needs the source "+
				"of the other version", lib.Name, lib.From)
		}
		from = record.FromRegistry + pkg
		wish := m.Wish
		if wish == "" && (req.Newest || lib.Hold != nil) {
			wish = "*" // the newest that the hold allows, rather than the one that is tagged
		}
		if wish != "" {
			from += "@" + wish
		}
	}
	o, err := p.Origin.Open(ctx, origin.Request{Name: from, Dir: req.Dir, Allowed: project.AllowedBy(lib.Hold)})
	if err != nil {
		return nil, err
	}
	r := &repinning{lib: lib, o: o}
	if err := heldBack(lib, o.Version); err != nil {
		o.Close()
		return nil, err
	}
	if m.Source != "" {
		if err := asAsked(lib, m, o); err != nil {
			o.Close()
			return nil, err
		}
	}
	out.Notes = append(out.Notes, o.Notes...)
	if o.Version == lib.Version {
		return r, nil
	}
	sel, notes := libraries.Choose(o.Package, o.Version, *lib)
	out.Notes = append(out.Notes, notes...)
	if len(sel.Choices) == 0 {
		o.Close()
		return nil, problem.Refuse(problem.NothingThere, "merry peek "+texts.Word(from), "%s %s has none of the files "+
			"that were taken of %s", lib.Name, o.Version, lib.Version)
	}
	r.sel, r.next = sel, *lib
	r.next.Needs = slices.Clone(lib.Needs)
	r.next.Version, r.next.From = o.Version, o.For(string(p.Root))
	libraries.Name(o.Package, sel, &r.next)
	return r, nil
}

// asAsked holds a source that was named against the library and the version that were asked for.
func asAsked(lib *record.Library, m Move, o *origin.Opened) error {
	called, _ := manifest.NameVersion(path.Base(lib.From))
	known := slices.ContainsFunc([]string{lib.Name, lib.NameOnCDNs(), called}, func(name string) bool {
		return manifest.NameKey(name) == manifest.NameKey(o.Name)
	})
	if !known && (o.Manifest.Name != "" || !libraries.Names(o.Package, o.Version, *lib)) {
		return problem.Refuse(problem.NotTheBytes, "merry peek "+texts.Word(m.Source)+"; merry take "+
			texts.Word(m.Source), "%s is %s %s, not %s", m.Source, o.Name, o.Version, lib.Name)
	}
	if m.Wish == "" || m.Wish == o.Version {
		return nil
	}
	if allowed, err := source.ParseRange(m.Wish); err == nil && !source.IsVersion(m.Wish) && allowed.Has(o.Version) {
		return nil
	}
	return problem.Refuse(problem.NotTheBytes, fmt.Sprintf("merry repin %s@%s --from %s  # if you mean that one",
		lib.Name, cmp.Or(o.Version, "VERSION"), texts.Word(m.Source)), "%s has version %s, but you asked for %s",
		m.Source, cmp.Or(o.Version, "unknown"), m.Wish)
}

// placeMove plans a library's new version. It stays where it is: its entry says where that is, if it is not the usual
// place.
func placeMove(ctx context.Context, d *reconcile.Plan, r *repinning) error {
	old := d.Seal.Libraries[r.lib.Name]
	next := r.next
	next.Rename = knownRenames(r.o.Package, r.sel, r.lib.Rename)
	next.Places = libraries.Follow(r.o.Package, r.sel, r.lib, r.o.Version)
	l, err := libraries.Of(r.o, next, r.sel)
	if err != nil {
		return err
	}
	l.Linked = old.Linked
	old.Version = r.o.Version // so that its older files may be written over
	if _, err := l.Plan(ctx, d); err != nil {
		return err
	}
	entry := d.List.Library(r.lib.Name)
	entry.Rename = r.lib.Rename
	if d.Dry() {
		return nil
	}
	return d.Before.Origin.Store(ctx, r.o, d.Seal.Libraries[r.lib.Name])
}

// sureRenames adds the renames that comparing old and new is sure of, and notes those that are only likely.
func sureRenames(ctx context.Context, p *project.Project, list []*repinning, req RepinRequest, renames, parts,
	others map[string]string, out *Repinned) error {
	for _, r := range list {
		from := ""
		for _, m := range req.Moves {
			if m.Library == r.lib.Name {
				from = cmp.Or(m.Source, r.o.Version)
			}
		}
		got, err := Compare(ctx, p, Request{Library: r.lib.Name, New: cmp.Or(from, r.o.Version), Dir: req.Dir})
		if err != nil {
			return err
		}
		for _, l := range got.Removed {
			switch {
			case len(l.Uses) == 0:
			case l.Kind == "export" || l.Kind == "module":
				note := fmt.Sprintf("%s was removed, and is imported in %s", l.title(), abbreviated(l.Uses))
				if l.Rename != nil {
					likely := "probably renamed"
					if l.Rename.Sure {
						likely = "renamed"
					}
					note += fmt.Sprintf("; %s to %s", likely, l.Rename.New)
				}
				out.Notes = append(out.Notes, note)
			case l.Kind == Symbol && parts["#"+l.Name] != "":
			case l.Kind == Symbol && l.Rename != nil && l.Rename.Sure:
				parts[l.Of+"#"+l.Name] = l.Rename.New
			case l.Kind == Symbol && l.Rename != nil:
				out.Notes = append(out.Notes, fmt.Sprintf("%s was probably renamed to %s; if so: --rename '#%s=#%s'",
					l.title(), l.Rename.New, l.Name, l.Rename.New))
			case l.Kind == Symbol:
				out.Notes = append(out.Notes, fmt.Sprintf("%s was removed, and is shown in %s", l.title(),
					abbreviated(l.Uses)))
			case (l.Kind == string(style.Attribute) || l.Kind == string(style.Property)) && others[l.Name] != "":
			case (l.Kind == string(style.Attribute) || l.Kind == string(style.Property)) && l.Rename != nil &&
				l.Rename.Sure:
				others[l.Name] = l.Rename.New
			case l.Kind == string(style.Attribute) || l.Kind == string(style.Property):
				out.Notes = append(out.Notes, lostNote(&l))
			case l.Kind != "class":
			case l.Rename != nil && l.Rename.Sure:
				if _, said := renames[l.Name]; !said {
					renames[l.Name] = strings.Join(append([]string{l.Rename.New}, l.Rename.And...), " ")
				}
			case l.Rename != nil:
				out.Notes = append(out.Notes, fmt.Sprintf("the class %s was probably renamed to %s; if so: "+
					"--rename %s=%s", l.Name, l.Rename.New, l.Name, l.Rename.New))
			default:
				out.Notes = append(out.Notes, fmt.Sprintf("%s was removed, and is used in %s", l.title(),
					abbreviated(l.Uses)))
			}
		}
	}
	return nil
}

// abbreviated are the first few places of uses.
func abbreviated(uses []Occurrence) string {
	var places []string
	for _, u := range uses {
		places = append(places, u.At)
	}
	return project.Abbreviate(places, 3)
}

// heldBack refuses a version that a library's hold does not allow.
func heldBack(lib *record.Library, version string) error {
	if lib.Hold == nil || project.AllowedBy(lib.Hold)(version) {
		return nil
	}
	return problem.Refuse(problem.Held, "merry hold "+lib.Name+" --off  # if the reason no longer applies",
		"%s is held %s, and this is %s: %s", lib.Name, lib.Hold.Reason(), version,
		cmp.Or(lib.Hold.Because, "no reason was given"))
}

// lostNote says of an attribute or a custom property that it is gone, where it is used, and what it probably is called
// now.
func lostNote(l *RemovedName) string {
	note := fmt.Sprintf("%s was removed, and is used in %s", l.title(), abbreviated(l.Uses))
	if l.Rename == nil {
		return note
	}
	old, new := l.Name, l.Rename.New
	if l.Kind == string(style.Attribute) {
		old, new = "["+old+"]", "["+new+"]"
	}
	return fmt.Sprintf("%s; it was probably renamed to %s; if so: --rename '%s=%s'", note, l.Rename.New, old, new)
}
