package main

import "testing"

// TestFirst: the first version is the one from which a feature has its own name and needs no setting; where one entry
// ends and another goes on, it is that of the first.
func TestFirst(t *testing.T) {
	for raw, want := range map[string]string{
		`{"version_added": "92"}`:                                                           "92",
		`{"version_added": false}`:                                                          "-",
		`{"version_added": "preview"}`:                                                      "-",
		`{"version_added": "≤79"}`:                                                          "79",
		`{"version_added": "5", "prefix": "-webkit-"}`:                                      "-",
		`{"version_added": "5", "flags": [{"name": "x"}]}`:                                  "-",
		`{"version_added": "5", "version_removed": "9"}`:                                    "-",
		`[{"version_added": "9"}, {"version_added": "5", "alternative_name": "trimRight"}]`: "9",
		`[{"version_added": "94"}, {"version_added": "1", "version_removed": "94"}]`:        "1",
		`[{"version_added": "94"}, {"version_added": "1", "version_removed": "50"}]`:        "94",
	} {
		if got := first([]byte(raw)); got != want {
			t.Errorf("%s: %s, want %s", raw, got, want)
		}
	}
}

// TestWrite: a feature that all browsers have had for long is left out, and so is one that none has.
func TestWrite(t *testing.T) {
	w := &writer{years: map[string]map[string]int{"chrome": {"105": 2022}}, lines: map[string]string{}}
	w.write("selector", ":has()", false, []string{"105", "105", "121", "15.4", "91", "-"})
	w.write("property", "color", false, []string{"1", "12", "1", "1", "4", "3"})
	w.write("property", "nothing", false, []string{"-", "-", "-", "-", "-", "-"})
	if len(w.lines) != 1 || w.lines["selector :has()"] != "selector :has() web 105 105 121 15.4 91 - 2022" {
		t.Errorf("the lines are %q", w.lines)
	}
}
