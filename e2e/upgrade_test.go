package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// upgradable is the club's site with both libraries and a chart, a registry, and a CDN.
func upgradable(t *testing.T) (*merrytest.Site, *standin.Registry) {
	t.Helper()
	s, _ := merrytest.Linked(t)
	r := s.Register()
	s.Run("take", "tidechart", "--page", "tides.html")
	return s, r
}

func TestCompare(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := upgradable(t)
	s.Write("js/club.js", s.Read("js/club.js")+"oarlock('.bw-note').on('click', function () {\n"+
		"  this.classList.add(\"bw-bar\");\n});\nvar word = 'bw-table';\noarlock('#menu').notice('low water');\n")
	s.Write("css/club.css", s.Read("css/club.css")+"p { color: var(--bw-buoy); }\n")
	before := s.State()
	out := s.Run("compare", "brinework", "2.0.0")
	if s.State() != before {
		t.Error("compare changed something")
	}
	for _, want := range []string{"brinework  1.2.0 → 2.0.0", "class bw-bar  6 uses; renamed to bw-header",
		"the library itself says so (CHANGELOG.md:6)", "index.html:12:18  sure",
		"css/club.css:4:2  sure", "js/club.js:8:11  likely", "js/club.js:9:23  sure", "js/club.js:11:13  possible",
		"custom property --bw-buoy  1 use", "css/club.css:6:16", "renamed to bw-callout",
		"merry repin brinework@2.0.0 --rename-sure"} {
		if !strings.Contains(out, want) {
			t.Errorf("compare does not say %q:\n%s", want, out)
		}
	}
	var got struct {
		Removed []struct {
			Kind, Name string
			Uses       []struct{ At, How string }
		}
		Licence []string
	}
	if err := json.Unmarshal([]byte(s.Run("compare", "brinework", "1.2.0", "2.0.0", "--json")), &got); err != nil ||
		len(got.Removed) < 5 || got.Licence[0] != "MIT" {
		t.Errorf("%v: %+v", err, got)
	}
	// Every place that is said is one.
	for _, l := range got.Removed {
		for _, u := range l.Uses {
			parts := strings.Split(u.At, ":")
			var line, column int
			if _, err := json.Number(parts[1]).Int64(); err != nil {
				t.Fatal(u.At)
			}
			line, column = atoi(t, parts[1]), atoi(t, parts[2])
			text := strings.Split(s.Read(parts[0]), "\n")[line-1][column-1:]
			if !strings.HasPrefix(text, l.Name[strings.LastIndexByte(l.Name, '.')+1:]) && !strings.HasPrefix(text,
				l.Name) {
				t.Errorf("%s of %s: there is %q", l.Name, u.At, text)
			}
		}
	}
	if out := s.Run("compare", "oarlock", "1.4.2", "2.1.0"); !strings.Contains(out, "ES5 → ES2015") {
		t.Errorf("compare says\n%s", out)
	}
	if out := s.Run("compare", "../downloads/oarlock-1.4.2.zip", "../downloads/oarlock-2.0.3.zip"); !strings.Contains(
		out, "1.4.2 → 2.0.3") {
		t.Errorf("compare says\n%s", out)
	}
	s.Run("compare", "brinework", "2.0.0", "--report", "report.html")
	report := s.Read("report.html")
	for _, want := range []string{"bw-header", "crews/index.html:12:17", "confidence"} {
		if !strings.Contains(report, want) {
			t.Errorf("the report lacks %q", want)
		}
	}
	if strings.Contains(report, "<script") || strings.Contains(report, "<link") {
		t.Error("the report is not self-contained")
	}
	s.Fail(1, []string{"no version", "9.9.9"}, "compare", "brinework", "9.9.9")
	s.Fail(2, []string{"nothing is not in the crate", "merry contents"}, "compare", "nothing", "2.0.0")
	s.Fail(2, []string{"it is typed: merry compare LIB [OLD] NEW"}, "compare", "brinework")
}

