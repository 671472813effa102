package style

import (
	"maps"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"merrycrate.example/merry/crate/memo"
)

// Kind says what a name in a stylesheet is the name of.
type Kind string

// The kinds of name.
const (
	Class     Kind = "class"
	ID        Kind = "id"
	Attribute Kind = "attribute"
	Property  Kind = "custom property"
	Keyframes Kind = "keyframes"
	Font      Kind = "font family"
)

// A Mention is one name in a stylesheet.
type Mention struct {
	Kind   Kind
	Name   string
	Offset int
	// Makes says that the stylesheet makes something of that name: rules for a class, a value for a property. Otherwise
	// it uses what somebody else makes.
	Makes bool
}

// A Declaration is one declaration of a class, with the custom properties that it uses. Context are the conditions
// around it, Shape is its selector with & for the class and * for others.
type Declaration struct {
	Context, Shape, Property, Value string
	Uses                            []string
}

// A Sheet is what was read off a stylesheet.
type Sheet struct {
	Mentions []Mention
	// rules are the declarations that each class has, each with the shape of its selector.
	Rules  map[string]map[string]bool
	Decls  map[string][]Declaration   // of each class
	Vars   map[string]string          // what custom properties are worth, the first value of each
	Beside map[string]map[string]bool // of each class, those with which it stands in selectors
	Users  map[string][]Declaration   // of custom properties: the declarations of classes that use them
}

// Makes lists the names that the stylesheet makes, each once, with its first place.
func (s *Sheet) Makes() []Mention {
	var list []Mention
	seen := map[Mention]bool{}
	for _, m := range s.Mentions {
		key := Mention{Kind: m.Kind, Name: m.Name}
		if m.Makes && !seen[key] {
			seen[key] = true
			list = append(list, m)
		}
	}
	return list
}

// Merge makes one sheet of several, as a page sees them.
func Merge(sheets ...*Sheet) *Sheet {
	if len(sheets) == 1 {
		return sheets[0]
	}
	all := &Sheet{Rules: map[string]map[string]bool{}, Decls: map[string][]Declaration{}, Vars: map[string]string{},
		Users: map[string][]Declaration{}, Beside: map[string]map[string]bool{}}
	for _, s := range sheets {
		for class, list := range s.Decls {
			all.Decls[class] = append(all.Decls[class], list...)
		}
		for name, value := range s.Vars {
			if _, known := all.Vars[name]; !known {
				all.Vars[name] = value
			}
		}
		for class, others := range s.Beside {
			if all.Beside[class] == nil {
				all.Beside[class] = map[string]bool{}
			}
			maps.Copy(all.Beside[class], others)
		}
		for name, list := range s.Users {
			all.Users[name] = append(all.Users[name], list...)
		}
		all.Mentions = append(all.Mentions, s.Mentions...)
		for class, rules := range s.Rules {
			if all.Rules[class] == nil {
				all.Rules[class] = map[string]bool{}
			}
			maps.Copy(all.Rules[class], rules)
		}
	}
	return all
}

// token is one token with its place.
type token struct {
	css.TokenType
	text   string
	offset int
}

// Read reads the names of a stylesheet and the rules of its classes. It splits rules as CSS Syntax Level 3 does
// (section 5), nested ones too; what can't be read is passed over.
func Read(b []byte) *Sheet {
	s := &Sheet{Rules: map[string]map[string]bool{}, Decls: map[string][]Declaration{}, Vars: map[string]string{},
		Users: map[string][]Declaration{}, Beside: map[string]map[string]bool{}}
	r := &reader{l: css.NewLexer(parse.NewInputBytes(b[:len(b):len(b)])), sheet: s}
	r.block("", nil, 0)
	return s
}

type reader struct {
	l      *css.Lexer
	sheet  *Sheet
	offset int
	ended  bool
}

func (r *reader) next() token {
	tt, data := r.l.Next()
	if tt == css.ErrorToken {
		r.ended = true
		return token{TokenType: tt}
	}
	t := token{tt, string(data), r.offset}
	r.offset += len(data)
	return t
}

// maxNesting bounds how deep blocks are followed.
const maxNesting = 64

