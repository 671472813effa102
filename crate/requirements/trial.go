package requirements

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/origin"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// Tried lists what the chosen scripts stop for want of when they run alone, and reading them did not find. Where one
// stops with an error of its own, what it asked for before is a guess, which counts if a library is there for it.
func (r *Resolver) Tried(ctx context.Context, o *origin.Opened, sel *packages.Selection,
	found []Requirement) ([]Requirement, error) {
	var list []Requirement
	own := ownGlobals(o, sel)
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		if !c.Page || f.Script == nil || f.Script.Form == script.Module || f.Build == record.Readable &&
			f.OtherBuild != "" && sel.Has(f.OtherBuild) {
			continue
		}
		text, err := o.Tree.ReadFile(c.Path)
		if err != nil {
			return nil, err
		}
		stops, sure := r.Facts.StopsFor(ctx, text)
		for _, g := range stops {
			if own[g.Name] || !sure && !slices.ContainsFunc(f.Script.Needs, func(n script.Need) bool {
				return n.Name == g.Name
			}) {
				continue
			}
			if !slices.ContainsFunc(slices.Concat(found, list), func(s Requirement) bool {
				return s.Global == g.Name || slices.Contains(s.Or, g.Name)
			}) {
				list = append(list, Requirement{Global: g.Name, Strength: string(script.Hard),
					At: fmt.Sprintf("%s:%d:%d", c.Path, g.Line, g.Column), guess: !sure})
			}
		}
	}
	return list, nil
}

// Confirm verifies the needs that nothing supplies so far: a script that runs to its end without them can do without.
// For the others it looks whether the registry has what the library's makers took for granted.
func (r *Resolver) Confirm(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	var kept []Requirement
	for _, n := range needs {
		if n.Library == "" && (n.Package == "" || n.Part != "") {
			if n.Package == "" && o.InRegistry() && meantBy(o, sel, n) {
				if err := r.Undeclared(ctx, o, &n); err != nil {
					return nil, err
				}
				if n.Package != "" {
					n.Strength = string(script.Later)
					kept = append(kept, n)
					continue
				}
			}
			if n.Strength != string(script.Hard) {
				if n.Strength == string(script.Later) && !n.tested && o.InRegistry() && n.Package == "" &&
					!made(o, sel, n.Global) {
					// It is not asked whether that is there, so somebody must see to it.
					if err := r.Undeclared(ctx, o, &n); err != nil {
						return nil, err
					}
				}
				if n.Package != "" {
					n.unproved = !slices.Contains(o.SpokenGlobals, n.Global)
					kept = append(kept, n)
				}
				continue
			}
			text, err := o.Tree.ReadFile(n.File())
			if err != nil {
				return nil, err
			}
			if !r.Facts.FailsWithout(ctx, text, n.Global) {
				continue
			}
			if o.InRegistry() && n.Package == "" {
				if err := r.Undeclared(ctx, o, &n); err != nil {
					return nil, err
				}
			}
			if n.Package == "" && !n.guess {
				if n.Own, err = r.ownFile(o, append([]string{n.Global}, n.Or...)); err != nil {
					return nil, err
				}
			}
		}
		kept = append(kept, n)
	}
	return r.guessedRight(ctx, o, sel, kept, page)
}

// fewHanded is how many globals a script may be handed whose makers wrote them down: a bundler that lists what it left
// out lists dozens, under names of its own.
const fewHanded = 4

// meantBy reports whether a library is for what has a global, though its scripts run to their end without: its name
// begins with that, and says more, or it is handed that and uses its members.
func meantBy(o *origin.Opened, sel *packages.Selection, n Requirement) bool {
	keys := []string{manifest.NameKey(n.Global)}
	for _, g := range n.Or {
		keys = append(keys, manifest.NameKey(g))
	}
	own := manifest.NameKey(o.Name)
	if n.Strength == string(script.Hard) && !n.guess && len(o.File(n.File()).Script.Hard()) <= fewHanded &&
		len(usesOf(onPage(o, sel), append([]string{n.Global}, n.Or...))) > 0 {
		return true
	}
	return slices.ContainsFunc(keys, func(key string) bool {
		return len(key) > 2 && len(own) > len(key) && strings.HasPrefix(own, key) && manifest.Begins(o.Name, key) &&
			!strings.HasPrefix(o.Name, "@")
	})
}

// made reports whether chosen scripts make a global themselves, in a way that reading does not find.
func made(o *origin.Opened, sel *packages.Selection, global string) bool {
	left, err := withoutMade(o, sel, []Requirement{{Global: global, Strength: string(script.Later)}})
	return err != nil || len(left) == 0
}

// guessedRight keeps of the guesses among needs those that count: with all of them together the scripts run to their
// end, and without one of these they do not.
func (r *Resolver) guessedRight(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	sure := slices.DeleteFunc(slices.Clone(needs), func(n Requirement) bool { return n.guess })
	all := slices.DeleteFunc(slices.Clone(needs), func(n Requirement) bool {
		return n.guess && n.Library == "" && n.Package == ""
	})
	if len(all) == len(sure) {
		return sure, nil
	}
	runs := func(list []Requirement) (bool, error) {
		runs, known, err := r.run(ctx, o, sel, list, page)
		return runs && known, err
	}
	if ok, err := runs(all); err != nil || !ok {
		return slices.DeleteFunc(all, func(n Requirement) bool { return n.guess && n.Library == "" }), err
	}
	return fewest(all, func(i int) bool { return all[i].guess && all[i].Library == "" }, runs)
}

// fewest leaves out of needs those that may be left out and without which the scripts run as well, beginning with the
// last.
func fewest(all []Requirement, may func(i int) bool, runs func([]Requirement) (bool, error)) ([]Requirement, error) {
	kept := all
	for i := len(all) - 1; i >= 0; i-- {
		if !may(i) {
			continue
		}
		less := slices.Delete(slices.Clone(kept), i, i+1)
		ok, err := runs(less)
		if err != nil {
			return nil, err
		}
		if ok {
			kept = less
		}
	}
	return kept, nil
}

// maxCopies is how many scripts of other packages' folders are read for what they may have, in files and bytes each.
const (
	maxCopies = 60
	maxCopy   = 1 << 20
)

// ownFile finds a script of the package itself that has one of the globals or members; copies of other libraries count,
// since their makers ship them for that.
func (r *Resolver) ownFile(o *origin.Opened, globals []string) (string, error) {
	copies, err := r.copies.Get(o, func() (map[string]*script.Report, error) { return r.readCopies(o) })
	if err != nil {
		return "", err
	}
	for _, g := range globals {
		if f := o.Definer(g, copies); f != nil {
			return f.Path, nil
		}
	}
	return "", nil
}

// readCopies reads the copies of other libraries. What it learns stays out of the package, which others may be reading.
func (r *Resolver) readCopies(o *origin.Opened) (map[string]*script.Report, error) {
	copies := map[string]*script.Report{}
	for i := range o.Files {
		f := &o.Files[i]
		if f.Kind != packages.Script || !f.Copy() || f.Size > maxCopy || len(copies) == maxCopies {
			continue
		}
		b, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return nil, err
		}
		copies[f.Path] = r.Scripts.Script(b)
	}
	return copies, nil
}
