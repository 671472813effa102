package template

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// A Hole is a part of a text that somebody fills in, or takes out, before a browser reads it: what a server's language,
// a template language or a generator of sites does there.
type Hole struct {
	Start, End         int  // with its marks
	CodeStart, CodeEnd int  // what is between the marks
	Kind               Kind // what comes of it
	Syntax             Syntax
}

// Moved is the same hole some bytes further on.
func (h Hole) Moved(by int) Hole {
	h.Start, h.End, h.CodeStart, h.CodeEnd = h.Start+by, h.End+by, h.CodeStart+by, h.CodeEnd+by
	return h
}

// Kind is what comes of a hole.
type Kind int

// The kinds of hole.
const (
	Value     Kind = iota // some text takes its place
	Statement             // nothing takes its place by itself: a condition, a loop, an assignment
	Remark                // a comment, or front matter
)

// Syntax is the way in which a hole is written.
type Syntax int

// The syntaxes.
const (
	Code    Syntax = iota // <?php … ?>, <?= … ?>, <? … ?>
	Angle                 // <% … %>
	Braces                // {{ … }}, {{{ … }}}
	Bangs                 // {!! … !!}
	Percent               // {% … %}
	Hash                  // {# … #}
	At                    // @word(…), @(…), @{ … }
	Dollar                // ${ … }
	Front                 // the settings at the beginning of a file, between lines of --- or +++
)

// MayHave tells, much faster than looking for them would, whether a text may have holes.
func MayHave(b []byte) bool {
	for i := 0; i+1 < len(b); {
		k := bytes.IndexByte(b[i:], '{')
		if k < 0 || i+k+1 >= len(b) {
			break
		}
		i += k
		if c := b[i+1]; c == '{' || c == '%' || c == '#' || c == '!' || i > 0 && b[i-1] == '$' {
			return true
		}
		i++
	}
	return indexMark(b, []byte("<?")) >= 0 || indexMark(b, []byte("<%")) >= 0 || bytes.Contains(b, []byte("<!--#")) ||
		startsWithSettings(b) > 0 || atLanguage(b)
}

// MayHaveIn is MayHave for a string.
func MayHaveIn(s string) bool {
	return strings.ContainsAny(s, "{<@") && MayHave([]byte(s))
}

// Holes finds the holes of a text, in their order. Where one stands inside another, or in a part that the template
// hands on as it is written, only the outer one counts.
func Holes(b []byte) []Hole {
	if !MayHave(b) {
		return nil
	}
	return find(b, atLanguage(b), dollarLanguage(b))
}

// HolesOf is Holes for a part of a text whose language is known: the whole text tells whether an at sign, or a dollar
// sign, begins a hole.
func HolesOf(part []byte, whole []byte) []Hole {
	return find(part, atLanguage(whole), dollarLanguage(whole))
}

func find(b []byte, at, dollar bool) []Hole {
	l := &lexer{b: b, at: at, dollar: dollar, budget: 32*len(b) + 1<<16}
	if end := startsWithSettings(b); end > 0 {
		l.add(Hole{Start: 0, End: end, CodeStart: 0, CodeEnd: end, Kind: Remark, Syntax: Front})
	}
	for l.pos < len(b) && l.budget > 0 {
		if l.pos = l.next(); l.pos == len(b) {
			break
		}
		if !l.hole() {
			l.pos++
		}
	}
	if at {
		l.holes = append(l.holes, closings(b, l.holes)...)
		slices.SortStableFunc(l.holes, func(x, y Hole) int { return x.Start - y.Start })
		end := 0
		l.holes = slices.DeleteFunc(l.holes, func(h Hole) bool {
			inside := h.Start < end
			end = max(end, h.End)
			return inside
		})
	}
	return l.holes
}

type lexer struct {
	b          []byte
	pos        int
	at, dollar bool
	holes      []Hole
	found      [len(triggers)]int // where each mark stands next
	// budget is how many bytes may still be looked at in vain: a text that opens holes and never closes them is none.
	budget int
}

// triggers are how holes begin.
var triggers = [...][]byte{[]byte("{"), []byte("<?"), []byte("<%"), []byte("@"), []byte("${")}

