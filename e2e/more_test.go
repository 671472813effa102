package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// TestPromises walks the design's promises on one site, in the words of a session that a person could
// have: nothing that merry does leaves a trace it should not.
func TestPromises(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	pristine := s.Pages()

	// A page keeps all but the asked-for tags, whatever was done in between.
	s.Run("take", "oarlock@1.4.0", "--page", "**")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--page", "**")
	s.Run("repin", "oarlock@2.0.3")
	s.Run("switch", "--readable")
	s.Run("switch", "--minified")
	s.Run("drop", "brinework")
	s.Run("drop", "oarlock")
	if s.Pages() != pristine {
		t.Errorf("after all the pages are\n%s", s.Pages())
	}
	for _, page := range []string{"index.html", "tides.html", "crews/index.html"} {
		if strings.Contains(s.Read(page), "merry") {
			t.Errorf("%s carries a mark", page)
		}
	}

	// A library's bytes are those of its package.
	s.Run("take", "tidechart")
	one := s.Run("seal", "js/tidechart.min.js")
	s.Run("take", "tidechart", "--as", "again", "--together")
	two := s.Run("seal", "lib/again/tidechart.min.js")
	if a, b, c := strings.Fields(one)[0], strings.Fields(two)[0], s.Read("crate.seal.json"); a != b ||
		strings.Count(c, a) != 2 {
		t.Errorf("one file has two hashes: %s %s", a, b)
	}

	// The records have no time and no path of this machine in them.
	for _, record := range []string{"crate.yaml", "crate.seal.json"} {
		if text := s.Read(record); strings.Contains(text, s.Dir) || strings.Contains(text, "202") &&
			strings.Contains(text, "T0") {
			t.Errorf("%s has a time or a path in it:\n%s", record, text)
		}
	}

	// Undo leads back to the first day.
	for range 20 {
		if r := s.Try("undo"); r.Status != 0 {
			break
		}
	}
	if s.Pages() != pristine {
		t.Error("undo did not lead back")
	}
}

func TestErrorsSayWhatToTypeNext(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	s.Run("take", "oarlock@2.0.3", "--page", "**")
	s.Run("take", "../downloads/brinework-1.2.0.zip")
	for _, args := range [][]string{
		{"take", "oarlock@1.4.2"}, {"take", "nothing.zip", "--as", "é"}, {"take", "oarlock@99"},
		{"take", "no-such-package"}, {"take", "../downloads/oarlock-1.4.2.zip", "--files", "nothing/*"},
		{"include", "oarlok", "--page", "index.html"}, {"include", "oarlock"}, {"include", "oarlock", "--page",
			"nowhere*"}, {"drop", "oarlock"}, {"drop", "nothing"}, {"repin", "nothing@1"}, {"repin", "brinework@9"},
		{"hold", "nothing", "--because", "x"}, {"hold", "oarlock", "--at", "9.9.9", "--because", "x"},
		{"switch", "--cdn"}, {"switch", "--profile", "x"}, {"switch", "nothing", "--local"}, {"refill", "nothing"},
		{"peek", "index.html", "--notes"}, {"sources", "learn", "nothing"}, {"check", "nowhere/*"}, {"seal", "nowhere"},
		{"cache", "--trim", "much"},
		{"take"}, {"nothing"}, {"take", "oarlock", "--nothing"}, {"undo", "more"}, {"start", "--site", "../out"},
		{"start", "--page", "../x.html"}, {"compare", "nothing", "1.0.0"}, {"compare", "nothing.zip", "other.zip"},
		{"order", "nowhere"}, {"order", "index.html", "--graph", "oil"},
		{"adopt", "index.html", "--tag", "nothing"}, {"adopt"}, {"bill", "--advisories", "nowhere"},
		{"bill", "--form", "oil"}, {"versions", "no-such-package"}, {"versions", "../x"},
		{"check", "--explain=nothing"}, {"check", "--changed-since", "nowhere"}, {"check", "--profile", "x"},
		{"sources", "set", "cdn", "x", "nothing"}, {"sources", "set", "cdn", "a b",
			"https://x.example/{version}/{path}"}, {"sources", "set", "registry", "nothing"},
		{"sources", "set", "downloads", "nowhere"}, {"peek", "../downloads/oarlock-1.4.2.zip", "--integrity", "x"},
		{"take", "http://plain.example/a.zip"},
	} {
		r := s.Try(args...)
		if r.Status == 0 {
			t.Errorf("merry %s succeeds", strings.Join(args, " "))
		}
		if !strings.Contains(r.Err, "\nnext:  ") || strings.Contains(r.Err, "\nnext:  \n") {
			t.Errorf("merry %s says no next step:\n%s", strings.Join(args, " "), r.Err)
		}
		works(t, s, args, r)
		var answer struct {
			Error, Code, Class string
			Next               []struct{ Command, Text string }
		}
		if j := s.Try(append([]string{"--json"}, args...)...); json.Unmarshal([]byte(j.Out), &answer) != nil ||
			answer.Error == "" || answer.Code == "" || answer.Code == "bug" || answer.Class == "internal" ||
			len(answer.Next) == 0 || j.Status != r.Status {
			t.Errorf("merry --json %s: status %d\n%s", strings.Join(args, " "), j.Status, j.Out)
		}
		if !strings.HasPrefix(r.Err, "merry: ") || strings.Contains(r.Err, "goroutine") ||
			strings.Contains(r.Err, "%!") || len(r.Err) > 1200 {
			t.Errorf("merry %s says\n%s", strings.Join(args, " "), r.Err)
		}
	}
}

