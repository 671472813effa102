package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// publisher publishes made-up packages: a manifest's further fields, and files.
func publisher(t *testing.T, r *standin.Registry) func(name, version, fields string, files map[string]string) {
	return func(name, version, fields string, files map[string]string) {
		t.Helper()
		all := map[string][]byte{"package.json": []byte(fmt.Sprintf(`{"name": %q, "version": %q%s}`, name, version,
			fields))}
		for file, text := range files {
			all[file] = []byte(text)
		}
		if err := r.Publish(name, version, all); err != nil {
			t.Fatal(err)
		}
	}
}

// majors are packages with majors of the kinds that used to end in dead ends.
func majors(t *testing.T) *merrytest.Site {
	s := merrytest.Empty(t)
	publish := publisher(t, s.Register())
	// A framework that first needs the package knot, then another one with the same global.
	publish("knot", "1.0.0", "", map[string]string{"dist/knot.js": "window.Knot = function () { return 1; };\n"})
	publish("@club/knot", "2.0.0", `, "main": "dist/knot.js"`, map[string]string{"dist/knot.js": "window.Knot = { " +
		"tie: function () { return 2; } };\n"})
	publish("rigging", "1.0.0", `, "main": "dist/rigging.js", "peerDependencies": {"knot": "^1.0.0"}`,
		map[string]string{"dist/rigging.js": "window.Rigging = { up: new window.Knot() };\n"})
	publish("rigging", "2.0.0", `, "main": "dist/rigging.js", "peerDependencies": {"@club/knot": "^2.0.0"}`,
		map[string]string{"dist/rigging.js": "window.Rigging = { up: window.Knot.tie() };\n"})
	// A base and an add-on, each of which has a major for the other.
	for _, major := range []string{"4", "5"} {
		publish("keel", major+".0.0", `, "main": "keel.js"`, map[string]string{"keel.js": "window.Keel = { v: " +
			"" + major +
			", lay: function () {} };\n"})
		publish("keel-fin", major+".1.0", `, "main": "keel-fin.js", "peerDependencies": {"keel": "^`+major+`.0.0"}`,
			map[string]string{"keel-fin.js": "Keel.fin = Keel.lay() || " + major + ";\n"})
	}
	// A library that comes as a plain script first, and then as modules alone.
	for version, file := range map[string]string{"1.0.0": "sextant.js", "2.0.0": "sextant.js", "3.0.0": "sextant.mjs"} {
		text := "window.Sextant = { sight: function () { return " + version[:1] + "; } };\n"
		if version == "3.0.0" {
			text = "export function sight() { return 3; }\n"
		}
		publish("sextant", version, `, "main": "`+file+`", "module": "`+file+`"`, map[string]string{file: text})
	}
	// An add-on that says of no version what it needs, and a base that loses a member.
	publish("mast", "1.0.0", `, "main": "mast.js"`, map[string]string{"mast.js": "window.Mast = { rake: function () " +
		"{}, " +
		"step: function () {} };\n"})
	publish("mast", "2.0.0", `, "main": "mast.js"`, map[string]string{"mast.js": "window.Mast = { step: function () " +
		"{} };\n"})
	publish("mast-boom", "1.0.0", `, "main": "boom.js", "dependencies": {"mast": "*"}`, map[string]string{
		"boom.js": "Mast.boom = function () { return Mast.rake() + Mast.step(); };\n"})
	// A library that needs what no package has.
	for _, version := range []string{"1.0.0", "2.0.0"} {
		publish("pennant", version, `, "main": "pennant.js"`, map[string]string{"pennant.js": "Halyard.pennant = " +
			version[:1] + ";\n"})
	}
	// A library with a stylesheet, a font and a part that the next major has no more, and a core of another name.
	publish("lantern", "1.0.0", `, "main": "dist/lantern.js", "style": "dist/lantern.css"`, map[string]string{
		"dist/lantern.js": "window.lantern = function (o) { return o; };\nlantern.wick = { trim: function () {} };\n" +
			"lantern.flame = lantern.hang = function () {};\n// a core\n",
		"dist/lantern-oil.js": "lantern.oil = 1;\n", "dist/lantern.css": ".lantern { color: red; }\n"})
	publish("lantern", "2.0.0", `, "main": "dist/Lantern.global.js"`, map[string]string{
		"dist/Lantern.global.js": "window.lantern = { wickTrim: function () {}, createFlame: function () {} };\n" +
			"lantern.hang = function (o) { return o; };\n",
		"CHANGELOG.md": "# Changes\n\n## 2.0.0\n\n- `lantern.hang()` now takes an object.\n\n## 0.9.0\n\n- `flame()` " +
			"has other arguments.\n"})
	return s
}

