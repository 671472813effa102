package record

import (
	"errors"
	"reflect"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/paths"
)

const clubList = `# The rowing club's crate.
format: 1
site: .

pages: ["**/*.html"]   # all of them
folders: {scripts: js, styles: css}

libraries:
  # The kiosk in the boathouse holds this one back.
  oarlock:
    version: 1.4.2   # not 2
    from: downloads/oarlock-1.4.2.zip
    take:
      - dist/oarlock.js
    because: "kiosk"

  tidechart: {version: 3.1.0, needs: [oarlock]}  # the chart

# The club's own files.
own: {order: [js/club.js]}
`

func TestEditsKeepWhatPeopleWrote(t *testing.T) {
	list, err := ReadList([]byte(clubList))
	if err != nil {
		t.Fatal(err)
	}
	oarlock := *list.Library("oarlock")
	oarlock.Version, oarlock.Take, oarlock.Because = "2.0.3", []string{"dist/oarlock.js", "dist/oarlock.min.js"}, ""
	tests := []struct {
		name string
		edit func([]byte) ([]byte, error)
		want *strings.Replacer
	}{
		{"change", func(b []byte) ([]byte, error) { return SetLibrary(b, oarlock) }, strings.NewReplacer(
			"version: 1.4.2   # not 2", "version: 2.0.3  # not 2",
			"    take:\n      - dist/oarlock.js\n", "    take: [dist/oarlock.js, dist/oarlock.min.js]\n",
			"    because: \"kiosk\"\n", "")},
		{"same", func(b []byte) ([]byte, error) { return SetLibrary(b, *list.Library("tidechart")) },
			strings.NewReplacer()},
		{"add", func(b []byte) ([]byte, error) {
			return SetLibrary(b, Library{Name: "brinework", Version: "1.2.0", Needs: []string{"oarlock"}})
		}, strings.NewReplacer("  # the chart\n", "  # the chart\n  brinework:\n    version: 1.2.0\n"+
			"    needs: [oarlock]\n")},
		{"flow", func(b []byte) ([]byte, error) {
			return SetLibrary(b, Library{Name: "tidechart", Version: "3.2.0", Needs: []string{"oarlock"}})
		}, strings.NewReplacer("tidechart: {version: 3.1.0, needs: [oarlock]}  # the chart",
			"tidechart:  # the chart\n    version: 3.2.0\n    needs: [oarlock]")},
		{"remove", func(b []byte) ([]byte, error) { return RemoveLibrary(b, "tidechart") },
			strings.NewReplacer("  tidechart: {version: 3.1.0, needs: [oarlock]}  # the chart\n\n", "")},
		{"text", func(b []byte) ([]byte, error) {
			return SetText(b, "https://cdn.harbour.example/{name}", "cdns", "harbour")
		}, strings.NewReplacer("[js/club.js]}\n", "[js/club.js]}\ncdns:\n"+
			"  harbour: https://cdn.harbour.example/{name}\n")},
	}
	for _, tt := range tests {
		for _, newline := range []string{"\n", "\r\n"} {
			src := strings.ReplaceAll(clubList, "\n", newline)
			got, err := tt.edit([]byte(src))
			if err != nil {
				t.Errorf("%s: %v", tt.name, err)
				continue
			}
			if want := strings.ReplaceAll(tt.want.Replace(clubList), "\n", newline); string(got) != want {
				t.Errorf("%s: got\n%s\nwant\n%s", tt.name, got, want)
			}
		}
	}
}

func TestFirstLibraryGoesIntoAnEmptyList(t *testing.T) {
	for _, src := range []string{"format: 1\n", "format: 1\nlibraries:\n", "format: 1\nlibraries: {}\nsite: .\n"} {
		got, err := SetLibrary([]byte(src), Library{Name: "oarlock", Version: "2.0.3", Because: "yes: no # maybe"})
		if err != nil {
			t.Errorf("%q: %v", src, err)
			continue
		}
		list, err := ReadList(got)
		if err != nil || list.Library("oarlock") == nil || list.Library("oarlock").Because != "yes: no # maybe" {
			t.Errorf("%q became %q: %v", src, got, err)
		}
		back, err := RemoveLibrary(got, "oarlock")
		if err != nil || strings.Contains(string(back), "oarlock") {
			t.Errorf("%q: removal gave %q, %v", got, back, err)
		}
	}
}

