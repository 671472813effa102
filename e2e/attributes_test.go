package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// mooring is a made-up framework in two majors: the second has a word of its own in attributes and custom properties.
func mooring(s *merrytest.Site) {
	for version, word := range map[string]string{"4.0.0": "", "5.0.0": "tide-"} {
		old := "" // read by the first alone
		if word == "" {
			old = "    if (t) t.getAttribute('data-parent');\n"
		}
		s.Archive("mooring-"+version+".zip", map[string]string{
			"package.json": `{"name": "mooring", "version": "` + version + `", "main": "dist/mooring.js", "style": ` +
				`"dist/mooring.css"}`,
			"dist/mooring.js": "var mooring = (function () {\n  function each(name, f) { document.querySelectorAll('[" +
				"data-" + word + "' + name + ']').forEach(f); }\n  document.addEventListener('click', function (e) " +
				"{\n" +
				"    var t = e.target.closest('[data-" + word + "toggle]');\n    if (t) document.querySelector(t" +
				".getAttribute('data-" + word + "target')).classList.toggle('shown');\n    if (e.target.closest('[" +
				"data-" + word + "dismiss]')) e.target.closest('.shown').classList.remove('shown');\n" + old +
				"  });\n" +
				"  return { version: '" + version + "', options: function (e) { return Object.assign({ delay: 0 }, " +
				"e.dataset); } };\n})();\n",
			"dist/mooring.css": ":root { --" + word + "primary: #036; --" + word + "space: 1rem; --" + word +
				"line: 2px; --" + word + "font: serif; }\n.panel { color: var(--" + word + "primary); padding: var(--" +
				word + "space); border: var(--" + word + "line) solid; font-family: var(--" + word +
				"font); }\n.panel:not(.shown) { display: none; }\n[data-" + word + "toggle] { cursor: pointer; }\n"})
	}
}

// TestAttributesAndPropertiesFollow: attributes that a library looks for and custom properties that it reads follow a
// pattern of the new version in pages, own stylesheets and own scripts; what is not sure is named.
func TestAttributesAndPropertiesFollow(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	mooring(s)
	s.Write("index.html", strings.Replace(merrytest.PlainPage, "</body>", "<button data-toggle=\"panel\" "+
		"data-target=\"#p\" data-own=\"1\" data-delay=\"3\" data-parent=\"#x\">x</button><div id=\"p\" "+
		"class=\"panel\" "+
		"style=\"margin: var(--space); "+
		"--primary: red\"><b data-dismiss=\"panel\">x</b></div><script src=\"js/app.js\"></script></body>", 1))
	s.Write("css/club.css", ".mine { color: var(--primary); border: var(--line) solid var(--own); }\n"+
		"[data-toggle] { font-weight: bold; }\n")
	s.Write("js/app.js", "var primary = 3; --primary;\nfunction set(e) { e.style.setProperty('--primary', 'blue'); "+
		"e.dataset.toggle = 'panel'; return e.getAttribute('data-target') + "+
		"document.querySelector('[data-toggle]'); }\n")
	s.Run("start")
	s.Run("take", "../downloads/mooring-4.0.0.zip", "--page", "index.html")
	out := s.Run("compare", "mooring", "../downloads/mooring-5.0.0.zip")
	for _, want := range []string{"data-tide-toggle", "--tide-primary"} {
		if !strings.Contains(out, want) {
			t.Errorf("compare does not say %s:\n%s", want, out)
		}
	}
	// what another library reads, too, is not renamed without being asked
	s.Archive("buoy-1.0.0.zip", map[string]string{"package.json": `{"name": "buoy", "version": "1.0.0"}`,
		"buoy.js": "var buoy = document.querySelector('[data-dismiss]');\n"})
	s.Run("take", "../downloads/buoy-1.0.0.zip")
	if out := s.Run("compare", "mooring", "../downloads/mooring-5.0.0.zip"); !strings.Contains(out,
		"buoy reads the old name, too") {
		t.Errorf("compare says\n%s", out)
	}
	s.Run("undo")
	before := s.State()
	told := s.Run("repin", "mooring@5.0.0", "--from", "../downloads/mooring-5.0.0.zip", "--rename-sure")
	page, sheet, script := s.Read("index.html"), s.Read("css/club.css"), s.Read("js/app.js")
	for _, want := range []struct{ text, has string }{{page, `data-tide-toggle="panel" data-tide-target="#p" ` +
		`data-own="1" data-tide-delay="3"`},
		{page, `data-tide-dismiss="panel"`}, {page, `margin: var(--tide-space); --tide-primary: red`},
		{sheet, "color: var(--tide-primary); border: var(--tide-line) solid var(--own)"}, {sheet, "[data-tide-toggle]"},
		{script, "var primary = 3; --primary;"}, {script, "setProperty('--tide-primary', 'blue')"},
		{script, "dataset.tideToggle = 'panel'"}, {script, "getAttribute('data-tide-target')"},
		{script, "querySelector('[data-tide-toggle]')"}} {
		if !strings.Contains(want.text, want.has) {
			t.Errorf("there is no %s in\n%s", want.has, want.text)
		}
	}
	if r := s.Try("check", "--no-rehearse"); strings.Count(r.Out, "attribute-gone") != 1 ||
		!strings.Contains(r.Out, "data-parent") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	if !strings.Contains(told, "if so: --rename '[data-parent]=[data-tide-parent]'") {
		t.Errorf("repin does not name what is not sure:\n%s", told)
	}
	s.Run("repin", "mooring@5.0.0", "--from", "../downloads/mooring-5.0.0.zip", "--rename",
		"[data-parent]=[data-tide-parent]", "--rename", "--own=--other")
	if page := s.Read("index.html"); !strings.Contains(page, `data-tide-parent="#x"`) ||
		!strings.Contains(page, `data-toggle="panel"`) || !strings.Contains(s.Read("css/club.css"), "var(--other)") {
		t.Errorf("with --rename the page is\n%s", page)
	}
}

