package source

import "testing"

func TestRangeHas(t *testing.T) {
	for _, tt := range []struct {
		rng, version string
		want         bool
	}{
		{"^1.2.0", "1.9.0", true}, {"^1.2.0", "2.0.0", false}, {"~1.2.0", "1.2.9", true}, {"~1.2.0", "1.3.0", false},
		{"1.x", "1.4.2", true}, {">=1.8 <3", "2.9.9", true},
		{"1.0.0 || 2.0.0", "2.0.0", true}, {"", "9.9.9", true}, {"*", "0.1.0", true},
		{"^2.0.0", "2.1.0-beta.1", false}, {"^2.0.0-beta.1", "2.0.0-beta.2", true}, {"^2.0.0-beta.1", "2.1.0-beta.2",
			false}, {"*", "1.0.0-rc.1", false},
		{"^1.2.0", "1.9", false},
	} {
		r, err := ParseRange(tt.rng)
		if err != nil || r.Has(tt.version) != tt.want {
			t.Errorf("%s has %s: want %v, %v", tt.rng, tt.version, tt.want, err)
		}
	}
	if _, err := ParseRange("tide"); err == nil {
		t.Error("a word is a range")
	}
}

func TestVersionsCompare(t *testing.T) {
	sorted := []string{"aft", "bow", "1.0.0-rc.1", "1.0.0", "1.2", "1.10.0"}
	for i, a := range sorted {
		for j, b := range sorted {
			want := 0
			if i < j {
				want = -1
			} else if i > j {
				want = 1
			}
			if got := CompareVersions(a, b); got != want {
				t.Errorf("%s and %s: %d, want %d", a, b, got, want)
			}
		}
	}
	if !IsVersion("1.2.3") || IsVersion("^1.2.3") || IsVersion("latest") || IsVersion("1.2") {
		t.Error("versions are told wrongly")
	}
}
