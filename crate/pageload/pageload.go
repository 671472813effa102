// Package pageload turns a page into the request for a rehearsal: its scripts in order, its modules, and what its
// policies block.
package pageload

import (
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/template"
)

// Site is the address of the site in a rehearsal.
const Site = "https://site.invalid/"

// Policies answers what the content security policies that apply to a page forbid.
type Policies interface {
	Applies(v *tags.Page) bool // whether any policy applies to the page
	// Blocked lists the includes whose scripts are blocked, by index, and says how eval is treated.
	Blocked(v *tags.Page) (scripts map[int]bool, eval rehearse.Eval)
	// Types are what they demand of texts that become markup or code, nil for nothing.
	Types(v *tags.Page) *rehearse.Types
	// Made lists what the policies forbid of what the page's scripts made while they ran.
	Made(v *tags.Page, report *rehearse.Report) []Forbidden
}

// Forbidden is what a policy forbids of what a script makes or asks for.
type Forbidden struct {
	Include              int // the script, of the page
	Module, Line, Column int // as in a fault
	// What completes "the script …", Policy names the policy and its directive, and Next says how to allow it.
	What, Policy, Next string
}

// A Loader knows the project whose pages are rehearsed.
type Loader struct {
	P        *project.Project
	Scripts  *tags.Scripts
	Policies Policies
	Leads    *references.Resolver
}

// Request makes the request for a page.
func (s *Loader) Request(v *tags.Page) *rehearse.Request {
	req := &rehearse.Request{HTML: string(v.Covered()), Address: Site + v.Path.String(), Texts: map[string]string{},
		Browser: script.BrowserNames()}
	if v.OnLoadStart > 0 && !s.Policies.Applies(v) && !template.Directed(v.OnLoad) {
		// what a policy says of attributes, and what a server puts there, is not known
		req.OnLoad = &rehearse.Script{Name: "the onload of the body", Text: v.OnLoad}
		req.OnLoad.Line, req.OnLoad.Column = v.Position(v.OnLoadStart)
	}
	var stopped map[int]bool
	stopped, req.Eval = s.Policies.Blocked(v)
	req.Policed, req.Types = s.Policies.Applies(v), s.Policies.Types(v)
	imported := graph.Of(s.Scripts, v)
	modules, nodes := s.modules(v, imported, req)
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Kind != page.Script && in.Kind != page.InlineScript || strings.HasPrefix(in.Inert, "inside") &&
			in.Inert != "inside svg or math" {
			continue // the parser of a browser sees no element there either
		}
		sc := rehearse.Script{Name: v.Name(i), When: rehearse.InPlace}
		switch in.When {
		case page.Deferred:
			sc.When = rehearse.Deferred
		case page.Async:
			sc.When = rehearse.AnyTime
		}
		switch known := s.Scripts.OfInclude(v, i); {
		case in.Inert != "":
			sc.Skip = in.Inert
		case stopped[i]:
			sc.Skip = "the page's policy forbids it"
		case known == nil && in.Kind == page.Script && !v.Targets[i].Path.IsZero() && v.Library(i) == "":
			sc.Skip = "it is missing"
		case known == nil:
			sc.Skip, sc.Unknown = "its contents are not known", true
		case known.Filled:
			sc.Skip, sc.Unknown = "a server fills it in", true
			for _, g := range known.Defines {
				sc.Defines = append(sc.Defines, g.Name)
			}
		case known.Text == nil:
			sc.Skip = "its contents are not available"
			for _, g := range known.Defines {
				sc.Defines = append(sc.Defines, g.Name)
			}
		case in.Module:
			sc.Module = modules[i] + 1
			for _, g := range known.Defines {
				sc.Defines = append(sc.Defines, g.Name)
			}
		case known.Form == script.Module:
			sc.Skip = "a module in a plain script tag"
		default:
			sc.Text = string(known.Text)
			sc.Imports = importsOf(nodes, imported.PlainOf(i))
			for _, g := range known.Defines {
				sc.Defines = append(sc.Defines, g.Name)
			}
			if in.Kind == page.InlineScript {
				_, sc.Line, sc.Column = v.Locate(in.TextStart())
			}
		}
		req.Scripts = append(req.Scripts, sc)
		if sc.Text != "" && v.Library(i) == "" {
			s.written(v, sc.Text, req)
		}
		if at, local := v.FallbackOf(i); at >= 0 {
			if k := s.Scripts.Of(local); k != nil {
				req.Texts[Site+local.Path.String()] = string(k.Text)
			}
		}
	}
	return req
}

