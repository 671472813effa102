package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

const (
	readableUI = "(function () {\n  var turns = 0;\n\n  window.regatta = function (n) {\n    turns += n;\n" +
		"    return turns;\n  };\n})();\n"
	minifiedUI = "(function(){var t=0;window.regatta=function(n){return t+=n}})();\n"
	onePage    = "<!doctype html>\n<html>\n<head>\n  <meta charset=\"utf-8\">\n  <title>Gull Point</title>\n" +
		"  <link rel=\"icon\" href=\"data:,\">\n</head>\n<body>\n  <p>Hello\n</body>\n</html>\n"
	dot = "\x89PNG\r\n\x1a\n" +
		"\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00\x1f\x15\xc4\x89" +
		"\x00\x00\x00\rIDATx\x9cc\x00\x01\x00\x00\x05\x00\x01\r\n-\xb4\x00\x00\x00\x00IEND\xaeB`\x82"
)

// yard is a site of one page beside downloads: a user interface with a theme, a photo wall in two versions, a text
// editor with modes and themes, an editor in several builds.
func yard(t *testing.T) *merrytest.Site {
	s := merrytest.Empty(t)
	s.Write("index.html", onePage)
	s.Archive("regatta-1.2.0.zip", map[string]string{"package.json": `{"name": "regatta", "version": ` +
		`"1.2.0", "main": ` +
		`"dist/regatta.js"}`,
		"dist/regatta.js": readableUI, "dist/regatta.min.js": minifiedUI, "themes/harbour/regatta.css": ".boat {\n" +
			"  background: url(\"images/wave.png\");\n}\n", "themes/harbour/images/wave.png": dot})
	for _, v := range []string{"1.0.0", "1.1.0"} {
		files := map[string]string{"package.json": `{"name": "wall", "version": "` + v + `", "main": "wall/wall.js"}`,
			"wall/wall.js":  strings.ReplaceAll(readableUI, "regatta", "wall"),
			"wall/wall.css": ".wall {\n  background: url(\"img/frame.png\");\n}\n", "wall/img/frame.png": dot,
			"wall/lang/de.js": "wall.de = {\n  close: \"zu\"\n};\n"}
		if v == "1.1.0" {
			files["wall/lang/fr.js"] = "wall.fr = {\n  close: \"fermer\"\n};\n"
			delete(files, "wall/lang/de.js")
		}
		s.Archive("wall-"+v+".zip", files)
	}
	core :=
		"(function () {\n  window.Quill = {\n    modes: {},\n    define: function (name, mode) {\n" +
			"      Quill.modes[name] = mode;\n    }\n  };\n})();\n"
	s.Archive("quillpad-3.0.0.zip", map[string]string{"package.json": `{"name": "quillpad", "version": "3.0.0", ` +
		`"main": "lib/quillpad.js"}`, "lib/quillpad.js": core,
		"lib/quillpad.css": ".quill {\n  color: black;\n}\n", "mode/log/log.js": "(function () {\n" +
			"  Quill.define(\"log\", function () {\n    return 1;\n  });\n})();\n",
		"mode/list/list.js": "(function () {\n  Quill.define(\"list\", function () {\n    return 2;\n  });\n})();\n",
		"theme/dusk.css":    ".quill-dusk {\n  color: navy;\n}\n"})
	s.Run("start")
	return s
}

// clean makes sure that check has nothing to say, and that there is nothing to settle.
func clean(t *testing.T, s *merrytest.Site, when string) {
	t.Helper()
	if out := s.Run("check"); !strings.Contains(out, "0 errors, 0 warnings") && !strings.Contains(out, "no findings") {
		t.Errorf("%s, check says:\n%s", when, out)
	}
	if out := s.Run("settle", "--dry-run"); !strings.Contains(out, "settled:") {
		t.Errorf("%s, there is something to settle:\n%s", when, out)
	}
}

// shown makes sure that a browser's console is clean, where there is one.
func shown(t *testing.T, s *merrytest.Site, when string) {
	t.Helper()
	if _, err := exec.LookPath("chromium"); err != nil {
		return
	}
	console, failed, _ := merrytest.Visit(t, merrytest.Browser(t), served(t, s)+"/index.html", "1")
	if len(console)+len(failed) > 0 {
		t.Errorf("%s, the browser says %q, %q", when, console, failed)
	}
}

