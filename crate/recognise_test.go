package crate

import (
	"strings"
	"testing"

	"merrycrate.example/merry/crate/record"
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
		{"a banner that names both", says("its banner: gauge 0.9.1", "its file's name: gauge"), "gauge 0.9.1", Likely, 2},
		{"a manifest over a banner", says("the manifest in x: oarlock 2.0.3", "its banner: Oarlock 2.0.0"), "oarlock 2.0.3", Likely, 2},
		{"the user's word over all", says("you say so: mine 1.0.0", "its banner: gauge 0.9.1"), "mine 1.0.0", Likely, 1},
		{"a name and no version", says("its file's name: gauge"), "gauge ", Unknown, 0},
		{"a version of another name", says("its banner: gauge", "its address: harbour 1.2.3"), "gauge 1.2.3", Unknown, 1},
		{"a name here, a version there, of one name", says("its banner: gauge", "its file's name: gauge 1.2.3"), "gauge 1.2.3", Likely, 2},
		{"nothing", nil, " ", Unknown, 0},
	} {
		r := &recognised{sure: Unknown}
		r.weigh(tt.list)
		if got := r.name + " " + r.version; got != tt.want || r.sure != tt.sure || len(r.because) != tt.given {
			t.Errorf("%s: %q, %s, %q; want %q, %s, %d reasons", tt.name, got, r.sure, r.because, tt.want, tt.sure, tt.given)
		}
	}
}

func TestRolesMove(t *testing.T) {
	old := &record.Sealed{Files: []record.File{{Path: "dist/oarlock-1.4.2.js", Build: "readable"}, {Path: "dist/oarlock-1.4.2.min.js", Build: "minified"}, {Path: "css/gone.css"}, {Path: "img/a.svg"}}}
	new := &record.Sealed{Files: []record.File{{Path: "lib/oarlock-2.0.3.js", Build: "readable"}, {Path: "lib/oarlock-2.0.3.min.js", Build: "minified"}, {Path: "img/a.svg"}}}
	moved := moves(old, new)
	for i, want := range []string{"lib/oarlock-2.0.3.js", "lib/oarlock-2.0.3.min.js", "", "img/a.svg"} {
		got := ""
		if f := moved[&old.Files[i]]; f != nil {
			got = f.Path
		}
		if got != want {
			t.Errorf("%s goes to %q, want %q", old.Files[i].Path, got, want)
		}
	}
}

func TestPURLs(t *testing.T) {
	for pkg, want := range map[string]string{"oarlock": "pkg:npm/oarlock@2.0.3", "@gull/pennants": "pkg:npm/%40gull/pennants@2.0.3"} {
		if got := purlOf(pkg, "2.0.3"); got != want {
			t.Errorf("%s is %s", pkg, got)
		}
	}
}

func TestNotice(t *testing.T) {
	b := &Bill{Libraries: []BillLine{{Name: "oarlock", Version: "2.0.3", Licence: "MIT", Texts: []LicenceText{{"LICENSE", "Copyright\r\nthe crew\r\n"}}}, {Name: "quickbrine", Only: "desk"}}}
	text := b.NoticeText()
	if !strings.Contains(text, "oarlock 2.0.3\nLicence: MIT\n\nCopyright\nthe crew\n") || strings.Contains(text, "quickbrine") || strings.Contains(text, "\r") {
		t.Errorf("the notice is\n%s", text)
	}
}

// FuzzInAddress: whatever an address looks like, what is read off it can be told and used.
func FuzzInAddress(f *testing.F) {
	for _, s := range []string{"https://x.example/a@1/b.js", "https://x.example/@a/b/1.2.3/c", "https://x.example", "https://x.example//@/", "https://x.example/?v=1.2", "://", "https://x.example/%zz"} {
		f.Add(s)
	}
	lib := &record.Library{Name: "oarlock", From: "registry:oarlock"}
	f.Fuzz(func(t *testing.T, address string) {
		e := inAddress(address)
		for _, pattern := range patternsOf(address, lib, e.version, &record.File{Path: e.path}) {
			if validPattern(pattern) != "" {
				t.Fatalf("%q is explained by %q, which is no pattern", address, pattern)
			}
		}
	})
}

// FuzzFallback: a tag that was written for a fallback is known again, whatever the reference.
func FuzzFallback(f *testing.F) {
	for _, s := range []string{"js/a.js", "../x'y\".js", "a b.js", "%27.js", "</script>", "\\"} {
		f.Add(s, "oarlock")
	}
	f.Fuzz(func(t *testing.T, ref, global string) {
		if ref == "" || global == "" || strings.ContainsAny(global, "<>'\"\n ") || strings.ContainsAny(ref, "\n\r\t\x00") {
			return
		}
		p := &Project{List: &record.List{}, Seal: record.NewSeal()}
		p.indexPlaces()
		for _, tag := range []string{"<script src=a.js></script>", "<script defer src=a.js></script>"} {
			v, err := p.view("index.html", []byte(tag))
			if err != nil {
				return
			}
			both, err := p.view("index.html", []byte(tag+fallbackTag(&v.Includes[0], global, ref)))
			if err != nil {
				return
			}
			if len(both.Includes) != 2 {
				t.Fatalf("%q ends its own script: %d includes", ref, len(both.Includes))
			}
			if at, _ := both.fallbackOf(0); at != 1 && !strings.ContainsAny(ref, "<>'\"\\") {
				t.Fatalf("%q is not known again", ref)
			}
		}
	})
}
