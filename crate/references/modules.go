package references

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// Modules finds imports of a page's modules that lead nowhere: of files that are not there, by names that no import map
// has, of names that the other module does not export (HTML Standard, section 8.1.6; ECMA-262, section 16.2); and what
// its scripts ask for while they run that is not there. It follows the site's own files.
func (g *Resolver) Modules(v *tags.Page, file string, of *graph.Graph, scripts *tags.Scripts) []check.Finding {
	if len(of.Nodes)+len(of.Plain) == 0 {
		return nil
	}
	m := &modules{g: g, v: v, of: of}
	m.maps(file)
	for _, n := range of.Nodes {
		m.imports(n)
		m.loads(n)
		m.circle(n)
	}
	for _, n := range of.Plain {
		m.loads(n)
	}
	m.twice(file, scripts)
	return m.found
}

// modules looks at one page's modules.
type modules struct {
	g     *Resolver
	v     *tags.Page
	of    *graph.Graph
	found []check.Finding
}

// at is a place in a module's text, in the words of findings.
func (m *modules) at(n *graph.Node, line, column int) check.Finding {
	if n.Target.IsZero() {
		begin, first := m.v.Position(m.v.Includes[n.Include].TextStart())
		if line == 1 {
			column += first - 1
		}
		return check.Finding{File: m.g.p.InProject(m.v.Path).String(), Line: begin + line - 1, Column: column}
	}
	return check.Finding{File: m.g.p.InProject(n.Target.Path).String(), Line: line, Column: column}
}

// Missing reports whether a module of the site does not exist.
func (g *Resolver) Missing(n *graph.Node) bool {
	return !n.Target.Path.IsZero() && n.Of.File == nil && !g.Has(n.Target.Path)
}

// own tells a module whose text is the site's own.
func own(n *graph.Node) bool { return n.Of.File == nil && n.Target.URL == "" }

// imports looks at the imports of one module. Of a library's only names are reported that no map has; imports of inline
// modules that name files are reported with the page's other references.
func (m *modules) imports(n *graph.Node) {
	for i := range n.Imports {
		e := &n.Imports[i]
		if !own(n) {
			m.ofLibrary(n, e)
			continue
		}
		f := m.at(n, e.Line, e.Column)
		f.Severity, f.Why = check.Error, "neither the module that imports it nor any module that imports that one runs"
		switch t := e.Target; {
		case e.Bare && !e.Mapped:
			m.unmapped(f, e.From)
		case t.Path.IsZero():
			m.scheme(f, t.URL)
		case n.Target.IsZero() && !e.Bare && !m.g.Has(t.Path) && path.Ext(t.Path.Base()) == "":
			m.withoutEnding(f, t.Path)
		case m.g.Has(t.Path):
			if e.Bare && n.Include >= 0 && n.Target.IsZero() && m.before(n.Include) {
				m.unmapped(f, e.From) // an inline module asks at once, and the map is not there yet
				continue
			}
			m.kind(e, f)
			m.exports(e, f)
		case !n.Target.IsZero() || e.Bare:
			m.nowhere(f, e.Way, e.From)
		}
	}
}

// before reports whether an include stands before all import maps of the page.
func (m *modules) before(include int) bool {
	maps := m.v.ImportMaps()
	return len(maps) > 0 && include < maps[0]
}

// browserSchemes are those of addresses from which browsers load modules (Fetch Standard, section 4.2).
var browserSchemes = []string{"http", "https", "data", "blob"}

// scheme tells of an address that only other runtimes load, such as node:fs.
func (m *modules) scheme(f check.Finding, address string) {
	scheme, _, has := strings.Cut(address, ":")
	if !has || slices.Contains(browserSchemes, strings.ToLower(scheme)) {
		return
	}
	f.Name, f.Message = check.ImportUnmapped, fmt.Sprintf("%s is nothing that a browser loads: it knows no scheme %s:",
		address, scheme)
	f.Next = "use a build that is made for browsers"
	m.found = append(m.found, f)
}

// withoutEnding tells of an import that only bundlers complete.
func (m *modules) withoutEnding(f check.Finding, at paths.InSite) {
	for _, ending := range []string{".js", ".mjs", "/index.js"} {
		if file := paths.Found(at.String() + ending); m.g.Has(file) {
			f.Name, f.Message = check.LeadsNowhere, fmt.Sprintf("there is no file %s; browsers add no ending", at)
			f.Next = "write " + file.Base()
			m.found = append(m.found, f)
			return
		}
	}
}