// TestLivesOfLibraries: what becomes of libraries in years, each in at most three commands; afterwards the page is
// clean, and undo leads back.
func TestLivesOfLibraries(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	tests := []struct {
		name     string
		commands []string
		there    []string // files, and texts of the page
		not      []string
	}{
		{"split over folders", []string{"take ../downloads/regatta-1.2.0.zip --place " +
			"dist/regatta.min.js=js/club-ui.js --place themes/harbour=css/harbour --page index.html"},
			[]string{"js/club-ui.js", "css/harbour/regatta.css", "css/harbour/images/wave.png", `src="js/club-ui.js"`},
			nil},
		{"kept whole, moved, moved up", []string{"take ../downloads/wall-1.0.0.zip --whole --into gallery --page " +
			"index.html", "move wall photos/wall", "repin wall@1.1.0 --from ../downloads/wall-1.1.0.zip"},
			[]string{"photos/wall/wall.js", "photos/wall/img/frame.png", "photos/wall/lang/fr.js",
				`src="photos/wall/wall.js"`}, []string{"gallery", "photos/wall/lang/de.js", "lang/"}},
		{"a mode and a theme later", []string{"take ../downloads/quillpad-3.0.0.zip --into plugin/quillpad --page " +
			"index.html", "take ../downloads/quillpad-3.0.0.zip --part log --part dusk --page index.html"},
			[]string{"plugin/quillpad/lib/quillpad.js", "plugin/quillpad/mode/log/log.js",
				"plugin/quillpad/theme/dusk.css", "lib/quillpad.js\"></script>\n" +
					"  <script src=\"plugin/quillpad/mode/log/log.js"}, []string{"plugin/quillpad/mode/list"}},
		{"a file moved into a folder", []string{"take ../downloads/regatta-1.2.0.zip --files dist/regatta.min.js " +
			"--place dist/regatta.min.js=regatta.min.js --page index.html", "move regatta.min.js js/"},
			[]string{"js/regatta.min.js", `src="js/regatta.min.js"`}, nil},
		{"a version dropped from a name", []string{"take ../downloads/regatta-1.2.0.zip --names versioned --page " +
			"index.html", "move regatta:dist/regatta.min.js js/regatta.js"},
			[]string{"js/regatta.js", `src="js/regatta.js"`},
			[]string{"js/regatta-1.2.0.min.js"}},
		{"the core alone", []string{"take ../downloads/quillpad-3.0.0.zip --into plugin/quillpad --page index.html"},
			[]string{"plugin/quillpad/lib/quillpad.js"}, []string{"plugin/quillpad/mode"}},
		{"all named, few tagged", []string{"take ../downloads/quillpad-3.0.0.zip --files ** --into quill --page " +
			"index.html"}, []string{"quill/mode/list/list.js", `src="quill/lib/quillpad.js"`},
			[]string{`mode/list/list.js"`}},
		{"a part in and out", []string{"take ../downloads/quillpad-3.0.0.zip --part log --together --page index.html",
			"drop quillpad --part log"}, []string{"lib/quillpad/lib/quillpad.js"}, []string{"lib/quillpad/mode",
			"log.js"}},
		{"kept beside, then tagged", []string{"take ../downloads/quillpad-3.0.0.zip --keep mode/** --page index.html",
			"include quillpad --only mode/log/log.js --page index.html"}, []string{"log.js\"></script>"},
			[]string{"list.js\"></script>"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			s := yard(t)
			before := s.State()
			for _, c := range tt.commands {
				s.Run(strings.Fields(c)...)
			}
			state, page := s.State(), s.Read("index.html")
			has := func(what string) bool {
				return strings.Contains("\n"+state, "\n"+what+"\x00") || strings.Contains("\n"+state, "\n"+what+"/") ||
					strings.Contains(page, what)
			}
			for _, w := range tt.there {
				if !has(w) {
					t.Errorf("there is no %s\n%s\n%s", w, page, names(merrytest.State))
				}
			}
			for _, w := range tt.not {
				if has(w) {
					t.Errorf("there is %s\n%s\n%s", w, page, names(merrytest.State))
				}
			}
			if rest := withoutTags(page); rest != onePage {
				t.Errorf("more than tags changed:\n%s", page)
			}
			clean(t, s, tt.name)
			shown(t, s, tt.name)
			// A colleague has the records and the files, and nothing in the cache; the downloads are somebody else's.
			if err := os.RemoveAll(filepath.Join(s.Home, ".merry", "cache")); err != nil {
				t.Fatal(err)
			}
			clean(t, s, tt.name+", at a colleague's")
			for range tt.commands {
				s.Run("undo")
			}
			if s.State() != before {
				t.Error("undo does not lead back")
			}
		})
	}
}

