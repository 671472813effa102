package upgrade

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// findUses finds where the project uses what is lost: markup, own stylesheets, own scripts, those on the pages too.
func (c *Compared) findUses(ctx context.Context, p *project.Project, library string) error {
	site, err := p.Walk(ctx)
	if err != nil {
		return err
	}
	f, scripts := newFinder(c.Removed), tags.NewScripts(p)
	type result struct {
		uses map[int][]Occurrence
		on   string // the page, where the library is on it
	}
	results, err := parallel.Map(ctx, site.Pages, func(_ context.Context, name paths.InSite) (result, error) {
		b, err := p.ReadInSite(name)
		if err != nil {
			return result{}, err
		}
		v, err := tags.Read(p, name, b)
		if err != nil {
			return result{}, nil // check tells of it
		}
		on := slices.ContainsFunc(v.Of, func(of project.Sealed) bool { return of.Library == library }) ||
			slices.ContainsFunc(graph.Of(scripts, v).Files(), func(f graph.File) bool {
				return f.Of.Library == library
			})
		symbols, shows := c.symbolUses(p, v, library)
		if on = on || shows; !v.Fragment && !on {
			return result{}, nil
		}
		r := result{uses: f.onPage(v, p.InProject(name).String())}
		for i, list := range symbols {
			r.uses[i] = append(r.uses[i], list...)
		}
		if on {
			r.on = name.String()
		}
		return r, nil
	})
	if err != nil {
		return err
	}
	own := append(p.OwnFiles(site, packages.Stylesheet), p.OwnFiles(site, packages.Script)...)
	more, err := parallel.Map(ctx, own, func(_ context.Context, name paths.InSite) (result, error) {
		at := p.InProject(name).String()
		b, err := p.ReadInSite(name)
		if err != nil {
			return result{}, err
		}
		if packages.KindOf(name.String()) == packages.Stylesheet {
			return result{uses: f.inStyle(b, 0, texts.NewIndex(b), at)}, nil
		}
		return result{uses: f.inScript(b, 0, texts.NewIndex(b), at)}, nil
	})
	if err != nil {
		return err
	}
	for _, r := range append(results, more...) {
		if r.on != "" {
			c.PageUses = append(c.PageUses, r.on)
		}
		for i, list := range r.uses {
			c.Removed[i].Uses = append(c.Removed[i].Uses, list...)
		}
	}
	c.Pages = len(c.PageUses)
	if err := c.findImports(ctx, p, site, library); err != nil {
		return err
	}
	slices.SortStableFunc(c.Removed, func(a, b RemovedName) int {
		return cmp.Or(cmp.Compare(min(1, len(b.Uses)), min(1, len(a.Uses))), cmp.Compare(a.Kind, b.Kind),
			cmp.Compare(a.Name, b.Name))
	})
	return nil
}

// UsesOf finds where the project uses names of a library, and the pages that the library is on.
func UsesOf(ctx context.Context, p *project.Project, library string, names []RemovedName) ([]RemovedName,
	[]paths.InSite, error) {
	c := &Compared{Removed: names}
	if err := c.findUses(ctx, p, library); err != nil {
		return nil, nil, err
	}
	var pages []paths.InSite
	for _, name := range c.PageUses {
		pages = append(pages, paths.Found(name))
	}
	return c.Removed, pages, nil
}

// finder looks for names that are lost.
type finder struct {
	byName map[string]map[string]int // kind to name to index
	words  map[string]bool           // all of them, and the last part of members
}

func newFinder(lost []RemovedName) *finder {
	f := &finder{byName: map[string]map[string]int{}, words: map[string]bool{}}
	for i, l := range lost {
		if l.Kind == "export" || l.Kind == "module" || l.Kind == Symbol {
			continue // found by the imports of modules, and by references to pictures
		}
		if f.byName[l.Kind] == nil {
			f.byName[l.Kind] = map[string]int{}
		}
		f.byName[l.Kind][l.Name] = i
		f.words[l.Name[strings.LastIndexByte(l.Name, '.')+1:]] = true
	}
	return f
}

func (f *finder) find(kind, name string) (int, bool) {
	i, ok := f.byName[kind][name]
	return i, ok
}

