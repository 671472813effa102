package crate

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

func TestInAddress(t *testing.T) {
	for address, want := range map[string]string{
		"https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js":     "oarlock 2.0.3 dist/oarlock.min.js",
		"https://cdn.harbour.example/oarlock@2.0.3/dist/oarlock.min.js":         "oarlock 2.0.3 dist/oarlock.min.js",
		"https://cdn.harbour.example/@gull/pennants@1.1.0/css/pennants.css":     "@gull/pennants 1.1.0 css/pennants.css",
		"https://cdn.harbour.example/x/@gull/pennants/1.1.0/css/pennants.css":   "@gull/pennants 1.1.0 css/pennants.css",
		"https://cdn.harbour.example/oarlock@2/oarlock.js":                      "oarlock 2 oarlock.js",
		"https://cdn.harbour.example/oarlock@latest/oarlock.js":                 "oarlock  oarlock.js",
		"https://cdn.harbour.example/oarlock-2.0.3.min.js":                      "oarlock 2.0.3 oarlock.min.js",
		"https://cdn.harbour.example/js/Oarlock.js?v=2.0.3":                     "oarlock 2.0.3 Oarlock.js",
		"https://cdn.harbour.example/js/oarlock.js?x=1&version=2.0.3-rc.1&y":    "oarlock 2.0.3-rc.1 oarlock.js",
		"https://cdn.harbour.example/latest/quickbrine.js":                      "quickbrine  quickbrine.js",
		"https://cdn.harbour.example/oarlock/latest/page.js":                    "oarlock  page.js",
		"https://cdn.harbour.example/lib/oarlock/v2.0.3/oarlock.js":             "oarlock 2.0.3 oarlock.js",
		"https://cdn.harbour.example/2024/oarlock/oarlock.js":                   "oarlock  oarlock.js",
		"https://cdn.harbour.example/lib/oarlock/3.0.0-beta.1/dist/oarlock.css": "oarlock 3.0.0-beta.1 dist/oarlock.css",
	} {
		e := inAddress(address)
		if got := e.name + " " + e.version + " " + e.path; got != want {
			t.Errorf("%s is %q, want %q", address, got, want)
		}
	}
}

// TestPatternsExplain: a pattern that is read off an address makes that address again.
func TestPatternsExplain(t *testing.T) {
	lib := &record.Library{Name: "oarlock", Version: "2.0.3", From: "registry:oarlock"}
	f := &record.File{Path: "dist/oarlock.min.js"}
	for address, words := range map[string]string{
		"https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js": "{name}/{version}/{path}",
		"https://cdn.harbour.example/oarlock@2.0.3/oarlock.min.js":          "{name}@{version}/{short}",
		"https://cdn.harbour.example/oarlock-2.0.3.min.js":                  "{stem}-{version}{ending}",
		"https://cdn.harbour.example/oarlock.2.0.3.min.js":                  "{stem}.{version}{ending}",
		"https://cdn.harbour.example/oarlock/oarlock.min.js?v=2.0.3":        "{name}/{short}?v={version}",
	} {
		list := patternsOf(address, lib, "2.0.3", f)
		if len(list) == 0 || !strings.HasSuffix(list[0], words) {
			t.Errorf("%s: %v, want …%s", address, list, words)
		}
		for _, pattern := range list {
			if got := cdnAddress(pattern, lib, "2.0.3", f); got != address {
				t.Errorf("%s makes %s", pattern, got)
			}
		}
	}
	for _, address := range []string{"https://cdn.harbour.example/oarlock.min.js", "https://cdn.harbour.example/oarlock/2.0.3/other.js"} {
		if list := patternsOf(address, lib, "2.0.3", f); list != nil {
			t.Errorf("%s is explained by %v", address, list)
		}
	}
	for pattern, why := range map[string]string{"cdn/{version}/{path}": "no address", "https://x.example/{path}": "no {version}", "https://x.example/{version}": "one address", "https://x.example/{version}/{path}/{branch}": "none of"} {
		if got := validPattern(pattern); !strings.Contains(got, why) {
			t.Errorf("%s: %q", pattern, got)
		}
	}
}

func TestStemOf(t *testing.T) {
	for base, want := range map[string]string{"oarlock.min.js": "oarlock .min.js", "oarlock.js": "oarlock .js", "oarlock.slim.css": "oarlock .slim.css", "a.b.js": "a.b .js", "x": "x "} {
		if stem, ending := stemOf(base); stem+" "+ending != want {
			t.Errorf("%s is %s and %s", base, stem, ending)
		}
	}
}

// crateOf is a project in memory: oarlock at a CDN and on disk.
func crateOf(t *testing.T, list string) *Project {
	t.Helper()
	l, err := record.ReadList([]byte("format: 1\n" + list))
	if err != nil {
		t.Fatal(err)
	}
	p := &Project{Root: t.TempDir(), List: l, Seal: record.NewSeal(), reach: &Reach{Cache: source.NewCache(t.TempDir())}}
	p.Seal.Libraries["oarlock"] = &record.Sealed{Version: "2.0.3", Files: []record.File{
		{Path: "dist/oarlock.js", At: "js/oarlock.js", Integrity: integrity.Of([]byte("readable")), Build: "readable", Pair: "dist/oarlock.min.js", Page: true},
		{Path: "dist/oarlock.min.js", At: "js/oarlock.min.js", Integrity: integrity.Of([]byte("minified")), Build: "minified", Pair: "dist/oarlock.js", Page: true},
	}}
	p.indexPlaces()
	return p
}

