package libraries

import (
	"testing"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
)

// TestOwn: places that files have for no other reason are written down, a whole folder as one.
func TestOwn(t *testing.T) {
	sel := &packages.Selection{}
	at, own := map[string]paths.InSite{}, map[string]string{}
	for from, to := range map[string]string{"css/a.css": "look/a.css", "css/img/w.png": "look/img/w.png",
		"dist/w.js": "js/w.js"} {
		sel.Add(packages.Choice{Path: from})
		at[from], own[from] = paths.Found(to), to
	}
	got := Own(sel, at, map[string]string{"css/a.css": "old/a.css", "x": "y"}, own)
	if len(got) != 3 || got["css"] != "look" || got["dist/w.js"] != "js/w.js" || got["x"] != "y" {
		t.Errorf("places are %v", got)
	}
	delete(own, "css/img/w.png")
	if got := Own(sel, at, nil, own); got["css"] != "" || got["css/a.css"] != "look/a.css" {
		t.Errorf("of a part of a folder: %v", got)
	}
}
