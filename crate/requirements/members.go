package requirements

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/origin"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// Member finds a need of an add-on of an add-on: a member of a global (race.fn.boat) for want of which a chosen script
// stops although what its needs name is there. Needs are those known so far. It returns nil if the scripts run, or
// where that can't be tried.
func (r *Resolver) Member(ctx context.Context, o *origin.Opened, sel *packages.Selection, needs []Requirement,
	page Page) (*Requirement, error) {
	files := inOrder(onPage(o, sel))
	if !slices.ContainsFunc(files, func(f *packages.File) bool { return len(f.Script.PartNeeds) > 0 }) {
		return nil, nil
	}
	base, err := r.bases(ctx, needs, page)
	if err != nil || base.unknown {
		return nil, err
	}
	for _, f := range files {
		text, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return nil, err
		}
		wants := slices.DeleteFunc(members(f.Script), func(g script.Global) bool {
			global, _, _ := strings.Cut(g.Name, ".")
			return slices.ContainsFunc(needs, func(n Requirement) bool { // what is not there has no members
				return n.Global == global && n.Library == "" && n.Package == "" && n.Own == ""
			})
		})
		missing, stops, known := r.Facts.Lacks(ctx, base.texts, text, names(wants))
		base.texts = append(base.texts, text)
		// The first in the text is what it stops at: what is built from it comes later.
		i := slices.IndexFunc(wants, func(g script.Global) bool { return slices.Contains(missing, g.Name) })
		if !known || !stops || i < 0 {
			continue
		}
		n := &Requirement{Global: wants[i].Name, Or: base.alike(wants[i].Name), Strength: string(script.Hard),
			At: fmt.Sprintf("%s:%d:%d", f.Path, wants[i].Line, wants[i].Column)}
		met, err := r.Provide(ctx, o, []Requirement{*n}, page.Defined)
		if err != nil {
			return nil, err
		}
		*n = met[0]
		if n.Library != "" || n.Package != "" {
			return n, nil
		}
		if n.Own, err = r.ownFile(o, append([]string{n.Global}, n.Or...)); err != nil || n.Own != "" ||
			!o.InRegistry() {
			return n, err
		}
		return n, r.givenBy(ctx, o, n, base.texts[:len(base.texts)-1], needs)
	}
	return nil, nil
}

// onPage lists the scripts of a selection that a page would load by plain tags, one build of each.
func onPage(o *origin.Opened, sel *packages.Selection) []*packages.File {
	var list []*packages.File
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		if c.Page && f.Script != nil && f.Script.Form != script.Module && (f.Build != record.Readable ||
			f.OtherBuild == "" || !sel.Has(f.OtherBuild)) {
			list = append(list, f)
		}
	}
	return list
}

// inOrder puts scripts that give others what they use before those.
func inOrder(files []*packages.File) []*packages.File {
	uses := func(f, g *packages.File) bool {
		for _, has := range slices.Concat(g.Script.Defines, g.Script.Parts) {
			if slices.ContainsFunc(f.Script.Needs, func(n script.Need) bool { return n.Name == has.Name }) ||
				slices.ContainsFunc(f.Script.PartNeeds, func(n script.Global) bool { return n.Name == has.Name }) {
				return true
			}
		}
		return false
	}
	var list []*packages.File
	rest := slices.Clone(files)
	for len(rest) > 0 {
		i := slices.IndexFunc(rest, func(f *packages.File) bool {
			return !slices.ContainsFunc(rest, func(g *packages.File) bool { return g != f && uses(f, g) })
		})
		i = max(i, 0) // those in a circle come as they are
		list = append(list, rest[i])
		rest = slices.Delete(rest, i, i+1)
	}
	return list
}

// members lists what a script uses of globals, by its places in it, less what it gives itself.
func members(report *script.Report) []script.Global {
	var list []script.Global
	made := map[string]bool{}
	for _, g := range report.Parts {
		made[g.Name] = true
	}
	for _, g := range report.PartNeeds {
		own := false
		for name := g.Name; strings.Contains(name, ".") && !own; name = name[:strings.LastIndexByte(name, '.')] {
			own = made[name]
		}
		if !own {
			list = append(list, g)
		}
	}
	slices.SortStableFunc(list, func(a, b script.Global) int {
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return a.Column - b.Column
	})
	return list
}

func names(list []script.Global) []string {
	out := make([]string, len(list))
	for i, g := range list {
		out[i] = g.Name
	}
	return out
}

// A present is what is on a page before a library's own scripts.
type present struct {
	unknown bool // of something that stands on the pages the text is not known
	texts   [][]byte
	defines [][]string // the globals that each script defines: names for one thing, often
}

// alike lists other names that a member may have, by other names of its global.
func (s *present) alike(member string) []string {
	global, rest, _ := strings.Cut(member, ".")
	var list []string
	for _, defines := range s.defines {
		if !slices.Contains(defines, global) {
			continue
		}
		for _, g := range defines {
			if other := g + "." + rest; g != global && !slices.Contains(list, other) {
				list = append(list, other)
			}
		}
	}
	return list
}

