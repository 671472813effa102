package packages

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// addOwn adds what chosen scripts need and other scripts of the package itself define: a library may come in several
// files. There tells what a page has already.
func (d *Package) addOwn(s *Selection, there func(global string) bool) {
	for i := 0; i < len(s.Choices); i++ { // it grows on the way
		f := d.File(s.Choices[i].Path)
		if f.Script == nil || f.Script.Form == script.Module || f.Build == record.Minified && f.OtherBuild != "" &&
			s.Has(f.OtherBuild) {
			continue
		}
		for _, n := range f.Script.Hard() {
			if d.chosenDefines(s, n) || d.Foreign(n.Name) || there(n.Name) || slices.ContainsFunc(n.Or, there) {
				continue
			}
			if g := d.Definer(n.Name, nil); g != nil && !s.Has(g.Path) {
				d.addBothBuilds(s, g, fmt.Sprintf("it defines %s, which %s needs", n.Name, stemOf(f.Path)))
			}
		}
	}
}

func (d *Package) chosenDefines(s *Selection, n script.Need) bool {
	return slices.ContainsFunc(s.Choices, func(c Choice) bool {
		f := d.File(c.Path)
		return f.Script != nil && slices.ContainsFunc(f.Script.Defines, func(g script.Global) bool {
			return g.Name == n.Name || slices.Contains(n.Or, g.Name)
		})
	})
}

// Foreign tells a global that is another library's by all that names tell: one of the dependencies is called like it,
// or the library is called as an add-on of it.
func (d *Package) Foreign(global string) bool {
	key := manifest.NameKey(global)
	for _, deps := range []map[string]string{d.Manifest.Peers, d.Manifest.Dependencies, d.Manifest.Dev} {
		for name := range deps {
			if manifest.NameKey(name) == key {
				return true
			}
		}
	}
	rest, ok := strings.CutPrefix(strings.ToLower(d.Name), strings.ToLower(global))
	return ok && rest != "" && strings.ContainsRune("-._", rune(rest[0]))
}

// ofAnother tells a copy of another library by the version that its name or its banner says. A file that
// the manifest or the readme names is the library's own.
func (d *Package) ofAnother(f *File) bool {
	if style := d.Manifest.Style; d.shown(f) || style != "" && (path.Clean(style) == f.Path ||
		path.Clean(style) == f.OtherBuild) {
		return false
	}
	name, version := manifest.NameVersion(path.Base(f.Path))
	if version == "" {
		name, version = f.Banner.Name, f.Banner.Version
	}
	name = strings.TrimSuffix(strings.TrimSuffix(name, ".css"), ".js")
	own := manifest.NameKey(d.Name)
	return version != "" && d.Version != "" && version != d.Version && manifest.NameKey(name) != own &&
		stemKey(f.Path) != own
}

// Bring adds a script to a selection, with everything that must come along, and with its other build if the selection
// has both builds.
func (d *Package) Bring(s *Selection, name, why string) {
	f := d.File(name)
	both := slices.ContainsFunc(s.Choices, func(c Choice) bool {
		return d.File(c.Path).OtherBuild != "" && s.Has(d.File(c.Path).OtherBuild)
	})
	d.replace(s, f)
	if both {
		d.addBothBuilds(s, f, why)
	} else {
		s.add(f.Path, why, true)
	}
	d.complete(s, true)
}

// replace takes from a selection the scripts that another one has all of: on a page with both they would run twice.
func (d *Package) replace(s *Selection, by *File) {
	covered := func(c Choice) bool {
		f := d.File(c.Path)
		if f.Kind == Map && f.MapOf != "" {
			f = d.File(f.MapOf)
		}
		if f == nil || f.Script == nil || by.Script == nil || f == by {
			return false
		}
		if len(f.Script.Defines)+len(f.Script.Parts) == 0 { // reading does not tell, so names do: x and x-all
			return strings.HasPrefix(stemOf(by.Path), stemOf(f.Path))
		}
		return hasAll(by.Script, f.Script)
	}
	s.Choices = slices.DeleteFunc(s.Choices, func(c Choice) bool {
		if covered(c) {
			delete(s.has, c.Path)
			return true
		}
		return false
	})
}

// Copy reports whether a file is excluded as a copy of another library.
func (f *File) Copy() bool { return f.ExcludedBecause == otherPackages }

// Definer finds the script of the package that defines a global, or gives a member: the one that needs least, of those
// the one that speaks most for itself. Copies are the reports of scripts that are excluded as other packages', by their
// paths; those count too.
func (d *Package) Definer(name string, copies map[string]*script.Report) *File {
	var best *File
	var bestReport *script.Report
	for i := range d.Files {
		f := &d.Files[i]
		report := f.Script
		if f.ExcludedBecause != "" {
			report = copies[f.Path]
		}
		if report == nil || report.Form != script.Classic && report.Form != script.Universal {
			continue
		}
		if !slices.ContainsFunc(slices.Concat(report.Defines, report.Parts), func(g script.Global) bool {
			return g.Name == name
		}) {
			continue
		}
		if copies == nil && d.ofAnother(f) {
			continue
		}
		if best == nil || len(report.Hard()) < len(bestReport.Hard()) || len(report.Hard()) == len(bestReport.Hard()) &&
			better(f, best) {
			best, bestReport = f, report
		}
	}
	if best != nil && best.Build == record.Minified && best.OtherBuild != "" {
		best = d.File(best.OtherBuild)
	}
	return best
}