// ofLibrary tells of a library's import by a name that no map has, or that leads to what has not what is imported.
func (m *modules) ofLibrary(n *graph.Node, e *graph.Edge) {
	page := check.Finding{Severity: check.Error, File: m.g.p.InProject(m.v.Path).String(), Line: 1, Column: 1,
		Why: fmt.Sprintf("%s:%d:%d: neither the module that imports it nor any module that imports that one runs",
			m.place(n), e.Line, e.Column)}
	switch {
	case !e.Bare && !n.Target.Path.IsZero() && !e.Target.Path.IsZero() && !m.g.Has(e.Target.Path):
		page.Name, page.Message = check.LeadsNowhere, fmt.Sprintf("%s imports %s, which does not exist", m.place(n),
			e.From)
		page.Next = "merry peek " + texts.Word(n.Of.Library) + "  # lists its files; take a build that a page can load"
		m.found = append(m.found, page)
	case !e.Bare:
	case !e.Mapped && m.g.p.List.Modules.Map != record.NoMap:
		page.Name, page.Message = check.ImportUnmapped, fmt.Sprintf("no import map on %s resolves %q, which %s imports",
			m.v.Path, e.From, m.name(n))
		page.Next = "merry take " + module.PackageOf(e.From) + "; merry include " + n.Of.Library + " --page " +
			texts.Word(m.v.Path.String())
		if len(m.g.p.Origin.Registries) == 0 {
			page.Next = "take " + module.PackageOf(e.From) +
				" from a download, or set your registry: merry sources set registry URL"
		}
		if step := m.takeFile(e.From); step != "" {
			page.Next = step
		}
		m.found = append(m.found, page)
	case !e.Target.Path.IsZero() && m.g.Has(e.Target.Path):
		for _, name := range lacking(e) {
			page.Name, page.Message = check.ImportLacking, fmt.Sprintf("%s, which the import map on %s gives for %q, "+
				"does not have %s, which %s imports", e.Target.Path, m.v.Path, e.From, exportWords(name), m.name(n))
			page.Next = fmt.Sprintf("take %s in a version that has it, or correct the map", module.PackageOf(e.From))
			m.found = append(m.found, page)
		}
	}
}

func exportWords(name string) string {
	if name == "default" {
		return "a default export"
	}
	return "the export " + name
}

// takeFile is the command that takes one more file of a library that the crate has, for a name such as
// foghorn/web/echo.js; "" for any other name.
func (m *modules) takeFile(name string) string {
	pkg := module.PackageOf(name)
	file, inside := strings.CutPrefix(name, pkg+"/")
	if !inside || path.Ext(file) == "" {
		return ""
	}
	for i := range m.g.p.List.Libraries {
		if lib := &m.g.p.List.Libraries[i]; lib.NameOnCDNs() == pkg {
			if _, packaged := lib.Package(); packaged { // take sees what the page's own modules import
				return fmt.Sprintf("merry take %s@%s --page %s", texts.Word(pkg), lib.Version,
					texts.Word(m.v.Path.String()))
			}
			return fmt.Sprintf("merry take %s --files %s --page %s", texts.Word(lib.Name), texts.Word(file),
				texts.Word(m.v.Path.String()))
		}
	}
	return ""
}

// name is what findings call a module of a library.
func (m *modules) name(n *graph.Node) string { return cmp.Or(n.Of.Library, n.Target.String()) }

// place is where a module's text is.
func (m *modules) place(n *graph.Node) string {
	if n.Target.URL != "" {
		return n.Target.URL
	}
	return m.g.p.InProject(n.Target.Path).String()
}

// unmapped tells of a name that no map has.
func (m *modules) unmapped(f check.Finding, name string) {
	if m.g.p.List.Modules.Map == record.NoMap {
		return // somebody else writes the maps
	}
	f.Name = check.ImportUnmapped
	f.Message, f.Next = fmt.Sprintf("no import map on %s resolves %q", m.v.Path, name),
		"write an import map into the page's head; or, for a package of a registry, set the registry: merry sources "+
			"set registry URL"
	if len(m.g.p.Origin.Registries) > 0 {
		f.Next = fmt.Sprintf("merry take %s --with-needs --page %s  # if it is a package of your registry; or write "+
			"an import map into the page's head", module.PackageOf(name), m.v.Path)
	}
	if step := m.takeFile(name); step != "" {
		f.Next = step
	}
	if of := m.g.p.Imported(name); of.Library != "" {
		f.Next = "merry include " + of.Library + " --page " + texts.Word(m.v.Path.String()) +
			"  # writes the crate's libraries into its import map"
	}
	m.found = append(m.found, f)
}

// nowhere tells of a file that is not there.
func (m *modules) nowhere(f check.Finding, way graph.Way, name string) {
	if m.g.p.At(m.g.p.InProject(way.Target.Path)).File != nil {
		return // that is reported of the library
	}
	f.Name, f.Message, f.Next = check.LeadsNowhere, "there is no file "+way.Target.Path.String(),
		"put the file there, or correct the import"
	if way.Mapped && way.Bare {
		f.Message += fmt.Sprintf(", which the import map on %s gives for %q", m.v.Path, name)
		f.Next = "put the file there, or correct the map"
	}
	m.g.Advise(&f, way.Target.Path)
	m.found = append(m.found, f)
}

