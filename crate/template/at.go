package template

import (
	"bytes"

	"merrycrate.example/merry/crate/memo"
)

// calledWords and plainWords are words behind an at sign that only languages for servers have, with a bracket behind
// them and without.
var (
	calledWords = set("extends", "section", "yield", "include", "includeIf", "includeWhen", "includeFirst", "if",
		"elseif",
		"foreach", "forelse", "for", "while", "unless", "isset", "auth", "guest", "push", "prepend", "stack",
		"component",
		"slot", "json", "lang", "can", "env", "production", "php", "error", "switch", "class", "style",
		"checked",
		"selected", "props", "each", "inject", "asset", "url", "route", "RenderSection", "await", "lock",
		"using")
	plainWords = set("csrf", "method", "RenderBody", "Model", "Html", "Url", "ViewBag", "ViewData", "Href", "Styles",
		"Scripts", "addTagHelper", "RenderSectionAsync", "RenderSection", "auth", "guest", "verbatim", "production",
		"php")
)

func set(words ...string) map[string]struct{} {
	list := map[string]struct{}{}
	for _, w := range words {
		list[w] = struct{}{}
	}
	return list
}

// atLanguage reports whether a text is in a language in which an at sign begins a hole.
func atLanguage(b []byte) bool {
	for i := 0; ; i++ {
		k := bytes.IndexByte(b[i:], '@')
		if k < 0 || i+k+2 >= len(b) {
			return false
		}
		i += k
		if i > 0 && (isAlnum(b[i-1]) || b[i-1] == '@' || b[i-1] == '.' || b[i-1] == '*') {
			continue
		}
		end := i + 1
		for end < len(b) && isAlnum(b[end]) {
			end++
		}
		word, rest := b[i+1:end], b[end:]
		switch {
		case len(word) == 0 && b[end] == '{':
			if m := firstCode().Match(rest[:min(len(rest), 300)]); m {
				return true
			}
		case len(word) == 0 && b[end] == '*':
			if bytes.Contains(rest, []byte("*@")) {
				return true
			}
		case len(word) == 0:
		default:
			_, called := calledWords[string(word)]
			rest = bytes.TrimLeft(rest, " ")
			if called && len(rest) > 0 && rest[0] == '(' {
				return true
			}
			if _, plain := plainWords[string(word)]; plain && (len(rest) == 0 || rest[0] != '=') {
				return true
			}
			if w := string(word); (w == "model" || w == "using" || w == "section" || w == "inject") &&
				lineOfCode().Match(b[i:min(len(b), i+120)]) {
				return true
			}
		}
	}
}

var (
	firstCode  = memo.Regexp(`^\{[^}]*(?:Layout|ViewData|ViewBag|var )`)
	lineOfCode = memo.Regexp(`^@(?:section\s+\w+\s*\{|(?:model|using|inject)\s+[A-Z]\w*[\w.<>, ]*\r?\n)`)
)

// dollarLanguage reports whether a text is in a language in which ${ begins a hole, so that it is no script's template.
func dollarLanguage(b []byte) bool {
	if !bytes.Contains(b, []byte("${")) {
		return false
	}
	for _, mark := range []string{"<%@", "<jsp:", "<c:", "<fmt:", "<spring:", "<#", "<@", "[#if", "[#list",
		"[#assign"} {
		if bytes.Contains(b, []byte(mark)) {
			return true
		}
	}
	return false
}

// sheetRule tells the words that stylesheets have behind an at sign (CSS Syntax Module Level 3, section 5.4.2).
var sheetRule = memo.Regexp(
	`^@(?:media|import|font-face|keyframes|-\w+-|supports|charset|layer|container|page|property|` +
		`namespace|counter-style|starting-style|scope|view-transition|font-feature-values|position-try|apply|` +
		`tailwind|top-|` +
		`bottom-|left-|right-)`,
)

var (
	// atBlock begins what a brace, or another directive, ends.
	atBlock = memo.Regexp(`^@(?:(if|foreach|for|while|switch|using|lock)\s*\(|section\s+\w+\s*\{|(?:do|try)\s*\{)`)
	// atWord is a directive or an expression: words with dots between them.
	atWord = memo.Regexp(`^@[A-Za-z_][\w]*(?:\.[A-Za-z_]\w*)*`)
	// atControl are the directives in whose place nothing comes.
	atControl = memo.Regexp(`^@(?:if|else|elseif|endif|for|endfor|foreach|endforeach|forelse|endforelse|while|` +
		`endwhile|unless|endunless|isset|endisset|empty|endempty|auth|endauth|guest|endguest|section|endsection|show|` +
		`stop|push|endpush|prepend|endprepend|extends|php|endphp|can|endcan|cannot|endcannot|switch|case|default|` +
		`break|` +
		`endswitch|once|endonce|env|endenv|production|endproduction|error|enderror|props|inject|component|` +
		`endcomponent|` +
		`slot|endslot|using|model|addTagHelper|verbatim|endverbatim|overwrite|append|parent|hasSection|continue|` +
		`fragment|endfragment)\b`)
)

