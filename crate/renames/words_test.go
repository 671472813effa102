package renames

import (
	"testing"

	"merrycrate.example/merry/crate/style"
)

// TestWorded: a name in other words, or in another form, is told where what both mean agrees in part, or where both
// change what has its name in both versions; it is never sure. A step of a scale is no word that may go.
func TestWorded(t *testing.T) {
	old := `.tide { color: red; } .tide-condensed > li { padding: 1px; } .tide-inverse p { color: white; }
		.gull-tab { float: left; } .sloop-mini { padding: 2px; margin: 1px; width: 3em; }
		.fleet-row { margin: 7px; } .fleet-row-large { margin: 7px; width: 9em; }
		.lamp-glow { color: #123; border: 5px solid; }`
	new := `.tide { color: red; } .tide-small li { margin: 3px; } .tide-dark a { color: #eee; }
		.gull-tabs { padding: 9px; } .sloop-small { padding: 2px; margin: 1px; height: 2em; }
		.fleet-row { margin: 7px; width: 9em; } .lamp-shine { color: #456; top: 5px; }`
	want := map[string]string{"tide-condensed": "tide-small", "tide-inverse": "tide-dark", "gull-tab": "gull-tabs",
		"sloop-mini": "sloop-small"}
	got := map[string]string{}
	for _, r := range Classes(style.Read([]byte(old)), style.Read([]byte(new)), Evidence{}) {
		got[r.Old] = r.New
		if r.Sure && want[r.Old] != "" {
			t.Errorf("%s is sure: %q", r.Old, r.Because)
		}
	}
	for o, n := range want {
		if got[o] != n {
			t.Errorf("%s is called %q, should be %q", o, got[o], n)
		}
	}
	for _, o := range []string{"fleet-row-large", "lamp-glow"} {
		if got[o] != "" {
			t.Errorf("%s is told to be %s", o, got[o])
		}
	}
}