// block reads the items of a block up to its end. Context is what stands around it; selectors are those of the rule
// whose block it is.
func (r *reader) block(context string, selectors [][]token, depth int) {
	var item []token
	parens := 0
	for !r.ended {
		t := r.next()
		switch t.TokenType {
		case css.CommentToken, css.CDOToken, css.CDCToken:
			continue
		case css.LeftParenthesisToken, css.FunctionToken, css.LeftBracketToken:
			parens++
		case css.RightParenthesisToken, css.RightBracketToken:
			parens = max(0, parens-1)
		}
		switch {
		case t.TokenType == css.LeftBraceToken:
			r.rule(context, selectors, trim(item), depth)
			item, parens = nil, 0
		case t.TokenType == css.RightBraceToken:
			r.declaration(context, selectors, trim(item))
			return
		case t.TokenType == css.SemicolonToken && parens == 0:
			r.declaration(context, selectors, trim(item))
			item = nil
		default:
			item = append(item, t)
		}
	}
	r.declaration(context, selectors, trim(item))
}

func trim(list []token) []token {
	for len(list) > 0 && list[0].TokenType == css.WhitespaceToken {
		list = list[1:]
	}
	for len(list) > 0 && list[len(list)-1].TokenType == css.WhitespaceToken {
		list = list[:len(list)-1]
	}
	return list
}

func (r *reader) mention(k Kind, name string, offset int, makes bool) {
	r.sheet.Mentions = append(r.sheet.Mentions, Mention{k, unescape(name), offset, makes})
}

// rule reads a rule whose prelude has just ended with a brace.
func (r *reader) rule(context string, outer [][]token, prelude []token, depth int) {
	if depth > maxNesting {
		r.skip()
		return
	}
	if len(prelude) > 0 && prelude[0].TokenType == css.AtKeywordToken {
		name := strings.ToLower(prelude[0].text)
		rest := trim(prelude[1:])
		switch {
		case strings.HasSuffix(name, "keyframes") && len(rest) > 0:
			r.mention(Keyframes, unquote(rest[0].text), rest[0].offset, true)
			r.skip()
		case name == "@font-face":
			r.block("@font-face", nil, depth+1)
		case name == "@property" && len(rest) > 0:
			r.mention(Property, rest[0].text, rest[0].offset, true)
			r.skip()
		default:
			r.block(context+"|"+name+flat(rest), outer, depth+1)
		}
		return
	}
	r.selectors(prelude)
	list := split(prelude)
	r.besides(list)
	r.block(context, list, depth+1)
}

// besides notes which classes stand together in selectors.
func (r *reader) besides(selectors [][]token) {
	for _, sel := range selectors {
		var classes []string
		for i, t := range sel {
			if t.TokenType == css.IdentToken && i > 0 && sel[i-1].text == "." {
				classes = append(classes, unescape(t.text))
			}
		}
		for _, c := range classes {
			for _, other := range classes {
				if c == other {
					continue
				}
				if r.sheet.Beside[c] == nil {
					r.sheet.Beside[c] = map[string]bool{}
				}
				r.sheet.Beside[c][other] = true
			}
		}
	}
}

// skip passes over a block.
func (r *reader) skip() {
	for depth := 1; depth > 0 && !r.ended; {
		switch r.next().TokenType {
		case css.LeftBraceToken:
			depth++
		case css.RightBraceToken:
			depth--
		}
	}
}

// selectors notes the names in a selector list.
func (r *reader) selectors(list []token) {
	for i, t := range list {
		switch {
		case t.TokenType == css.DelimToken && t.text == "." && i+1 < len(list) && list[i+1].TokenType == css.IdentToken:
			r.mention(Class, list[i+1].text, list[i+1].offset, true)
		case t.TokenType == css.HashToken:
			r.mention(ID, t.text[1:], t.offset, true)
		case t.TokenType == css.LeftBracketToken && i+1 < len(list) && list[i+1].TokenType == css.IdentToken:
			r.mention(Attribute, list[i+1].text, list[i+1].offset, true)
		}
	}
}

