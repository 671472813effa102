package packages

import (
	"context"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/script"
)

// TestTwins: the readable build is read as the minified one where both load in the same way, and by itself elsewhere.
func TestTwins(t *testing.T) {
	long := strings.Repeat("// a line of a text that people read\n", 30)
	short := strings.Repeat(";0;1;2;3;4;5;6;7;8;9", 40)
	for _, tt := range []struct {
		name, minified, readable string
		as                       bool
		form                     script.Form
		bundler                  bool
	}{
		{"plain scripts", "window.oar=1", "window.oar = 1;\n", true, script.Classic, false},
		{"modules", "export const oar=1", "export const oar = 1;\n", true, script.Module, false},
		{"a module for bundlers", "export const oar=1", "export const oar = process.env.OAR;\n", false, script.Module,
			true},
		{"a module with imports", "import './rope.min.js';export const oar=1",
			"import './rope.js';\nexport const oar = 1;\n", false, script.Module, false},
		{"a script for servers", "window.oar=1", "const rope = require('rope');\nmodule.exports = rope;\n", false,
			script.Server, false},
	} {
		d, err := InMemory{"package.json": []byte(`{"name":"oar","version":"1.0.0"}`),
			"dist/oar.js": []byte(tt.readable + long), "dist/oar.min.js": []byte(tt.minified + short),
			"dist/rope.js": []byte("export const rope = 1;\n"), "dist/rope.min.js": []byte("export const " +
				"rope=1")}.Describe(
			context.Background(), "oar-1.0.0.tgz", nil)
		if err != nil {
			t.Fatal(err)
		}
		f := d.File("dist/oar.js")
		if f.Script == nil || (f.ReadAs == "dist/oar.min.js") != tt.as || f.Script.Form != tt.form ||
			f.Script.NeedsBundler != tt.bundler {
			t.Errorf("%s: read as %q, and told to be %+v", tt.name, f.ReadAs, f.Script)
		}
	}
}

// TestServersAreSkimmed: what is for servers by its name and its words is not read, and known to be for servers.
func TestServersAreSkimmed(t *testing.T) {
	var n counted
	d, err := InMemory{"package.json": []byte(`{"name":"oar","version":"1.0.0"}`),
		"dist/oar.cjs.js": []byte("const x = require('x');\nmodule.exports = x;\n"),
		"dist/oar.js":     []byte("window.oar = 1;\n")}.Describe(context.Background(), "oar-1.0.0.tgz", &n)
	if err != nil {
		t.Fatal(err)
	}
	if f := d.File("dist/oar.cjs.js"); f.Script == nil || f.Script.Form != script.Server || n.n.Load() != 1 {
		t.Errorf("%d scripts are read; the server's is %+v", n.n.Load(), f.Script)
	}
}
