// Package tags reads and writes the tags of a project's pages: which file a tag refers to, how a reference is written,
// where a new tag belongs, and fallbacks and hints. It edits one page at a time.
package tags

import (
	"net/url"
	"path"
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/template"
)

// nowhere stands for the site's own origin while references are resolved.
var nowhere = url.URL{Scheme: "https", Host: "site.invalid", Path: "/"}

// A Target is the file or address that a reference leads to. The zero value is none.
type Target struct {
	Path paths.InSite // for a local file
	URL  string       // elsewhere
	Odd  string       // why it leads to neither: templated, empty, not a usable address
}

// IsZero reports whether the target is nothing that could be loaded.
func (t Target) IsZero() bool { return t.Path.IsZero() && t.URL == "" }

// String returns the path or the address.
func (t Target) String() string { return t.Path.String() + t.URL }

// Resolve resolves a reference of a page, or of another file of the site, as a browser does (HTML Standard, section
// 2.4; RFC 3986, section 5), with the page's base element, "" if there is none.
func Resolve(from paths.InSite, base, ref string) Target {
	if ref == "" {
		return Target{Odd: "the reference is empty"}
	}
	if page.MayHaveHoles(ref) {
		if page.Templated(ref) {
			return Target{Odd: filledIn}
		}
		ref = template.Reference(ref).Path
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
		return Target{Odd: "the reference is not an address"}
	}
	to := baseOf(from, base).ResolveReference(u)
	if to.Host != nowhere.Host {
		switch to.Scheme {
		case "data", "blob", "about", "javascript":
			return Target{Odd: "the reference contains its content"}
		case "file":
			return Target{Odd: "the reference leads to a file on one machine"}
		}
		return Target{URL: to.String()}
	}
	return Target{Path: paths.Found(strings.TrimPrefix(path.Clean("/"+to.Path), "/"))}
}

// filledIn is said of a reference whose path a server fills in.
const filledIn = "a server fills it in"

// Lead is Resolve for a reference that a server may fill in: where its path is made by a helper, or begins with
// something that is filled in, and what is plainly written in it is the end of exactly one file's path, it leads to
// that file. On a page that is filled in, the same holds for a plain path at which there is no file: such a page is
// seen from elsewhere than where its template lies.
func Lead(p *project.Project, from paths.InSite, base, ref string, filled bool) Target {
	t := Resolve(from, base, ref)
	switch {
	case t.Odd == filledIn:
		return only(p, template.Reference(ref), t)
	case filled && !t.Path.IsZero() && !p.HasFile(t.Path):
		return only(p, template.Plain(ref), t)
	}
	return t
}

// only returns the one file whose path ends in a literal text of a reference. If there is none, or more than one, it
// returns other.
func only(p *project.Project, w template.Written, other Target) Target {
	var found []paths.InSite
	for _, l := range w.Literals {
		found = append(found, p.EndingIn(w.Path[l.Start:l.End])...)
	}
	if len(found) != 1 {
		return other
	}
	return Target{Path: found[0]}
}

// LeadOnce is Lead for one of many references, as ResolveOnce is.
func LeadOnce(p *project.Project, from paths.InSite, base, ref string, filled bool) Target {
	if at := plainPath(from, base, ref); !at.IsZero() && (!filled || p.HasFile(at)) {
		return Target{Path: at}
	}
	return Lead(p, from, base, ref, filled)
}

// writtenAs takes a reference apart that leads to a file otherwise than by its plain path; ok is false for all others.
func writtenAs(ref string, from paths.InSite, base string, to paths.InSite) (w template.Written, ok bool) {
	if w = template.Reference(ref); w.Hidden {
		return w, true
	}
	if t := Resolve(from, base, ref); to.IsZero() || t.Path == to || t.Path.IsZero() {
		return w, false
	}
	w = template.Plain(ref)
	_, _, ok = w.Spells(to.String())
	return w, ok
}

// ResolveOnce is Resolve for one of many references that are not remembered: what has nothing but the letters and marks
// of a path, as most have, takes a tenth of the time.
func ResolveOnce(from paths.InSite, base, ref string) Target {
	if at := plainPath(from, base, ref); !at.IsZero() {
		return Target{Path: at}
	}
	return Resolve(from, base, ref)
}

// plainPath resolves a reference that has nothing but letters, digits and marks of paths, as most have; the zero value
// stands for all others. Links are many, and each is resolved once: remembering them would cost more than it saves.
func plainPath(from paths.InSite, base, ref string) paths.InSite {
	if base != "" || strings.HasPrefix(ref, "/") {
		return paths.InSite{}
	}
	for i := range len(ref) {
		switch c := ref[i]; {
		case 'a' <= c && c <= 'z', 'A' <= c && c <= 'Z', '0' <= c && c <= '9', c == '/', c == '.', c == '-', c == '_':
		default:
			return paths.InSite{}
		}
	}
	if dir := from.Dir(); !strings.Contains(ref, "./") && !strings.Contains(ref, "//") &&
		!strings.HasSuffix(ref, "/") && !strings.HasSuffix(ref, ".") {
		if dir == "." {
			return paths.Found(ref)
		}
		return paths.Found(dir + "/" + ref)
	}
	return paths.Found(strings.TrimPrefix(path.Join("/", from.Dir(), ref), "/"))
}

func baseOf(from paths.InSite, base string) *url.URL {
	at := nowhere
	at.Path = "/" + from.String()
	if base != "" {
		if b, err := url.Parse(base); err == nil {
			return at.ResolveReference(b)
		}
	}
	return &at
}

// Reference writes the reference by which a page reaches a file of the site: relative, or from the root where the
// page's other references are. It reports whether the file can be reached: a base element may lead elsewhere.
func Reference(pg *page.Page, from, file paths.InSite) (string, bool) {
	at := baseOf(from, pg.Base)
	if at.Host != nowhere.Host {
		return "", false
	}
	if rooted(pg) {
		return (&url.URL{Path: "/" + file.String()}).EscapedPath(), true
	}
	dir := strings.TrimPrefix(path.Dir(at.Path+"x"), "/")
	if dir == "" {
		dir = "."
	}
	ref := (&url.URL{Path: paths.Relative(dir, file.String())}).EscapedPath()
	if first, _, _ := strings.Cut(ref, "/"); strings.Contains(first, ":") {
		ref = "./" + ref
	}
	return ref, true
}

// rooted reports whether a page's local references all begin at the site's root.
func rooted(pg *page.Page) bool {
	n := 0
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.Kind != page.Script && in.Kind != page.Stylesheet || in.Templated() || strings.HasPrefix(in.Ref, "//") ||
			strings.Contains(in.Ref, "://") {
			continue
		}
		if !strings.HasPrefix(in.Ref, "/") {
			return false
		}
		n++
	}
	return n > 0
}

// WithoutQuery is a reference up to its query and fragment.
func WithoutQuery(ref string) string { return template.Reference(ref).Path }
