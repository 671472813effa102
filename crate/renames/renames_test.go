package renames

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/style"
)

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
	notes := []ChangeNote{{Text: "- `bw-panel` is called `bw-card` now", Where: "CHANGELOG.md:4"},
		{Text: "bw-bar, bw-left: see bw-header and bw-start", Where: "CHANGELOG.md:9"}}
	got := map[string]string{}
	for _, r := range Classes(style.Read([]byte(before)), style.Read([]byte(after)), Evidence{Notes: notes}) {
		got[r.Old] = fmt.Sprint(r.New, " ", r.Sure)
		if len(r.Because) == 0 || r.Score <= 0 || r.Score > 1 {
			t.Errorf("%+v", r)
		}
	}
	if got["bw-note"] != "bw-callout true" || got["bw-panel"] != "bw-card true" || got["bw-gone"] != "" ||
		strings.HasSuffix(got["bw-bar"], "true") || got["stays"] != "" {
		t.Errorf("renames: %v", got)
	}
	for old, new := range map[string]string{"bw-left": "bw-start", "bw-right": "bw-end"} {
		if got[old] != "" && !strings.HasPrefix(got[old], new) {
			t.Errorf("%s is said to be %s", old, got[old])
		}
	}
	if list := Classes(style.Read([]byte(before)), style.Read([]byte(before)), Evidence{Notes: notes}); list != nil {
		t.Errorf("renames where there are none: %v", list)
	}
}

// TestRenamesOfAPrefix: all classes have another prefix, as some libraries do from one major version to the next.
func TestRenamesOfAPrefix(t *testing.T) {
	list := Classes(style.Read([]byte(before)), style.Read([]byte(strings.ReplaceAll(before, "bw-", "brine-"))),
		Evidence{})
	for _, r := range list {
		if strings.TrimPrefix(r.Old, "bw-") != strings.TrimPrefix(r.New, "brine-") {
			t.Errorf("%+v", r)
		}
	}
	if len(list) < 5 || !slices.ContainsFunc(list, func(r Rename) bool { return r.Old == "bw-note" && r.Sure }) {
		t.Errorf("found %+v", list)
	}
}

// TestStatedFamilies: where the library says of one name how it changed, all that changed in the same way are sure; not
// so where one of them did not, or where nobody says so.
func TestStatedFamilies(t *testing.T) {
	const old, new = ".r-above-1{margin-top:1px}.r-above-2{margin-top:2px}.r-above-3{margin-top:3px}",
		".r-top-1{margin-block-start:1px}.r-top-2{margin-block-start:5px}.r-top-3{margin-block-start:9px}"
	stated := []ChangeNote{{Text: "`r-above-1` is `r-top-1` now, and so on", Where: "CHANGES.md:1"}}
	for _, tt := range []struct {
		old, new string
		notes    []ChangeNote
		sure     bool
	}{
		{old, new, stated, true}, {old, new, nil, false},
		// one has no partner
		{old + ".r-above-4{margin-top:4px}", new, stated, false},
		// what else there is says nothing
		{old, new + "@media (min-width:9px){.r-top-4{top:0}}.r-above-9{top:0}", stated, true},
		// one counts at some width alone
		{old, strings.Replace(new, ".r-top-3{", "@media (min-width:9px){.r-top-3{", 1) + "}", stated, false},
	} {
		list := Classes(style.Read([]byte(tt.old)), style.Read([]byte(tt.new)), Evidence{Notes: tt.notes})
		if i := slices.IndexFunc(list, func(r Rename) bool { return r.Old == "r-above-2" }); i < 0 ||
			list[i].New != "r-top-2" || list[i].Sure != tt.sure {
			t.Errorf("from\n%s\nto\n%s\n%+v", tt.old, tt.new, list)
		}
	}
}

// TestPrefixed: a word that most names have in front now is the system of a version; of few names it is chance.
func TestPrefixed(t *testing.T) {
	said := func(gone, come string) string {
		var list []string
		for _, r := range Prefixed(strings.Fields(gone), strings.Fields(come), "data-") {
			list = append(list, fmt.Sprintf("%s=%s %v", r.Old, r.New, r.Sure))
		}
		return strings.Join(list, "; ")
	}
	for _, tt := range []struct{ gone, come, want string }{
		{"data-a data-b data-c other", "data-x-a data-x-b data-x-c", "data-a=data-x-a true; data-b=data-x-b true; " +
			"data-c=data-x-c true"},
		{"data-a data-b data-c data-d", "data-x-a data-x-b data-x-c", "data-a=data-x-a true; data-b=data-x-b true; " +
			"data-c=data-x-c true; data-d=data-x-d false"},
		{"data-a data-b", "data-x-a data-x-b", ""},
		{"data-a data-b data-c data-d data-e data-f", "data-x-a data-x-b data-x-c", ""},
		{"data-a data-b data-c", "data-xa data-xb data-xc", ""},
		{"data-a data-b data-c", "data-x-a data-y-b data-z-c", ""},
	} {
		if got := said(tt.gone, tt.come); got != tt.want {
			t.Errorf("%s to %s: %q, want %q", tt.gone, tt.come, got, tt.want)
		}
	}
}
