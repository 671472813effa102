package source

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/crate/integrity"
)

func TestRanges(t *testing.T) {
	tests := []struct{ rng, in, out string }{
		{"^1.2.3", "1.2.3 1.9.0", "1.2.2 2.0.0 1.3.0-rc.1"},
		{"^0.2.3", "0.2.3 0.2.9", "0.3.0 0.2.2"},
		{"^0.0.3", "0.0.3", "0.0.4"},
		{"~1.2.3", "1.2.3 1.2.9", "1.3.0"},
		{"~1", "1.0.0 1.9.9", "2.0.0"},
		{"1.x", "1.0.0 1.9.9", "2.0.0 0.9.0"},
		{"1.2.x", "1.2.0 1.2.9", "1.3.0"},
		{"*", "0.0.1 9.9.9", "1.0.0-beta.1"},
		{"", "1.0.0", "1.0.0-beta.1"},
		{"1.2.3 - 2.3.4", "1.2.3 2.3.4 2.0.0", "1.2.2 2.3.5"},
		{">=1.2.0 <2.0.0", "1.2.0 1.9.9", "2.0.0 1.1.9"},
		{">1.2.3", "1.2.4 3.0.0", "1.2.3"},
		{"<=1.2.3", "1.2.3 0.0.1", "1.2.4"},
		{"1.2.3 || ^2.0.0", "1.2.3 2.5.0", "1.2.4 3.0.0"},
		{"=1.2.3", "1.2.3", "1.2.4"},
		{"1.2.3", "1.2.3", "1.2.4 1.2.3-rc.1"},
		{"^1.2.3-beta.2", "1.2.3-beta.2 1.2.3-beta.9 1.2.3 1.3.0", "1.2.3-beta.1 1.2.4-beta.3"},
		{">=1.0.0-alpha", "1.0.0-alpha 1.0.0 2.0.0", "2.0.0-alpha"},
	}
	for _, tt := range tests {
		r, err := ParseRange(tt.rng)
		if err != nil {
			t.Errorf("%s: %v", tt.rng, err)
			continue
		}
		for _, v := range strings.Fields(tt.in) {
			if !r.Has(v) {
				t.Errorf("%s is not in %q", v, tt.rng)
			}
		}
		for _, v := range strings.Fields(tt.out) {
			if r.Has(v) {
				t.Errorf("%s is in %q", v, tt.rng)
			}
		}
	}
	for _, bad := range []string{"newest", "1.2.y", ">>1"} {
		if _, err := ParseRange(bad); err == nil {
			t.Errorf("%q is called a range", bad)
		}
	}
}

func TestResolve(t *testing.T) {
	p := &Package{Name: "oarlock", Tags: map[string]string{"latest": "2.0.0", "next": "3.0.0-beta.1"},
		Versions: map[string]*Version{}}
	for _, v := range []string{"1.0.0", "1.1.0", "1.2.0", "2.0.0", "2.1.0", "3.0.0-beta.1"} {
		p.Versions[v] = &Version{Version: v}
	}
	p.Versions["1.2.0"].Deprecated = "use 1.1"
	p.Versions["nonsense"] = &Version{Version: "nonsense"}
	below2 := func(v string) bool { return CompareVersions(v, "2.0.0") < 0 }
	tests := []struct {
		wish    string
		allowed func(string) bool
		want    string
	}{
		{"", nil, "2.0.0"}, {"latest", nil, "2.0.0"}, {"next", nil, "3.0.0-beta.1"}, {"1.0.0", nil, "1.0.0"},
		{"v1.0.0", nil, "1.0.0"}, {"=1.0.0", nil, "1.0.0"},
		{"^1.0.0", nil, "1.1.0"}, {">=1.2.0 <2", nil, "1.2.0"}, {"*", nil, "2.1.0"}, {"latest", below2, "1.1.0"},
		{"^1.0.0 || ^3.0.0-beta.1", nil, "1.1.0"}, {"^3.0.0-beta.1", nil, "3.0.0-beta.1"},
		{">=1.0.0, <2", nil, "1.1.0"}, {"^0.5, ^1, ^2", nil, "2.1.0"},
		{"*", below2, "1.1.0"}, {"nonsense", nil, "nonsense"},
		{"^4", nil, "the nearest are 2.0.0, 2.1.0, 3.0.0-beta.1"}, {"^0.1", nil, "the nearest are 1.0.0, 1.1.0, 1.2.0"},
		{"2.0.0", below2, "no version of oarlock matches 2.0.0"},
		{"newest", nil, "no version and no tag \"newest\", and that is not a range either; its tags are latest, next"},
	}
	for _, tt := range tests {
		v, err := p.Resolve(tt.wish, tt.allowed)
		switch {
		case err != nil && !strings.Contains(err.Error(), tt.want):
			t.Errorf("%q: %v, want %s", tt.wish, err, tt.want)
		case err == nil && v.Version != tt.want:
			t.Errorf("%q: %s, want %s", tt.wish, v.Version, tt.want)
		}
	}
}

