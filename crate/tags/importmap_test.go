package tags

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/cratetest"
)

// TestAddMap: a new import map is in the head, before all modules and their hints, indented and ended as the page's
// lines are; the page is otherwise as it was.
func TestAddMap(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	const text = `{"imports": {"rig": "./js/rig.js"}}`
	for _, tt := range []struct{ name, page, before string }{
		{"no module", "<!doctype html>\n<html>\n<head>\n\t<title>x</title>\n\t<link rel=\"stylesheet\" " +
			"href=\"a.css\">\n</head>\n<body>\n</body>\n</html>\n", "</head>"},
		{"module in the body", "<!doctype html>\n<html>\n<head>\n  <title>x</title>\n</head>\n<body>\n" +
			"<script type=\"module\" src=\"a.js\"></script>\n</body>\n</html>\n", "</head>"},
		{"module in the head", "<!doctype html>\n<html>\n<head>\n  <title>x</title>\n  <script type=\"module\" " +
			"src=\"a.js\"></script>\n  <script src=\"b.js\"></script>\n</head>\n<body>\n</body>\n</html>\n",
			"<script type=\"module\""},
		{"a hint", "<!doctype html>\n<html>\n<head>\n  <link rel=\"modulepreload\" href=\"a.js\">\n" +
			"  <script type=\"module\" src=\"a.js\"></script>\n</head>\n<body>\n</body>\n</html>\n",
			"<link rel=\"modulepreload\""},
		{"lines of another system", "<!doctype html>\r\n<html>\r\n<head>\r\n    <script type=\"module\">import " +
			"'rig'</script>\r\n</head>\r\n<body>\r\n</body>\r\n</html>\r\n", "<script type=\"module\""},
	} {
		v := read(t, p, "index.html", tt.page)
		e := NewEditor(p, NewScripts(p), v)
		e.AddMap(text)
		b, err := e.Bytes()
		if err != nil {
			t.Errorf("%s: %v", tt.name, err)
			continue
		}
		got := string(b)
		at, next := strings.Index(got, `<script type="importmap">`), strings.Index(got, tt.before)
		end := strings.Index(got, "</script>") + len("</script>")
		if at < 0 || next < at || strings.TrimSpace(got[end:next]) != "" || strings.Count(got, text) != 1 {
			t.Errorf("%s: the page is\n%s", tt.name, got)
		}
		if strings.Contains(tt.page, "\r\n") != (strings.Count(got, "\r\n") == strings.Count(got, "\n")) {
			t.Errorf("%s: its lines end otherwise:\n%q", tt.name, got)
		}
		after := read(t, p, "index.html", got)
		if maps := after.ImportMaps(); len(maps) != 1 ||
			strings.TrimSpace(string(after.InlineText(&after.Includes[maps[0]]))) != text {
			t.Errorf("%s: the map is not read again:\n%s", tt.name, got)
		}
		back := NewEditor(p, NewScripts(p), after)
		back.Remove(after.ImportMaps()...)
		if b, err := back.Bytes(); err != nil || string(b) != tt.page {
			t.Errorf("%s: without the map the page is\n%s", tt.name, b)
		}
	}
}

// TestModulesOfAPage: its modules as it is and as it will be: files, texts, those that are inert, taken off or moved.
func TestModulesOfAPage(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	v := read(t, p, "index.html", `<!doctype html><title>x</title><script type="module" src="a.js"></script><script `+
		`type="module">import 'b'</script><script src="c.js"></script><template><script type="module" src="d.js">`+
		`</script></template><script type="module" src="https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.js">`+
		`</script>`)
	e := NewEditor(p, NewScripts(p), v)
	if got := e.Modules(); len(got) != 3 || got[0].Target.Path.String() != "a.js" || got[1].Text != "import 'b'" ||
		got[2].Target.URL == "" || e.TakesOff() {
		t.Errorf("%+v", got)
	}
	if elsewhere, known := e.Served("oarlock"); !elsewhere || !known || e.TakenOff("oarlock") {
		t.Errorf("oarlock is served elsewhere: %v, %v", elsewhere, known)
	}
	e.Remove(len(v.Includes) - 1)
	if got := e.Modules(); len(got) != 2 || len(e.ModulesBefore()) != 3 || !e.TakesOff() || !e.TakenOff("oarlock") {
		t.Errorf("with one taken off: %+v", got)
	}
	e.Serve("oarlock", false)
	if elsewhere, known := e.Served("oarlock"); elsewhere || !known {
		t.Error("what is said of a library does not count")
	}
}
