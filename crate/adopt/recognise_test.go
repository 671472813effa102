package adopt

import (
	"strings"
	"testing"
)

// TestWeigh: who says most, and how sure that is.
func TestWeigh(t *testing.T) {
	says := func(words ...string) []evidence {
		var list []evidence
		for _, w := range words {
			what, rest, _ := strings.Cut(w, ": ")
			name, version, _ := strings.Cut(rest, " ")
			list = append(list, evidence{what: what, name: name, version: version})
		}
		return list
	}
	for _, tt := range []struct {
		name  string
		list  []evidence
		want  string
		sure  Certainty
		given int // reasons
	}{
		{"a banner that names both", says("its banner: gauge 0.9.1", "its file's name: gauge"), "gauge 0.9.1", Likely,
			2},
		{"a manifest over a banner", says("the manifest in x: oarlock 2.0.3", "its banner: Oarlock 2.0.0"),
			"oarlock 2.0.3", Likely, 2},
		{"the user's word over all", says("you say so: mine 1.0.0", "its banner: gauge 0.9.1"), "mine 1.0.0", Likely,
			1},
		{"a name and no version", says("its file's name: gauge"), "gauge ", Unsure, 0},
		{"a version of another name", says("its banner: gauge", "its address: harbour 1.2.3"), "gauge 1.2.3", Unsure,
			1},
		{"a name here, a version there, of one name", says("its banner: gauge", "its file's name: gauge 1.2.3"),
			"gauge 1.2.3", Likely, 2},
		{"nothing", nil, " ", Unsure, 0},
	} {
		r := &recognised{sure: Unsure}
		r.weigh(tt.list)
		if got := r.name + " " + r.version; got != tt.want || r.sure != tt.sure || len(r.because) != tt.given {
			t.Errorf("%s: %q, %s, %q; want %q, %s, %d reasons", tt.name, got, r.sure, r.because, tt.want, tt.sure,
				tt.given)
		}
	}
}
