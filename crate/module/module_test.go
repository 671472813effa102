package module

import (
	"encoding/json"
	"errors"
	"net/url"
	"testing"
	"unicode/utf8"
)

func at(t testing.TB, s string) *url.URL {
	t.Helper()
	u, err := url.Parse(s)
	if err != nil {
		t.Fatal(err)
	}
	return u
}

// TestResolve: the standard's ways: names, prefixes, scopes, blocked names, addresses that are mapped, and what leads
// above a prefix.
func TestResolve(t *testing.T) {
	m,
		err := ReadMap(
		[]byte(
			`{"imports": {"oarlock": "./js/oarlock.js", "rig/": "/rig/", "rig/deep/": "./deep/", "off": null, "bad/": "./file.js", "bare": "nowhere", "./own.js": "./other.js", "https://cdn.harbour.example/": "./vendor/"},
		"scopes": {"/old/": {"oarlock": "./js/old.js", "none": null}, "/old/deep/": {"oarlock": "./js/deep.js"}, "/old/x.js": {"oarlock": "./js/x.js"}}}`))
	if err != nil {
		t.Fatal(err)
	}
	base := at(t, "https://club.example/crews/index.html")
	for _, tt := range []struct{ from, specifier, want string }{
		{"/a.js", "oarlock", "https://club.example/crews/js/oarlock.js"},
		{"/a.js", "rig/mast.js", "https://club.example/rig/mast.js"}, {"/a.js", "rig/deep/k.js",
			"https://club.example/crews/deep/k.js"},
		{"/a.js", "rig/../../x.js", ""}, {"/a.js", "off", ""}, {"/a.js", "bad/x", ""}, {"/a.js", "bare", ""},
		{"/a.js", "unknown", ""}, {"/js/a.js", "./b.js", "https://club.example/js/b.js"},
		{"/crews/a.js", "./own.js", "https://club.example/crews/other.js"},
		{"/old/a.js", "oarlock", "https://club.example/crews/js/old.js"}, {"/old/deep/a.js", "oarlock",
			"https://club.example/crews/js/deep.js"},
		{"/old/x.js", "oarlock", "https://club.example/crews/js/x.js"}, {"/old/a.js", "none", ""},
		{"/a.js", "https://cdn.harbour.example/k.js", "https://club.example/crews/vendor/k.js"},
		{"/a.js", "https://other.example/k.js", "https://other.example/k.js"},
		{"/a.js", "/top.js", "https://club.example/top.js"},
	} {
		to, ok := Join([]*Map{m}, base).Resolve(base.ResolveReference(at(t, tt.from)), tt.specifier)
		got := ""
		if ok {
			got = to.String()
		}
		if got != tt.want {
			t.Errorf("%s from %s: %q, want %q", tt.specifier, tt.from, got, tt.want)
		}
	}
	second, err := ReadMap([]byte(`{"imports": {"oarlock": "./late.js", "more": "./more.js"}}`))
	if err != nil {
		t.Fatal(err)
	}
	if to, _ := Join([]*Map{m, second}, base).Resolve(base, "oarlock"); to == nil || to.Path != "/crews/js/oarlock.js" {
		t.Errorf("a second map takes a name over: %v", to)
	}
	if to, ok := Join([]*Map{m, second}, base).Resolve(base, "more"); !ok || to.Path != "/crews/more.js" {
		t.Errorf("a second map adds no name: %v", to)
	}
}

// TestMapsThatAreNone: what browsers refuse is refused, with its place.
func TestMapsThatAreNone(t *testing.T) {
	for text, offset := range map[string]int{`{"imports": {"a": "b",}}`: 22, `[]`: 0, `{"imports": []}`: 12,
		`{"scopes": {"/a/": 1}}`: 19, ``: 0, `{"imports": "x"}`: 12} {
		_, err := ReadMap([]byte(text))
		var e *SyntaxError
		if !errors.As(err, &e) || e.Offset != offset {
			t.Errorf("%s: %v %+v, want it at %d", text, err, e, offset)
		}
	}
	if m, err := ReadMap([]byte(`{"imports": {"a": 5, "b": {"c": "d"}, "a": "./x.js"}, "new": ` +
		`[1, "}"]}`)); err != nil || len(m.Entries) != 2 || m.Entries[0].Address != "./x.js" ||
		m.Entries[1].Address != "" {
		t.Errorf("%v %+v", err, m)
	}
}

