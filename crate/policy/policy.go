// Package policy reads content security policies (Content Security Policy Level 3), integrity policies (Subresource
// Integrity, section 3.8) and the files in which servers are told to send them, and judges single requests.
package policy

import (
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/page"
)

// A Policy is one serialized policy, parsed.
type Policy struct {
	Text       string
	directives []directive
}

type directive struct {
	name  string
	value []string
	again bool // the policy has it earlier, so that this one counts for nothing
}

// Parse reads one policy (section 2.2.1): of two directives of one name the first counts.
func Parse(text string) *Policy {
	p := &Policy{Text: strings.TrimSpace(text)}
	for part := range strings.SplitSeq(text, ";") {
		words := strings.Fields(part)
		if len(words) == 0 {
			continue
		}
		name := strings.ToLower(words[0])
		p.directives = append(p.directives, directive{name, words[1:], p.has(name)})
	}
	return p
}

// ParseHeader reads the policies of one header, separated by commas.
func ParseHeader(value string) []*Policy {
	var list []*Policy
	for part := range strings.SplitSeq(value, ",") {
		if p := Parse(part); len(p.directives) > 0 {
			list = append(list, p)
		}
	}
	return list
}

// Upgrades reports whether the policy has browsers ask for https where a page says http (Upgrade Insecure Requests,
// section 3.1).
func (p *Policy) Upgrades() bool { return p.has("upgrade-insecure-requests") }

func (p *Policy) has(name string) bool {
	return slices.ContainsFunc(p.directives, func(d directive) bool { return d.name == name })
}

// Names lists the policy's directives in their order.
func (p *Policy) Names() []string {
	var list []string
	for _, d := range p.directives {
		if !d.again {
			list = append(list, d.name)
		}
	}
	return list
}

// Value returns the value of a directive, nil if the policy lacks it.
func (p *Policy) Value(name string) []string {
	for _, d := range p.directives {
		if d.name == name {
			return d.value
		}
	}
	return nil
}

// fallbacks are the directives that govern a kind of request, the first that a policy has counting (section 6.8.3).
var fallbacks = map[string][]string{
	"script-src-elem": {"script-src-elem", "script-src", "default-src"},
	"script-src-attr": {"script-src-attr", "script-src", "default-src"},
	"script-src":      {"script-src", "default-src"},
	"style-src-elem":  {"style-src-elem", "style-src", "default-src"},
	"style-src-attr":  {"style-src-attr", "style-src", "default-src"},
	"worker-src":      {"worker-src", "child-src", "script-src", "default-src"},
	"frame-src":       {"frame-src", "child-src", "default-src"},
	"img-src":         {"img-src", "default-src"},
	"font-src":        {"font-src", "default-src"},
	"media-src":       {"media-src", "default-src"},
	"object-src":      {"object-src", "default-src"},
	"manifest-src":    {"manifest-src", "default-src"},
	"connect-src":     {"connect-src", "default-src"},
	"base-uri":        {"base-uri"},
	"form-action":     {"form-action"},
}

// Prefetch stands for a directive: what a page fetches ahead may be of any kind, so any directive that a policy has may
// allow it, and one without default-src allows it (section 6.7.1.1).
const Prefetch = "prefetch"

// A Use is one thing that a page asks for or holds.
type Use struct {
	Directive string // that governs it, the most particular one: script-src-elem
	URL       string // of another site
	Path      string // of the site itself, with a slash at its begin
	Inline    bool   // it is on the page: a script, a style, a handler
	Text      string // what is inline, as a browser reads it
	Filled    bool   // a server fills in a part of the text, so that its hash is not known
	Nonce     string
	Integrity []string // the hashes that its tag demands
	Dynamic   bool     // a script put it on the page, other than by document.write
	CORS      bool     // its server must let the page's origin read it, as of modules
	// Foreign reports whether a host is certainly not the site's own.
	Foreign func(host string) bool
}

// A Verdict is the judgement of a policy on a use.
type Verdict int

// The verdicts.
const (
	Allowed   Verdict = iota
	Forbidden         // a browser will not load or run it
	Unclear           // that depends on the site's own address, or on a text that can't be known
)

