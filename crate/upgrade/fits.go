package upgrade

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/support"
)

// A Shape is what a version's files for pages are: where they are known, and so far as they matter for choosing one.
type Shape struct {
	Form   string // plain, modules, styles or nothing
	Syntax int    // the year of the edition of ECMAScript that its scripts demand, 0 for none
	Wire   int64  // what a page loads, packed, in bytes
	Unfit  string // why it does not fit the site's browsers, "" if it does
}

// ShapeOf reads the suggested files of a version.
func ShapeOf(o *origin.Opened, browsers *support.Browsers) Shape {
	s := Shape{Form: "nothing"}
	sel := o.InBuild(o.Suggest(), record.Minified)
	lacks := map[string]string{} // a feature to those that lack it
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		b, err := o.Tree.ReadFile(c.Path)
		if !c.Page || err != nil {
			continue
		}
		s.Wire += origin.WireSize(b)
		switch {
		case f.Kind == packages.Stylesheet && s.Form == "nothing":
			s.Form = "styles"
		case f.Script == nil || f.Script.Form == script.Broken:
		case f.Script.Form == script.Module && s.Form != "plain":
			s.Form = "modules"
		case f.Script.Form != script.Module:
			s.Form = "plain"
		}
		if f.Script == nil {
			continue
		}
		s.Syntax = max(s.Syntax, f.Script.Syntax)
		for _, found := range support.InScript(b) {
			if who := browsers.Missing(found.Feature); who != "" {
				lacks[found.Name] = who
			}
		}
	}
	switch edition := browsers.Edition(); {
	case edition > 0 && s.Syntax > edition:
		s.Unfit = fmt.Sprintf("its script demands ECMAScript %d, and browsers: allows %d", s.Syntax, edition)
	case len(lacks) > 0:
		first := slices.Sorted(maps.Keys(lacks))[0]
		s.Unfit = fmt.Sprintf("it uses %s, which %s lacks", first, lacks[first])
	}
	return s
}

// BrowsersOf are the browsers that a project's pages are for.
func BrowsersOf(p *project.Project) *support.Browsers {
	browsers, err := support.Parse(p.List.Browsers)
	if err != nil {
		return &support.Browsers{} // a list with others was not read
	}
	return browsers
}

// Fits finds the newest version of a package that fits: the ranges in which it wants libraries that are in the crate,
// and those in which these want it; a hold; and the site's browsers. Library is its name in the crate, "" for one that
// is not there. Where many versions are new, few are opened, since what does not fit mostly stays so in later ones. The
// note says why a newer one does not fit. The error is that none does, or the registry's.
func Fits(ctx context.Context, p *project.Project, pkg, library string) (version, note string, err error) {
	doc, err := p.Origin.Document(ctx, pkg, false)
	if err != nil {
		return "", "", err
	}
	lib := p.List.Library(library)
	allowed := project.AllowedBy(p.List.HoldFor(library))
	var list []*source.Version
	minor, newest, why := "", "", ""
	for _, v := range slices.Backward(doc.Sorted()) {
		of := v.Version[:strings.LastIndexByte(v.Version, '.')]
		if strings.Contains(v.Version, "-") || v.Deprecated != "" || of == minor ||
			lib != nil && source.CompareVersions(v.Version, lib.Version) < 0 {
			continue
		}
		if newest == "" {
			newest = v.Version
		}
		unmet := ""
		switch {
		case allowed != nil && !allowed(v.Version):
			unmet = "the hold does not allow it"
		default:
			if unmet = wanted(p, lib, v); unmet == "" && library != "" {
				unmet = AllowedByOthers(ctx, p, library, pkg, v.Version)
			}
		}
		if unmet != "" {
			if why == "" {
				why = unmet
			}
			continue
		}
		minor = of
		list = append(list, v)
	}
	browsers := BrowsersOf(p)
	unfit := map[int]string{}
	var failed error
	at := sort.Search(len(list), func(i int) bool {
		o, err := p.Origin.OpenPackage(ctx, pkg, list[i].Version, nil)
		if err != nil {
			failed = err
			return false
		}
		unfit[i] = ShapeOf(o, browsers).Unfit
		return unfit[i] == ""
	})
	if failed != nil {
		return "", "", failed
	}
	if at == len(list) {
		if n := len(list) - 1; n >= 0 {
			why = unfit[n]
		}
		return "", "", problem.Refuse(problem.NeedUnmet, "merry versions "+pkg+"  # lists them all",
			"no version of %s fits: %s", pkg, why)
	}
	version = list[at].Version
	if at > 0 { // the one before was opened, too
		newest, why = list[at-1].Version, unfit[at-1]
	}
	if version == newest || why == "" {
		return version, "", nil
	}
	return version, fmt.Sprintf("%s %s does not fit: %s; %s does", pkg, newest, why, version), nil
}

// wanted says what a version wants of libraries of the crate that they are not, "" for nothing. One that is not in the
// crate yet may come to need any of them.
func wanted(p *project.Project, lib *record.Library, v *source.Version) string {
	if lib != nil {
		return Wants(p, *lib, v)
	}
	var all record.Library
	for i := range p.List.Libraries {
		all.Needs = append(all.Needs, p.List.Libraries[i].Name)
	}
	return Wants(p, all, v)
}

// AllowedByOthers says which library that needs one does not allow a version of it, "" for none.
func AllowedByOthers(ctx context.Context, p *project.Project, library, pkg, version string) string {
	for _, name := range p.List.NeededBy(library) {
		o, err := p.OpenKept(ctx, name)
		if err != nil {
			continue
		}
		m := o.Manifest
		o.Close()
		for _, ranges := range []map[string]string{m.Peers, m.Dependencies} {
			if allowed, err := source.ParseRange(ranges[pkg]); ranges[pkg] != "" && err == nil &&
				!allowed.Has(version) {
				return fmt.Sprintf("%s requires %s %s", name, library, ranges[pkg])
			}
		}
	}
	return ""
}
