package project

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
)

// winch is a seal with one library, as it was taken by the entry that goes with it.
func winch() *record.Seal {
	seal := record.NewSeal()
	file := func(name, at, text string, role record.Role) record.File {
		return record.File{Path: name, At: paths.FoundInProject(at), Size: int64(len(text)),
			Integrity: integrity.Of([]byte(text)), Role: role}
	}
	seal.Libraries["winch"] = &record.Sealed{Version: "1.0.0", Origin: "winch.zip", Serve: record.Local,
		Build: record.Minified, Files: []record.File{
			file("dist/winch.js", "plugin/winch/winch.js", "winch", record.Tagged),
			file("css/winch.css", "css/winch.css",
				"look", record.Tagged), file("lang/de.js", "plugin/winch/de.js", "hoch", record.Kept)}}
	return seal
}

const winchEntry = "libraries:\n  winch:\n    version: 1.0.0\n    from: winch.zip\n    into: plugin/winch\n" +
	"    places: {css/winch.css: css/winch.css}\n    keep: [lang/de.js]\n    take: [dist/winch.js, css/winch.css]\n"

// TestDifferences: each edit of the list by hand shows, with what it says and what was taken, and nothing else does.
func TestDifferences(t *testing.T) {
	if list := read(t, winchEntry, winch()).Differences(); len(list) > 0 {
		t.Errorf("as it was taken it differs: %v", list)
	}
	for _, tt := range []struct{ old, new, want string }{
		{"version: 1.0.0", "version: 2.0.0", "the packing list says 2.0.0, but 1.0.0 was taken"},
		{"    version: 1.0.0\n", "", "the packing list says nothing, but 1.0.0 was taken"},
		{"from: winch.zip", "from: other.zip", "says from other.zip, but it was taken from winch.zip"},
		{"into: plugin/winch", "into: vendor/winch", "dist/winch.js should be at vendor/winch/, but is at " +
			"plugin/winch/winch.js"},
		{"css/winch.css: css/winch.css", "css/winch.css: look/winch.css", "css/winch.css should be at " +
			"look/winch.css, " +
			"but is at css/winch.css"},
		{"css/winch.css: css/winch.css", "css: styles/", "css/winch.css should be at styles/winch.css"},
		{"[dist/winch.js, css/winch.css]", "[dist/winch.js]", "css/winch.css was taken, but the packing list does " +
			"not name it"},
		{"[dist/winch.js, css/winch.css]", "[dist/winch.js, css/winch.css, x.js]", "x.js is in the packing list, but " +
			"was not taken"},
		{"keep: [lang/de.js]", "keep: [lang/de.js, dist/*]", ""},
		{"keep: [lang/de.js]", "keep: [lang/fr.js]", "lang/fr.js is in the packing list, but was not taken"},
		{"    into:", "    serve: cdn\n    into:", "says serve: cdn, but pages use local"},
		{"    into:", "    build: readable\n    into:", "says build: readable, but pages use minified"},
		{"    into:", "    because: it turns\n    into:", ""},
	} {
		text := strings.Replace(winchEntry, tt.old, tt.new, 1)
		if text == winchEntry {
			t.Fatalf("%q: nothing was edited", tt.old)
		}
		p := read(t, text, winch())
		list := p.Differences()
		switch {
		case tt.want == "" && (len(list) > 0 || p.Differs("winch")):
			t.Errorf("%s: differs by %v", tt.new, list)
		case tt.want != "" && (len(list) != 1 || !strings.Contains(list[0].What, tt.want) || list[0].Line != 3 ||
			!p.Differs("winch")):
			t.Errorf("%s: differs by %v, want %q", tt.new, list, tt.want)
		}
	}
	if list := read(t, winchEntry, record.NewSeal()).Differences(); len(list) != 1 ||
		!strings.Contains(list[0].What, "in the packing list but not in the seal") {
		t.Errorf("without a seal: %v", list)
	}
	if list := read(t, "site: .\n", winch()).Differences(); len(list) != 1 || list[0].Line != 0 ||
		!strings.Contains(list[0].What, "not in the packing list") {
		t.Errorf("without an entry: %v", list)
	}
	if list := read(t, "libraries:\n  desk: {from: \"https://cdn.harbour.example/x.js\", serve: cdn, only: desk}\n",
		record.NewSeal()).Differences(); len(list) > 0 {
		t.Errorf("a link for the desk: %v", list)
	}
}

// TestStrayed: what is elsewhere is known by its bytes, in one place alone, or by its name where several have them.
func TestStrayed(t *testing.T) {
	p := read(t, winchEntry, winch())
	put := func(name, text string) {
		full := filepath.Join(string(p.Root), filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	put("css/winch.css", "look")     // in its place
	put("js/other.js", "winch")      // the bytes, under another name
	put("js/deep/winch.js", "winch") // and under its own
	put("a/x.js", "hoch")
	put("b/y.js", "hoch") // in two places, under no name of its own
	put("js/winch.js", "HCNIW")
	site, err := p.Walk(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	strayed, err := p.Strayed(context.Background(), site)
	if err != nil || len(strayed) != 1 ||
		strayed[paths.FoundInProject("plugin/winch/winch.js")].String() != "js/deep/winch.js" {
		t.Errorf("strayed are %v, %v", strayed, err)
	}
	if of := p.Found(strayed).At(paths.FoundInProject("js/deep/winch.js")); of.Library != "winch" ||
		of.File.Path != "dist/winch.js" {
		t.Errorf("found again is %v", of)
	}
	if of := p.At(paths.FoundInProject("js/deep/winch.js")); of.File != nil {
		t.Error("the snapshot itself changed")
	}
}
