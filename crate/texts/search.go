package texts

import (
	"bytes"
	"encoding/binary"
)

// A large script is searched for many names at once in one pass, since one search for each name reads it hundreds of
// times.

// longestWord is the length of the longest name that is looked for, in bytes.
const longestWord = 200

// QuotedNames finds which of the wanted names stand in a script as a part of a path or as a whole text: between two
// quotes of one kind, between slashes, or between a quote and a slash. Whole are those between quotes.
func QuotedNames(text []byte, wanted map[string]bool) (said, whole map[string]bool) {
	said, whole = map[string]bool{}, map[string]bool{}
	from, before := -1, byte(0)
	for i, c := range text {
		if c != '"' && c != '\'' && c != '`' && c != '/' {
			continue
		}
		if word := text[from+1 : i]; before != 0 && len(word) > 0 && len(word) <= longestWord &&
			(before == c || before == '/' || c == '/') && wanted[string(word)] {
			said[string(word)] = true
			if before == c && (c == '"' || c == '\'') {
				whole[string(word)] = true
			}
		}
		from, before = i, c
	}
	return said, whole
}

// Contained finds which of some names are in a text, anywhere in it: one pass looks up the first bytes of each place
// among the names' first bytes.
func Contained(text []byte, names map[string]bool) map[string]bool {
	found := map[string]bool{}
	for _, width := range []int{8, 4} {
		byHead := map[string][]string{}
		var heads [1 << 13]uint64 // a bit for each hash of a head, so that most places need no more than that
		for name := range names {
			if len(name) >= width && (width == 8 || len(name) < 8) {
				byHead[name[:width]] = append(byHead[name[:width]], name)
				h := headHash([]byte(name[:width]))
				heads[h>>6] |= 1 << (h & 63)
			}
		}
		for i := 0; i+width <= len(text) && len(byHead) > 0; i++ {
			if h := headHash(text[i : i+width]); heads[h>>6]&(1<<(h&63)) == 0 {
				continue
			}
			list, is := byHead[string(text[i:i+width])]
			if !is {
				continue
			}
			left := list[:0]
			for _, name := range list {
				if len(text)-i >= len(name) && string(text[i:i+len(name)]) == name {
					found[name] = true
				} else {
					left = append(left, name)
				}
			}
			if byHead[string(text[i:i+width])] = left; len(left) == 0 {
				delete(byHead, string(text[i:i+width]))
			}
		}
	}
	for name := range names {
		if len(name) < 4 && bytes.Contains(text, []byte(name)) {
			found[name] = true
		}
	}
	return found
}

// headHash is a number of 19 bits for the first bytes of a name.
func headHash(head []byte) uint32 {
	h := binary.LittleEndian.Uint32(head)
	if len(head) == 8 {
		h ^= binary.LittleEndian.Uint32(head[4:]) * 0x85ebca6b
	}
	return (h * 0x9e3779b1) >> 13
}

// NameByte reports whether a byte stands in names of classes.
func NameByte(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '_' || c >= 0x80
}

// maxBefore is how far before its equals sign an attribute's name is looked for, in bytes: nobody writes more space.
const maxBefore = 64

// HasValueOf reports whether markup may have an attribute with a value: whether one of its equals signs stands behind
// the attribute's name, which is in lower case. Pages have few of these signs, and they are found faster than a name in
// any case.
func HasValueOf(b []byte, name string) bool {
	for at := 0; ; at++ {
		i := bytes.IndexByte(b[at:], '=')
		if i < 0 {
			return false
		}
		at += i
		before := bytes.TrimRight(b[max(0, at-maxBefore):at], " \t\r\n\f")
		if begin := len(before) - len(name); begin >= 0 && bytes.EqualFold(before[begin:], []byte(name)) {
			return true
		}
	}
}
