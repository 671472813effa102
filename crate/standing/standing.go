// Package standing finds what stands on pages without a record: scripts that give globals to others, and what the
// site's own modules import.
package standing

import (
	"context"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/requirements"
	"merrycrate.example/merry/crate/tags"
)

// Scripts are scripts without a record that stand on pages.
type Scripts struct {
	Defined map[string]string   // a global, or the key of a name, to where the script is
	Texts   map[string][][]byte // by where the script is
	imports []string            // what own modules import by name, on any of the pages
}

// On finds what unrecorded scripts give that stand on each of some pages: what they define, and, of one whose text
// is not known, what its name says.
func On(ctx context.Context, d *reconcile.Plan, pages []paths.InSite) (*Scripts, error) {
	all := &Scripts{Defined: map[string]string{}, Texts: map[string][][]byte{}}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	parts, scripts := d.Before.PartsOf(ctx, site, pages), tags.NewScripts(d.Before)
	first := true
	for _, name := range parts.Visited(pages) { // a part alone has not what its pages have
		v, err := tags.ReadComposed(d.Before, parts, name)
		if err != nil {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			continue // what gets no tag has nothing there
		}
		on := map[string]string{}
		for i := range v.Includes {
			t := v.Targets[i]
			if v.Library(i) == "" && v.Includes[i].Module && v.Runs(i) {
				all.follow(scripts, scripts.OfInclude(v, i), t.Path, map[paths.InSite]bool{})
			}
			if v.Library(i) != "" || t.IsZero() || !v.Runs(i) || v.IsStyle(i) || v.Includes[i].Module {
				continue
			}
			at := requirements.OnPages + t.String()
			s := scripts.OfInclude(v, i)
			if s == nil || s.Report == nil {
				library, _ := manifest.NameVersion(path.Base(packages.PathOf(v.Includes[i].Ref)))
				on[requirements.OnPages+manifest.NameKey(strings.TrimSuffix(library, ".js"))] = at
				continue
			}
			for _, g := range s.Defines {
				on[g.Name] = at
			}
			all.Texts[at] = [][]byte{s.Text}
		}
		for global := range all.Defined {
			if on[global] == "" {
				delete(all.Defined, global)
			}
		}
		for global, at := range on {
			if first {
				all.Defined[global] = at
			}
		}
		first = false
	}
	return all, nil
}

// follow collects what a module and those that it imports by their paths import by name.
func (x *Scripts) follow(scripts *tags.Scripts, s *tags.Script, at paths.InSite, seen map[paths.InSite]bool) {
	if s == nil || s.Report == nil || seen[at] {
		return
	}
	seen[at] = true
	for _, name := range s.ModuleImport {
		switch {
		case strings.HasPrefix(name, "."):
			next := paths.Found(path.Join(at.Dir(), name))
			if scripts.Project().At(scripts.Project().InProject(next)).Library == "" {
				x.follow(scripts, scripts.Of(tags.Target{Path: next}), next, seen)
			}
		case !strings.Contains(name, ":") && !strings.HasPrefix(name, "/") && !slices.Contains(x.imports, name):
			x.imports = append(x.imports, name)
		}
	}
}

// ImportedOf lists what own modules import of a package: it, or files of it.
func (x *Scripts) ImportedOf(pkg string) (list []string) {
	if x == nil || pkg == "" {
		return nil
	}
	for _, name := range x.imports {
		if name == pkg || strings.HasPrefix(name, pkg+"/") {
			list = append(list, name)
		}
	}
	return list
}
