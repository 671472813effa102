package repin

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/texts"
	"merrycrate.example/merry/crate/upgrade"
)

func closeMoves(list []*repinning) {
	for _, r := range list {
		r.o.Close()
	}
}

// openMoves opens the versions that libraries are to go to. Of a library that is there already, nothing is selected.
// What was opened is returned with an error, too.
func openMoves(ctx context.Context, p *project.Project, req Request, out *Moved) ([]*repinning, error) {
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
		if req.Fits && m.Source == "" {
			if err := fitting(ctx, p, &m, out); err != nil {
				return list, err
			}
		}
		r, err := openMove(ctx, p, m, req, out)
		if err != nil {
			return list, err
		}
		list = append(list, r)
		out.Libraries = append(out.Libraries, MovedLibrary{r.lib.Name, r.lib.Version, r.o.Version})
		if r.sel == nil && !req.Newest {
			out.Notes = append(out.Notes, r.lib.Name+" is already at this version")
		}
	}
	return list, nil
}

// fitting names in a move the newest version that fits.
func fitting(ctx context.Context, p *project.Project, m *Move, out *Moved) error {
	lib := p.List.Library(m.Library)
	if lib == nil {
		return project.NotInCrate(p.List, m.Library)
	}
	pkg, ok := lib.Package()
	switch {
	case m.Wish != "":
		return problem.Misuse("merry repin "+lib.Name+" --fits", "--fits chooses the version of %s, and %s names one",
			lib.Name, m.Wish)
	case !ok:
		return problem.Misuse("leave --fits out", "--fits chooses among a registry's versions, and %s came from %s",
			lib.Name, lib.From)
	}
	version, note, err := upgrade.Fits(ctx, p, pkg, lib.Name)
	if err != nil {
		return err
	}
	if m.Wish = version; note != "" {
		out.Notes = append(out.Notes, note)
	}
	return nil
}

// openMove opens the version that a library is to go to.
func openMove(ctx context.Context, p *project.Project, m Move, req Request, out *Moved) (*repinning, error) {
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
	sel, notes := entries.Choose(o.Package, o.Version, *lib, sealed)
	out.Notes = append(out.Notes, notes...)
	if len(sel.Choices) == 0 {
		o.Close()
		return nil, problem.Refuse(problem.NothingThere, "merry peek "+texts.Word(from), "%s %s has none of the files "+
			"that were taken of %s", lib.Name, o.Version, lib.Version)
	}
	r.sel, r.next = sel, *lib
	r.next.Needs = slices.Clone(lib.Needs)
	r.next.Version, r.next.From = o.Version, o.For(string(p.Root))
	entries.Name(o.Package, sel, &r.next)
	return r, nil
}

// asAsked holds a source that was named against the library and the version that were asked for.
func asAsked(lib *record.Library, m Move, o *origin.Opened) error {
	called, _ := manifest.NameVersion(path.Base(lib.From))
	known := slices.ContainsFunc([]string{lib.Name, lib.NameOnCDNs(), called}, func(name string) bool {
		return manifest.NameKey(name) == manifest.NameKey(o.Name)
	})
	if !known && (o.Manifest.Name != "" || !entries.Names(o.Package, o.Version, *lib)) {
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

// heldBack refuses a version that a library's hold does not allow.
func heldBack(lib *record.Library, version string) error {
	if lib.Hold == nil || project.AllowedBy(lib.Hold)(version) {
		return nil
	}
	return problem.Refuse(problem.Held, "merry hold "+lib.Name+" --off  # if the reason no longer applies",
		"%s is held %s, and this is %s: %s", lib.Name, lib.Hold.Reason(), version,
		cmp.Or(lib.Hold.Because, "no reason was given"))
}

// knownRenames leaves out renamings of files that the new version does not have.
func knownRenames(d *packages.Package, sel *packages.Selection, rename map[string]string) map[string]string {
	out := map[string]string{}
	for old, new := range rename {
		if slices.ContainsFunc(sel.Choices, func(c packages.Choice) bool {
			return c.Path == old || path.Base(c.Path) == old
		}) {
			out[old] = new
		}
	}
	return out
}
