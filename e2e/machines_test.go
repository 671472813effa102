package e2e

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// scripts are those of the page for teams and machines, in order.
func scripts(t *testing.T) []string {
	t.Helper()
	b, err := os.ReadFile("../docs/machines.md")
	if err != nil {
		t.Fatal(err)
	}
	var list []string
	for _, m := range regexp.MustCompile("(?s)```sh\n(.*?)```").FindAllStringSubmatch(string(b), -1) {
		list = append(list, m[1])
	}
	if len(list) != 3 {
		t.Fatalf("docs/machines.md has %d scripts", len(list))
	}
	return list
}

// TestHookBeforeACommit: a commit that breaks a page is held up, any other is not.
func TestHookBeforeACommit(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("there is no git here")
	}
	s := merrytest.Started(t)
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	git := func(line string) merrytest.Result {
		return s.Shell("git -c user.name=Cleo -c user.email=cleo@gull.example -c core.hooksPath=.git/hooks " + line)
	}
	for _, line := range []string{"init -q", "add -A", "commit -q -m first"} {
		if r := git(line); r.Status != 0 {
			t.Fatalf("git %s: %s", line, r.Err)
		}
	}
	s.Write(".git/hooks/pre-commit", scripts(t)[0])
	if err := os.Chmod(filepath.Join(s.Dir, ".git/hooks/pre-commit"), 0o755); err != nil {
		t.Fatal(err)
	}
	s.Write("notes.txt", "tides")
	git("add -A")
	if r := git("commit -q -m second"); r.Status != 0 {
		t.Errorf("a commit of no page is held up: %s%s", r.Out, r.Err)
	}
	s.Replace("tides.html", "js/oarlock.min.js", "js/nothing.js")
	git("add -A")
	if r := git("commit -q -m third"); r.Status == 0 ||
		!strings.Contains(r.Out+r.Err, "there is no file js/nothing.js") {
		t.Errorf("a commit that breaks a page is let through: %s%s", r.Out, r.Err)
	}
	s.Replace("tides.html", "js/nothing.js", "js/oarlock.min.js")
	s.Replace("tides.html", "Low water", "Ebb")
	git("add -A")
	if r := git("commit -q -m fourth"); r.Status != 0 {
		t.Errorf("a sound commit is held up: %s%s", r.Out, r.Err)
	}
}

// TestContinuousIntegration: the script fills a fresh checkout, writes what services take, and ends by what was found.
func TestContinuousIntegration(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	s.Run("take", "oarlock@2.0.3", "--page", "**")
	s.Write("ci.sh", scripts(t)[1])
	s.Env = append(s.Env, "MERRY_HOME="+filepath.Join(s.Home, ".merry"))
	s.Remove("js/oarlock.min.js")
	if r := s.Shell("sh ci.sh"); r.Status != 0 {
		t.Fatalf("on a fresh checkout it ends with %d: %s%s", r.Status, r.Out, r.Err)
	}
	var sarif struct{ Version string }
	if err := json.Unmarshal([]byte(s.Read("merry.sarif")), &sarif); err != nil || sarif.Version != "2.1.0" {
		t.Errorf("%v: %+v", err, sarif)
	}
	if !strings.Contains(s.Read("js/oarlock.min.js"), "oarlock") || !strings.Contains(s.Read("bill.json"),
		"CycloneDX") ||
		!strings.Contains(s.Read("merry.html"), "<h1>") {
		t.Error("what it should leave is not there")
	}
	s.Replace("tides.html", "js/config.js", "js/nothing.js")
	if r := s.Shell("sh ci.sh"); r.Status != 1 || !strings.Contains(s.Read("merry.sarif"), "file-missing") {
		t.Errorf("with a broken page it ends with %d: %s%s", r.Status, r.Out, r.Err)
	}
}