// TestSeveralAtOnce: entries that come together are what they would be one after the other.
func TestSeveralAtOnce(t *testing.T) {
	libs := []Library{{Name: "a", Version: "1.0.0"}, {Name: "tidechart", Version: "3.2.0"},
		{Name: "b", Version: "2.0.0", Needs: []string{"a"}}, {Name: "c", Version: "3.0.0"}}
	for _, src := range []string{clubList, "format: 1\n", "format: 1\nlibraries: {}\n", "format: 1\nlibraries:\n",
		"format: 1\nlibraries: {z: {version: 1}}\n", "format: 1\nlibraries:\n      z: {version: 1}\nsite: .\n"} {
		together, err := SetLibraries([]byte(src), libs)
		if err != nil {
			t.Errorf("%q: %v", src, err)
			continue
		}
		single := []byte(src)
		for _, lib := range libs {
			if single, err = SetLibrary(single, lib); err != nil {
				t.Fatal(err)
			}
		}
		a, errA := ReadList(together)
		b, errB := ReadList(single)
		if errA != nil || errB != nil || len(a.Libraries) != len(b.Libraries) || a.Library("b").Needs[0] != "a" ||
			a.Library("tidechart").Version != "3.2.0" {
			t.Errorf("%q became\n%s\nand one after the other\n%s\n%v %v", src, together, single, errA, errB)
		}
	}
}

func TestSettings(t *testing.T) {
	s, err := ReadSettings(nil)
	if err != nil || s.Format != Format {
		t.Fatalf("no settings: %+v, %v", s, err)
	}
	s.SetRegistry(Registry{URL: "https://registry.harbour.example"})
	s.SetRegistry(Registry{URL: "https://own.harbour.example", Scope: "@gull", TokenFrom: "GULL_TOKEN"})
	s.SetRegistry(Registry{URL: "https://other.harbour.example"})
	s.Hosts = map[string]string{"cdn.harbour.example": "127.0.0.1:80"}
	b, err := s.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	back, err := ReadSettings(b)
	if err != nil || len(back.Registries) != 2 || back.Registries[0].URL != "https://other.harbour.example" ||
		back.Registries[1].TokenFrom != "GULL_TOKEN" || back.Hosts["cdn.harbour.example"] == "" {
		t.Errorf("read back as %+v, %v", back, err)
	}
	for bad, want := range map[string]string{"format: 9\n": "newer", "tokens: x\n": `no key "tokens"`,
		"- a\n": "must be a mapping", "a: [\n": "did not find"} {
		if _, err := ReadSettings([]byte(bad)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", bad, err, want)
		}
	}
}

func TestBrokenListsSayWhere(t *testing.T) {
	tests := []struct{ src, want string }{
		{"", "crate.yaml:1:1: the packing list is empty"},
		{"format: 2\n", "crate.yaml:1:9: format 2 is newer"},
		{"site: .\n", "has no format"},
		{"format: 1\nlibrarys: {}\n", `crate.yaml:2:1: there is no key "librarys"; did you mean "libraries"?`},
		{"format: 1\nlibraries:\n  a:\n    verson: 1\n", `crate.yaml:4:5: there is no key "verson" in libraries.a; ` +
			`did you mean "version"?`},
		{"format: 1\nlibraries:\n  a:\n    build: tiny\n", `crate.yaml:4:12: "tiny" is not a value for ` +
			`libraries.a.build; write minified or readable`},
		{"format: 1\npages: {a: b}\n", "crate.yaml:2:8: pages has a value of the wrong kind: it takes a list"},
		{"format: 1\n\tsite: .\n", "crate.yaml:2:"},
		{"- a\n", "crate.yaml:1:1: the packing list must be a mapping"},
	}
	for _, tt := range tests {
		_, err := ReadList([]byte(tt.src))
		var le *ListError
		if !errors.As(err, &le) || !strings.Contains(err.Error(), tt.want) {
			t.Errorf("%q: got %v, want %q", tt.src, err, tt.want)
		}
	}
}