// next is where the next hole may begin, from the position on. Each mark is searched for on from where it was found
// last.
func (l *lexer) next() int {
	nearest := len(l.b)
	for i, mark := range triggers {
		if mark[0] == '@' && !l.at || mark[0] == '$' && !l.dollar {
			continue
		}
		if l.found[i] < l.pos || l.pos == 0 {
			l.found[i] = len(l.b)
			if k := indexMark(l.b[l.pos:], mark); k >= 0 {
				l.found[i] = l.pos + k
			}
		}
		nearest = min(nearest, l.found[i])
	}
	return nearest
}

// indexMark is where a mark of one or two bytes stands in a text, -1 for nowhere. It goes by the mark's last byte:
// pages are full of tags, and have few question marks.
func indexMark(b []byte, mark []byte) int {
	last := len(mark) - 1
	for at := last; at < len(b); at++ {
		k := bytes.IndexByte(b[at:], mark[last])
		if k < 0 {
			return -1
		}
		if at += k; b[at-last] == mark[0] {
			return at - last
		}
	}
	return -1
}

func (l *lexer) add(h Hole) {
	l.holes = append(l.holes, h)
	l.pos = h.End
}

// marks are how holes begin and end, the longer ones first.
var marks = []struct {
	begin, end string
	syntax     Syntax
	kind       Kind
}{
	{"<%--", "--%>", Angle, Remark}, {"<%#", "%>", Angle, Remark}, {"<%", "%>", Angle, Value},
	{"{{!--", "--}}", Braces, Remark}, {"{{--", "--}}", Braces, Remark}, {"{{~!--", "--~}}", Braces, Remark},
	{"{{!", "}}", Braces, Remark}, {"{{{", "}}}", Braces, Value}, {"{{", "}}", Braces, Value},
	{"{!!", "!!}", Bangs, Value}, {"{#", "#}", Hash, Remark}, {"{%", "%}", Percent, Value},
}

// hole reads the hole that begins at the position, if one does.
func (l *lexer) hole() bool {
	b := l.b[l.pos:]
	switch {
	case b[0] == '@':
		return l.atSign()
	case b[0] == '$':
		return len(b) > 1 && b[1] == '{' && l.balanced(1, '{', '}', Dollar, Value)
	case len(b) < 2:
		return false
	case b[0] == '<' && b[1] == '?':
		return l.code()
	case b[0] == '<' && b[1] != '%':
		return false
	case l.pos > 0 && (l.b[l.pos-1] == '\\' || l.at && l.b[l.pos-1] == '@') && b[0] == '{':
		return l.literal()
	}
	if b[1] == '{' && l.remark() {
		return true
	}
	for _, m := range marks {
		if !bytes.HasPrefix(b, []byte(m.begin)) {
			continue
		}
		if m.begin == "<%" && bytes.HasPrefix(b, []byte("<%%")) {
			return false // a literal mark
		}
		if m.begin == "{{{" && bytes.HasPrefix(b, []byte("{{{{")) {
			return l.raw()
		}
		end := l.end(b, len(m.begin), m.end)
		if end < 0 {
			continue
		}
		h := Hole{Start: l.pos, End: l.pos + end, CodeStart: l.pos + len(m.begin), CodeEnd: l.pos + end - len(m.end),
			Kind: m.kind, Syntax: m.syntax}
		if m.syntax == Braces && m.kind == Value && !l.meant(&h) {
			return false
		}
		l.trim(&h)
		if h.Kind == Value && controls(l.b, &h) {
			h.Kind = Statement
		}
		l.add(h)
		l.verbatim(&h)
		return true
	}
	return false
}

// remark reads a comment between braces: {{/* … */}}, with or without the marks that take white space off.
func (l *lexer) remark() bool {
	head := l.b[l.pos:min(len(l.b), l.pos+20)]
	if !bytes.Contains(head, []byte("/*")) {
		return false
	}
	begin := remarkBegins().FindIndex(head)
	if begin == nil {
		return false
	}
	end := remarkEnds().FindIndex(l.b[l.pos+begin[1]:])
	if end == nil {
		l.budget -= len(l.b) - l.pos
		return false
	}
	from := l.pos + begin[1]
	l.add(Hole{Start: l.pos, End: from + end[1], CodeStart: from, CodeEnd: from + end[0], Kind: Remark, Syntax: Braces})
	return true
}