const scripted = "<!doctype html>\n<html>\n<head>\n<meta charset=\"utf-8\">\n<title>Club</title>\n</head>\n<body>\n" +
	"<p id=\"p\">x</p>\n<script>\nSCRIPT\n</script>\n</body>\n</html>\n"

func writeScripted(s *merrytest.Site, name, script string) {
	s.Write(name, strings.Replace(scripted, "SCRIPT", script, 1))
}

// TestNeedsMoveAlong: a need that another package meets now is told with a command that works; that takes the one,
// releases the other, and changes what is recorded. A base and what stands on it move together.
func TestNeedsMoveAlong(t *testing.T) {
	t.Parallel()
	s := majors(t)
	writeScripted(s, "index.html", "window.onload = function () { return Rigging.up; };")
	s.Run("start")
	s.Run("take", "rigging@1.0.0", "--with-needs", "--page", "index.html")
	before := s.State()
	out := s.Run("compare", "rigging", "2.0.0")
	if !strings.Contains(out, "repin would refuse") || !strings.Contains(out, "merry repin rigging@2.0.0 "+
		"--with-needs") {
		t.Errorf("compare says\n%s", out)
	}
	r := s.Fail(1, []string{"@club/knot", "knot of the crate is another one"}, "repin", "rigging@2.0.0")
	if got := s.State(); got != before {
		t.Errorf("a refusal changed the site")
	}
	if steps := r.Steps(); len(steps) != 1 || steps[0] != "merry repin rigging@2.0.0 --with-needs" {
		t.Errorf("the way forward is %q", steps)
	}
	told := s.Run("repin", "rigging@2.0.0", "--with-needs")
	if !strings.Contains(told, "also took @club/knot") || !strings.Contains(told, "released knot") {
		t.Errorf("repin says\n%s", told)
	}
	page, list := s.Read("index.html"), s.Read("crate.yaml")
	if strings.Count(page, "knot.js") != 1 || strings.Index(page, "knot.js") > strings.Index(page, "rigging.js") ||
		!strings.Contains(list, "needs: ['@club/knot']") && !strings.Contains(list, "needs: [\"@club/knot\"]") ||
		strings.Contains(list, "\n  knot:") {
		t.Errorf("the page is\n%s\nthe packing list\n%s", page, list)
	}
	s.Fail(0, []string{"no findings"}, "check", "--rehearse")
	s.Run("undo")
	if got := s.State(); got != before {
		t.Errorf("undo does not bring back what was")
	}
	// What a page's own script uses stays, whoever needed it.
	writeScripted(s, "index.html", "window.onload = function () { return Knot(); };")
	s.Run("include", "knot", "rigging", "--page", "index.html")
	if told := s.Run("repin", "rigging@2.0.0", "--with-needs"); strings.Contains(told, "released knot") ||
		!strings.Contains(told, "knot, which stays: Knot is used in index.html") {
		t.Errorf("repin says\n%s", told)
	}

	s.Write("fin.html", strings.Replace(scripted, "SCRIPT", "", 1))
	s.Run("take", "keel-fin@4.1.0", "--with-needs", "--page", "fin.html")
	r = s.Fail(1, []string{"keel-fin 4.1.0 requires keel ^4.0.0, but would find 5.0.0"}, "repin", "keel@5.0.0")
	if steps := r.Steps(); len(steps) != 1 || steps[0] != "merry repin keel@5.0.0 keel-fin@5.1.0" {
		t.Fatalf("the way forward is %q", steps)
	}
	s.Run("repin", "keel@5.0.0", "keel-fin@5.1.0")
	s.Fail(0, []string{"no findings"}, "check", "fin.html", "--rehearse")
}