func names(state string) string {
	var list []string
	for line := range strings.Lines(merrytest.State) {
		if name, _, ok := strings.Cut(line, "\x00"); ok {
			list = append(list, name)
		}
	}
	return strings.Join(list, "\n")
}

// withoutTags is a page without its lines of tags for libraries.
func withoutTags(page string) string {
	out := ""
	for line := range strings.Lines(page) {
		if !strings.Contains(line, "<script src") && !strings.Contains(line, `<link rel="stylesheet"`) {
			out += line
		}
	}
	return out
}

// TestTenOwnScripts: own scripts move into a folder, and pages, styles, imports and conditional comments follow; all
// else stays.
func TestTenOwnScripts(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Empty(t)
	text := strings.Replace(onePage, "  <p>Hello\n", `  <!--[if lt IE 9]><script src="js/old.js"></script><![endif]-->
  <a href="js/scene3.js?x=1#y">source</a> <img alt="" srcset="img/gull.svg 1x, img/gull.svg?2 2x">
  <script type="importmap">{"imports": {"tide": "./js/tide.mjs"}}</script>
  <script type="module">import "./js/tide.mjs";</script>
`, 1)
	var files []string
	for i := range 10 {
		name := fmt.Sprintf("js/scene%d.js", i)
		s.Write(name, fmt.Sprintf("var scene%d = \"img/gull.svg\";\n", i))
		text = strings.Replace(text, "</body>", fmt.Sprintf("  <script src='%s?v=%d' defer></script>\n"+
			"</body>", name, i), 1)
		files = append(files, name)
	}
	s.Write("index.html", text)
	s.Write("js/tide.mjs", "import \"./depth.mjs\";\nexport default new URL(\"../img/gull.svg\", import.meta.url);\n")
	s.Write("js/depth.mjs", "export default 1;\n")
	s.Write("js/old.js", "var old = 1;\n")
	s.Write("img/gull.svg", "<svg xmlns=\"http://www.w3.org/2000/svg\"></svg>\n")
	s.Write("css/club.css", "body {\n  background: url( '../img/gull.svg' );\n}\n")
	s.Run("start")
	before := s.State()
	s.Run(append(append([]string{"move"}, append(files, "js/old.js", "js/tide.mjs")...), "js/scenes/")...)
	want := strings.NewReplacer("js/scene", "js/scenes/scene", "js/old.js", "js/scenes/old.js", "js/tide.mjs",
		"js/scenes/tide.mjs").Replace(text)
	if got := s.Read("index.html"); got != want {
		t.Errorf("the page is\n%s\nand was to be\n%s", got, want)
	}
	if got := s.Read("js/scenes/tide.mjs"); got != "import \"../depth.mjs\";\n"+
		"export default new URL(\"../../img/gull.svg\", import.meta.url);\n" {
		t.Errorf("the module is\n%s", got)
	}
	clean(t, s, "moved")
	shown(t, s, "moved")
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	out := s.Run("move", "img/gull.svg", "img/birds of the bay/")
	if !strings.Contains(out, `js/scene0.js:1:15  "img/gull.svg" may be a path to it and was left`) {
		t.Errorf("the text in a script is not told:\n%s", out)
	}
	if got := s.Read("css/club.css"); got != "body {\n"+
		"  background: url( '../img/birds%20of%20the%20bay/gull.svg' );\n}\n" {
		t.Errorf("the stylesheet is\n%s", got)
	}
	s.Run("undo")
	s.Run("move", "img/gull.svg", "img/birds/", "--in-scripts")
	if got := s.Read("js/scene7.js"); got != "var scene7 = \"img/birds/gull.svg\";\n" {
		t.Errorf("the script is\n%s", got)
	}
	s.Run("undo")
	s.Run("move", "index.html", "pages/home.html")
	if got := s.Read("pages/home.html"); !strings.Contains(got, "src='../js/scene4.js?v=4'") ||
		!strings.Contains(got, `import "../js/tide.mjs"`) ||
		!strings.Contains(got, `"../img/gull.svg 1x, ../img/gull.svg?2 2x"`) ||
		!strings.Contains(got, `<script src="../js/old.js">`) ||
		!strings.Contains(got, `{"imports": {"tide": "../js/tide.mjs"}}`) {
		t.Errorf("the moved page is\n%s", got)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
}

// TestMoveRefuses: what can't be moved is reported, and nothing changes.
func TestMoveRefuses(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := yard(t)
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "index.html")
	s.Archive("regatta-2.0.0.zip", map[string]string{"package.json": `{"name": "regatta", "version": "2.0.0"}`,
		"dist/regatta.min.js": readableUI})
	s.Write("js/own.js", "var own = 1;\n")
	s.Write("css/own.js", "var own = 1;\n")
	before := s.State()
	for _, tt := range []struct {
		words []string
		args  string
	}{
		{[]string{"is outside the site"}, "move regatta ../elsewhere"},
		{[]string{"is outside the site"}, "move js/own.js /etc/own.js"},
		{[]string{"js/own.js is a file, so nothing can be put into it"}, "move regatta js/own.js/regatta"},
		{[]string{"would both become x/own.js"}, "move js/own.js css/own.js x/"},
		{[]string{"differs from js/own.js only in case"}, "move js/own.js js/Own.js"},
		{[]string{"exists already"}, "move js/own.js css/own.js"},
		{[]string{"device's on Windows"}, "move js/own.js js/aux.js"},
		{[]string{"neither a library of the crate nor a file"}, "move nobody x"},
		{[]string{"has no file or part nothing.js"}, "move regatta:nothing.js x/"},
		{[]string{"must come along", "merry move regatta:themes/harbour"},
			"move regatta:themes/harbour/regatta.css styles/"},
		{[]string{"version control"}, "move js/own.js .git/own.js"},
		{[]string{"merry's own record"}, "move crate.yaml x/"},
		{[]string{"no such part"}, "take ../downloads/regatta-1.2.0.zip --part nothing"},
		{[]string{"can't go to"}, "take ../downloads/regatta-1.2.0.zip --place dist/regatta.min.js=../x.js"},
		{[]string{"has no file or part nothing"}, "drop regatta --part nothing"},
		{[]string{"has no file or part nothing.js"}, "omit regatta --only nothing.js"},
		{[]string{"is neither a script nor a stylesheet"}, "include regatta --only themes/harbour/images/wave.png " +
			"--page index.html"},
		{[]string{"nothing in regatta-1.2.0.zip matches nope/**"}, "take ../downloads/regatta-1.2.0.zip " +
			"--keep nope/**"},
		{[]string{"no chosen file or folder has that name"}, "take ../downloads/regatta-1.2.0.zip --place " +
			"nope.js=js/x.js"},
		{[]string{"there is no such file or folder"}, "refill --from ../nowhere"},
		{[]string{"there is no such file or folder"}, "settle --from ../nowhere"},
		{[]string{"is quillpad 3.0.0, not regatta"}, "repin regatta --from ../downloads/quillpad-3.0.0.zip"},
		{[]string{"has version 1.2.0, but you asked for 9.9.9"}, "repin regatta@9.9.9 --from " +
			"../downloads/regatta-1.2.0.zip"},
		{[]string{"one name can't stand for two versions"}, "take ../downloads/regatta-2.0.0.zip"},
		{[]string{"nothing of regatta would remain"}, "drop regatta --files **"},
		{[]string{"asks for"}, "drop regatta --files **/wave.png"},
	} {
		s.Fail(1, append(tt.words, "next:"), strings.Fields(tt.args)...)
		if s.State() != before {
			t.Fatalf("%s changed something", tt.args)
		}
	}
}