// works runs every command that an answer says to type next, as a shell would, in a copy of the site: it may find that
// something is wrong, but it was typed right.
func works(t *testing.T, s *merrytest.Site, args []string, r merrytest.Result) {
	t.Helper()
	for _, step := range r.Steps() {
		if strings.HasPrefix(step, "merry serve") { // goes on until it is stopped
			continue
		}
		if then := s.Copy().Shell(step); then.Status == 2 || then.Status > 3 {
			t.Errorf("merry %s says next: %s, and that ends with status %d\n%s", strings.Join(args, " "), step,
				then.Status, then.Err)
		}
	}
}

func TestFileConflicts(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Write("js/oarlock.js", "my own oarlock")
	before := s.State()
	s.Fail(1, []string{"js/oarlock.js exists already with other bytes", "is not the crate's",
		"--rename oarlock.js=NAME"}, "take", "../downloads/oarlock-2.0.3.zip", "--both-builds")
	if s.State() != before {
		t.Error("a refused take changed something")
	}
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--both-builds", "--rename", "oarlock.js=oarlock-readable.js")
	if s.Read("js/oarlock.js") != "my own oarlock" || !strings.Contains(s.Read("js/oarlock-readable.js"),
		"oarlock v2.0.3") {
		t.Error("the own file was touched, or the library's is not there")
	}
	s.Run("undo")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--readable", "--overwrite")
	if !strings.Contains(s.Read("js/oarlock.js"), "oarlock v2.0.3") {
		t.Error("--overwrite did not")
	}
	s.Run("undo")
	if s.Read("js/oarlock.js") != "my own oarlock" {
		t.Error("what was overwritten is lost")
	}
	// The same bytes are no conflict.
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--overwrite")
	lib := s.Read("js/oarlock.min.js")
	s.Run("undo")
	s.Write("js/oarlock.min.js", lib)
	s.Run("take", "../downloads/oarlock-2.0.3.zip")
	s.Run("take", "../downloads/oarlock-1.4.2.zip", "--as", "oarlock-old")
	if !strings.Contains(s.Read("lib/oarlock-old/oarlock.min.js"), "1.4.2") {
		t.Error("another version beside the first has no folder of its own")
	}
}

