package page

import (
	"bytes"
	"encoding/binary"
	"math/bits"
)

// A held attribute is one that may lead to files, with the place where its tag begins.
type held struct {
	tag int
	Attr
}

// letter tells the bytes of the names of elements that are passed over: 1 may begin one, 2 may go on.
var letter = func() (table [256]byte) {
	for c := 'a'; c <= 'z'; c++ {
		table[c] = 1
	}
	for _, c := range "0123456789-" {
		table[c] = 2
	}
	return table
}()

// leap goes on to the next tag that brings something onto the page or changes how the rest is read, or that is written in an
// unusual way. Of the others, which are nearly all of a page's, it holds the attributes that may lead to files.
func (s *Scanner) leap() {
	b := s.b
	for {
		at := s.pos
		if at >= len(b) {
			return
		}
		if b[at] != '<' {
			i := bytes.IndexByte(b[at:], '<')
			if i < 0 {
				s.pos = len(b)
				return
			}
			at += i
			s.pos = at
		}
		name := at + 1
		closing := name < len(b) && b[name] == '/'
		if closing {
			name++
		}
		j := name
		if j >= len(b) || letter[b[j]] != 1 {
			return
		}
		for j++; j < len(b) && letter[b[j]] != 0; {
			j++
		}
		if j >= len(b) || j-name > 2 && matters(b[name:j]) {
			return
		}
		if b[j] != '>' {
			before := len(s.held)
			if j = s.passAttrs(at, j); j >= len(b) || closing {
				s.held = s.held[:before]
			}
			if j >= len(b) {
				return
			}
		}
		s.pos = j + 1
		if !closing {
			s.skimmed = at
		}
	}
}

// passAttrs goes from the end of a tag's name to its '>', and holds those of its attributes that may lead to files. It returns
// len(b) where the page ends first, or where the name goes on.
func (s *Scanner) passAttrs(tag, j int) int {
	b := s.b
	if class[b[j]] == 0 || b[j] == '=' {
		return len(b)
	}
	for {
		for j < len(b) && (class[b[j]] == 1 || b[j] == '/') {
			j++
		}
		if j >= len(b) || b[j] == '>' {
			return j
		}
		start := j
		for j++; j < len(b) && class[b[j]] == 0; {
			j++
		}
		quoted := j+1 < len(b) && b[j] == '=' && b[j+1] == '"'
		switch holds := mayHold(b[start], j-start); {
		case quoted:
			end := quoteEnd(b, j+2)
			if holds && end < len(b) {
				s.hold(Attr{NameStart: start, ValueStart: j + 2, ValueEnd: end, End: end + 1, Quote: '"', HasValue: true}, tag, j)
			}
			j = end + 1
		case holds:
			var a Attr
			end := j
			j, _ = nextAttr(b, start, &a)
			s.hold(a, tag, end)
		default:
			j, _ = nextAttr(b, start, nil)
		}
	}
}

// quoteEnd is where the next double quote stands, len(b) where there is none. Most values are short, so it looks at eight bytes at
// a time, and leaves the search to the library only in a long one.
func quoteEnd(b []byte, i int) int {
	const ones, highs, quotes = 0x0101010101010101, 0x8080808080808080, 0x2222222222222222
	for range 4 {
		if i+8 > len(b) {
			break
		}
		x := binary.LittleEndian.Uint64(b[i:]) ^ quotes
		if found := (x - ones) &^ x & highs; found != 0 {
			return i + bits.TrailingZeros64(found)/8
		}
		i += 8
	}
	if k := bytes.IndexByte(b[min(i, len(b)):], '"'); k >= 0 {
		return i + k
	}
	return len(b)
}

// hold keeps an attribute, whose name ends at nameEnd, where it may lead to files.
func (s *Scanner) hold(a Attr, tag, nameEnd int) {
	a.Name = attrName(s.b[a.NameStart:nameEnd])
	if !carrier(a.Name) && !set(a.Name) && a.Name != "style" && a.Name != "data" && !isData(a.Name) {
		return
	}
	for i := len(s.held) - 1; i >= 0 && s.held[i].tag == tag; i-- {
		if s.held[i].Name == a.Name {
			return // of several of one name the first counts
		}
	}
	s.held = append(s.held, held{tag, a})
}

// lengths has for the first letter of the name of each attribute that may lead to files a bit for each length that such names have.
var lengths = func() (table [256]uint16) {
	for _, name := range []string{"href", "src", "srcset", "style", "poster", "action", "formaction", "background", "xlink:href", "longdesc", "manifest", "data", "imagesrcset"} {
		table[name[0]] |= 1 << len(name)
		table[name[0]-'a'+'A'] |= 1 << len(name)
	}
	return table
}()

// mayHold tells by its first letter and its length whether an attribute may lead to files.
func mayHold(first byte, length int) bool {
	return lengths[first]>>min(length, 15)&1 != 0 || first|0x20 == 'd' && length > len("data")
}

// matters tells the names of tags that are not to be passed over.
func matters(name []byte) bool {
	switch string(name) {
	case "svg", "xmp", "base", "body", "head", "html", "link", "math", "meta", "style", "title", "iframe", "script",
		"noembed", "frameset", "noframes", "noscript", "template", "textarea", "plaintext":
		return true
	}
	return false
}