// TestMovedByHand: files of libraries that somebody moved are known by their bytes; nothing else is found fault with,
// and one command lets records and pages follow.
func TestMovedByHand(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := yard(t)
	s.Run("take", "../downloads/quillpad-3.0.0.zip", "--together", "--page", "index.html")
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "index.html")
	s.Write("plugin/.keep", "")
	if err := os.Rename(filepath.Join(s.Dir, "lib/quillpad"), filepath.Join(s.Dir, "plugin/pad")); err != nil {
		t.Fatal(err)
	}
	out := s.Fail(1, []string{"sealed-moved", "merry move --found", "1 error, 0 warnings"}, "check").Out
	if strings.Contains(out, "merry drop") || strings.Contains(out, "merry refill") {
		t.Errorf("check gives wrong advice:\n%s", out)
	}
	if out := s.Run("contents"); !strings.Contains(out, "moved by hand") {
		t.Errorf("contents says:\n%s", out)
	}
	if out := s.Run("refill"); !strings.Contains(out, "was found at plugin/pad/quillpad.js") ||
		!strings.Contains(out, "0 restored") {
		t.Errorf("refill says:\n%s", out)
	}
	s.Run("check", "--fix")
	clean(t, s, "mended")
	s.Run("undo")
	s.Run("move", "--found")
	if text := s.Read("index.html"); !strings.Contains(text, `src="plugin/pad/quillpad.js"`) ||
		strings.Contains(text, "lib/quillpad/") {
		t.Errorf("the page does not follow:\n%s", text)
	}
	if !strings.Contains(s.Read("crate.yaml"), "into: plugin/pad") {
		t.Errorf("the packing list does not follow:\n%s", s.Read("crate.yaml"))
	}
	clean(t, s, "found")
}