func (f *finder) onPage(v *tags.Page, at string) map[int][]Occurrence {
	uses := map[int][]Occurrence{}
	index := texts.NewIndex(v.Bytes)
	page.Names(v.Bytes, func(n page.Name) {
		if i, ok := f.find(string(n.Kind), n.Text); ok {
			uses[i] = append(uses[i], useOf(index, n.Start, at, script.Sure))
		}
	})
	if len(f.byName[string(style.Property)]) > 0 {
		v.Pieces(func(x page.Piece) {
			if x.Kind == page.StyleValue {
				f.properties([]byte(x.Text), x.Start, index, at, func(int) bool { return true }, uses)
			}
		})
	}
	for i := range v.Includes {
		in := &v.Includes[i]
		var more map[int][]Occurrence
		switch in.Kind {
		case page.InlineScript:
			more = f.inScript(v.Code(in), in.TextStart(), index, at)
		case page.InlineStyle:
			more = f.inStyle(v.Code(in), in.TextStart(), index, at)
		}
		for k, list := range more {
			uses[k] = append(uses[k], list...)
		}
	}
	return uses
}

// properties adds the custom properties in a text, at places that count.
func (f *finder) properties(b []byte, start int, whole *texts.Index, at string, counts func(at int) bool,
	uses map[int][]Occurrence) {
	for _, m := range style.PropertyName().FindAllIndex(b, -1) {
		if i, ok := f.find(string(style.Property), string(b[m[0]:m[1]])); ok && counts(m[0]) {
			uses[i] = append(uses[i], useOf(whole, start+m[0], at, script.Sure))
		}
	}
}

func useOf(whole *texts.Index, offset int, at string, how script.Likelihood) Occurrence {
	line, column := whole.At(offset)
	return Occurrence{At: fmt.Sprintf("%s:%d:%d", at, line, column), How: how, file: at, line: line, column: column}
}

func (f *finder) inStyle(b []byte, start int, whole *texts.Index, at string) map[int][]Occurrence {
	uses := map[int][]Occurrence{}
	for _, m := range style.Read(b).Mentions {
		if i, ok := f.find(string(m.Kind), m.Name); ok {
			uses[i] = append(uses[i], useOf(whole, start+m.Offset, at, script.Sure))
		}
	}
	return uses
}

// calls adds uses of what can't be called any more, or makes no objects.
func (f *finder) calls(u script.Use, path string, add func(i int, ok bool, u script.Use, how script.Likelihood)) {
	if u.Called {
		i, ok := f.find(signatureKind, path)
		add(i, ok, u, script.Likely)
	}
	if u.Called && !u.New {
		i, ok := f.find(functionKind, path)
		add(i, ok, u, script.Likely)
	}
	if u.New {
		i, ok := f.find(constructorKind, path)
		add(i, ok, u, script.Likely)
	}
}

func (f *finder) inScript(b []byte, start int, whole *texts.Index, at string) map[int][]Occurrence {
	uses := map[int][]Occurrence{}
	add := func(i int, ok bool, u script.Use, how script.Likelihood) {
		if ok {
			uses[i] = append(uses[i], useOf(whole, start+u.Offset, at, how))
		}
	}
	if len(f.byName[string(style.Property)]) > 0 {
		f.properties(b, start, whole, at, script.InText(b), uses)
	}
	for _, u := range script.Uses(b, func(w string) bool { return f.words[w] }) {
		switch {
		case u.Global:
			i, ok := f.find("global", u.Word)
			add(i, ok, u, u.How)
			f.calls(u, u.Word, add)
		case u.Member:
			for _, root := range []string{"window.", "self.", "globalThis."} {
				u.Path = strings.TrimPrefix(u.Path+".", root)
				u.Path = strings.TrimSuffix(u.Path, ".")
			}
			path := strings.TrimPrefix(u.Path+"."+u.Word, ".")
			f.calls(u, path, add)
			if _, ok := f.find("member", path+"."+u.Next); ok && u.Next != "" {
				continue // that says more
			}
			if i, ok := f.find("member", path); ok {
				add(i, true, u, script.Likely)
				continue
			}
			// Of what else has a member of that name, only the name is known.
			for name, i := range f.byName["member"] {
				if strings.HasSuffix(name, "fn."+u.Word) || strings.HasSuffix(name, "prototype."+u.Word) {
					add(i, true, u, script.Possible)
				}
			}
		default:
			kind := "class"
			if u.Selector == '#' {
				kind = "id"
			}
			i, ok := f.find(kind, u.Word)
			add(i, ok, u, u.How)
			if kind == "class" && u.Selector == 0 {
				for _, other := range []string{"id", "attribute", "custom property"} {
					if i, ok := f.find(other, u.Word); ok {
						add(i, true, u, script.Possible)
					}
				}
			}
		}
	}
	return uses
}
