package merrytest

import (
	"cmp"
	"context"
	"fmt"
	"io"
	quiet "log"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"os/exec"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
	"golang.org/x/sync/errgroup"

	"merrycrate.example/merry/standin"
)

// State is an expression for what shows that the club's page works: its libraries are there, its styles apply, its font
// is loaded.
const State = `{
		version: oarlock.version,
		brinework: document.documentElement.dataset.brinework,
		club: document.documentElement.dataset.club,
		display: getComputedStyle(document.querySelector(".bw-bar")).display,
		own: getComputedStyle(document.querySelector(".bw-bar")).backgroundColor,
		font: [...document.fonts].map(f => f.family + " " + f.status).join(),
		opened: (document.querySelector("#menu-button").click(), document.querySelector("#menu").className)
	}`

// BrowserProgram returns the path of the browser that tests use. It skips the test where the machine has none, and in a
// short run.
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

// Hosts says where hosts are, by their names: an address with its port, or "" for one that is not there. A name may
// begin with "*.".
type Hosts map[string]string

// Browser returns a profile of its own in the browser that all tests of a package share, or skips the test where the
// machine has none. Its pages find the hosts where the test says.
func Browser(t *testing.T, hosts ...Hosts) context.Context {
	t.Helper()
	return BrowserFor(t, 5*time.Minute, hosts...)
}

// BrowserFor is Browser for a time.
func BrowserFor(t *testing.T, most time.Duration, hosts ...Hosts) context.Context {
	t.Helper()
	name := BrowserProgram(t)
	shared.once.Do(func() {
		var stop func()
		shared.ctx, stop, shared.err = startBrowser(name)
		atEnd(stop)
	})
	if shared.err != nil {
		t.Fatalf("the browser does not start: %v", shared.err)
	}
	proxy := ""
	for _, at := range hosts {
		server := httptest.NewServer(at.proxy())
		t.Cleanup(server.Close)
		proxy = server.URL
	}
	ctx, stop, err := newProfile(shared.ctx, proxy)
	if err != nil {
		t.Fatalf("the browser makes no profile: %v", err)
	}
	t.Cleanup(stop)
	ctx, cancel := context.WithTimeout(ctx, most)
	t.Cleanup(cancel)
	return ctx
}

// at is where a host is, "" if it is nowhere.
func (h Hosts) at(host string) string {
	_, parent, _ := strings.Cut(host, ".")
	return cmp.Or(h[host], h["*."+parent])
}

// proxy answers a profile whose pages ask other hosts than this machine, and breaks the connection where those do.
func (h Hosts) proxy() http.Handler {
	return &httputil.ReverseProxy{
		Rewrite:   func(r *httputil.ProxyRequest) {},
		Transport: &http.Transport{DisableCompression: true, DialContext: h.dial},
		ErrorHandler: func(http.ResponseWriter, *http.Request, error) {
			panic(http.ErrAbortHandler)
		},
		ErrorLog: quiet.New(io.Discard, "", 0),
	}
}

func (h Hosts) dial(ctx context.Context, network, address string) (net.Conn, error) {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return nil, err
	}
	at := h.at(host)
	if at == "" {
		return nil, fmt.Errorf("no host is called %s here", host)
	}
	return (&net.Dialer{}).DialContext(ctx, network, at)
}

// shared is the browser of all tests of a package.
var shared struct {
	once sync.Once
	ctx  context.Context
	err  error
}

// newProfile opens a window with one tab in a running browser. Its pages share no cookies and no storage with those of
// other windows. Requests to hosts other than this machine go through the proxy, if one is given.
func newProfile(browser context.Context, proxy string) (ctx context.Context, stop func(), err error) {
	outside := cdp.WithExecutor(browser, chromedp.FromContext(browser).Browser)
	id, err := target.CreateBrowserContext().WithDisposeOnDetach(true).WithProxyServer(proxy).Do(outside)
	if err != nil {
		return nil, nil, err
	}
	tab, err := target.CreateTarget("about:blank").WithNewWindow(true).WithBrowserContextID(id).Do(outside)
	if err != nil {
		return nil, nil, err
	}
	ctx, closeTab := chromedp.NewContext(browser, chromedp.WithTargetID(tab))
	chromedp.FromContext(ctx).BrowserContextID = id // more tabs are of the same profile
	return ctx, func() { closeTab(); target.DisposeBrowserContext(id).Do(outside) }, chromedp.Run(ctx)
}