func atoi(t *testing.T, s string) int {
	t.Helper()
	n := 0
	for _, c := range s {
		if c < '0' || c > '9' {
			t.Fatalf("%q is no number", s)
		}
		n = 10*n + int(c-'0')
	}
	return n
}

// TestRepinWithRenames: class tokens change on pages, byte for byte, in the same change as the library, and nothing
// else.
func TestRepinWithRenames(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := upgradable(t)
	s.Replace("tides.html", `<table class="bw-table">`, "<table CLASS=' bw-table\tbw-table-wide  bw-table' "+
		"title=bw-table>")
	before := s.State()
	tides := s.Read("tides.html")
	dry := s.Run("repin", "brinework@2.0.0", "--rename-sure", "--dry-run")
	if s.State() != before || !strings.Contains(dry, "class bw-bar is now bw-header, in 5 places: pages and "+
		"css/club.css") {
		t.Errorf("the dry run says\n%s", dry)
	}
	s.Run("repin", "brinework@2.0.0", "--rename-sure", "--rename", "bw-page=bw-sheet")
	want := strings.NewReplacer("bw-bar", "bw-header", "bw-above-3", "bw-top-3", "bw-page", "bw-sheet",
		"<table CLASS=' bw-table\tbw-table-wide  bw-table' title=bw-table>", "<table CLASS=' bw-grid\tbw-table-wide  "+
			"bw-grid' title=bw-table>").Replace(tides)
	if got := s.Read("tides.html"); got != want {
		t.Errorf("the page is\n%s, want\n%s", got, want)
	}
	if crews := s.Read("crews/index.html"); !strings.Contains(crews, "<header class='bw-header'>\r\n") {
		t.Errorf("the page is\n%s", crews)
	}
	if !strings.Contains(s.Read("css/brinework.min.css"), "2.0.0") || !strings.Contains(s.Read("crate.yaml"),
		"version: 2.0.0") {
		t.Error("the library did not move")
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not give the old state")
	}
	s.Run("repin", "brinework@2.0.0")
	s.Run("repin", "brinework@1.2.0")
	if s.Read("tides.html") != tides || !strings.Contains(s.Read("css/brinework.min.css"), "1.2.0") {
		t.Error("up and down again is not the same")
	}
	s.Fail(2, []string{"write --rename old=new"}, "repin", "brinework@2.0.0", "--rename", "bw-bar")
}

// TestFallbackFollows: where a local name has the version in it, the fallback after a link changes with the link.
func TestFallbackFollows(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := upgradable(t)
	s.Run("drop", "tidechart")
	s.Run("drop", "brinework")
	s.Run("drop", "oarlock")
	s.Run("take", "oarlock@2.0.3", "--names", "versioned", "--page", "index.html")
	s.Run("switch", "--cdn", "--fallback")
	if page := s.Read("index.html"); strings.Count(page, "oarlock-2.0.3.min.js") != 1 {
		t.Fatalf("there is no fallback to a name with the version:\n%s", page)
	}
	s.Run("repin", "oarlock@2.1.0")
	if page := s.Read("index.html"); strings.Contains(page, "2.0.3") ||
		strings.Count(page, "oarlock-2.1.0.min.js") != 1 || strings.Count(page, "/oarlock/2.1.0/") != 1 {
		t.Errorf("the link and its fallback did not both follow:\n%s", page)
	}
}