// loads looks at what a script of the site's own asks for while it runs. What it knows how to do without is not told,
// and what a function asks for, which may not be called, is a warning.
func (m *modules) loads(n *graph.Node) {
	if !own(n) {
		return
	}
	for i := range n.Loads {
		l := &n.Loads[i]
		f := m.at(n, l.Line, l.Column)
		f.Severity, f.Why = check.Error, "the script that asks for it gets an error, and the rest of it does not run"
		if l.Late {
			f.Severity, f.Why = check.Warning, "whatever asks for it gets \"not found\""
		}
		if l.Caught {
			f.Severity, f.Why = check.Warning, "the script works without it, but the console says \"not found\""
		}
		switch t := l.Target; {
		case l.Caught && l.Bare:
		case l.How == script.Dynamic && l.Bare && !l.Mapped:
			m.unmapped(f, l.From)
		case t.Path.IsZero() || m.g.Has(t.Path) || n.Target.IsZero() && l.How == script.Dynamic && !l.Bare:
		case slices.Contains(Static, strings.ToLower(path.Ext(t.Path.String()))):
			m.nowhere(f, l.Way, l.From)
		}
	}
}

// circle finds a module that waits for another which waits for it.
func (m *modules) circle(n *graph.Node) {
	for i := range n.Loads {
		l := &n.Loads[i]
		if !l.Waits || l.To == nil || !own(n) || !l.To.Waits(n) {
			continue
		}
		f := m.at(n, l.Line, l.Column)
		f.Name, f.Severity, f.Message = check.AwaitCircle, check.Error, fmt.Sprintf("it waits for %s, which runs only "+
			"after this module has finished", l.To.Target)
		f.Why, f.Next = "both wait forever, without a console message, and so does every module that imports them",
			"do not await the import, or let "+l.To.Target.String()+" import what it needs from a third module"
		m.found = append(m.found, f)
	}
}

// kinds are the types that an import must say, by the endings of files that are no scripts.
var kinds = map[string]string{".json": "json", ".css": "css"}

// kind tells of an import of what is no script, without its type or with another one.
func (m *modules) kind(e *graph.Edge, f check.Finding) {
	ending := strings.ToLower(path.Ext(e.Target.Path.String()))
	if kinds[ending] == e.Type || kinds[ending] == "" && ending != ".js" && ending != ".mjs" {
		return
	}
	f.Name, f.Message = check.ImportKind, fmt.Sprintf("%s is imported as a script", e.Target.Path)
	f.Next = fmt.Sprintf("write with { type: %q } after the name, or fetch the file", kinds[ending])
	if e.Type != "" {
		f.Message, f.Next = fmt.Sprintf("%s is imported as %s, but is not", e.Target.Path, e.Type),
			"remove the type, or import another file"
	}
	m.found = append(m.found, f)
}

// twice finds libraries of which the page runs a module and a plain build: two copies, of which neither knows what was
// given to the other.
func (m *modules) twice(file string, scripts *tags.Scripts) {
	for i := range m.v.Includes {
		in, of := &m.v.Includes[i], m.v.Of[i]
		if of.File == nil || in.Kind != page.Script || in.Inert != "" || in.Module {
			continue
		}
		k := scripts.Of(m.v.Targets[i])
		at := slices.IndexFunc(m.of.Nodes, func(n *graph.Node) bool {
			return n.Of.Library == of.Library && n.Script != nil && n.Script.Form == script.Module && !n.Late &&
				m.g.p.Imports(n.Of)
		})
		if at < 0 || k == nil || len(k.Defines) == 0 {
			continue
		}
		line, column := m.v.Position(in.Start)
		m.found = append(m.found, check.Finding{Name: check.TwoForms, Severity: check.Warning, File: file, Line: line,
			Column: column,
			Message: fmt.Sprintf("%s runs here both as a plain script and as a module: %s", of.Library,
				m.of.Nodes[at].Target),
			Why: "the page loads it twice, and each copy has its own state", Next: "keep one of them: plain " +
				"scripts need the plain one, and importing modules need the module"})
	}
}