// split splits a selector list at its commas.
func split(list []token) [][]token {
	var out [][]token
	from, parens := 0, 0
	for i, t := range list {
		switch t.TokenType {
		case css.LeftParenthesisToken, css.FunctionToken:
			parens++
		case css.RightParenthesisToken:
			parens--
		case css.CommaToken:
			if parens == 0 {
				out = append(out, trim(list[from:i]))
				from = i + 1
			}
		}
	}
	return append(out, trim(list[from:]))
}

// flat writes tokens without needless white space.
func flat(list []token) string {
	var s strings.Builder
	for _, t := range list {
		if t.TokenType == css.WhitespaceToken {
			s.WriteByte(' ')
			continue
		}
		s.WriteString(strings.ToLower(t.text))
	}
	return s.String()
}

// declaration reads one declaration of a rule.
func (r *reader) declaration(context string, selectors [][]token, list []token) {
	colon := -1
	for i, t := range list {
		if t.TokenType == css.ColonToken {
			colon = i
			break
		}
	}
	if colon < 1 || list[0].TokenType != css.IdentToken && list[0].TokenType != css.CustomPropertyNameToken {
		return
	}
	property := list[0].text
	value := trim(list[colon+1:])
	if strings.HasPrefix(property, "--") {
		r.mention(Property, property, list[0].offset, true)
		if _, known := r.sheet.Vars[property]; !known {
			r.sheet.Vars[property] = flat(value)
		}
	}
	low := strings.ToLower(property)
	var uses []string // custom properties
	first := true     // of a list's item
	for _, t := range value {
		if t.TokenType == css.WhitespaceToken {
			continue
		}
		begins := first
		first = t.TokenType == css.CommaToken
		switch {
		case strings.HasPrefix(t.text, "--"):
			r.mention(Property, t.text, t.offset, false)
			uses = append(uses, t.text)
		case (low == "animation" || low == "animation-name" || strings.HasSuffix(low, "-animation")) &&
			t.TokenType == css.IdentToken:
			r.mention(Keyframes, t.text, t.offset, false)
		case low == "font-family" && (t.TokenType == css.StringToken || t.TokenType == css.IdentToken && begins):
			r.mention(Font, unquote(t.text), t.offset, context == "@font-face")
		}
	}
	for _, sel := range selectors {
		r.rules(context, sel, low+":"+valueShape(value), Declaration{Context: context, Property: low,
			Value: flat(value), Uses: uses})
	}
}

// rules notes a declaration with every class of a selector: the selector's shape has & for that class and * for others,
// so that a rule is the same whatever its classes are called.
func (r *reader) rules(context string, selector []token, declaration string, d Declaration) {
	for i, t := range selector {
		if t.TokenType != css.IdentToken || i == 0 || selector[i-1].text != "." {
			continue
		}
		var shape strings.Builder
		for j, u := range selector {
			switch {
			case u.TokenType == css.IdentToken && j > 0 && selector[j-1].text == ".":
				if u.text == t.text {
					shape.WriteByte('&')
				} else {
					shape.WriteByte('*')
				}
			case u.TokenType == css.WhitespaceToken:
				shape.WriteByte(' ')
			default:
				shape.WriteString(u.text)
			}
		}
		name := unescape(t.text)
		if r.sheet.Rules[name] == nil {
			r.sheet.Rules[name] = map[string]bool{}
		}
		r.sheet.Rules[name][context+"{"+shape.String()+"{"+declaration] = true
		d.Shape = shape.String()
		r.sheet.Decls[name] = append(r.sheet.Decls[name], d)
		for _, v := range d.Uses {
			r.sheet.Users[v] = append(r.sheet.Users[v], d)
		}
	}
}

// valueShape writes a value so that values that mean the same, but for the names of custom properties, are the same.
func valueShape(list []token) string {
	var s strings.Builder
	for _, t := range list {
		switch {
		case t.TokenType == css.WhitespaceToken:
			s.WriteByte(' ')
		case strings.HasPrefix(t.text, "--"):
			s.WriteString("--*")
		default:
			s.WriteString(strings.ToLower(t.text))
		}
	}
	return s.String()
}

// PropertyName is a custom property's name, wherever it stands.
var PropertyName = memo.Regexp(`--[A-Za-z_][\w-]*`)