// TestEdit: only what is meant is touched, in the map's own layout; and back again.
func TestEdit(t *testing.T) {
	for _, tt := range []struct {
		before string
		wish   Wish
		after  string
	}{
		{"{}", Wish{Set: map[string]string{"buoy": "./js/buoy.js"}}, "{\n    \"imports\": {\n" +
			"      \"buoy\": \"./js/buoy.js\"\n    }\n  }"},
		{`{"imports":{"a":"./a.js"}}`, Wish{Set: map[string]string{"b": "./b.js", "c": "./c.js"}},
			`{"imports":{"a":"./a.js", "b": "./b.js", "c": "./c.js"}}`},
		{"{\n\t\"imports\": {\n\t\t\"a\": \"./a.js\",\n\t\t\"b\" : \"./b.js\"\n\t}\n" +
			"}", Wish{Set: map[string]string{"b": "./x.js", "c": "./c.js"}}, "{\n\t\"imports\": {\n" +
			"\t\t\"a\": \"./a.js\",\n\t\t\"b\" : \"./x.js\",\n\t\t\"c\": \"./c.js\"\n\t}\n}"},
		{"{\n  \"imports\": {\n    \"a\": \"./a.js\",\n    \"b\": \"./b.js\"\n  }\n" +
			"}", Wish{Set: map[string]string{"b": ""}}, "{\n  \"imports\": {\n    \"a\": \"./a.js\"\n  }\n}"},
		{"{\n  \"imports\": {\n    \"a\": \"./a.js\",\n    \"b\": \"./b.js\"\n  }\n" +
			"}", Wish{Set: map[string]string{"a": ""}}, "{\n  \"imports\": {\n    \"b\": \"./b.js\"\n  }\n}"},
		{`{"imports": {"a": "./a.js", "b": "./b.js", "c": "./c.js"}}`, Wish{Set: map[string]string{"b": "", "c": ""}},
			`{"imports": {"a": "./a.js"}}`},
		{`{"imports": {"a": "./a.js"}}`, Wish{Set: map[string]string{"a": "https://cdn.example/a.js"},
			Demand: map[string]string{"https://cdn.example/a.js": "sha384-x"}},
			"{\"imports\": {\"a\": \"https://cdn.example/a.js\"},\n    \"integrity\": {\n" +
				"      \"https://cdn.example/a.js\": \"sha384-x\"\n    }}"},
		{"{\"imports\": {\"a\": \"https://cdn.example/a.js\"},\n    \"integrity\": {\n" +
			"      \"https://cdn.example/a.js\": \"sha384-x\"\n    }}", Wish{Set: map[string]string{"a": "./a.js"},
			Demand: map[string]string{"https://cdn.example/a.js": ""}}, `{"imports": {"a": "./a.js"}}`},
		{`{"imports": {"a": "./a.js"}}`, Wish{Set: map[string]string{"a": "./a.js", "none": ""}},
			`{"imports": {"a": "./a.js"}}`},
		{`{"imports": {"a": "./a.js"}}`, Wish{Set: map[string]string{"a": "", "b": "./b.js"}}, "{\"imports\": {\n" +
			"      \"b\": \"./b.js\"\n    }}"},
		{`{"imports": {"a": "./a.js"}}`,
			Wish{Scopes: map[string]map[string]string{"./x.js": {"b": "./b.js", "a": "./b/a.js"}}},
			"{\"imports\": {\"a\": \"./a.js\"},\n    \"scopes\": {\n      \"./x.js\": { \"a\": \"./b/a.js\", \"b\": " +
				"\"./b.js\" }\n    }}"},
		{`{"scopes": {"./x.js": {"a":"./b.js"}, "/old/": {}}}`,
			Wish{Scopes: map[string]map[string]string{"./x.js": {"a": "./b.js"}}},
			`{"scopes": {"./x.js": {"a":"./b.js"}, "/old/": {}}}`},
		{`{"scopes": {"./x.js": {"a":"./b.js"}, "/old/": {}}}`,
			Wish{Scopes: map[string]map[string]string{"./x.js": {}}}, `{"scopes": {"/old/": {}}}`},
		{`{"imports": {}, "scopes": {"./x.js": {"a":"./b.js"}}}`,
			Wish{Scopes: map[string]map[string]string{"./x.js": {}, "https://cdn.example/x.js": {"a": "./c.js"}}},
			"{\"imports\": {}, \"scopes\": {\n      \"https://cdn.example/x.js\": { \"a\": \"./c.js\" }\n    }}"},
		{`{"imports": {}, "scopes": {"./x.js": {"a":"./b.js"}}}`,
			Wish{Scopes: map[string]map[string]string{"./x.js": nil}}, `{"imports": {}}`},
	} {
		m, err := ReadMap([]byte(tt.before))
		if err != nil {
			t.Fatal(err)
		}
		if got := string(m.Edit(tt.wish, "  ", "\n")); got != tt.after {
			t.Errorf("%s\nbecomes\n%s\nwant\n%s", tt.before, got, tt.after)
		}
	}
}

