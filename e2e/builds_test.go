package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestOneBuild: take brings the build that pages use and no source map; the rest comes when it is asked for, and stays
// in later versions.
func TestOneBuild(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "index.html")
	missing(t, s, "js/oarlock.js", "js/oarlock.min.js.map")
	if out := s.TryWith("", "check", "--no-rehearse").Out; strings.Contains(out, "source map") {
		t.Errorf("a map that was left out is a finding:\n%s", out)
	}
	before := s.State()
	s.Run("include", "oarlock", "--page", "tides.html", "--readable")
	if !strings.Contains(s.Read("tides.html"), `"js/oarlock.js"`) || !strings.Contains(s.Read("index.html"),
		`"js/oarlock.min.js"`) {
		t.Error("the readable build is not on its page alone")
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	s.Run("drop", "oarlock")
	s.Run("take", "../downloads/oarlock-1.4.2.zip", "--both-builds", "--maps")
	s.Read("js/oarlock.js")
	s.Read("js/oarlock.min.js.map")
	s.Run("repin", "oarlock@2.0.3", "--from", "../downloads/oarlock-2.0.3.zip")
	s.Read("js/oarlock.js")
	if list := s.Read("crate.yaml"); !strings.Contains(list, "maps: true") || s.Read("js/oarlock.min.js.map") == "" {
		t.Errorf("repin forgot the maps:\n%s", list)
	}
}

// TestBuildFetched: switch gets the other build from the source, and says so if nothing has it.
func TestBuildFetched(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	os.RemoveAll(filepath.Join(s.Home, ".merry/cache"))
	away := s.Copy()
	os.RemoveAll(filepath.Join(away.Dir, "../downloads"))
	if out := away.Run("switch", "oarlock", "--readable"); !strings.Contains(out,
		"oarlock stays in the minified build: its source, oarlock-2.0.3.zip, is not available now") {
		t.Errorf("switch says:\n%s", out)
	}
	missing(t, away, "js/oarlock.js")
	away.Fail(1, []string{"oarlock stays in the minified build"}, "include", "oarlock", "--page", "index.html",
		"--readable")
	s.Run("take", "../downloads/oarlock-2.0.3.zip") // it is known again
	s.Run("switch", "oarlock", "--readable")
	if !strings.Contains(s.Read("index.html"), `"js/oarlock.js"`) {
		t.Error("the page has not the readable build")
	}
}

// TestPatternsAreOwnFiles: a pattern of include means the site's own files.
func TestPatternsAreOwnFiles(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("new.html", "<!doctype html>\n<html>\n<head>\n<title>New</title>\n</head>\n<body>\n</body>\n</html>\n")
	s.Run("include", "js/*.js", "--page", "new.html")
	if page := s.Read("new.html"); strings.Contains(page, "oarlock") || !strings.Contains(page, "js/club.js") {
		t.Errorf("the page is\n%s", page)
	}
	s.Fail(1, []string{"all files that match js/oar*.js are files of libraries", "merry contents"}, "include",
		"js/oar*.js", "--page", "new.html")
}

func missing(t *testing.T, s *merrytest.Site, names ...string) {
	t.Helper()
	for _, name := range names {
		if _, err := os.Stat(filepath.Join(s.Dir, name)); err == nil {
			t.Errorf("%s is there", name)
		}
	}
}
