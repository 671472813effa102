package renames

import (
	"fmt"
	"testing"

	"merrycrate.example/merry/crate/style"
)

// grids are two versions of a made-up framework whose systems of classes come again under other stems, on other
// elements and at other widths, with the step in another place and written short; beside them are names that only look
// alike.
func grids() *maker {
	m := &maker{truth: map[string]string{}}
	for i, step := range []string{"small", "medium", "large"} {
		was, is := fmt.Sprintf("@media (min-width: %dpx)", 400+i*300), fmt.Sprintf("@media (min-width: "+
			"%dpx)", 700+i*300)
		for n := 1; n <= 6; n++ {
			share := 100 / float64(n)
			m.rule(fmt.Sprintf("%s-berth-grid-%d", step, n), fmt.Sprintf("%s { & > li { width: %.5f%%; float: left; "+
				"list-style: none } }", was, share), fmt.Sprintf("%s-up-%d", step, n),
				fmt.Sprintf("%s { & > .berth { width: %.9f%%; flex: none; padding: 0; margin: 0 } }", is, share))
			m.rule(fmt.Sprintf("tide-width-%s-1-%d", step, n), fmt.Sprintf("%s { & { width: %f%% } "+
				"}", was, share), "", "")
			m.rule("", "", fmt.Sprintf("tide-width-1-%d\\@%c", n, step[0]), fmt.Sprintf("%s { & { width: calc(100%% / "+
				"%d) } }", is, n))
			m.truth[fmt.Sprintf("tide-width-%s-1-%d", step, n)] = fmt.Sprintf("tide-width-1-%d@%c", n, step[0])
		}
		m.rule("furled-for-"+step, was+" { & { display: none } }", "", "")
		m.rule("", "", "stacked-for-"+step, is+" { & { display: block; clear: both } }")
	}
	m.rule("side-berths", "list-style: none; margin: 0; padding: 1rem 0", "", "")
	m.rule("", "", "dock", "display: flex; flex-wrap: wrap; align-items: center")
	return m
}

// TestSystems: systems of classes are found again. A step never becomes another step, and none of the renames is sure.
func TestSystems(t *testing.T) {
	m := grids()
	got := judge(m)
	if got.right < len(m.truth)*9/10 || got.wrong > 0 || got.sure > 0 {
		t.Errorf("of %d renames: %+v", len(m.truth), got)
	}
	for _, r := range Classes(style.Read([]byte(m.old.String())), style.Read([]byte(m.new.String())), Evidence{}) {
		if a, b := slottedOf(r.Old), slottedOf(r.New); a.slots != b.slots {
			t.Errorf("%s became %s", r.Old, r.New)
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

// TestOnScale: no step becomes another one, and none above the first loses its step, unless the library says so.
func TestOnScale(t *testing.T) {
	left, out := onScale([]Rename{{Old: "xlarge-rope-end", New: "large-rope-end"}, {Old: "small-rope-end",
		New: "rope-end"},
		{Old: "large-rope-top", New: "rope-top"}, {Old: "large-rope-low", New: "rope-low", stated: true},
		{Old: "rope-medium", New: "rope@m"}})
	if len(left) != 3 || len(out) != 2 || out[0].Old != "xlarge-rope-end" || out[1].Old != "large-rope-top" {
		t.Errorf("left %+v, out %+v", left, out)
	}
}
