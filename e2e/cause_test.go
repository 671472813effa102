package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// says demands of an answer that it says some words, and not others, which begin with a minus sign.
func says(t *testing.T, out string, words ...string) {
	t.Helper()
	for _, w := range words {
		not, absent := strings.CutPrefix(w, "-")
		if absent == strings.Contains(out, strings.TrimPrefix(w, "-")) {
			t.Errorf("the answer says %q: %v\n%s", not, absent, out)
		}
	}
}

// withScripts is a page with tags for scripts.
func withScripts(tags string) string {
	return strings.Replace(merrytest.PlainPage, "</body>", tags+"\n</body>", 1)
}

// TestOneCause: what stops because a file did not load, or because another script stopped, is told with that, and has
// no finding of its own.
func TestOneCause(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Write("log.html", withScripts("<script src=js/Crew.js></script><script src=js/rows.js></script>"+
		"<script src=js/tides.js></script><script src=js/last.js></script>"))
	s.Write("js/crew.js", "var CREW = {name: \"Gull\"};")
	s.Write("js/rows.js", "document.title = CREW.name;")
	s.Write("js/tides.js", "noSuchTide(); window.TIDES = 1;")
	s.Write("js/last.js", "document.title = TIDES;")
	out := s.Try("check", "log.html").Out
	says(t, out, "case-differs", "then: js/rows.js stops at js/rows.js:1:18: CREW is not defined",
		"then: js/last.js stops at js/last.js:1:18: ReferenceError: TIDES is not defined", "2 errors", "-rows.js uses",
		"-last.js uses")
}

// TestOrderTried: an order that reading finds right is put right where a function that is called while the page loads
// needs a later script, and an order in which a script stops that ran before is not written.
func TestOrderTried(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Write("js/a.js", "function Boat() { this.crew = new Crew(); }")
	s.Write("js/b.js", "function Crew() {}")
	s.Write("js/main.js", "var boat = new Boat();")
	const tags = "<script src=js/a.js></script>\n<script src=js/main.js></script>\n<script src=js/b.js></script>"
	s.Write("log.html", withScripts(tags))
	says(t, s.Try("check", "log.html").Out, "js/main.js stops: ReferenceError: Crew is not defined",
		"at js/a.js:1:35; Crew comes from js/b.js, one script later", "merry order log.html --fix")
	says(t, s.Run("order", "log.html", "--fix"), "moved js/main.js after js/b.js", "uses Crew (js/a.js:1:35)")
	says(t, s.Run("check", "log.html"), "no findings")
	s.Write("log.html", withScripts(strings.Replace(tags, "b.js", "B.js", 1)))
	says(t, s.Run("check", "log.html", "--fix"), "js/B.js is now js/b.js", "moved js/main.js after js/b.js")

	s.Write("js/sail.js", "window.sail = {}; if (!document.documentElement.id) { throw new Error(\"no rig\"); }")
	s.Write("js/rig.js", "document.documentElement.id = \"rigged\"; document.title = sail;")
	s.Write("log.html", withScripts("<script src=js/rig.js></script>\n<script src=js/sail.js></script>"))
	before := s.Read("log.html")
	says(t, s.Try("order", "log.html", "--fix").Out, "with its tags in order, js/sail.js stops: Error: no rig",
		"so nothing was moved")
	if s.Read("log.html") != before {
		t.Errorf("an order was written in which a script stops:\n%s", s.Read("log.html"))
	}
}

// TestMissingMembers: members that a library has no more after a move, and misspelt ones, are told, also where they are
// used later; what a script only asks for is not.
func TestMissingMembers(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	for version, code := range map[string]string{"1.0.0": "bowline: 1, cleat: function () {}", "2.0.0": "bowline: 1"} {
		s.Archive("../downloads/hawser-"+version+".zip", map[string]string{
			"package.json": `{"name": "hawser", "version": "` + version + `", "main": "hawser.js"}`,
			"hawser.js":    "/*! hawser v" + version + " */\nvar hawser = {" + code + "};\n"})
	}
	s.Write("js/moor.js", "function later() {\n  hawser.cleat();\n  if (hawser.knot) hawser.knot();\n  "+
		"hawser.bowlnie.x();\n}\n")
	s.Write("log.html", withScripts("<script src=js/moor.js></script>"))
	s.Run("take", "../downloads/hawser-1.0.0.zip", "--page", "log.html")
	says(t, s.Try("check", "log.html").Out, "-hawser.cleat", "-hawser.knot",
		"js/moor.js uses hawser.bowlnie, which hawser 1.0.0 on this page does not have; did you mean bowline?",
		"js/moor.js:4:10")
	s.Run("repin", "hawser@2.0.0", "--from", "../downloads/hawser-2.0.0.zip")
	says(t, s.Try("check", "log.html").Out, "js/moor.js uses hawser.cleat, which hawser 2.0.0 on this page does not "+
		"have",
		"merry repin hawser@1.0.0  # which has it", "-hawser.knot")
}

// TestStyleMissing: a library whose stylesheet is not on the page is told, unless another one has rules for what it
// uses.
func TestStyleMissing(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	const tags = "<main class=bw-bar>x</main><script src=js/oarlock.min.js></script><script " +
		"src=js/brinework.min.js></script>"
	s.Write("log.html", withScripts(tags))
	says(t, s.Try("check", "log.html").Out, "style-missing", "brinework is on this page without its stylesheet "+
		"css/brinework.min.css", "bw-bar", "merry include brinework --page log.html")
	s.Write("css/own.css", ".bw-bar { color: navy; }")
	s.Replace("log.html", "</head>", `<link rel="stylesheet" href="css/own.css"></head>`)
	says(t, s.Try("check", "log.html").Out, "-style-missing")
}

// TestCopyInside: a file that has a copy of a library inside is told where the page has the library, too.
func TestCopyInside(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("js/bundle.js", "/* ours */\n"+s.Read("js/oarlock.min.js")+"\nwindow.gull = 1;\n")
	s.Write("log.html", withScripts("<script src=js/oarlock.min.js></script>\n<script src=js/bundle.js></script>"))
	says(t, s.Try("check", "log.html").Out, "js/bundle.js has a copy of what js/oarlock.min.js defines, and replaces "+
		"oarlock")
	s.Write("log.html", withScripts("<script src=js/oarlock.min.js></script>\n<script src=js/plain.js></script>"))
	s.Write("js/plain.js", "window.oarlock = window.oarlock || {}; oarlock.gull = 1;")
	says(t, s.Try("check", "log.html").Out, "-has a copy")
}

// TestUnmetNeeds: check knows what take found out: the package and the version that define what is missing.
func TestUnmetNeeds(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Register()
	s.Run("take", "brinework@1.2.0", "--page", "index.html")
	says(t, s.Try("check", "index.html").Out, "uses oarlock, but no script on this page defines it; the package "+
		"oarlock@1.4.2 does", "merry take oarlock@1.4.2 --page index.html")
	s.Run("take", "oarlock@1.4.2", "--page", "index.html")
	says(t, s.Try("check", "index.html").Out, "-need-absent")
}