const harbour = "libraries:\n  oarlock: {version: 2.0.3, from: \"registry:oarlock\", build: minified}\ncdns: {harbour: \"https://cdn.harbour.example/{name}/{version}/{path}\"}\n"

func TestPlaced(t *testing.T) {
	p := crateOf(t, harbour+"")
	for target, want := range map[Target]string{
		{Path: "js/oarlock.js"}: "dist/oarlock.js",
		{URL: "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"}:     "dist/oarlock.min.js",
		{URL: "http://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"}:      "dist/oarlock.min.js",
		{URL: "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js?x=1"}: "dist/oarlock.min.js",
		{URL: "https://cdn.harbour.example/oarlock/2.0.4/dist/oarlock.min.js"}:     "",
		{Path: "js/club.js"}: "",
		{}:                   "",
	} {
		got := ""
		if of := p.placed(target); of.File != nil {
			got = of.File.Path
		}
		if got != want {
			t.Errorf("%+v is %q, want %q", target, got, want)
		}
	}
}

func TestFallbackTags(t *testing.T) {
	read := func(text string) *view {
		p := crateOf(t, harbour)
		v, err := p.view("crews/index.html", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	for tag, want := range map[string]string{
		"<script src=a.js></script>":                 "document.write",
		"<script defer src=a.js></script>":           "XMLHttpRequest",
		"<script async src=a.js></script>":           "",
		"<script type=module src=a.js></script>":     "",
		"<link rel=stylesheet href=a.css>":           "",
		"<script defer async src=a.js></script>":     "",
		"<script nomodule defer src=a.js></script >": "XMLHttpRequest",
	} {
		v := read(tag)
		got := fallbackTag(&v.Includes[0], "oarlock", "../js/oarlock's.js")
		if want == "" && got != "" || !strings.Contains(got, want) || strings.Count(got, "'") != strings.Count(strings.ReplaceAll(got, "\\'", ""), "'") {
			t.Errorf("%s: %s", tag, got)
		}
		if got == "" {
			continue
		}
		if strings.Contains(got, "lock's") {
			t.Errorf("the quote in a reference is as it was: %s", got)
		}
		// What was written is known again, where it stands right behind.
		both := read(tag + "\n  " + got)
		if at, local := both.fallbackOf(0); at != 1 || local.Path != "js/oarlock's.js" {
			t.Errorf("%s: fallback at %d, of %+v", tag, at, local)
		}
		apart := read(tag + "<p>words</p>" + got)
		if at, _ := apart.fallbackOf(0); at >= 0 {
			t.Errorf("%s: a script elsewhere is taken for its fallback", tag)
		}
	}
	v := read(`<script src=a.js></script><script>typeof oarlock==="undefined"&&document.write('x')</script>`)
	if at, _ := v.fallbackOf(0); at >= 0 {
		t.Error("somebody else's script is taken for a fallback")
	}
}

// TestTagsAreRemembered: what writing and removing attributes gives back by itself is not remembered, all else is.
func TestTagsAreRemembered(t *testing.T) {
	p := crateOf(t, harbour)
	address := "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"
	right := integrity.Of([]byte("minified"))
	canonical := page.With(page.ScriptTag(address, false), linkAttributes, map[string]string{"integrity": right, "crossorigin": "anonymous"})
	for tag, remembered := range map[string]bool{
		canonical: false,
		"<script crossorigin src='" + address + "' integrity='" + right + "'></script>":              true,
		"<script src=\"" + address + "\" integrity=\"" + right + "\" crossorigin></script>":          true,
		"<script async src=\"" + address + "\"></script>":                                            false, // it will have the integrity that it lacks
		"<script src=\"" + address + "\" integrity=\"sha256-x " + right + "\" crossorigin></script>": true,
	} {
		v, err := p.view("index.html", []byte("<!doctype html>\n"+tag+"\n"))
		if err != nil {
			t.Fatal(err)
		}
		m := &tagMemory{}
		local := page.Apply(v.Bytes, m.refer(v, 0, "js/oarlock.min.js", nil))
		if strings.Contains(string(local), "integrity") || strings.Contains(string(local), "crossorigin") {
			t.Errorf("the local tag is %s", local)
		}
		list := m.merged(true)
		if (len(list) > 0) != remembered {
			t.Errorf("%s: remembered %v", tag, list)
		}
		back, err := p.view("index.html", local)
		if err != nil {
			t.Fatal(err)
		}
		again := &tagMemory{known: list}
		got := string(page.Apply(back.Bytes, again.refer(back, 0, address, map[string]string{"integrity": right, "crossorigin": "anonymous"})))
		if remembered && got != string(v.Bytes) {
			t.Errorf("there and back: %s, was %s", got, v.Bytes)
		}
		if rest := again.merged(true); remembered && slices.ContainsFunc(rest, func(t record.Tag) bool { return t.Was == tag }) {
			t.Errorf("what was given back is still remembered: %v", rest)
		}
	}
	// The same on all pages is said once; what differs, for each page.
	m := &tagMemory{new: []record.Tag{{Page: "a", Now: "1", Was: "x"}, {Page: "b", Now: "1", Was: "x"}, {Page: "a", Now: "2", Was: "y"}, {Page: "b", Now: "2", Was: "z"}}}
	if got := fmt.Sprint(m.merged(false)); got != "[{ 1 x} {a 2 y} {b 2 z}]" {
		t.Errorf("merged: %s", got)
	}
}

func TestHints(t *testing.T) {
	p := crateOf(t, harbour)
	const link = `<script src="https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"></script>`
	const plain = "<!doctype html>\n<html>\n<head>\n  <title>x</title>\n  <link rel=\"stylesheet\" href=\"css/club.css\">\n</head>\n<body>\n  " + link + "\n  " + link + "\n</body>\n</html>\n"
	view := func(text string) *view {
		v, err := p.view("index.html", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	with, err := p.hint(view(plain), true)
	if err != nil {
		t.Fatal(err)
	}
	if strings.Count(string(with), `<link rel="preconnect" href="https://cdn.harbour.example" crossorigin>`) != 1 || strings.Index(string(with), "preconnect") > strings.Index(string(with), "club.css") {
		t.Errorf("with hints:\n%s", with)
	}
	again, err := p.hint(view(string(with)), true)
	if err != nil || string(again) != string(with) {
		t.Errorf("hints twice: %v\n%s", err, again)
	}
	without, err := p.hint(view(string(with)), false)
	if err != nil || string(without) != plain {
		t.Errorf("without hints: %v\n%s", err, without)
	}
	// Somebody's own hint, written otherwise or for another place, stays.
	for _, own := range []string{`<link crossorigin rel=preconnect href=https://cdn.harbour.example>`, `<link rel="preconnect" href="https://else.example" crossorigin>`} {
		text := strings.Replace(plain, "<title>", own+"<title>", 1)
		if b, err := p.hint(view(text), false); err != nil || string(b) != text {
			t.Errorf("%s is gone: %v\n%s", own, err, b)
		}
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

func TestBehind(t *testing.T) {
	for pair, want := range map[[2]string]string{{"1.2.3", "2.0.0"}: "major", {"1.2.3", "1.3.0"}: "minor", {"1.2.3", "1.2.4"}: "patch", {"1.2.3", "1.2.3"}: "", {"2.0.0", "1.0.0"}: "", {"1.0.0", ""}: ""} {
		if got := behind(pair[0], pair[1]); got != want {
			t.Errorf("%v: %q, want %q", pair, got, want)
		}
	}
}

func TestEditionOf(t *testing.T) {
	for text, want := range map[string]int{"es5": 2009, "ES6": 2015, "es2017": 2017, "2020": 2020, " es2015 ": 2015, "": 0, "old ones": 0} {
		if got := editionOf(text); got != want {
			t.Errorf("%q is %d, want %d", text, got, want)
		}
	}
}

// TestMemoryReadsWhatItKept, and nothing else: damaged bytes are no memory.
func TestMemoryReadsWhatItKept(t *testing.T) {
	p := crateOf(t, harbour)
	m := &memory{p: p, of: p.Root, state: 7}
	same := &uses{libraries: []string{"oarlock"}, files: []string{"js/oarlock.js", "js/club.js"}}
	m.keep([]string{"a.html", "b.html", "c.html"}, []pageResult{{uses: same, stamp: 1}, {uses: same, stamp: 2}, {uses: &uses{}, stamp: 0}})
	b, ok := p.reach.Cache.Kept(checkedNumber, p.Root)
	if !ok {
		t.Fatal("nothing was kept")
	}
	read := &memory{p: p, state: 7}
	read.read(b)
	if len(read.known) != 2 || read.known["b.html"].stamp != 2 || len(read.uses) != 1 || strings.Join(read.uses[0].files, " ") != "js/oarlock.js js/club.js" {
		t.Errorf("read %+v", read)
	}
	other := &memory{p: p, state: 8}
	if other.read(b); other.known != nil {
		t.Error("what held in other surroundings is believed")
	}
	for n := range len(b) {
		(&memory{p: p, state: 7}).read(b[:n])
		bad := slices.Clone(b)
		bad[n] ^= 0xff
		(&memory{p: p, state: 7}).read(bad)
	}
}

func FuzzMemory(f *testing.F) {
	f.Add([]byte("\x07\x00\x00\x00\x00\x00\x00\x00\x01\x02ab\x00\x01x12345678\x00\x00"))
	f.Fuzz(func(t *testing.T, b []byte) {
		(&memory{state: 7}).read(b)
	})
}

// known is a script as the reading of files would have found it.
func known(t *testing.T, text, name string) *knownScript {
	t.Helper()
	return &knownScript{Report: script.Analyze([]byte(text)), text: []byte(text), name: name}
}
