package browser

import (
	"context"
	"errors"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"

	"merrycrate.example/merry/crate/console"
)

// TestListenerKeepsSoMany: of messages without end the first are kept and the others counted, with those that the page
// counted itself.
func TestListenerKeepsSoMany(t *testing.T) {
	l := newListener()
	for i := range maxMessages + 7 {
		l.add(&console.Message{Text: strconv.Itoa(i)})
	}
	l.countMore(3)
	v := l.visit()
	if len(v.Messages) != maxMessages || v.More != 10 || v.Messages[0].Text != "0" {
		t.Errorf("%d kept, %d more", len(v.Messages), v.More)
	}
	if !strings.Contains(consoleScript, "LIMIT") || !strings.Contains(consoleScript, consoleURL) {
		t.Error("the script that counts has no limit, or another name than the one that places are told by")
	}
}

// TestHear: what a tab says becomes messages, less what is of the page before, and traffic is counted by host.
func TestHear(t *testing.T) {
	l := newListener()
	hear := func(event any) { l.hear(context.Background(), event) }
	call := func(kind runtime.APIType, text string, frames ...*runtime.CallFrame) *runtime.EventConsoleAPICalled {
		return &runtime.EventConsoleAPICalled{Type: kind,
			Args:       []*runtime.RemoteObject{{Value: []byte(strconv.Quote(text))}},
			StackTrace: &runtime.StackTrace{CallFrames: frames}}
	}
	hear(call(runtime.APITypeError, "of the page before"))
	if err := l.quiet(cancelled()); !errors.Is(err, context.Canceled) {
		t.Errorf("a page that did not load is at rest: %v", err)
	}
	l.begun = true
	hear(call(runtime.APITypeLog, "only a log"))
	hear(call(runtime.APITypeError, "oars", &runtime.CallFrame{URL: consoleURL, LineNumber: 9},
		&runtime.CallFrame{URL: "http://site.example/a.js", LineNumber: 1, ColumnNumber: 2}))
	hear(call(runtime.APITypeWarning, "tide"))
	hear(&network.EventRequestWillBeSent{RequestID: "1", Request: &network.Request{URL: "http://cdn.example/a.js"}})
	hear(&network.EventLoadingFinished{RequestID: "1", EncodedDataLength: 12})
	hear(&network.EventRequestWillBeSent{RequestID: "2",
		Request: &network.Request{URL: "http://cdn.example/favicon.ico"}})
	hear(&network.EventLoadingFailed{RequestID: "2", ErrorText: "net::ERR_FAILED"})
	hear(&network.EventRequestWillBeSent{RequestID: "3", Request: &network.Request{URL: "http://cdn.example/b.js"}})
	hear(&network.EventLoadingFailed{RequestID: "3", ErrorText: "net::ERR_CONNECTION_REFUSED"})
	hear(&page.EventLoadEventFired{})
	v := l.visit()
	var got []string
	for _, m := range v.Messages {
		got = append(got, string(m.Kind)+" "+m.Text)
	}
	want := "error oars; warning tide; failed the host refuses the connection: http://cdn.example/b.js"
	if strings.Join(got, "; ") != want || v.Bytes["cdn.example"] != 12 || v.Requests != 3 {
		t.Errorf("%q, %v, %d requests", got, v.Bytes, v.Requests)
	}
	if m := v.Messages[0]; m.URL != "http://site.example/a.js" || m.Line != 2 || m.Column != 3 {
		t.Errorf("its place is %s:%d:%d", m.URL, m.Line, m.Column)
	}
	if err := l.quiet(context.Background()); err != nil {
		t.Errorf("a loaded page does not come to rest: %v", err)
	}
}

func cancelled() context.Context {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	return ctx
}
