// Package template finds the parts of pages that a server sends conditionally, repeatedly, or into another template. It
// recognises the directives of common template languages, and evaluates nothing.
package template

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// A Region is a part of a page that a server's template sends under a condition, or again and again, or puts into a
// place of another template.
type Region struct {
	Start, End           int    // with the directives that begin and end it
	InnerStart, InnerEnd int    // between them
	Directive            string // the one that begins it
	Block                bool   // it is a part of a layout, sent once
}

// Regions finds the regions of a page's template, by the directives of the usual kinds of them: {% if %}, {{#each}},
// {{range}}, <?php if (…): ?> and with braces, <% if … %>, @if (…) { }, <c:if>, <!--#if -->. One that never ends goes
// to the page's end.
func Regions(b []byte) []Region {
	var r regions
	if MayDirect(b) {
		for _, d := range directives(b) {
			r.take(b, d)
		}
	}
	for _, open := range r.open {
		open.End, open.InnerEnd = len(b), len(b)
		r.done = append(r.done, open)
	}
	r.done = append(r.done, razor(b)...)
	slices.SortFunc(r.done, func(x, y Region) int { return x.Start - y.Start })
	return r.done
}

// MayDirect tells, much faster than looking for them would, whether a text may have directives; those that begin with
// an at sign are left out.
func MayDirect(b []byte) bool {
	for _, mark := range []string{"{%", "{{", "<?", "<%", "<!--#"} {
		if bytes.Contains(b, []byte(mark)) {
			return true
		}
	}
	for at := 0; ; at++ { // the name of a tag of a library of tags has a colon
		i := bytes.IndexByte(b[at:], ':')
		if i < 0 {
			return false
		}
		at += i
		name := at
		for name > 0 && isLetter(b[name-1]) {
			name--
		}
		if name < at && name > 0 && (b[name-1] == '<' || b[name-1] == '/') {
			return true
		}
	}
}

// Directed reports whether a text has a server's directive, so that its value is unknown.
func Directed(text string) bool {
	return strings.Contains(text, "{{") || len(directives([]byte(text))) > 0
}

var (
	percent = memo.Regexp(`(?s)\{%[-+~]?\s*(.*?)\s*[-+~]?%\}`)
	braces  = memo.Regexp(`(?s)\{\{[-~]?\s*(.*?)\s*[-~]?\}\}`)
	code    = memo.Regexp(`(?s)<\?(?:php)?\s(.*?)(?:\?>|$)|<%-?([^=@%].*?)-?%>`)
	ssi     = memo.Regexp(`(?s)<!--#(\w+).*?-->`)
	tagged  = memo.Regexp(`(?i)<(/?)[a-z]+:(if|foreach|fortokens|choose|when|otherwise|iterator|unless)\b[^>]*>`)
	atSign  = memo.Regexp(`@(?:(if|foreach|for|while|switch|using)\s*\(|section\s+\w+\s*\{)`)
	loops   = memo.Regexp(`^(?:if|unless|for|foreach|while|until|switch|case|begin)\b`)
	ends    = memo.Regexp(`^(?:end(?:if|foreach|for|while|switch)?)\b`)
)

// A directive is one of a template: what it is by its kind, and where it stands.
type directive struct {
	start, end int
	kind, text string
}

func directives(b []byte) []directive {
	var list []directive
	add := func(kind string, m []int, group int) {
		text := ""
		for g := group; 2*g+1 < len(m); g++ {
			if m[2*g] >= 0 {
				text = string(b[m[2*g]:m[2*g+1]])
			}
		}
		list = append(list, directive{m[0], m[1], kind, strings.TrimSpace(text)})
	}
	for kind, exp := range map[string]*regexp.Regexp{"percent": percent(), "braces": braces(), "code": code(),
		"ssi": ssi()} {
		for _, m := range exp.FindAllSubmatchIndex(b, -1) {
			add(kind, m, 1)
		}
	}
	for _, m := range tagged().FindAllSubmatchIndex(b, -1) {
		list = append(list, directive{m[0], m[1], "tag", string(b[m[2]:m[3]]) + strings.ToLower(string(b[m[4]:m[5]]))})
	}
	slices.SortFunc(list, func(x, y directive) int { return x.start - y.start })
	return list
}

// regions are those that were found so far, and those that no directive has ended yet.
type regions struct {
	open, done []Region
}

func (r *regions) begin(b []byte, d directive, block bool) {
	r.open = append(r.open, Region{Start: d.start, InnerStart: d.end, Directive: string(b[d.start:d.end]),
		Block: block})
}

