package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
)

// browser starts a headless browser, with rules for where hosts are, or skips the test where the machine has none.
func browser(t *testing.T, hosts ...string) context.Context {
	t.Helper()
	return browserFor(t, 2*time.Minute, hosts...)
}

// browserFor is browser for a time.
func browserFor(t *testing.T, most time.Duration, hosts ...string) context.Context {
	t.Helper()
	name := ""
	for _, n := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if p, err := exec.LookPath(n); err == nil {
			name = p
			break
		}
	}
	if name == "" {
		t.Skip("no browser on this machine; with Debian's chromium installed this test runs")
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(name), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.WSURLReadTimeout(60*time.Second))
	for _, rule := range hosts {
		opts = append(opts, chromedp.Flag("host-resolver-rules", rule))
	}
	alloc, stop := chromedp.NewExecAllocator(context.Background(), opts...)
	t.Cleanup(stop)
	ctx, stop2 := chromedp.NewContext(alloc)
	t.Cleanup(stop2)
	ctx, stop3 := context.WithTimeout(ctx, most)
	t.Cleanup(stop3)
	if err := chromedp.Run(ctx); err != nil {
		t.Fatalf("the browser does not start: %v", err)
	}
	return ctx
}

// visit loads a page and returns what the console said, the requests that failed, and the value of an
// expression on the page.
func visit(t *testing.T, ctx context.Context, url, expression string) (console, failed []string, value any) {
	t.Helper()
	tab, stop := chromedp.NewContext(ctx)
	defer stop()
	var mu sync.Mutex
	chromedp.ListenTarget(tab, func(ev any) {
		mu.Lock()
		defer mu.Unlock()
		switch ev := ev.(type) {
		case *runtime.EventConsoleAPICalled:
			for _, a := range ev.Args {
				console = append(console, string(ev.Type)+": "+string(a.Value))
			}
		case *runtime.EventExceptionThrown:
			console = append(console, "exception: "+ev.ExceptionDetails.Error())
		case *log.EventEntryAdded:
			console = append(console, string(ev.Entry.Level)+": "+ev.Entry.Text)
		case *network.EventLoadingFailed:
			failed = append(failed, ev.ErrorText)
		case *network.EventResponseReceived:
			if ev.Response.Status >= 400 {
				failed = append(failed, fmt.Sprint(ev.Response.Status, " ", ev.Response.URL))
			}
		}
	})
	err := chromedp.Run(tab, network.Enable(), log.Enable(), runtime.Enable(), chromedp.Navigate(url),
		chromedp.Evaluate(`document.fonts.ready.then(() => new Promise(r => setTimeout(() => r(`+expression+`), 50)))`, &value,
			func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	if err != nil {
		t.Fatalf("%s: %v", url, err)
	}
	mu.Lock()
	defer mu.Unlock()
	return console, failed, value
}

// TestPagesAreCleanInABrowser loads the club's pages after the built program took both libraries, and
// reads off the pages that styles, font and scripts are at work.
func TestPagesAreCleanInABrowser(t *testing.T) {
	ctx := browser(t)
	for _, habit := range demo.Habits {
		cleanInBrowser(t, ctx, habitual(t, habit), "("+state+")")
	}
}

const state = `{
		version: oarlock.version,
		brinework: document.documentElement.dataset.brinework,
		club: document.documentElement.dataset.club,
		display: getComputedStyle(document.querySelector(".bw-bar")).display,
		own: getComputedStyle(document.querySelector(".bw-bar")).backgroundColor,
		font: [...document.fonts].map(f => f.family + " " + f.status).join(),
		opened: (document.querySelector("#menu-button").click(), document.querySelector("#menu").className)
	}`

func cleanInBrowser(t *testing.T, ctx context.Context, s *merrytest.Site, state string) {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	for _, page := range []string{"/index.html", "/tides.html", "/crews/index.html"} {
		console, failed, value := visit(t, ctx, server.URL+page, state)
		if len(console)+len(failed) > 0 {
			t.Errorf("%s: console %q, failed requests %q", page, console, failed)
		}
		font := "brinework icons unloaded"
		if page == "/index.html" {
			font = "brinework icons loaded"
		}
		got := fmt.Sprint(value)
		want := fmt.Sprintf("map[brinework:1.2.0 club:Gull Point Rowing Club display:flex font:%s opened:bw-menu is-open own:rgb(18, 48, 61) version:2.0.3]", font)
		if got != want {
			t.Errorf("%s: the page's state is\n%s, want\n%s", page, got, want)
		}
	}
	// The test must be able to fail: without oarlock the console complains.
	s.Run("omit", "oarlock", "--page", "index.html")
	console, _, _ := visit(t, ctx, server.URL+"/index.html", "1")
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
	ctx := browser(t)
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "foghorn", "--page", "index.html")
	page := s.Read("index.html")
	if !strings.Contains(page, `type="module"`) {
		t.Fatalf("the page is\n%s", page)
	}
	console, failed, _ := visit(t, ctx, served(t, s)+"/index.html", "1")
	if len(console)+len(failed) > 0 {
		t.Errorf("console %q, failed %q", console, failed)
	}
	s.Run("check", "index.html")
	s.Replace("index.html", ` type="module"`, "")
	console, _, _ = visit(t, ctx, served(t, s)+"/index.html", "1")
	if r := s.Try("check", "index.html"); len(console) == 0 || !strings.Contains(r.Out, "module-as-classic") {
		t.Errorf("as a plain script: console %q, and check says\n%s", console, r.Out)
	}
}

// TestMendedInABrowser: pages that a browser complains about, mended by check --fix, and clean.
func TestMendedInABrowser(t *testing.T) {
	ctx := browser(t)
	s := merrytest.Started(t)
	address := served(t, s)
	for name, edit := range map[string]func(){
		"case":     func() { s.Replace("index.html", "js/club.js", "js/Club.js") },
		"moved":    func() { s.Replace("index.html", "js/oarlock.min.js", "vendor/oarlock.min.js") },
		"muddled":  func() { muddle(s, "index.html", "js/club.js") },
		"reversed": func() { muddle(s, "index.html", "js/brinework.min.js") },
		"stale": func() {
			s.Replace("index.html", `src="js/config.js"`, `src="js/config.js" integrity="sha384-`+strings.Repeat("A", 64)+`"`)
		},
	} {
		sound := s.Read("index.html")
		edit()
		console, failed, _ := visit(t, ctx, address+"/index.html", "1")
		if len(console)+len(failed) == 0 {
			t.Errorf("%s: the browser finds nothing wrong", name)
		}
		s.Run("check", "--fix")
		console, failed, value := visit(t, ctx, address+"/index.html", state)
		if len(console)+len(failed) > 0 || !strings.Contains(fmt.Sprint(value), "club:Gull Point Rowing Club") {
			t.Errorf("%s: mended, console %q, failed %q, state %v\n%s", name, console, failed, value, s.Read("index.html"))
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

// TestHintsInABrowser: a preloaded font is the one that the stylesheet asks for, or the browser would say that it was fetched for
// nothing; and it is fetched once.
func TestHintsInABrowser(t *testing.T) {
	s, c := linked(t)
	_, port, _ := strings.Cut(c.Addr, ":")
	ctx := browser(t, "MAP *.harbour.example 127.0.0.1:"+port)
	address := served(t, s)
	for _, args := range [][]string{{"switch", "--cdn", "--hints"}, {"switch", "--local", "--hints"}} {
		s.Run(args...)
		console, failed, value := visit(t, ctx, address+"/index.html", `performance.getEntriesByType("resource").filter(e => /woff/.test(e.name)).length + " " + [...document.fonts].filter(f => f.status === "loaded").length`)
		if len(console)+len(failed) > 0 || value != "1 1" {
			t.Errorf("%v: console %q, failed %q, fonts fetched and loaded: %v", args, console, failed, value)
		}
	}
	if page := s.Read("index.html"); !strings.Contains(page, `rel="preload" href="fonts/brinework.woff?v=1.2.0"`) || strings.Contains(page, "preconnect") {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("switch", "--local", "--readable")
	if page := s.Read("index.html"); strings.Contains(page, "preload") {
		t.Errorf("a hint is left behind:\n%s", page)
	}
}

// TestReportsInABrowser: the pages that check and compare write are whole by themselves.
func TestReportsInABrowser(t *testing.T) {
	ctx := browser(t)
	s, _ := upgradable(t)
	muddle(s, "index.html", "js/club.js")
	s.Fail(2, []string{"there is no folder ../nowhere"}, "check", "--report", "../nowhere/report.html")
	s.Write("../out/x", "")
	s.Try("check", "--report", "../out/report.html")
	s.Run("compare", "brinework", "2.0.0", "--report", "../out/compare.html")
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir + "/../out")))
	defer server.Close()
	for page, want := range map[string]string{"report.html": "need-later", "compare.html": "bw-callout"} {
		console, failed, value := visit(t, ctx, server.URL+"/"+page, `[document.body.innerText.includes("`+want+`"), performance.getEntriesByType("resource").length, document.compatMode, document.querySelectorAll("svg").length].join()`)
		got := fmt.Sprint(value)
		if len(failed) > 1 || !strings.HasPrefix(got, "true,0,CSS1Compat") && !strings.HasPrefix(got, "true,1,CSS1Compat") {
			t.Errorf("%s: console %q, failed %q, %s", page, console, failed, got)
		}
	}
}
