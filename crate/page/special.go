package page

import (
	"bytes"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// Special says what a page is that takes no libraries, "" for all others: a mail's template, a page of the lightweight
// format that forbids own scripts, a feed.
func (p *Page) Special() string {
	head := bytes.ToLower(p.Bytes[:min(len(p.Bytes), 1<<14)])
	switch {
	case feed().Match(head):
		return "a feed"
	case p.lightweight():
		return "a page of the lightweight format that forbids own scripts"
	case p.mail(head):
		return "a template of a mail"
	}
	return ""
}

var (
	feed   = memo.Regexp(`^\s*(?:<\?xml[^>]*>\s*)?(?:<!--.*?-->\s*)?<(?:rss|feed|rdf:rdf|urlset|sitemapindex)\b`)
	forOld = memo.Regexp(`<!--\[if\s+[^\]]*mso|xmlns:v="urn:schemas-microsoft-com:vml"|mso-[a-z-]+:|` +
		`x-apple-disable-message-reformatting`)
)

// lightweight reports whether the html tag says that the page is of the format whose pages have no scripts of their
// own.
func (p *Page) lightweight() bool {
	if !p.html.there() {
		return false
	}
	s := &Scanner{b: p.masked, pos: p.html.start}
	t := s.Next()
	return t != nil && slices.ContainsFunc(s.Attrs(t), func(a Attr) bool {
		return a.Name == "amp" || a.Name == "⚡" || strings.HasPrefix(a.Name, "amp4") || strings.HasPrefix(a.Name, "⚡4")
	})
}

// mail reports whether a page is a mail's template: it is written for mail programs, or laid out by tables that are
// styled in place, and has neither scripts nor stylesheets of their own files.
func (p *Page) mail(head []byte) bool {
	for i := range p.Includes {
		if k := p.Includes[i].Kind; k == Script || k == Stylesheet && !strings.Contains(p.Includes[i].Ref, "//") {
			return false
		}
	}
	if forOld().Match(head) {
		return true
	}
	all := bytes.ToLower(p.Bytes)
	cells, styled := bytes.Count(all, []byte("<td")), bytes.Count(all, []byte("<td style="))
	return bytes.Contains(all, []byte("<table")) && bytes.Contains(all, []byte("cellpadding")) && cells > 2 &&
		(2*styled > cells || bytes.Contains(all, []byte("unsubscribe")))
}
