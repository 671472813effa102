package tags

import (
	"net/url"
	"path"
	"strings"

	"merrycrate.example/merry/crate/paths"
)

// Rewrite writes a reference again that is on a page, or in another file of the site, at from, so that it leads to a
// file: from the root or relative, with "./" or without, with the query and the fragment, as it was written before.
func Rewrite(was string, from paths.InSite, base string, to paths.InSite) string {
	suffix := was[len(WithoutQuery(was)):]
	if strings.HasPrefix(was, "/") {
		return (&url.URL{Path: "/" + to.String()}).EscapedPath() + suffix
	}
	at := baseOf(from, base)
	dir := strings.TrimPrefix(path.Dir(at.Path+"x"), "/")
	if dir == "" {
		dir = "."
	}
	ref := (&url.URL{Path: paths.Relative(dir, to.String())}).EscapedPath()
	first, _, _ := strings.Cut(ref, "/")
	if (strings.HasPrefix(was, "./") || strings.Contains(first, ":")) && !strings.HasPrefix(ref, "../") {
		ref = "./" + ref
	}
	return ref + suffix
}
