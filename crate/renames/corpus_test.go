package renames

import (
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/style"
)

// A maker builds two versions of a made-up framework side by side, with the names that changed.
type maker struct {
	old, new strings.Builder
	truth    map[string]string
}

// rule writes a class into both versions, under one name or two, with declarations that may differ. A name that is ""
// is not there.
func (m *maker) rule(old, was, new, is string) {
	if old != "" {
		fmt.Fprintf(&m.old, "%s\n", fill(old, was))
	}
	if new != "" {
		fmt.Fprintf(&m.new, "%s\n", fill(new, is))
	}
	if old != "" && new != "" && old != new {
		m.truth[old] = new
	}
}

// fill writes a rule: declarations, or a whole rule with & for the class.
func fill(class, text string) string {
	if strings.Contains(text, "&") {
		return strings.ReplaceAll(text, "&", "."+class)
	}
	return "." + class + " { " + text + " }"
}

var widths = []struct{ name, old, new string }{{"low", "768px", "576px"}, {"mid", "992px", "768px"},
	{"high", "1200px", "992px"}}

// framework are two versions of a made-up framework with more than a hundred renames, of every kind that makers do.
func framework() *maker {
	m := &maker{truth: map[string]string{}}
	for n := 1; n <= 12; n++ {
		share := fmt.Sprintf("%.4f%%", float64(n)*100/12)
		m.rule(fmt.Sprintf("bw-col-xs-%d", n), "position: relative; float: left; width: "+share,
			fmt.Sprintf("bw-col-%d", n), "position: relative; flex: 0 0 "+share+"; max-width: "+share)
		for _, w := range widths {
			m.rule(fmt.Sprintf("bw-col-%s-%d", w.name, n), "@media (min-width: "+w.old+") { & { float: left; width: "+
				share+" } }", fmt.Sprintf("bw-col-%s-%d", w.name, n), "@media (min-width: "+w.new+") { & { flex: 0 0 "+
				share+"; max-width: "+share+" } }")
			m.rule(fmt.Sprintf("bw-col-%s-shift-%d", w.name, n), "@media (min-width: "+w.old+") { & { margin-left: "+
				share+" } }", fmt.Sprintf("bw-shift-%s-%d", w.name, n), "@media (min-width: "+w.new+
				") { & { margin-left: "+share+" } }")
		}
	}
	for n, size := range []string{"0", ".25rem", ".5rem", "1rem", "1.5rem", "3rem"} {
		for _, side := range [][3]string{{"l", "s", "left"}, {"r", "e", "right"}} {
			m.rule(fmt.Sprintf("bw-m%s-%d", side[0], n), "margin-"+side[2]+": "+size+" !important",
				fmt.Sprintf("bw-m%s-%d", side[1], n), "margin-"+side[2]+": "+size+" !important")
			m.rule(fmt.Sprintf("bw-p%s-%d", side[0], n), "padding-"+side[2]+": "+size+" !important",
				fmt.Sprintf("bw-p%s-%d", side[1], n), "padding-inline-"+map[string]string{"left": "start",
					"right": "end"}[side[2]]+": "+size+" !important")
		}
	}
	for _, w := range []string{"thin", "normal", "bold"} {
		m.rule("bw-font-weight-"+w, "font-weight: "+map[string]string{"thin": "300", "normal": "400", "bold": "700"}[w],
			"bw-fw-"+w, "font-weight: "+map[string]string{"thin": "300", "normal": "400", "bold": "700"}[w])
	}
	for _, side := range [][2]string{{"left", "start"}, {"right", "end"}} {
		m.rule("bw-float-"+side[0], "float: "+side[0]+" !important", "bw-float-"+side[1],
			"float: "+side[0]+" !important")
		m.rule("bw-text-"+side[0], "text-align: "+side[0]+" !important", "bw-text-"+side[1], "text-align: "+side[0]+
			" !important")
		m.rule("bw-border-"+side[0], "border-"+side[0]+": 1px solid #dee2e6", "bw-border-"+side[1],
			"border-"+side[0]+": var(--bw-line) solid #dee2e6")
		m.rule("bw-round-"+side[0], "border-top-"+side[0]+"-radius: 4px; border-bottom-"+side[0]+"-radius: 4px",
			"bw-round-"+side[1], "border-top-"+side[0]+"-radius: .25rem; border-bottom-"+side[0]+"-radius: .25rem")
		m.rule("bw-menu-"+side[0], side[0]+": 0", "bw-menu-"+side[1], "inset-inline-"+side[1]+": 0")
		m.rule("bw-drop"+side[0], "position: relative", "bw-drop"+side[1], "position: relative")
	}
	for i, c := range []string{"#123456", "#654321", "#0a0b0c", "#ddaa33"} {
		tone := []string{"calm", "storm", "fog", "sun"}[i]
		m.rule("bw-tag-"+tone, "color: #fff; background-color: "+c, "bw-fill-"+tone, "color: #fff; background-color: "+
			c+" !important")
		m.rule("bw-note-"+tone, "border-color: "+c, "bw-note-"+tone, "border-color: "+c)
	}
	m.rule("bw-tag", "display: inline; padding: .25em .4em; font-size: 75%; font-weight: 700; line-height: 1; "+
		"white-space: nowrap; border-radius: .25rem", "bw-fill", "display: inline-block; padding: .25em .5em; "+
		"font-size: 75%; font-weight: 700; line-height: 1; white-space: nowrap; border-radius: 4px")
	m.rule("bw-pic-round", "border-radius: 50%", "bw-round", "border-radius: 50% !important")
	m.rule("bw-pic-wide", "display: block; max-width: 100%; height: auto", "bw-pic-fluid",
		"max-width: 100%; height: auto")
	m.rule("bw-sr", "position: absolute; width: 1px; height: 1px; margin: -1px; padding: 0; overflow: hidden; clip: "+
		"rect(0,0,0,0); border: 0", "bw-unseen", "position: absolute !important; width: 1px !important; height: 1px "+
		"!important; padding: 0 !important; margin: -1px !important; overflow: hidden !important; clip: rect(0, 0, 0, "+
		"0) !important; border: 0 !important")
	m.rule("bw-hide", "display: none !important", "bw-d-none", "display: none !important")
	for i, icon := range [][2]string{{"buoy", "ring"}, {"oar-o", "oar"}, {"tide-up", "flood"}, {"lamp", "lantern"}} {
		glyph := fmt.Sprintf("&:before { content: \"\\f1%02x\" }", i)
		m.rule("bi-"+icon[0], glyph, "bi-"+icon[1], glyph)
	}
	// What came, and what went for good.
	m.rule("bw-marquee", "overflow: hidden; text-indent: 100%", "", "")
	m.rule("bw-blink", "animation: bw-blink 1s steps(2)", "", "")
	m.rule("bw-table-tight", "line-height: 1.1", "", "")
	m.rule("", "", "bw-grid", "display: grid; gap: 1rem")
	m.rule("", "", "bw-stack", "display: flex; flex-direction: column")
	m.rule("", "", "bw-lift", "transform: translateY(-2px)")
	m.new.WriteString(":root { --bw-line: 1px }\n")
	return m
}

