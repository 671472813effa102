// Package template finds the parts of pages that a server sends conditionally, repeatedly, or into another template. It
// recognises the directives of common template languages, and evaluates nothing.
package template

import (
	"bytes"
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
func Regions(b []byte) []Region { return RegionsOf(b, Holes(b)) }

// RegionsOf is Regions for a text whose holes are known.
func RegionsOf(b []byte, holes []Hole) []Region {
	var r regions
	for _, d := range directives(b, holes) {
		r.take(b, d)
	}
	for _, open := range r.open {
		open.End, open.InnerEnd = len(b), len(b)
		r.done = append(r.done, open)
	}
	slices.SortFunc(r.done, func(x, y Region) int { return x.Start - y.Start })
	return r.done
}

var (
	ssi    = memo.Regexp(`(?s)<!--#(\w+).*?-->`)
	tagged = memo.Regexp(`(?i)<(/?)[a-z]+:(if|foreach|fortokens|choose|when|otherwise|iterator|unless)\b[^>]*>`)
	loops  = memo.Regexp(`^(?:if|unless|for|foreach|while|until|switch|case|begin)\b`)
	ends   = memo.Regexp(`^(?:end(?:if|foreach|for|while|switch)?)\b`)
)

// A directive is one of a template: what it is by its kind, and where it stands.
type directive struct {
	start, end int
	kind, text string
}

var kinds = map[Syntax]string{Percent: "percent", Braces: "braces", Code: "code", Angle: "code", At: "at"}

func directives(b []byte, holes []Hole) []directive {
	var list []directive
	for i := range holes {
		h := &holes[i]
		if kind := kinds[h.Syntax]; kind != "" && h.Kind != Remark {
			list = append(list, directive{h.Start, h.End, kind, strings.TrimSpace(string(b[h.CodeStart:h.CodeEnd]))})
		}
	}
	if bytes.Contains(b, []byte("<!--#")) {
		for _, m := range ssi().FindAllSubmatchIndex(b, -1) {
			list = append(list, directive{m[0], m[1], "ssi", string(b[m[2]:m[3]])})
		}
	}
	if prefixedTag(b) {
		for _, m := range tagged().FindAllSubmatchIndex(b, -1) {
			list = append(
				list,
				directive{m[0], m[1], "tag", string(b[m[2]:m[3]]) + strings.ToLower(string(b[m[4]:m[5]]))},
			)
		}
	}
	slices.SortFunc(list, func(x, y directive) int { return x.start - y.start })
	return list
}

// prefixedTag reports whether a text has a tag with a colon in its name, as libraries of tags have.
func prefixedTag(b []byte) bool {
	for at := 0; ; at++ {
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
	case "at":
		r.at(b, d)
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

// at reads a directive that begins with an at sign: one with a brace is ended by the brace, all others by words.
func (r *regions) at(b []byte, d directive) {
	text := strings.TrimPrefix(d.text, "@")
	word := text
	if i := strings.IndexFunc(text, func(c rune) bool { return c > 0x7f || !isAlnum(byte(c)) }); i >= 0 {
		word = text[:i]
	}
	switch {
	case strings.HasPrefix(text, "}"):
		r.finish(d)
		if strings.HasSuffix(text, "{") {
			r.begin(b, d, false)
		}
	case strings.HasSuffix(text, "{"):
		r.begin(b, d, word == "section")
	case word == "if" || word == "for" || word == "foreach" || word == "forelse" || word == "while" ||
		word == "unless" ||
		word == "isset" || word == "auth" || word == "guest" || word == "can" || word == "cannot" || word == "switch" ||
		word == "once" || word == "env" || word == "production" || word == "error" || word == "hasSection":
		r.begin(b, d, false)
	case word == "push" || word == "prepend" || word == "slot" || word == "fragment" ||
		word == "section" && !strings.Contains(text, ","):
		r.begin(b, d, true)
	case word == "component":
		r.begin(b, d, true)
	case word == "show" || word == "stop" || word == "overwrite" || word == "append" && word == text ||
		strings.HasPrefix(word, "end") && word != "endphp" && word != "endverbatim" && len(word) > 3:
		r.finish(d)
	}
}

// Extends reports whether a template extends another one, so that nothing outside its blocks is sent.
func Extends(b []byte) bool {
	return (MayHave(b) || bytes.Contains(b, []byte("Layout"))) && extends().Match(b)
}

var extends = memo.Regexp(
	`\{%[-+~]?\s*(?:extends|layout)\b|(?m:^|\s)@extends\s*\(|\{\{[-~]?\s*!?<\s|@\{?\s*Layout\s*=|\{\{#extend\b`,
)

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

func isAlnum(c byte) bool { return isLetter(c) || '0' <= c && c <= '9' }
