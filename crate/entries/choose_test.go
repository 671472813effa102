package entries

import (
	"context"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
)

// tree is a source by the paths of its files.
type tree map[string]string

func describe(t *testing.T, files tree) *packages.Package {
	t.Helper()
	kept := packages.InMemory{}
	for name, text := range files {
		kept[name] = []byte(text)
	}
	d, err := kept.Describe(context.Background(), "winch-1.0.0.zip", nil)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

const winchText = "(function () {\n  window.winch = function (n) {\n    return n + 1;\n  };\n})();\n"

var winch = tree{"dist/winch-1.0.0.js": winchText, "dist/winch-1.0.0.esm.js": "export default function winch(n) {\n" +
	"  return n + 1;\n}\n", "lang/de.js": "winch.de = {\n  up: \"auf\"\n};\n",
	"css/winch.css": "a {\n  background: url(img/w.png);\n}\n", "css/img/w.png": "p", "readme.md": "# winch\n",
	"types/winch.d.ts": "x", "src/part.js": "winch.part = 1;\n"}

func roles(sel *packages.Selection) string {
	var list []string
	for _, c := range sel.Choices {
		mark := "kept "
		if c.Page {
			mark = "tagged "
		}
		list = append(list, mark+c.Path)
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

// TestRoles: of what a pattern brings along tags are for what makes sense on a page.
func TestRoles(t *testing.T) {
	d := describe(t, winch)
	for patterns, want := range map[string]string{
		"dist/winch-1.0.0.js": "tagged dist/winch-1.0.0.js",
		"lang/*.js":           "tagged lang/de.js",
		"dist/*.js":           "kept dist/winch-1.0.0.esm.js, tagged dist/winch-1.0.0.js",
		"**/*.js": "kept dist/winch-1.0.0.esm.js, kept lang/de.js, kept src/part.js, tagged " +
			"dist/winch-1.0.0.js",
		"lang/de.js **/*.css": "kept css/img/w.png, tagged css/winch.css, tagged lang/de.js",
	} {
		list := strings.Fields(patterns)
		sel := d.Choose(func(name string) (string, bool) { return patterns, matches(list, name) })
		Roles(d, sel, list)
		if got := roles(sel); got != want {
			t.Errorf("%s gives\n%s, want\n%s", patterns, got, want)
		}
	}
}

// TestChooseAgain: what an entry names is chosen again with the same roles, in the next version by its new names.
func TestChooseAgain(t *testing.T) {
	d := describe(t, winch)
	entry := record.Library{Name: "winch", Version: "1.0.0", Take: []string{"dist/winch-1.0.0.js", "css/winch.css"},
		Keep: []string{"lang/*.js"}}
	sel, notes := Choose(d, "1.0.0", entry, nil)
	const want = "kept css/img/w.png, kept lang/de.js, tagged css/winch.css, tagged dist/winch-1.0.0.js"
	if got := roles(sel); got != want || len(notes) > 0 {
		t.Errorf("chosen are %s, %v", got, notes)
	}
	Name(d, sel, &entry)
	if !slices.Equal(entry.Take, []string{"dist/winch-1.0.0.js", "css/winch.css"}) || // in their own order
		!slices.Equal(entry.Keep, []string{"lang/de.js"}) {
		t.Errorf("named as %v, %v", entry.Take, entry.Keep)
	}
	if again, _ := Choose(d, "1.0.0", entry, nil); roles(again) != want {
		t.Errorf("named and chosen again: %s", roles(again))
	}
	next := tree{}
	for name, text := range winch {
		next[strings.ReplaceAll(strings.ReplaceAll(name, "1.0.0", "1.1.0"), "css/", "style/")] = text
	}
	delete(next, "lang/de.js")
	sel, notes = Choose(describe(t, next), "1.1.0", entry, nil)
	if got := roles(sel); got != "kept style/img/w.png, tagged dist/winch-1.1.0.js, tagged style/winch.css" ||
		len(notes) != 1 || !strings.Contains(notes[0], "lang/de.js is no longer in 1.1.0") {
		t.Errorf("of the next version: %s, %v", got, notes)
	}
	entry.Whole = true
	sel, _ = Choose(d, "1.0.0", entry, nil)
	if got := roles(sel); strings.Contains(got, "readme") || strings.Contains(got, ".d.ts") ||
		strings.Contains(got, "src/") || !strings.Contains(got, "kept lang/de.js") ||
		!strings.Contains(got, "tagged css/winch.css") {
		t.Errorf("whole: %s", got)
	}
}

// TestFollow: own places go over to the files of the next version, with the version in their names.
func TestFollow(t *testing.T) {
	next := tree{"dist/winch-2.0.0.js": winchText, "css/winch.css": winch["css/winch.css"], "css/img/w.png": "p"}
	d := describe(t, next)
	lib := &record.Library{Name: "winch", Version: "1.0.0",
		Places: map[string]string{"dist/winch-1.0.0.js": "js/w-1.0.0.js", "css": "styles/winch",
			"lang/de.js": "js/de.js"}}
	got := Follow(d, d.Suggest(), lib, "2.0.0")
	if len(got) != 2 || got["dist/winch-2.0.0.js"] != "js/w-2.0.0.js" || got["css"] != "styles/winch" {
		t.Errorf("places are %v", got)
	}
}