// atSign reads a hole that begins with an at sign.
func (l *lexer) atSign() bool {
	b := l.b[l.pos:]
	if l.pos > 0 && (isAlnum(l.b[l.pos-1]) || l.b[l.pos-1] == '@' || l.b[l.pos-1] == '_') || len(b) < 2 {
		return false // an address of mail, or a literal sign
	}
	switch b[1] {
	case '*':
		return l.until(2, "*@", Remark)
	case '(':
		return l.balanced(1, '(', ')', At, Value)
	case '{':
		if bytes.HasPrefix(b, []byte("@{{")) { // the braces are literal ones
			l.pos++
			return l.literal()
		}
		return l.balanced(1, '{', '}', At, Statement)
	}
	word := atWord().Find(b)
	if word == nil || sheetRule().Match(b) {
		return false
	}
	switch string(word) {
	case "@verbatim":
		l.pos += len(word)
		if end := bytes.Index(l.b[l.pos:], []byte("@endverbatim")); end >= 0 {
			l.pos += end + len("@endverbatim")
		}
		return true
	case "@php":
		if !bytes.HasPrefix(bytes.TrimLeft(b[len(word):], " "), []byte("(")) && l.until(len(word), "@endphp",
			Statement) {
			return true
		}
	}
	kind := Value
	if atControl().Match(word) {
		kind = Statement
	}
	end := l.directiveEnd(string(word), kind == Statement)
	l.add(Hole{Start: l.pos, End: end, CodeStart: l.pos + 1, CodeEnd: end, Kind: kind, Syntax: At})
	return true
}

// until reads a hole from the position to a mark. Its code begins some bytes behind the position.
func (l *lexer) until(code int, mark string, kind Kind) bool {
	from := l.pos + code
	end := bytes.Index(l.b[from:], []byte(mark))
	if end < 0 {
		l.budget -= len(l.b) - from
		return false
	}
	l.add(Hole{Start: l.pos, End: from + end + len(mark), CodeStart: from, CodeEnd: from + end, Kind: kind, Syntax: At})
	return true
}

// directiveEnd is where a word behind an at sign ends, with what is called in brackets, and with the brace that begins
// its block in the language that has it.
func (l *lexer) directiveEnd(word string, control bool) int {
	end, called := l.pos+len(word), false
	at := end
	for at < len(l.b) && control && l.b[at] == ' ' {
		at++
	}
	for at < len(l.b) && (l.b[at] == '(' || l.b[at] == '[' && !control) {
		closing := byte(')')
		if l.b[at] == '[' {
			closing = ']'
		}
		stop := l.closes(at, l.b[at], closing)
		if stop < 0 {
			break
		}
		at, called = stop+1, true
		at += len(atMore().Find(l.b[at:]))
		end = at
	}
	if m := atBlock().Find(l.b[l.pos:]); m != nil {
		for at < len(l.b) && isSpace(l.b[at]) {
			at++
		}
		rest := l.b[at:]
		switch {
		case bytes.HasSuffix(m, []byte("{")):
			return l.pos + len(m)
		case called && len(rest) > 0 && rest[0] == '{' && !bytes.HasPrefix(rest, []byte("{{")) &&
			!bytes.HasPrefix(rest, []byte("{!!")):
			return at + 1
		}
	}
	switch word {
	case "@using", "@model", "@addTagHelper", "@inject":
		if called {
			break
		}
		if k := bytes.IndexByte(l.b[end:], '\n'); k >= 0 {
			return end + k
		}
		return len(l.b)
	}
	return end
}

var atMore = memo.Regexp(`^(?:\.[A-Za-z_]\w*)+`)

// closings are the braces that close blocks which begin with an at sign, with the words that go on behind them. In the
// markup inside a block braces come in pairs; those inside holes do not count.
func closings(b []byte, holes []Hole) []Hole {
	var list []Hole
	var open []bool // whether an open brace is a block's
	next := 0
	for i := 0; i < len(b); i++ {
		for next < len(holes) && holes[next].Start < i {
			next++
		}
		if next < len(holes) && holes[next].Start == i {
			h := &holes[next]
			if h.Syntax == At && h.Kind == Statement && b[h.End-1] == '{' {
				open = append(open, true)
			}
			i = h.End - 1
			continue
		}
		switch {
		case len(open) == 0:
		case b[i] == '{':
			open = append(open, false)
		case b[i] == '}':
			last := open[len(open)-1]
			if open = open[:len(open)-1]; !last {
				continue
			}
			end := i + 1
			if more := elseBlock().Find(b[end:min(len(b), end+1000)]); more != nil {
				end += len(more)
				open = append(open, true)
			}
			list = append(list, Hole{Start: i, End: end, CodeStart: i, CodeEnd: end, Kind: Statement, Syntax: At})
			i = end - 1
		}
	}
	return list
}

var elseBlock = memo.Regexp(`^\s*else(?:\s+if\s*\([^{]*\))?\s*\{`)