var (
	remarkBegins = memo.Regexp(`^\{\{-?\s*/\*`)
	remarkEnds   = memo.Regexp(`\*/\s*-?\}\}`)
)

// end is where a hole ends, behind its end mark, -1 if it never does. A brace that opens inside it must close first.
func (l *lexer) end(b []byte, from int, mark string) int {
	at := from
	for {
		i := bytes.Index(b[at:], []byte(mark))
		if i < 0 || mark == "}}" && at+i-from > maxCode {
			l.budget -= len(b) - at
			return -1
		}
		at += i
		inner := b[from:at]
		if mark != "}}" || bytes.Count(inner, []byte("{")) <= bytes.Count(inner, []byte("}")) {
			return at + len(mark)
		}
		at++
	}
}

// maxCode is how long the code between two braces may be.
const maxCode = 4000

// meant reports whether two braces begin a hole: in a script they may be two blocks, one in the other.
func (l *lexer) meant(h *Hole) bool {
	code := l.b[h.CodeStart:h.CodeEnd]
	l.budget -= 2 * len(code)
	if bytes.Contains(code, []byte("</")) && bytes.Contains(code, []byte("\n")) {
		return false
	}
	if len(bytes.TrimSpace(code)) == 0 {
		return false
	}
	before := l.b[:h.Start]
	if n := len(before); n > 0 {
		switch c := before[n-1]; {
		case c == ')' || c == '$' || c == '>' && n > 1 && before[n-2] == '=':
			return false
		case c == '}' || c == '{':
			// blocks beside blocks, in a script that was made small
			if n > 1 && before[n-2] != '}' && before[n-2] != ' ' && c == '{' {
				return false
			}
		}
		for _, word := range []string{"else", "do", "try", "finally"} {
			if bytes.HasSuffix(before, []byte(word)) && bytes.ContainsAny(code, ";(") {
				return false
			}
		}
	}
	return !bytes.ContainsAny(bytes.TrimSpace(code), " \t\n;=") || !blockOfCode().Match(code)
}

// blockOfCode is what stands in a block of a script, and in no hole.
var blockOfCode = memo.Regexp(`^\s*(?:var|let|const|return|throw|function)\s|[^&\w];\s*\S|^\w+=[^=]`)

// trim leaves out of a hole's code the marks that take white space off.
func (l *lexer) trim(h *Hole) {
	for h.CodeStart < h.CodeEnd && strings.IndexByte("-~+=_", l.b[h.CodeStart]) >= 0 {
		h.CodeStart++
	}
	for h.CodeEnd > h.CodeStart && strings.IndexByte("-~+_", l.b[h.CodeEnd-1]) >= 0 {
		h.CodeEnd--
	}
}

// literal passes over what a mark before it says is no hole.
func (l *lexer) literal() bool {
	if i := bytes.Index(l.b[l.pos:], []byte("}}")); i >= 0 && bytes.HasPrefix(l.b[l.pos:], []byte("{{")) {
		l.pos += i + 2
		return true
	}
	return false
}

// raw reads {{{{word}}}} … {{{{/word}}}}, whose inside is handed on as it is written.
func (l *lexer) raw() bool {
	m := rawBlock().FindSubmatchIndex(l.b[l.pos:min(len(l.b), l.pos+300)])
	if m == nil {
		return false
	}
	word := l.b[l.pos+m[2] : l.pos+m[3]]
	open := Hole{Start: l.pos, End: l.pos + m[1], CodeStart: l.pos + m[2], CodeEnd: l.pos + m[3], Kind: Statement,
		Syntax: Braces}
	l.add(open)
	mark := "{{{{/" + string(word) + "}}}}"
	if i := bytes.Index(l.b[l.pos:], []byte(mark)); i < 0 {
		l.budget -= len(l.b) - l.pos
	} else {
		at := l.pos + i
		l.add(Hole{Start: at, End: at + len(mark), CodeStart: at + 4, CodeEnd: at + len(mark) - 4, Kind: Statement,
			Syntax: Braces})
	}
	return true
}

