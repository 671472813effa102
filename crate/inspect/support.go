package inspect

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/support"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// missingFeatures lists the features that an include uses and that some browser of the packing list lacks.
func (c *inspection) missingFeatures(v *tags.Page, i int) []check.MissingFeature {
	if c.p.List.Browsers == "" || v.Includes[i].Inert != "" {
		return nil
	}
	switch in := &v.Includes[i]; in.Kind {
	case page.InlineScript, page.InlineStyle:
		line, column := v.Position(in.TextStart())
		return c.missingFeaturesOf(v.Code(in), c.p.InProject(v.Path).String(), line, column,
			in.Kind == page.InlineScript)
	case page.Script, page.Stylesheet:
		t := v.Targets[i]
		return c.missing.Of(t.String(), func() []check.MissingFeature {
			if in.Kind == page.Script {
				if k := c.scripts.Of(t); k != nil {
					return c.missingFeaturesOf(k.Text, k.Name, 1, 1, true)
				}
				return nil
			}
			b, name := c.csp.Sheet(t)
			return c.missingFeaturesOf(b, name, 1, 1, false)
		})
	}
	return nil
}

// missingFeaturesOf finds the features in a text that begins at a place of a file.
func (c *inspection) missingFeaturesOf(text []byte, file string, firstLine, firstColumn int,
	isScript bool) []check.MissingFeature {
	found := support.InStyle
	if isScript {
		found = support.InScript
	}
	var list []check.MissingFeature
	at := texts.NewIndex(text)
	absent := map[string]bool{} // globals
	for _, f := range found(text) {
		of, _, member := strings.Cut(f.Name, ".")
		if f.Kind == support.Static && member && absent[of] {
			continue // who lacks the object lacks its members
		}
		if who := c.browsers.Missing(f.Feature); who != "" {
			line, column := at.At(f.Offset)
			if line == 1 {
				column += firstColumn - 1
			}
			absent[f.Name] = absent[f.Name] || f.Kind == support.Global
			list = append(list, check.MissingFeature{Feature: f.Feature, Who: who, Since: c.browsers.Since(f.Feature),
				Where: fmt.Sprintf("%s:%d:%d", file,
					line+firstLine-1, column)})
		}
	}
	return list
}

// newerMarkup finds elements, attributes and kinds of scripts that some browser of the packing list lacks.
func (c *inspection) newerMarkup(v *tags.Page, file string) []check.Finding {
	if c.p.List.Browsers == "" {
		return nil
	}
	var elements, attributes check.NewerMarkup
	seen := map[*support.Feature]bool{}
	note := func(to *check.NewerMarkup, f *support.Feature, offset int) {
		if f == nil || seen[f] {
			return
		}
		seen[f] = true
		if who := c.browsers.Missing(f); who != "" {
			line, column := v.Position(offset)
			to.Add(check.MissingFeature{Feature: f, Who: who, Since: c.browsers.Since(f),
				Where: fmt.Sprintf("%s:%d:%d", file, line, column)}, line, column)
		}
	}
	page.Elements(v.Bytes, func(name string, names []string, start int) {
		note(&elements, support.OnPage(support.Element, name), start)
		for _, a := range names {
			f := support.OnPage(support.Attribute, name+"."+a)
			if f == nil {
				f = support.OnPage(support.Attribute, "*."+a)
			}
			note(&attributes, f, start)
		}
	})
	for i := range v.Includes {
		if typ, _ := v.Attr(&v.Includes[i], "type"); v.Includes[i].Kind == page.InlineScript {
			note(&elements, support.OnPage(support.ScriptType, strings.ToLower(typ)), v.Includes[i].Start)
		}
	}
	return append(elements.Finding(file, check.Warning, "such a browser takes it for an element without a meaning"),
		attributes.Finding(file, check.Note, "such a browser ignores it")...)
}
