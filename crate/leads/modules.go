package leads

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
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
	m.maps(file)
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
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
	names *module.Names // of the page's import maps
	seen  map[paths.InSite]bool
	found []check.Finding
}

// module looks at a module, and at those that it imports. Of a library's only names are told that no map has.
func (m *graph) module(at paths.InSite) {
	if m.seen[at] {
		return
	}
	m.seen[at] = true
	b, err := m.g.p.ReadInSite(at)
	if of := m.g.p.At(m.g.p.InProject(at)); of.File != nil {
		if err == nil {
			m.library(b, at, of)
		}
		return
	}
	if err == nil {
		m.imports(b, at, check.Finding{File: m.g.p.InProject(at).String(), Line: 1, Column: 1}, false)
	}
}

// library looks at the imports of a library's module.
func (m *graph) library(text []byte, at paths.InSite, of project.Sealed) {
	for _, in := range m.g.p.Facts.Script(text).Imports {
		t, bare, mapped := m.resolve(at, in.From, false)
		if bare && !mapped {
			m.found = append(m.found, check.Finding{Name: check.ImportUnmapped, Severity: check.Error, File: m.g.p.InProject(m.v.Path).String(), Line: 1, Column: 1,
				Message: fmt.Sprintf("no import map on %s says what %q is, which %s imports", m.v.Path, in.From, of.Library),
				Why:     fmt.Sprintf("%s:%d:%d: the module that imports it does not run, and none that imports that one", m.g.p.InProject(at), in.Line, in.Column),
				Next:    "merry take " + module.PackageOf(in.From) + ", then merry include " + of.Library + " --page " + m.v.Path.String()})
		} else if !t.Path.IsZero() {
			m.module(t.Path)
		}
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
			if of := m.g.p.Imported(in.From); of.Library != "" {
				f.Next = "merry include " + of.Library + " --page " + m.v.Path.String() + " writes the crate's into its import map"
			}
			m.found = append(m.found, f)
		case t.Path.IsZero():
		case m.g.Has(t.Path):
			m.exports(t.Path, in, f)
			m.module(t.Path)
		case (!inline || bare) && m.g.p.At(m.g.p.InProject(t.Path)).File == nil:
			f.Message, f.Next = "there is no file "+t.Path.String(), "put the file there, or correct the import"
			if mapped && bare {
				f.Message += fmt.Sprintf(", to which the import map on %s leads %q", m.v.Path, in.From)
				f.Next = "put the file there, or correct the map"
			}
			m.g.Advise(&f, t.Path)
			m.found = append(m.found, f)
		}
	}
}

// maps reads the page's import maps. What browsers refuse of one is a finding.
func (m *graph) maps(file string) {
	for _, i := range m.v.ImportMaps() {
		in := &m.v.Includes[i]
		read, err := module.ReadMap(m.v.InlineText(in))
		if err == nil {
			m.entries(file, read, in.TextStart())
			if why := m.late(i, i != m.v.ImportMaps()[0]); why != "" {
				line, column := m.v.Position(in.Start)
				m.found = append(m.found, check.Finding{Name: check.MapLate, Severity: check.Warning, File: file, Line: line, Column: column, Message: "this import map " + why,
					Why: "browsers of before 2025, and some later ones, pass it over with what it names", Next: "have one import map, in the head, before all modules and their hints"})
			}
			continue
		}
		offset := in.TextStart()
		var syntax *module.SyntaxError
		if errors.As(err, &syntax) {
			offset += syntax.Offset
		}
		line, column := m.v.Position(offset)
		m.found = append(m.found, check.Finding{Name: check.MapBroken, Severity: check.Error, File: file, Line: line, Column: column, Message: "the import map can't be read: " + err.Error(),
			Why: "browsers pass such a map over, and every module that imports by a name does not run", Next: "correct it there"})
	}
	m.names = joined(m.v)
}

// entries finds entries of a map that lead to no address.
func (m *graph) entries(file string, read *module.Map, begin int) {
	for _, e := range read.Entries {
		if e.Address != "" && module.Relative(e.Address) {
			continue
		}
		line, column := m.v.Position(begin + e.Start)
		why := "an address in a map begins with /, ./, ../ or https://"
		if e.Address == "" {
			why = "an address in a map is a text"
		}
		m.found = append(m.found, check.Finding{Name: check.MapEntry, Severity: check.Warning, File: file, Line: line, Column: column, Message: fmt.Sprintf("the import map leads %q to no address", e.Specifier),
			Why: why + "; browsers pass the entry over and warn, and modules that import by that name do not run", Next: "correct it there, or take the entry off"})
	}
}

// joined are the names of a page's import maps, those that can be read.
func joined(v *tags.Page) *module.Names {
	var list []*module.Map
	for _, i := range v.ImportMaps() {
		if read, err := module.ReadMap(v.InlineText(&v.Includes[i])); err == nil {
			list = append(list, read)
		}
	}
	return module.Join(list, v.Address())
}

// late says why older browsers pass an import map over, "" where they do not.
func (m *graph) late(at int, second bool) string {
	if second {
		return "is a second one"
	}
	for i := range m.v.Includes[:at] {
		in := &m.v.Includes[i]
		if in.Module && in.Inert == "" || in.Kind == page.Hint && in.Rel == "modulepreload" {
			line, _ := m.v.Position(in.Start)
			return fmt.Sprintf("comes behind the first module, in line %d", line)
		}
	}
	return ""
}

// resolve tells where an import leads: by its path from the module, or by its name through the page's import maps.
func (m *graph) resolve(from paths.InSite, specifier string, inline bool) (t tags.Target, bare, mapped bool) {
	bare = !module.Relative(specifier)
	at := tags.AddressIn(from)
	if inline {
		at = m.v.Address()
	}
	to, ok := m.names.Resolve(at, specifier)
	if !ok {
		return tags.Target{}, bare, false
	}
	return tags.TargetAt(to), bare, true
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