// written adds the texts of the site's scripts that an own script may write into the page: those whose paths are in it.
func (s *Loader) written(v *tags.Page, text string, req *rehearse.Request) {
	if !strings.Contains(text, "document.write") {
		return
	}
	page.ScriptReferences([]byte(text), func(r page.Reference) {
		t := tags.ResolveOnce(v.Path, v.Base, r.Ref)
		if !strings.HasSuffix(t.Path.String(), ".js") || !s.Leads.Has(t.Path) {
			return
		}
		if k := s.Scripts.Of(t); k != nil && k.Text != nil {
			if req.Written == nil {
				req.Written = map[string]string{}
			}
			req.Written[Site+t.Path.String()] = string(k.Text)
		}
	})
}

// modules adds the modules of a page to a request, and tells where it is there, of each include that is one, and of
// each of the graph.
func (s *Loader) modules(v *tags.Page, imported *graph.Graph, req *rehearse.Request) (of map[int]int,
	at map[*graph.Node]int) {
	of, at = map[int]int{}, map[*graph.Node]int{}
	for n, node := range imported.Nodes {
		at[node] = n
	}
	for n, node := range imported.Nodes {
		m := rehearse.Module{Address: Site + v.Path.String(), Unknown: node.Script == nil || node.Script.Text == nil,
			Imports: importsOf(at, node)}
		if node.Include >= 0 {
			of[node.Include] = n
		}
		if node.Script != nil {
			m.Name, m.Text = node.Script.Name, string(node.Script.Text)
		}
		switch t := node.Target; {
		case t.IsZero():
			_, m.Line, m.Column = v.Locate(v.Includes[node.Include].TextStart())
		case t.URL != "":
			m.Address = t.URL
		default:
			m.Address = Site + t.Path.String()
		}
		m.Unresolved = s.unresolved(v, &m)
		if s.Leads.Missing(node) {
			m.Unknown = false // it is known not to be there: reading tells so
		}
		req.Modules = append(req.Modules, m)
	}
	for n, node := range imported.Nodes {
		for _, e := range node.Imports {
			if e.To == nil && e.Type != "" && s.Leads.Has(e.Target.Path) {
				if b, err := s.P.ReadInSite(e.Target.Path); err == nil {
					req.Modules[n].Imports[e.From] = len(req.Modules)
					req.Modules = append(req.Modules, rehearse.Module{Name: e.Target.String(), Text: string(b),
						Type: e.Type})
				}
			} else if e.To != nil && s.Leads.Missing(e.To) {
				req.Modules[n].Imports[e.From] = -1
			}
		}
	}
	return of, at
}

// asksWhere finds the names that a module asks the addresses of (HTML Standard, section 8.1.6.5).
var asksWhere = memo.Regexp("import\\.meta\\.resolve\\(\\s*[\"'`]([^\"'`]+)[\"'`]")

// unresolved are the names of which a module asks the address, and that no import map of the page has.
func (s *Loader) unresolved(v *tags.Page, m *rehearse.Module) (list []string) {
	for _, found := range asksWhere().FindAllStringSubmatch(m.Text, -1) {
		at, err := url.Parse(m.Address)
		if err != nil {
			continue
		}
		if _, ok := v.MapNames(s.P).Resolve(at, found[1]); !ok {
			list = append(list, found[1])
		}
	}
	return list
}

// importsOf tells where the specifiers of a script lead, by the places of the modules in the request.
func importsOf(at map[*graph.Node]int, n *graph.Node) map[string]int {
	if n == nil {
		return nil
	}
	list := map[string]int{}
	put := func(name string, way graph.Way, to *graph.Node) {
		if i, known := at[to]; known {
			list[name] = i
		} else if way.Bare && !way.Mapped {
			list[name] = -1
		}
	}
	for _, e := range n.Imports {
		put(e.From, e.Way, e.To)
	}
	for _, l := range n.Loads {
		if l.How == script.Dynamic {
			put(l.From, l.Way, l.To)
		}
	}
	return list
}

// Scripts maps the scripts of a request back to the includes of the page.
func Scripts(v *tags.Page) []int {
	var list []int
	for i := range v.Includes {
		in := &v.Includes[i]
		if (in.Kind == page.Script || in.Kind == page.InlineScript) && !(strings.HasPrefix(in.Inert, "inside") &&
			in.Inert != "inside svg or math") {
			list = append(list, i)
		}
	}
	return slices.Clip(list)
}