func TestCompareVersions(t *testing.T) {
	order := []string{"what", "0.9.0", "1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-beta", "1.0.0", "1.0.1", "1.1", "2"}
	for i := range order[:len(order)-1] {
		if CompareVersions(order[i], order[i+1]) >= 0 || CompareVersions(order[i+1], order[i]) <= 0 {
			t.Errorf("%s does not come before %s", order[i], order[i+1])
		}
	}
}

func TestDocuments(t *testing.T) {
	good := `{"_id":"x","name":"oarlock","junk":[1,{"a":[{}]},"s",null,true],"dist-tags":{"latest":"1.0.0"},
		"versions":{"1.0.0":{"version":"1.0.0","license":{"type":"MIT"},"deprecated":true,"dependencies":[],"dist":{"tarball":"https://x.example/a.tgz"}},
		"1.1.0":{"version":"6.6.6"},"1.2.0\u001b[2J":{"version":"1.2.0\u001b[2J"}},"time":{"created":"never","1.0.0":"2020-01-02T03:04:05.000Z"}}`
	p, err := parsePackage(strings.NewReader(good), "oarlock")
	if err != nil {
		t.Fatal(err)
	}
	v := p.Versions["1.0.0"]
	if len(p.Versions) != 1 || v.Licence != "MIT" || v.Deprecated != "deprecated" || v.Dist.Tarball == "" ||
		p.Tags["latest"] != "1.0.0" || p.Times["1.0.0"].Year() != 2020 {
		t.Errorf("read as %+v, %+v", p, v)
	}
	for bad, want := range map[string]string{
		"":                                       "not a JSON object",
		"[]":                                     "not a JSON object",
		`{"name":"other"}`:                       `about "other"`,
		`{"name":"oarlock"}`:                     "no versions",
		`{"name":"oarlock","versions":[]}`:       "an object was expected",
		`{"name":"oarlock","versions":{"1.0.0":`: "EOF",
		`{"name":7}`:                             "cannot unmarshal",
	} {
		if _, err := parsePackage(strings.NewReader(bad), "oarlock"); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", bad, err, want)
		}
	}
}

