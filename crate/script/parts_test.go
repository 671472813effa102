package script

import (
	"strings"
	"testing"
)

func partNames(list []Global) string {
	var out []string
	for _, g := range list {
		out = append(out, g.Name)
	}
	return strings.Join(out, " ")
}

func TestParts(t *testing.T) {
	for text, want := range map[string][2]string{
		"Race.Boat = function () {};": {"Race.Boat", ""},
		"Race.Eight.prototype = Object.create(Race.Boat.prototype);": {
			"Race.Eight.prototype", "Race.Boat Race.Boat.prototype Race.Eight"},
		"window.Race.scenes.start = 1;": {
			"Race.scenes.start", "Race.scenes"},
		"(function (R) { R.Crew = R.Boat.size; })(Race);": {"Race.Crew",
			"Race.Boat"},
		"(function (R) { R.Crew = function () { return R.Boat.size; }; })(Race);": {"Race.Crew", ""},
		"var b = new Race.Boat();":         {"", "Race.Boat"},
		"Race.start();":                    {"", "Race.start"},
		"Race.start && Race.start();":      {"", ""},
		"if (Race.Boat) Race.Boat.size();": {"", ""},
		"Race.Boat = {}; Race.Boat.size = 8; Race.Boat.size.big;": {
			"Race.Boat Race.Boat.size", ""},
		"var Race = {}; Race.Boat = 1; Race.Boat.x;":                       {"", ""},
		"document.addEventListener('x', function () { Race.Boat.go(); });": {"", ""},
		"window.Race = window.Race || {}; Race.Boat = 1;":                  {"", ""},
		"Race['Boat'] = 1; Race['Crew'].x;": {"Race.Boat",
			"Race.Crew"},
		"export const x = 1;":                                                  {"", ""},
		"try { Race.Boat.size() } catch (e) {}":                                {"", ""},
		"for (var i = 0; i < Race.boats.length; i++) { Race.boats[i].row(); }": {"", "Race.boats"},
		"Race.a.b.c.d.e.f = 1;": {"",
			"Race.a Race.a.b Race.a.b.c"},
		"oarlock.fn.tide = function () { return this; };": {"oarlock.fn.tide",
			"oarlock.fn"},
		"(function (root, f) { root.x = f(root.Race); })(this, function (R) { return R.Boat.y; });": {"", "Race.Boat"},
	} {
		r := Analyze([]byte(text))
		if r.Form == Broken {
			t.Errorf("%s: %s", text, r.SyntaxError)
			continue
		}
		if got := [2]string{partNames(r.Parts), partNames(r.PartNeeds)}; got != want {
			t.Errorf("%s: gives %q and uses %q, want %q and %q", text, got[0], got[1], want[0], want[1])
		}
		for _, g := range append(r.Parts, r.PartNeeds...) {
			last := g.Name[strings.LastIndexByte(g.Name, '.')+1:]
			if g.Line != 1 || g.Column < 1 || !strings.Contains(text[g.Column-1:], last) {
				t.Errorf("%s: %+v is not there", text, g)
			}
		}
	}
}
