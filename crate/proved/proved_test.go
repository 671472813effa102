package proved

import (
	"context"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/internal/cratetest"
)

// TestInBrowser: what a browser refuses under a policy is allowed as narrowly as that goes, and the rest is named.
func TestInBrowser(t *testing.T) {
	const tail = "The action has been blocked."
	says := map[string]string{
		"Loading the font 'data:font/woff;base64,AAAA' violates the following Content Security Policy directive: " +
			"\"default-src 'none'\". Note that 'font-src' was not explicitly set, so 'default-src' is used as a " +
			"fallback. " + tail: "font-src data:",
		"Loading the script 'http://cdn.harbour.example/a.js' violates the following Content Security Policy " +
			"directive: \"script-src 'self'\". Note that 'script-src-elem' was not explicitly set, so 'script-src' " +
			"is " +
			"used as a fallback. " + tail: "script-src 'self' http://cdn.harbour.example",
		"Connecting to 'data/tides.json' violates the following Content Security Policy directive: \"default-src " +
			"'none'\". Note that 'connect-src' was not explicitly set, so 'default-src' is used as a fallback. " +
			tail: "connect-src 'self'",
		"Applying inline style violates the following Content Security Policy directive 'default-src 'none''. Either " +
			"the 'unsafe-inline' keyword, a hash ('sha256-NerDAUWfwD31YdZHveMrq0GLjsNFMwxLpZl0dPUeCcw='), or a nonce " +
			"('nonce-...') is required to enable inline execution. Note that hashes do not apply to event handlers, " +
			"style attributes and javascript: navigations unless the 'unsafe-hashes' keyword is present. " +
			"Note also that 'style-src' was not explicitly set, so 'default-src' is used as a fallback. " +
			"" + tail: "style-src 'sha256-NerDAUWfwD31YdZHveMrq0GLjsNFMwxLpZl0dPUeCcw=' 'unsafe-hashes'",
		"EvalError: Evaluating a string as JavaScript violates the following Content Security Policy directive " +
			"because " +
			"'unsafe-eval' is not an allowed source of script: script-src 'self'\".": "script-src 'self' 'unsafe-eval'",
	}
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{"a.html": `<!doctype html><script ` +
		`src="js/own.js"></script>`, "js/own.js": "var own"})
	for text, want := range says {
		list, err := csp.Policies(context.Background(), p, nil, string(p.Root))
		if err != nil || len(list) != 1 {
			t.Fatal(list, err)
		}
		err = InBrowser(context.Background(), list, func(policies map[string]string) (*look.Report, error) {
			page := &look.Page{Page: "a.html"}
			if !strings.Contains(policies["a.html"], want) {
				page.Messages = []*console.Message{{Kind: console.Error, Page: "a.html", Text: text}}
			}
			return &look.Report{Pages: []*look.Page{page}}, nil
		})
		if err != nil || !strings.Contains(list[0].Policy, want) || len(list[0].Notes) != 1 ||
			strings.Join(list[0].ProvedBy, " ") != "check browser" {
			t.Errorf("%s\n%v, %+v", text, err, list)
		}
	}
	list, _ := csp.Policies(context.Background(), p, nil, string(p.Root))
	err := InBrowser(context.Background(), list, func(map[string]string) (*look.Report, error) {
		return &look.Report{Pages: []*look.Page{{Page: "a.html", Messages: []*console.Message{{Kind: console.Error,
			Page: "a.html", Text: "Something new in the Content Security Policy"}, {Kind: console.Error,
			Page: "a.html", Text: "TypeError: x is not a function"}, {Kind: console.Error, Page: "a.html",
			Text: "The Content Security Policy directive 'frame-ancestors' is ignored when delivered via a <meta> " +
				"element."},
			{Kind: console.Error, Page: "a.html", Text: "Loading the font 'a.woff' violates the following Content " +
				"Security Policy directive: \"font-src https://own.example\". The action has been blocked."}}}}}, nil
	})
	if err != nil || len(list[0].Notes) != 1 || !strings.Contains(list[0].Notes[0], "still refuses something") {
		t.Errorf("%v, %+v", err, list)
	}
}
