package ecma

import (
	"bytes"

	"merrycrate.example/merry/crate/memo"
)

// attributes are the import attributes after a module's name: with { type: "json" } (ECMA-262, section 16.2.2).
var attributes = memo.Regexp(`^\s*with\s*\{[^{}]*\}`)

var attributeType = memo.Regexp("\\btype[\"']?\\s*:\\s*[\"'](\\w+)[\"']")

// blankAttributes writes blanks over the import attributes before the place where a parser stopped, which knows none.
// It reports whether there were any.
func blankAttributes(buf []byte, line, column int) bool {
	at := 0
	for range line - 1 {
		at += bytes.IndexByte(buf[at:], '\n') + 1
	}
	at = min(at+column, len(buf))
	with := bytes.LastIndex(buf[:at], []byte("with"))
	if with < 1 ||
		!bytes.ContainsAny(bytes.TrimRight(buf[:with],
			" \t\r\n")[max(0, len(bytes.TrimRight(buf[:with], " \t\r\n"))-1):], "\"'") {
		return false
	}
	found := attributes().Find(buf[with:])
	for i, c := range found {
		if c != '\n' && c != '\r' {
			buf[with+i] = ' '
		}
	}
	return found != nil
}

// TypeBehind is the type that an import says behind the module's name, which is at an offset, "" for a script.
func TypeBehind(src []byte, at, length int) string {
	if at < 0 || at+length > len(src) {
		return ""
	}
	if found := attributes().Find(src[at+length:]); found != nil {
		if kind := attributeType().FindSubmatch(found); kind != nil {
			return string(kind[1])
		}
	}
	return ""
}