// TestSettle: each edit of the packing list is applied, told before by check, and reverted by undo.
func TestSettle(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	tests := []struct {
		name     string
		old, new string
		told     string // by check
		there    string // in the state afterwards
	}{
		{"version", "version: 1.0.0\n    from: ../downloads/wall-1.0.0.zip", "version: 1.1.0\n    from: wall-1.1.0.zip",
			"the packing list says 1.1.0, but 1.0.0 was taken", "lib/wall/wall.css\x00"},
		{"into", "    take: [dist/regatta.min.js", "    into: vendor/regatta\n    take: [dist/regatta.min.js",
			"files should be in vendor/regatta/", "vendor/regatta/dist/regatta.min.js\x00"},
		{"folders", "scripts: js", "scripts: scripts", "", "scripts/regatta.min.js\x00"},
		{"names", "    take: [dist/regatta.min.js", "    names: versioned\n    take: [dist/regatta.min.js", "",
			"js/regatta-1.2.0.min.js\x00"},
		{"take", "[dist/regatta.min.js, themes/harbour/regatta.css]", "[dist/regatta.min.js]",
			"themes/harbour/regatta.css was taken, but the packing list does not name it", "js/regatta.min.js\x00"},
		{"build", "    build: minified\n    take: [dist/regatta.min.js", "    build: readable\n    take: " +
			"[dist/regatta.min.js",
			"the packing list says build: readable", "<script src=\"js/regatta.js\">"},
		{"places", "    take: [dist/regatta.min.js", "    places: {dist/regatta.min.js: js/deep/r.js}\n" +
			"    take: [dist/regatta.min.js", "should be at js/deep/r.js", "js/deep/r.js\x00"},
		{"another name", "  regatta:", "  sculls:", "in the packing list but not in the seal",
			"lib/sculls/regatta.css\x00"},
		{"an entry less", "  wall:\n", "", "it is in the seal but not in the packing list", "js/regatta.min.js\x00"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			t.Parallel()
			s := yard(t)
			s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "index.html")
			s.Run("take", "../downloads/wall-1.0.0.zip", "--page", "index.html")
			before := s.State()
			list := s.Read("crate.yaml")
			edited := strings.Replace(list, tt.old, tt.new, 1)
			if tt.name == "version" {
				edited = strings.NewReplacer("version: 1.0.0", "version: 1.1.0", "wall-1.0.0.zip",
					"wall-1.1.0.zip").Replace(list)
			}
			if tt.name == "an entry less" {
				edited = list[:strings.Index(list, "  wall:\n")]
			}
			if edited == list {
				t.Fatalf("nothing was edited in\n%s", list)
			}
			s.Write("crate.yaml", edited)
			if tt.told != "" {
				s.Fail(1, []string{"list-differs", tt.told, "merry settle"}, "check", "--no-rehearse")
			}
			written := s.State()
			dry := s.Run("settle", "--dry-run", "--from", "../downloads")
			if s.State() != written || !strings.Contains(dry, "next:") {
				t.Fatalf("a dry run changed something, or shows nothing:\n%s", dry)
			}
			s.Run("settle", "--from", "../downloads")
			if !strings.Contains(s.State(), tt.there) {
				t.Errorf("there is no %q\n%s\n%s", tt.there, names(s.State()), s.Read("index.html"))
			}
			if now := s.Read("crate.yaml"); now != edited && tt.name != "version" &&
				tt.name != "build" { // another version and another build bring other files
				t.Errorf("settling wrote into the packing list:\n%s", now)
			}
			clean(t, s, "settled")
			s.Run("undo")
			s.Write("crate.yaml", list)
			if s.State() != before {
				t.Error("undo does not lead back")
			}
		})
	}
}

