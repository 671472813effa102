package libraries

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/script"
)

// needs finds out what the chosen scripts need on a page and who supplies it. What the crate has is
// recorded as a need; what a package would supply is taken first, if requested.
func (t *Take) needs(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []requirements.Requirement,
	lib *record.Library, req TakeRequest, depth int) ([]requirements.Requirement, error) {
	for i := range needs {
		if at, is := strings.CutPrefix(needs[i].Library, requirements.OnPages); is {
			needs[i].Library, needs[i].There = "", at
		}
	}
	for _, n := range requirements.ImportsOf(o, sel) {
		if err := t.imported(ctx, &n, req, depth); err != nil {
			return nil, err
		}
		needs = append(needs, n)
	}
	for i := range needs {
		if needs[i].Import != "" {
			continue
		}
		if err := t.meet(ctx, &needs[i], lib, req, depth); err != nil {
			return nil, err
		}
	}
	return slices.DeleteFunc(needs, func(n requirements.Requirement) bool {
		return n.Library == "" && n.Package == "" && n.There == "" && n.Strength != string(script.Hard)
	}), nil
}

// meet takes what supplies a need, if requested, and records what the crate has.
func (t *Take) meet(ctx context.Context, n *requirements.Requirement, lib *record.Library, req TakeRequest,
	depth int) error {
	optional := n.Strength == string(script.Optional)
	if n.Library == "" && n.Package != "" && req.WithNeeds && depth < requirements.MaxDepth {
		optional = false // it is taken for this library
		name := strings.ToLower(n.Package)
		if t.Plan.List.Library(name) == nil {
			dep, err := t.Plan.Before.Origin.OpenPackage(ctx, n.Package, n.Range, nil)
			if err != nil {
				return err
			}
			asked := TakeRequest{Source: record.FromRegistry + n.Package, Build: req.Build, WithNeeds: true,
				DevOnly: req.DevOnly}
			if n.Only != "" {
				asked.Files = []string{dep.Of(n.Only, cmp.Or(req.Build, record.Minified))}
			}
			_, err = t.one(ctx, dep, asked, depth+1)
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
		if err := t.part(ctx, n, req, depth); err != nil {
			return fmt.Errorf("%s needs %s: %w", lib.Name, n.Package, err)
		}
	}
	if n.Library != "" && n.Library != lib.Name && !optional && !slices.Contains(lib.Needs, n.Library) {
		lib.Needs = append(lib.Needs, n.Library)
	}
	return nil
}

// Need takes the package that meets a need of a library that is in the crate, with what it needs itself, and records
// the need in the library's entry.
func (t *Take) Need(ctx context.Context, n requirements.Requirement, lib *record.Library) error {
	return t.meet(ctx, &n, lib, TakeRequest{WithNeeds: true, Build: lib.Build, DevOnly: lib.Only == record.DevOnly}, 0)
}

// part takes the other file of a package that meets a need, where the package came from the registry and the file did
// not yet.
func (t *Take) part(ctx context.Context, n *requirements.Requirement, req TakeRequest, depth int) error {
	there := t.Plan.List.Library(n.Library)
	pkg, packaged := there.Package()
	if n.Part == "" || t.globals()[n.Global] != "" || !packaged || pkg != n.Package {
		return nil
	}
	dep, err := t.Plan.Before.Origin.OpenPackage(ctx, n.Package, there.Version, nil)
	if err != nil {
		return err
	}
	if dep.File(n.Part) == nil {
		return nil // this version has it elsewhere, or not at all: the page will tell
	}
	_, err = t.one(ctx, dep, TakeRequest{Source: record.FromRegistry + n.Package, As: there.Name,
		Selecting: Selecting{Files: []string{n.Part}}, Build: req.Build, WithNeeds: true,
		DevOnly: req.DevOnly}, depth+1)
	return err
}

func knownNeeds(list *record.List, lib record.Library) error {
	for _, n := range lib.Needs {
		if n == lib.Name {
			return problem.Misuse("leave it out of --needs", "%s can't need itself", n)
		}
		if list.Library(n) == nil {
			return problem.Refuse(problem.NeedUnmet, "take "+n+" first: merry take "+n, "%s should need %s, which is "+
				"not in the crate", lib.Name, n)
		}
	}
	return nil
}
