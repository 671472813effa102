package csp

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/policy"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/references"

	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/tags"
)

// A PagePolicy is the smallest content security policy with which pages work, as far as reading and a rehearsal show.
type PagePolicy struct {
	Pages  []string `json:"pages"`           // the pages that the policy is for
	Policy string   `json:"policy"`          // value of a Content-Security-Policy header
	Notes  []string `json:"notes,omitempty"` // what it can't allow, or only in a way that is better changed
	// ProvedBy says how it was held against the pages: by check, which reads and rehearses them, and by a browser.
	ProvedBy []string `json:"proved_by"`

	allowed sources
}

// Widen has the policy allow more, and reports whether it did not before.
func (p *PagePolicy) Widen(directive, source string) bool {
	if !slices.Contains(written, directive) || slices.Contains(p.allowed[directive], source) {
		return false
	}
	p.allowed.allow(directive, source)
	p.Policy = p.allowed.String()
	return true
}

// FilledNonce stands in policies for a nonce that the server makes for each answer.
const FilledNonce = "'nonce-NONCE'"

// The ways in which policies are proved.
const (
	ByCheck   = "check"
	ByBrowser = "browser"
)

// reading is what reads the pages of one project.
type reading struct {
	p       *project.Project
	scripts *tags.Scripts
	guard   *Index
	leads   *references.Resolver
	staging *pageload.Loader
}

// Policies determines the smallest policy of each page; pages that have one alike are reported together, in the order
// of the first.
func Policies(ctx context.Context, p *project.Project, patterns []string, dir string) ([]PagePolicy, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	pages := site.Pages
	if len(patterns) > 0 {
		if pages, err = p.Select(site, patterns, dir); err != nil {
			return nil, err
		}
	}
	c := &reading{p: p, scripts: tags.NewScripts(p), guard: New(p), leads: references.New(p, site)}
	c.guard.Scripts = c.scripts
	c.staging = &pageload.Loader{P: p, Scripts: c.scripts, Policies: c.guard, Leads: c.leads}
	var list []PagePolicy
	parts := p.PartsOf(ctx, site, pages)
	for _, name := range parts.Visited(pages) {
		v, err := tags.ReadComposed(p, parts, name)
		if err != nil {
			continue // check tells of it
		}
		allowed, notes, err := c.smallest(ctx, v)
		if err != nil {
			return nil, err
		}
		of := allowed.String()
		at := slices.IndexFunc(list, func(l PagePolicy) bool { return l.Policy == of })
		if at < 0 {
			at, list = len(list), append(list, PagePolicy{Policy: of, allowed: allowed, ProvedBy: []string{ByCheck}})
		}
		list[at].Pages = append(list[at].Pages, name.String())
		for _, n := range notes {
			list[at].Notes = append(list[at].Notes, name.String()+": "+n)
		}
	}
	return list, nil
}

// placeOf is the line of an offset of a page, with its file where the page is put together from several.
func placeOf(v *tags.Page, offset int) string {
	file, line, _ := v.Locate(offset)
	if file != v.Path {
		return fmt.Sprintf("line %d of %s", line, file)
	}
	return fmt.Sprintf("line %d", line)
}

// sources collects what a policy's directives allow, in the order in which they are written.
type sources map[string][]string

func (s sources) allow(directive string, source string) {
	if !slices.Contains(s[directive], source) {
		s[directive] = append(s[directive], source)
	}
}

// written are the directives of a policy, in their order.
var written = []string{"script-src", "style-src", "img-src", "font-src", "media-src", "connect-src", "worker-src",
	"manifest-src", "frame-src", "object-src", "base-uri", "form-action"}

func (s sources) String() string {
	text := "default-src 'none'"
	for _, d := range written {
		switch list := s[d]; {
		case len(list) > 0:
			slices.SortStableFunc(list, func(a, b string) int { return rank(a) - rank(b) })
			text += "; " + d + " " + strings.Join(list, " ")
		case d == "base-uri" || d == "form-action":
			text += "; " + d + " 'none'" // they have no fallback
		}
	}
	return text
}

func rank(source string) int {
	switch {
	case source == "'self'":
		return 0
	case source[0] != '\'':
		return 1
	case strings.HasPrefix(source, "'unsafe"):
		return 3
	}
	return 2
}

// smallest determines the smallest policy of one page.
//
// It is proved: the page is judged under it, with all that reading and a rehearsal see.
func (c *reading) smallest(ctx context.Context, v *tags.Page) (allowed sources, notes []string, err error) {
	allowed = sources{}
	uses := c.guard.Uses(v)
	for _, u := range uses {
		notes = append(notes, allowUse(allowed, v, u)...)
	}
	if bytes.Contains(bytes.ToLower(v.Bytes), []byte("<form")) {
		allowed.allow("form-action", "'self'")
	}
	c.fetchedLater(v, allowed)
	made, more, err := c.rehearsed(ctx, v, allowed)
	if err != nil {
		return nil, nil, err
	}
	notes = append(notes, more...)
	proof := policy.Parse(allowed.String())
	for _, u := range append(uses, made...) {
		if verdict, by := proof.Judge(u.Use); verdict == policy.Forbidden && u.Many != Links {
			notes = append(notes, fmt.Sprintf("%s: it still forbids %s (%s)", placeOf(v, u.At), u.what, by))
		}
	}
	return allowed, notes, nil
}