func startBrowser(name string) (ctx context.Context, stop func(), err error) {
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(name), chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		// A page takes the place of another of the same site in the same process.
		chromedp.Flag("disable-features",
			"Translate,BackForwardCache,SpareRendererForSitePerProcess,ProactivelySwapBrowsingInstance"),
		chromedp.WSURLReadTimeout(2*time.Minute))
	alloc, stopProcess := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, stopContext := chromedp.NewContext(alloc)
	return ctx, func() { stopContext(); stopProcess() }, chromedp.Run(ctx)
}

// Visit loads a page in a profile's first tab and returns what the console said, the requests that failed, and the
// value of an expression on the page.
func Visit(t *testing.T, ctx context.Context, url, expression string) (console, failed []string, value any) {
	t.Helper()
	seen, err := visit(ctx, url, expression)
	if err != nil {
		t.Fatalf("%s: %v", url, err)
	}
	return seen.Console, seen.Failed, seen.Value
}

// Seen is what a visit to a page showed.
type Seen struct {
	Console []string
	Failed  []string // the requests that failed
	Value   any      // of the expression
}

// VisitAll loads pages as Visit does, several at once, in a few tabs: a tab of its own costs more than a page. No page
// hears of the one before it, but for what a profile keeps.
func VisitAll(t *testing.T, ctx context.Context, addresses []string, expression string) []Seen {
	t.Helper()
	const tabs = 4
	seen := make([]Seen, len(addresses))
	var next atomic.Int64
	var work errgroup.Group
	for range tabs {
		work.Go(func() error {
			tab, stop := chromedp.NewContext(ctx)
			defer stop()
			for {
				i := int(next.Add(1)) - 1
				if i >= len(addresses) {
					return nil
				}
				one, err := visit(tab, addresses[i], expression)
				if err != nil {
					return fmt.Errorf("%s: %w", addresses[i], err)
				}
				seen[i] = one
				chromedp.Run(tab, chromedp.Evaluate(silence, nil)) // a page that runs no scripts is silent
			}
		})
	}
	if err := work.Wait(); err != nil {
		t.Fatal(err)
	}
	return seen
}

// silence stops a page's timers: it stays until the next one has come, and what is said until then is taken for that
// one's.
const silence = `for (let id = setTimeout(() => {}); id > 0; id--) clearTimeout(id)`

// visit loads a page in a tab, and listens meanwhile.
func visit(tab context.Context, url, expression string) (Seen, error) {
	var seen Seen
	asked, open := map[network.RequestID]bool{}, map[network.RequestID]bool{}
	var mu sync.Mutex
	listening, stop := context.WithCancel(tab)
	defer stop()
	chromedp.ListenTarget(listening, func(ev any) {
		mu.Lock()
		defer mu.Unlock()
		switch ev := ev.(type) {
		case *runtime.EventConsoleAPICalled:
			for _, a := range ev.Args {
				seen.Console = append(seen.Console, string(ev.Type)+": "+string(a.Value))
			}
		case *runtime.EventExceptionThrown:
			seen.Console = append(seen.Console, "exception: "+ev.ExceptionDetails.Error())
		case *log.EventEntryAdded:
			seen.Console = append(seen.Console, string(ev.Entry.Level)+": "+ev.Entry.Text)
		case *network.EventRequestWillBeSent:
			asked[ev.RequestID], open[ev.RequestID] = true, true
		case *network.EventLoadingFinished:
			delete(open, ev.RequestID)
		case *network.EventLoadingFailed:
			delete(open, ev.RequestID)
			if asked[ev.RequestID] {
				seen.Failed = append(seen.Failed, ev.ErrorText)
			}
		case *network.EventResponseReceived:
			if asked[ev.RequestID] && ev.Response.Status >= 400 {
				seen.Failed = append(seen.Failed, fmt.Sprint(ev.Response.Status, " ", ev.Response.URL))
			}
		}
	})
	var value any
	err := chromedp.Run(tab, network.Enable(), log.Enable(), runtime.Enable(), chromedp.Navigate(url),
		chromedp.Evaluate(`document.fonts.ready.then(() => new Promise(r => setTimeout(() => r(`+expression+`), 50)))`,
			&value,
			func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
	// What a page asks for when it has loaded may be answered late, and its fault is then told late.
	late := false
	for end := time.Now().Add(3 * time.Second); err == nil && time.Now().Before(end); late = true {
		mu.Lock()
		waits := len(open) > 0
		mu.Unlock()
		if !waits {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if late {
		time.Sleep(50 * time.Millisecond)
	}
	mu.Lock()
	defer mu.Unlock()
	return Seen{seen.Console, seen.Failed, value}, err
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
