package manifest

import "testing"

func TestBeginsWith(t *testing.T) {
	for _, tt := range []struct {
		file, name string
		want       bool
	}{
		{"dist/winch.min.js", "winch", true},
		{"winch-lite.js", "winch", true},
		{"winchlite.js", "winch", true},
		{"winch-simple.js", "winchs", false},
		{"rope-winch.turn.js", "rope-winch", true},
		{"ropewinch.js", "rope-winch", true},
		{"rope-winches.js", "rope-winch", true},
		{"rope-winch-x.js", "ropewinch", true},
		{"ro-pewinch-x.js", "ropewin", false},
	} {
		if got := BeginsWith(tt.file, tt.name); got != tt.want {
			t.Errorf("%s begins with %s: %v", tt.file, tt.name, got)
		}
	}
}