func TestSealIsSortedAndReadBack(t *testing.T) {
	s := NewSeal()
	s.Libraries["b"] = &Sealed{Version: "1", Files: []File{{Path: "z.js", At: paths.FoundInProject("js/z.js"), Size: 3,
		Integrity: "sha384-x"}, {Path: "a.js", Size: 2}}}
	s.Libraries["a"] = &Sealed{Version: "2", Origin: "a.zip", Digest: "sha384-y", Licence: "MIT"}
	b := s.Bytes()
	back, err := ReadSeal(b)
	if err != nil {
		t.Fatal(err)
	}
	if string(back.Bytes()) != string(b) || back.Libraries["b"].Files[0].Path != "a.js" ||
		!reflect.DeepEqual(back.Names(), []string{"a", "b"}) {
		t.Errorf("read back as\n%s", back.Bytes())
	}
	for _, bad := range []string{`{`, `{"format": 7}`, `{}`} {
		if _, err := ReadSeal([]byte(bad)); err == nil || !strings.Contains(err.Error(), SealFile) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

func FuzzList(f *testing.F) {
	f.Add([]byte(clubList))
	f.Add([]byte("format: 1\nlibraries: {a: {version: 1}}\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		if _, err := ReadList(b); err != nil {
			return
		}
		lib := Library{Name: "added", Version: "1.0.0"}
		out, err := SetLibrary(b, lib)
		if err != nil {
			return // refused, which loses nothing
		}
		list, err := ReadList(out)
		if err != nil || list.Library("added") == nil {
			t.Fatalf("%q became %q: %v", b, out, err)
		}
	})
}

// TestBrowsersAreKnown: what the packing list says of browsers is read when the list is.
func TestBrowsersAreKnown(t *testing.T) {
	_, err := ReadList([]byte("format: 1\nbrowsers: \"> 1%\"\n"))
	var le *ListError
	if !errors.As(err, &le) || le.Line != 2 || !strings.Contains(err.Error(), "is not a known edition, year "+
		"or browser") {
		t.Errorf("the list is read with %v", err)
	}
}

// TestCloneIsDeep: nothing that is done to a clone shows in the seal that it was made of.
func TestCloneIsDeep(t *testing.T) {
	s := NewSeal()
	s.Tags = []Tag{{Now: "a"}}
	s.Libraries["oarlock"] = &Sealed{Imports: map[string]string{"a": "b"}, Asks: map[string]string{"a": "1"},
		Gone:  map[string][]string{"1.0.0": {".a"}},
		Files: []File{{Path: "a.js", Facts: &Facts{Defines: []string{"a"}, Needs: []string{"b"}}}}}
	before := string(s.Bytes())
	c := s.Clone()
	lib := c.Libraries["oarlock"]
	lib.Imports["x"], lib.Asks["x"], lib.Gone["1.0.0"][0] = "y", "2", ".b"
	lib.Files[0].Path, lib.Files[0].Facts.Defines[0], lib.Files[0].Facts.Needs[0] = "b.js", "x", "y"
	lib.Gone["2.0.0"], c.Tags[0].Now = nil, "b"
	delete(c.Libraries, "oarlock")
	if after := string(s.Bytes()); after != before {
		t.Errorf("the seal changed with its clone:\n%s\n%s", before, after)
	}
}

// TestNeedsFirst: a library stands behind what it needs, at any depth, and libraries that need each other end the walk.
func TestNeedsFirst(t *testing.T) {
	l := List{Libraries: []Library{
		{Name: "tide", Needs: []string{"logs"}},
		{Name: "logs", Needs: []string{"base", "absent"}},
		{Name: "base"},
		{Name: "port", Needs: []string{"stern"}},
		{Name: "stern", Needs: []string{"port"}},
	}}
	for _, c := range [][2]string{
		{"tide logs base", "base logs tide"},
		{"port stern", "stern port"},
		{"base unknown tide logs", "base unknown logs tide"},
	} {
		if got := strings.Join(l.NeedsFirst(strings.Fields(c[0])), " "); got != c[1] {
			t.Errorf("%s: %s, want %s", c[0], got, c[1])
		}
	}
}
