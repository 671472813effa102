// Package browser drives this machine's browser, without a window. It opens a page and returns console messages,
// requests, times, a screenshot and the elements and rules behind it. It interprets nothing.
package browser

import (
	"context"
	"crypto/sha256"
	"crypto/x509"
	_ "embed"
	"encoding/base64"
	"encoding/json"
	"encoding/pem"
	"errors"
	"fmt"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	cdp "github.com/chromedp/cdproto/browser"
	cdproto "github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/storage"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/problem"
)

// Options say which browser is driven, and how far it may go.
type Options struct {
	Path string
	// Hosts says where hosts are, past the machine's own resolver: a name to an address with its port.
	Hosts map[string]string
	// Certificates are those of more authorities to trust, in PEM.
	Certificates []byte
	// Offline keeps it on this machine: no other host is asked.
	Offline bool
}

// A Browser is one that runs. Close ends it.
type Browser struct {
	Version string
	ctx     context.Context
	stop    []func()

	mu   sync.Mutex
	free []*tab // that wait for a page
}

// begins is how long a browser may take to begin.
const begins = 45 * time.Second

// Open starts a browser.
func Open(ctx context.Context, o Options) (*Browser, error) {
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(o.Path), chromedp.DisableGPU,
		chromedp.WSURLReadTimeout(begins),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("hide-scrollbars", true), chromedp.Flag("mute-audio", true), chromedp.Flag("force-color-profile",
			"srgb"), chromedp.Flag("font-render-hinting", "none"),
		chromedp.Flag("disable-lcd-text", true), chromedp.Flag("force-device-scale-factor", "1"),
		// A page takes the place of another in the same process, and none is kept for coming back to.
		chromedp.Flag("disable-features", "site-per-process,Translate,BackForwardCache,SpareRendererForSitePerProcess"))
	if os.Geteuid() == 0 {
		opts = append(opts, chromedp.NoSandbox) // its own sandbox does not run as root
	}
	var rules []string
	for host, at := range o.Hosts {
		rules = append(rules, "MAP "+host+" "+at)
	}
	slices.Sort(rules)
	if o.Offline {
		rules = []string{"MAP * ~NOTFOUND", "EXCLUDE 127.0.0.1"}
	}
	if keys := publicKeys(o.Certificates); len(keys) > 0 {
		opts = append(opts, chromedp.Flag("ignore-certificate-errors-spki-list", strings.Join(keys, ",")))
	}
	if len(rules) > 0 {
		opts = append(opts, chromedp.Flag("host-resolver-rules", strings.Join(rules, ", ")))
	}
	b := &Browser{}
	alloc, stop := chromedp.NewExecAllocator(ctx, opts...)
	b.stop = append(b.stop, stop)
	quiet := func(string, ...any) {}
	b.ctx, stop = chromedp.NewContext(alloc, chromedp.WithErrorf(quiet), chromedp.WithLogf(quiet))
	b.stop = append(b.stop, stop)
	err := chromedp.Run(b.ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		_, product, _, _, _, err := cdp.GetVersion().Do(ctx)
		b.Version = product
		return err
	}))
	if err != nil {
		b.Close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, problem.Fault(problem.BrowserFailed, "start it by hand and read what it says; or set another: "+
			"merry sources set browser FILE", "%s does not start: %v", o.Path, err)
	}
	return b, nil
}

// publicKeys are the hashes of certificates' keys (RFC 7469, section 2.4), by which the browser is reported whom to
// trust.
func publicKeys(text []byte) []string {
	var list []string
	for {
		var block *pem.Block
		if block, text = pem.Decode(text); block == nil {
			return list
		}
		if c, err := x509.ParseCertificate(block.Bytes); err == nil {
			sum := sha256.Sum256(c.RawSubjectPublicKeyInfo)
			list = append(list, base64.StdEncoding.EncodeToString(sum[:]))
		}
	}
}

// Close ends the browser.
func (b *Browser) Close() {
	slices.Reverse(b.stop)
	for _, stop := range b.stop {
		stop()
	}
}

// A Request says how a page is opened.
type Request struct {
	View
	Wait  string   // a selector that must appear
	Masks []string // selectors of what is not to be seen
	// Screenshot asks for a screenshot and the elements and rules behind it.
	Screenshot bool
	Timeout    time.Duration // how long a page may take in all
}

// A Visit is the result of opening a page.
type Visit struct {
	Messages []*console.Message
	More     int              // how many messages there were beyond those, at least
	Paint    time.Duration    // until something was first seen, 0 if nothing was
	Bytes    map[string]int64 // on the wire, by host
	Requests int
	Shot     *Shot // where a picture was wanted and could be taken
}

//go:embed still.js
var stillScript string

