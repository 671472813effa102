package upgrade

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/offered"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// Removed are the names that earlier versions of the crate's libraries offered and the present ones do not, as the seal
// remembers them.
type Removed struct {
	p      *project.Project
	lost   []RemovedName
	of     []removedOf // of each
	finder *finder
}

type removedOf struct{ library, had, has string }

// NewRemoved reads the seal's memory, less what the packing list lets go and what another library offers; nil if there
// is nothing.
func NewRemoved(p *project.Project) *Removed {
	g := &Removed{p: p}
	known := map[string]bool{}
	for _, name := range p.Seal.Names() {
		sealed := p.Seal.Libraries[name]
		lib := p.List.Library(name)
		for version, names := range sealed.Gone {
			for _, n := range names {
				if i := strings.IndexByte(n, '.'); i > 0 {
					continue // a member: a rehearsal tells who uses it
				}
				l := removedName(n)
				if lib != nil && (slices.Contains(lib.Forget, "*") || slices.Contains(lib.Forget, n) ||
					slices.Contains(lib.Forget, l.Name)) {
					continue
				}
				if len(known) == 0 {
					known = allOffered(p)
				}
				if !known[n] {
					g.lost, g.of = append(g.lost, l), append(g.of, removedOf{name, version, sealed.Version})
				}
			}
		}
	}
	if len(g.lost) == 0 {
		return nil
	}
	g.finder = newFinder(g.lost)
	return g
}

// removedName is a name as the seal remembers it, with its kind.
func removedName(n string) RemovedName {
	switch {
	case strings.HasPrefix(n, "--"):
		return RemovedName{Kind: string(style.Property), Name: n}
	case strings.HasPrefix(n, "."):
		return RemovedName{Kind: string(style.Class), Name: n[1:]}
	case strings.HasPrefix(n, "["):
		return RemovedName{Kind: string(style.Attribute), Name: n[1:]}
	case strings.HasPrefix(n, "@"):
		return RemovedName{Kind: string(style.Keyframes), Name: n[1:]}
	}
	return RemovedName{Kind: "global", Name: n}
}

// allOffered are the classes, properties, keyframes, attributes and globals that the crate's libraries offer now.
func allOffered(p *project.Project) map[string]bool {
	all := map[string]bool{"": true}
	for g := range p.Globals() {
		all[g] = true
	}
	for _, name := range p.Seal.Names() {
		for i := range p.Seal.Libraries[name].Files {
			f := &p.Seal.Libraries[name].Files[i]
			kind := packages.KindOf(f.Path)
			if kind != packages.Stylesheet && (kind != packages.Script || f.Role != record.Tagged) {
				continue
			}
			b, err := p.LocalBytes(project.Sealed{Library: name, File: f})
			if err != nil {
				continue
			}
			if kind == packages.Script {
				for attribute := range offered.Attributes(b) {
					all["["+attribute] = true
				}
				continue
			}
			for _, m := range style.Read(b).Makes() {
				all[map[style.Kind]string{style.Class: ".", style.Keyframes: "@",
					style.Attribute: "["}[m.Kind]+m.Name] = true
			}
		}
	}
	return all
}

// Page finds uses of such names on a page that has their library, or that is a fragment of such pages.
func (g *Removed) Page(v *tags.Page, file string, libraries []string) []check.Finding {
	if g == nil {
		return nil
	}
	return g.findings(g.finder.onPage(v, file), func(library string) bool {
		return v.Fragment || slices.Contains(libraries, library)
	})
}

// Own finds them in an own stylesheet or script.
func (g *Removed) Own(name paths.InSite, b []byte) []check.Finding {
	if g == nil {
		return nil
	}
	at := g.p.InProject(name).String()
	all := func(string) bool { return true }
	if packages.KindOf(name.String()) == packages.Stylesheet {
		return g.findings(g.finder.inStyle(b, 0, texts.NewIndex(b), at), all)
	}
	return g.findings(g.finder.inScript(b, 0, texts.NewIndex(b), at), all)
}

// findings says of each use, of those that are sure enough, what is gone.
func (g *Removed) findings(uses map[int][]Occurrence, concerns func(library string) bool) []check.Finding {
	var list []check.Finding
	for i, places := range uses {
		l, of := &g.lost[i], g.of[i]
		if !concerns(of.library) {
			continue
		}
		for _, u := range places {
			if u.How == script.Possible {
				continue
			}
			f := check.Finding{Name: check.ClassRemoved, Severity: check.Warning,
				Message: fmt.Sprintf("%s %s no longer has the %s %s, which %s had", of.library, of.has, l.Kind, l.Name,
					of.had),
				Why: "it has no effect here any more, and visitors see no error",
				Next: fmt.Sprintf("merry compare %s %s %s  # shows its new name; or add forget: [%s] to %s in "+
					"crate.yaml", of.library, of.had, of.has, l.Name, of.library)}
			if len(g.p.Origin.Registries) == 0 { // both versions can't be had without one
				f.Next = fmt.Sprintf("use the new name from the changelog of %s; or add forget: [%s] to %s in "+
					"crate.yaml", of.library, l.Name, of.library)
			}
			switch l.Kind {
			case "global":
				f.Name = check.GlobalGone
			case string(style.Attribute):
				f.Name = check.AttributeGone
			}
			f.File, f.Line, f.Column = u.file, u.line, u.column
			list = append(list, f)
		}
	}
	slices.SortFunc(list, func(a, b check.Finding) int {
		return strings.Compare(fmt.Sprintf("%s%08d%08d", a.File, a.Line, a.Column), fmt.Sprintf("%s%08d%08d", b.File,
			b.Line, b.Column))
	})
	return list
}
