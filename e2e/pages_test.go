package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestIncludeOnPagesOfAllKinds: where the tags go on pages in every state, and that omitting gives the
// page back.
func TestIncludeOnPagesOfAllKinds(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	const style, script, plugin = `<link rel="stylesheet" href="css/brinework.min.css">`,
		`<script src="js/oarlock.min.js"></script>`, `<script src="js/brinework.min.js"></script>`
	tests := []struct{ name, page, want string }{
		{"no head and body tags", "<!doctype html>\n<title>x</title>\n<p>y\n", "<!doctype html>\n<title>x</title>\n" +
			style + "\n<p>y\n" + script + "\n" + plugin + "\n"},
		{"one line", "<!doctype html><html><head><title>x</title></head><body><p>y</p></body></html>",
			"<!doctype html><html><head><title>x</title>" + style + "</head><body><p>y</p>" + script + plugin +
				"</body></html>"},
		{"empty head", "<!doctype html>\n<html>\n<head>\n</head>\n<body>\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n" + style + "\n</head>\n<body>\n" + script + "\n" + plugin +
				"\n</body>\n</html>\n"},
		{"tabs and CRLF", "<!doctype html>\r\n<html>\r\n<head>\r\n\t<title>x</title>\r\n</head>\r\n<body>\r\n" +
			"\t<main></main>\r\n</body>\r\n</html>\r\n",
			"<!doctype html>\r\n<html>\r\n<head>\r\n\t<title>x</title>\r\n\t" + style + "\r\n</head>\r\n<body>\r\n" +
				"\t<main></main>\r\n\t" + script + "\r\n\t" + plugin + "\r\n</body>\r\n</html>\r\n"},
		{"own scripts in the head, deferred", "<!doctype html>\n<html>\n<head>\n  <script src=\"js/club.js\" " +
			"defer></script>\n</head>\n<body>\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n  <script src=\"js/oarlock.min.js\" defer></script>\n" +
				"  <script src=\"js/brinework.min.js\" defer></script>\n  <script src=\"js/club.js\" " +
				"defer></script>\n  " + style + "\n</head>\n<body>\n</body>\n</html>\n"},
		{"inline script at the end", "<!doctype html>\n<html>\n<head>\n</head>\n<body>\n  <p>x</p>\n" +
			"  <script>oarlock('p')</script>\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n  " + style + "\n</head>\n<body>\n  <p>x</p>\n  " + script + "\n  " +
				plugin + "\n  <script>oarlock('p')</script>\n</body>\n</html>\n"},
		{"inline style in the head", "<!doctype html>\n<html>\n<head>\n  <style>p{}</style>\n</head>\n<body>\n" +
			"</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n  " + style + "\n  <style>p{}</style>\n</head>\n<body>\n" +
				"  " + script + "\n  " + plugin + "\n</body>\n</html>\n"},
		{"a tag inside a comment is none", "<!doctype html>\n<html>\n<head>\n  <!-- <link rel=stylesheet " +
			"href=css/club.css> -->\n</head>\n<body>\n  <!-- </body> -->\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n  <!-- <link rel=stylesheet href=css/club.css> -->\n  " + style + "\n" +
				"</head>\n<body>\n  <!-- </body> -->\n  " + script + "\n  " + plugin + "\n</body>\n</html>\n"},
		{"a closing tag inside a script is none", "<!doctype html>\n<html>\n<head>\n</head>\n<body>\n" +
			"<script>var a = '</body>';</script>\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n" + style + "\n</head>\n<body>\n" + script + "\n" + plugin + "\n" +
				"<script>var a = '</body>';</script>\n</body>\n</html>\n"},
		{"byte order mark", "\ufeff<!doctype html>\n<html>\n<head>\n</head>\n<body>\n</body>\n</html>\n",
			"\ufeff<!doctype html>\n<html>\n<head>\n" + style + "\n</head>\n<body>\n" + script + "\n" + plugin +
				"\n</body>\n</html>\n"},
		{"Latin-1 bytes", "<!doctype html>\n<html>\n<head>\n</head>\n<body>\n  <p>\xe9</p>\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n  " + style + "\n</head>\n<body>\n  <p>\xe9</p>\n  " + script + "\n  " +
				plugin + "\n</body>\n</html>\n"},
		{"a library by another way of writing", "<!doctype html>\n<html>\n<head>\n</head>\n<body>\n" +
			"<script src='./js/../js/oarlock.min.js?x=1'></script>\n</body>\n</html>\n",
			"<!doctype html>\n<html>\n<head>\n" + style + "\n</head>\n<body>\n" +
				"<script src='./js/../js/oarlock.min.js?x=1'></script>\n" + plugin + "\n</body>\n</html>\n"},
	}
	s := merrytest.Empty(t)
	started := merrytest.Club(t)
	s.Run("start")
	for _, zip := range []string{"oarlock-2.0.3", "brinework-1.2.0"} {
		s.Run("take", filepath.Join(started.Dir, "../downloads", zip+".zip"))
	}
	s.Write("js/club.js", "")
	for _, tt := range tests {
		s.Write("page.html", tt.page)
		s.Run("include", "brinework", "oarlock", "--page", "page.html")
		got := s.Read("page.html")
		if got != tt.want {
			t.Errorf("%s: the page is\n%q, want\n%q", tt.name, got, tt.want)
		}
		s.Run("include", "oarlock", "brinework", "--page", "page.html")
		if s.Read("page.html") != got {
			t.Errorf("%s: including twice changed something", tt.name)
		}
		if !strings.Contains(tt.page, "oarlock.min.js") {
			s.Run("omit", "oarlock", "brinework", "--page", "page.html")
			if back := s.Read("page.html"); back != tt.page {
				t.Errorf("%s: it came back as\n%q", tt.name, back)
			}
		}
	}
}

