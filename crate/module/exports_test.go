package module

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
)

// TestSpecifiers: by which names a package's modules are imported: by conditions of a browser before others, by
// subpaths, by stars, and by what manifests said before there were exports.
func TestSpecifiers(t *testing.T) {
	modules := []string{"dist/rig.js", "dist/rig.browser.js", "dist/mast.js", "src/index.js", "lib/sails/jib.js",
		"lib/sails/main.js", "index.mjs"}
	for _, tt := range []struct {
		exports string
		entries []string
		want    string
	}{
		{`"./dist/rig.js"`, nil, "rig=dist/rig.js"},
		{`{"import": "./dist/rig.js", "require": "./dist/rig.cjs"}`, nil, "rig=dist/rig.js"},
		{`{"import": "./dist/rig.js", "browser": "./dist/rig.browser.js"}`, nil, "rig=dist/rig.browser.js"},
		{`{".": {"node": "./x.js", "browser": {"require": "./y.cjs", "import": "./dist/rig.js"}}, "./mast": ` +
			`"./dist/mast.js", "./package.json": "./package.json"}`, nil, "rig/mast=dist/mast.js rig=dist/rig.js"},
		{`{".": ["./nowhere.js", "./dist/rig.js"]}`, nil, "rig=dist/rig.js"},
		{`{".": {"default": "./dist/rig.cjs", "module": "./dist/rig.js"}}`, nil, "rig=dist/rig.js"},
		{`{".": "./dist/rig.js", "./sails/*": "./lib/sails/*.js", "./none/*": "./nowhere/*.js"}`, nil,
			"rig/sails/jib=lib/sails/jib.js rig/sails/main=lib/sails/main.js rig=dist/rig.js"},
		{`{"./sails/*.js": "./lib/sails/*.js"}`, nil, "rig/sails/jib.js=lib/sails/jib.js " +
			"rig/sails/main.js=lib/sails/main.js"},
		{``, []string{"", "src", "dist/rig.js"}, "rig=src/index.js"},
		{``, []string{"./index"}, "rig=index.mjs"},
		{`null`, []string{"dist/rig"}, "rig=dist/rig.js"},
		{`{".": null, "./mast": null}`, nil, ""},
		{`{".": {"import": {"import": {"import": {"import": {"import": {"import": {"import": {"import": {"import": ` +
			`{"import": "./dist/rig.js"}}}}}}}}}}}`, nil, ""},
	} {
		var list []string
		for name, file := range (Package{Name: "rig", Exports: json.RawMessage(tt.exports),
			Entries: tt.entries}).Specifiers(modules) {
			list = append(list, name+"="+file)
		}
		slices.Sort(list)
		if got := strings.Join(list, " "); got != tt.want {
			t.Errorf("%s %q: %s, want %s", tt.exports, tt.entries, got, tt.want)
		}
	}
}

// TestOwn: the files that a manifest names as the package itself, the best first, each once.
func TestOwn(t *testing.T) {
	p := Package{Name: "rig", Exports: json.RawMessage(`{".": {"browser": "./b.js", "import": "./a.js"}, "./x": ` +
		`"./x.js"}`), Entries: []string{"a.js", "", "main.js"}}
	if got := fmt.Sprint(p.Own()); got != "[b.js a.js main.js]" {
		t.Errorf("%s", got)
	}
}

// TestPackageOf: a specifier's package, with its scope.
func TestPackageOf(t *testing.T) {
	for specifier, want := range map[string]string{"rig": "rig", "rig/mast": "rig", "@gull/rig": "@gull/rig",
		"@gull/rig/mast/top.js": "@gull/rig", "@gull": "@gull"} {
		if got := PackageOf(specifier); got != want {
			t.Errorf("%s is of %s, want %s", specifier, got, want)
		}
	}
	for specifier, want := range map[string]bool{"./a.js": true, "../a.js": true, "/a.js": true,
		"https://x.example/a.js": true, "data:text/javascript,1": true, "rig": false, "@gull/rig": false, "a.js": false,
		"": false} {
		if Relative(specifier) != want {
			t.Errorf("%q is an address: %v", specifier, !want)
		}
	}
}

// FuzzExports: no maze of exports ends the program, takes long, or names a file that is not there.
func FuzzExports(f *testing.F) {
	for _, s := range []string{`{".": {"import": "./a.js"}}`, `[["./a.js"]]`, `{"./*": "./*"}`,
		`{"./a/*": {"browser": ["./*", "./a.js"]}}`, `1`, strings.Repeat(`{".":`, 40) + `"./a.js"` + strings.Repeat("}",
			40)} {
		f.Add(s, "a.js")
	}
	f.Fuzz(func(t *testing.T, exports, main string) {
		modules := []string{"a.js", "b/c.js", main}
		p := Package{Name: "rig", Exports: json.RawMessage(exports), Entries: []string{main}}
		for name, file := range p.Specifiers(modules) {
			if !slices.Contains(modules, file) || !strings.HasPrefix(name, "rig") {
				t.Errorf("%q is %q", name, file)
			}
		}
		p.Own()
	})
}
