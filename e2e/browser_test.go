package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os/exec"
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
	ctx, stop3 := context.WithTimeout(ctx, 2*time.Minute)
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