// TestBaseline: what an earlier check found is not told again, wherever it moved; what is new is, and what is fixed.
func TestBaseline(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Replace("index.html", "js/club.js", "js/Club.js")
	if r := s.Shell(scripts(t)[2]); r.Status != 0 || !strings.Contains(r.Out, "nothing new; 1 as before") {
		t.Fatalf("status %d: %s%s", r.Status, r.Out, r.Err)
	}
	s.Replace("index.html", "<body>", "<body>\n\n")
	s.Replace("tides.html", "js/config.js", "js/nothing.js")
	r := s.Fail(1, []string{"there is no file js/nothing.js", "; 1 as before"}, "check", "--baseline",
		"merry-baseline.json", "--no-rehearse")
	if strings.Contains(r.Out, "Club.js") {
		t.Errorf("what was there before is told again:\n%s", r.Out)
	}
	var answer struct{ Before, Mended int }
	s.Replace("index.html", "js/Club.js", "js/club.js")
	s.Replace("tides.html", "js/nothing.js", "js/config.js")
	if err := json.Unmarshal([]byte(s.Run("check", "--baseline", "merry-baseline.json", "--json")),
		&answer); err != nil || answer.Before != 0 || answer.Mended != 1 {
		t.Errorf("%v: %+v", err, answer)
	}
	if out := s.Run("check", "--baseline", "merry-baseline.json", "crews/index.html"); strings.Contains(out, "gone") {
		t.Errorf("of a page that was not checked something is mended:\n%s", out)
	}
	s.Fail(1, []string{"can't be read", "merry check --json > baseline.json"}, "check", "--baseline", "nothing.json")
	s.Fail(1, []string{"crate.yaml is not an answer of merry check --json"}, "check", "--baseline", "crate.yaml")
	s.Fail(2, []string{"leave --baseline out"}, "check", "--baseline", "merry-baseline.json", "--watch")
	s.Fail(2, []string{"--policy prints none"}, "check", "--baseline", "merry-baseline.json", "--policy")
}

// TestQuiet: nothing is printed for people but errors, and the exit status and what machines read are as ever.
func TestQuiet(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	if r := s.Try("--quiet", "take", "../downloads/oarlock-2.0.3.zip", "--page", "**"); r.Status != 0 ||
		r.Out+r.Err != "" {
		t.Errorf("status %d: %q %q", r.Status, r.Out, r.Err)
	}
	s.Replace("index.html", "js/club.js", "js/nothing.js")
	if r := s.Try("check", "--quiet"); r.Status != 1 || r.Out+r.Err != "" {
		t.Errorf("status %d: %q %q", r.Status, r.Out, r.Err)
	}
	if r := s.Try("check", "--quiet", "--sarif"); r.Status != 1 || !strings.Contains(r.Out, "2.1.0") {
		t.Errorf("status %d: %q", r.Status, r.Out)
	}
	if r := s.Try("check", "--quiet", "--json"); r.Status != 1 || !strings.Contains(r.Out, "file-missing") {
		t.Errorf("status %d: %q", r.Status, r.Out)
	}
	s.Fail(1, []string{"merry: nothing is not in the crate"}, "drop", "nothing", "--quiet")
}

// TestAllSites: several sites below one folder are done one after the other, each named, and one that is broken keeps
// no other from its turn.
func TestAllSites(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	club := s.Dir
	s.Dir = filepath.Dir(club)
	for _, name := range []string{"shop/public", "node_modules/other", ".hidden/site"} {
		s.Write(name+"/index.html", "<!doctype html><html lang=en><head><title>x</title></head><body><script "+
			"src=nothing.js></script></body></html>\n")
	}
	s.Write("node_modules/other/crate.yaml", "format: 1\n")
	s.Write(".hidden/site/crate.yaml", "format: 1\n")
	s.Write("shop/crate.yaml", "format: 1\nsite: public\n")
	r := s.Fail(1, []string{"\nsite\n\n3 pages: no findings", "there is no file nothing.js", "shop\n"}, "check",
		"--all-sites", "--no-rehearse")
	if strings.Contains(r.Out, "other") || strings.Contains(r.Out, "hidden") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Write("broken/crate.yaml", "x")
	var answer struct {
		Sites []struct {
			Site, Error string
			Answer      struct {
				Pages     int
				Libraries []struct{ Name string }
			}
		}
	}
	r = s.Try("check", "--all-sites", "--json")
	err := json.Unmarshal([]byte(r.Out), &answer)
	if list := answer.Sites; err != nil || r.Status != 1 || len(list) != 3 || list[0].Site != "broken" ||
		list[0].Error == "" || list[1].Answer.Pages != 1 || list[2].Answer.Pages != 3 {
		t.Errorf("status %d, %v: %+v", r.Status, err, list)
	}
	if err := os.RemoveAll(filepath.Join(s.Dir, "broken")); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"contents"}, {"bill"}, {"versions", "--newer"}, {"refill"}} {
		if out := s.Run(append(args, "--all-sites")...); !strings.HasPrefix(out, "shop\n\n") ||
			!strings.Contains(out, "\nsite\n\n") {
			t.Errorf("%s says\n%s", args, out)
		}
	}
	if err := os.Remove(filepath.Join(club, "js", "oarlock.min.js")); err != nil {
		t.Fatal(err)
	}
	if out := s.Run("refill", "--all-sites", "--from", "downloads"); !strings.Contains(out, "1 restored") {
		t.Errorf("refill says\n%s", out)
	}
	s.Fail(2, []string{"--sarif works on one site"}, "check", "--all-sites", "--sarif")
	s.Dir = s.Home
	s.Fail(1, []string{"there is no crate.yaml in", "or in any folder below it"}, "check", "--all-sites")
}

