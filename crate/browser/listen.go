package browser

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/inspector"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/memo"
)

// A listener keeps what a tab says.
type listener struct {
	mu       sync.Mutex
	messages []*console.Message
	more     int                          // messages beyond those that are kept
	requests map[network.RequestID]string // to their addresses
	open     map[network.RequestID]bool   // those that are not answered yet
	asked    int
	bytes    map[string]int64
	begun    bool // the page has taken the place of the one before
	loaded   bool
	changed  time.Time // when something last happened
	ended    bool
	spoilt   bool // bytes were refused: the tab's process remembers that, and says it of later pages, too

	paint time.Duration
	shot  *Shot
}

func newListener() *listener {
	return &listener{requests: map[network.RequestID]string{}, open: map[network.RequestID]bool{},
		bytes: map[string]int64{}, changed: time.Now()}
}

// maxMessages is how many messages of one page are kept: more than anybody reads.
const maxMessages = 1000

func (l *listener) add(m *console.Message) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.keep(m)
}

func (l *listener) keep(m *console.Message) {
	if len(l.messages) < maxMessages {
		l.messages = append(l.messages, m)
	} else {
		l.more++
	}
}

// countMore adds messages that were counted on the page.
func (l *listener) countMore(n int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.more += n
}

func (l *listener) crashed() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.ended
}

// fresh reports whether the tab is as good as new for another page.
func (l *listener) fresh() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return !l.spoilt
}

func (l *listener) visit() *Visit {
	l.mu.Lock()
	defer l.mu.Unlock()
	return &Visit{Messages: l.messages, More: l.more, Paint: l.paint, Bytes: l.bytes, Requests: l.asked, Shot: l.shot}
}

// calm is how long nothing must happen before a page is at rest, and longest how long that is waited for once it is
// loaded.
const (
	calm    = 100 * time.Millisecond
	longest = 4 * time.Second
)

// quiet waits until the page is loaded and asks for nothing more.
func (l *listener) quiet(tab context.Context) error {
	var since time.Time
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		l.mu.Lock()
		loaded, rest, ended := l.loaded, len(l.open) == 0 && time.Since(l.changed) > calm, l.ended
		l.mu.Unlock()
		if loaded && since.IsZero() {
			since = time.Now()
		}
		switch {
		case ended:
			return errEnded
		case loaded && (rest || time.Since(since) > longest):
			return nil
		}
		select {
		case <-tab.Done():
			return tab.Err()
		case <-tick.C:
		}
	}
}

var errEnded = fmt.Errorf("the page's process ended")

// hear takes one event of the tab.
func (l *listener) hear(tab context.Context, event any) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if _, is := event.(*page.EventFrameNavigated); is && !l.begun {
		l.begun = event.(*page.EventFrameNavigated).Frame.ParentID == ""
	}
	switch e := event.(type) {
	case *page.EventJavascriptDialogOpening:
		if e.Type == page.DialogTypeBeforeunload {
			go chromedp.Run(tab, page.HandleJavaScriptDialog(true))
			return
		}
	case *runtime.EventConsoleAPICalled, *runtime.EventExceptionThrown, *log.EventEntryAdded, *page.EventLoadEventFired:
		if !l.begun {
			return // of the page before
		}
	}
	switch e := event.(type) {
	case *page.EventLoadEventFired:
		l.loaded, l.changed = true, time.Now()
	case *page.EventJavascriptDialogOpening:
		l.keep(&console.Message{Kind: console.Warning, Text: fmt.Sprintf("the page opens a dialog (%s), which was "+
			"dismissed: %s", e.Type, e.Message)})
		go chromedp.Run(tab, page.HandleJavaScriptDialog(false))
	case *inspector.EventTargetCrashed:
		l.ended = true
	case *runtime.EventConsoleAPICalled:
		l.called(e)
	case *runtime.EventExceptionThrown:
		l.thrown(e.ExceptionDetails)
	case *log.EventEntryAdded:
		l.entry(e.Entry)
	default:
		l.traffic(event)
	}
}

// traffic takes an event of the network.
func (l *listener) traffic(event any) {
	switch e := event.(type) {
	case *network.EventRequestWillBeSent:
		if strings.HasPrefix(e.Request.URL, "data:") || strings.HasPrefix(e.Request.URL, "blob:") {
			return
		}
		l.requests[e.RequestID], l.open[e.RequestID], l.changed = e.Request.URL, true, time.Now()
		l.asked++
	case *network.EventResponseReceived:
		if address := e.Response.URL; e.Response.Status >= 400 && !favicon(address) {
			l.keep(&console.Message{Kind: console.Failed, Text: fmt.Sprintf("%d: %s", e.Response.Status, address),
				URL: address})
		}
		if e.Type == network.ResourceTypeEventSource || e.Type == network.ResourceTypeWebSocket {
			delete(l.open, e.RequestID) // it stays open for as long as the page
		}
	case *network.EventLoadingFinished:
		delete(l.open, e.RequestID)
		l.changed = time.Now()
		if at, err := url.Parse(l.requests[e.RequestID]); err == nil && at.Host != "" {
			l.bytes[at.Host] += int64(e.EncodedDataLength)
		}
	case *network.EventLoadingFailed:
		delete(l.open, e.RequestID)
		l.changed = time.Now()
		address := l.requests[e.RequestID]
		if e.Canceled || e.BlockedReason != "" || e.CorsErrorStatus != nil || e.ErrorText == "net::ERR_ABORTED" ||
			address == "" || favicon(address) {
			return // that of the page itself, or one of which the console says more
		}
		l.keep(&console.Message{Kind: console.Failed, Text: plain(e.ErrorText) + ": " + address, URL: address})
	}
}

