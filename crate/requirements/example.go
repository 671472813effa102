package requirements

import (
	"context"
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
	if err != nil {
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
// example can be run what a declared dependency provides is kept, and what a script uses only where it is there is not.
func (r *Resolver) inUse(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) ([]Requirement, error) {
	if !slices.ContainsFunc(needs, forUse) {
		return needs, nil
	}
	unproved := func() []Requirement {
		return slices.DeleteFunc(slices.Clone(needs), func(n Requirement) bool {
			return n.Strength == string(script.Optional) && n.Library == ""
		})
	}
	example := exampleOf(o, sel)
	if example == nil {
		return unproved(), nil
	}
	if works, known, err := r.works(ctx, o, sel, needs, page, example); err != nil || !works || !known {
		return unproved(), err // the example says nothing
	}
	return fewest(needs, func(i int) bool { return forUse(needs[i]) && needs[i].Library == "" },
		func(list []Requirement) (bool, error) {
			works, known, err := r.works(ctx, o, sel, list, page, example)
			return works && known, err
		})
}

// forUse tells a need that loading does not show.
func forUse(n Requirement) bool { return n.Strength != string(script.Hard) }
