package support

import (
	_ "embed"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// table says which versions of browsers have which features; its head says where that comes from.
//
//go:embed features.txt
var table string

// A Feature is something that scripts call or stylesheets say.
type Feature struct {
	Kind FeatureKind
	Name string
	ecma bool
	from map[string]version // the first of each browser that has it, 0 for none
	year int
}

// A FeatureKind says how a feature is written.
type FeatureKind string

// The kinds of feature.
const (
	Global   FeatureKind = "global"
	Static   FeatureKind = "static"
	Method   FeatureKind = "method"
	Selector FeatureKind = "selector"
	AtRule   FeatureKind = "at-rule"
	Property FeatureKind = "property"
	Value    FeatureKind = "value" // property:keyword, or function()
	Unit     FeatureKind = "unit"
	// of pages
	Element    FeatureKind = "element"
	Attribute  FeatureKind = "attribute" // element.attribute, or *.attribute
	ScriptType FeatureKind = "script"
)

// columns are the browsers of the table.
var columns = []string{"chrome", "edge", "firefox", "safari", "opera", "ie"}

// features are those of the table, by name and kind.
var features = sync.OnceValue(func() map[FeatureKind]map[string]*Feature {
	all := map[FeatureKind]map[string]*Feature{}
	for line := range strings.Lines(table) {
		words := strings.Fields(line)
		if len(words) == 0 || words[0] == "#" || strings.HasPrefix(words[0], "#") {
			continue
		}
		f := &Feature{Kind: FeatureKind(words[0]), Name: words[1], ecma: words[2] == "ecma", from: map[string]version{}}
		for i, name := range columns {
			f.from[name] = versionOf(words[3+i])
		}
		f.year, _ = strconv.Atoi(words[9])
		if all[f.Kind] == nil {
			all[f.Kind] = map[string]*Feature{}
		}
		all[f.Kind][f.Name] = f
	}
	return all
})

// Missing names the browsers of those that a site is for that lack a feature, "" if all have. An edition of ECMAScript
// says nothing of what is not part of the language.
func (b *Browsers) Missing(f *Feature) string {
	var list []string
	for _, e := range b.engines {
		if from := f.from[e.name]; from == 0 || e.version < from {
			list = append(list, e.name+" "+e.version.String())
		}
	}
	if b.year > 0 && b.year < f.year {
		list = append(list, fmt.Sprintf("browsers of %d", b.year))
	}
	if f.ecma && b.edition > 0 && b.edition < f.year {
		list = append(list, fmt.Sprintf("browsers of edition %d", b.edition))
	}
	slices.Sort(list)
	return strings.Join(slices.Compact(list), ", ")
}

// Since names the first versions that have a feature: of the browsers that a site is for, or of the usual ones where it
// names none.
func (b *Browsers) Since(f *Feature) string {
	names := []string{"chrome", "firefox", "safari"}
	if len(b.engines) > 0 {
		names = nil
		for _, e := range b.engines {
			names = append(names, e.name)
		}
	}
	slices.Sort(names)
	var list []string
	for _, name := range slices.Compact(names) {
		if v := f.from[name]; v > 0 {
			list = append(list, name+" "+v.String())
		} else {
			list = append(list, "no "+name)
		}
	}
	return strings.Join(list, ", ")
}

// A Found feature is one with the place where it is used first, as an offset.
type Found struct {
	*Feature
	Offset int
}