// Judge returns the policy's verdict on a use, and the directive that decides it.
func (p *Policy) Judge(u Use) (Verdict, string) {
	if strings.HasPrefix(u.Directive, "script-src") && p.has("sandbox") && !slices.Contains(lowered(p.Value("sandbox")),
		"allow-scripts") {
		return Forbidden, "sandbox"
	}
	if u.CORS && u.Path != "" && p.opaque() {
		return Forbidden, "sandbox"
	}
	if u.Directive == Prefetch {
		return p.ahead(u)
	}
	for _, name := range fallbacks[u.Directive] {
		if !p.has(name) {
			continue
		}
		sources := p.Value(name)
		if u.Inline {
			return inline(u, sources), name
		}
		return outside(u, sources), name
	}
	return Allowed, ""
}

// opaque reports whether the policy gives a page an opaque origin, so that even its own server counts as another one
// (HTML Standard, section 7.1.1).
func (p *Policy) opaque() bool {
	return p.has("sandbox") && !slices.Contains(lowered(p.Value("sandbox")), "allow-same-origin")
}

// ahead judges what is prefetched.
func (p *Policy) ahead(u Use) (Verdict, string) {
	if !p.has("default-src") {
		return Allowed, ""
	}
	verdict := Forbidden
	for _, d := range p.directives {
		if fallbacks[d.name] == nil && d.name != "default-src" || d.again || d.name == "base-uri" ||
			d.name == "form-action" {
			continue
		}
		switch outside(u, d.value) {
		case Allowed:
			return Allowed, d.name
		case Unclear:
			verdict = Unclear
		}
	}
	return verdict, "default-src"
}

// Types tells what the policy demands of texts that become markup or code: whether they must come from a policy of the
// scripts' own, and which of these there may be, nil for any (Trusted Types, section 4.2).
func (p *Policy) Types() (required bool, names []string) {
	if p.has("trusted-types") {
		names = append([]string{}, p.Value("trusted-types")...)
	}
	return slices.Contains(lowered(p.Value("require-trusted-types-for")), "'script'"), names
}

// Evals reports whether scripts may run texts as code (section 4.5).
func (p *Policy) Evals() bool {
	for _, name := range fallbacks["script-src"] {
		if p.has(name) {
			return slices.Contains(lowered(p.Value(name)), "'unsafe-eval'")
		}
	}
	return true
}

func lowered(list []string) []string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = strings.ToLower(s)
	}
	return out
}

// inline judges what is on the page (section 6.7.3.3).
func inline(u Use, sources []string) Verdict {
	element := strings.HasSuffix(u.Directive, "-elem")
	particular, unsafe, hashes := false, false, element
	for _, s := range sources {
		switch low := strings.ToLower(s); {
		case low == "'unsafe-inline'":
			unsafe = true
		case low == "'unsafe-hashes'":
			hashes = true
		case low == "'strict-dynamic'" && strings.HasPrefix(u.Directive, "script"):
			particular = true
		case strings.HasPrefix(low, "'nonce-"):
			particular = true
			if element && isNonce(s, u.Nonce) {
				return Allowed
			}
		case isHash(low):
			particular = true
		}
	}
	if unsafe && !particular {
		return Allowed
	}
	if hashes {
		for _, s := range sources {
			if isHash(strings.ToLower(s)) && !u.Filled && hashOf(s, u.Text) {
				return Allowed
			}
		}
	}
	if templated(sources) || u.Filled && particular || page.MayHaveHoles(u.Nonce) && particular {
		return Unclear
	}
	return Forbidden
}

// isNonce reports whether a source expression is that of a tag's nonce. One that lacks its closing quote is none.
func isNonce(source, nonce string) bool {
	return nonce != "" && len(source) > len("'nonce-'") && source[len("'nonce-"):] == nonce+"'"
}

// templated reports whether a server fills something in among sources: a nonce, mostly.
func templated(sources []string) bool {
	return slices.ContainsFunc(sources, func(s string) bool { return strings.ContainsAny(s, "{}$%<>") })
}

