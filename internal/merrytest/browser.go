package merrytest

import (
	"context"
	"fmt"
	"os/exec"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/standin"
)

// State is an expression for what shows that the club's page works: its libraries are there, its styles apply, its font is loaded.
const State = `{
		version: oarlock.version,
		brinework: document.documentElement.dataset.brinework,
		club: document.documentElement.dataset.club,
		display: getComputedStyle(document.querySelector(".bw-bar")).display,
		own: getComputedStyle(document.querySelector(".bw-bar")).backgroundColor,
		font: [...document.fonts].map(f => f.family + " " + f.status).join(),
		opened: (document.querySelector("#menu-button").click(), document.querySelector("#menu").className)
	}`

// BrowserProgram returns the path of the browser that tests use. It skips the test where the machine has none, and in a short run.
func BrowserProgram(t *testing.T) string {
	t.Helper()
	if testing.Short() {
		t.Skip("a short run starts no browser")
	}
	for _, n := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if p, err := exec.LookPath(n); err == nil {
			return p
		}
	}
	t.Skip("no browser on this machine; with Debian's chromium installed this test runs")
	return ""
}

// Browser returns a profile of its own in a headless browser, or skips the test where the machine has none. With rules for where hosts
// are the test has a browser alone; all others of a package share one.
func Browser(t *testing.T, hosts ...string) context.Context {
	t.Helper()
	return BrowserFor(t, 5*time.Minute, hosts...)
}

// BrowserFor is Browser for a time.
func BrowserFor(t *testing.T, most time.Duration, hosts ...string) context.Context {
	t.Helper()
	name := BrowserProgram(t)
	var ctx context.Context
	if len(hosts) > 0 {
		alone, stop, err := startBrowser(name, hosts)
		if err != nil {
			t.Fatalf("the browser does not start: %v", err)
		}
		t.Cleanup(stop)
		ctx = alone
	} else {
		shared.once.Do(func() { shared.ctx, shared.stop, shared.err = startBrowser(name, nil) })
		if shared.err != nil {
			t.Fatalf("the browser does not start: %v", shared.err)
		}
		profile, stop, err := newProfile(shared.ctx)
		if err != nil {
			t.Fatalf("the browser makes no profile: %v", err)
		}
		t.Cleanup(stop)
		ctx = profile
	}
	ctx, stop := context.WithTimeout(ctx, most)
	t.Cleanup(stop)
	return ctx
}

// shared is the browser of all tests of a package that need no rules for hosts.
var shared struct {
	once sync.Once
	ctx  context.Context
	stop func()
	err  error
}

// closeShared ends the shared browser, if there is one.
func closeShared() {
	if shared.stop != nil {
		shared.stop()
	}
}

// newProfile opens a window of a running browser whose pages share nothing with those of others.
func newProfile(browser context.Context) (ctx context.Context, stop func(), err error) {
	outside := cdp.WithExecutor(browser, chromedp.FromContext(browser).Browser)
	id, err := target.CreateBrowserContext().WithDisposeOnDetach(true).Do(outside)
	if err != nil {
		return nil, nil, err
	}
	// A profile takes tabs once it has a window.
	if _, err := target.CreateTarget("about:blank").WithNewWindow(true).WithBrowserContextID(id).Do(outside); err != nil {
		return nil, nil, err
	}
	ctx, closeTab := chromedp.NewContext(browser, chromedp.WithExistingBrowserContext(id))
	return ctx, func() { closeTab(); target.DisposeBrowserContext(id).Do(outside) }, chromedp.Run(ctx)
}

func startBrowser(name string, hosts []string) (ctx context.Context, stop func(), err error) {
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(name), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.WSURLReadTimeout(2*time.Minute))
	for _, rule := range hosts {
		opts = append(opts, chromedp.Flag("host-resolver-rules", rule))
	}
	alloc, stopProcess := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, stopContext := chromedp.NewContext(alloc)
	return ctx, func() { stopContext(); stopProcess() }, chromedp.Run(ctx)
}

// Visit loads a page and returns what the console said, the requests that failed, and the value of an
// expression on the page.
func Visit(t *testing.T, ctx context.Context, url, expression string) (console, failed []string, value any) {
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

// Linked is the club's site with both libraries on every page, and a stand-in CDN set.
func Linked(t *testing.T) (*Site, *standin.CDN) {
	t.Helper()
	c, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	s := Started(t)
	for _, h := range standin.Hosts {
		s.Run("sources", "set", "host", h, c.Addr)
	}
	s.Run("sources", "set", "cdn", "harbour", "http://cdn.harbour.example/lib/{name}/{version}/{path}")
	return s, c
}

// Pages are the bytes of the club's pages.
func (s *Site) Pages() string {
	return s.Read("index.html") + s.Read("tides.html") + s.Read("crews/index.html")
}
