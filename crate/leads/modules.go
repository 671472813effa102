package leads

import (
	"encoding/json"
	"fmt"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/tags"
)

// Modules finds imports of a page's modules that lead nowhere: of files that are not there, by names that no import map has (HTML
// Standard, section 8.1.6). It follows the site's own files.
func (g *Guide) Modules(v *tags.Page, file string) []check.Finding {
	var found []check.Finding
	var maps map[string]string
	seen := map[paths.InSite]bool{}
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
		case strings.Contains(in.Inert, "type importmap"):
			maps = readMap(v.InlineText(in), maps)
		case in.Inert != "" || !in.Module:
		case in.Kind == page.InlineScript:
			found = append(found, g.imports(v, v.InlineText(in), maps, seen, func(ref page.Reference, bare bool) (paths.InSite, check.Finding) {
				f := check.Finding{File: file}
				f.Line, f.Column = v.Position(in.TextStart() + ref.Start)
				return v.Path, f
			}, true)...)
		case in.Kind == page.Script && !v.Targets[i].Path.IsZero():
			found = append(found, g.module(v, v.Targets[i].Path, maps, seen)...)
		}
	}
	return found
}

// module finds what an own module imports in vain, and those that it imports.
func (g *Guide) module(v *tags.Page, at paths.InSite, maps map[string]string, seen map[paths.InSite]bool) []check.Finding {
	if seen[at] || g.p.At(g.p.InProject(at)).File != nil {
		return nil
	}
	seen[at] = true
	b, err := g.p.ReadInSite(at)
	if err != nil {
		return nil
	}
	return g.imports(v, b, maps, seen, func(ref page.Reference, bare bool) (paths.InSite, check.Finding) {
		f := check.Finding{File: g.p.InProject(at).String()}
		f.Line, f.Column = page.Position(b, ref.Start)
		return at, f
	}, false)
}

// imports looks at the imports of one module's text. Place says where an import stands, and from where it is resolved; those of inline
// modules that name files are told with the page's other references.
func (g *Guide) imports(v *tags.Page, text []byte, maps map[string]string, seen map[paths.InSite]bool, place func(page.Reference, bool) (paths.InSite, check.Finding), inline bool) []check.Finding {
	var found []check.Finding
	page.ModuleImports(text, func(r page.Reference) {
		bare := !strings.HasPrefix(r.Ref, ".") && !strings.HasPrefix(r.Ref, "/")
		from, f := place(r, bare)
		f.Name, f.Severity, f.Why = check.LeadsNowhere, check.Error, "the module that imports it does not run, and none that imports that one"
		t := tags.Resolve(from, "", r.Ref)
		if inline {
			t = tags.Resolve(from, v.Base, r.Ref)
		}
		if bare {
			to, mapped := lookUp(maps, r.Ref)
			if !mapped {
				f.Name = check.ImportUnmapped
				f.Message, f.Next = fmt.Sprintf("no import map on %s says what %q is", v.Path, r.Ref), "write an import map into the page's head before its modules, or import the file by its path"
				found = append(found, f)
				return
			}
			t = tags.Resolve(v.Path, v.Base, to)
		}
		switch {
		case t.Path.IsZero():
		case g.Has(t.Path):
			found = append(found, g.module(v, t.Path, maps, seen)...)
		case (!inline || bare) && g.p.At(g.p.InProject(t.Path)).File == nil:
			f.Message, f.Next = "there is no file "+t.Path.String(), "put the file there, or correct the import"
			g.Advise(&f, t.Path)
			found = append(found, f)
		}
	})
	return found
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
