package csp

import (
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// Demands are the destinations whose files an Integrity-Policy header (Subresource Integrity, section 3.8) blocks where
// their tags have no integrity, and those that it names in vain: browsers know scripts alone, as of November 2026.
func Demands(header string) (list, unheeded []string) {
	m := blocked().FindStringSubmatch(header)
	if m == nil {
		return nil, nil
	}
	for _, d := range strings.Fields(m[1]) {
		if d == "script" {
			list = append(list, d)
		} else {
			unheeded = append(unheeded, d)
		}
	}
	return list, unheeded
}

var blocked = memo.Regexp(`blocked-destinations\s*=\s*\(([^)]*)\)`)

// inMeta are directives that a browser ignores in a meta element (HTML Standard, section 4.2.5.3).
var inMeta = []string{"frame-ancestors", "report-uri", "sandbox"}

// known are the directives of policies that browsers know, those of the past that still are taken among them.
var known = []string{"default-src", "script-src", "script-src-elem", "script-src-attr", "style-src", "style-src-elem",
	"style-src-attr", "img-src", "font-src", "media-src",
	"object-src", "frame-src", "child-src", "worker-src", "manifest-src", "connect-src", "base-uri", "form-action",
	"frame-ancestors", "sandbox", "report-uri", "report-to",
	"upgrade-insecure-requests", "block-all-mixed-content", "require-trusted-types-for", "trusted-types",
	"fenced-frame-src"}

// A Flaw is a part of a policy that browsers ignore, with the reason.
type Flaw struct{ Part, Reason string }

// Ignored lists the parts of a policy that browsers ignore.
func (p *Policy) Ignored(meta bool) []Flaw {
	var list []Flaw
	for _, d := range p.directives {
		switch {
		case meta && slices.Contains(inMeta, d.name):
			list = append(list, Flaw{d.name, "it works only in a header from the server"})
		case !slices.Contains(known, d.name):
			list = append(list, Flaw{d.name, "browsers know no directive of this name"})
		case fallbacks[d.name] != nil || d.name == "default-src":
			for _, s := range d.value {
				switch {
				case Unquoted(s):
					list = append(list, Flaw{s + " in " + d.name, "without quotes it is a host name: write '" + s +
						"'"})
				case !isSource(s):
					list = append(list, Flaw{s + " in " + d.name, "it is not a source expression: 'self', a host, a " +
						"scheme with a colon, or a hash or nonce in quotes"})
				}
			}
		}
	}
	return list
}

// keywords are the sources in quotes (Content Security Policy Level 3, section 2.3.1).
var keywords = []string{"'self'", "'none'", "'unsafe-inline'", "'unsafe-eval'", "'strict-dynamic'", "'unsafe-hashes'",
	"'report-sample'", "'wasm-unsafe-eval'", "'inline-speculation-rules'", "'trusted-types-eval'"}

var sourceForm = memo.Regexp(`^(?:[A-Za-z][A-Za-z0-9+.-]*:|(?:[A-Za-z][A-Za-z0-9+.-]*://)?(?:\*|(?:\*\.)` +
	`?[A-Za-z0-9_-]+(?:\.[A-Za-z0-9_-]+)*\.?)(?::(?:\d+|\*))?(?:/[^;,\s?#]*)?)$`)

// isSource reports whether a text is a source expression. What a server fills in is taken for one.
func isSource(s string) bool {
	if strings.HasPrefix(s, "'") {
		low := strings.ToLower(s)
		return slices.Contains(keywords, low) || len(s) > 8 && strings.HasSuffix(s, "'") &&
			(strings.HasPrefix(low, "'nonce-") || isHash(low))
	}
	if Unquoted(s) {
		return false
	}
	return templated([]string{s}) || sourceForm().MatchString(s)
}

// Unquoted reports whether a source is a keyword, hash or nonce without its quotes, which browsers take for a host
// name.
func Unquoted(s string) bool {
	quoted := "'" + strings.ToLower(s) + "'"
	return slices.Contains(keywords, quoted) || strings.HasPrefix(quoted, "'nonce-") || isHash(quoted)
}

// Enforced is the policy as a meta element has it.
func (p *Policy) Enforced() *Policy {
	return &Policy{Text: p.Text, directives: slices.DeleteFunc(slices.Clone(p.directives), func(d directive) bool {
		return slices.Contains(inMeta, d.name)
	})}
}