// TestNeedsFromElsewhere: what no library of the crate meets now does not stop a move.
func TestNeedsFromElsewhere(t *testing.T) {
	t.Parallel()
	s := majors(t)
	s.Write("js/halyard.js", "var Halyard = {};\n")
	s.Write("index.html", strings.Replace(scripted, "<script>\nSCRIPT\n</script>",
		"<script src=\"js/halyard.js\"></script>", 1))
	s.Run("start")
	s.Run("take", "mast@1.0.0", "mast-boom@1.0.0", "--page", "index.html")
	if out := s.Run("compare", "mast", "2.0.0"); !strings.Contains(out,
		"mast-boom 1.0.0 uses Mast.rake, which mast 2.0.0 has not") {
		t.Errorf("compare says\n%s", out)
	}
	s.Run("take", "pennant@1.0.0", "--page", "index.html")
	s.Fail(0, []string{"moved pennant from 1.0.0 to 2.0.0"}, "repin", "pennant@2.0.0")
	s.Fail(0, []string{"no findings"}, "check", "--rehearse")
}

// TestNoPlainBuild: a version that has modules alone is refused, with both ways forward; with --modules pages import
// it, and their scripts find it as before.
func TestNoPlainBuild(t *testing.T) {
	t.Parallel()
	s := majors(t)
	s.Write("js/own.js", "var seen = Sextant.sight();\n")
	s.Write("js/after.js", "document.getElementById('p').textContent = 'seen ' + seen;\n")
	writeScripted(s, "index.html", "")
	s.Replace("index.html", "<script>\n\n</script>", "<script src=\"js/own.js\"></script>\n"+
		"<script src=\"js/after.js\"></script>\n<script>\nSextant.sight();\n</script>")
	s.Run("start")
	s.Run("take", "sextant@1.0.0", "--page", "index.html")
	r := s.Fail(1, []string{"has no plain build any more"}, "repin", "sextant@3.0.0")
	if steps := strings.Join(r.Steps(), "; "); !strings.Contains(steps, "merry repin sextant@3.0.0 --modules") ||
		!strings.Contains(steps, "merry repin sextant@2.0.0") {
		t.Errorf("the ways forward are %q", steps)
	}
	if out := s.Run("compare", "sextant", "3.0.0"); !strings.Contains(out, "no plain build any more") ||
		!strings.Contains(out, `import * as Sextant from "sextant";`) {
		t.Errorf("compare says\n%s", out)
	}
	if out := s.Run("repin", "--newest-allowed"); !strings.Contains(out, "sextant stays at 1.0.0") {
		t.Errorf("repin of all says\n%s", out)
	}
	s.Run("repin", "sextant@3.0.0", "--modules")
	page := s.Read("index.html")
	for _, want := range []string{`"sextant": "./js/sextant.mjs"`, `import * as Sextant from "sextant";`,
		`<script defer src="js/own.js">`, `<script defer src="js/after.js">`,
		"<script type=\"module\">\nSextant.sight();"} {
		if !strings.Contains(page, want) {
			t.Errorf("there is no %s in\n%s", want, page)
		}
	}
	s.Fail(0, []string{"no findings"}, "check", "--rehearse")
}

// TestGoneParts: a part that a version lacks goes with its tag and is named, --keep-parts refuses; what is called no
// more, and members with other names, are told; what breaks on the page is an answer of repin.
func TestGoneParts(t *testing.T) {
	t.Parallel()
	s := majors(t)
	writeScripted(s, "index.html", "lantern({});\nlantern.wick.trim();\nlantern.flame();\nlantern.hang(1);")
	s.Run("start")
	s.Run("take", "lantern@1.0.0", "--files", "dist/lantern.js", "--files", "dist/lantern-oil.js", "--files",
		"dist/lantern.css", "--page", "index.html")
	out := s.Run("compare", "lantern", "2.0.0")
	for _, want := range []string{"function lantern  1 use; it is an object now", "lantern.wickTrim",
		"lantern.createFlame", "repin would drop",
		"signature lantern.hang  1 use; the notes say: `lantern.hang()` now takes an object", "dist/lantern-oil.js: " +
			"index.html:", "dist/lantern.css: " +
			"index.html:"} {
		if !strings.Contains(out, want) {
			t.Errorf("compare does not say %q:\n%s", want, out)
		}
	}
	before := s.State()
	s.Fail(1, []string{"no file of the library replaces"}, "repin", "lantern@2.0.0", "--keep-parts")
	if s.State() != before {
		t.Errorf("a refusal changed the site")
	}
	var got struct {
		Dropped []string
		Faults  []struct{ Name, Message string }
		Notes   []string
	}
	if err := json.Unmarshal([]byte(s.Run("repin", "lantern@2.0.0", "--json")), &got); err != nil {
		t.Fatal(err)
	}
	if len(got.Dropped) != 2 || len(got.Faults) != 1 || got.Faults[0].Name != "script-fails" {
		t.Errorf("repin answers %+v", got)
	}
	if page := s.Read("index.html"); strings.Contains(page, "oil") || strings.Contains(page, ".css") ||
		strings.Count(page, "js/Lantern.global.js") != 1 {
		t.Errorf("the page is\n%s", page)
	}
}

