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
	s, _ := upgradable(t)
	s.Write("js/club.js", s.Read("js/club.js")+"oarlock('.bw-note').on('click', function () {\n  this.classList.add(\"bw-bar\");\n});\nvar word = 'bw-table';\noarlock('#menu').notice('low water');\n")
	s.Write("css/club.css", s.Read("css/club.css")+"p { color: var(--bw-buoy); }\n")
	before := s.State()
	out := s.Run("compare", "brinework", "2.0.0")
	if s.State() != before {
		t.Error("compare changed something")
	}
	for _, want := range []string{"brinework  1.2.0 → 2.0.0", "class bw-bar  6 uses; surely bw-header now", "the change notes say so (CHANGELOG.md:6)", "index.html:12:18  sure",
		"css/club.css:4:2  sure", "js/club.js:8:11  likely", "js/club.js:9:23  sure", "js/club.js:11:13  possible", "custom property --bw-buoy  1 use", "css/club.css:6:16", "surely bw-callout now", "merry repin brinework@2.0.0 --rename-sure"} {
		if !strings.Contains(out, want) {
			t.Errorf("compare does not say %q:\n%s", want, out)
		}
	}
	var got struct {
		Lost []struct {
			Kind, Name string
			Uses       []struct{ At, How string }
		}
		Licence []string
	}
	if err := json.Unmarshal([]byte(s.Run("compare", "brinework", "1.2.0", "2.0.0", "--json")), &got); err != nil || len(got.Lost) < 5 || got.Licence[0] != "MIT" {
		t.Errorf("%v: %+v", err, got)
	}
	// Every place that is said is one.
	for _, l := range got.Lost {
		for _, u := range l.Uses {
			parts := strings.Split(u.At, ":")
			var line, column int
			if _, err := json.Number(parts[1]).Int64(); err != nil {
				t.Fatal(u.At)
			}
			line, column = atoi(t, parts[1]), atoi(t, parts[2])
			text := strings.Split(s.Read(parts[0]), "\n")[line-1][column-1:]
			if !strings.HasPrefix(text, l.Name) {
				t.Errorf("%s of %s: there is %q", l.Name, u.At, text)
			}
		}
	}
	if out := s.Run("compare", "oarlock", "1.4.2", "2.1.0"); !strings.Contains(out, "ES5 → ES2015") {
		t.Errorf("compare says\n%s", out)
	}
	if out := s.Run("compare", "../downloads/oarlock-1.4.2.zip", "../downloads/oarlock-2.0.3.zip"); !strings.Contains(out, "1.4.2 → 2.0.3") {
		t.Errorf("compare says\n%s", out)
	}
	s.Run("compare", "brinework", "2.0.0", "--report", "report.html")
	report := s.Read("report.html")
	for _, want := range []string{"bw-header", "crews/index.html:12:17", "surely"} {
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

// TestRepinWithRenames: class tokens change on pages, byte for byte, in the same change as the library, and nothing else.
func TestRepinWithRenames(t *testing.T) {
	s, _ := upgradable(t)
	s.Replace("tides.html", `<table class="bw-table">`, "<table CLASS=' bw-table\tbw-table-wide  bw-table' title=bw-table>")
	before := s.State()
	tides := s.Read("tides.html")
	dry := s.Run("repin", "brinework@2.0.0", "--rename-sure", "--dry-run")
	if s.State() != before || !strings.Contains(dry, "class bw-bar is bw-header now, in 3 places") {
		t.Errorf("the dry run says\n%s", dry)
	}
	s.Run("repin", "brinework@2.0.0", "--rename-sure", "--rename", "bw-page=bw-sheet")
	want := strings.NewReplacer("bw-bar", "bw-header", "bw-page", "bw-sheet", "<table CLASS=' bw-table\tbw-table-wide  bw-table' title=bw-table>", "<table CLASS=' bw-grid\tbw-table-wide  bw-grid' title=bw-table>").Replace(tides)
	if got := s.Read("tides.html"); got != want {
		t.Errorf("the page is\n%s, want\n%s", got, want)
	}
	if crews := s.Read("crews/index.html"); !strings.Contains(crews, "<header class='bw-header'>\r\n") {
		t.Errorf("the page is\n%s", crews)
	}
	if !strings.Contains(s.Read("css/brinework.css"), "2.0.0") || !strings.Contains(s.Read("crate.yaml"), "version: 2.0.0") {
		t.Error("the library did not move")
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not give the old state")
	}
	s.Run("repin", "brinework@2.0.0")
	s.Run("repin", "brinework@1.2.0")
	if s.Read("tides.html") != tides || !strings.Contains(s.Read("css/brinework.css"), "1.2.0") {
		t.Error("up and down again is not the same")
	}
	s.Fail(2, []string{"write --rename old=new"}, "repin", "brinework@2.0.0", "--rename", "bw-bar")
}

// TestFallbackFollows: where a local name has the version in it, the fallback behind a link changes with the link.
func TestFallbackFollows(t *testing.T) {
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
	if page := s.Read("index.html"); strings.Contains(page, "2.0.3") || strings.Count(page, "oarlock-2.1.0.min.js") != 1 || strings.Count(page, "/oarlock/2.1.0/") != 1 {
		t.Errorf("the link and its fallback did not both follow:\n%s", page)
	}
}

func TestRepinInFull(t *testing.T) {
	s, r := upgradable(t)
	before := s.State()
	s.Fail(1, []string{"tidechart 4.0.0 wants oarlock ^2.1.0, and it would find 2.0.3", "merry repin tidechart@4.0.0 oarlock@"}, "repin", "tidechart@4.0.0")
	s.Fail(1, []string{"tidechart 3.1.0 wants oarlock ^2.0.0, and it would find 1.4.2", "merry repin oarlock@1.4.2 tidechart"}, "repin", "oarlock@1.4.2")
	if s.State() != before {
		t.Error("a refused repin changed something")
	}
	if out := s.Run("versions", "--newer"); !strings.Contains(out, "4.0.0") || !strings.Contains(out, "major") || !strings.Contains(out, "names gone, used in") {
		t.Errorf("versions says\n%s", out)
	}
	// Both at once, links and fallbacks too.
	s.Run("switch", "--cdn", "--fallback")
	s.Run("repin", "tidechart@4.0.0", "oarlock@2.1.0")
	tides := s.Read("tides.html")
	if strings.Count(tides, "/tidechart/4.0.0/dist/") != 2 || strings.Count(tides, "/oarlock/2.1.0/dist/") != 1 || strings.Contains(tides, "2.0.3") {
		t.Errorf("the links did not follow:\n%s", tides)
	}
	if r := s.Try("check"); strings.Contains(r.Out, "link-stale") || strings.Contains(r.Out, "sealed-") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	s.Run("switch", "--local")
	s.Run("hold", "oarlock", "--below", "2.1.0", "--because", "the kiosk")
	s.Fail(1, []string{"oarlock is held below 2.1.0: the kiosk", "merry hold oarlock --off"}, "repin", "tidechart@4.0.0")
	s.Fail(1, []string{"held below 2.1.0"}, "repin", "oarlock@2.1.0", "tidechart@4.0.0")
	s.Fail(1, []string{"tidechart 4.0.0 wants oarlock"}, "repin", "--newest-allowed")
	s.Run("hold", "oarlock", "--off")
	s.Run("repin", "oarlock@2.1.0", "tidechart@4.0.0")
	if out := s.Run("repin", "--newest-allowed"); !strings.Contains(out, "oarlock from 2.1.0") && !strings.Contains(out, "newest version") {
		t.Errorf("repin says\n%s", out)
	}
	// A file that pages refer to and the new version does not have.
	if err := r.Publish("tidechart", "4.1.0", map[string][]byte{"package.json": []byte(`{"name":"tidechart","version":"4.1.0"}`), "dist/tidechart.js": []byte("window.tidechart = function () {};\n"), "dist/tidechart.min.js": []byte("window.tidechart=function(){};")}); err != nil {
		t.Fatal(err)
	}
	state := s.State()
	s.Fail(1, []string{"tides.html:", "no file of the library would stand for it", "merry omit"}, "repin", "tidechart@4.1.0")
	if s.State() != state {
		t.Error("a refused repin changed something")
	}
	s.Fail(2, []string{"say which libraries, or --newest-allowed"}, "repin")
	s.Fail(2, []string{"--newest-allowed is for the whole crate"}, "repin", "oarlock", "--newest-allowed")
}

func TestBill(t *testing.T) {
	s, _ := upgradable(t)
	out := s.Run("bill", "--form", "cyclonedx")
	valid(t, "bom-1.6.schema.json", out, "spdx.schema.json", "jsf-0.82.schema.json")
	for _, want := range []string{`"purl": "pkg:npm/tidechart@3.1.0"`, `"alg": "SHA-384"`, `"id": "MIT"`, `"brinework@1.2.0"`, `"specVersion": "1.6"`} {
		if !strings.Contains(out, want) {
			t.Errorf("the bill lacks %s:\n%s", want, out)
		}
	}
	if again := s.Run("bill", "--form", "cyclonedx"); again != out {
		t.Error("the same crate gives other bytes")
	}
	if out := s.Run("bill", "--form", "notice"); !strings.Contains(out, "tidechart 3.1.0\nLicence: MIT") || strings.Count(out, "Permission is hereby granted") != 3 {
		t.Errorf("the notice is\n%s", out)
	}
	if out := s.Run("bill"); !strings.Contains(out, "registry:tidechart") {
		t.Errorf("the bill is\n%s", out)
	}
	advisories := map[string]string{
		"one.json":       `{"id":"GULL-2024-1","summary":"A chart can be made to draw without end","aliases":["WAVE-7"],"affected":[{"package":{"ecosystem":"npm","name":"tidechart"},"ranges":[{"type":"SEMVER","events":[{"introduced":"0"},{"fixed":"2.9.0"},{"introduced":"3.0.0"},{"fixed":"4.0.0"}]}]}]}`,
		"other.json":     `{"id":"GULL-2024-2","summary":"x","affected":[{"package":{"ecosystem":"npm","name":"tidechart"},"ranges":[{"type":"SEMVER","events":[{"introduced":"0"},{"last_affected":"3.0.9"}]}]}]}`,
		"listed.json":    `{"id":"GULL-2024-3","summary":"listed by version","affected":[{"package":{"ecosystem":"npm","name":"tidechart"},"versions":["3.0.0","3.1.0"]}]}`,
		"withdrawn.json": `{"id":"GULL-2024-4","withdrawn":"2024-01-01T00:00:00Z","affected":[{"package":{"ecosystem":"npm","name":"tidechart"},"versions":["3.1.0"]}]}`,
		"elsewhere.json": `{"id":"GULL-2024-5","affected":[{"package":{"ecosystem":"Harbour","name":"tidechart"},"versions":["3.1.0"]}]}`,
		"broken.json":    `{`,
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
		r := s.Fail(1, []string{"GULL-2024-1, WAVE-7  tidechart 3.1.0", "merry compare tidechart 2.9.0", "GULL-2024-3", "5 advisories read; 2 concern the crate", "broken.json is no advisory"}, "bill", "--advisories", at, "--offline")
		for _, never := range []string{"GULL-2024-2", "GULL-2024-4", "GULL-2024-5"} {
			if strings.Contains(r.Out, never) {
				t.Errorf("%s concerns nobody:\n%s", never, r.Out)
			}
		}
	}
	s.Fail(1, []string{"has no advisories"}, "bill", "--advisories", "js")
	s.Fail(2, []string{"there is table, cyclonedx and notice"}, "bill", "--form", "csv")
}
