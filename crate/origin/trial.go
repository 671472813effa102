package origin

import (
	"context"
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// Tried lists what the chosen scripts stop for want of when they run alone, and reading them did not find.
func Tried(ctx context.Context, trial *facts.Reader, o *Opened, sel *delivery.Selection, found []Supply) ([]Supply, error) {
	var list []Supply
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		if !c.Page || f.Script == nil || f.Script.Form == script.Module || f.Build == record.Readable && f.Pair != "" && sel.Has(f.Pair) {
			continue
		}
		text, err := o.Tree.ReadFile(c.Path)
		if err != nil {
			return nil, err
		}
		for _, g := range trial.StopsFor(ctx, text) {
			if !slices.ContainsFunc(slices.Concat(found, list), func(s Supply) bool { return s.Global == g.Name || slices.Contains(s.Or, g.Name) }) {
				list = append(list, Supply{Global: g.Name, Strength: string(script.Hard), At: fmt.Sprintf("%s:%d:%d", c.Path, g.Line, g.Column)})
			}
		}
	}
	return list, nil
}

// Confirm makes sure of the needs that nothing supplies so far: a script that runs to its end without them can do without.
// For the others it looks whether the registry has what the library's makers took for granted.
func (r *Opener) Confirm(ctx context.Context, trial *facts.Reader, o *Opened, needs []Supply) ([]Supply, error) {
	var kept []Supply
	for _, n := range needs {
		if n.Library == "" && n.Package == "" {
			if n.Strength != string(script.Hard) {
				continue
			}
			text, err := o.Tree.ReadFile(n.File())
			if err != nil {
				return nil, err
			}
			if !trial.FailsWithout(ctx, text, n.Global) {
				continue
			}
			if o.Kind == Package {
				if err := r.Undeclared(ctx, o, &n); err != nil {
					return nil, err
				}
			}
		}
		kept = append(kept, n)
	}
	return kept, nil
}
