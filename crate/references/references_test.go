package references

import (
	"context"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/internal/cratetest"
	"merrycrate.example/merry/internal/tagstest"
)

// TestPage: references that lead to no file are found, with how bad that is and the nearest file; those that lead
// somewhere are not.
func TestPage(t *testing.T) {
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{
		"index.html": `<!doctype html><img src="img/bout.png"><a href="tides.html">x</a><a ` +
			`href="https://else.example/">y</a><img src="img/boat.png"><img src="data:,"><a href="crews/">z</a><a ` +
			`href="IMG/boat.png">case</a>`,
		"img/boat.png": "x", "css/own.css": ".a{background:url(../img/gull.png)}", "b.html": `<!doctype html><link ` +
			`rel="stylesheet" href="css/own.css">`,
	})
	site, err := p.Walk(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	g := New(p, site)
	found, _ := g.Page(tagstest.Page(t, p, "index.html"), "index.html")
	var got []string
	for _, f := range found {
		got = append(got, string(f.Severity)+" "+f.Message)
		if f.Name != check.LeadsNowhere || f.Line != 1 || f.Next == "" {
			t.Errorf("%+v", f)
		}
	}
	want := []string{"error there is no file img/bout.png", "warning there is no file tides.html",
		"warning there is no file IMG/boat.png; on disk it is written img/boat.png"}
	if !slices.Equal(got, want) {
		t.Errorf("found %q, want %q", got, want)
	}
	if list := g.Sheets(tagstest.Page(t, p, "b.html")); len(list) != 1 ||
		!strings.Contains(list[0].Message, "img/gull.png") {
		t.Errorf("in stylesheets: %+v", list)
	}
	if near, caseOnly := g.Near(paths.Found("img/Boat.png")); near.String() != "img/boat.png" || !caseOnly {
		t.Errorf("nearest is %s, %v", near, caseOnly)
	}
	if !g.Has(paths.Found("img/boat.png")) || g.Has(paths.Found("img/gull.png")) {
		t.Error("what is there is told wrongly")
	}
}
