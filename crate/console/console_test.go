package console

import (
	"testing"

	"merrycrate.example/merry/crate/check"
)

// TestSourceMaps: a place is led back to what a script was made from, through a map beside it, in it, or not at all.
func TestSourceMaps(t *testing.T) {
	const mappings = `{"version":3,"sources":["../src/row.ts"],"names":[],"mappings":"AAAA,cAME"}`
	files := map[string]string{
		"js/a.js":       "function row(){throw 1}\n//# sourceMappingURL=maps/a.map\n",
		"js/maps/a.map": mappings,
		"js/b.js": "row()\n" +
			"//# sourceMappingURL=data:application/json;base64," +
			"eyJ2ZXJzaW9uIjozLCJzb3VyY2VzIjpbInJvdy50cyJdLCJuYW1lcyI6W10sIm1hcHBpbmdzIjoiQUFBQSJ9\n",
		"js/c.js":       "row()\n//# sourceMappingURL=https://elsewhere.example/c.map\n",
		"js/d.js":       "row()\n//# sourceMappingURL=../../../d.map\n",
		"js/e.js":       "row()\n//# sourceMappingURL=broken.map\n",
		"js/broken.map": "{",
	}
	s := &Site{Origin: "http://127.0.0.1:1", Read: func(name string) []byte { return []byte(files[name]) }}
	for url, want := range map[string]string{
		"js/a.js": "js/src/row.ts:7:3", "js/b.js": "js/row.ts:1:1", "js/c.js": "js/c.js:1:22",
		"js/d.js": "js/d.js:1:22", "js/e.js": "js/e.js:1:22", "js/none.js": "js/none.js:1:22",
	} {
		m := &Message{Kind: Error, Page: "index.html", URL: s.Origin + "/" + url, Line: 1, Column: 22}
		if s.Explain(m); m.Place() != want {
			t.Errorf("%s is led to %s, want %s", url, m.Place(), want)
		}
	}
}

// TestCauses: the finding that a message comes of, and none of those that only stand nearby.
func TestCauses(t *testing.T) {
	s := &Site{Origin: "http://127.0.0.1:1", Sites: "web", Read: func(string) []byte {
		return nil
	}, Findings: []check.Finding{
		{Name: check.NeedLater, Severity: check.Error, File: "web/index.html", Line: 9,
			Message: "brinework needs oarlock, which comes 3 tags later", Global: "oarlock"},
		{Name: check.NeedLater, Severity: check.Error, File: "web/index.html", Line: 10,
			Message: "js/club.js reads oarlock, which comes one tag later", Global: "oarlock"},
		{Name: check.FileMissing, Severity: check.Error, File: "web/index.html", Line: 12,
			Message: "there is no file img/none.png"},
		{Name: check.PolicyForbids, Severity: check.Error, File: "web/index.html", Line: 14,
			Message: "the policy forbids the inline script in line 14"},
		{Name: check.PolicyForbids, Severity: check.Error, File: "web/index.html", Line: 16,
			Message: "the policy of line 2 forbids js/a.js, js/b.js, js/c.js and 4 more: script-src 'none'"},
		{Name: check.NoViewport, Severity: check.Note, File: "web/index.html", Line: 1, Message: "no viewport"},
	}}
	for _, tt := range []struct {
		m    Message
		want string
	}{
		{Message{Kind: Error, Text: "Uncaught ReferenceError: oarlock is not defined", URL: s.Origin + "/js/club.js",
			Line: 2}, "js/club.js reads"},
		{Message{Kind: Error, Text: "Error: I need oarlock", URL: s.Origin + "/js/b.js", Line: 2}, "brinework needs"},
		{Message{Kind: Error, Text: "oarlocks is not defined", URL: s.Origin + "/js/b.js", Line: 2}, ""},
		{Message{Kind: Error, Text: "Uncaught TypeError: Cannot read properties of undefined (reading 'fn')",
			URL: s.Origin + "/js/club.js", Line: 7}, "js/club.js reads"},
		{Message{Kind: Error, Text: "Error: this is no good without its base", URL: s.Origin + "/js/club.js", Line: 7},
			"js/club.js reads"},
		{Message{Kind: Error, Text: "TypeError: Cannot read properties of undefined (reading 'fn')",
			URL: s.Origin + "/js/club.js.map.js", Line: 7}, ""},
		{Message{Kind: Failed, Text: "404", URL: s.Origin + "/img/none.png"}, "there is no file"},
		{Message{Kind: Failed, Text: "404", URL: s.Origin + "/img/none.png.webp"}, ""},
		{Message{Kind: Blocked, Text: "the policy forbids what is written into the page", URL: s.Origin + "/",
			Line: 14}, "the policy forbids"},
		{Message{Kind: Blocked, Text: "the policy forbids what is written into the page", URL: s.Origin + "/",
			Line: 15}, ""},
		{Message{Kind: Blocked, Text: `Loading the script 'js/z.js' violates the following Content Security Policy ` +
			`directive: "script-src 'none'". It was blocked.`, URL: s.Origin + "/js/z.js"}, "the policy of line 2"},
		{Message{Kind: Warning, Text: "oarlock is old", URL: s.Origin + "/", Line: 10}, ""},
		{Message{Kind: Error, Text: "aground", URL: s.Origin + "/", Line: 12}, ""},
	} {
		tt.m.Page = "index.html"
		if s.Explain(&tt.m); len(tt.m.Cause) < len(tt.want) || tt.m.Cause[:len(tt.want)] != tt.want ||
			tt.m.Known != (tt.want != "") {
			t.Errorf("%+v", tt.m)
		}
	}
	other := Message{Kind: Failed, Page: "tides.html", URL: s.Origin + "/img/none.png"}
	if s.Explain(&other); other.Known {
		t.Errorf("the finding of another page: %+v", other)
	}
}

