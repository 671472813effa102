package crate

import (
	"net/url"
	"path"
	"strings"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/page"
)

// nowhere stands for the site's own origin while references are resolved.
var nowhere = url.URL{Scheme: "https", Host: "site.invalid", Path: "/"}

// A Target is what a reference on a page leads to.
type Target struct {
	Path string // in the site, for a local file
	URL  string // elsewhere
	Odd  string // why it leads to neither: templated, empty, not a usable address
}

// targetOf resolves a reference of a page as a browser does (HTML Standard, section 2.4; RFC 3986,
// section 5), with the page's base element.
func targetOf(pagePath, base, ref string) Target {
	if ref == "" {
		return Target{Odd: "the reference is empty"}
	}
	u, err := url.Parse(strings.Map(func(r rune) rune {
		switch r {
		case '\t', '\n', '\r':
			return -1
		case '\\':
			return '/'
		}
		return r
	}, ref))
	if err != nil {
		return Target{Odd: "the reference is no address"}
	}
	from := baseOf(pagePath, base)
	to := from.ResolveReference(u)
	if to.Host != nowhere.Host {
		if to.Scheme == "data" || to.Scheme == "blob" || to.Scheme == "about" || to.Scheme == "javascript" {
			return Target{Odd: "the reference carries its content in itself"}
		}
		if to.Scheme == "file" {
			return Target{Odd: "the reference leads to a file of one machine"}
		}
		return Target{URL: to.String()}
	}
	return Target{Path: strings.TrimPrefix(path.Clean("/"+to.Path), "/")}
}

func baseOf(pagePath, base string) *url.URL {
	from := nowhere
	from.Path = "/" + pagePath
	if base != "" {
		if b, err := url.Parse(base); err == nil {
			return from.ResolveReference(b)
		}
	}
	return &from
}

// refTo writes the reference by which a page reaches a file of the site: relative, or from the root
// where the page's other references are.
func refTo(pg *page.Page, pagePath, file string) (string, bool) {
	from := baseOf(pagePath, pg.Base)
	if from.Host != nowhere.Host {
		return "", false
	}
	if rooted(pg) {
		return (&url.URL{Path: "/" + file}).EscapedPath(), true
	}
	dir := strings.TrimPrefix(path.Dir(from.Path+"x"), "/")
	ref := (&url.URL{Path: delivery.Relative(orDot(dir), file)}).EscapedPath()
	if first, _, _ := strings.Cut(ref, "/"); strings.Contains(first, ":") {
		ref = "./" + ref
	}
	return ref, true
}

func orDot(dir string) string {
	if dir == "" {
		return "."
	}
	return dir
}

// rooted tells whether a page's local references all begin at the site's root.
func rooted(pg *page.Page) bool {
	n := 0
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.Kind != page.Script && in.Kind != page.Stylesheet || in.Templated() || strings.HasPrefix(in.Ref, "//") || strings.Contains(in.Ref, "://") {
			continue
		}
		if !strings.HasPrefix(in.Ref, "/") {
			return false
		}
		n++
	}
	return n > 0
}
