package renames

import (
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/style"
)

// TestSystems: a system of classes is found again under another stem, on other elements and at other widths, with its
// step in another place and written short; a step of it never becomes another step, and nothing of it is sure.
func TestSystems(t *testing.T) {
	var was, is strings.Builder
	for i, step := range []string{"small", "medium", "large"} {
		for n := 1; n <= 6; n++ {
			share := 100 / float64(n)
			fmt.Fprintf(&was, "@media (min-width: %dpx) { .%s-berth-grid-%d > li { width: %.5f%%; float: left; "+
				"list-style: none } .tide-width-%[2]s-1-%[3]d { width: %[4]f%% } }\n", 400+i*300, step, n, share)
			fmt.Fprintf(&is, "@media (min-width: %dpx) { .%s-up-%d > .berth { width: %.9f%% } "+
				".tide-width-1-%[3]d\\@%[5]c "+
				"{ width: calc(100%% / %[3]d) } }\n", 700+i*300, step, n, share, step[0])
		}
	}
	got := map[string]Rename{}
	for _, r := range Classes(style.Read([]byte(was.String())), style.Read([]byte(is.String())), Evidence{}) {
		got[r.Old] = r
	}
	for old, new := range map[string]string{"small-berth-grid-3": "small-up-3", "large-berth-grid-6": "large-up-6",
		"tide-width-medium-1-2": "tide-width-1-2@m", "tide-width-large-1-4": "tide-width-1-4@l"} {
		if r := got[old]; r.New != new || r.Sure {
			t.Errorf("%s became %s (%.2f, sure: %v), not %s", old, r.New, r.Score, r.Sure, new)
		}
	}
	for old, r := range got {
		if a, b := slottedOf(old), slottedOf(r.New); a.slots != b.slots {
			t.Errorf("%s became %s", old, r.New)
		}
	}
}

// TestMembers: paths that became one name, members that moved into a namespace or out of one, and verbs before a name.
func TestMembers(t *testing.T) {
	got := map[string]Rename{}
	for _, r := range Members([]string{"scale.linear", "scale.log", "time.format", "random", "remove", "svg.line",
		"timeline", "prototype.size", "gone"}, []string{"scaleLinear", "scaleLog", "timeFormat", "utils.random",
		"utils.remove", "line", "createTimeline", "timeLine", "length"}) {
		got[r.Old] = r
	}
	for old, new := range map[string]string{"scale.linear": "scaleLinear", "time.format": "timeFormat",
		"random": "utils.random", "svg.line": "line", "timeline": "createTimeline"} {
		if got[old].New != new || got[old].Sure {
			t.Errorf("%s became %+v, not %s", old, got[old], new)
		}
	}
	if len(got) != 7 {
		t.Errorf("%d are told: %v", len(got), got)
	}
	if got["scale.linear"].Score <= got["timeline"].Score {
		t.Errorf("what three follow is no likelier than what one does")
	}
}
