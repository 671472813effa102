package tags

import (
	"os"
	"slices"
	"testing"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/internal/cratetest"
)

// TestEditsWithinEdits: what is done to a piece of what else is done to a reference joins that, wherever the reference
// then leads.
func TestEditsWithinEdits(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	const text = "<!doctype html>\n<title>x</title>\n<svg><use href=\"lib/a#b/signals.svg#buoy\"/></svg>\n<p>buoy</p>\n"
	at := func(word string) (start, end int) {
		i := len("<!doctype html>\n<title>x</title>\n<svg><use href=\"")
		for text[i:i+len(word)] != word {
			i++
		}
		return i, i + len(word)
	}
	for _, tt := range []struct {
		about string
		edits func(whole, part page.Edit) []page.Edit
		want  string
	}{
		{"moved and renamed", func(whole, part page.Edit) []page.Edit { return []page.Edit{whole, part} },
			`<use href="media/signals-2.svg#ring"/>`},
		{"moved alone", func(whole, _ page.Edit) []page.Edit {
			return []page.Edit{whole}
		}, `<use href="media/signals-2.svg#buoy"/>`},
		{"renamed alone", func(_, part page.Edit) []page.Edit {
			return []page.Edit{part}
		}, `<use href="lib/a#b/signals.svg#ring"/>`},
	} {
		e := NewEditor(p, NewScripts(p), read(t, p, "index.html", text))
		from, to := at("lib/a#b/signals.svg#buoy")
		start, end := at("buoy")
		e.Edit(tt.edits(page.Edit{Start: from, End: to, Text: "media/signals-2.svg#buoy"},
			page.Edit{Start: start, End: end, Text: "ring"})...)
		got, err := e.Bytes()
		want := "<!doctype html>\n<title>x</title>\n<svg>" + tt.want + "</svg>\n<p>buoy</p>\n"
		if err != nil || string(got) != want {
			t.Errorf("%s: %v\n%s", tt.about, err, got)
		}
	}
}

// TestTold: of a page's scripts it is reported where they stand, which files they are, what they define and need; of a
// page that is not there nothing.
func TestTold(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	write := func(name, text string) {
		if err := os.WriteFile(string(p.Root.Join(name)), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write("club.js", "window.club = oarlock('#menu');\n")
	write("index.html", "<!doctype html>\n<title>x</title>\n<link rel=\"stylesheet\" href=\"club.css\">\n"+
		"<script src=\"club.js\"></script>\n  <script>var tide = club;</script>\n")
	told := Describe(p)
	tags := told("index.html")
	if len(tags) != 3 {
		t.Fatalf("%+v", tags)
	}
	if tags[0].File != "club.css" || tags[0].Line != 3 || tags[0].Defines != nil {
		t.Errorf("the stylesheet: %+v", tags[0])
	}
	if s := tags[1]; s.File != "club.js" || s.Line != 4 || s.Column != 1 ||
		!slices.Equal(s.Defines, []string{"club"}) || !slices.Contains(s.Needs, "oarlock") {
		t.Errorf("the script: %+v", s)
	}
	if s := tags[2]; s.File != "" || s.Line != 5 || s.Column != 3 || !slices.Equal(s.Defines, []string{"tide"}) ||
		!slices.Contains(s.Needs, "club") {
		t.Errorf("the one in the page: %+v", s)
	}
	if again := told("index.html"); len(again) != 3 || told("none.html") != nil {
		t.Errorf("%+v", again)
	}
}