// FuzzMap: what is read is what JSON says; an edit says what was wished and leaves all else; nothing ends the program.
func FuzzMap(f *testing.F) {
	for _, s := range []string{"{}", `{"imports":{"a":"./a.js","b/":"/b/"},"scopes":{"/x/":{"a":null}},"integrity":` +
		`{"./a.js":"sha384-x"}}`, "{\n \"x\": [1,{\"}\":2}], \"imports\" : { } }", `{"imports":{"a":"\u0022"}}`} {
		f.Add(s, "a", "./new.js")
	}
	f.Fuzz(func(t *testing.T, text, name, to string) {
		m, err := ReadMap([]byte(text))
		if err != nil {
			return
		}
		var before struct{ Imports, Integrity, Scopes map[string]json.RawMessage }
		if json.Unmarshal([]byte(text), &before) != nil {
			return
		}
		Join([]*Map{m}, &url.URL{Scheme: "https", Host: "club.example", Path: "/"}).Resolve(&url.URL{Scheme: "https",
			Host: "club.example", Path: "/a.js"}, name)
		out := m.Edit(Wish{Set: map[string]string{name: to}, Scopes: map[string]map[string]string{to: {name: to},
			name: {}}, Demand: map[string]string{name: to}}, "", "\n")
		var after struct{ Imports, Integrity, Scopes map[string]json.RawMessage }
		if err := json.Unmarshal(out, &after); err != nil {
			t.Fatalf("%q becomes %q: %v", text, out, err)
		}
		key := ""
		if b, err := json.Marshal(name); err != nil || json.Unmarshal(b, &key) != nil {
			return
		}
		for k, v := range before.Imports {
			if k != key && k != name && string(after.Imports[k]) != string(v) {
				t.Fatalf("%q becomes %q: %q changed", text, out, k)
			}
		}
		for k, v := range before.Scopes {
			if k != key && k != name && k != to && string(after.Scopes[k]) != string(v) {
				t.Fatalf("%q becomes %q: the scope %q changed", text, out, k)
			}
		}
		again, err := ReadMap(out)
		if err != nil {
			t.Fatalf("%q becomes %q: %v", text, out, err)
		}
		if back := again.Edit(Wish{Set: map[string]string{name: to},
			Scopes: map[string]map[string]string{to: {name: to}, name: {}}, Demand: map[string]string{name: to}}, "",
			"\n"); key == name && utf8.ValidString(to) && string(back) != string(out) {
			t.Fatalf("%q becomes %q, and again %q", text, out, back)
		}
	})
}
