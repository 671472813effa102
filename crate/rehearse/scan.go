package rehearse

import (
	"fmt"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// A lexeme is one token of a script, which is neither white space nor a comment.
type lexeme struct {
	kind       js.TokenType
	text       string
	start, end int
}

// A scanner goes through a script token by token.
type scanner struct {
	list  []lexeme
	at    int
	edits *edits
}

// lexemes cuts a script up. Whether a slash begins a pattern is reported by what is before it.
func lexemes(src []byte) ([]lexeme, error) {
	buf := append(make([]byte, 0, len(src)+1), src...)
	l := js.NewLexer(parse.NewInputBytes(buf))
	var list []lexeme
	at, operand := 0, false
	for {
		kind, data := l.Next()
		if kind == js.ErrorToken {
			if at < len(src) {
				return nil, fmt.Errorf("it can't be split into tokens")
			}
			return list, nil
		}
		if (kind == js.DivToken || kind == js.DivEqToken) && !operand {
			if kind, data = l.RegExp(); kind == js.ErrorToken {
				return nil, fmt.Errorf("it has a regular expression that can't be read")
			}
		}
		start := at
		at += len(data)
		switch kind {
		case js.WhitespaceToken, js.LineTerminatorToken, js.CommentToken, js.CommentLineTerminatorToken:
			continue
		}
		t := lexeme{kind, string(data), start, at}
		list = append(list, t)
		operand = t.operand()
	}
}

// operand reports whether a slash after it divides.
func (t lexeme) operand() bool {
	switch t.kind {
	case js.CloseParenToken, js.CloseBracketToken, js.CloseBraceToken, js.StringToken, js.TemplateToken,
		js.TemplateEndToken, js.RegExpToken, js.PrivateIdentifierToken, js.IncrToken, js.DecrToken:
		return true
	}
	switch t.text {
	case "return", "typeof", "case", "in", "of", "delete", "void", "instanceof", "new", "do", "else", "throw", "yield",
		"await", "default", "extends":
		return false
	}
	c := t.text[0]
	return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80 ||
		c == '.' && len(t.text) > 1 && t.text[1] >= '0' && t.text[1] <= '9'
}

// scan finds what must be edited: imports and exports at the top, import.meta and import() wherever they stand.
func scan(src []byte) (*edits, error) {
	list, err := lexemes(src)
	if err != nil {
		return nil, err
	}
	s := &scanner{list: list, edits: &edits{}}
	depth, closing := 0, false // closing says that the body of a default without a name is to end a statement
	var functions []int        // depths of the bodies of functions
	for s.at = 0; s.at < len(s.list); s.at++ {
		t := s.list[s.at]
		switch t.text {
		case "(", "[", "{":
			depth++
			if t.text == "{" && s.opensFunction() {
				functions = append(functions, depth)
			}
		case ")", "]", "}":
			if len(functions) > 0 && functions[len(functions)-1] == depth {
				functions = functions[:len(functions)-1]
			}
			depth--
			if closing && depth == 0 && t.text == "}" {
				s.edits.list = append(s.edits.list, edit{t.end, t.end, ";"})
				closing = false
			}
		case "await":
			if len(functions) == 0 && !s.member() && s.next(1).text != "=>" && !s.arrow() {
				s.edits.awaits = true
			}
		case "import":
			s.importAt(depth)
		case "export":
			if depth == 0 && !s.member() {
				closing = s.export() || closing
			}
		}
		if t.kind == js.TemplateStartToken {
			depth++
		} else if t.kind == js.TemplateEndToken {
			depth--
		}
	}
	return s.edits, nil
}

// next is the token some places on.
func (s *scanner) next(n int) lexeme {
	if i := s.at + n; i >= 0 && i < len(s.list) {
		return s.list[i]
	}
	return lexeme{}
}

// member reports whether the token here is a name after a dot, or before a colon.
func (s *scanner) member() bool {
	before := s.next(-1).text
	return before == "." || before == "?." || s.next(1).text == ":"
}

// opensFunction reports whether the bracket here opens the body of a function: it is after => or the parameters of one.
func (s *scanner) opensFunction() bool {
	switch s.next(-1).text {
	case "=>":
		return true
	case ")":
	default:
		return false
	}
	depth := 0
	for i := -1; s.at+i >= 0; i-- {
		switch s.next(i).text {
		case ")":
			depth++
		case "(":
			if depth--; depth == 0 {
				switch s.next(i - 1).text {
				case "if", "for", "while", "switch", "with", "catch", "await":
					return false
				}
				return true // of a function, or of a method
			}
		}
	}
	return false
}

// arrow reports whether the token here is in the body of an arrow function without brackets: async x => await x.
func (s *scanner) arrow() bool {
	depth := 0
	for i := -1; s.at+i >= 0; i-- {
		switch t := s.next(i); t.text {
		case ")", "]", "}":
			depth++
		case "(", "[", "{":
			depth--
		case "=>":
			if depth <= 0 {
				return true
			}
		case ";":
			if depth <= 0 {
				return false
			}
		}
		if depth < -8 {
			return false
		}
	}
	return false
}

// isMethod reports whether the name here is that of a method: a body is after its parameters.
func (s *scanner) isMethod() bool {
	depth := 0
	for i := 1; s.at+i < len(s.list); i++ {
		switch s.next(i).text {
		case "(":
			depth++
		case ")":
			if depth--; depth == 0 {
				return s.next(i+1).text == "{"
			}
		}
	}
	return false
}

// importAt edits an import here: a statement, import.meta, or import().
func (s *scanner) importAt(depth int) {
	t, then := s.list[s.at], s.next(1)
	switch {
	case s.next(-1).text == "." || then.text == ":":
	case then.text == "(" && s.isMethod():
	case then.text == "(":
		s.edits.list = append(s.edits.list, edit{t.start, t.end, "$fetch"})
	case then.text == "." && s.next(2).text == "meta":
		s.edits.list = append(s.edits.list, edit{t.start, s.next(2).end, "$meta"})
		s.at += 2
	case depth == 0:
		s.edits.imports++
		for s.at < len(s.list)-1 && s.list[s.at].kind != js.StringToken {
			s.at++
			if s.list[s.at].kind == js.StringToken && s.next(1).text == "as" {
				s.at++
			}
		}
		s.edits.list = append(s.edits.list, edit{t.start, s.from(), ""})
	}
}

// from goes to the end of a statement whose module's name stands here, and returns it.
func (s *scanner) from() int {
	end := s.list[s.at].end
	if s.next(1).text == "with" && s.next(2).text == "{" { // import attributes
		for s.at < len(s.list)-1 && s.list[s.at].text != "}" {
			s.at++
		}
		end = s.list[s.at].end
	}
	if s.next(1).text == ";" {
		s.at++
		end = s.list[s.at].end
	}
	return end
}

// export edits an export here, and reports whether it is a default function or class without a name, whose body ends a
// statement.
func (s *scanner) export() (unnamed bool) {
	t := s.list[s.at]
	s.edits.exports++
	switch then := s.next(1); then.text {
	case "*", "{":
		for s.at < len(s.list)-1 && s.list[s.at].text != "}" && (then.text == "{" ||
			s.list[s.at].kind != js.StringToken) {
			s.at++
		}
		end := s.list[s.at].end
		if then.text == "{" && s.next(1).text == "from" {
			s.at += 2
			end = s.from()
		} else if then.text == "*" {
			for s.list[s.at].kind == js.StringToken && s.next(1).text == "from" {
				s.at += 2 // export * as "a name" from
			}
			end = s.from()
		} else if s.next(1).text == ";" {
			s.at++
			end = s.list[s.at].end
		}
		s.edits.list = append(s.edits.list, edit{t.start, end, ""})
	case "default":
		kind := s.next(2).text
		name := s.next(3)
		if kind == "async" && name.text == "function" {
			kind, name = "function", s.next(4)
		}
		if name.text == "*" && kind == "function" {
			name = s.next(4)
			if s.next(3).text != "*" {
				name = s.next(5)
			}
		}
		unnamed = kind == "function" && name.text == "(" || kind == "class" && (name.text == "{" ||
			name.text == "extends")
		with := "$default="
		if (kind == "function" || kind == "class") && !unnamed {
			with = ""
		}
		s.edits.list = append(s.edits.list, edit{t.start, then.end, with})
		s.at++
	default:
		s.edits.list = append(s.edits.list, edit{t.start, t.end, ""})
	}
	return unnamed
}

// withImports is a plain script whose import() the engine can take.
func withImports(text string) string {
	if !strings.Contains(text, "import(") && !strings.Contains(text, "import (") {
		return text
	}
	src := []byte(text)
	list, err := lexemes(src)
	if err != nil {
		return text
	}
	e := &edits{}
	for i, t := range list {
		if t.text == "import" && i+1 < len(list) && list[i+1].text == "(" && (i == 0 || list[i-1].text != ".") {
			e.list = append(e.list, edit{t.start, t.end, "$fetch"})
		}
	}
	return string(e.apply(src))
}