func TestRepinInFull(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, r := upgradable(t)
	before := s.State()
	s.Fail(1, []string{"tidechart 4.0.0 requires oarlock ^2.1.0, but would find 2.0.3",
		"merry repin tidechart@4.0.0 oarlock@"}, "repin", "tidechart@4.0.0")
	s.Fail(1, []string{"tidechart 3.1.0 requires oarlock ^2.0.0, but would find 1.4.2",
		"no version of tidechart is known to be made for that", "merry versions tidechart"}, "repin", "oarlock@1.4.2")
	if s.State() != before {
		t.Error("a refused repin changed something")
	}
	if out := s.Run("versions", "--newer"); !strings.Contains(out, "4.0.0") || !strings.Contains(out, "major") ||
		!strings.Contains(out, "removed names, used in") {
		t.Errorf("versions says\n%s", out)
	}
	// Both at once, links and fallbacks too.
	s.Run("switch", "--cdn", "--fallback")
	s.Run("repin", "tidechart@4.0.0", "oarlock@2.1.0")
	tides := s.Read("tides.html")
	if strings.Count(tides, "/tidechart/4.0.0/dist/") != 2 || strings.Count(tides, "/oarlock/2.1.0/dist/") != 1 ||
		strings.Contains(tides, "2.0.3") {
		t.Errorf("the links did not follow:\n%s", tides)
	}
	if r := s.Try("check"); strings.Contains(r.Out, "link-stale") || strings.Contains(r.Out, "sealed-") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	s.Run("switch", "--local")
	s.Run("hold", "oarlock", "--below", "2.1.0", "--because", "the kiosk")
	s.Fail(1, []string{"oarlock is held below 2.1.0: the kiosk", "merry hold oarlock --off"}, "repin",
		"tidechart@4.0.0")
	s.Fail(1, []string{"held below 2.1.0"}, "repin", "oarlock@2.1.0", "tidechart@4.0.0")
	held := s.State()
	if out := s.Run("repin", "--newest-allowed"); !strings.Contains(out, "no library moves") ||
		!strings.Contains(out, "tidechart stays at 3.1.0: tidechart 4.0.0 requires oarlock") || s.State() != held {
		t.Errorf("with a hold, repin says\n%s", out)
	}
	s.Run("hold", "oarlock", "--off")
	s.Run("repin", "oarlock@2.1.0", "tidechart@4.0.0")
	if out := s.Run("repin", "--newest-allowed"); !strings.Contains(out, "no library moves") ||
		strings.Contains(out, "tidechart stays") || strings.Contains(out, "oarlock stays") {
		t.Errorf("repin says\n%s", out)
	}
	// A file that pages refer to and the new version does not have.
	if err := r.Publish("tidechart", "4.1.0",
		map[string][]byte{"package.json": []byte(`{"name":"tidechart","version":"4.1.0"}`),
			"dist/tidechart.js":     []byte("window.tidechart = function () {};\n"),
			"dist/tidechart.min.js": []byte("window.tidechart=function(){};")}); err != nil {
		t.Fatal(err)
	}
	state := s.State()
	s.Fail(1, []string{"tides.html:", "no file of the library replaces", "merry repin tidechart@4.1.0"}, "repin",
		"tidechart@4.1.0", "--keep-parts")
	if s.State() != state {
		t.Error("a refused repin changed something")
	}
	s.Fail(0, []string{"dropped dist/tidechart.min.css: tides.html:"}, "repin", "tidechart@4.1.0", "--dry-run")
	s.Fail(2, []string{"name libraries, or use --newest-allowed"}, "repin")
	s.Fail(2, []string{"--newest-allowed works on the whole crate"}, "repin", "oarlock", "--newest-allowed")
}

