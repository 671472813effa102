// Package mentions finds what leads to files of a site beside the tags that run, and what names them where no command
// edits.
package mentions

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// Places are all places of a site's pages, own stylesheets and own scripts that lead to files, beside the tags that
// run: pictures, fonts, imports, import maps, conditional comments, templates. A folder that an import map names ends
// in a slash.
type Places map[string][]string

// Of reads pages, own stylesheets and own scripts of a site for what leads to some of its files.
func Of(ctx context.Context, p *project.Project, files, wanted []paths.InSite) (Places, error) {
	m := Places{}
	of := map[string]bool{} // files, and folders with a slash
	words := [][]byte{[]byte("importmap")}
	for _, name := range wanted {
		of[name.String()] = true
		words = append(words, []byte(name.Base()))
		for dir := name.Dir(); dir != "."; dir = path.Dir(dir) {
			of[dir+"/"] = true
		}
	}
	var mu sync.Mutex
	note := func(from paths.InSite, base, ref string, in *texts.Index, offset int, filled bool) {
		t := tags.Lead(p, from, base, ref, filled)
		if t.Path.IsZero() {
			return
		}
		to := t.Path.String()
		if strings.HasSuffix(ref, "/") {
			to += "/"
		}
		if !of[to] {
			return
		}
		line, column := in.At(offset)
		mu.Lock()
		defer mu.Unlock()
		m[to] = append(m[to], fmt.Sprintf("%s:%d:%d", p.InProject(from), line, column))
	}
	err := parallel.Each(ctx, files, func(_ context.Context, name paths.InSite) error {
		b, err := p.ReadInSite(name)
		if err != nil {
			return nil // that is reported elsewhere
		}
		if !slices.ContainsFunc(words, func(w []byte) bool { return bytes.Contains(b, w) }) &&
			bytes.IndexByte(b, '%') < 0 {
			return nil // most say none of them, which takes less to see than to read
		}
		index := texts.NewIndex(b)
		switch packages.KindOf(name.String()) {
		case packages.Stylesheet:
			for _, r := range style.References(b) {
				note(name, "", r.URL, index, r.Offset, false)
			}
		case packages.Script:
			page.ScriptReferences(b, func(r page.Reference) {
				note(name, "", r.Ref, index, r.Start, false)
				if r.In == page.InText {
					note(paths.Found("index.html"), "", r.Ref, index, r.Start, false) // from a page of the root
				}
			})
		default:
			pg, err := page.Read(b)
			if err != nil {
				return nil
			}
			runs := map[int]bool{} // where the references of tags stand that run
			for i := range pg.Includes {
				if in := &pg.Includes[i]; in.Inert == "" && in.Kind != page.Other {
					runs[in.RefAttr.ValueStart] = true
				}
			}
			page.References(b, func(r page.Reference) {
				if r.Attribute == "" || !runs[r.Start] {
					note(name, pg.Base, r.Ref, index, r.Start, len(pg.Holes()) > 0)
				}
			})
		}
		return nil
	})
	return m, err
}

// Of lists the places that lead to a file, the first few of many.
func (m Places) Of(name paths.InSite) []string {
	list := slices.Clone(m[name.String()])
	for dir := name.Dir(); dir != "."; dir = path.Dir(dir) {
		list = append(list, m[dir+"/"]...)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// OfAny lists the places that lead to any of some files.
func (m Places) OfAny(files []paths.InSite) []string {
	var list []string
	for _, at := range files {
		list = append(list, m.Of(at)...)
	}
	slices.Sort(list)
	return slices.Compact(list)
}
