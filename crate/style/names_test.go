package style

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

func TestRead(t *testing.T) {
	const text = `@charset "utf-8"; /* .not-a-class */
@font-face { font-family: "Sea Icons"; src: url(a.woff) }
:root { --ink: #123; --bw-foam: var(--ink) }
.bar, nav.menu:not(.is-open) > a#home[data-tide]::before { color: var(--ink, red); content: ".no { } ; .this"; animation: wave 2s linear }
@media (min-width: 40rem) { .bar { .inner & { margin: 0 } padding: 0 } }
@keyframes wave { from { top: 0 } to { top: 1px } }
@layer base { p.note\:big { font-family: "Sea Icons", serif } }
.broken { color: red`
	var got []string
	for _, m := range Read([]byte(text)).Mentions {
		if !strings.HasPrefix(text[m.Offset:], m.Name[:1]) && !strings.HasPrefix(text[m.Offset:], `"`) && text[m.Offset] != '#' {
			t.Errorf("%+v is not at %d", m, m.Offset)
		}
		mark := ""
		if !m.Makes {
			mark = "?"
		}
		got = append(got, string(m.Kind[:2])+" "+m.Name+mark)
	}
	want := "fo Sea Icons; cu --ink; cu --bw-foam; cu --ink?; cl bar; cl menu; cl is-open; id home; at data-tide; cu --ink?; ke wave?; ke linear?; cl bar; cl inner; ke wave; cl note:big; fo Sea Icons?; fo serif?; cl broken"
	if s := strings.Join(got, "; "); s != want {
		t.Errorf("read\n%s, want\n%s", s, want)
	}
}

const before = `
.bw-note { padding: 1rem; border: 1px solid red; margin: 0 }
.bw-note > p { margin: 0 }
.bw-bar { display: flex; gap: 1rem }
.bw-left { float: left }
.bw-right { float: right }
.bw-gone { zoom: 1 }
.bw-panel { padding: 2px; color: red; top: 0 }
.stays { color: red }`

func TestRenames(t *testing.T) {
	const after = `
.bw-callout { padding: 1rem; border: 1px solid red; margin: 0 }
.bw-callout > p { margin: 0 }
.bw-header { display: grid; gap: 1rem }
.bw-start { float: left }
.bw-end { float: right }
.bw-card { padding: 9px }
.stays { color: red }`
	notes := []ChangeNote{{Text: "- `bw-panel` is called `bw-card` now", Where: "CHANGELOG.md:4"}, {Text: "bw-bar, bw-left: see bw-header and bw-start", Where: "CHANGELOG.md:9"}}
	got := map[string]string{}
	for _, r := range Renames(Read([]byte(before)), Read([]byte(after)), notes) {
		got[r.Old] = fmt.Sprint(r.New, " ", r.Sure)
		if len(r.Because) == 0 || r.Score <= 0 || r.Score > 1 {
			t.Errorf("%+v", r)
		}
	}
	if got["bw-note"] != "bw-callout true" || got["bw-panel"] != "bw-card true" || got["bw-gone"] != "" || strings.HasSuffix(got["bw-bar"], "true") || got["stays"] != "" {
		t.Errorf("renames: %v", got)
	}
	for old, new := range map[string]string{"bw-left": "bw-start", "bw-right": "bw-end"} {
		if got[old] != "" && !strings.HasPrefix(got[old], new) {
			t.Errorf("%s is said to be %s", old, got[old])
		}
	}
	if list := Renames(Read([]byte(before)), Read([]byte(before)), notes); list != nil {
		t.Errorf("renames where there are none: %v", list)
	}
}

// TestRenamesOfAPrefix: all classes have another prefix, as some libraries do from one major version to the next.
func TestRenamesOfAPrefix(t *testing.T) {
	list := Renames(Read([]byte(before)), Read([]byte(strings.ReplaceAll(before, "bw-", "brine-"))), nil)
	for _, r := range list {
		if strings.TrimPrefix(r.Old, "bw-") != strings.TrimPrefix(r.New, "brine-") {
			t.Errorf("%+v", r)
		}
	}
	if len(list) < 5 || !slices.ContainsFunc(list, func(r Rename) bool { return r.Old == "bw-note" && r.Sure }) {
		t.Errorf("found %+v", list)
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{before, "@media{.a{", "}}}.x{--y:(;", ".a\\"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, m := range Read([]byte(text)).Mentions {
			if m.Offset < 0 || m.Offset > len(text) {
				t.Fatalf("%+v", m)
			}
		}
	})
}

// TestStatedFamilies: where the library says of one name how it changed, all that changed in the same way are sure; not so where one of them did
// not, or where nobody says so.
func TestStatedFamilies(t *testing.T) {
	const old, new = ".r-above-1{margin-top:1px}.r-above-2{margin-top:2px}.r-above-3{margin-top:3px}", ".r-top-1{margin-block-start:1px}.r-top-2{margin-block-start:5px}.r-top-3{margin-block-start:9px}"
	stated := []ChangeNote{{Text: "`r-above-1` is `r-top-1` now, and so on", Where: "CHANGES.md:1"}}
	for _, tt := range []struct {
		old, new string
		notes    []ChangeNote
		sure     bool
	}{
		{old, new, stated, true}, {old, new, nil, false},
		{old + ".r-above-4{margin-top:4px}", new, stated, false},                                             // one has no partner
		{old, new + "@media (min-width:9px){.r-top-4{top:0}}.r-above-9{top:0}", stated, true},                // what else there is says nothing
		{old, strings.Replace(new, ".r-top-3{", "@media (min-width:9px){.r-top-3{", 1) + "}", stated, false}, // one counts at some width alone
	} {
		list := Renames(Read([]byte(tt.old)), Read([]byte(tt.new)), tt.notes)
		if i := slices.IndexFunc(list, func(r Rename) bool { return r.Old == "r-above-2" }); i < 0 || list[i].New != "r-top-2" || list[i].Sure != tt.sure {
			t.Errorf("from\n%s\nto\n%s\n%+v", tt.old, tt.new, list)
		}
	}
}
