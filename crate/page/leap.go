package page

import (
	"bytes"
	"encoding/binary"
	"math/bits"
)

// A inertElement attribute is one that may lead to files, with the place where its tag begins.
type inertElement struct {
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

// leap goes on to the next tag that brings something onto the page or changes how the rest is read, or that is written
// in an unusual way. Of the others, which are nearly all of a page's, it holds the attributes that may lead to files.
func (s *Scanner) leap() {
	b, at, last := s.b, s.pos, s.skimmed
	defer func() { s.pos, s.skimmed = at, last }()
	for {
		if at >= len(b) {
			return
		}
		if b[at] != '<' {
			i := bytes.IndexByte(b[at:], '<')
			if i < 0 {
				at = len(b)
				return
			}
			at += i
		}
		name := at + 1
		if name >= len(b) {
			return
		}
		closing := b[name] == '/'
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
		if !closing {
			last = at
		}
		at = j + 1
	}
}

// passAttrs goes from the end of a tag's name to its '>', and holds those of its attributes that may lead to files. It
// returns len(b) where the page ends first, or where the name goes on.
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
		if nameEnd := j; j+1 < len(b) && b[j] == '=' && b[j+1] == '"' {
			value := j + 2
			if j = quoteEnd(b, value); j < len(b) && mayHold(b[start], nameEnd-start) {
				s.hold(tag, start, nameEnd, value, j)
			}
			j++
		} else if mayHold(b[start], nameEnd-start) {
			j = s.holdUnusual(tag, start, nameEnd)
		} else {
			j, _ = nextAttr(b, start, nil)
		}
	}
}

// quoteEnd is where the next double quote stands, len(b) if there is none. Most values are short, so it looks at eight
// bytes at a time, and leaves the search to the library only in a long one.
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

// hold keeps an attribute, with a value in double quotes, where it may lead to files.
func (s *Scanner) hold(tag, start, nameEnd, value, valueEnd int) {
	name := attrName(s.b[start:nameEnd])
	if s.holds(tag, name) {
		s.held = append(s.held, inertElement{tag, Attr{Name: name, NameStart: start, ValueStart: value,
			ValueEnd: valueEnd, End: valueEnd + 1, Quote: '"', HasValue: true}})
	}
}

// holdUnusual is hold for an attribute that is written in another way. It returns where that ends.
func (s *Scanner) holdUnusual(tag, start, nameEnd int) int {
	var a Attr
	end, _ := nextAttr(s.b, start, &a)
	if a.Name = attrName(s.b[start:nameEnd]); s.holds(tag, a.Name) {
		s.held = append(s.held, inertElement{tag, a})
	}
	return end
}

// holds reports whether an attribute may lead to files, and is the first of its name.
func (s *Scanner) holds(tag int, name string) bool {
	if !carrier(name) && !set(name) && name != "style" && name != "data" && !isData(name) {
		return false
	}
	for i := len(s.held) - 1; i >= 0 && s.held[i].tag == tag; i-- {
		if s.held[i].Name == name {
			return false
		}
		if len(s.held)-i == manyAttrs {
			return s.isNew(tag, name)
		}
	}
	return true
}

// manyAttrs is from how many attributes of one tag on their names are looked up rather than compared one by one.
const manyAttrs = 32

// isNew is the rest of holds for a tag with many attributes: it reports whether none of the held ones has a name, and
// counts that name as held.
func (s *Scanner) isNew(tag int, name string) bool {
	if s.heldNames == nil || s.namesOf != tag {
		s.heldNames, s.namesOf = map[string]bool{}, tag
		for i := len(s.held) - 1; i >= 0 && s.held[i].tag == tag; i-- {
			s.heldNames[s.held[i].Name] = true
		}
	}
	if s.heldNames[name] {
		return false
	}
	s.heldNames[name] = true
	return true
}

// lengths has for the first letter of the name of each attribute that may lead to files a bit for each length that such
// names have.
var lengths = func() (table [256]uint16) {
	for _, name := range []string{"href", "src", "srcset", "style", "poster", "action", "formaction", "background",
		"xlink:href", "longdesc", "manifest", "data", "imagesrcset"} {
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
