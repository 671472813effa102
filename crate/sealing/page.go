package sealing

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/demands"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/tags"
)

// Tag writes the tag that brings a file onto a page, with its integrity: a link of another site with crossorigin,
// without which a browser may not look at its bytes (Subresource Integrity, section 3.5).
func Tag(l Line, text []byte) string {
	values := map[string]string{"integrity": l.Integrity}
	names := []string{"integrity"}
	if source.IsAddress(l.File) {
		values["crossorigin"] = "anonymous"
		names = append(names, "crossorigin")
	}
	if strings.EqualFold(path.Ext(tags.WithoutQuery(l.File)), ".css") {
		return page.With(page.StyleTag(l.File), names, values)
	}
	if script.Analyze(text).Form == script.Module {
		values["type"] = "module"
		names = append([]string{"type"}, names...)
	}
	return page.With(page.ScriptTag(l.File, false), names, values)
}

// A Demand is the integrity that a page's tag, or a line of its import map, requires.
type Demand struct {
	Line     int    `json:"line"`               // of the tag, from 1
	Column   int    `json:"column"`             // of the tag, from 1
	Ref      string `json:"ref"`                // the reference, as it is written
	State    State  `json:"state"`              // whether its integrity is right
	Declared string `json:"declared,omitempty"` // the integrity that it demands
	Is       string `json:"is,omitempty"`       // that of the bytes
	Problem  string `json:"problem,omitempty"`  // why these could not be had
}

// A State is the state of a Demand.
type State string

// The states.
const (
	Right     State = "right"
	Wrong     State = "wrong"          // a browser will refuse the file
	None      State = "none"           // nothing is demanded of what another site gives
	NoOrigin  State = "no crossorigin" // so a browser may not look at the bytes, and blocks them
	Local     State = "local"          // the site's own, of which nothing need be demanded
	Unfetched State = "missing"        // the bytes can't be had
)

// A look is one at a page: where it is, and how files are had.
type look struct {
	page  *page.Page
	at    paths.InSite // the page, from a folder that stands for the site's
	dir   string       // that folder
	fetch Fetcher
}

// Page looks at what a page demands of the files that it asks for: scripts, modules, stylesheets, what is preloaded,
// and what its import maps have integrity for. Local files are looked for below a folder, from which the page's name
// is.
func Page(ctx context.Context, b []byte, dir, name string, fetch Fetcher) ([]Demand, error) {
	pg, err := page.Read(b)
	if err != nil {
		return nil, err
	}
	l := &look{pg, paths.Found(path.Clean(filepath.ToSlash(name))), dir, fetch}
	var list []Demand
	for _, of := range demands.Of(pg) {
		d := l.demand(ctx, &of)
		d.Line, d.Column = pg.Position(of.At)
		list = append(list, d)
	}
	return list, ctx.Err()
}

// demand looks at one demand.
func (l *look) demand(ctx context.Context, of *demands.Demand) Demand {
	d := Demand{Ref: of.Ref, Declared: of.Value}
	t := tags.Resolve(l.at, l.page.BaseAt(l.page.Includes[of.Include].Start), of.Ref)
	meta := of.Heeded()
	demanded := len(meta) > 0
	switch {
	case !demanded && t.URL != "":
		d.State = None
	case !demanded:
		d.State = Local
		return d
	case t.URL != "" && !of.CORS:
		d.State = NoOrigin
	}
	b, err := l.bytes(ctx, t)
	if err != nil {
		if d.Problem = err.Error(); d.State == "" {
			d.State = Unfetched
		}
		return d
	}
	algorithm := "sha384"
	if demanded {
		algorithm = meta.Algorithm()
	}
	d.Is = integrity.Sum(algorithm, b)
	switch {
	case demanded && !meta.Match(b):
		d.State = Wrong
	case d.State == "":
		d.State = Right
	}
	return d
}

// bytes are those that a target leads to.
func (l *look) bytes(ctx context.Context, t tags.Target) ([]byte, error) {
	switch {
	case t.URL != "":
		return l.fetch(ctx, t.URL)
	case t.IsZero():
		return nil, errors.New(t.Odd)
	}
	root, err := os.OpenRoot(l.dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	b, err := root.ReadFile(filepath.FromSlash(t.Path.String()))
	if err != nil {
		return nil, fmt.Errorf("there is no file %s below the current folder, which stands for the site's", t.Path)
	}
	return b, nil
}