// judged counts what is told of a made-up framework.
type judged struct{ right, wrong, sure, sureWrong int }

func judge(m *maker) (j judged) {
	for _, r := range Classes(style.Read([]byte(m.old.String())), style.Read([]byte(m.new.String())), Evidence{}) {
		right := m.truth[r.Old] == r.New
		switch {
		case right && r.Sure:
			j.sure++
			fallthrough
		case right:
			j.right++
		case r.Sure:
			j.sureWrong++
			fallthrough
		default:
			j.wrong++
		}
	}
	return j
}

// TestRenamesOfAFramework prints, with -v, how many of a made-up framework's renames are reported right, and holds them
// to a floor.
func TestRenamesOfAFramework(t *testing.T) {
	m := framework()
	right, wrong, sure, sureWrong := 0, 0, 0, 0
	told := map[string]bool{}
	for _, r := range Classes(style.Read([]byte(m.old.String())), style.Read([]byte(m.new.String())), Evidence{}) {
		told[r.Old] = true
		if m.truth[r.Old] == r.New {
			right++
			if r.Sure {
				sure++
			}
			continue
		}
		wrong++
		if r.Sure {
			sureWrong++
		}
		t.Logf("%s is said to be %s, and is %q (%.2f, sure %v): %q", r.Old, r.New, m.truth[r.Old], r.Score, r.Sure,
			r.Because)
	}
	for old, new := range m.truth {
		if !told[old] {
			t.Logf("%s, which is %s, is not told", old, new)
		}
	}
	t.Logf("%d renames: %d told right (%d surely), %d wrong (%d surely)", len(m.truth), right, sure, wrong, sureWrong)
	if len(m.truth) < 100 || right*100 < 95*len(m.truth) || wrong*20 > right || sureWrong > 0 || sure*2 < right {
		t.Errorf("of %d renames %d are told right (%d surely), %d wrong (%d surely)", len(m.truth), right, sure, wrong,
			sureWrong)
	}
}