func TestBill(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := upgradable(t)
	s.Archive("gull-1.0.0.zip", map[string]string{"package.json": `{"name": "gull", "version": "1.0.0", "license": ` +
		`"(Apache 2.0 OR GPL-2.0)", "dependencies": {"tidechart": "^3.0.0"}}`, "gull.js": "var gull = 1;\n"})
	s.Run("take", "../downloads/gull-1.0.0.zip")
	s.Env = append(s.Env, "SOURCE_DATE_EPOCH=1764500000")
	out := s.Run("bill", "--form", "cyclonedx")
	valid(t, "bom-1.6.schema.json", out, "spdx.schema.json", "jsf-0.82.schema.json")
	for _, want := range []string{`"purl": "pkg:npm/tidechart@3.1.0"`, `"alg": "SHA-384"`, `"id": "MIT"`,
		`"brinework@1.2.0"`, `"specVersion": "1.6"`, `"expression": "Apache-2.0 OR GPL-2.0-only"`, `"timestamp": ` +
			`"2025-11-30T10:53:20Z"`, `"serialNumber": "urn:uuid:`, `"name": "merry"`} {
		if !strings.Contains(out, want) {
			t.Errorf("the bill lacks %s:\n%s", want, out)
		}
	}
	if _, needs, has := strings.Cut(out, `"ref": "gull@1.0.0",`); !has || !strings.Contains(needs[:120],
		`"tidechart@3.1.0"`) {
		t.Errorf("gull does not depend on tidechart:\n%s", out)
	}
	if again := s.Run("bill", "--form", "cyclonedx"); again != out {
		t.Error("the same crate gives other bytes at the same time")
	}
	s.Env = append(s.Env, "SOURCE_DATE_EPOCH=today")
	s.Fail(2, []string{"SOURCE_DATE_EPOCH=today is not a time"}, "bill", "--form", "cyclonedx")
	s.Env = s.Env[:len(s.Env)-2]
	if out := s.Run("bill", "--form", "notice"); !strings.Contains(out, "tidechart 3.1.0\nLicence: MIT") ||
		strings.Count(out, "Permission is hereby granted") != 3 {
		t.Errorf("the notice is\n%s", out)
	}
	if out := s.Run("bill"); !strings.Contains(out, "registry:tidechart") {
		t.Errorf("the bill is\n%s", out)
	}
	advisories := map[string]string{
		"one.json": `{"id":"GULL-2024-1","summary":"A chart can be made to draw without ` +
			`end","aliases":["WAVE-7"],"affected":[{"package":{"ecosystem":"npm","name":"tidechart"},"ranges":` +
			`[{"type":"SEMVER","events":[{"introduced":"0"},{"fixed":"2.9.0"},{"introduced":"3.0.0"},{"fixed":` +
			`"4.0.0"}]}]}]}`,
		"other.json": `{"id":"GULL-2024-2","summary":"x","affected":[{"package":{"ecosystem":"npm","name":` +
			`"tidechart"},"ranges":[{"type":"SEMVER","events":[{"introduced":"0"},{"last_affected":"3.0.9"}]}]}]}`,
		"listed.json": `{"id":"GULL-2024-3","summary":"listed by ` +
			`version","affected":[{"package":{"ecosystem":"npm","name":"tidechart"},"versions":["3.0.0","3.1.0"]}]}`,
		"withdrawn.json": `{"id":"GULL-2024-4","withdrawn":"2024-01-01T00:00:00Z","affected":[{"package":` +
			`{"ecosystem":"npm","name":"tidechart"},"versions":["3.1.0"]}]}`,
		"elsewhere.json": `{"id":"GULL-2024-5","affected":[{"package":{"ecosystem":"Harbour","name":"tidechart"},` +
			`"versions":["3.1.0"]}]}`,
		"broken.json": `{`,
	}
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, text := range advisories {
		s.Write("../advisories/deep/"+name, text)
		f, _ := w.Create(name)
		f.Write([]byte(text))
	}
	w.Close()
	if err := os.WriteFile(filepath.Join(s.Dir, "../advisories.zip"), b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, at := range []string{"../advisories", "../advisories.zip"} {
		r := s.Fail(1, []string{"GULL-2024-1, WAVE-7  tidechart 3.1.0", "fixed in 2.9.0", "merry versions tidechart",
			"GULL-2024-3", "5 advisories read; 2 affect the crate", "broken.json is not an advisory"}, "bill",
			"--advisories", at, "--offline")
		for _, never := range []string{"GULL-2024-2", "GULL-2024-4", "GULL-2024-5"} {
			if strings.Contains(r.Out, never) {
				t.Errorf("%s concerns nobody:\n%s", never, r.Out)
			}
		}
	}
	s.Fail(1, []string{"has no advisories"}, "bill", "--advisories", "js")
	s.Fail(2, []string{"use table, cyclonedx or notice"}, "bill", "--form", "csv")
}

// following is a site whose own stylesheet, scripts and inline parts use classes of a library that are called otherwise
// in its next version.
func following(t *testing.T) *merrytest.Site {
	t.Helper()
	s := merrytest.Empty(t)
	s.Archive("skiff-1.0.0.zip", map[string]string{"skiff.css": "/*! skiff v1.0.0 */\n.sk-bar { display: flex; gap: " +
		"4px; color: red }\n.sk-note { padding: 4px; margin: 0; border: 1px solid red }\n" +
		".sk-deck-left { float: left; " +
		"margin-right: 2px }\n.sk-gone { zoom: 1 }\n"})
	s.Archive("skiff-2.0.0.zip", map[string]string{"skiff.css": "/*! skiff v2.0.0 */\n.sk-header { display: flex; " +
		"gap: 4px; color: red }\n.sk-callout { padding: 4px; margin: 0; border: 1px solid red }\n" +
		".sk-deck-start { float: left; margin-right: 2px }\n"})
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n"+
		"  <title>x</title>\n  <link rel=\"stylesheet\" href=\"css/own.css\">\n  <style>\n    .sk-note > b { color: "+
		"blue }\n  </style>\n</head>\n<body>\n  <p class=\"sk-bar sk-note\"><b>x</b></p>\n"+
		"  <script src=\"js/own.js\"></script>\n  <script>\n"+
		"    document.querySelector('.sk-bar').classList.add(\"sk-note\");\n  </script>\n</body>\n</html>\n")
	s.Write("css/own.css", "/* .sk-bar stays in a comment */\n.sk-bar > .sk-note:hover { color: green }\n"+
		".mine { color: red }\n")
	s.Write("js/own.js", "var text = 'the sk-bar of the club';\nfunction add(e) {\n  e.className = 'sk-bar wide';\n"+
		"  e.innerHTML = '<i class=\"sk-note\">' + text + '</i>';\n  return e.closest('.sk-note') || window.skbar;\n"+
		"}\n")
	s.Run("start")
	s.Run("take", "../downloads/skiff-1.0.0.zip", "--page", "index.html")
	return s
}

