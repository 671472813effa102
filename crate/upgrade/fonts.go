package upgrade

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/packages"
)

// The bounds on the fonts that are read for the drawings of icons.
const (
	maxFonts = 8
	maxFont  = 4 << 20 // bytes
)

// readable are the kinds of font file that can be read, the quickest first.
var readable = []string{".ttf", ".otf", ".woff", ".woff2"}

// fonts are those of a side, each once, however many kinds of file it comes in. One that can't be read is none.
func (s *side) fonts() glyphs.Set {
	kinds := map[string][]string{} // of each font, by the name without its kind
	var names []string
	for i := range s.Files {
		f := &s.Files[i]
		kind := strings.ToLower(path.Ext(f.Path))
		if f.Kind != packages.Font || f.ExcludedBecause != "" || f.Size > maxFont || !slices.Contains(readable, kind) {
			continue
		}
		name := path.Base(strings.TrimSuffix(f.Path, path.Ext(f.Path)))
		if kinds[name] == nil {
			names = append(names, name)
		}
		kinds[name] = append(kinds[name], f.Path)
	}
	var set glyphs.Set
	for _, name := range names[:min(len(names), maxFonts)] {
		slices.SortStableFunc(kinds[name], func(a, b string) int {
			return cmp.Compare(slices.Index(readable, strings.ToLower(path.Ext(a))),
				slices.Index(readable, strings.ToLower(path.Ext(b))))
		})
		for _, file := range kinds[name] {
			b, err := s.Tree.ReadFile(file)
			if err != nil {
				continue
			}
			if f, err := glyphs.Read(b); err == nil {
				set = append(set, f)
				break
			}
		}
	}
	return set
}