// bases are the scripts that supply needs: those of the crate's libraries, or of packages that would be taken.
func (r *Resolver) bases(ctx context.Context, needs []Requirement, page Page) (*present, error) {
	s := &present{}
	add := func(b []byte) {
		if !hasText(s.texts, b) {
			s.texts = append(s.texts, b)
			s.defines = append(s.defines, names(r.Scripts.Script(b).Defines))
		}
	}
	for _, n := range needs {
		switch {
		case n.Library != "":
			texts := page.Texts(n.Library)
			s.unknown = s.unknown || len(texts) == 0 && strings.HasPrefix(n.Library, OnPages)
			for _, b := range texts {
				add(b)
			}
		case n.named:
			s.unknown = true
		case n.Package != "":
			list, err := r.packageTexts(ctx, n.Package, n.Range, 0)
			if err != nil {
				return nil, err
			}
			for _, b := range list {
				add(b)
			}
			if b, err := r.partText(ctx, n); err != nil {
				return nil, err
			} else if b != nil {
				add(b)
			}
		}
	}
	return s, nil
}

// partText is the other script of a package that meets a need, nil if there is none.
func (r *Resolver) partText(ctx context.Context, n Requirement) ([]byte, error) {
	if n.Part == "" {
		return nil, nil
	}
	p, err := r.OpenPackage(ctx, n.Package, n.Range, nil)
	if err != nil {
		return nil, err
	}
	return p.Tree.ReadFile(n.Part)
}

// packageTexts are the scripts that a package would put on a page, after those of its own needs. A package that can't
// be had has none.
func (r *Resolver) packageTexts(ctx context.Context, name, rng string, depth int) ([][]byte, error) {
	p, err := r.OpenPackage(ctx, name, rng, nil)
	if err != nil {
		return nil, ctx.Err()
	}
	return r.texts.Get(fmt.Sprint(name, "@", p.Version, " ", depth), func() ([][]byte, error) {
		return r.readTexts(ctx, p, depth)
	})
}

func (r *Resolver) readTexts(ctx context.Context, p *origin.Opened, depth int) ([][]byte, error) {
	sel := p.Suggest()
	var list [][]byte
	if depth < MaxDepth {
		needs, err := r.Provide(ctx, p, NeedsOf(p, sel, script.Later), nil)
		if err != nil {
			return nil, err
		}
		for _, n := range needs {
			if n.Package != "" {
				more, err := r.packageTexts(ctx, n.Package, n.Range, depth+1)
				if err != nil {
					return nil, err
				}
				list = append(list, more...)
				if b, err := r.partText(ctx, n); err == nil && b != nil {
					list = append(list, b)
				}
			}
		}
	}
	for _, f := range onPage(p, sel) {
		b, err := p.Tree.ReadFile(f.Path)
		if err != nil {
			return nil, err
		}
		list = append(list, b)
	}
	return list, nil
}

func hasText(list [][]byte, text []byte) bool {
	return slices.ContainsFunc(list, func(b []byte) bool { return bytes.Equal(b, text) })
}

// unused lists the dependencies of a package that meet none of its needs.
func unused(o *origin.Opened, needs []Requirement) []dependency {
	return slices.DeleteFunc(dependencies(o), func(c dependency) bool {
		return slices.ContainsFunc(needs, func(s Requirement) bool {
			return s.Package == c.name || s.Library == strings.ToLower(c.name)
		})
	})
}

// maxCandidates is how many dependencies are tried for a member that reading does not find.
const maxCandidates = 8

// givenBy looks for a dependency that gives a member when it runs after what is there, however it does that.
func (r *Resolver) givenBy(ctx context.Context, o *origin.Opened, n *Requirement, before [][]byte,
	needs []Requirement) error {
	list := unused(o, needs)
	list = list[:min(len(list), maxCandidates)]
	gives := func(ctx context.Context, name, rng string) (bool, error) {
		texts, err := r.packageTexts(ctx, name, rng, 0)
		if err != nil || len(texts) == 0 {
			return false, err
		}
		all := slices.Clone(before)
		for _, b := range texts {
			if !hasText(all, b) {
				all = append(all, b)
			}
		}
		// An empty script that comes last is asked whether the member is there then.
		missing, _, known := r.Facts.Lacks(ctx, all, nil, []string{n.Global})
		return known && len(missing) == 0, nil
	}
	found, err := parallel.Map(ctx, list, func(ctx context.Context, c dependency) (bool, error) {
		return gives(ctx, c.name, c.rng)
	})
	if err != nil {
		return err
	}
	if i := slices.Index(found, true); i >= 0 {
		n.Package, n.Range = list[i].name, list[i].rng
		return nil
	}
	return r.byNames(ctx, o, n, namesOfMember(n.Global), func(ctx context.Context, p *origin.Opened) (bool, error) {
		return gives(ctx, p.Name, p.Version)
	})
}

// namesOfMember lists the names that a package may have which gives a member: both names with a mark between.
func namesOfMember(member string) []string {
	parts := strings.Split(strings.ToLower(member), ".")
	if len(parts) > 2 && parts[1] == "fn" {
		parts = append(parts[:1], parts[2:]...)
	}
	var list []string
	for _, mark := range []string{"-", ".", ""} {
		if name := parts[0] + mark + parts[1]; source.ValidPackage(name) {
			list = append(list, name)
		}
	}
	return list
}