// allowUse has a policy allow one thing, as narrowly as that goes, and says what it can't allow so.
func allowUse(allowed sources, v *tags.Page, u Uses) (notes []string) {
	name := strings.TrimSuffix(strings.TrimSuffix(u.Directive, "-elem"), "-attr")
	if name == policy.Prefetch {
		name = cmp.Or(whenFetched(u.URL+u.Path), "connect-src")
	}
	switch {
	case u.Many == Links:
		return []string{placeOf(v, u.At) + ": a link to javascript: stays forbidden; let a script handle the click"}
	case u.Inline && u.Filled && strings.HasSuffix(u.Directive, "-attr"):
		return []string{fmt.Sprintf("%s: a server fills in %s, so no hash can allow it; move it into a script or a "+
			"stylesheet", placeOf(v, u.At), u.what)}
	case u.Inline && u.Filled:
		notes = append(notes, fmt.Sprintf("a server fills in %s, so it has no fixed hash; write "+
			"nonce=\"NONCE\" on its tag, and put a new random value for NONCE into tag and policy with each answer",
			u.what))
		allowed.allow(name, FilledNonce)
	case u.Inline:
		allowed.allow(name, policy.HashOf(u.Text))
		if strings.HasSuffix(u.Directive, "-attr") {
			allowed.allow(name, "'unsafe-hashes'")
		}
	case u.Path != "":
		allowed.allow(name, "'self'")
	default:
		allowed.allow(name, sourceOf(u.URL))
	}
	return notes
}

// rehearsed has a policy allow what the page's scripts make and ask for while they run, and lists that.
func (c *reading) rehearsed(ctx context.Context, v *tags.Page, allowed sources) (list []Uses, notes []string,
	err error) {
	req := c.staging.Request(v)
	if !slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool { return s.Skip == "" }) {
		return nil, nil, nil
	}
	req.Eval, req.Policed, req.Clicks = rehearse.EvalNoted, true, true
	report, err := c.p.Facts.Rehearse(ctx, req)
	if err != nil {
		return nil, nil, err
	}
	told := map[string]bool{}
	for _, m := range c.guard.byScripts(v, report) {
		list = append(list, m.Uses)
		allowUse(allowed, v, m.Uses)
		if key := fmt.Sprint(m.include, m.kind); m.kind != "" && !told[key] {
			told[key] = true
			notes = append(notes, fmt.Sprintf("%s %s; its hash is that of the text which it made in the rehearsal, so "+
				"another text stays forbidden; %s", v.Name(m.include), m.what, m.next))
		}
	}
	if report.Evals || slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool {
		return s.Skip == "" && directEval().MatchString(s.Text)
	}) {
		allowed.allow("script-src", "'unsafe-eval'")
		notes = append(notes, "a script runs strings as code (eval, new Function); it may work without, so try it "+
			"without 'unsafe-eval'")
	}
	return list, notes, nil
}

var (
	directEval = memo.Regexp(`(?:^|[^.\w$])eval\s*\(`)
	calling    = memo.Regexp(`\bfetch\s*\(|\bXMLHttpRequest\b|\bsendBeacon\s*\(|\bEventSource\b`)
	elsewhere  = memo.Regexp("[\"'`]((?:https?|wss?)://[\\w.-]+(?::\\d+)?)[/\"'`?#]")
)

// sourceOf is the source expression for an address.
func sourceOf(address string) string {
	at, err := url.Parse(address)
	switch {
	case err != nil:
		return "'self'"
	case at.Host == "":
		return at.Scheme + ":"
	}
	return at.Scheme + "://" + at.Host
}

// fetchedLater allows what scripts ask for while they run: files that libraries keep for that, and what own scripts
// name.
func (c *reading) fetchedLater(v *tags.Page, allowed sources) {
	seen := map[string]bool{}
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Inert != "" || in.Kind != page.Script && in.Kind != page.InlineScript {
			continue
		}
		if l := v.Library(i); l != "" {
			for _, f := range c.p.Seal.Libraries[l].Files {
				if f.Role != record.Kept || seen[l+f.Path] {
					continue
				}
				seen[l+f.Path] = true
				from := "'self'"
				if u := v.Targets[i].URL; u != "" {
					from = sourceOf(u)
				}
				if directive := whenFetched(f.Path); directive != "" {
					allowed.allow(directive, from)
				}
			}
			continue
		}
		k := c.scripts.OfInclude(v, i)
		if k == nil {
			continue
		}
		page.ScriptReferences(k.Text, func(r page.Reference) {
			for _, from := range []paths.InSite{v.Path, v.Targets[i].Path} {
				if t := tags.Resolve(from, v.Base, r.Ref); !from.IsZero() && !t.Path.IsZero() && c.leads.Has(t.Path) {
					if directive := whenFetched(r.Ref); directive != "" {
						allowed.allow(directive, "'self'")
					}
				}
			}
		})
		if calling().Match(k.Text) {
			allowed.allow("connect-src", "'self'")
			for _, m := range elsewhere().FindAllSubmatch(k.Text, -1) {
				allowed.allow("connect-src", string(m[1]))
			}
		}
	}
}

// whenFetched is the directive for a file that a script asks for, by its ending.
func whenFetched(name string) string {
	name = strings.ToLower(tags.WithoutQuery(name))
	switch {
	case strings.HasSuffix(name, ".js"), strings.HasSuffix(name, ".mjs"):
		return "script-src"
	case strings.HasSuffix(name, ".css"):
		return "style-src"
	case strings.HasSuffix(name, ".json"), strings.HasSuffix(name, ".wasm"), strings.HasSuffix(name, ".txt"),
		strings.HasSuffix(name, ".xml"), strings.HasSuffix(name, ".csv"):
		return "connect-src"
	case strings.HasSuffix(name, ".map"), strings.HasSuffix(name, ".html"), strings.HasSuffix(name, ".htm"):
		return ""
	}
	return OfFile(name)
}
