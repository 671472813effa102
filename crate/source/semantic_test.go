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
		{"||", "9.9.9", true}, {"^1 ||", "3.0.0", true}, {"|| ^2", "1.0.0", true}, {"^1 || ^3", "2.0.0", false},
		{">*", "1.0.0", false}, {"<*", "1.0.0", false}, {">=*", "1.0.0", true}, {">1.x", "1.9.0", false},
		{">1.x", "2.0.0", true}, {"<=1.x", "1.9.0", true}, {"<1.x", "1.0.0", false}, {"^0.0.3", "0.0.4", false},
		{"^0.0", "0.0.9", true}, {"^0.0", "0.1.0", false}, {"^0.2.3", "0.3.0", false}, {"~1", "1.9.0", true},
		{"~>1.2", "1.3.0", false}, {"1.2 - 2.3", "2.3.9", true}, {"1.2 - 2.3.4", "2.3.5", false}, {"1 - x", "7.0.0",
			true},
		{"v1.2.3", "1.2.3", true}, {"=1.2.3", "1.2.3", true}, {"> 1.0.0  < 1.5.0", "1.4.0", true}, {"1.*", "1.7.0",
			true},
		{"1.2.3+build", "1.2.3", true}, {"1.2.3-rc.1", "1.2.3-rc.1", true},
		{"^1.2.3-rc.1 || ^2.0.0", "2.0.0-rc.1", false}, {">1.2.3-alpha <2.0.0", "1.2.3-beta", true},
	} {
		r, err := ParseRange(tt.rng)
		if err != nil || r.Has(tt.version) != tt.want {
			t.Errorf("%s has %s: want %v, %v", tt.rng, tt.version, tt.want, err)
		}
	}
	for _, s := range []string{"tide", "!=1.2.3", "==1.2.3", ">=1.2.3, <2", "^", "1.2.3.4", "01.2.3", "1 | 2", "1- 2",
		"1.2.3-", "workspace:*", "^1.2 || tide", "https://harbour.example/a.tgz"} {
		if _, err := ParseRange(s); err == nil {
			t.Errorf("%s is a range", s)
		}
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