var (
	rawBlock = memo.Regexp(`^\{\{\{\{\s*([\w-]+)[^}]*\}\}\}\}`)
	rawWord  = memo.Regexp(`^\s*(raw|verbatim|comment)\b`)
	rawEnds  = map[string]func() *regexp.Regexp{
		"raw":      memo.Regexp(`\{%[-+~]?\s*endraw\s*[-+~]?%\}`),
		"verbatim": memo.Regexp(`\{%[-+~]?\s*endverbatim\b[^%]*%\}`),
		"comment":  memo.Regexp(`\{%[-+~]?\s*endcomment\s*[-+~]?%\}`),
	}
)

// verbatim passes over what follows a directive that hands it on as it is written, or takes it out.
func (l *lexer) verbatim(h *Hole) {
	if h.Syntax != Percent {
		return
	}
	m := rawWord().FindSubmatch(l.b[h.CodeStart:h.CodeEnd])
	if m == nil {
		return
	}
	end := rawEnds[string(m[1])]().FindIndex(l.b[h.End:])
	if end == nil {
		l.budget -= 4 * (len(l.b) - h.End)
		return
	}
	if string(m[1]) == "comment" {
		last := &l.holes[len(l.holes)-1]
		last.Kind, last.End = Remark, h.End+end[1]
		l.pos = last.End
		return
	}
	l.pos = h.End + end[0]
}

// code reads a piece of a server's language that begins with "<?". A declaration of XML is none.
func (l *lexer) code() bool {
	b := l.b[l.pos:]
	h := Hole{Start: l.pos, Kind: Value, Syntax: Code}
	switch {
	case len(b) >= 5 && bytes.EqualFold(b[:5], []byte("<?php")) && (len(b) == 5 || !isAlnum(b[5])):
		h.CodeStart = l.pos + 5
	case bytes.HasPrefix(b, []byte("<?=")):
		h.CodeStart = l.pos + 3
	case len(b) > 2 && (isSpace(b[2]) || b[2] == '$'):
		h.CodeStart = l.pos + 2
	case len(b) > 5 && bytes.EqualFold(b[2:4], []byte("js")) && (isSpace(b[4]) || b[4] == '='):
		h.CodeStart = l.pos + 4
	default:
		return false
	}
	h.CodeEnd = codeEnd(l.b, h.CodeStart)
	if h.End = h.CodeEnd; h.End < len(l.b) {
		h.End += 2
	}
	if b[2] != '=' && controls(l.b, &h) {
		h.Kind = Statement
	}
	l.add(h)
	return true
}

// codeEnd is where a piece of a server's language ends: at its mark outside of texts and comments, else with the file.
func codeEnd(b []byte, i int) int {
	alone := byte(0) // a quote that stands alone
	for i < len(b) {
		switch c := b[i]; {
		case c == '?' && i+1 < len(b) && b[i+1] == '>':
			return i
		case (c == '"' || c == '\'') && c != alone:
			end := i + 1
			for end < len(b) && b[end] != c {
				if b[end] == '\\' {
					end++
				}
				end++
			}
			if end >= len(b) { // it began no text
				alone = c
				i++
				continue
			}
			i = end + 1
		case c == '/' && i+1 < len(b) && b[i+1] == '*':
			if k := bytes.Index(b[i+2:], []byte("*/")); k >= 0 {
				i += k + 4
				continue
			}
			return len(b)
		case c == '#' || c == '/' && i+1 < len(b) && b[i+1] == '/':
			for i < len(b) && b[i] != '\n' && !bytes.HasPrefix(b[i:], []byte("?>")) {
				i++
			}
		default:
			i++
		}
	}
	return len(b)
}

// balanced reads a hole whose code is between two marks that may be in it in pairs. Open is where the first one is,
// from the position.
func (l *lexer) balanced(open int, begin, end byte, syntax Syntax, kind Kind) bool {
	stop := l.closes(l.pos+open, begin, end)
	if stop < 0 {
		return false
	}
	l.add(Hole{Start: l.pos, End: stop + 1, CodeStart: l.pos + open + 1, CodeEnd: stop, Kind: kind, Syntax: syntax})
	return true
}

// closes is where what opens at an offset is closed, -1 if it never is. Texts in quotes are passed over.
func (l *lexer) closes(i int, begin, end byte) int {
	b, depth, from := l.b, 0, i
	defer func() { l.budget -= (i - from) / 2 }()
	for ; i < len(b); i++ {
		switch c := b[i]; c {
		case begin:
			depth++
		case end:
			if depth--; depth == 0 {
				return i
			}
		case '"', '\'':
			k := i + 1
			for k < len(b) && b[k] != c && b[k] != '\n' {
				if b[k] == '\\' {
					k++
				}
				k++
			}
			if k < len(b) && b[k] == c {
				i = k
			}
		}
	}
	return -1
}

