package tags

import (
	"net/url"
	"path"
	"strings"

	"merrycrate.example/merry/crate/paths"
)

// Rewrite writes a reference again that is on a page, or in another file of the site, at from, so that it leads to a
// file: from the root or relative, with "./" or without, with the query and the fragment, as it was written before. A
// reference that a server makes is written in the same way where that can be; old is the file that it led to, from
// where it stood before.
func Rewrite(was string, before, from paths.InSite, base string, old, to paths.InSite) string {
	w, otherwise := writtenAs(was, before, base, old)
	suffix := w.Tail
	if otherwise {
		if ref, ok := w.Respell(old.String(), to.String()); ok {
			return ref + suffix
		}
		return was
	}
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
