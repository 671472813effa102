package csp

import (
	"bytes"
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

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
}

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
		of, notes, err := c.smallest(ctx, v)
		if err != nil {
			return nil, err
		}
		at := slices.IndexFunc(list, func(l PagePolicy) bool { return l.Policy == of })
		if at < 0 {
			at, list = len(list), append(list, PagePolicy{Policy: of})
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
func (c *reading) smallest(ctx context.Context, v *tags.Page) (text string, notes []string, err error) {
	allowed := sources{}
	for _, u := range c.guard.Uses(v) {
		name := strings.TrimSuffix(strings.TrimSuffix(u.Directive, "-elem"), "-attr")
		switch {
		case u.Many == Links:
			notes = append(notes, "a link to javascript: stays forbidden; let a script handle the click")
		case u.Inline && u.Filled && strings.HasSuffix(u.Directive, "-attr"):
			notes = append(notes, fmt.Sprintf("%s: a server fills in %s, so no hash can allow it; move it into a "+
				"script or a stylesheet", placeOf(v, u.At), u.what))
		case u.Inline && u.Filled:
			notes = append(notes, fmt.Sprintf("a server fills in %s, so it has no fixed hash; write "+
				"nonce=\"NONCE\" on its tag, and put a new random value for NONCE into tag and policy with each answer",
				u.what))
			allowed.allow(name, "'nonce-NONCE'")
		case u.Inline:
			allowed.allow(name, HashOf(u.Text))
			if strings.HasSuffix(u.Directive, "-attr") {
				allowed.allow(name, "'unsafe-hashes'")
			}
		case u.Path != "":
			allowed.allow(name, "'self'")
		default:
			allowed.allow(name, sourceOf(u.URL))
		}
	}
	v.References(func(r page.Reference) {
		if r.Inert || r.NoScript || r.Attribute != "action" && r.Attribute != "formaction" {
			return
		}
		switch t := tags.ResolveOnce(v.Path, v.Base, r.Ref); {
		case t.URL != "":
			allowed.allow("form-action", sourceOf(t.URL))
		case !t.Path.IsZero():
			allowed.allow("form-action", "'self'")
		}
	})
	if bytes.Contains(bytes.ToLower(v.Bytes), []byte("<form")) {
		allowed.allow("form-action", "'self'")
	}
	if v.Base != "" {
		switch t := tags.Resolve(v.Path, "", v.Base); {
		case t.URL != "":
			allowed.allow("base-uri", sourceOf(t.URL))
		default:
			allowed.allow("base-uri", "'self'")
		}
	}
	c.fetchedLater(v, allowed)
	req := c.staging.Request(v)
	if !slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool { return s.Skip == "" }) {
		return allowed.String(), notes, nil
	}
	req.Eval = rehearse.EvalNoted
	report, err := c.p.Facts.Rehearse(ctx, req)
	if err != nil {
		return "", nil, err
	}
	if report.Evals || slices.ContainsFunc(req.Scripts, func(s rehearse.Script) bool {
		return s.Skip == "" && directEval().MatchString(s.Text)
	}) {
		allowed.allow("script-src", "'unsafe-eval'")
		notes = append(notes, "a script runs strings as code (eval, new Function); it may work without, so try it "+
			"without 'unsafe-eval'")
	}
	return allowed.String(), notes, nil
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