// outside judges what is loaded (sections 6.7.1.1 and 6.7.2).
func outside(u Use, sources []string) Verdict {
	script := strings.HasPrefix(u.Directive, "script-src")
	var given []string // hashes
	strict := false
	for _, s := range sources {
		switch low := strings.ToLower(s); {
		case strings.HasPrefix(low, "'nonce-"):
			if (script || strings.HasPrefix(u.Directive, "style-src")) && isNonce(s, u.Nonce) {
				return Allowed
			}
		case isHash(low):
			algorithm, value, _ := strings.Cut(strings.Trim(s, "'"), "-")
			given = append(given, strings.ToLower(algorithm)+"-"+value)
		case low == "'strict-dynamic'" && script:
			strict = true
		}
	}
	if script && len(u.Integrity) > 0 && !slices.ContainsFunc(u.Integrity, func(h string) bool {
		return !slices.Contains(given, h)
	}) {
		return Allowed
	}
	verdict := Forbidden
	if strict && u.Dynamic {
		return Allowed
	}
	if strict {
		sources = nil // addresses count for nothing: a script of the parser's own needs a nonce or a hash
	}
	for _, s := range sources {
		switch v := u.matches(s); v {
		case Allowed:
			return v
		case Unclear:
			verdict = v
		}
	}
	if verdict == Forbidden && templated(sources) {
		return Unclear
	}
	return verdict
}

// matches holds the use's address against a source expression (section 6.7.2.8).
func (u *Use) matches(source string) Verdict {
	low := strings.ToLower(source)
	own := u.Path != ""
	yes := func(is bool) Verdict {
		if is {
			return Allowed
		}
		return Forbidden
	}
	scheme := ""
	if i := strings.IndexByte(u.URL, ':'); i > 0 {
		scheme = strings.ToLower(u.URL[:i])
	}
	switch {
	case low == "*":
		return yes(own || slices.Contains([]string{"http", "https", "ws", "wss"}, scheme))
	case low == "'self'":
		return yes(own)
	case strings.HasPrefix(low, "'"):
		return Forbidden
	case strings.HasSuffix(low, ":") && !strings.Contains(low, "."):
		of := strings.TrimSuffix(low, ":")
		if own {
			return yes(of == "http" || of == "https") // who writes https: serves the page so
		}
		return yes(scheme == of || of == "http" && scheme == "https" || of == "ws" && scheme == "wss")
	}
	source, _, _ = strings.Cut(source, "?") // browsers leave both out, though the standard drops the whole source
	source, _, _ = strings.Cut(source, "#")
	if !isSource(source) {
		return Forbidden
	}
	ofScheme, rest, has := strings.Cut(source, "://")
	if !has {
		ofScheme, rest = "", source
	}
	host, path, _ := strings.Cut(rest, "/")
	if strings.Contains(rest, "/") {
		path = "/" + path
	}
	if own {
		if name := strings.TrimPrefix(withoutPort(host), "*."); u.Foreign != nil && u.Foreign(name) {
			return Forbidden
		}
		return Unclear // the site's own address may be that
	}
	at, err := url.Parse(u.URL)
	if err != nil || scheme == "data" || scheme == "blob" {
		return Forbidden
	}
	if of := strings.ToLower(ofScheme); of != "" && of != scheme && (of != "http" || scheme != "https") &&
		(of != "ws" || scheme != "wss") {
		return Forbidden
	}
	return yes(hostMatches(strings.ToLower(host), at, scheme) && pathMatches(path, at.EscapedPath()))
}

func withoutPort(host string) string {
	name, _, _ := strings.Cut(host, ":")
	return name
}

// hostMatches compares a host with its port (sections 6.7.2.9 and 6.7.2.10).
func hostMatches(source string, at *url.URL, scheme string) bool {
	name, port, _ := strings.Cut(source, ":")
	host := strings.ToLower(at.Hostname())
	if rest, wild := strings.CutPrefix(name, "*"); wild {
		if !strings.HasSuffix(host, rest) {
			return false
		}
	} else if name != host {
		return false
	}
	usual := map[string]string{"http": "80", "https": "443", "ws": "80", "wss": "443"}[scheme]
	has := at.Port()
	if has == "" {
		has = usual
	}
	return port == "*" || port == has || port == "" && has == usual || port == "80" && has == "443" && scheme == "https"
}

// pathMatches compares paths (section 6.7.2.11): one that ends in a slash is a folder's.
func pathMatches(source, path string) bool {
	if source == "" || source == "/" && path == "" {
		return true
	}
	if plain, err := url.PathUnescape(path); err == nil {
		path = plain
	}
	if plain, err := url.PathUnescape(source); err == nil {
		source = plain
	}
	if strings.HasSuffix(source, "/") {
		return strings.HasPrefix(path, source)
	}
	return path == source
}