func (r *regions) finish(d directive) {
	if n := len(r.open); n > 0 {
		last := r.open[n-1]
		last.InnerEnd, last.End = d.start, d.end
		r.done, r.open = append(r.done, last), r.open[:n-1]
	}
}

// take reads one directive.
func (r *regions) take(b []byte, d directive) {
	word, rest, _ := strings.Cut(d.text, " ")
	switch d.kind {
	case "percent":
		switch word {
		case "if", "unless", "for", "case", "ifchanged", "ifequal", "ifnotequal", "tablerow", "macro", "comment",
			"switch":
			r.begin(b, d, false)
		case "block", "section", "capture", "embed":
			if !strings.Contains(rest, " ") || word != "block" { // {% block title "x" %} ends where it begins
				r.begin(b, d, true)
			}
		default:
			if rest, ok := strings.CutPrefix(word, "end"); ok && rest != "raw" && rest != "verbatim" &&
				rest != "with" && rest != "autoescape" && rest != "filter" && rest != "set" && rest != "spaceless" {
				r.finish(d)
			}
		}
	case "braces":
		switch {
		case strings.HasPrefix(word, "#") && !strings.HasPrefix(word, "#>"):
			r.begin(b, d, strings.HasPrefix(word, "#block") || strings.HasPrefix(word, "#content") ||
				strings.HasPrefix(word, "#*"))
		case strings.HasPrefix(word, "^") && len(word) > 1:
			r.begin(b, d, false)
		case strings.HasPrefix(word, "/") && !strings.HasPrefix(word, "/*"):
			r.finish(d)
		case word == "if", word == "range", word == "with":
			r.begin(b, d, false)
		case word == "define", word == "block":
			r.begin(b, d, true)
		case d.text == "end":
			r.finish(d)
		}
	case "code":
		r.code(b, d)
	case "ssi":
		switch d.text {
		case "if":
			r.begin(b, d, false)
		case "endif":
			r.finish(d)
		}
	case "tag":
		if strings.HasPrefix(d.text, "/") {
			r.finish(d)
		} else if !strings.HasSuffix(string(b[d.start:d.end]), "/>") {
			r.begin(b, d, false)
		}
	}
}

// code reads a piece of a programming language: one with braces, or one with words that end.
func (r *regions) code(b []byte, d directive) {
	text := strings.TrimSpace(strings.TrimSuffix(d.text, ";"))
	depth, lowest := 0, 0
	for _, c := range text {
		switch c {
		case '{':
			depth++
		case '}':
			depth--
			lowest = min(lowest, depth)
		}
	}
	switch {
	case strings.ContainsAny(text, "{}"):
		for range -lowest {
			r.finish(d)
		}
		for range depth - lowest {
			r.begin(b, d, false)
		}
	case ends().MatchString(text):
		r.finish(d)
	case loops().MatchString(text) && (strings.HasSuffix(text, ":") || bytes.HasPrefix(b[d.start:], []byte("<%"))):
		r.begin(b, d, false)
	case bytes.HasPrefix(b[d.start:], []byte("<%")) && (strings.HasSuffix(text, " do") ||
		strings.Contains(text, " do |")):
		r.begin(b, d, strings.Contains(text, "content_for"))
	}
}

// razor finds regions that begin with an at sign and end with the brace that closes them.
func razor(b []byte) []Region {
	var list []Region
	for _, m := range atSign().FindAllSubmatchIndex(b, -1) {
		open := bytes.IndexByte(b[m[0]:], '{')
		if open < 0 || m[0] > 0 && (b[m[0]-1] == '@' || isAlnum(b[m[0]-1])) {
			continue
		}
		open += m[0]
		depth, i := 0, open
		for ; i < len(b); i++ {
			if b[i] == '{' {
				depth++
			} else if b[i] == '}' {
				if depth--; depth == 0 {
					break
				}
			}
		}
		r := Region{Start: m[0], InnerStart: open + 1, InnerEnd: i, End: min(i+1, len(b)),
			Directive: string(b[m[0] : open+1]), Block: m[2] < 0}
		list = append(list, r)
	}
	return list
}

// Extends reports whether a template extends another one, so that nothing outside its blocks is sent.
func Extends(b []byte) bool {
	return (MayDirect(b) || bytes.Contains(b, []byte("Layout"))) && extends().Match(b)
}

var extends = memo.Regexp(`\{%[-+~]?\s*(?:extends|layout)\b|\{\{[-~]?\s*!?<\s|@\{?\s*Layout\s*=|\{\{#extend\b`)

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

func isAlnum(c byte) bool { return isLetter(c) || '0' <= c && c <= '9' }
