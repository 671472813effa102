package editor

import (
	"bytes"
	"net/url"
	"path/filepath"
	"runtime"
	"strings"
	"unicode/utf8"
)

// A document is a file as the editor has it.
type document struct {
	uri     string
	path    string // on this machine's disk
	text    []byte
	version int
	saved   bool // the disk has the same text, as far as is known
}

// units are those in which the two sides agreed to count the characters of a line.
type units bool

const (
	utf16 units = false
	utf8s units = true
)

// offset turns a position into an offset of a text. One beyond the end of its line, or of the text, is that end.
func (u units) offset(b []byte, at position) int {
	begin := 0
	for range at.Line {
		i := bytes.IndexByte(b[begin:], '\n')
		if i < 0 {
			return len(b)
		}
		begin += i + 1
	}
	end := len(b)
	if i := bytes.IndexByte(b[begin:], '\n'); i >= 0 {
		end = begin + i
		if end > begin && b[end-1] == '\r' {
			end--
		}
	}
	if u == utf8s {
		return min(begin+max(0, at.Character), end)
	}
	for left := at.Character; begin < end && left > 0; {
		r, size := utf8.DecodeRune(b[begin:end])
		if left--; r >= 0x10000 {
			left--
		}
		begin += size
	}
	return begin
}

// position turns an offset of a text into a position.
func (u units) position(b []byte, at int) position {
	at = min(max(0, at), len(b))
	line := bytes.Count(b[:at], []byte("\n"))
	begin := bytes.LastIndexByte(b[:at], '\n') + 1
	if u == utf8s {
		return position{line, at - begin}
	}
	n := 0
	for _, r := range string(b[begin:at]) {
		if n++; r >= 0x10000 {
			n++
		}
	}
	return position{line, n}
}

func (u units) span(b []byte, from, to int) textRange {
	return textRange{u.position(b, from), u.position(b, to)}
}

// pathOf returns the path on disk that a file: URI names (RFC 8089), "" for any other URI.
func pathOf(uri string) string {
	u, err := url.Parse(uri)
	if err != nil || u.Scheme != "file" {
		return ""
	}
	p := u.Path
	if runtime.GOOS == "windows" {
		p = strings.TrimPrefix(p, "/")
	}
	return filepath.Clean(filepath.FromSlash(p))
}

// uriOf is the URI of a path on disk.
func uriOf(path string) string {
	p := filepath.ToSlash(path)
	if !strings.HasPrefix(p, "/") {
		p = "/" + p
	}
	return (&url.URL{Scheme: "file", Path: p}).String()
}
