package upgrade

import "testing"

// TestWarns: lines in which makers speak of what is no more to be used are known in small letters and capitals.
func TestWarns(t *testing.T) {
	for line, want := range map[string]bool{
		"console.warn('pull is deprecated')": true, "// DEPRECATED: use row": true, "Renamed to row": true,
		"use row instead": true, "pull is now called row": true,
		"var prevent = stand;": false, "instance.of(x)": false, "": false,
	} {
		if warns(line) != want {
			t.Errorf("%q warns: %v", line, !want)
		}
	}
}
