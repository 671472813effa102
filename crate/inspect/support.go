package inspect

import (
	"fmt"

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
	for _, f := range found(text) {
		if who := c.browsers.Missing(f.Feature); who != "" {
			line, column := at.At(f.Offset)
			if line == 1 {
				column += firstColumn - 1
			}
			list = append(list, check.MissingFeature{Feature: f.Feature, Who: who, Where: fmt.Sprintf("%s:%d:%d", file,
				line+firstLine-1, column)})
		}
	}
	return list
}