func TestStartLearnsHabits(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct {
		files map[string]string
		want  string
	}{
		"other names": {map[string]string{"index.html": "<script src=scripts/a.js></script><link rel=stylesheet " +
			"href=styles/a.css>", "scripts/a.js": "", "styles/a.css": "", "pictures/a.png": ""},
			"{scripts: scripts, styles: styles, fonts: fonts, images: pictures, together: lib}"},
		"below one folder": {map[string]string{"index.html": "<script src=assets/js/a.js></script>",
			"assets/js/a.js": "", "assets/css/a.css": "", "assets/fonts/a.woff": ""},
			"{scripts: assets/js, styles: assets/css, fonts: assets/fonts, images: assets/img, together: assets/lib}"},
		"pages tell more": {map[string]string{"index.html": "<script src=app/a.js></script>", "app/a.js": "",
			"old/a.js": "", "old/b.js": "", "old/c.js": ""}, "{scripts: app, styles: css, fonts: fonts, images: img, " +
			"together: lib}"},
		"nothing yet": {map[string]string{"index.html": "<p>x"}, "{scripts: js, styles: css, fonts: fonts, " +
			"images: img, together: lib}"},
	} {
		s := merrytest.Empty(t)
		for f, text := range tt.files {
			s.Write(f, text)
		}
		s.Run("start")
		if list := s.Read("crate.yaml"); !strings.Contains(list, tt.want) {
			t.Errorf("%s: want %s in\n%s", name, tt.want, list)
		}
	}
	s := merrytest.Empty(t)
	os.Mkdir(filepath.Join(s.Dir, ".git"), 0o755)
	s.Write("index.htm", "<p>x")
	s.Run("start")
	if s.Read(".gitignore") != ".merry/\n" || !strings.Contains(s.Read("crate.yaml"), `"**/*.htm"`) {
		t.Error("the ignore file or the pages' ending was not learned")
	}
	os.Mkdir(filepath.Join(s.Dir, "inner"), 0o755)
	s.Fail(1, []string{"is inside a project"}, "start", "--in", filepath.Join(s.Dir, "inner"))
	s.Fail(2, []string{"ends in .html"}, "start", "--page", "notes.txt")
	s.Fail(2, []string{"leads out of the site"}, "start", "--page", "../x.html")
	s.Fail(2, []string{"there is no such folder"}, "start", "--in", filepath.Join(s.Dir, "nowhere"))
}

