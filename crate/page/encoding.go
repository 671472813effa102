package page

import (
	"bytes"
	"strings"
)

// An EncodingError is returned for a page that can't be edited by its ASCII bytes: in UTF-16, or in an encoding in
// which a byte that looks like a tag may be half of a letter.
type EncodingError struct{ Name string }

// Error names the encoding.
func (e *EncodingError) Error() string { return "the page is in " + e.Name }

// incompatible are labels of encodings that do not contain ASCII, or shift in and out of it (Encoding Standard, section
// 4.2, and others that browsers do not know).
var incompatible = map[string]bool{
	"iso-2022-jp": true, "csiso2022jp": true, "iso-2022-jp-2": true, "iso-2022-jp-3": true, "iso-2022-kr": true,
	"csiso2022kr": true, "iso-2022-cn": true, "iso-2022-cn-ext": true,
	"hz-gb-2312": true, "hz": true, "utf-7": true, "utf7": true, "unicode-1-1-utf-7": true, "x-unicode-2-0-utf-7": true,
	"csunicode11utf7": true,
	"utf-32":          true, "utf-32le": true, "utf-32be": true, "scsu": true, "bocu-1": true, "utf-ebcdic": true,
	"ibm037": true, "cp037": true, "ibm500": true,
}

// prescan is how many bytes of a page browsers look through for its encoding (HTML Standard, section 13.2.3.2).
const prescan = 1024

// Editable returns an *EncodingError for a page whose bytes can't be edited, nil for all others.
func Editable(b []byte) error {
	switch {
	case bytes.HasPrefix(b, []byte("\xff\xfe\x00\x00")), bytes.HasPrefix(b, []byte("\x00\x00\xfe\xff")):
		return &EncodingError{"UTF-32"}
	case bytes.HasPrefix(b, []byte("\xff\xfe")), bytes.HasPrefix(b, []byte("\xfe\xff")),
		bytes.HasPrefix(b, []byte("<\x00")), bytes.HasPrefix(b, []byte("\x00<")):
		return &EncodingError{"UTF-16"}
	case bytes.HasPrefix(b, []byte("\xef\xbb\xbf")):
		return nil // it is UTF-8, whatever else it says
	case bytes.HasPrefix(b, []byte("+/v")):
		return &EncodingError{"UTF-7"}
	}
	head := b[:min(len(b), prescan)]
	for _, word := range []string{"charset", "encoding"} {
		for at := 0; ; {
			i := indexFold(head[at:], word)
			if i < 0 {
				break
			}
			at += i + len(word)
			if name := label(head[at:]); incompatible[name] {
				return &EncodingError{strings.ToUpper(name)}
			}
		}
	}
	// Browsers tell this one by its escapes, where a page says nothing.
	for _, escape := range []string{"\x1b$B", "\x1b$@", "\x1b(J", "\x1b(I"} {
		if bytes.Contains(b, []byte(escape)) {
			return &EncodingError{"ISO-2022-JP"}
		}
	}
	return nil
}

// indexFold finds a word in lower case, whatever the case of the text.
func indexFold(b []byte, word string) int {
	for i := range len(b) - len(word) + 1 {
		if b[i]|0x20 == word[0] && bytes.EqualFold(b[i:i+len(word)], []byte(word)) {
			return i
		}
	}
	return -1
}

// label reads the value behind charset or encoding, in lower case: = "utf-8".
func label(b []byte) string {
	text := strings.TrimLeft(string(b[:min(len(b), 64)]), " \t\r\n\f")
	text, ok := strings.CutPrefix(text, "=")
	if !ok {
		return ""
	}
	text = strings.TrimLeft(text, " \t\r\n\f\"'")
	if end := strings.IndexAny(text, " \t\r\n\f\"';>/?"); end >= 0 {
		text = text[:end]
	}
	return strings.ToLower(text)
}
