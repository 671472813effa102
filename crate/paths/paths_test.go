package paths

import (
	"encoding/json"
	"io/fs"
	"path"
	"strings"
	"testing"
)

func TestValidate(t *testing.T) {
	for _, good := range []string{"js/oarlock.js", "css/Ünser Stil.css", "a/b/c/d.min.js", "com.js", "lpt10.js",
		".htaccess", "common/x.js"} {
		if err := Validate(good); err != nil {
			t.Errorf("%q: %v", good, err)
		}
	}
	for bad, want := range map[string]string{
		"": "no name", "/etc/x": "absolute", "../x": "leads out", "a/../../x": "leads out", `a\b`: "backslash",
		"C:x": "drive", "a//b": "empty component", "./a": "empty component", "a/": "empty component",
		"a\x00b": "control", "a\u202eb": "control", "a\u200bb": "control", "aux.js": "device", "js/COM1.js": "device",
		"com¹": "device", "LPT³.txt": "device", "conin$": "device", "a.": "dot or a space", "a ": "dot or a space",
		".git/config": "version control", "a/.GIT/x": "version control", ".merry/x": "version control",
		"GIT~1/x": "version control", ".svn. /x": "version control",
		"a?b": "Windows does not allow", "\xff": "UTF-8", strings.Repeat("a", 256): "255", strings.Repeat("a/", 41) +
			"b": "deep", strings.Repeat("abcdefg/", 200): "1024",
	} {
		if err := Validate(bad); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", bad, err, want)
		}
	}
}

func TestBetweenSiteAndProject(t *testing.T) {
	at, err := Site("js/a.js")
	if err != nil {
		t.Fatal(err)
	}
	if got := at.In("public"); got.String() != "public/js/a.js" || at.In(".").String() != "js/a.js" {
		t.Errorf("in the project it is %s", got)
	}
	if back, ok := at.In("public").Below("public"); !ok || back != at {
		t.Errorf("back it is %s", back)
	}
	if _, ok := at.In("public").Below("other"); ok {
		t.Error("it lies below another folder")
	}
	if got := at.In("public").On("/home/club"); got != "/home/club/public/js/a.js" {
		t.Errorf("on disk it is %s", got)
	}
	for _, out := range []string{"../a", "/a", ".", "a/../../b"} {
		if p := Found(out); !p.IsZero() {
			t.Errorf("%s was found at %s", out, p)
		}
	}
}

func TestJSON(t *testing.T) {
	var v struct {
		At InProject `json:"at,omitzero"`
	}
	if b, err := json.Marshal(v); err != nil || string(b) != "{}" {
		t.Errorf("%s, %v", b, err)
	}
	if err := json.Unmarshal([]byte(`{"at": "js/a.js"}`), &v); err != nil || v.At.String() != "js/a.js" {
		t.Errorf("%v, %v", v, err)
	}
	if err := json.Unmarshal([]byte(`{"at": "../a.js"}`), &v); err == nil {
		t.Error("a path that leads out was read")
	}
}

// FuzzSite: whatever a name looks like, a path that is made of it stays below its folder.
func FuzzSite(f *testing.F) {
	for _, s := range []string{"a/b", "../a", "a/./b", "con", "C:\\x", "a\u2028b", strings.Repeat("x", 300)} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, name string) {
		p, err := Site(name)
		if err != nil {
			return
		}
		if !fs.ValidPath(p.String()) || path.Clean(p.String()) != p.String() ||
			strings.ContainsAny(p.String(), "\\:\x00") {
			t.Fatalf("%q became %q", name, p)
		}
	})
}

func TestRelative(t *testing.T) {
	for in, want := range map[[2]string]string{{".", "a.js"}: "a.js", {"a", "a/b.js"}: "b.js",
		{"a/b", "c.js"}: "../../c.js", {"a/b", "a/c/d.js"}: "../c/d.js", {"a", "a"}: "../a"} {
		if got := Relative(in[0], in[1]); got != want {
			t.Errorf("from %s to %s: %s, want %s", in[0], in[1], got, want)
		}
	}
}
