package support

import (
	"strings"
	"testing"
)

func TestEdition(t *testing.T) {
	for text, want := range map[string]int{"": 0, "es5": 2009, "ES2015": 2015, "es6": 2015, "es7": 2016, "2019": 2019,
		"chrome 80": 2020, "Chrome 79": 2019, "safari 12.1": 2019, "safari 9": 2009, "firefox esr": 2022,
		"ie 11": 2009, "chrome 90, safari 11": 2017, "edge >= 79": 2019, "chrome80": 2020, "firefox 60": 2019,
		"opera 67": 2020} {
		if got, err := Parse(text); err != nil || got.Edition() != want {
			t.Errorf("%q is %v, %v; want %d", text, got, err, want)
		}
	}
	for _, bad := range []string{"> 1%", "last 2 versions", "netscape 4", "chrome", "chrome new", "es4", "es99", "1999",
		"safari 3", "defaults", "firefox esr 2"} {
		if got, err := Parse(bad); err == nil || !strings.Contains(err.Error(), "chrome, edge, firefox, ie, "+
			"opera, safari") {
			t.Errorf("%q is %v, %v; want an error", bad, got, err)
		}
	}
}
