package requirements

import (
	"context"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
)

// exampleOf is the first example of a package's readme that uses what the chosen scripts define, nil for none.
func exampleOf(o *origin.Opened, sel *packages.Selection) *manifest.Example {
	var names []string
	for _, f := range onPage(o, sel) {
		for _, g := range f.Script.Defines {
			names = append(names, regexp.QuoteMeta(g.Name)+`\b`)
		}
		for _, g := range f.Script.Parts {
			if i := strings.LastIndexByte(g.Name, '.'); strings.Contains(g.Name, ".fn.") {
				names = append(names, `\.`+regexp.QuoteMeta(g.Name[i+1:])+`\(`)
			} else {
				names = append(names, regexp.QuoteMeta(g.Name)+`\b`)
			}
		}
	}
	if len(names) == 0 {
		return nil
	}
	uses, err := regexp.Compile(`(?:^|[^\w$"'/-])(?:` + strings.Join(names[:min(len(names), 60)], "|") + `)`)
	if err != nil {
		return nil
	}
	for i := range o.Examples {
		if uses.MatchString(o.Examples[i].Code) {
			return &o.Examples[i]
		}
	}
	return nil
}

// works runs an example of the readme after the chosen scripts and what supplies their needs. Known is false where that
// can't be tried: the sandbox has not all that it uses, or the example counts on something that it does not show.
func (r *Resolver) works(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement, page Page,
	example *manifest.Example) (works, known bool, err error) {
	base, err := r.bases(ctx, needs, page)
	if err != nil || base.unknown {
		return false, false, err
	}
	for _, f := range inOrder(onPage(o, sel)) {
		text, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return false, false, err
		}
		base.texts = append(base.texts, text)
	}
	works, known = r.Facts.Works(ctx, base.texts, example.Page(), []byte(example.Code))
	return works, known, nil
}

// inUse keeps, of the needs that loading does not show, those without which the readme's example fails. Where no
// example can be run what a declared dependency provides is kept; what a script uses only where it is there is kept if
// a dependency is called so.
func (r *Resolver) inUse(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	needs, err := withoutMade(o, sel, needs)
	if err != nil || !slices.ContainsFunc(needs, forUse) {
		return needs, err
	}
	unproved := func() []Requirement {
		return slices.DeleteFunc(slices.Clone(needs), func(n Requirement) bool {
			return n.unproved || n.Strength == string(script.Optional) && n.Library == "" && (hasInside(o, sel,
				n.Global) ||
				!slices.ContainsFunc(dependencies(o), func(c dependency) bool {
					return manifest.NameKey(c.name) == manifest.NameKey(n.Global)
				}))
		})
	}
	example := exampleOf(o, sel)
	if example == nil {
		return unproved(), nil
	}
	if works, known, err := r.works(ctx, o, sel, needs, page, example); err != nil || !works || !known {
		return unproved(), err // the example says nothing
	}
	return fewest(needs, func(i int) bool {
		return forUse(needs[i]) && needs[i].Library == "" && !(needs[i].Strength == string(script.Later) &&
			mustBeThere(o, needs[i].Package))
	},
		func(list []Requirement) (bool, error) {
			works, known, err := r.works(ctx, o, sel, list, page, example)
			return works && known, err
		})
}

// withoutMade leaves out what the scripts use where it is there, and make themselves if it is not: a bundle has inside
// what its parts would look for.
func withoutMade(o *origin.Opened, sel *packages.Selection, needs []Requirement) ([]Requirement, error) {
	text, err := scriptsText(o, sel)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(needs, func(n Requirement) bool {
		if !forUse(n) || n.Library != "" {
			return false
		}
		made, err := regexp.Compile(`\.` + regexp.QuoteMeta(n.Global) + `\s*=\s*([\w$.]+\s*\|\||[^=])`)
		return err == nil && slices.ContainsFunc(made.FindAllSubmatch(text, -1), func(m [][]byte) bool {
			return len(m[1]) == 1 // and none that adds to what is there (X.tide = X.tide || {})
		})
	}), nil
}

// demoted makes needs for use of those that a script only tests for: with all else it runs to its end without one.
// Of needs that nothing supplies those go.
func (r *Resolver) demoted(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	for i := 0; i < len(needs); i++ {
		n := needs[i]
		nobody := n.Library == "" && n.Package == "" && n.Own == ""
		if forUse(n) || !nobody && (!n.tested || n.Package == "" || mustBeThere(o, n.Package)) {
			continue
		}
		if r.under(ctx, n, needs) {
			continue // without it the others bring it, so trying says nothing
		}
		less := slices.Delete(slices.Clone(needs), i, i+1)
		runs, known, err := r.run(ctx, o, sel, less, page)
		switch {
		case err != nil:
			return nil, err
		case !runs || !known:
		case nobody:
			needs = less
			i--
		case manifest.Begins(o.Name, manifest.NameKey(n.Package)): // it is an add-on of that by its name
			needs[i].Strength = string(script.Later)
		case !listsOne(dependencies(o), n.Package) && !oneOfSeveral(onPage(o, sel), n.Global):
			needs[i].Strength = string(script.Optional) // its makers do not say that it is there
		default:
			needs[i].Strength = string(script.Later)
		}
	}
	return r.standing(ctx, needs)
}

// mustBeThere reports whether the makers say that another package must be there with theirs.
func mustBeThere(o *origin.Opened, pkg string) bool {
	peers, _, optional := o.Depends()
	return peers[pkg] != "" && !optional[pkg]
}

func listsOne(list []dependency, name string) bool {
	return slices.ContainsFunc(list, func(c dependency) bool { return c.name == name })
}

// oneOfSeveral reports whether scripts look for a global and, where that is not there, for others that would do.
func oneOfSeveral(files []*packages.File, global string) bool {
	return slices.ContainsFunc(files, func(f *packages.File) bool {
		return slices.ContainsFunc(f.Script.Needs, func(n script.Need) bool {
			return n.Name == global && len(n.Or) > 0
		})
	})
}

// standing leaves out what loading does not show and what a page could not have: packages whose own scripts stop.
func (r *Resolver) standing(ctx context.Context, needs []Requirement) ([]Requirement, error) {
	for i := 0; i < len(needs); i++ {
		n := needs[i]
		if !forUse(n) || n.Package == "" || n.Library != "" {
			continue
		}
		texts, err := r.packageTexts(ctx, n.Package, n.Range, 0)
		if err != nil {
			return nil, err
		}
		if len(texts) == 0 {
			continue
		}
		last := len(texts) - 1
		if _, stops, known := r.Facts.Lacks(ctx, texts[:last], texts[last], nil); known && stops {
			needs = slices.Delete(slices.Clone(needs), i, i+1)
			i--
		}
	}
	return needs, nil
}

// hasInside reports whether a chosen script has inside what another build of it needs from outside.
func hasInside(o *origin.Opened, sel *packages.Selection, global string) bool {
	return slices.ContainsFunc(onPage(o, sel), func(f *packages.File) bool {
		for i := range o.Files {
			g := &o.Files[i]
			if g.Script != nil && g != f && path.Base(g.Path) == path.Base(f.Path) &&
				slices.ContainsFunc(g.Script.Hard(),
					func(n script.Need) bool { return n.Name == global }) {
				return true
			}
		}
		return false
	})
}

// forUse tells a need that loading does not show.
func forUse(n Requirement) bool { return n.Strength != string(script.Hard) }