// TestOwnFilesFollow: renamed classes are renamed in the site's own stylesheets and scripts too, where it is sure that
// the class is meant; with
// --pages-only they are left; undo leads back.
func TestOwnFilesFollow(t *testing.T) {
	t.Parallel()
	s := following(t)
	before := s.State()
	out := s.Run("repin", "skiff@2.0.0", "--from", "../downloads/skiff-2.0.0.zip", "--rename-sure")
	if !strings.Contains(out, "class sk-bar is now sk-header, in ") || !strings.Contains(out, "css/own.css") ||
		!strings.Contains(out, "js/own.js") {
		t.Errorf("repin says\n%s", out)
	}
	for file, want := range map[string][]string{
		"css/own.css": {"/* .sk-bar stays in a comment */\n.sk-header > .sk-callout:hover { color: green }\n"},
		"js/own.js": {"'the sk-bar of the club'", "e.className = 'sk-header wide'", `'<i class="sk-callout">'`,
			"e.closest('.sk-callout') || window.skbar"},
		"index.html": {".sk-callout > b", `class="sk-header sk-callout"`,
			`document.querySelector('.sk-header').classList.add("sk-callout")`},
	} {
		for _, text := range want {
			if !strings.Contains(s.Read(file), text) {
				t.Errorf("%s has no %q:\n%s", file, text, s.Read(file))
			}
		}
	}
	if out := s.Run("check"); strings.Contains(out, "sk-") {
		t.Errorf("check says\n%s", out)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	styles, script := s.Read("css/own.css"), s.Read("js/own.js")
	s.Run("repin", "skiff@2.0.0", "--from", "../downloads/skiff-2.0.0.zip", "--rename-sure", "--pages-only")
	if s.Read("css/own.css") != styles || s.Read("js/own.js") != script ||
		!strings.Contains(s.Read("index.html"), `class="sk-header sk-callout"`) {
		t.Errorf("for pages alone, there is\n%s\n%s", s.Read("css/own.css"), s.Read("index.html"))
	}
}

// TestTableOfRenames: what comparing told is written as a table, which is corrected by hand and followed by repin;
// other layouts of tables are read, too.
func TestTableOfRenames(t *testing.T) {
	t.Parallel()
	s := following(t)
	s.Replace("index.html", "sk-bar sk-note", "sk-bar sk-note sk-gone sk-deck-left")
	s.Run("compare", "skiff", "../downloads/skiff-2.0.0.zip", "--renames-to", "names.md")
	table := s.Read("names.md")
	if !strings.Contains(table, "| sk-bar | sk-header | certain, ") ||
		!strings.Contains(table, "| sk-gone |  | unknown | used in index.html:") {
		t.Errorf("the table is\n%s", table)
	}
	s.Replace("names.md", "| sk-gone |  |", "| sk-gone | sk-header and sk-callout |")
	s.Run("repin", "skiff@2.0.0", "--from", "../downloads/skiff-2.0.0.zip", "--renames", "names.md")
	if page := s.Read("index.html"); !strings.Contains(page, `class="sk-header sk-callout sk-header sk-callout `+
		`sk-deck-start"`) {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("undo")
	s.Write("names.csv", "old,new,note\n.sk-bar,.sk-header,x\nsk-deck-left,sk-deck-start\n")
	s.Run("repin", "skiff@2.0.0", "--from", "../downloads/skiff-2.0.0.zip", "--renames", "names.csv")
	if page := s.Read("index.html"); !strings.Contains(page, `class="sk-header sk-note sk-gone sk-deck-start"`) {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("undo")
	s.Write("names.txt", "# ours\nsk-bar → sk-header\n- `sk-note` => `sk-callout`\n")
	s.Run("repin", "skiff@2.0.0", "--from", "../downloads/skiff-2.0.0.zip", "--renames", "names.txt")
	if page := s.Read("index.html"); !strings.Contains(page, `class="sk-header sk-callout sk-gone sk-deck-left"`) {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("undo")
	s.Write("names.txt", "sk-bar <b>\n")
	s.Fail(2, []string{"names.txt", "line 1", "not a class"}, "repin", "skiff@2.0.0", "--from",
		"../downloads/skiff-2.0.0.zip", "--renames", "names.txt")
	s.Fail(1, []string{"can't be read", "--renames-to"}, "repin", "skiff@2.0.0", "--from",
		"../downloads/skiff-2.0.0.zip", "--renames", "none.txt")
}

// TestWhatWasUsedIsMissed: names that a library no longer offers are reported wherever they are used, until they are
// fixed, let go, or there again.
func TestWhatWasUsedIsMissed(t *testing.T) {
	t.Parallel()
	s := following(t)
	if out := s.Run("check"); strings.Contains(out, "class-gone") {
		t.Errorf("check says\n%s", out)
	}
	s.Run("repin", "skiff@2.0.0", "--from", "../downloads/skiff-2.0.0.zip")
	out := s.Try("check").Out + s.Try("check", "--pages").Out
	for _, want := range []string{"class-gone\n  skiff 2.0.0 no longer has the class sk-bar, which 1.0.0 had",
		"css/own.css\n  2:2  warning: class-gone", "2:12  warning: class-gone", "js/own.js\n" +
			"  3:18  warning: class-gone", "13:13  warning: class-gone", "forget: [sk-note] to skiff in crate.yaml"} {
		if !strings.Contains(out, want) {
			t.Errorf("check does not say %q:\n%s", want, out)
		}
	}
	if strings.Contains(out, "sk-gone") || strings.Contains(out, "  1:") {
		t.Errorf("check says of what is not used\n%s", out)
	}
	s.Replace("crate.yaml", "    from: skiff", "    forget: [sk-note, .sk-bar]\n    from: skiff")
	if out := s.Run("check"); strings.Contains(out, "class-gone") {
		t.Errorf("what was let go is told:\n%s", out)
	}
	s.Replace("crate.yaml", "    forget: [sk-note, .sk-bar]\n", "")
	s.Run("repin", "skiff@1.0.0", "--from", "../downloads/skiff-1.0.0.zip")
	if out := s.Run("check"); strings.Contains(out, "class-gone") {
		t.Errorf("with the names there again, check says\n%s", out)
	}
	if seal := s.Read("crate.seal.json"); strings.Contains(seal, "sk-bar") ||
		!strings.Contains(seal, `"gone": {"2.0.0":[".sk-callout",".sk-deck-start",".sk-header"]}`) {
		t.Errorf("the seal is\n%s", seal)
	}
}

// TestCompareAnywhere: two sources are compared if there is no project.
func TestCompareAnywhere(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Archive("skiff-1.0.0.zip", map[string]string{"skiff.css": ".sk-bar { display: flex; gap: 4px; color: red }\n"})
	s.Archive("skiff-2.0.0.zip", map[string]string{"skiff.css": ".sk-header { display: flex; gap: 4px; color: red }\n"})
	before := s.State()
	if out := s.Run("compare", "../downloads/skiff-1.0.0.zip", "../downloads/skiff-2.0.0.zip",
		"--all"); !strings.Contains(out, "class sk-bar; renamed to sk-header") || s.State() != before {
		t.Errorf("compare says\n%s", out)
	}
	s.Fail(1, []string{"the site has not been started"}, "compare", "skiff", "1.0.0", "2.0.0")
}

// TestIconsByTheirDrawing: characters are dealt again from one version to the next, and each icon is still found by how
// it looks.
func TestIconsByTheirDrawing(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	font := func(name string) string {
		b, err := os.ReadFile(filepath.Join("..", "crate", "glyphs", "testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		return string(b)
	}
	css := func(file string, icons ...string) string {
		text := "@font-face { font-family: Signals; src: url(" + file + ") }\n.sg { font-family: Signals }\n"
		for i := 0; i < len(icons); i += 2 {
			text += ".sg-" + icons[i] + `:before { content: "\` + icons[i+1] + "\" }\n"
		}
		return text
	}
	s.Archive("signals-1.0.0.zip", map[string]string{"signals.css": css("signals.woff2", "buoy", "e002", "flag",
		"e003"), "signals.woff2": font("icons.woff2")})
	s.Archive("signals-2.0.0.zip", map[string]string{"signals.css": css("signals.otf", "ring", "e001", "flag", "e002",
		"crate", "f0003"), "signals.otf": font("drawn.otf")})
	if out := s.Run("compare", "../downloads/signals-1.0.0.zip", "../downloads/signals-2.0.0.zip",
		"--all"); !strings.Contains(out, "class sg-buoy; renamed to sg-ring") ||
		!strings.Contains(out, "it is the same drawing") {
		t.Errorf("compare says\n%s", out)
	}
}

// TestPartsOfPictures: what a page shows by name of a picture is missed when it is gone, found by its drawing, and
// follows.
func TestPartsOfPictures(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	sprite := func(name string) string {
		return `<svg xmlns="http://www.w3.org/2000/svg"><symbol id="` + name + `" viewBox="0 0 10 10"><title>` + name +
			`</title><path d="M1 1h8v8z"/></symbol><symbol id="flag"><path d="M0 0v9"/></symbol></svg>` + "\n"
	}
	for version, name := range map[string]string{"1.0.0": "buoy", "2.0.0": "life-ring"} {
		s.Archive("signals-"+version+".zip", map[string]string{"signals.css": ".sg { width: 1em; height: 1em }\n",
			"icons/signals.svg": sprite(name)})
	}
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\"><head><meta "+
		"charset=\"utf-8\"><title>Signals</title></head>\n<body><svg class=\"sg\"><use "+
		"href=\"lib/signals/icons/signals.svg#buoy\"/></svg><svg><use "+
		"href=\"lib/signals/icons/signals.svg#flag\"/></svg></body></html>\n")
	s.Run("start")
	s.Run("take", "../downloads/signals-1.0.0.zip", "--files", "**", "--together", "--page", "index.html")
	s.Run("check")
	s.Write("index.html", strings.Replace(s.Read("index.html"), "#flag", "#flog", 1))
	s.Fail(1, []string{"part-missing", "lib/signals/icons/signals.svg has no part flog",
		"write flag, the most similar one"}, "check")
	s.Write("index.html", strings.Replace(s.Read("index.html"), "#flog", "#flag", 1))
	before := s.State()
	if out := s.Run("compare", "signals", "../downloads/signals-2.0.0.zip"); !strings.Contains(out,
		"symbol buoy of icons/signals.svg  1 use; renamed to life-ring") ||
		!strings.Contains(out, "it is the same drawing") {
		t.Errorf("compare says\n%s", out)
	}
	if out := s.Run("repin", "signals", "--from", "../downloads/signals-2.0.0.zip", "--rename-sure"); !strings.Contains(
		out, "symbol #buoy is now #life-ring, in 1 place") {
		t.Errorf("repin says\n%s", out)
	}
	if text := s.Read("index.html"); !strings.Contains(text, `signals.svg#life-ring"`) ||
		!strings.Contains(text, `signals.svg#flag"`) {
		t.Errorf("the page is\n%s", text)
	}
	s.Run("check")
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	s.Run("repin", "signals", "--from", "../downloads/signals-2.0.0.zip", "--rename", "#buoy=#flag")
	if text := s.Read("index.html"); strings.Count(text, `signals.svg#flag"`) != 2 {
		t.Errorf("the page is\n%s", text)
	}
	s.Run("undo")
	s.Run("repin", "signals", "--from", "../downloads/signals-2.0.0.zip")
	s.Fail(1, []string{"part-missing", "has no part buoy"}, "check")
	s.Write("index.html", strings.Replace(s.Read("index.html"), "signals.svg#buoy", "none.svg#buoy", 1))
	s.Fail(1, []string{"error: leads-nowhere", "there is no file lib/signals/icons/none.svg"}, "check")
}

// TestPartsOfAPictureThatMoves: a picture has its version in its name, and one of its parts is called otherwise: one
// reference follows both.
func TestPartsOfAPictureThatMoves(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Empty(t)
	for version, name := range map[string]string{"1.0.0": "buoy", "2.0.0": "life-ring"} {
		s.Archive("signals-"+version+".zip", map[string]string{"signals.css": ".sg { width: 1em; height: 1em }\n",
			"icons/signals-" + version + ".svg": `<svg xmlns="http://www.w3.org/2000/svg"><symbol id="` + name +
				`"><path d="M1 1h8"/></symbol></svg>` + "\n"})
	}
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\"><head><meta "+
		"charset=\"utf-8\"><title>Signals</title></head>\n<body><svg class=\"sg\"><use "+
		"href=\"lib/signals/icons/signals-1.0.0.svg#buoy\"/></svg></body></html>\n")
	s.Run("start")
	s.Run("take", "../downloads/signals-1.0.0.zip", "--files", "**", "--together", "--page", "index.html")
	before := s.State()
	s.Run("repin", "signals", "--from", "../downloads/signals-2.0.0.zip", "--rename-sure")
	if text := s.Read("index.html"); !strings.Contains(text,
		`<use href="lib/signals/icons/signals-2.0.0.svg#life-ring"/>`) {
		t.Errorf("the page is\n%s", text)
	}
	s.Run("check")
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
}
