package tags

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/internal/cratetest"
)

func read(t testing.TB, p *project.Project, name, text string) *Page {
	t.Helper()
	v, err := Read(p, paths.Found(name), []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestFileOf(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	for target, want := range map[Target]string{
		{Path: paths.Found("js/oarlock.js")}:                                       "dist/oarlock.js",
		{URL: "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"}:     "dist/oarlock.min.js",
		{URL: "http://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"}:      "dist/oarlock.min.js",
		{URL: "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js?x=1"}: "dist/oarlock.min.js",
		{URL: "https://cdn.harbour.example/oarlock/2.0.4/dist/oarlock.min.js"}:     "",
		{Path: paths.Found("js/club.js")}:                                          "",
		{}:                                                                         "",
	} {
		got := ""
		if of := FileOf(p, target); of.File != nil {
			got = of.File.Path
		}
		if got != want {
			t.Errorf("%+v is %q, want %q", target, got, want)
		}
	}
}

func TestFallbackTags(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	read := func(text string) *Page { return read(t, p, "crews/index.html", text) }
	for tag, want := range map[string]string{
		"<script src=a.js></script>":                 "document.write",
		"<script defer src=a.js></script>":           "XMLHttpRequest",
		"<script async src=a.js></script>":           "",
		"<script type=module src=a.js></script>":     "",
		"<link rel=stylesheet href=a.css>":           "cssRules",
		"<script defer async src=a.js></script>":     "",
		"<script nomodule defer src=a.js></script >": "XMLHttpRequest",
	} {
		v := read(tag)
		got := FallbackTag(&v.Includes[0], "oarlock", Copy{Ref: "../js/oarlock's.js"})
		if want == "" && got != "" || !strings.Contains(got, want) ||
			strings.Count(got, "'") != strings.Count(strings.ReplaceAll(got, "\\'", ""), "'") {
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
		if at, local := both.FallbackOf(0); at != 1 || local.Path.String() != "js/oarlock's.js" {
			t.Errorf("%s: fallback at %d, of %+v", tag, at, local)
		}
		apart := read(tag + "<p>words</p>" + got)
		if at, _ := apart.FallbackOf(0); at >= 0 {
			t.Errorf("%s: a script elsewhere is taken for its fallback", tag)
		}
	}
	v := read(`<script src=a.js></script><script>typeof oarlock==="undefined"&&document.write('x')</script>`)
	if at, _ := v.FallbackOf(0); at >= 0 {
		t.Error("somebody else's script is taken for a fallback")
	}
}

// FuzzFallback: a tag that was written for a fallback is known again, whatever the reference.
func FuzzFallback(f *testing.F) {
	for _, s := range []string{"js/a.js", "../x'y\".js", "a b.js", "%27.js", "</script>", "\\"} {
		f.Add(s, "oarlock")
	}
	p := cratetest.WithOarlock(f, cratetest.Harbour)
	f.Fuzz(func(t *testing.T, ref, global string) {
		if ref == "" || global == "" || strings.ContainsAny(global, "<>'\"\n ") ||
			strings.ContainsAny(ref, "\n\r\t\x00") {
			return
		}
		other := Copy{"https://quay.example/" + ref, "sha384-abc"}
		for _, tag := range []string{"<script src=a.js></script>", "<script defer src=a.js></script>",
			"<link rel=stylesheet href=a.css>"} {
			v, err := Read(p, paths.Found("index.html"), []byte(tag))
			if err != nil {
				return
			}
			both, err := Read(p, paths.Found("index.html"),
				[]byte(tag+FallbackTag(&v.Includes[0], global, Copy{Ref: ref})))
			if err != nil {
				return
			}
			if len(both.Includes) != 2 {
				t.Fatalf("%q ends its own script: %d includes", ref, len(both.Includes))
			}
			if at, _ := both.FallbackOf(0); at != 1 && !strings.ContainsAny(ref, "<>'\"\\") {
				t.Fatalf("%q is not known again", ref)
			}
			turns, err := Read(p, paths.Found("index.html"), []byte(tag+FallbackTag(&v.Includes[0], global, other,
				other, Copy{Ref: ref})))
			if err != nil {
				return
			}
			if _, copies := turns.Fallback(1); strings.Contains(tag, "defer") && len(copies) != 1 ||
				!strings.Contains(tag, "defer") && len(copies) != 3 ||
				copies[len(copies)-1].Ref != quoteless.Replace(ref) {
				t.Fatalf("copies at %q are known again as %q", ref, copies)
			}
		}
	})
}

// TestTagsAreRemembered: what writing and removing attributes gives back alone is not remembered, all else is.
func TestTagsAreRemembered(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	address := "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"
	right := integrity.Of([]byte("minified"))
	canonical := page.With(page.ScriptTag(address, false), LinkAttributes, map[string]string{"integrity": right,
		"crossorigin": "anonymous"})
	for tag, remembered := range map[string]bool{
		canonical: false,
		"<script crossorigin src='" + address + "' integrity='" + right + "'></script>":     true,
		"<script src=\"" + address + "\" integrity=\"" + right + "\" crossorigin></script>": true,
		// it will have the integrity that it lacks
		"<script async src=\"" + address + "\"></script>":                                            false,
		"<script src=\"" + address + "\" integrity=\"sha256-x " + right + "\" crossorigin></script>": true,
	} {
		v := read(t, p, "index.html", "<!doctype html>\n"+tag+"\n")
		m := NewHistory(nil)
		e := NewEditor(p, NewScripts(p), v)
		m.Refer(e, 0, "js/oarlock.min.js", nil)
		local, err := e.Bytes()
		if err != nil || strings.Contains(string(local), "integrity") ||
			strings.Contains(string(local), "crossorigin") {
			t.Errorf("the local tag is %s, %v", local, err)
		}
		list := m.Tags(true)
		if (len(list) > 0) != remembered {
			t.Errorf("%s: remembered %v", tag, list)
		}
		again := NewHistory(list)
		e = NewEditor(p, NewScripts(p), read(t, p, "index.html", string(local)))
		again.Refer(e, 0, address, map[string]string{"integrity": right, "crossorigin": "anonymous"})
		got, err := e.Bytes()
		if err != nil || remembered && string(got) != string(v.Bytes) {
			t.Errorf("there and back: %s, was %s, %v", got, v.Bytes, err)
		}
		if rest := again.Tags(true); remembered && slices.ContainsFunc(rest, func(t record.Tag) bool {
			return t.Was == tag
		}) {
			t.Errorf("what was given back is still remembered: %v", rest)
		}
	}
	// The same on all pages is said once; what differs, for each page.
	m := &History{new: []record.Tag{{Page: "a", Now: "1", Was: "x"}, {Page: "b", Now: "1", Was: "x"},
		{Page: "a", Now: "2", Was: "y"}, {Page: "b", Now: "2", Was: "z"}}}
	if got := fmt.Sprint(m.Tags(false)); got != "[{ 1 x} {a 2 y} {b 2 z}]" {
		t.Errorf("merged: %s", got)
	}
}

func TestHints(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	const link = `<script src="https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"></script>`
	const plain = "<!doctype html>\n<html>\n<head>\n  <title>x</title>\n  <link rel=\"stylesheet\" " +
		"href=\"css/club.css\">\n</head>\n<body>\n  " + link + "\n  " + link + "\n</body>\n</html>\n"
	hint := func(text string, wanted bool) ([]byte, error) {
		e := NewEditor(p, NewScripts(p), read(t, p, "index.html", text))
		e.Hint(wanted)
		return e.Bytes()
	}
	with, err := hint(plain, true)
	if err != nil {
		t.Fatal(err)
	}
	if strings.Count(string(with), `<link rel="preconnect" href="https://cdn.harbour.example" crossorigin>`) != 1 ||
		strings.Index(string(with), "preconnect") > strings.Index(string(with), "club.css") {
		t.Errorf("with hints:\n%s", with)
	}
	again, err := hint(string(with), true)
	if err != nil || string(again) != string(with) {
		t.Errorf("hints twice: %v\n%s", err, again)
	}
	without, err := hint(string(with), false)
	if err != nil || string(without) != plain {
		t.Errorf("without hints: %v\n%s", err, without)
	}
	// Somebody's own hint, written otherwise or for another place, stays.
	for _, own := range []string{`<link crossorigin rel=preconnect href=https://cdn.harbour.example>`,
		`<link rel="preconnect" href="https://else.example" crossorigin>`} {
		text := strings.Replace(plain, "<title>", own+"<title>", 1)
		if b, err := hint(text, false); err != nil || string(b) != text {
			t.Errorf("%s is gone: %v\n%s", own, err, b)
		}
	}
}