// TestJSONOfEveryCommand: --json prints one JSON value and nothing else, errors too.
func TestJSONOfEveryCommand(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	for _, args := range [][]string{
		{"start"}, {"peek", "../downloads/oarlock-2.0.3.zip"}, {"peek", "../downloads/oarlock-2.0.3.zip", "--notes"},
		{"peek", "--downloads", "../downloads"}, {"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"},
		{"take", "../downloads/brinework-1.2.0.zip", "--dry-run"}, {"take", "../downloads/brinework-1.2.0.zip"},
		{"include", "brinework", "--page", "**"}, {"omit", "brinework"}, {"check"}, {"contents"}, {"seal", "js"},
		{"undo", "--list"}, {"undo"}, {"refill"}, {"drop", "brinework"}, {"cache"}, {"sources"},
		{"versions", "tidechart"}, {"hold", "oarlock", "--because", "x"}, {"hold", "oarlock", "--off"},
		{"take", "tidechart"},
		{"repin", "tidechart@3.0.0"}, {"switch", "--readable"}, {"sources", "set", "cdn", "harbour",
			"https://cdn.harbour.example/{version}/{path}"},
		{"take", "nowhere.zip"}, {"drop", "nothing"}, {"repin", "nothing@1"}, {"switch"},
		{"versions", "nothing-at-all"},
	} {
		r := s.Try(append(args, "--json")...)
		var v any
		if err := json.Unmarshal([]byte(r.Out), &v); err != nil {
			t.Errorf("merry %s --json: %v\n%s%s", strings.Join(args, " "), err, r.Out, r.Err)
		}
		if _, object := v.(map[string]any); !object {
			t.Errorf("merry %s --json is not an object:\n%s", strings.Join(args, " "), r.Out)
		}
		if m, ok := v.(map[string]any); r.Status > 1 && (!ok || m["error"] == "") {
			t.Errorf("merry %s --json: status %d without an error:\n%s", strings.Join(args, " "), r.Status, r.Out)
		}
	}
}

// TestDryRunsChangeNothing: every changing command, on --dry-run, leaves the folder as it is and says what
// it would do.
func TestDryRunsChangeNothing(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	s.Run("take", "../downloads/oarlock-1.4.2.zip", "--names", "versioned", "--page", "**")
	s.Run("take", "tidechart", "--page", "tides.html")
	os.Remove(filepath.Join(s.Dir, "js/oarlock-1.4.2.min.js"))
	before := s.State()
	for want, args := range map[string][]string{
		"+ news.html":             {"start", "--page", "news.html"},
		"+ css/brinework.min.css": {"take", "../downloads/brinework-1.2.0.zip"},
		"+  <script src=\"js/tidechart.min.js\"></script>":   {"include", "tidechart", "--page", "index.html"},
		"-    <script src=\"js/tidechart.min.js\"></script>": {"omit", "tidechart"},
		"~ tides.html":                          {"undo"},
		"would restore js/oarlock-1.4.2.min.js": {"refill"},
		"- js/tidechart.min.js":                 {"drop", "tidechart"},
		"+    hold: {at: 1.4.2, because: x}":    {"hold", "oarlock", "--because", "x"},
		"would move oarlock from 1.4.2 to 2.0.3": {"repin", "oarlock", "--from",
			"../downloads/oarlock-2.0.3.zip"},
		"+    <script src=\"js/tidechart.js\"></script>": {"switch", "tidechart", "--readable"},
		"+cdns:": {"sources", "set", "cdn", "harbour", "https://cdn.harbour.example/{version}/{path}"},
	} {
		r := s.Try(append(args, "--dry-run")...)
		if r.Status > 1 || !strings.Contains(r.Out, want) {
			t.Errorf("merry %s --dry-run does not say %q:\n%s%s", strings.Join(args, " "), want, r.Out, r.Err)
		}
		if s.State() != before {
			t.Fatalf("merry %s --dry-run changed something", strings.Join(args, " "))
		}
	}
}