// TestCausesByTags: what a script's tag is about explains the script, and those that need what it does not come to
// define.
func TestCausesByTags(t *testing.T) {
	s := &Site{Origin: "http://127.0.0.1:1", Sites: ".", Read: func(string) []byte {
		return nil
	}, Findings: []check.Finding{
		{Name: check.NeedMissing, Severity: check.Error, File: "a.html", Line: 5, Column: 1,
			Message: "tidechart needs oarlock, which is not on this page", Declared: true},
		{Name: check.LocalIntegrity, Severity: check.Error, File: "b.html", Line: 5, Column: 1,
			Message: "the bytes of js/oarlock.js are others"},
		{Name: check.NeedRace, Severity: check.Warning, File: "c.html", Line: 5, Column: 1,
			Message: "js/oarlock.js is async"},
		{Name: check.NoViewport, Severity: check.Error, File: "d.html", Line: 5, Column: 1, Message: "no viewport"},
		{Name: check.ScriptFails, Severity: check.Error, File: "e.html", Line: 2, Column: 1,
			Message: "the inline script in line 2 stops: no such thing", Why: "at e.html:4:9; nothing behind " +
				"that runs"},
	}, Tags: func(page string) []Tag {
		file := map[string]string{"a.html": "js/tidechart.js", "b.html": "js/oarlock.js", "c.html": "js/tidechart.js",
			"d.html": "js/oarlock.js"}[page]
		return []Tag{{Line: 5, Column: 1, File: file, Defines: []string{"oarlock"}},
			{Line: 6, Column: 1, File: "js/club.js", Needs: []string{"oarlock"}}}
	}}
	for _, tt := range []struct {
		page, text, file string
		line             int
		known            bool
	}{
		{"a.html", "TypeError: Cannot read properties of undefined (reading 'row')", "js/tidechart.js", 1, true},
		{"a.html", "TypeError: Cannot read properties of undefined (reading 'row')", "js/other.js", 1, false},
		{"b.html", "ReferenceError: oarlock is not defined", "js/other.js", 1, true},
		{"b.html", "TypeError: Cannot read properties of undefined (reading 'row')", "js/club.js", 1, true},
		{"b.html", "TypeError: Cannot read properties of undefined (reading 'row')", "js/other.js", 1, false},
		{"c.html", "TypeError: Cannot read properties of undefined (reading 'row')", "js/tidechart.js", 1, true},
		{"d.html", "ReferenceError: oarlock is not defined", "js/other.js", 1, false},
		{"e.html", "TypeError: Cannot set properties of null", "e.html", 4, true},
		{"e.html", "TypeError: Cannot set properties of null", "e.html", 14, false},
	} {
		m := Message{Kind: Error, Page: tt.page, Text: tt.text, URL: s.Origin + "/" + tt.file, Line: tt.line}
		if s.Explain(&m); m.Known != tt.known {
			t.Errorf("%s: %s of %s is known: %v, by %q", tt.page, tt.text, tt.file, m.Known, m.Cause)
		}
	}
}

// TestOnce: a message is new once, and again after the site has changed.
func TestOnce(t *testing.T) {
	var l Log
	m := &Message{Kind: Error, Page: "a.html", Text: "x", Line: 3}
	if !l.New(m) || l.New(m) || !l.New(&Message{Kind: Error, Page: "b.html", Text: "x", Line: 3}) {
		t.Error("told twice, or not at all")
	}
	l.Forget()
	if !l.New(m) {
		t.Error("it is not told again")
	}
}

// FuzzExplain: whatever a browser says, and whatever a map holds, has a place.
func FuzzExplain(f *testing.F) {
	f.Add("Uncaught x is not defined", "http://127.0.0.1:1/js/a.js?x#y", 1, 1, "//# sourceMappingURL=a.map",
		`{"version":3,"sources":["a"],"names":[],"mappings":"AAAA"}`)
	f.Fuzz(func(t *testing.T, text, url string, line, column int, script, sourceMap string) {
		s := &Site{Origin: "http://127.0.0.1:1", Read: func(name string) []byte {
			if len(name) > 4 && name[len(name)-4:] == ".map" {
				return []byte(sourceMap)
			}
			return []byte(script)
		}}
		m := &Message{Kind: Error, Page: "index.html", Text: text, URL: url, Line: line, Column: column}
		s.Explain(m)
		if m.Place() == "" {
			t.Errorf("%+v has no place", m)
		}
	})
}