// startsWithSettings is where the settings end that a file begins with, 0 if it has none.
func startsWithSettings(b []byte) int {
	start := 0
	if bytes.HasPrefix(b, []byte("\xef\xbb\xbf")) {
		start = 3
	}
	if len(b) < start+4 || b[start] != '-' && b[start] != '+' {
		return 0
	}
	m := settings().FindIndex(b[start:])
	if m == nil {
		return 0
	}
	return start + m[1]
}

var settings = memo.Regexp(
	`^(?s:---[ \t]*\r?\n(?:.*?\r?\n)?---[ \t]*(?:\r?\n|$)|\+\+\+[ \t]*\r?\n(?:.*?\r?\n)?\+\+\+[ \t]*(?:\r?\n|$))`,
)

// controls reports whether a hole's code begins, goes on with or ends something, or sets something: no text takes its
// place.
func controls(b []byte, h *Hole) bool {
	code := bytes.TrimSpace(b[h.CodeStart:h.CodeEnd])
	switch h.Syntax {
	case Percent:
		return percentControl().Match(code)
	case Braces:
		return braceControl().Match(code)
	case Code, Angle:
		return h.End-h.Start > 3 && b[h.Start+2] != '=' &&
			(codeControl().Match(code) || bytes.HasSuffix(code, []byte("{")) ||
				bytes.HasPrefix(code, []byte("}")) || bytes.HasSuffix(code, []byte("}")) || bytes.HasSuffix(code,
				[]byte(" do")) ||
				bytes.HasSuffix(code, []byte("|")))
	}
	return false
}

var (
	percentControl = memo.Regexp(`^(?:if|elif|elsif|elseif|else|unless|for|foreach|case|when|block|section|capture|` +
		`embed|set|assign|load|extends|layout|macro|call|filter|with|autoescape|spaceless|comment|raw|verbatim|` +
		`import|from|` +
		`increment|decrement|cycle|switch|ifchanged|ifequal|ifnotequal|tablerow|do|use|trans|blocktrans|` +
		`blocktranslate|` +
		`schema|style|javascript|stylesheet|highlight|end\w*)\b`)
	braceControl = memo.Regexp(
		`^(?:[#^/](?:[^/*]|$)|else\b|end\b|if\b|range\b|with\b|define\b|block\b|break\b|continue\b|` +
			`\$\w+\s*:?=)`,
	)
	codeControl = memo.Regexp(
		`^(?:if|elseif|elsif|else|for|foreach|while|switch|case|default|break|continue|unless|until|` +
			`begin|end|endif|endfor|endforeach|endwhile|endswitch|use|namespace|require|require_once|return|` +
			`function|var|let|` +
			`const|@)\b|^\$[\w\[\]'">-]+\s*=[^=]|^@`,
	)
)

// Mask copies a text with its holes covered, so that what reads markup meets neither their marks nor their code: a
// value by a byte that no markup has, all else by white space. Every offset stays, and so do line breaks.
func Mask(b []byte, holes []Hole) []byte { return MaskIn(nil, b, holes) }

// MaskIn is Mask with a piece of memory that the copy may take.
func MaskIn(memory, b []byte, holes []Hole) []byte {
	if len(holes) == 0 {
		return b
	}
	out := append(memory[:0], b...)
	for _, h := range holes {
		with := byte(' ')
		if h.Kind == Value {
			with = Cover
		}
		for i := h.Start; i < h.End; i++ {
			if c := out[i]; c != '\n' && c != '\r' || with == Cover {
				out[i] = with
			}
		}
	}
	return out
}

// Cover is the byte that stands for a value in a masked text.
const Cover = 0x01

// Between are the holes of a sorted list that lie in a part of the text.
func Between(holes []Hole, start, end int) []Hole {
	from, _ := slices.BinarySearchFunc(holes, start, func(h Hole, at int) int { return h.Start - at })
	to := from
	for to < len(holes) && holes[to].End <= end {
		to++
	}
	return holes[from:to]
}

func isSpace(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' || c == '\f' }
