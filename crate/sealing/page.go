package sealing

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// Tag writes the tag that brings a file onto a page, with its integrity: a link of another site with crossorigin, without which a browser
// may not look at its bytes (Subresource Integrity, section 3.5).
func Tag(l Line, text []byte) string {
	values := map[string]string{"integrity": l.Integrity}
	names := []string{"integrity"}
	if source.IsAddress(l.File) {
		values["crossorigin"] = "anonymous"
		names = append(names, "crossorigin")
	}
	if strings.EqualFold(path.Ext(withoutQuery(l.File)), ".css") {
		return page.With(page.StyleTag(l.File), names, values)
	}
	if script.Analyze(text).Form == script.Module {
		values["type"] = "module"
		names = append([]string{"type"}, names...)
	}
	return page.With(page.ScriptTag(l.File, false), names, values)
}

func withoutQuery(ref string) string {
	ref, _, _ = strings.Cut(ref, "?")
	ref, _, _ = strings.Cut(ref, "#")
	return ref
}

// A Demand is what a page's tag, or a line of its import map, demands of a file.
type Demand struct {
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Ref    string `json:"ref"`
	State  State  `json:"state"`
	Says   string `json:"says,omitempty"`  // the integrity that it demands
	Is     string `json:"is,omitempty"`    // that of the bytes
	Fault  string `json:"fault,omitempty"` // why these could not be had
}

// A State says how a demand stands.
type State string

// The states.
const (
	Right     State = "right"
	Wrong     State = "wrong"          // a browser will refuse the file
	None      State = "none"           // nothing is demanded of what another site gives
	NoOrigin  State = "no crossorigin" // so a browser may not look at the bytes, and blocks them
	Local     State = "local"          // the site's own, of which nothing need be demanded
	Unfetched State = "not there"      // the bytes can't be had
)

// Page looks at what a page demands of the files that it asks for: scripts, modules, stylesheets, what is preloaded, and what its import
// maps have integrity for. References are from a folder, "" where local files can't be found.
func Page(ctx context.Context, b []byte, dir string, fetch Fetcher) ([]Demand, error) {
	pg, err := page.Read(b)
	if err != nil {
		return nil, err
	}
	var list []Demand
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if strings.Contains(in.Inert, "type importmap") {
			list = append(list, mapped(ctx, pg, in, dir, fetch)...)
		}
		loads := in.Kind == page.Script || in.Kind == page.Stylesheet || in.Kind == page.Hint && strings.Contains(in.Rel, "preload")
		if in.Inert != "" || !loads || in.Ref == "" || in.Templated() {
			continue
		}
		value, _ := pg.Attr(in, "integrity")
		_, cors := pg.Attr(in, "crossorigin")
		d := demand(ctx, in.Ref, pg.Base, value, cors || in.Module || in.Rel == "modulepreload", dir, fetch)
		d.Line, d.Column = pg.Position(in.Start)
		list = append(list, d)
	}
	return list, ctx.Err()
}

// mapped looks at the integrity of an import map (HTML Standard, section 8.1.6.4).
func mapped(ctx context.Context, pg *page.Page, in *page.Include, dir string, fetch Fetcher) []Demand {
	var read struct{ Integrity map[string]string }
	if json.Unmarshal(pg.InlineText(in), &read) != nil {
		return nil
	}
	var list []Demand
	for ref, value := range read.Integrity {
		d := demand(ctx, ref, pg.Base, value, true, dir, fetch)
		d.Line, d.Column = pg.Position(in.TextStart() + max(0, strings.Index(string(pg.InlineText(in)), ref)))
		list = append(list, d)
	}
	return list
}

func demand(ctx context.Context, ref, base, value string, cors bool, dir string, fetch Fetcher) Demand {
	d := Demand{Ref: ref, Says: value}
	address, foreign := whole(ref, base)
	meta, err := integrity.Parse(value)
	demanded := err == nil && len(meta) > 0
	switch {
	case !demanded && foreign:
		d.State = None
	case !demanded:
		d.State = Local
		return d
	case foreign && !cors:
		d.State = NoOrigin
	}
	b, err := bytesOf(ctx, address, foreign, dir, fetch)
	if err != nil {
		if d.Fault = err.Error(); d.State == "" {
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

// whole is an address in full, with https for one that takes the page's scheme, and whether it leads to another site.
func whole(ref, base string) (string, bool) {
	u, err := url.Parse(ref)
	if err != nil {
		return ref, false
	}
	if b, err := url.Parse(base); err == nil && base != "" {
		u = b.ResolveReference(u)
	}
	if u.Host != "" && u.Scheme == "" {
		u.Scheme = "https"
	}
	return u.String(), u.Host != ""
}

func bytesOf(ctx context.Context, address string, foreign bool, dir string, fetch Fetcher) ([]byte, error) {
	if foreign {
		return fetch(ctx, address)
	}
	name, err := url.PathUnescape(withoutQuery(address))
	if err != nil || dir == "" {
		return nil, fmt.Errorf("%s can't be found from here", address)
	}
	clean := filepath.FromSlash(strings.TrimPrefix(path.Clean("/"+name), "/"))
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	b, err := root.ReadFile(clean)
	if err != nil {
		return nil, fmt.Errorf("there is no file %s", name)
	}
	return b, nil
}