//go:embed console.js
var consoleScript string

// moreLines is an expression for how many console lines of a page and its frames were only counted.
const moreLines = `(function count(w) {
	let n = w[Symbol.for("merry.console")] || 0;
	for (let i = 0; i < w.length; i++) try { n += count(w[i]) } catch (e) {} // a frame of another origin
	return n;
})(window)`

//go:embed state.js
var stateScript string

// Visit opens a page, all in the same kind of view. A page that does not come to an end, or to whose end the browser
// comes, is left, and reported as such; an error is one of the browser itself.
func (b *Browser) Visit(ctx context.Context, address string, v Request) (*Visit, error) {
	t, err := b.tab(v)
	if err != nil {
		return newListener().given(ctx, b, v, err)
	}
	tab, cancel := context.WithTimeout(t.ctx, v.Timeout)
	defer cancel()
	defer context.AfterFunc(ctx, cancel)()
	l := newListener()
	chromedp.ListenTarget(tab, func(event any) { l.hear(tab, event) })
	err = chromedp.Run(tab, chromedp.ActionFunc(func(ctx context.Context) error {
		_, _, failed, _, err := page.Navigate(address).Do(ctx)
		if err == nil && failed != "" && failed != "net::ERR_ABORTED" {
			l.add(&console.Message{Looking: true, Kind: console.Failed, Text: "the page can't be opened: " + failed,
				URL: address})
		}
		return err
	}))
	if err == nil {
		err = b.rest(tab, l, v)
	}
	seen := l.visit()
	if err == nil && l.fresh() && t.leave(tab, address) == nil {
		b.give(t)
		return seen, nil
	}
	t.close()
	if err != nil {
		return l.given(ctx, b, v, err)
	}
	return seen, nil
}

// A tab is one in which pages are opened one after the other: a tab of its own for each would cost more than the page.
type tab struct {
	ctx   context.Context
	close func()
}

// tab opens a tab, or takes one that has been left, for pages that are all seen in one way.
func (b *Browser) tab(v Request) (*tab, error) {
	b.mu.Lock()
	if n := len(b.free); n > 0 {
		t := b.free[n-1]
		b.free = b.free[:n-1]
		b.mu.Unlock()
		return t, chromedp.Run(t.ctx, emulation.SetDeviceMetricsOverride(int64(v.Width), viewHeight, 1, false))
	}
	b.mu.Unlock()
	browser := cdproto.WithExecutor(b.ctx, chromedp.FromContext(b.ctx).Browser)
	apart, err := target.CreateBrowserContext().Do(browser)
	if err != nil {
		return nil, err
	}
	id, err := target.CreateTarget("about:blank").WithBrowserContextID(apart).WithNewWindow(true).Do(browser)
	if err != nil {
		return nil, err
	}
	ctx, closeTab := chromedp.NewContext(b.ctx, chromedp.WithTargetID(id))
	t := &tab{ctx, func() {
		closeTab()
		target.DisposeBrowserContext(apart).Do(browser)
	}}
	media := emulation.SetEmulatedMedia()
	if v.Screenshot || v.Dark {
		features := []*emulation.MediaFeature{{Name: "prefers-reduced-motion", Value: "reduce"}}
		if v.Dark {
			features = append(features, &emulation.MediaFeature{Name: "prefers-color-scheme", Value: "dark"})
		}
		media = media.WithFeatures(features)
	}
	err = chromedp.Run(ctx, network.Enable(), log.Enable(), runtime.Enable(), page.Enable(), media,
		emulation.SetDeviceMetricsOverride(int64(v.Width), viewHeight, 1, false),
		emulation.SetScriptExecutionDisabled(v.NoScripts), cdp.SetDownloadBehavior(cdp.SetDownloadBehaviorBehaviorDeny),
		chromedp.ActionFunc(func(ctx context.Context) error {
			script := strings.Replace(consoleScript, "LIMIT", strconv.Itoa(maxMessages), 1)
			if _, err := page.AddScriptToEvaluateOnNewDocument(script).Do(ctx); err != nil || !v.Screenshot {
				return err
			}
			_, err := page.AddScriptToEvaluateOnNewDocument(stillScript).Do(ctx)
			return err
		}))
	if err != nil {
		t.close()
		return nil, err
	}
	return t, nil
}

// leave makes a tab ready for the next page, which finds nothing of the one before: no cookie, nothing kept. The page
// itself stays until the next takes its place: one of the same site can be opened in the same process.
func (t *tab) leave(visit context.Context, address string) error {
	ctx, cancel := context.WithTimeout(visit, 2*time.Second)
	defer cancel()
	at, err := url.Parse(address)
	if err != nil {
		return err
	}
	return chromedp.Run(ctx, storage.ClearDataForOrigin(at.Scheme+"://"+at.Host, "all"), network.ClearBrowserCookies(),
		log.Clear())
}