// TestSettleRefuses: what can't be applied is reported, and nothing changes.
func TestSettleRefuses(t *testing.T) {
	t.Parallel()
	s := yard(t)
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "index.html")
	s.Run("hold", "regatta", "--because", "the kiosk")
	list := s.Read("crate.yaml")
	for _, tt := range []struct{ old, new, word string }{
		{"version: 1.2.0", "version: 9.9.9", "is held at 1.2.0"},
		{"dist/regatta.min.js,", "dist/nothing.js,", "names dist/nothing.js"},
		{"    build: minified", "    build: minified\n    into: ../out", "can't be a path in the site"},
		{"libraries:", "<<<<<<< HEAD\nlibraries:", "git's conflict marks"},
		{"    build: minified", "    build: minified\n    build: readable", "appears twice"},
		{"    build: minified", "    build: minified\n    needs: [nobody]", "nobody"},
	} {
		edited := strings.Replace(list, tt.old, tt.new, 1)
		if edited == list {
			t.Fatalf("%s: nothing was edited in\n%s", tt.new, list)
		}
		s.Write("crate.yaml", edited)
		before := s.State()
		s.Fail(1, []string{tt.word, "next:"}, "settle")
		if s.State() != before {
			t.Fatalf("%s: a refused settle changed something", tt.new)
		}
	}
}

// TestLostSeal: the seal is made again, and how sure it is of each library is said.
func TestLostSeal(t *testing.T) {
	t.Parallel()
	s := yard(t)
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "index.html")
	s.Run("take", "../downloads/wall-1.0.0.zip", "--page", "index.html")
	seal := s.Read("crate.seal.json")
	s.Remove("crate.seal.json")
	s.Fail(1, []string{"list-differs", "regatta: it is in the packing list but not in the seal"}, "check",
		"--no-rehearse")
	if out := s.Run("settle", "--from", "../downloads"); !strings.Contains(out, "sealed again, verified with 3 files: "+
		"the source has the same bytes") {
		t.Errorf("settle says:\n%s", out)
	}
	if now := s.Read("crate.seal.json"); now != seal {
		t.Errorf("the seal is\n%s\nand was\n%s", now, seal)
	}
	s.Remove("crate.seal.json")
	os.Remove(filepath.Join(s.Dir, "../downloads/regatta-1.2.0.zip"))
	if out := s.Run("settle"); !strings.Contains(out, "sealed from the files in the site, 3 files") {
		t.Errorf("settle says:\n%s", out)
	}
	clean(t, s, "sealed anew")
}

