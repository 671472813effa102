package e2e

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestReadmesExampleChooses: where the readme's first example fails with the script that would be taken and runs with
// another build, that build is taken.
func TestReadmesExampleChooses(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Write("index.html", "<!doctype html>\n<html>\n<head>\n<title>x</title>\n</head>\n<body>\n</body>\n</html>\n")
	s.Run("start")
	core := "(function (root) {\n  root.Winch = { turn: function () { return 1; } };\n})(this);\n"
	files := map[string]string{
		"package.json":       `{"name": "winch", "version": "1.0.0", "main": "dist/winch.js", "license": "MIT"}`,
		"dist/winch.js":      core,
		"dist/winch-full.js": strings.Replace(core, "return 1; }", "return 1; }, hoist: function () { return 2; }", 1),
		"README.md":          "# winch\n\n```js\nWinch.hoist();\n```\n",
	}
	out := s.Run("take", s.Archive("winch-1.0.0.tgz", files), "--suggested", "--page", "index.html")
	if !strings.Contains(out, "the readme's example runs with it, and not with winch.js") ||
		!strings.Contains(s.Read("index.html"), "winch-full.js") {
		t.Errorf("take says:\n%s", out)
	}
	// A build that needs something more is for other pages.
	s.Run("drop", "winch")
	files["dist/winch-full.js"] = "window.Derrick.is;\n" + files["dist/winch-full.js"]
	out = s.Run("take", s.Archive("winch-1.0.0.tgz", files), "--suggested", "--page", "index.html")
	if strings.Contains(s.Read("index.html"), "winch-full.js") {
		t.Errorf("take says:\n%s", out)
	}
}

// TestHostsAreNamed: the hosts that a library's script asks while it runs are named wherever it is looked at.
func TestHostsAreNamed(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Write("index.html", "<!doctype html>\n<html>\n<head>\n<title>x</title>\n</head>\n<body>\n</body>\n</html>\n")
	s.Run("start")
	zip := s.Archive("buoychart-1.0.0.tgz", map[string]string{
		"package.json": `{"name": "buoychart", "version": "1.0.0", "main": "buoychart.js", "license": "MIT"}`,
		"buoychart.js": "var base = 'https://tiles.gull.example/v1/';\n" +
			"window.BuoyChart = function () { fetch(base + 'sea.json'); };\n" +
			"// see https://docs.gull.example/\nwindow.BuoyChart.help = 'https://help.gull.example/';\n",
	})
	for _, out := range []string{s.Run("peek", zip), s.Run("take", zip, "--page", "index.html"),
		s.Run("check", "--no-rehearse")} {
		if !strings.Contains(out, "tiles.gull.example") || !strings.Contains(out, "buoychart.js:1:13") ||
			strings.Contains(out, "docs.gull") || strings.Contains(out, "help.gull") {
			t.Errorf("it says:\n%s", out)
		}
	}
}
