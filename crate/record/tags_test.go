package record

import (
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/paths"
)

// TestSealKeepsEverything: what is written is read again, in an order that does not depend on how it was made.
func TestSealKeepsEverything(t *testing.T) {
	make := func(turned bool) *Seal {
		s := NewSeal()
		s.Libraries["oarlock"] = &Sealed{Version: "2.0.3", Origin: "registry:oarlock", Digest: "sha384-x",
			Licence: "MIT", Linked: true, Files: []File{
				{Path: "b.js", At: paths.FoundInProject("js/b.js"), Size: 1, Integrity: "sha384-b", Build: "minified",
					OtherBuild: "a.js", Role: Tagged, Module: true, URL: "https://x.example/?a=1&b=<2>"},
				{Path: "a.js", At: paths.FoundInProject("js/a.js"), Size: 2, Integrity: "sha384-a"},
			}}
		s.Libraries["brinework"] = &Sealed{Version: "1.2.0", Origin: "brinework.zip", Files: []File{}}
		s.Tags = []Tag{{Now: "<script src=\"a\"></script>", Was: "<script  src='a'></script>"},
			{Page: "b.html", Now: "<x>", Was: "<y>"}, {Page: "a.html", Now: "<x>", Was: "<z>"}}
		if turned {
			f := s.Libraries["oarlock"].Files
			f[0], f[1] = f[1], f[0]
			s.Tags[0], s.Tags[2] = s.Tags[2], s.Tags[0]
		}
		return s
	}
	b := make(false).Bytes()
	if string(make(true).Bytes()) != string(b) {
		t.Error("the seal's bytes depend on the order in which it was made")
	}
	got, err := ReadSeal(b)
	if err != nil {
		t.Fatalf("%v\n%s", err, b)
	}
	if string(got.Bytes()) != string(b) {
		t.Errorf("read and written again it is\n%s, was\n%s", got.Bytes(), b)
	}
	if fmt.Sprint(got.Libraries["oarlock"].Files[1]) != fmt.Sprint(make(false).Libraries["oarlock"].Files[0]) ||
		!got.Libraries["oarlock"].Linked || len(got.Tags) != 3 {
		t.Errorf("something is lost: %+v", got)
	}
	for _, line := range strings.Split(string(b), "\n") {
		if strings.Count(line, `"path"`) > 1 || strings.Count(line, `"now"`) > 1 {
			t.Errorf("two on a line, which merges badly: %s", line)
		}
	}
	if strings.Contains(string(b), `\u003c`) {
		t.Error("tags are written as nobody can read them")
	}
}

func TestProfilesOfAList(t *testing.T) {
	l, err := ReadList([]byte("format: 1\nbrowsers: es2015\nprofiles:\n  live: {serve: cdn, build: minified, cdn: " +
		"harbour, fallback: true, then: [quay], hints: true, without: [quickbrine, \"https://*.else.example/*\"]}\n" +
		"  desk: {serve: local}\n"))
	if err != nil {
		t.Fatal(err)
	}
	live := l.Profiles["live"]
	if fmt.Sprint(live) != "{cdn minified harbour true [quay] true [quickbrine https://*.else.example/*]}" ||
		l.Profiles["desk"].Serve != "local" || l.Browsers != "es2015" {
		t.Errorf("%+v", l.Profiles)
	}
	for text, want := range map[string]string{
		"profiles: {live: {serve: moon}}":       `3:`,
		"profiles: {live: {falback: true}}":     "fallback",
		"profiles: {live: {fallback: perhaps}}": "true or false",
		"profiles: {live: {without: x}}":        "list",
	} {
		_, err := ReadList([]byte("format: 1\n\n" + text + "\n"))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
}
