package policy

import (
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

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
		case d.again:
			list = append(list, Flaw{"a second " + d.name, "of several directives of one name the first counts"})
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
				case strings.EqualFold(s, "'none'") && len(d.value) > 1:
					list = append(list, Flaw{s + " in " + d.name, "beside other sources it means nothing"})
				case !strings.HasPrefix(s, "'") && strings.ContainsAny(s, "?#") && isSource(withoutQuery(s)):
					list = append(list, Flaw{s[len(withoutQuery(s)):] + " in " + d.name, "sources have no queries " +
						"and " +
						"fragments; by the standard the whole source counts for nothing, and browsers leave out " +
						"that part"})
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

func withoutQuery(source string) string { return source[:strings.IndexAny(source, "?#")] }

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
