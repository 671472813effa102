package manifest

import "testing"

func TestBanners(t *testing.T) {
	for text, want := range map[string]Banner{
		"/*! winch v1.2.3 | MIT */":                                   {"winch", "1.2.3", "MIT"},
		"/**\n * @license\n * winch.js 2.0.0-rc.1\n */":               {"winch", "2.0.0-rc.1", ""},
		"/*\n * winch\n * Version: 4.5\n * Licence: BSD-3-Clause\n*/": {"", "4.5", "BSD-3-Clause"},
		"// winch 1.0.0\n// (c) nobody\nvar a;":                       {"winch", "1.0.0", ""},
		"var a; /* winch v1.2.3 */":                                   {},
	} {
		if got := BannerOf([]byte(text)); got != want {
			t.Errorf("%q: got %+v, want %+v", text, got, want)
		}
	}
}
