package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestClicks: a rehearsal clicks on what waits for it, and tells what stops then; what nobody can click is left alone.
func TestClicks(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	page := func(body, script string) {
		s.Write("index.html", "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta "+
			"charset=\"utf-8\">\n<title>x</title>\n"+
			"<meta name=\"viewport\" content=\"width=device-width\">\n</head>\n<body>\n"+body+"\n<script "+
			"src=\"js/club.js\">"+
			"</script>\n</body>\n</html>\n")
		s.Write("js/club.js", script)
	}
	page("<p>x</p>", "")
	s.Run("start")
	for _, c := range []struct{ body, script, want string }{
		{`<button id="go">go</button>`, "go.addEventListener('click', function () {\n  crews.push(1);\n});\n",
			`js/club.js stops when <button id="go"> is clicked: ReferenceError: crews is not defined`},
		{`<button onclick="crews.push(1)">go</button>`, "var n;",
			`index.html:9:18  warning: click-fails`},
		{`<button data-toggle="menu">go</button>`, "document.addEventListener('click', function (e) {\n" +
			"  if (e.target.dataset.toggle) document.getElementById('menu').hidden = true;\n});\n", "js/club.js:2:"},
		{`<button id="go" hidden>go</button>`, "go.onclick = function () { crews.push(1); };\n", ""},
		{`<button id="go" disabled>go</button>`, "go.onclick = function () { crews.push(1); };\n", ""},
		{`<button id="go">go</button>`, "var crews = [];\ngo.onclick = function () { crews.push(1); };\n", ""},
		{`<button id="go">go</button>`, "go.onclick = function () {\n  setTimeout(function () { crews.push(1); }, " +
			"50);\n};\n",
			"crews is not defined"},
	} {
		page(c.body, c.script)
		out := s.TryWith("", "check").Out
		if c.want == "" && !strings.Contains(out, "no findings") || !strings.Contains(out, c.want) {
			t.Errorf("%s with %s: check says\n%s", c.body, c.script, out)
		}
	}
}

// TestMisspelt: a name that is nearly one that the page or a browser has is called misspelt, not absent.
func TestMisspelt(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	for name, want := range map[string]string{"docuemnt": "document", "oarlok": "oarlock", "consle": "console",
		"cofnig": "config", "addEventListner": "addEventListener", "paresInt": "parseInt", "moorings": ""} {
		s.Write("js/config.js", "var config = { n: 1 };\n")
		s.Write("js/club.js", name+".x();\n")
		out := s.TryWith("", "check", "index.html").Out
		asked := "uses " + name + ", but no script on this page defines it"
		if want != "" {
			asked += "; did you mean " + want + "?"
		}
		if !strings.Contains(out, asked) || want == "" && strings.Contains(out, "did you mean") {
			t.Errorf("%s: check says\n%s", name, out)
		}
	}
}