// TestTwoPeople: two clones each add a library and move another; git merges the records without a conflict, and there
// is nothing left to settle.
func TestTwoPeople(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("no git on this machine")
	}
	s := yard(t)
	s.Write("other.html", onePage)
	git := func(dir string, args ...string) {
		t.Helper()
		c := exec.Command("git", append([]string{"-c", "user.name=club", "-c", "user.email=club@gull.example", "-c",
			"commit.gpgsign=false"}, args...)...)
		c.Dir = dir
		if out, err := c.CombinedOutput(); err != nil {
			t.Fatalf("git %v: %v\n%s", args, err, out)
		}
	}
	git(s.Dir, "init", "-q", "-b", "main")
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "other.html")
	s.Run("take", "../downloads/wall-1.0.0.zip", "--page", "index.html")
	git(s.Dir, "add", "-A")
	git(s.Dir, "commit", "-q", "-m", "base")
	clone := *s
	clone.Dir = filepath.Join(filepath.Dir(s.Dir), "clone")
	git(filepath.Dir(s.Dir), "clone", "-q", s.Dir, clone.Dir)
	s.Run("take", "../downloads/quillpad-3.0.0.zip", "--page", "other.html")
	s.Run("move", "regatta", "vendor/regatta")
	git(s.Dir, "add", "-A")
	git(s.Dir, "commit", "-q", "-m", "one")
	clone.Run("take", "../downloads/regatta-1.2.0.zip", "--as", "second", "--into", "second", "--page", "index.html")
	clone.Run("move", "wall", "vendor/wall")
	git(clone.Dir, "add", "-A")
	git(clone.Dir, "commit", "-q", "-m", "other")
	git(s.Dir, "pull", "-q", "--no-rebase", "--no-edit", clone.Dir, "main")
	if out := s.Run("settle"); !strings.Contains(out, "settled:") {
		t.Errorf("after the merge there is something to settle:\n%s\n%s\n%s", out, s.Read("crate.yaml"),
			s.Read("crate.seal.json"))
	}
	clean(t, s, "merged")
	if out := s.Run("contents"); strings.Count(out, "whole") != 4 {
		t.Errorf("contents says:\n%s", out)
	}
}

// TestRefillFrom: what is nowhere else comes from an archive that a person has, each byte compared with the seal.
func TestRefillFrom(t *testing.T) {
	t.Parallel()
	s := yard(t)
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--page", "index.html")
	before := s.State()
	s.Remove("js/regatta.min.js")
	if err := os.RemoveAll(filepath.Join(s.Home, ".merry", "cache")); err != nil {
		t.Fatal(err)
	}
	s.Fail(1, []string{"missing"}, "refill")
	s.Archive("../wrong/regatta-1.2.0.zip", map[string]string{"dist/regatta.min.js": "evil()"})
	s.Fail(1, []string{"missing"}, "refill", "--from", "../wrong")
	s.Run("refill", "--from", "../downloads")
	if s.State() != before {
		t.Error("refill does not lead back")
	}
}

// TestServersTemplates: pages are found by what is in them, and tags stay out of conditions, loops and the outside of
// blocks.
func TestServersTemplates(t *testing.T) {
	t.Parallel()
	s := yard(t)
	s.Remove("crate.yaml")
	s.Remove("index.html")
	s.Write("index.php", "<!doctype html>\n<html>\n<head>\n  <title><?= $t ?></title>\n</head>\n<body>\n"+
		"  <?php foreach ($rows as $row): ?>\n  <script src=\"js/row.js\"></script>\n  <?php endforeach; ?>\n"+
		"</body>\n</html>\n")
	s.Write("views/page.twig", "{% extends \"base.twig\" %}\n{% block scripts %}\n"+
		"  <script src=\"/js/row.js\"></script>\n{% endblock %}\n")
	s.Write("js/row.js", "var row = 1;\n")
	s.Write("notes.txt", "<html> is not a page here\n")
	s.Run("start")
	if list := s.Read("crate.yaml"); !strings.Contains(list, `pages: ["**/*.php", "**/*.twig"]`) ||
		strings.Contains(names(s.State()), "index.html") {
		t.Errorf("start learned\n%s\n%s", list, names(s.State()))
	}
	s.Run("take", "../downloads/regatta-1.2.0.zip", "--files", "dist/regatta.min.js", "--page", "index.php")
	if text := s.Read("index.php"); !strings.Contains(text, "<body>\n  <script src=\"js/regatta.min.js\"></script>\n"+
		"  <?php foreach") {
		t.Errorf("the page is\n%s", text)
	}
	s.Run("include", "regatta", "--page", "views/page.twig", "--fragments")
	if text := s.Read("views/page.twig"); !strings.Contains(text, "{% block scripts %}\n"+
		"  <script src=\"/js/regatta.min.js\"></script>\n") {
		t.Errorf("the part is\n%s", text)
	}
}