// give keeps a tab for the next page.
func (b *Browser) give(t *tab) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.free = append(b.free, t)
}

// CloseTabs closes the tabs that wait for a page, with all that was kept in them.
func (b *Browser) CloseTabs() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, t := range b.free {
		t.close()
	}
	b.free = nil
}

// viewHeight is the height of the window, in pixels.
const viewHeight = 800

// rest waits until the page is loaded and quiet, and looks at it.
func (b *Browser) rest(tab context.Context, l *listener, v Request) error {
	if err := l.quiet(tab); err != nil {
		return err
	}
	if v.Wait != "" {
		if err := b.appear(tab, l, v); err != nil {
			return err
		}
	}
	for range 20 { // it is reported a little later than it happens, and of an empty page never
		var paint float64
		err := chromedp.Run(tab, chromedp.Evaluate(`(performance.getEntriesByType("paint").find(e => e.name === `+
			`"first-contentful-paint") || {startTime: 0}).startTime`, &paint))
		if err != nil {
			return err
		}
		if l.paint = time.Duration(paint * float64(time.Millisecond)); l.paint > 0 {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	var more int
	if err := chromedp.Run(tab, chromedp.Evaluate(moreLines, &more)); err != nil {
		return err
	}
	l.countMore(more)
	if !v.Screenshot {
		return nil
	}
	shot := &Shot{View: v.View}
	for _, mask := range v.Masks {
		if _, err := there(tab, "mask", mask); err != nil {
			return err
		}
	}
	masks, err := json.Marshal(append([]string{}, v.Masks...))
	if err != nil {
		return err
	}
	err = chromedp.Run(tab, chromedp.Evaluate("("+stateScript+")("+string(masks)+")", &shot.State,
		func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }),
		chromedp.ActionFunc(func(ctx context.Context) error {
			_, _, _, _, _, size, err := page.GetLayoutMetrics().Do(ctx)
			if err != nil {
				return err
			}
			height := min(max(size.Height, viewHeight), MaxHeight)
			shot.Picture, err = page.CaptureScreenshot().WithCaptureBeyondViewport(true).WithClip(
				&page.Viewport{Width: float64(v.Width), Height: height, Scale: 1}).Do(ctx)
			return err
		}))
	if err != nil {
		return err
	}
	l.shot = shot
	return nil
}

// there reports whether anything on the page matches a selector that a flag names. A selector that does not parse is
// refused.
func there(tab context.Context, flag, selector string) (is bool, err error) {
	err = chromedp.Run(tab, chromedp.Evaluate(fmt.Sprintf("!!document.querySelector(%q)", selector), &is))
	var wrong *runtime.ExceptionDetails
	if errors.As(err, &wrong) {
		err = problem.Misuse("write it as a stylesheet would, such as '.crew-list li'", "--%s %s is not a CSS selector",
			flag, selector)
	}
	return is, err
}

// appear waits for a selector.
func (b *Browser) appear(tab context.Context, l *listener, v Request) error {
	for until := time.Now().Add(v.Timeout / 2); ; {
		is, err := there(tab, "wait", v.Wait)
		switch {
		case err != nil:
			return err
		case is:
			return l.quiet(tab)
		case time.Now().After(until):
			l.add(&console.Message{Looking: true, Kind: console.Error, Text: "no element appeared that matches " +
				v.Wait})
			return nil
		}
		if err := chromedp.Run(tab, chromedp.Sleep(50*time.Millisecond)); err != nil {
			return err
		}
	}
}

// given is a visit that was given up: the page's fault is said with what was seen so far, the browser's own is an
// error.
func (l *listener) given(ctx context.Context, b *Browser, v Request, err error) (*Visit, error) {
	var misuse *problem.Problem
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &misuse):
		return nil, err
	case b.ctx.Err() != nil:
		return nil, problem.Fault(problem.BrowserFailed, "the same command again; or set another browser: merry "+
			"sources set browser FILE", "the browser stopped unexpectedly: %v", err)
	case l.crashed():
		l.add(&console.Message{Looking: true, Kind: console.Error, Text: "the browser's process for the page ended, " +
			"most likely for lack of memory"})
	case errors.Is(err, context.DeadlineExceeded):
		l.add(&console.Message{Looking: true, Kind: console.Error, Text: fmt.Sprintf("the page did not finish loading "+
			"within %v", v.Timeout)})
	default:
		l.add(&console.Message{Looking: true, Kind: console.Error, Text: "the page can't be read: " + err.Error()})
	}
	return l.visit(), nil
}
