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
		{"1.5.0", "introduced=0 limit=1.5.0", false}, {"1.4.9", "introduced=0 limit=1.5.0", true},
		{"1.4.9", "introduced=0 limit=1.0.0 limit=2.0.0", true}, {"9.0.0", "introduced=0 limit=*", true},
		{"1.0.0", "introduced=2.0.0 limit=3.0.0", false},
	} {
		if got, _ := inEvents(tt.version, events(tt.events)); got != tt.want {
			t.Errorf("%s in %s: %v", tt.version, tt.events, got)
		}
	}
}

// TestTogether: advisories that name each other, directly or over a third, are one warning.
func TestTogether(t *testing.T) {
	got := together([]Warning{{Library: "oarlock", ID: "GULL-1", Aliases: []string{"WAVE-7"}, Fixed: []string{"2.1.0"}},
		{Library: "oarlock", ID: "GULL-2"}, {Library: "oarlock", ID: "TIDE-3", Aliases: []string{"FOAM-4"},
			Fixed: []string{"2.1.0", "3.0.0"}, Summary: "a leak"}, {Library: "oarlock", ID: "WAVE-7",
			Aliases: []string{"FOAM-4"}}, {Library: "tidechart", ID: "WAVE-7"}})
	if len(got) != 3 || got[0].ID != "GULL-1" || strings.Join(got[0].Aliases, " ") != "FOAM-4 TIDE-3 WAVE-7" ||
		strings.Join(got[0].Fixed, " ") != "2.1.0 3.0.0" || got[0].Summary != "a leak" || got[1].ID != "GULL-2" ||
		got[2].Library != "tidechart" {
		t.Errorf("%+v", got)
	}
}

// TestMemoryReadsWhatItKept, and nothing else: damaged bytes are no memory.
