package leads

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
)

// Modules finds imports of a page's modules that lead nowhere: of files that are not there, by names that no import map has, of names that
// the other module does not export (HTML Standard, section 8.1.6; ECMA-262, section 16.2). It follows the site's own files.
func (g *Guide) Modules(v *tags.Page, file string) []check.Finding {
	if !slices.ContainsFunc(v.Includes, func(in page.Include) bool { return in.Module && in.Inert == "" }) {
		return nil
	}
	m := &graph{g: g, v: v, seen: map[paths.InSite]bool{}}
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
		case strings.Contains(in.Inert, "type importmap"):
			m.names = readMap(v.InlineText(in), m.names)
		case in.Inert != "" || !in.Module:
		case in.Kind == page.InlineScript:
			line, column := v.Position(in.TextStart())
			m.imports(v.InlineText(in), v.Path, check.Finding{File: file, Line: line, Column: column}, true)
		case in.Kind == page.Script && !v.Targets[i].Path.IsZero():
			m.module(v.Targets[i].Path)
		}
	}
	return m.found
}

// A graph is that of one page's modules.
type graph struct {
	g     *Guide
	v     *tags.Page
	names map[string]string // of the page's import maps
	seen  map[paths.InSite]bool
	found []check.Finding
}

// module looks at an own module, and at those that it imports.
func (m *graph) module(at paths.InSite) {
	if m.seen[at] || m.g.p.At(m.g.p.InProject(at)).File != nil {
		return
	}
	m.seen[at] = true
	if b, err := m.g.p.ReadInSite(at); err == nil {
		m.imports(b, at, check.Finding{File: m.g.p.InProject(at).String(), Line: 1, Column: 1}, false)
	}
}

// imports looks at the imports of one module's text, which begins at a place. Those of inline modules that name files are told with the
// page's other references.
func (m *graph) imports(text []byte, from paths.InSite, begin check.Finding, inline bool) {
	for _, in := range m.g.p.Facts.Script(text).Imports {
		f := begin
		if f.Line += in.Line - 1; in.Line == 1 {
			f.Column += in.Column - 1
		} else {
			f.Column = in.Column
		}
		f.Name, f.Severity, f.Why = check.LeadsNowhere, check.Error, "the module that imports it does not run, and none that imports that one"
		t, bare, mapped := m.resolve(from, in.From, inline)
		switch {
		case bare && !mapped:
			f.Name = check.ImportUnmapped
			f.Message, f.Next = fmt.Sprintf("no import map on %s says what %q is", m.v.Path, in.From), "write an import map into the page's head before its modules, or import the file by its path"
			m.found = append(m.found, f)
		case t.Path.IsZero():
		case m.g.Has(t.Path):
			m.exports(t.Path, in, f)
			m.module(t.Path)
		case (!inline || bare) && m.g.p.At(m.g.p.InProject(t.Path)).File == nil:
			f.Message, f.Next = "there is no file "+t.Path.String(), "put the file there, or correct the import"
			m.g.Advise(&f, t.Path)
			m.found = append(m.found, f)
		}
	}
}

// resolve tells where an import leads: by its path from the module, or by its name through the page's import maps.
func (m *graph) resolve(from paths.InSite, specifier string, inline bool) (t tags.Target, bare, mapped bool) {
	if bare = !strings.HasPrefix(specifier, ".") && !strings.HasPrefix(specifier, "/"); bare {
		to, mapped := lookUp(m.names, specifier)
		return tags.Resolve(m.v.Path, m.v.Base, to), true, mapped
	}
	base := ""
	if inline {
		base = m.v.Base
	}
	return tags.Resolve(from, base, specifier), false, false
}

// exports tells of names that an import asks for and the other module has not.
func (m *graph) exports(of paths.InSite, in script.Import, f check.Finding) {
	if !strings.HasSuffix(of.String(), "js") {
		return // JSON, styles
	}
	for _, name := range in.Names {
		if has, known := m.has(of, name, map[paths.InSite]bool{}); known && !has {
			f.Name, f.Message = check.ImportLacking, fmt.Sprintf("%s exports no %s, which is imported here", of, name)
			f.Next = "import what it exports, or import it for its effect alone"
			if name == "default" {
				f.Message, f.Next = fmt.Sprintf("%s has no default export, which is imported here", of), "import it by a name that it exports, with braces"
			}
			m.found = append(m.found, f)
		}
	}
}

// has tells whether a module exports a name, itself or through those of which it exports all; known is false where that can't be told.
func (m *graph) has(of paths.InSite, name string, seen map[paths.InSite]bool) (has, known bool) {
	if seen[of] {
		return false, true
	}
	seen[of] = true
	b, err := m.g.p.ReadInSite(of)
	if err != nil {
		return false, false
	}
	r := m.g.p.Facts.Script(b)
	if r.Form == script.Broken || r.Fault != "" {
		return false, false
	}
	if slices.Contains(r.Exports, name) {
		return true, true
	}
	known = true
	for _, star := range r.Stars {
		t, _, _ := m.resolve(of, star, false)
		if t.Path.IsZero() {
			known = false
			continue
		}
		inner, sure := m.has(t.Path, name, seen)
		if inner && name != "default" {
			return true, true
		}
		known = known && sure
	}
	return false, known
}

// readMap adds the names of an import map to those that are known. A map that is no JSON has none.
func readMap(text []byte, maps map[string]string) map[string]string {
	var read struct{ Imports map[string]any }
	if json.Unmarshal(text, &read) != nil {
		return maps
	}
	all := map[string]string{}
	for k, to := range maps {
		all[k] = to
	}
	for k, to := range read.Imports {
		if address, ok := to.(string); ok && all[k] == "" {
			all[k] = address
		}
	}
	return all
}

// lookUp finds a name in import maps: itself, or the longest that ends in a slash and begins it.
func lookUp(maps map[string]string, name string) (string, bool) {
	if strings.Contains(name, ":") {
		return name, true // an address
	}
	if to, ok := maps[name]; ok {
		return to, true
	}
	best := ""
	for k := range maps {
		if strings.HasSuffix(k, "/") && strings.HasPrefix(name, k) && len(k) > len(best) {
			best = k
		}
	}
	if best == "" {
		return "", false
	}
	return maps[best] + strings.TrimPrefix(name, best), true
}
