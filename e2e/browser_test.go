package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
)

// TestPagesAreCleanInABrowser loads the club's pages after the built program took both libraries, and
// reads off the pages that styles, font and scripts are at work.
func TestPagesAreCleanInABrowser(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	for _, habit := range demo.Habits {
		cleanInBrowser(t, ctx, habitual(t, habit), "("+merrytest.State+")")
	}
}

func cleanInBrowser(t *testing.T, ctx context.Context, s *merrytest.Site, state string) {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	for _, page := range []string{"/index.html", "/tides.html", "/crews/index.html"} {
		console, failed, value := merrytest.Visit(t, ctx, server.URL+page, merrytest.State)
		if len(console)+len(failed) > 0 {
			t.Errorf("%s: console %q, failed requests %q", page, console, failed)
		}
		font := "brinework icons unloaded"
		if page == "/index.html" {
			font = "brinework icons loaded"
		}
		got := fmt.Sprint(value)
		want := fmt.Sprintf("map[brinework:1.2.0 club:Gull Point Rowing Club display:flex font:%s opened:bw-menu "+
			"is-open own:rgb(18, 48, 61) version:2.0.3]", font)
		if got != want {
			t.Errorf("%s: the page's state is\n%s, want\n%s", page, got, want)
		}
	}
	// The test must be able to fail: without oarlock the console complains.
	s.Run("omit", "oarlock", "--page", "index.html")
	console, _, _ := merrytest.Visit(t, ctx, server.URL+"/index.html", "1")
	if len(console) == 0 {
		t.Error("a page without the library that another needs is clean")
	}
}

// served serves a site, nothing of which a browser may keep.
func served(t *testing.T, s *merrytest.Site) string {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	return server.URL
}

// TestModulesInABrowser: a library of ES modules gets a tag that a browser runs it by.
func TestModulesInABrowser(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "foghorn", "--with-needs", "--page", "index.html")
	page := s.Read("index.html")
	if !strings.Contains(page, `type="module"`) {
		t.Fatalf("the page is\n%s", page)
	}
	console, failed, _ := merrytest.Visit(t, ctx, served(t, s)+"/index.html", "1")
	if len(console)+len(failed) > 0 {
		t.Errorf("console %q, failed %q", console, failed)
	}
	s.Run("check", "index.html")
	s.Replace("index.html", ` type="module"`, "")
	console, _, _ = merrytest.Visit(t, ctx, served(t, s)+"/index.html", "1")
	if r := s.Try("check", "index.html"); len(console) == 0 || !strings.Contains(r.Out, "module-as-classic") {
		t.Errorf("as a plain script: console %q, and check says\n%s", console, r.Out)
	}
}

// TestMendedInABrowser: pages that a browser complains about, fixed by check --fix, and clean.
func TestMendedInABrowser(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := merrytest.Started(t)
	address := served(t, s)
	for name, edit := range map[string]func(){
		"case":     func() { s.Replace("index.html", "js/club.js", "js/Club.js") },
		"moved":    func() { s.Replace("index.html", "js/oarlock.min.js", "vendor/oarlock.min.js") },
		"muddled":  func() { muddle(s, "index.html", "js/club.js") },
		"reversed": func() { muddle(s, "index.html", "js/brinework.min.js") },
		"stale": func() {
			s.Replace("index.html", `src="js/config.js"`, `src="js/config.js" integrity="sha384-`+strings.Repeat("A",
				64)+`"`)
		},
	} {
		sound := s.Read("index.html")
		edit()
		console, failed, _ := merrytest.Visit(t, ctx, address+"/index.html", "1")
		if len(console)+len(failed) == 0 {
			t.Errorf("%s: the browser finds nothing wrong", name)
		}
		s.Run("check", "--fix")
		console, failed, value := merrytest.Visit(t, ctx, address+"/index.html", merrytest.State)
		if len(console)+len(failed) > 0 || !strings.Contains(fmt.Sprint(value), "club:Gull Point Rowing Club") {
			t.Errorf("%s: mended, console %q, failed %q, state %v\n%s", name, console, failed, value,
				s.Read("index.html"))
		}
		s.Write("index.html", sound)
	}
}

// muddle puts a script's tag before all others.
func muddle(s *merrytest.Site, page, src string) {
	text := s.Read(page)
	tag := `<script src="` + src + `"></script>`
	first := strings.Index(text, "<script")
	s.Write(page, text[:first]+tag+strings.Replace(text[first:], tag, "", 1))
}

// TestHintsInABrowser: a preloaded font is the one that the stylesheet asks for, or the browser would say that it was
// fetched for nothing; and it is fetched once.
func TestHintsInABrowser(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
	address := served(t, s)
	for _, args := range [][]string{{"switch", "--cdn", "--hints"}, {"switch", "--local", "--hints"}} {
		s.Run(args...)
		console, failed, value := merrytest.Visit(t, ctx, address+"/index.html",
			`performance.getEntriesByType("resource").filter(e => /woff/.test(e.name)).length + " " + `+
				`[...document.fonts].filter(f => f.status === "loaded").length`)
		if len(console)+len(failed) > 0 || value != "1 1" {
			t.Errorf("%v: console %q, failed %q, fonts fetched and loaded: %v", args, console, failed, value)
		}
	}
	if page := s.Read("index.html"); !strings.Contains(page, `rel="preload" href="fonts/brinework.woff?v=1.2.0"`) ||
		strings.Contains(page, "preconnect") {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("switch", "--local", "--readable")
	if page := s.Read("index.html"); strings.Contains(page, "preload") {
		t.Errorf("a hint is left behind:\n%s", page)
	}
}

// TestReportsInABrowser: the pages that check and compare write are whole by themselves.
func TestReportsInABrowser(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s, _ := upgradable(t)
	muddle(s, "index.html", "js/club.js")
	s.Fail(2, []string{"there is no folder ../nowhere"}, "check", "--report", "../nowhere/report.html")
	s.Write("../out/x", "")
	s.Try("check", "--report", "../out/report.html")
	s.Run("compare", "brinework", "2.0.0", "--report", "../out/compare.html")
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir + "/../out")))
	defer server.Close()
	for page, want := range map[string]string{"report.html": "need-later", "compare.html": "bw-callout"} {
		console, failed, value := merrytest.Visit(t, ctx, server.URL+"/"+page, `[document.body.innerText.includes("`+
			want+`"), performance.getEntriesByType("resource").length, document.compatMode, `+
			`document.querySelectorAll("svg").length].join()`)
		got := fmt.Sprint(value)
		if len(failed) > 1 || !strings.HasPrefix(got, "true,0,CSS1Compat") &&
			!strings.HasPrefix(got, "true,1,CSS1Compat") {
			t.Errorf("%s: console %q, failed %q, %s", page, console, failed, got)
		}
	}
}
