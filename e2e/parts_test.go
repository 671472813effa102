package e2e

import (
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// lantern is a library with many languages, in two builds of all of it.
func lantern() map[string]string {
	files := map[string]string{
		"package.json": `{"name": "lantern", "version": "1.0.0", "main": "build/lantern.js", "license": "MIT"}`,
		"parts.json":   `{"languages": {"cpp": {"title": "C++", "require": "c"}, "go": {"title": "Go"}}}`,
	}
	for _, folder := range []string{"build", "build-min"} {
		files[folder+"/lantern.js"] = "window.Lantern = { lang: {} };\n"
		for i := range 14 {
			files[fmt.Sprintf("%s/lang/lantern-l%d.js", folder, i)] = fmt.Sprintf("Lantern.lang.l%d = {};\n", i)
		}
		files[folder+"/lang/lantern-c.js"] = "Lantern.lang.c = { n: 1 };\n"
		files[folder+"/lang/lantern-go.js"] = "Lantern.lang.go = {};\n"
		files[folder+"/lang/lantern-cpp.js"] = "Lantern.lang.cpp = Lantern.lang.c;\n"
		files[folder+"/lang/lantern-asp.js"] = "/* Language: ASP\n * Requires: lantern-cpp.js, go\n */\n" +
			"Lantern.lang.asp = {};\n"
	}
	return files
}

// TestPartsBringParts: a part is found by the end of its name, beside the core, and brings what it requires.
func TestPartsBringParts(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Write("index.html", "<!doctype html>\n<html>\n<head>\n<title>x</title>\n</head>\n<body>\n</body>\n</html>\n")
	s.Run("start")
	zip := s.Archive("lantern-1.0.0.tgz", lantern())
	before := s.State()
	out := s.Run("take", zip, "--part", "asp", "--page", "index.html")
	if !strings.Contains(out, "asp requires it") {
		t.Errorf("take says:\n%s", out)
	}
	inRow(t, s.Read("index.html"), "js/lantern.js", "lantern-c.js", "lantern-cpp.js", "lantern-asp.js")
	inRow(t, s.Read("index.html"), "js/lantern.js", "lantern-go.js", "lantern-asp.js")
	if strings.Count(s.Read("index.html"), "<script") != 5 {
		t.Errorf("the page is\n%s", s.Read("index.html"))
	}
	s.Run("check")
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	s.Run("take", zip, "--part", "go", "--page", "index.html")
	s.Run("take", zip, "--part", "cpp", "--page", "index.html") // to what is there
	inRow(t, s.Read("index.html"), "js/lantern.js", "lantern-c.js", "lantern-cpp.js")
	s.Run("check")
}

// TestFolderOfABuild: a folder that has the library once more is taken with its main file first.
func TestFolderOfABuild(t *testing.T) {
	t.Parallel()
	for _, args := range []string{"--part build-min", "--files build-min/**", "--files build-min/lantern.js --keep " +
		"build-min/**"} {
		s := merrytest.Empty(t)
		s.Write("index.html", "<!doctype html>\n<html>\n<head>\n<title>x</title>\n</head>\n<body>\n</body>\n</html>\n")
		s.Run("start")
		zip := s.Archive("lantern-1.0.0.tgz", lantern())
		s.Run(append([]string{"take", zip, "--together"}, strings.Fields(args)...)...)
		s.Run("include", "lantern", "--page", "index.html")
		if page := s.Read("index.html"); strings.Count(page, "<script") != 1 || !strings.Contains(page, "/lantern.js") {
			t.Errorf("%s: the page is\n%s", args, page)
		}
		if state := s.State(); !strings.Contains(state, "lantern-l3.js") || strings.Contains(state, "/build/lang") {
			t.Errorf("%s: there is\n%s", args, names(state))
		}
		s.Run("check")
	}
}

// inRow fails unless a text has all words, one behind the other.
func inRow(t *testing.T, text string, words ...string) {
	t.Helper()
	rest := text
	for _, w := range words {
		at := strings.Index(rest, w)
		if at < 0 {
			t.Errorf("%s is not there, or not behind the others:\n%s", w, text)
			return
		}
		rest = rest[at:]
	}
}

// TestOwnModulesSayWhatIsTaken: a module of the site that was there before the take gets all that it imports of the
// library, under the names that it has for it; a module that only a bundler can load is not taken.
func TestOwnModulesSayWhatIsTaken(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Write("index.html", "<!doctype html>\n<html>\n<head>\n<meta name=\"viewport\" content=\"width=device-width\">\n"+
		"<meta charset=\"utf-8\">\n<title>x</title>\n</head>\n<body>\n<script type=\"module\" "+
		"src=\"js/app.js\"></script>\n"+
		"</body>\n</html>\n")
	s.Write("js/app.js", "import './more.js';\n")
	s.Write("js/more.js", "import { pump } from 'bilge';\nimport { drain } from 'bilge/extra/drain';\npump(drain);\n")
	s.Run("start")
	files := map[string]string{
		"package.json": `{"name": "bilge", "version": "1.0.0", "license": "MIT", "main": "dist/bilge.js",` +
			` "exports": {".": {"import": "./es/bilge.js"}, "./extra/*": "./es/extra/*.js"}}`,
		"dist/bilge.js":     "window.Bilge = { pump: function () {} };\n",
		"es/bilge.js":       "export function pump(f) { return f; }\n",
		"es/extra/drain.js": "import { pump } from '../bilge.js';\nexport function drain() { return pump(1); }\n",
	}
	s.Run("take", s.Archive("bilge-1.0.0.tgz", files), "--page", "index.html")
	if page := s.Read("index.html"); !strings.Contains(page, `"bilge/extra/drain": "`) ||
		!strings.Contains(page, `"bilge": "`) {
		t.Errorf("the page is\n%s", page)
	}
	if out := s.Run("check"); !strings.Contains(out, "no findings") {
		t.Errorf("check says:\n%s", out)
	}
	s.Run("drop", "bilge")
	files["es/bilge.js"] = "export { pump } from './inner/pump';\n"
	files["es/inner/pump.js"] = "export function pump(f) { return f; }\n"
	s.Run("take", s.Archive("bilge-1.0.0.tgz", files), "--page", "index.html")
	if page := s.Read("index.html"); strings.Contains(page, "es/bilge.js") || !strings.Contains(page, "js/bilge.js") {
		t.Errorf("the page is\n%s", page)
	}
}

// TestTakeOfAnOwnFileAsks: a file that stands in the site is its own until somebody says otherwise.
func TestTakeOfAnOwnFileAsks(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	before := s.State()
	s.Fail(1, []string{"js/club.js stands among the site's own files", "merry include js/club.js --page index.html",
		"merry take js/club.js --as club --page index.html"}, "take", "js/club.js", "--page", "index.html")
	if s.State() != before {
		t.Error("a refused take changed something")
	}
	s.Run("take", "js/club.js", "--as", "club", "--page", "index.html")
}

// TestCrateHasAnotherVersion: what an add-on uses of its base is held against the version in the crate, and a version
// that has it is named.
func TestCrateHasAnotherVersion(t *testing.T) {
	t.Parallel()
	s, r := merrytest.Registered(t)
	publish := func(name, version, text string) {
		t.Helper()
		manifest := fmt.Sprintf(`{"name": %q, "version": %q, "license": "MIT", "main": "%[1]s.js"}`, name, version)
		if err := r.Publish(name, version, map[string][]byte{"package.json": []byte(manifest),
			name + ".js": []byte(text)}); err != nil {
			t.Fatal(err)
		}
	}
	publish("thwart", "1.4.0", "window.Thwart = { trim: function () {}, fit: function () {} };\n")
	publish("thwart", "2.0.0", "window.Thwart = { fit: function () {} };\n")
	publish("thwart-rail", "1.0.0", "Thwart.fit();\nThwart.rail = function () { return Thwart.trim(); };\n")
	s.Run("take", "thwart", "--page", "index.html")
	if out := s.Run("take", "thwart-rail", "--page", "index.html"); !strings.Contains(out,
		"it uses trim, which thwart 2.0.0 has not; 1.4.0 has: merry repin thwart@1.4.0") {
		t.Errorf("take says:\n%s", out)
	}
	s.Run("drop", "thwart-rail")
	s.Run("drop", "thwart")
	if err := r.Publish("thwart-seat", "1.0.0", map[string][]byte{"package.json": []byte(`{"name": "thwart-seat", ` +
		`"version": "1.0.0", "license": "MIT", "main": "seat.js", "dependencies": {"thwart": ">=1"}}`),
		"seat.js": []byte("Thwart.seat = function () { return Thwart.trim(); };\n")}); err != nil {
		t.Fatal(err)
	}
	s.Run("take", "thwart-seat", "--with-needs", "--page", "index.html")
	if list := s.Read("crate.yaml"); !strings.Contains(list, "thwart:\n    version: 1.4.0\n") {
		t.Errorf("the version that has what is used was not taken:\n%s", list)
	}
	if out := s.Run("take", "thwart-rail", "--page", "index.html"); strings.Contains(out, "it uses") {
		t.Errorf("take says:\n%s", out)
	}
}

// TestTwoFilesOfOneName: a library whose file would go where another library's is gets a folder of its own; a file of
// the site's own is left alone as ever.
func TestTwoFilesOfOneName(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	other := map[string]string{"package.json": `{"name": "@club/oarlock", "version": "1.0.0", "license": "MIT", ` +
		`"main": "oarlock.min.js"}`, "oarlock.min.js": "window.Other = 1;\n"}
	before := s.Read("js/oarlock.min.js")
	out := s.Run("take", s.Archive("club-oarlock-1.0.0.zip", other), "--as", "club-oarlock", "--page", "index.html")
	if !strings.Contains(out, "oarlock has js/oarlock.min.js already") || s.Read("js/oarlock.min.js") != before ||
		!strings.Contains(s.Read("index.html"), "lib/club-oarlock/oarlock.min.js") {
		t.Errorf("take says:\n%s", out)
	}
	s.Run("undo")
	other["club.js"] = "window.Club = 2;\n"
	other["package.json"] = strings.Replace(other["package.json"], "oarlock.min.js", "club.js", 1)
	s.Fail(1, []string{"js/club.js exists already with other bytes and is not the crate's"}, "take",
		s.Archive("club-oarlock-1.0.0.zip", other), "--as", "club-oarlock", "--files", "club.js")
}
