package packages

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
)

// rules are the rules of a stylesheet for numbered classes.
func rules(prefix string, n int, declaration string) string {
	var out strings.Builder
	for i := range n {
		fmt.Fprintf(&out, ".%s%d {\n  %s\n}\n", prefix, i, declaration)
	}
	return out.String()
}

// TestWhatComesAlong: what a script fetches by addresses that it puts together comes along, and what it makes needless
// stays behind.
func TestWhatComesAlong(t *testing.T) {
	icons := "@font-face {\n  font-family: 'winch';\n  src: url('../fonts/winch.woff2');\n}\n"
	drawn := "window.winch = {"
	for i := range 40 {
		icons += fmt.Sprintf(".wi-sign%d:before {\n  content: \"\\e%03x\";\n}\n", i, i)
		drawn += fmt.Sprintf("sign%d: 'M%d 0L1 1',\n", i, i)
	}
	drawn += "};\n"
	base := "var base = document.currentScript.src;\n"
	for _, tt := range []struct {
		name  string
		files library
		want  []string // what is taken
		not   []string
	}{
		{"folders whose names the script has", library{"winch.js": base + "window.winch = function (n) {\n  " +
			"load(base " +
			"+ " +
			"'skins/' + (n || 'oak') + '/skin.css');\n  load(base + 'lang/' + 'en' + '.js');\n};\n",
			"skins/oak/skin.css": css, "skins/elm/skin.css": css, "lang/en.js": "winch.en = 1;\n",
			"lang/fr.js": "winch.fr = 1;\n", "docs/skins/oak/skin.css": css},
			[]string{"winch.js", "skins/oak/skin.css", "lang/en.js"}, []string{"skins/elm/skin.css",
				"docs/skins/oak/skin.css"}},
		{"a script that does not know where it is", library{"winch.js": "window.winch = function (n) {\n  " +
			"load('skins/' + " +
			"'oak' + '/skin.css');\n};\n", "skins/oak/skin.css": css, "skins/elm/skin.css": css,
			"skins/ash/skin.css": css,
			"skins/yew/skin.css": css}, []string{"winch.js"}, []string{"skins/elm/skin.css"}},
		{"a script with its stylesheet's rules", library{"winch.js": "window.winch = style(`" + rules("winch-", 8,
			"margin: 0;") + "`);\n", "winch.css": rules("winch-", 8, "margin: 0;")}, []string{"winch.js"},
			[]string{"winch.css"}},
		{"a script that speaks of its classes", library{"winch.js": "window.winch = find('.winch-1, .winch-2');\n",
			"winch.css": rules("winch-", 8, "margin: 0;")}, []string{"winch.js", "winch.css"}, nil},
		{"a font with its icons", library{"js/winch.js": drawn, "css/winch.css": icons, "fonts/winch.woff2": "f"},
			[]string{"css/winch.css", "fonts/winch.woff2"}, []string{"js/winch.js"}},
		{"icons whose font is with another stylesheet", library{"css/winch.css": rules("wi-", 8, "margin: 0;"),
			"css/all.css": icons + rules("wi-", 8, "margin: 0;"), "fonts/winch.woff2": "f"}, []string{"css/all.css",
			"fonts/winch.woff2"}, []string{"css/winch.css"}},
		{"a main file that collects", library{"package.json": `{"name":"winch","version":"1.0.0","main":"index.js"}`,
			"index.js": "require('./winch');\nrequire('./data/all.js');\n", "winch.js": "window.winch = { a: 1 };\n",
			"builds/winch-with-data.js": "window.winch = { a: 1 };\nwinch.data = [" + strings.Repeat("1, ",
				90) + "1];\n"},
			[]string{"builds/winch-with-data.js"}, []string{"winch.js"}},
		{"a stylesheet for a player beside its core", library{"winch.js": "window.Winch = { a: 1 };\n",
			"winch-and-player.js": "window.Winch = { a: 1 };\nwindow.WinchPlayer = { b: 1 };\n",
			"winchplayer.css":     css},
			[]string{"winch-and-player.js", "winchplayer.css"}, []string{"winch.js"}},
		{"sheets that are for others", library{"winch.js": readable, "winch-csp.css": css, "print.css": css,
			"contents.css": css}, []string{"winch.js"}, []string{"winch-csp.css", "print.css", "contents.css"}},
		{"the makers' own pages", library{"winch.js": readable, "docs.css": css, "demo.js": "var demo = 1;\n"},
			[]string{"winch.js"}, []string{"docs.css", "demo.js"}},
		{"a copy of its base in the readme",
			library{"package.json": `{"name":"winch","version":"1.0.0","dependencies":{"oarlock":"1"}}`,
				"README.md": "```html\n<script src=\"js/oarlock.js\"></script>\n<script " +
					"src=\"js/winch.js\"></script>\n```\n",
				"js/oarlock.js": "window.oarlock = {};\n", "js/winch.js": "oarlock.winch = function () {};\n"},
			[]string{"js/winch.js"}, []string{"js/oarlock.js"}},
		{"data that the readme loads first", library{"README.md": "```html\n<script src=\"winch.js\"></script>\n" +
			"<script src=\"maps/bay.js\"></script>\n```\n", "winch.js": readable + "window.winch = { add: 1 };\n",
			"maps/bay.js": "winch.bay = [1];\n", "maps/sea.js": "winch.sea = [1];\n"}, []string{"winch.js",
			"maps/bay.js"},
			[]string{"maps/sea.js"}},
	} {
		files := InMemory{}
		for name, text := range tt.files {
			files[name] = []byte(text)
		}
		d, err := files.Describe(context.Background(), "winch-1.0.0.tgz", nil)
		if err != nil {
			t.Fatal(err)
		}
		got := d.Suggest().Paths()
		for _, name := range tt.want {
			if !slices.Contains(got, name) {
				t.Errorf("%s: %s is not taken: %q", tt.name, name, got)
			}
		}
		for _, name := range tt.not {
			if slices.Contains(got, name) {
				t.Errorf("%s: %s is taken: %q", tt.name, name, got)
			}
		}
	}
}