func FuzzDocument(f *testing.F) {
	f.Add([]byte(`{"name":"a","versions":{"1.0.0":{"version":"1.0.0"}},"time":{}}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := parsePackage(strings.NewReader(string(b)), "a")
		if err == nil && (p.Name != "a" || len(p.Versions) == 0) {
			t.Fatalf("%q was read as %+v", b, p)
		}
	})
}

func TestPackageNames(t *testing.T) {
	for name, ok := range map[string]bool{"oarlock": true, "@gull/pennants": true, "a.b-c_d": true, "Upper": true,
		"": false, "../x": false, "a/b": false, "@gull": false, "@gull/": false, "a b": false, "a\x1b": false,
		strings.Repeat("a", 300): false, "%2e%2e": false} {
		if ValidPackage(name) != ok {
			t.Errorf("%q: %v", name, !ok)
		}
	}
}

func TestCache(t *testing.T) {
	c := NewCache(filepath.Join(t.TempDir(), "cache"))
	one, two := []byte("one"), []byte("two, a longer one")
	for _, b := range [][]byte{one, two, one} {
		if err := c.Put(integrity.Of(b), b); err != nil {
			t.Fatal(err)
		}
	}
	if n, size, err := c.Use(); n != 2 || size != int64(len(one)+len(two)) || err != nil {
		t.Errorf("it holds %d entries, %d bytes, %v", n, size, err)
	}
	if b, err := c.Get(integrity.Of(one)); string(b) != "one" || err != nil {
		t.Errorf("got %q, %v", b, err)
	}
	if _, err := c.Get(integrity.Of([]byte("three"))); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("what is not there: %v", err)
	}
	if _, err := c.Get("sha256-x"); err == nil {
		t.Error("a wrong kind of key was taken")
	}
	// What was used last is trimmed last.
	name, _ := c.blob(integrity.Of(two))
	old := time.Now().Add(-time.Hour)
	os.Chtimes(filepath.Join(c.dir, name), old, old)
	if n, freed, err := c.Trim(5); n != 1 || freed != int64(len(two)) || err != nil || !c.Has(integrity.Of(one)) {
		t.Errorf("trimmed %d entries, %d bytes, %v", n, freed, err)
	}
	// A torn entry is no entry, and goes.
	name, _ = c.blob(integrity.Of(one))
	os.WriteFile(filepath.Join(c.dir, name), []byte("on"), 0o644)
	if _, err := c.Get(integrity.Of(one)); !errors.Is(err, fs.ErrNotExist) || c.Has(integrity.Of(one)) {
		t.Errorf("a torn entry: %v", err)
	}
	if left, _ := filepath.Glob(filepath.Join(c.Dir(), unfinished, "*")); len(left) > 0 {
		t.Errorf("%v is left", left)
	}
	// Addresses.
	c.Put(integrity.Of(one), one)
	if err := c.PutSeen(Seen{URL: "https://a.example/x", Integrity: integrity.Of(one), Name: "x"}); err != nil {
		t.Fatal(err)
	}
	if s, ok := c.Seen("https://a.example/x"); !ok || s.Name != "x" {
		t.Errorf("recalled %+v, %v", s, ok)
	}
	if _, ok := c.Seen("https://a.example/y"); ok {
		t.Error("an address that was never seen is recalled")
	}
	// A document whose body does not have its checksum is not there.
	d, err := c.newDocument("key")
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprint(d, "body")
	if err := d.keep(`"tag"`); err != nil {
		t.Fatal(err)
	}
	if file, tag := c.document("key"); file == "" || tag != `"tag"` {
		t.Errorf("document is %q, %q", file, tag)
	}
	os.WriteFile(filepath.Join(c.dir, c.documentFile("key")), []byte("bo"), 0o644)
	if file, _ := c.document("key"); file != "" {
		t.Error("a torn document was returned")
	}
}

func TestDispositionNames(t *testing.T) {
	for field, want := range map[string]string{
		`attachment; filename="a.zip"`: "a.zip", `attachment; filename=a.zip`: "a.zip",
		`attachment; filename="../../a.zip"`: "a.zip", `attachment; filename="..\\..\\a.zip"`: "a.zip",
		`attachment; filename*=UTF-8''%C3%A4.zip`: "ä.zip", `inline`: "", ``: "", `attachment; filename="/"`: "",
		"attachment; filename=\"a\x1b.zip\"": "",
	} {
		if got := dispositionName(field); got != want {
			t.Errorf("%s: %q, want %q", field, got, want)
		}
	}
}
