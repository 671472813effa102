package upgrade

import (
	"bytes"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/successors"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// Symbol is the kind of a lost name that is a part of a picture, which pages show as `signals.svg#buoy`.
const Symbol = "symbol"

// removedSymbols lists the parts of pictures that are gone, of pictures that the new version has, too, and what they
// are called now.
func (c *Compared) removedSymbols(old, new *side, notes []renames.ChangeNote) {
	for _, file := range slices.Sorted(maps.Keys(old.symbols)) {
		now := new.symbols[file]
		for _, other := range slices.Sorted(maps.Keys(new.symbols)) {
			if now == nil && path.Base(successors.Bare(other, new.Version)) == path.Base(successors.Bare(file,
				old.Version)) {
				now = new.symbols[other]
			}
		}
		if now == nil {
			continue // the picture itself is gone, and check says so
		}
		called := map[string]renames.Rename{}
		for _, r := range renames.Drawings(drawingsOf(old.symbols[file]), drawingsOf(now), notes) {
			called[r.Old] = r
		}
		for _, name := range slices.Sorted(maps.Keys(old.symbols[file])) {
			if _, still := now[name]; still {
				continue
			}
			l := RemovedName{Kind: Symbol, Name: name, Of: file}
			if r, told := called[name]; told {
				l.Rename = &r
			}
			c.Removed = append(c.Removed, l)
		}
	}
}

func drawingsOf(parts map[string]glyphs.Part) map[string]string {
	list := map[string]string{}
	for name, p := range parts {
		list[name] = p.Drawn
	}
	return list
}

// SymbolsOn goes through the parts of the crate's pictures that a page shows: which picture, the name, and where that
// stands.
func SymbolsOn(p *project.Project, v *tags.Page, visit func(of project.Sealed, name string, start, end int)) {
	if !bytes.Contains(v.Bytes, []byte(".svg#")) {
		return
	}
	v.References(func(r page.Reference) {
		file, name, has := strings.Cut(r.Ref, "#")
		at := bytes.IndexByte(v.Bytes[r.Start:r.End], '#')
		if !has || at < 0 || !strings.HasSuffix(strings.ToLower(file), ".svg") {
			return
		}
		t := tags.ResolveOnce(v.Path, v.BaseAt(r.Start), r.Ref)
		if of := p.At(p.InProject(t.Path)); !t.Path.IsZero() && of.File != nil {
			visit(of, name, r.Start+at+1, r.End)
		}
	})
}

// symbolUses finds where a page shows parts that are lost, and reports whether it shows any of the library's.
func (c *Compared) symbolUses(p *project.Project, v *tags.Page, library string) (uses map[int][]Occurrence, on bool) {
	uses = map[int][]Occurrence{}
	index := texts.NewIndex(v.Bytes)
	SymbolsOn(p, v, func(of project.Sealed, name string, start, _ int) {
		if of.Library != library {
			return
		}
		on = true
		for i, l := range c.Removed {
			if l.Kind == Symbol && l.Name == name && l.Of == of.File.Path {
				uses[i] = append(uses[i], useOf(index, start, p.InProject(v.Path).String(), script.Sure))
			}
		}
	})
	return uses, on
}