// TestVersionsThatFit: take and repin choose the newest version that fits the browsers of the packing list and the
// ranges of the crate's libraries, and versions says which the cache knows not to fit.
func TestVersionsThatFit(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	publish := publisher(t, s.Register())
	for version, text := range map[string]string{"1.0.0": "window.flag = 1;\n", "1.1.0": "window.flag = 1.1;\n",
		"2.0.0": "window.flag = window?.top ?? 2;\n", "3.0.0": "window.flag = class { #x = 1; };\n"} {
		publish("flag", version, `, "main": "flag.js"`, map[string]string{"flag.js": text})
	}
	publish("flag-pole", "1.0.0", `, "main": "pole.js", "peerDependencies": {"flag": "1.0.x"}`,
		map[string]string{"pole.js": "window.pole = flag;\n"})
	s.Write("index.html", strings.Replace(scripted, "SCRIPT", "", 1))
	s.Run("start")
	s.Replace("crate.yaml", "pages:", "browsers: ES2015\npages:")
	out := s.Run("take", "flag", "--fits", "--page", "index.html")
	if !strings.Contains(out, "took flag 1.1.0") || !strings.Contains(out, "flag 2.0.0 does not fit") {
		t.Errorf("take says\n%s", out)
	}
	s.Replace("crate.yaml", "ES2015", "ES2020")
	s.Fail(2, []string{"--fits chooses the version of flag, and 2 names one"}, "repin", "flag@2", "--fits")
	s.Fail(2, []string{"flag@2 is not the name of one alone"}, "take", "flag@2", "--fits")
	s.Fail(0, []string{"moved flag from 1.1.0 to 2.0.0"}, "repin", "flag", "--fits")
	s.Run("repin", "flag@1.0.0")
	s.Run("take", "flag-pole", "--page", "index.html")
	s.Fail(0, []string{"no library moves"}, "repin", "flag", "--fits") // the pole allows no other
	if out := s.Run("versions", "flag"); !strings.Contains(out, "plain") || !strings.Contains(out,
		"does not fit: its script demands ECMAScript 2022") {
		t.Errorf("versions says\n%s", out)
	}
}

// TestTwoVersionsSideBySide: of a library that the crate holds twice repin moves the one that is named. The other
// stays, and each page keeps its own.
func TestTwoVersionsSideBySide(t *testing.T) {
	t.Parallel()
	s := majors(t)
	s.Write("index.html", merrytest.PlainPage)
	s.Write("old.html", merrytest.PlainPage)
	s.Run("start")
	s.Run("take", "keel@5.0.0", "--page", "index.html")
	s.Run("take", "keel@4.0.0", "--as", "keel-old", "--page", "old.html")
	pages := s.Read("index.html") + s.Read("old.html")
	says(t, s.Read("js/keel.js")+s.Read("lib/keel-old/keel.js"), "v: 5", "v: 4")
	s.Run("repin", "keel@4.0.0")
	says(t, s.Read("js/keel.js")+s.Read("lib/keel-old/keel.js"), "v: 4", "-v: 5")
	s.Run("repin", "keel-old@5.0.0")
	says(t, s.Read("js/keel.js"), "v: 4")
	says(t, s.Read("lib/keel-old/keel.js"), "v: 5")
	if s.Read("index.html")+s.Read("old.html") != pages {
		t.Errorf("a page got the other one's file:\n%s\n%s", s.Read("index.html"), s.Read("old.html"))
	}
	s.Run("check")
}
