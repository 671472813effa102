package manifest

import (
	"slices"
	"testing"
)

func TestAddresses(t *testing.T) {
	for _, tt := range []struct {
		address string
		names   []string
		version string
	}{
		{"https://cdn.harbour.example/lib/waves/r7/waves.min.js", []string{"waves", "waves.js"}, "0.7"},
		{"https://cdn.harbour.example/@gull/winch@2.0.1/dist/winch.js", []string{"@gull/winch", "winch", "winch.js"},
			"2.0.1"},
		{"js/davit-1.2.3.min.js", []string{"davit", "davit.js"}, "1.2.3"},
		{"davit.ropes.css", []string{"davit.ropes", "davit.ropes.js"}, ""},
		{"../dist/Davit.js", []string{"davit", "davit.js"}, ""},
	} {
		if names := NamesIn(tt.address); !slices.Equal(names, tt.names) {
			t.Errorf("%s may be of %q, and not %q", tt.address, names, tt.names)
		}
		if v := VersionIn(tt.address); v != tt.version {
			t.Errorf("the version in %s is %q, and not %q", tt.address, v, tt.version)
		}
	}
	stands := func(key string) bool { return key == "tide" }
	for file, whole := range map[string][2]string{"tide": {"tide-client", "tide-picker"},
		"picker":      {"plain-picker", ""},
		"tide-picker": {"", "tide"}, "js": {"", "tide-js"}, "davit": {"davit-lift", ""}} {
		if whole[0] != "" && !IsPartOf(file, whole[0], stands) {
			t.Errorf("%s is no part of %s", file, whole[0])
		}
		if whole[1] != "" && IsPartOf(file, whole[1], stands) {
			t.Errorf("%s is a part of %s", file, whole[1])
		}
	}
	if !EndsWith("davit.picker", "picker") || EndsWith("davit.pickers", "picker") || EndsWith("picker", "picker") {
		t.Error("a name's end is not told")
	}
}

func TestBegins(t *testing.T) {
	for name, key := range map[string]string{"davit-lift": "davit", "davit.js-lift": "davit",
		"big-boat-lift": "bigboat"} {
		if !Begins(name, key) {
			t.Errorf("%s does not begin with %s", name, key)
		}
	}
	for name, key := range map[string]string{"davits-lift": "davit", "davit": "davit", "lift-davit": "davit"} {
		if Begins(name, key) {
			t.Errorf("%s begins with %s", name, key)
		}
	}
}
