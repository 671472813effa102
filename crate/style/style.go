// Package style reads stylesheets: what they refer to, and what they offer to a page.
//
// It splits a stylesheet into tokens as CSS Syntax Level 3 does. It does not judge a stylesheet, and
// knows nothing of files.
package style

import (
	"bytes"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// A Reference is one url() or @import of a stylesheet.
type Reference struct {
	URL    string
	Offset int  // of the token, in bytes
	Start  int  // of the address itself, as it is written
	End    int  //
	Import bool // another stylesheet
	Font   bool // inside @font-face
}

// References lists what a stylesheet asks for, in order. Addresses that carry their content in
// themselves (data:) and those that only name a part of the document (#…) ask for nothing and are
// left out.
func References(b []byte) []Reference {
	if !mayRefer(b) {
		return nil
	}
	l := css.NewLexer(parse.NewInputBytes(b[:len(b):len(b)]))
	var refs []Reference
	var atRule string
	offset := 0
	function := ""
	for {
		tt, data := l.Next()
		if tt == css.ErrorToken {
			return refs
		}
		at := offset
		offset += len(data)
		add := func(url string) {
			url = strings.TrimSpace(unescape(url))
			if url == "" || url[0] == '#' || hasPrefixFold(url, "data:") || hasPrefixFold(url, "about:") {
				return
			}
			start, end := inside(data)
			refs = append(refs, Reference{URL: url, Offset: at, Start: at + start, End: at + end,
				Import: atRule == "@import", Font: atRule == "@font-face"})
		}
		switch tt {
		case css.AtKeywordToken:
			atRule = strings.ToLower(string(data))
		case css.SemicolonToken:
			if atRule != "@font-face" {
				atRule = ""
			}
		case css.RightBraceToken:
			atRule = ""
		case css.FunctionToken:
			function = strings.ToLower(string(data))
		case css.RightParenthesisToken:
			function = ""
		case css.URLToken:
			add(urlOf(string(data)))
		case css.StringToken:
			if atRule == "@import" && function == "" || function == "url(" || function == "src(" ||
				function == "image-set(" || function == "-webkit-image-set(" {
				add(unquote(string(data)))
			}
		}
	}
}

// mayRefer tells, much faster than the tokens would, that a stylesheet refers to nothing: it has no
// function whose name ends like one that refers, no @import, and no escape that could hide one.
func mayRefer(b []byte) bool {
	if bytes.IndexByte(b, '\\') >= 0 {
		return true
	}
	for i := bytes.IndexByte(b, '('); i >= 0; {
		for _, name := range []string{"url", "src", "image-set"} {
			if i >= len(name) && strings.EqualFold(string(b[i-len(name):i]), name) {
				return true
			}
		}
		next := bytes.IndexByte(b[i+1:], '(')
		if next < 0 {
			break
		}
		i += 1 + next
	}
	for i := bytes.IndexByte(b, '@'); i >= 0; {
		if hasPrefixFold(string(b[i:min(len(b), i+7)]), "@import") {
			return true
		}
		next := bytes.IndexByte(b[i+1:], '@')
		if next < 0 {
			break
		}
		i += 1 + next
	}
	return false
}

func hasPrefixFold(s, prefix string) bool {
	return len(s) >= len(prefix) && strings.EqualFold(s[:len(prefix)], prefix)
}

// urlOf takes the address out of url(…), quoted or not.
func urlOf(token string) string {
	s := token[len("url("):]
	s = strings.TrimSuffix(s, ")")
	return unquote(strings.TrimSpace(s))
}

// inside is where in a url() or string token the address stands.
func inside(token []byte) (start, end int) {
	start, end = 0, len(token)
	if hasPrefixFold(string(token[:min(4, len(token))]), "url(") {
		start = 4
		if token[end-1] == ')' {
			end--
		}
	}
	space := func(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '\f' }
	for start < end && space(token[start]) {
		start++
	}
	for end > start && space(token[end-1]) {
		end--
	}
	if end-start >= 2 && (token[start] == '"' || token[start] == '\'') && token[end-1] == token[start] {
		start, end = start+1, end-1
	}
	return start, end
}

func unquote(s string) string {
	if len(s) >= 2 && (s[0] == '"' || s[0] == '\'') && s[len(s)-1] == s[0] {
		return s[1 : len(s)-1]
	}
	return s
}

// unescape resolves CSS escapes (CSS Syntax Level 3, section 4.3.7).
func unescape(s string) string {
	if !strings.Contains(s, `\`) {
		return s
	}
	var out strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] != '\\' || i+1 == len(s) {
			out.WriteByte(s[i])
			continue
		}
		i++
		code, n := 0, 0
		for n < 6 && i+n < len(s) && hexValue(s[i+n]) >= 0 {
			code = code*16 + hexValue(s[i+n])
			n++
		}
		switch {
		case n > 0:
			i += n - 1
			if i+1 < len(s) && strings.IndexByte(" \t\n\r\f", s[i+1]) >= 0 {
				i++
			}
			out.WriteRune(rune(code))
		case s[i] == '\n':
		default:
			out.WriteByte(s[i])
		}
	}
	return out.String()
}

func hexValue(c byte) int {
	switch {
	case '0' <= c && c <= '9':
		return int(c - '0')
	case 'a' <= c|0x20 && c|0x20 <= 'f':
		return int(c|0x20-'a') + 10
	}
	return -1
}