// favicon reports whether an address is what browsers ask for unasked.
func favicon(address string) bool { return strings.HasSuffix(address, "/favicon.ico") }

// faults are the browser's names for what goes wrong on the network, in words.
var faults = map[string]string{"net::ERR_CONNECTION_REFUSED": "the host refuses the connection",
	"net::ERR_NAME_NOT_RESOLVED": "there is no such host", "net::ERR_EMPTY_RESPONSE": "the host sent an empty answer",
	"net::ERR_CONNECTION_RESET":       "the host closed the connection",
	"net::ERR_TIMED_OUT":              "the host did not answer in time",
	"net::ERR_TOO_MANY_REDIRECTS":     "it redirects too often",
	"net::ERR_INTERNET_DISCONNECTED":  "there is no network",
	"net::ERR_CERT_AUTHORITY_INVALID": "its certificate comes from an unknown authority"}

func plain(text string) string { return cmp.Or(faults[text], text) }

// called is a call of the console.
func (l *listener) called(e *runtime.EventConsoleAPICalled) {
	m := &console.Message{Kind: console.Error}
	switch e.Type {
	case runtime.APITypeError, runtime.APITypeAssert:
	case runtime.APITypeWarning:
		m.Kind = console.Warning
	default:
		return
	}
	var words []string
	for _, a := range e.Args {
		words = append(words, textOf(a))
	}
	m.Text = strings.Join(words, " ")
	place(m, e.StackTrace, "", 0, 0)
	l.keep(m)
}

// textOf writes a value as the console shows it, on one line.
func textOf(o *runtime.RemoteObject) string {
	var text string
	if json.Unmarshal(o.Value, &text) == nil {
		return text
	}
	if o.Preview != nil && o.Type == runtime.TypeObject && o.Subtype != runtime.SubtypeError {
		var list []string
		for _, p := range o.Preview.Properties {
			list = append(list, p.Name+": "+p.Value)
		}
		return "{" + strings.Join(list, ", ") + "}"
	}
	if first, _, _ := strings.Cut(o.Description, "\n"); first != "" {
		return first
	}
	return string(o.Value)
}

// thrown is an error that nobody caught.
func (l *listener) thrown(d *runtime.ExceptionDetails) {
	m := &console.Message{Kind: console.Error, Text: d.Text}
	if d.Exception != nil {
		if text := textOf(d.Exception); text != "" {
			m.Text = text
		}
	}
	if strings.Contains(d.Text, "in promise") {
		m.Kind, m.Text = console.Rejection, console.Unhandled+m.Text
	}
	place(m, d.StackTrace, d.URL, d.LineNumber, d.ColumnNumber)
	l.keep(m)
}

// consoleURL is what the script that counts the console's lines calls itself.
const consoleURL = "merry:console"

// place gives a message the first place of a stack, else the one that is named, from 0.
func place(m *console.Message, stack *runtime.StackTrace, address string, line, column int64) {
	if stack != nil {
		for _, f := range stack.CallFrames {
			if f.URL != consoleURL {
				address, line, column = f.URL, f.LineNumber, f.ColumnNumber
				break
			}
		}
	}
	if address != "" && !strings.HasPrefix(address, "__") {
		m.URL, m.Line, m.Column = address, int(line)+1, int(column)+1
	}
}

// quoted is an address in the browser's own words.
var quoted = memo.Regexp(`'((?:https?|data|blob):[^']*)'`)

// entry is what the browser itself says in the console.
func (l *listener) entry(e *log.Entry) {
	if e.Source == log.SourceNetwork && strings.HasPrefix(e.Text, "Failed to load resource") {
		return // it is reported where it happens
	}
	m := &console.Message{Kind: console.Warning, Text: e.Text, URL: e.URL}
	if e.LineNumber > 0 && e.URL != "" {
		m.Line, m.Column = int(e.LineNumber)+1, 1
	}
	if e.Level == log.LevelError {
		m.Kind = console.Error
	}
	of := quoted().FindStringSubmatch(e.Text)
	switch {
	case e.Level != log.LevelError:
	case strings.Contains(e.Text, "'integrity' attribute"):
		m.Kind, m.Line, m.Column, l.spoilt = console.Blocked, 0, 0, true
		if of != nil {
			m.URL, m.Text = of[1], "its bytes do not match its integrity: "+of[1]
		}
	case e.Source == log.SourceSecurity || strings.Contains(e.Text, "Content Security Policy") ||
		strings.Contains(e.Text, "CORS policy") || strings.Contains(e.Text, "Integrity-Policy"):
		m.Kind = console.Blocked
		if of != nil {
			m.URL, m.Line, m.Column = of[1], 0, 0
		}
	case e.Level != log.LevelError && e.Level != log.LevelWarning:
		return
	}
	if e.Level == log.LevelError || e.Level == log.LevelWarning {
		l.keep(m)
	}
}