// TestSuggestedFileStandsIn: where a core script and a stylesheet have other names in the new version, what that
// suggests stands in for them, tags follow, and the reason is said; an add-on beside them follows by its name.
func TestSuggestedFileStandsIn(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	for version, files := range map[string]map[string]string{
		"1.0.0": {"dist/buoy.core.js": "var buoy = { a: 1 };\n", "dist/buoy.skin.css": ".buoy { color: red; }\n",
			"dist/bell.js": "buoy.bell = function () {};\n", "package.json": `{"name": "buoy", "version": "1.0.0", ` +
				`"main": "dist/buoy.core.js", "style": "dist/buoy.skin.css"}`},
		"2.0.0": {"build/all-buoys.js": "var buoy = { a: 2 };\n", "build/looks.css": ".buoy { color: blue; }\n",
			"build/bell.js": "buoy.bell = function () { return 2; };\n", "package.json": `{"name": "buoy", ` +
				`"version": ` +
				`"2.0.0", "main": "build/all-buoys.js", "style": "build/looks.css"}`}} {
		s.Archive("buoy-"+version+".zip", files)
	}
	s.Write("index.html", merrytest.PlainPage)
	s.Run("start")
	s.Run("take", "../downloads/buoy-1.0.0.zip", "--page", "index.html")
	s.Run("take", "../downloads/buoy-1.0.0.zip", "--files", "dist/bell.js", "--page", "index.html")
	before := s.State()
	out := s.Run("repin", "buoy@2.0.0", "--from", "../downloads/buoy-2.0.0.zip")
	page := s.Read("index.html")
	for _, want := range []string{"all-buoys.js", "looks.css", "bell.js"} {
		if strings.Count(page, want) != 1 {
			t.Errorf("the page has not %s once:\n%s", want, page)
		}
	}
	if strings.Contains(page, "core.js") || !strings.Contains(out, "stands in for it") {
		t.Errorf("repin says\n%s\n%s", out, page)
	}
	if r := s.Try("check"); strings.Contains(r.Out, "error") && !strings.Contains(r.Out, "0 errors") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
}