// TestHandWrittenListIsKept: whatever commands do, what people wrote in the packing list stays.
func TestHandWrittenListIsKept(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	s.Write("crate.yaml", `# The club's crate. Ask Ada before you change versions.
format: 1
site: .        # here

pages: ["**/*.html", "!drafts/**"]

libraries:
  # The page helper.
  oarlock: {version: 1.4.0, from: "registry:oarlock"}   # old on purpose

# Our own files, in their order.
own: {order: [js/config.js, js/club.js]}
`)
	s.Write("drafts/x.html", "<!doctype html><body></body>")
	s.Run("take", "oarlock@1.4.0", "--because", "the kiosk")
	s.Run("hold", "oarlock", "--below", "2.0.0", "--because", "the kiosk")
	s.Run("take", "tidechart@3.0.0")
	s.Run("include", "oarlock", "tidechart", "--page", "**")
	s.Run("repin", "tidechart@3.1.0")
	s.Run("drop", "tidechart")
	list := s.Read("crate.yaml")
	for _, want := range []string{"# The club's crate. Ask Ada before you change versions.\n",
		"site: .        # here\n\npages:", "  # The page helper.\n", "# old on purpose", "\n\n" +
			"# Our own files, in their order.\nown: {order: [js/config.js, js/club.js]}\n"} {
		if !strings.Contains(list, want) {
			t.Errorf("%q is gone from\n%s", want, list)
		}
	}
	if strings.Contains(s.Read("drafts/x.html"), "oarlock") {
		t.Error("a page that the list leaves out was changed")
	}
	s.Run("check")
}

func TestContentsTellsTheState(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	os.Remove(filepath.Join(s.Dir, "js/brinework.min.js"))
	s.Write("crate.yaml", s.Read("crate.yaml")+"  pennants: {version: 1.1.0, only: desk}\n")
	out := s.Run("contents")
	for _, want := range []string{"1 of 4 files missing or changed", "not taken yet",
		"pennants 1.1.0: for development only", "index.html"} {
		if !strings.Contains(out, want) {
			t.Errorf("contents lacks %q:\n%s", want, out)
		}
	}
	e := merrytest.Empty(t)
	e.Run("start")
	if out := e.Run("contents"); !strings.Contains(out, "the crate is empty") {
		t.Errorf("contents of an empty crate:\n%s", out)
	}
}

// TestPartsAndTheWhole: a library's files come onto a page in their order, whichever is put there first: the core
// before a part that reads nothing, styles as somebody ordered them in the packing list.
func TestPartsAndTheWhole(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Write("index.html", "<!doctype html>\n<html>\n<head>\n<meta charset=\"utf-8\">\n<title>x</title>\n</head>\n"+
		"<body>\n<p>x</p>\n</body>\n</html>\n")
	s.Run("start")
	s.Archive("winch-1.0.0.zip", map[string]string{"package.json": `{"name": "winch", "version": "1.0.0"}`,
		"dist/winch.js": "var Winch = {\n  turn: 1\n};\n",
		"dist/lang/nl.js": "(function (root) {\n  root.winchWords = root.winchWords || {};\n  root.winchWords.nl = " +
			"{\n    turn: 'draai'\n  };\n})(window);\n",
		"dist/winch.css": ".winch {\n  color: red;\n}\n", "dist/base.css": "p {\n  margin: 0;\n}\n"})
	s.Run("take", "../downloads/winch-1.0.0.zip", "--files",
		"dist/winch.js,dist/lang/nl.js,dist/winch.css,dist/base.css")
	order := func(want ...string) {
		t.Helper()
		page, at := s.Read("index.html"), -1
		for _, w := range want {
			i := strings.Index(page, w)
			if i < at {
				t.Fatalf("%s does not stand behind what comes before it:\n%s", w, page)
			}
			at = i
		}
	}
	s.Run("include", "winch", "--only", "dist/lang/nl.js", "--page", "index.html")
	s.Run("include", "winch", "--only", "dist/base.css", "--page", "index.html")
	s.Run("include", "winch", "--page", "index.html")
	order("winch.css", "base.css", "winch.js", "nl.js")
	s.Run("omit", "winch")
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "dist/base.css, ", "", 1))
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "take: [", "take: [dist/winch.js, dist/base.css, ", 1))
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), ", dist/winch.js]", "]", 1))
	s.Run("include", "winch", "--only", "dist/winch.css", "--page", "index.html")
	s.Run("include", "winch", "--page", "index.html")
	order("base.css", "winch.css", "winch.js")
	if out := s.Run("settle", "--dry-run"); !strings.Contains(out, "settled") {
		t.Errorf("there is something to settle:\n%s\n%s", s.Read("crate.yaml"), out)
	}
}
