package renames

import (
	"os"
	"testing"

	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/style"
)

func fonts(t *testing.T, names ...string) func() (old, new glyphs.Set) {
	t.Helper()
	var sets [2]glyphs.Set
	for i, name := range names {
		b, err := os.ReadFile("../glyphs/testdata/" + name)
		if err != nil {
			t.Fatal(err)
		}
		f, err := glyphs.Read(b)
		if err != nil {
			t.Fatal(err)
		}
		sets[i] = glyphs.Set{f}
	}
	return func() (old, new glyphs.Set) { return sets[0], sets[1] }
}

func icons(pairs ...string) *style.Sheet {
	css := ".si { font-family: Trial }\n"
	for i := 0; i < len(pairs); i += 2 {
		css += ".si-" + pairs[i] + `:before { content: "\` + pairs[i+1] + "\" }\n"
	}
	return style.Read([]byte(css))
}

// The two fonts: e001 wave, e002 ring, e003 pennant, and e001 ring, e002 pennant, f0003 box.
func TestIcons(t *testing.T) {
	for _, c := range []struct {
		about    string
		old, new *style.Sheet
		fonts    func() (old, new glyphs.Set)
		was, is  string
		sure     bool
	}{
		{"the same character", icons("buoy", "e002", "flag", "e003"), icons("ring", "e002", "flag", "e003"), nil,
			"si-buoy", "si-ring", true},
		{"another character, the same drawing", icons("buoy", "e002", "flag", "e003"), icons("ring", "e001", "flag",
			"e002", "crate", "f0003"), fonts(t, "icons.ttf", "drawn.otf"), "si-buoy", "si-ring", true},
		{"and nothing to see the drawing by", icons("buoy", "e002", "flag", "e003"), icons("ring", "e001", "flag",
			"e002", "crate", "f0003"), nil, "si-buoy", "", false},
		{"the same character, another drawing", icons("mast", "e001"), icons("ring", "e001"),
			fonts(t, "icons.ttf", "drawn.otf"), "si-mast", "", false},
		{"an alias that is still there", icons("buoy", "e002", "lifebuoy", "e002", "flag", "e003"),
			icons("lifebuoy", "e001", "flag", "e002", "crate", "e002"), nil, "si-buoy", "si-lifebuoy", true},
		{"characters dealt anew", icons("buoy", "e002", "flag", "e003", "oar", "e004"), icons("spindrift", "e002",
			"flag", "e004", "oar", "e005"), nil, "si-buoy", "", false},
	} {
		got := Rename{}
		for _, r := range Classes(c.old, c.new, Evidence{Fonts: c.fonts}) {
			if r.Old == c.was {
				got = r
			}
		}
		if got.New != c.is || got.Sure != c.sure {
			t.Errorf("%s: %s is said to be %q (sure %v, %q), not %q", c.about, c.was, got.New, got.Sure, got.Because,
				c.is)
		}
	}
}
