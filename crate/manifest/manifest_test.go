package manifest

import (
	"fmt"
	"testing"
)

// TestRead: hand-written manifests have all kinds of values in them; each is read on its own, and a JSON text that is
// none is reported.
func TestRead(t *testing.T) {
	for text, want := range map[string]string{
		`{"name": "rig", "version": "1.2.0", "license": "MIT", "main": "a.js", ` +
			`"module": "b.js"}`: "true rig 1.2.0 MIT [b.js a.js]",
		`{"name": "rig", "version": 3, "main": ["a.js"], ` +
			`"module": "b.js"}`: "true rig   [b.js]",
		`{"name": "rig", "version": "1.0.0", "license": {"type": "BSD"}, "exports": {"import": "./m.js"}, "main": ` +
			`{"a": 1}}`: "true rig 1.0.0 BSD [m.js]",
		`{"name": "rig", "version": "../..", ` +
			`"main": "a.js"}`: "true rig   [a.js]",
		`{"name": "rig", "version": "1.0.0", "main": "./a.js", "module": "lib/b.js", "browser": {"./a.js": ` +
			`"./a-web.js", "./lib/b.js": "./lib/b-web.js", "fs": false, "keel": ` +
			`"./k.js"}}`: "true rig 1.0.0  [lib/b-web.js a-web.js]",
		`{"name": "rig", "version": "1.0.0", "main": "a.js", "browser": ` +
			`{"./a.js": false}}`: "true rig 1.0.0  [a.js]",
		`{"name": "rig"}`:           "false rig   []",
		`{"version": "1.0.0"}`:      "false  1.0.0  []",
		`["rig"]`:                   "false    []",
		`{"name": "rig", "main": "`: "false    []",
	} {
		m, ok := Read([]byte(text))
		if got := fmt.Sprintf("%v %s %s %s %v", ok, m.Name, m.Version, m.Licence, m.Own()); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
	m, _ := Read([]byte(`{"name": "rig", "version": "1.0.0", "dependencies": {"keel": "^1"}, "peerDependencies": ` +
		`{"hull": "*"}, "devDependencies": {"dock": "1"}, "harbour": "./dist/rig.min.js", "keywords": "x.js"}`))
	for name, want := range map[string]bool{"keel": true, "hull": true, "rig": true, "dock": false, "": false} {
		if m.DependsOn(name) != want {
			t.Errorf("it depends on %q: %v", name, !want)
		}
	}
	if m.Named["harbour"] != "dist/rig.min.js" || m.Score() < 3 {
		t.Errorf("%+v says %d", m, m.Score())
	}
}

// FuzzRead: whatever a file called a manifest holds, reading it ends.
func FuzzRead(f *testing.F) {
	f.Add(`{"name": "rig", "exports": {"./*": {"import": ["./*"]}}}`)
	f.Fuzz(func(t *testing.T, text string) {
		m, ok := Read([]byte(text))
		if ok && m.Name == "" {
			t.Error("a manifest without a name")
		}
		m.Specifiers([]string{"a.js"})
	})
}