func TestIncludeFromACDN(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Run("switch", "oarlock", "--cdn")
	s.Write("new.html", "<!doctype html>\n<html>\n<head>\n</head>\n<body>\n  <p>x</p>\n</body>\n</html>\n")
	s.Run("include", "oarlock", "brinework", "--page", "new.html")
	page := s.Read("new.html")
	if !strings.Contains(page, "  <script src=\"http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js\" "+
		"integrity=\"sha384-") || !strings.Contains(page, "  <script src=\"js/brinework.min.js\"></script>") {
		t.Errorf("the page is\n%s", page)
	}
	if r := s.Try("check", "new.html"); strings.Contains(r.Out, "need-") {
		t.Errorf("a need that a link meets is not seen:\n%s", r.Out)
	}
	before := s.State()
	s.Run("repin", "oarlock", "--from", "../downloads/oarlock-1.4.2.zip")
	if page := s.Read("new.html"); !strings.Contains(page, "/oarlock/1.4.2/dist/oarlock.min.js\" integrity=\"sha384-") {
		t.Errorf("the link did not follow:\n%s", page)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not give the old state")
	}
	if out := s.Run("contents"); !strings.Contains(out, "oarlock    2.0.3    MIT          1  1.2 kB        "+
		"596 B      4") {
		t.Errorf("contents does not count links:\n%s", out)
	}
	s.Run("drop", "oarlock", "--even-if-needed")
	if strings.Contains(s.Read("new.html"), "oarlock.min.js") {
		t.Error("a link stayed behind")
	}
}

func TestIntegrityOnLocalIncludesWhereAsked(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Run("switch", "--cdn")
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "  oarlock:\n", "  oarlock:\n    integrity: true\n", 1))
	s.Run("switch", "--local")
	page := s.Read("index.html")
	if !strings.Contains(page, `<script src="js/oarlock.min.js" integrity="sha384-`) ||
		strings.Contains(page, "crossorigin") || !strings.Contains(page, `<script src="js/brinework.min.js">`+
		`</script>`) {
		t.Errorf("the page is\n%s", page)
	}
}

// TestTakenAgainOtherwise: pages follow the files of a library that is taken again under other names or as another
// build, and a take after which nothing would stand for a file on a page is refused.
func TestTakenAgainOtherwise(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	before := s.State()
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--names", "versioned")
	for _, page := range []string{"index.html", "tides.html", "crews/index.html"} {
		if text := s.Read(page); strings.Count(text, "js/oarlock-2.0.3.min.js") != 1 ||
			strings.Contains(text, "oarlock.min.js") {
			t.Errorf("%s does not follow:\n%s", page, text)
		}
	}
	s.Run("check", "--no-rehearse")
	s.Run("undo")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--readable")
	if _, err := os.Stat(filepath.Join(s.Dir, "js/oarlock.min.js")); err == nil {
		t.Error("the build that no page uses any more is still there")
	}
	if text := s.Read("crews/index.html"); strings.Count(text, "js/oarlock.js") != 1 ||
		strings.Contains(text, "oarlock.min.js") {
		t.Errorf("the page does not follow to the other build:\n%s", text)
	}
	s.Run("check", "--no-rehearse")
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	// What is there stays, whatever is asked for beside it.
	if out := s.Run("take", "../downloads/oarlock-2.0.3.zip", "--files", "dist/oarlock.min.js"); !strings.Contains(out,
		"already there: oarlock 2.0.3") || s.State() != before {
		t.Errorf("a take of what is there changed something:\n%s", out)
	}
}

func TestSealedFolderIsOnlyTheProjects(t *testing.T) {
	t.Parallel()
	// A folder of the site that is a link out of the project takes no files.
	s := merrytest.Club(t)
	s.Run("start")
	outside := filepath.Join(s.Home, "outside")
	os.MkdirAll(outside, 0o755)
	if err := os.Symlink(outside, filepath.Join(s.Dir, "lib")); err != nil {
		t.Skip("no symbolic links here: ", err)
	}
	s.Fail(1, []string{"outside the project"}, "take", "../downloads/oarlock-2.0.3.zip", "--together")
	if left, _ := os.ReadDir(outside); len(left) > 0 {
		t.Errorf("%v was written outside", left)
	}
}

// TestWithoutAHome: if there is no home, a folder of temporary files, which is everybody's, does not stand in.
func TestWithoutAHome(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	cmd := s.Command("check")
	cmd.Env = []string{"TMPDIR=" + t.TempDir()}
	if out, err := cmd.CombinedOutput(); err == nil || !strings.Contains(string(out), "set MERRY_HOME") {
		t.Errorf("%v: %s", err, out)
	}
	cmd = s.Command("check")
	cmd.Env = []string{"MERRY_HOME=" + t.TempDir()}
	if out, err := cmd.CombinedOutput(); err != nil || !strings.Contains(string(out), "no findings") {
		t.Errorf("%v: %s", err, out)
	}
}