// TestUsedOtherwise: what own styles, import maps, conditional comments and templates use is not unused, and drop names
// the places.
func TestUsedOtherwise(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	for name, how := range map[string][2]string{"a stylesheet": {"css/own.css", "a {\n" +
		"  background: url(../lib/regatta/images/wave.png);\n}\n"}, "a template": {"index.html",
		`<template><script src="js/regatta.min.js"></script></template>`},
		"a conditional comment": {"index.html", `<!--[if IE]><script src="js/regatta.min.js"></script><![endif]-->`},
		"an import map": {"index.html", `<script type="importmap">{"imports": {"r": ` +
			`"./js/regatta.min.js"}}</script>`}, "a picture": {"index.html",
			`<img alt="" src="lib/regatta/images/wave.png">`}} {
		s := yard(t)
		s.Run("take", "../downloads/regatta-1.2.0.zip")
		if !strings.Contains(s.Run("check", "--no-rehearse"), "unused-library") {
			t.Fatal("an unused library is not told")
		}
		if how[0] == "index.html" {
			s.Replace("index.html", "<p>Hello", how[1])
		} else {
			s.Write(how[0], how[1])
			s.Replace("index.html", "</head>", `<link rel="stylesheet" href="css/own.css"></head>`)
		}
		if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, "unused-library") {
			t.Errorf("%s: it is called unused:\n%s", name, out)
		}
		if out := s.Run("drop", "regatta"); !strings.Contains(out, "its files are used elsewhere") {
			t.Errorf("%s: drop does not warn:\n%s", name, out)
		}
	}
}

// TestMovedAndSwitched: a file under a name of the site's own is linked from a CDN, and comes back under that name.
func TestMovedAndSwitched(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Run("move", "oarlock:dist/oarlock.min.js", "js/rowing.js")
	page := s.Read("index.html")
	if !strings.Contains(page, `src="js/rowing.js"`) {
		t.Fatalf("the page does not follow:\n%s", page)
	}
	s.Run("switch", "oarlock", "--cdn=harbour")
	if text := s.Read("index.html"); !strings.Contains(text,
		"cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js") {
		t.Errorf("the page has no link:\n%s", text)
	}
	s.Run("switch", "oarlock", "--local")
	if text := s.Read("index.html"); text != page {
		t.Errorf("there and back, the page is\n%s\nand was\n%s", text, page)
	}
}

// TestOneBuildOfFive: of an editor in five builds one folder is taken, kept together, and moved into a subfolder.
func TestOneBuildOfFive(t *testing.T) {
	t.Parallel()
	s := yard(t)
	files := map[string]string{"package.json": `{"name": "scribe", "version": "2.0.0"}`}
	for _, build := range []string{"classic", "inline", "balloon", "document", "super"} {
		files["build-"+build+"/scribe.js"] = strings.ReplaceAll(readableUI, "regatta", "Scribe")
		files["build-"+build+"/lang/de.js"] = "Scribe.de = {\n  bold: \"fett\"\n};\n"
		files["build-"+build+"/scribe.css"] = ".scribe {\n  background: url(icons/pen.png);\n}\n"
		files["build-"+build+"/icons/pen.png"] = dot
	}
	s.Archive("scribe-2.0.0.zip", files)
	s.Run("take", "../downloads/scribe-2.0.0.zip", "--files", "build-inline/**", "--together", "--page", "index.html")
	s.Run("move", "scribe", "plugin/editor/scribe")
	page := s.Read("index.html")
	if !strings.Contains(page, `src="plugin/editor/scribe/scribe.js"`) || strings.Contains(page, "lang/") ||
		strings.Contains(names(s.State()), "balloon") {
		t.Errorf("the page is\n%s\n%s", page, names(s.State()))
	}
	clean(t, s, "moved")
}
