// Package proved holds content security policies against pages in a browser, before somebody relies on them.
package proved

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"context"

	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/memo"
)

// What is tried at most: more pages are proved by check alone, and what a browser refuses after some rounds is named.
const (
	maxPages  = 50
	maxRounds = 4
)

// InBrowser opens the pages of policies under them. What a browser refuses, and can be allowed narrowly, is allowed;
// the rest is noted. Open looks at pages, each under its policy. The errors are those of open.
func InBrowser(ctx context.Context, list []csp.PagePolicy,
	open func(policies map[string]string) (*look.Report, error)) error {
	of, left := map[string]*csp.PagePolicy{}, map[string]string{}
	for i := range list {
		if strings.Contains(list[i].Policy, csp.FilledNonce) {
			continue // only the server that fills the pages in can tell
		}
		for _, name := range list[i].Pages {
			of[name], left[name] = &list[i], list[i].Policy
		}
	}
	if len(left) > maxPages {
		return nil
	}
	for round := 1; len(left) > 0; round++ {
		seen, err := open(left)
		if err != nil {
			return err
		}
		widened := map[*csp.PagePolicy]bool{}
		for _, page := range seen.Pages {
			p := of[page.Page]
			if p == nil {
				continue
			}
			for _, m := range page.Messages {
				refused, has := refusalOf(m)
				if !has || refused.quoted != "" && !strings.Contains(left[page.Page], refused.quoted) {
					continue // a policy of the page's own forbids it, of which check tells
				}
				more := false
				for _, source := range refused.sources {
					more = round < maxRounds && p.Widen(refused.directive, source) || more
				}
				switch {
				case more:
					widened[p] = true
					note(p, fmt.Sprintf("%s: a browser asked for %s in %s as well (%s)", page.Page,
						strings.Join(refused.sources, " "), refused.directive, m.Place()))
				case !widened[p]:
					note(p, fmt.Sprintf("%s: a browser still refuses something (%s): %s", page.Page, m.Place(), m.Text))
				}
			}
		}
		left = map[string]string{}
		for name, p := range of {
			if widened[p] {
				left[name] = p.Policy
			}
		}
	}
	for i := range list {
		if of[list[i].Pages[0]] != nil {
			list[i].ProvedBy = append(list[i].ProvedBy, csp.ByBrowser)
		}
	}
	return ctx.Err()
}

func note(p *csp.PagePolicy, text string) {
	if !slices.Contains(p.Notes, text) {
		p.Notes = append(p.Notes, text)
	}
}

// A refusal is what a browser's console says that a policy forbids, and the sources that would allow it.
type refusal struct {
	directive string
	quoted    string // the directive with its sources, as the console has it, "" if it does not say
	sources   []string
}

// The console names the directive that decided, the address, and the hash of what is inline.
var (
	violates = memo.Regexp(`violates (?:the following|the document's) Content Security Policy directive[: ` +
		`]+["']?([a-z-]+)`)
	fallback = memo.Regexp(`'([a-z-]+)' was not explicitly set`)
	address  = memo.Regexp(`'([^']*)' violates`)
	inline   = memo.Regexp(`a hash \('(sha(?:256|384|512)-[A-Za-z0-9+/=]+)'\)`)
	quoted   = memo.Regexp(`directive: "([^"]+)"|directive '(.+?)'\. Either`)
	codes    = memo.Regexp(`'(unsafe-eval|wasm-unsafe-eval)' is not an allowed source`)
)

// refusalOf reads a message of the console, and reports whether a policy is its cause.
func refusalOf(m *console.Message) (r refusal, has bool) {
	if !strings.Contains(m.Text, "Content Security Policy") && !strings.Contains(m.Text, "Content Security policy") ||
		strings.Contains(m.Text, " ignored") {
		return r, false
	}
	if found := quoted().FindStringSubmatch(m.Text); found != nil {
		r.quoted = found[1] + found[2]
	}
	if found := violates().FindStringSubmatch(m.Text); found != nil {
		r.directive = found[1]
	}
	if found := fallback().FindStringSubmatch(m.Text); found != nil {
		r.directive = found[1]
	}
	r.directive = strings.TrimSuffix(strings.TrimSuffix(r.directive, "-elem"), "-attr")
	switch {
	case codes().MatchString(m.Text):
		r.directive, r.sources = "script-src", []string{"'" + codes().FindStringSubmatch(m.Text)[1] + "'"}
	case inline().MatchString(m.Text):
		r.sources = []string{"'" + inline().FindStringSubmatch(m.Text)[1] + "'"}
		if strings.Contains(m.Text, "hashes do not apply to event handlers") {
			r.sources = append(r.sources, "'unsafe-hashes'")
		}
	case address().MatchString(m.Text):
		r.sources = []string{sourceOf(address().FindStringSubmatch(m.Text)[1])}
	}
	return r, true
}

// sourceOf is the source expression for an address in a message, which calls the site's files by their paths.
func sourceOf(address string) string {
	at, err := url.Parse(address)
	switch {
	case err != nil || at.Scheme == "" || at.Hostname() == "127.0.0.1":
		return "'self'"
	case at.Host == "":
		return at.Scheme + ":"
	}
	return at.Scheme + "://" + at.Host
}