// maps reads the page's import maps. What browsers refuse of one is a finding.
func (m *modules) maps(file string) {
	for _, i := range m.v.ImportMaps() {
		in := &m.v.Includes[i]
		if len(bytes.TrimSpace(m.v.InlineText(in))) == 0 {
			continue // browsers pass an empty element over
		}
		read, err := m.v.ReadMap(m.g.p, i)
		if err != nil && len(m.v.HolesIn(in)) > 0 {
			continue // what a server makes of it is not known
		}
		if err == nil {
			m.entries(file, read, in.TextStart())
			m.demands(file, read, in.Start)
			if why := m.late(i, i != m.v.ImportMaps()[0]); why != "" {
				line, column := m.v.Position(in.Start)
				m.found = append(m.found, check.Finding{Name: check.MapLate, Severity: check.Warning, File: file,
					Line: line, Column: column, Message: "this import map " + why,
					Why:  "browsers before 2025, and some later ones, ignore it and the names in it",
					Next: "have one import map, in the head, before all modules and their hints"})
			}
			continue
		}
		offset := in.TextStart()
		var syntax *module.SyntaxError
		if errors.As(err, &syntax) {
			offset += syntax.Offset
		}
		line, column := m.v.Position(offset)
		m.found = append(m.found, check.Finding{Name: check.MapBroken, Severity: check.Error, File: file, Line: line,
			Column: column, Message: "the import map can't be read: " + err.Error(),
			Why: "browsers ignore such a map, and modules that import by name do not run", Next: "correct it there"})
	}
}

// entries finds entries of a map that lead to no address.
func (m *modules) entries(file string, read *module.Map, begin int) {
	for _, e := range read.Entries {
		if e.Address != "" && module.Relative(e.Address) {
			continue
		}
		line, column := m.v.Position(begin + e.Start)
		why := "an address in a map begins with /, ./, ../ or https://"
		if e.Address == "" {
			why = "an address in a map is a string"
		}
		m.found = append(m.found, check.Finding{Name: check.MapEntry, Severity: check.Warning, File: file, Line: line,
			Column: column, Message: fmt.Sprintf("the import map gives no address for %q", e.Specifier),
			Why:  why + "; browsers ignore the entry with a warning, and modules that import by that name do not run",
			Next: "correct it there, or remove the entry"})
	}
}

// demands finds hashes of a map that the files of the page's modules do not have: browsers refuse these files.
func (m *modules) demands(file string, read *module.Map, at int) {
	for _, address := range read.Demands() {
		t := tags.Resolve(m.v.Path, m.v.Base, address)
		i := slices.IndexFunc(m.of.Nodes, func(n *graph.Node) bool { return n.Target == t && !t.Path.IsZero() })
		meta, err := integrity.Parse(read.Integrity(address))
		if i < 0 {
			continue // nobody imports it
		}
		line, column := m.v.Position(at)
		if err != nil {
			m.found = append(m.found, check.Finding{Name: check.IntegrityUnheeded, Severity: check.Warning, File: file,
				Line: line, Column: column,
				Message: fmt.Sprintf("the import map's integrity of %s has no hash that browsers heed", t.Path),
				Why:     "browsers say so in the console, and check nothing",
				Next:    "merry seal " + texts.Word(m.g.p.InProject(t.Path).String()) + "  # prints the right one"})
			continue
		}
		b, err := m.g.p.ReadInSite(t.Path)
		if err != nil || meta.Match(b) {
			continue
		}
		m.found = append(m.found, check.Finding{Name: check.LinkStale, Severity: check.Error, File: file, Line: line,
			Column: column, Message: fmt.Sprintf("the import map's integrity of %s is not that of the file", t.Path),
			Why:  "a browser refuses the module, and all that imports it",
			Next: "merry check " + texts.Word(m.g.p.InProject(m.v.Path).String()) + " --fix  # writes the right one"})
	}
}

// late says why older browsers pass an import map over, "" if they do not.
func (m *modules) late(at int, second bool) string {
	if second {
		return "is a second one"
	}
	for i := range m.v.Includes[:at] {
		in := &m.v.Includes[i]
		if in.Module && in.Inert == "" || in.Kind == page.Hint && in.Rel == "modulepreload" {
			line, _ := m.v.Position(in.Start)
			return fmt.Sprintf("comes after the first module, in line %d", line)
		}
	}
	return ""
}

// lacking are the names that an import asks for and the other module has not.
func lacking(e *graph.Edge) []string {
	if e.To == nil || !strings.HasSuffix(e.Target.Path.String(), "js") {
		return nil // JSON, styles
	}
	var list []string
	for _, name := range e.Names {
		if has, known := e.To.Exports(name); known && !has {
			list = append(list, name)
		}
	}
	return list
}

// exports tells of names that an own module's import asks for and the other module has not.
func (m *modules) exports(e *graph.Edge, f check.Finding) {
	for _, name := range lacking(e) {
		f.Name, f.Message = check.ImportLacking, fmt.Sprintf("%s exports no %s, which is imported here", e.Target.Path,
			name)
		f.Next = "import what it exports, or import it without names"
		if name == "default" {
			f.Message, f.Next = fmt.Sprintf("%s has no default export, which is imported here", e.Target.Path),
				"import it by a name that it exports, in braces"
		}
		m.found = append(m.found, f)
	}
}