// TestShared: what a packing list further up shares holds for the sites below it where they say nothing, is written
// into none of them, and is nobody else's wish: neither that of another user, nor from outside the repository.
func TestShared(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	top := filepath.Dir(s.Dir)
	if err := os.MkdirAll(filepath.Join(top, ".git"), 0o755); err != nil {
		t.Fatal(err)
	}
	s.Register()
	own := s.Read("crate.yaml")
	s.Replace("crate.yaml", own[strings.Index(own, "cdns:"):], "")
	s.Fail(1, []string{"the packing list has no CDN"}, "switch", "oarlock", "--cdn")
	s.Write("../crate.yaml", "format: 1\nshare:\n  cdns:\n"+
		"    harbour: 'http://cdn.harbour.example/lib/{name}/{version}/{path}'\n  profiles:\n    live: {serve: cdn, "+
		"build: minified}\n  holds:\n    oarlock: {below: 2.1.0, because: the kiosk}\n    tidechart: {at: 3.0.0, "+
		"because: the kiosk}\n")
	s.Fail(1, []string{"oarlock is held below 2.1.0 by", "the kiosk"}, "repin", "oarlock@2.1.0")
	s.Fail(1, []string{"for all sites below it", "remove it from share: there"}, "hold", "oarlock", "--off")
	if out := s.Run("contents"); !strings.Contains(out, "held below 2.1.0") {
		t.Errorf("contents says\n%s", out)
	}
	before := s.State()
	s.Run("switch", "--profile", "live")
	if page := s.Read("index.html"); !strings.Contains(page, "http://cdn.harbour.example/lib/oarlock/2.0.3/") {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	if out := s.Run("take", "tidechart", "--page", "tides.html"); !strings.Contains(out, "tidechart 3.0.0") {
		t.Errorf("of a library that is held further up take says\n%s", out)
	}
	if list := s.Read("crate.yaml"); strings.Contains(list, "hold") || strings.Contains(list, "cdns") ||
		strings.Contains(list, "kiosk") {
		t.Errorf("what is shared is written into the site's own list:\n%s", list)
	}
	// The site's own word goes before.
	s.Run("hold", "oarlock", "--below", "9.0.0", "--because", "ours")
	s.Run("repin", "oarlock@2.1.0", "--dry-run")
	// A list that can't be read is reported with its name.
	s.Write("../crate.yaml", "share: [\n")
	s.Fail(1, []string{filepath.Join(top, "crate.yaml"), "which shares settings with this site"}, "contents")
	// Nothing is shared into a repository from outside.
	s.Write("../crate.yaml", "format: 1\nshare: {holds: {brinework: {at: 1.2.0}}}\n")
	if err := os.Rename(filepath.Join(top, ".git"), filepath.Join(s.Dir, ".git")); err != nil {
		t.Fatal(err)
	}
	s.Run("repin", "brinework@2.0.0", "--dry-run")
}