// TestLed: what a new version brings for old names tells of their new ones, and of the class that an icon needs beside.
func TestLed(t *testing.T) {
	old := style.Read([]byte(".bi-oar-o:before { content: \"\\f100\" } .bi-helm:before { content: \"\\f101\" } " +
		".bi-cap:before { content: \"\\f102\" }"))
	new := style.Read([]byte(".bi-oar:before { content: \"\\f200\" } .bi-wheel:before { content: \"\\f201\" } " +
		".bi-hat:before { content: \"\\f202\" } .line { font-weight: 400; font-family: Bi } .solid { font-weight: " +
		"900; font-family: Bi }"))
	shim := style.Read([]byte(".bi.bi-oar-o { font-weight: 400; font-family: Bi } .bi.bi-oar-o:before { content: " +
		"\"\\f200\" } .bi.bi-helm:before { content: \"\\f201\" }"))
	got := map[string]string{}
	for _, r := range Classes(old, new,
		Evidence{Notes: []ChangeNote{{Text: "bi-cap bi-hat", Where: "shims.json:3", Table: true}},
			Compat: []*style.Sheet{shim}}) {
		got[r.Old] = fmt.Sprint(r.New, r.And, r.Sure)
	}
	for old, want := range map[string]string{"bi-oar-o": "bi-oar[line] true", "bi-helm": "bi-wheel[] true",
		"bi-cap": "bi-hat[] true"} {
		if got[old] != want {
			t.Errorf("%s is %s, want %s", old, got[old], want)
		}
	}
}

// TestNameRenames: names of which nothing else is known are reported by the way in which several changed, by what is
// written of them, and by their words.
func TestNameRenames(t *testing.T) {
	got := map[string]string{}
	for _, r := range Names([]string{"data-toggle", "data-target", "data-slide", "data-gone", "showTip", "hideTip",
		"furl"}, []string{"data-bw-toggle", "data-bw-target", "data-bw-slide", "data-bw-new", "openTip", "closeTip",
		"reef"},
		[]ChangeNote{{Text: "console.warn('`furl` is deprecated, use `reef` instead')", Where: "dist/sails.js:4"},
			{Text: "showTip() is called openTip() now: `showTip`, `openTip`", Where: "CHANGES.md:2"}}) {
		got[r.Old] = r.New
	}
	for old, new := range map[string]string{"data-toggle": "data-bw-toggle", "data-target": "data-bw-target",
		"data-slide": "data-bw-slide", "data-gone": "", "showTip": "openTip", "furl": "reef"} {
		if got[old] != new {
			t.Errorf("%s is %q, want %q", old, got[old], new)
		}
	}
}

// FuzzRenames: any two sheets are compared to an end, and what is reported is of names that they have.
func FuzzRenames(f *testing.F) {
	m := framework()
	f.Add(m.old.String()[:2000], m.new.String()[:2000])
	f.Add(".a-b{margin:var(--x,var(--y,1px)) 2px;--x:var(--y);--y:var(--x)}", ".b-a{margin:1px 2px}")
	for _, names := range []string{`._ .__ .- .\$x-my-old .\$1-a .a-\$ .\… .\00 .\1\… .x-\1\…`,
		`.\$x .\$-\$ .\+ ._x_ ` +
			`.a\$9b-c .a-\$9b-d .\$0-\$1-\$2`} {
		rules := strings.ReplaceAll(names, " .", "{top:1px;color:red;left:3px} .") + "{top:1px;color:red;left:3px}"
		f.Add(rules, strings.ReplaceAll(rules, "old", "new"))
		f.Add(rules, ".b-"+strings.ReplaceAll(rules, " .", " .b-")[1:])
		f.Add(".a-"+strings.ReplaceAll(rules, " .", " .a-")[1:], rules)
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		old, new := style.Read([]byte(a)), style.Read([]byte(b))
		for _, r := range Classes(old, new, Evidence{Compat: []*style.Sheet{new}}) {
			if old.Decls[r.Old] == nil && !strings.Contains(a, "."+r.Old) || r.Score < 0 || r.Score > 1 {
				t.Errorf("%+v", r)
			}
		}
	})
}
