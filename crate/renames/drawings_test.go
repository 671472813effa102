package renames

import "testing"

// TestDrawings: parts of a picture are found by what is drawn, however they are called; by names alone nothing is sure.
func TestDrawings(t *testing.T) {
	old := map[string]string{"buoy": "path d=1", "flag": "path d=2", "oar-up": "path d=3", "empty": "",
		"lamp": "path d=5", "twin": "path d=6"}
	new := map[string]string{"life-ring": "path d=1", "flag": "path d=2", "oar-raised": "path d=9", "void": "",
		"twin-left": "path d=6", "west": "path d=6"}
	got := map[string]Rename{}
	for _, r := range Drawings(old, new, nil) {
		got[r.Old] = r
	}
	for name, want := range map[string]struct {
		is   string
		sure bool
	}{"buoy": {"life-ring", true}, "flag": {"", false}, "empty": {"", false}, "lamp": {"", false},
		"twin": {"twin-left", true}} {
		if r := got[name]; r.New != want.is || r.Sure != want.sure {
			t.Errorf("%s is said to be %q (sure: %v), not %q", name, r.New, r.Sure, want.is)
		}
	}
	if got["oar-up"].Sure {
		t.Errorf("names alone make sure: %+v", got["oar-up"])
	}
	told := Drawings(old, new, []ChangeNote{{Text: "lamp void", Where: "CHANGES:1", Table: true}})
	for _, r := range told {
		if r.Old == "lamp" && (r.New != "void" || !r.Sure) {
			t.Errorf("the library says so, and it is %+v", r)
		}
	}
}

// TestNear: lengths that were tuned are near, steps of a scale, shares and signs are not.
func TestNear(t *testing.T) {
	for pair, want := range map[[2]string]bool{
		{"10px", "9px"}: true, {"10px 20px", "12px 18px"}: true, {"8px", "16px"}: false, {"10px", "-10px"}: false,
		{"0", "1px"}:   false,
		{"83%", "91%"}: false, {"10px", "10px 10px"}: false, {"bold", "bolder"}: false, {"calc(1px)", "1px"}: false,
	} {
		if got := near(pair[0], pair[1]); got != want || near(pair[1], pair[0]) != want {
			t.Errorf("%s and %s are near: %v", pair[0], pair[1], got)
		}
	}
}
