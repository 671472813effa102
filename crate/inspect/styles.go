package inspect

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// unstyled finds libraries whose scripts are on a page and whose stylesheets are not, although the page or the script
// uses their classes, and no stylesheet of the page has a rule for one of these.
func (c *inspection) unstyled(v *tags.Page, file string) []check.Finding {
	scripts := map[string]int{} // of a library its first script
	styled := map[string]bool{}
	for i := range v.Includes {
		switch library := v.Library(i); {
		case library == "" || v.Includes[i].Inert != "":
		case v.Includes[i].Kind == page.Stylesheet:
			styled[library] = true
		case v.Includes[i].Kind == page.Script:
			if _, seen := scripts[library]; !seen {
				scripts[library] = i
			}
		}
	}
	var list []check.Finding
	for _, library := range c.p.List.Libraries {
		i, on := scripts[library.Name]
		if !on || styled[library.Name] {
			continue
		}
		sheet, classes := c.classesOf(library.Name)
		if len(classes) == 0 {
			continue
		}
		used := c.usedOf(v, library.Name, classes)
		if len(used) == 0 || c.hasRule(v, used) {
			continue
		}
		f := check.Finding{Name: check.StyleMissing, Severity: check.Warning, File: file,
			Message: fmt.Sprintf("%s is on this page without its stylesheet %s", library.Name, sheet),
			Why: "no stylesheet of the page has a rule for classes that it uses: " +
				project.Abbreviate(used, 4),
			Next: fmt.Sprintf("merry include %s --page %s", library.Name, texts.Word(file))}
		f.Line, f.Column = v.Position(v.Includes[i].Start)
		list = append(list, f)
	}
	return list
}

// classesOf are the classes for which the stylesheets of a library that go on pages have rules, with the first of these
// sheets.
func (c *inspection) classesOf(library string) (sheet string, classes map[string]bool) {
	sealed := c.p.Seal.Libraries[library]
	if sealed == nil {
		return "", nil
	}
	for i := range sealed.Files {
		f := &sealed.Files[i]
		if f.Role != record.Tagged || packages.KindOf(f.Path) != packages.Stylesheet ||
			f.Build == record.Readable && f.OtherBuild != "" {
			continue
		}
		of := c.classes.Of(f.Integrity, func() map[string]bool {
			b, err := c.p.LocalBytes(project.Sealed{Library: library, File: f})
			if err != nil {
				return nil
			}
			return classesIn(b)
		})
		if len(of) > 0 && sheet == "" {
			sheet, classes = f.At.String(), of
		}
	}
	return sheet, classes
}

// classesIn are the classes for which a stylesheet has rules.
func classesIn(b []byte) map[string]bool {
	classes := map[string]bool{}
	for _, m := range style.Read(b).Makes() {
		if m.Kind == style.Class {
			classes[m.Name] = true
		}
	}
	return classes
}

// usedOf are those of some classes that a page's elements have, or that the library's scripts there name, sorted.
func (c *inspection) usedOf(v *tags.Page, library string, classes map[string]bool) []string {
	used := map[string]bool{}
	page.Names(v.Bytes, func(n page.Name) {
		if n.Kind == page.ClassName && classes[n.Text] {
			used[n.Text] = true
		}
	})
	for i := range v.Includes {
		k := c.scripts.OfInclude(v, i)
		if v.Library(i) != library || k == nil || k.Text == nil {
			continue
		}
		for _, u := range script.Uses(k.Text, func(word string) bool {
			// a library has many uses for its name
			return classes[word] && len(word) > 2 && !strings.EqualFold(word, library)
		}) {
			used[u.Word] = true
		}
	}
	var list []string
	for name := range used {
		list = append(list, name)
	}
	slices.Sort(list)
	return list
}

// hasRule reports whether a stylesheet of the page has, or may have, a rule for one of some classes.
func (c *inspection) hasRule(v *tags.Page, classes []string) bool {
	has := func(b []byte) bool {
		of := classesIn(b)
		return slices.ContainsFunc(classes, func(name string) bool { return of[name] })
	}
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
		case in.Inert != "":
		case in.Kind == page.InlineStyle && has(v.InlineText(in)):
			return true
		case in.Kind != page.Stylesheet:
		case v.Targets[i].URL != "" && v.Of[i].File == nil, v.Targets[i].IsZero():
			return true // nobody knows what it has
		case v.Targets[i].URL != "":
			if b, err := c.p.LocalBytes(v.Of[i]); err != nil || has(b) {
				return true
			}
		case c.sheetHas(v.Targets[i].Path, has, map[paths.InSite]bool{}):
			return true
		}
	}
	return false
}

// sheetHas reports whether a stylesheet of the site, or one that it imports, has something.
func (c *inspection) sheetHas(at paths.InSite, has func(b []byte) bool, seen map[paths.InSite]bool) bool {
	if seen[at] {
		return false
	}
	seen[at] = true
	b, err := c.p.ReadInSite(at)
	if err != nil {
		return false // that is reported elsewhere
	}
	return has(b) || slices.ContainsFunc(style.References(b), func(r style.Reference) bool {
		t := tags.Resolve(at, "", r.URL)
		return strings.HasSuffix(strings.ToLower(t.Path.String()), ".css") && c.sheetHas(t.Path, has, seen)
	})
}
