package inventory

import (
	"strings"
	"testing"
)

func TestPURLs(t *testing.T) {
	for pkg, want := range map[string]string{"oarlock": "pkg:npm/oarlock@2.0.3",
		"@gull/pennants": "pkg:npm/%40gull/pennants@2.0.3"} {
		if got := purlOf(pkg, "2.0.3"); got != want {
			t.Errorf("%s is %s", pkg, got)
		}
	}
}

func TestNotice(t *testing.T) {
	b := &Bill{Libraries: []BillLine{{Name: "oarlock", Version: "2.0.3", Licence: "MIT",
		Texts: []LicenceText{{"LICENSE", "Copyright\r\nthe crew\r\n"}}}, {Name: "quickbrine", Only: "desk"}}}
	text := b.NoticeText()
	if !strings.Contains(text, "oarlock 2.0.3\nLicence: MIT\n\nCopyright\nthe crew\n") ||
		strings.Contains(text, "quickbrine") || strings.Contains(text, "\r") {
		t.Errorf("the notice is\n%s", text)
	}
}

func TestInEvents(t *testing.T) {
	events := func(words string) []map[string]string {
		var list []map[string]string
		for _, w := range strings.Fields(words) {
			kind, version, _ := strings.Cut(w, "=")
			list = append(list, map[string]string{kind: version})
		}
		return list
	}
	for _, tt := range []struct {
		version, events string
		want            bool
	}{
		{"1.0.0", "introduced=0", true},
		{"1.0.0", "introduced=0 fixed=1.0.0", false},
		{"0.9.9", "introduced=0 fixed=1.0.0", true},
		{"1.0.0", "fixed=1.0.1 introduced=1.0.0", true},
		{"2.0.0", "introduced=0 fixed=1.0.0 introduced=2.0.0 fixed=2.0.1", true},
		{"1.5.0", "introduced=0 fixed=1.0.0 introduced=2.0.0 fixed=2.0.1", false},
		{"1.2.3", "introduced=1.0.0 last_affected=1.2.3", true},
		{"1.2.4", "introduced=1.0.0 last_affected=1.2.3", false},
		{"1.0.0-rc.1", "introduced=1.0.0", false},
	} {
		if got, _ := inEvents(tt.version, events(tt.events)); got != tt.want {
			t.Errorf("%s in %s: %v", tt.version, tt.events, got)
		}
	}
}

// TestMemoryReadsWhatItKept, and nothing else: damaged bytes are no memory.
