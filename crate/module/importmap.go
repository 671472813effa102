// Package module reads and edits import maps: how they resolve the names that modules import, and how to change entries
// without touching anything else (HTML Standard, section 8.1.5). It computes only.
package module

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
)

// A Map is a parsed import map, with the positions of its parts.
type Map struct {
	Text    []byte
	Entries []Entry
	top     object // of the whole
	imports object
	scopes  object
	integ   object
	filled  []byte // the text with something in the places that a server fills in
	fill    func(text []byte) []byte
}

// An Entry is one name of a map with its address.
type Entry struct {
	Scope     string // the prefix of addresses for whose modules it counts, "" for all
	Specifier string
	Address   string // as it is written; "" if it is null, which blocks the name
	Start     int    // of the address's string in the text, with its quotes
	End       int
	key       member
}

// An object is one of a map's JSON objects: where it begins, and its members.
type object struct {
	start, end int // behind the brace, and at the closing one
	members    []member
	there      bool
}

type member struct {
	name               string
	start              int // of the name's quote
	valueStart, valEnd int
}

// A SyntaxError is that of a text that is no import map, with its place.
type SyntaxError struct {
	Offset int
	What   string
}

// Error returns the problem and its offset.
func (e *SyntaxError) Error() string { return e.What }

// ReadMap reads an import map. The error of a text that browsers refuse is a *SyntaxError.
func ReadMap(text []byte) (*Map, error) {
	return ReadFilled(text, func(text []byte) []byte { return text })
}

// ReadFilled is ReadMap for a map in which a server fills in parts: fill returns the text with something in their
// places, of the same length. The map's own text stays as it is, and is what is edited.
func ReadFilled(own []byte, fill func(text []byte) []byte) (*Map, error) {
	text := fill(own)
	var all map[string]json.RawMessage
	if err := json.Unmarshal(text, &all); err != nil {
		var syntax *json.SyntaxError
		e := &SyntaxError{What: "it is not a JSON object"}
		if errors.As(err, &syntax) {
			e.Offset, e.What = max(0, int(syntax.Offset)-1), "it is not JSON: "+syntax.Error()
		}
		return nil, e
	}
	m := &Map{Text: own, filled: text, fill: fill}
	at := map[[2]string]int{} // of each entry, by its scope and name
	var err error
	if m.top, err = objectAt(text, 0); err != nil {
		return nil, err
	}
	for _, part := range m.top.members {
		switch part.name {
		case "imports", "scopes", "integrity":
		default:
			continue // browsers warn of it, and pass it over
		}
		o, err := objectAt(text, part.valueStart)
		if err != nil {
			return nil, &SyntaxError{part.valueStart, fmt.Sprintf("its %q is not an object", part.name)}
		}
		switch part.name {
		case "imports":
			m.imports = o
			m.add(text, "", o, at)
		case "integrity":
			m.integ = o
		case "scopes":
			m.scopes = o
			for _, scope := range o.members {
				inner, err := objectAt(text, scope.valueStart)
				if err != nil {
					return nil, &SyntaxError{scope.valueStart, fmt.Sprintf("its scope %q is not an object", scope.name)}
				}
				m.add(text, scope.name, inner, at)
			}
		}
	}
	return m, nil
}

// add reads the members of an object as entries, in a text that is JSON. What comes later under one name counts, as in
// JSON.
func (m *Map) add(text []byte, scope string, o object, at map[[2]string]int) {
	for _, k := range o.members {
		var address string
		if json.Unmarshal(text[k.valueStart:k.valEnd], &address) != nil {
			address = ""
		}
		e := Entry{scope, k.name, address, k.valueStart, k.valEnd, k}
		if i, had := at[[2]string{scope, k.name}]; had {
			m.Entries[i] = e
			continue
		}
		at[[2]string{scope, k.name}] = len(m.Entries)
		m.Entries = append(m.Entries, e)
	}
}

// objectAt reads the members of the object that begins at, or behind white space from, an offset of valid JSON.
func objectAt(text []byte, at int) (object, error) {
	at = space(text, at)
	if at >= len(text) || text[at] != '{' {
		return object{}, &SyntaxError{at, "it is not a JSON object"}
	}
	o := object{start: at + 1, there: true}
	for i := space(text, at+1); i < len(text) && text[i] != '}'; {
		end := valueEnd(text, i)
		var name string
		if end <= i || json.Unmarshal(text[i:end], &name) != nil {
			return object{}, &SyntaxError{i, "it is not JSON"}
		}
		k := member{name: name, start: i}
		i = space(text, end)
		if i >= len(text) || text[i] != ':' {
			return object{}, &SyntaxError{i, "it is not JSON"}
		}
		k.valueStart = space(text, i+1)
		if k.valEnd = valueEnd(text, k.valueStart); k.valEnd <= k.valueStart {
			return object{}, &SyntaxError{i, "it is not JSON"}
		}
		o.members = append(o.members, k)
		if i = space(text, k.valEnd); i < len(text) && text[i] == ',' {
			i = space(text, i+1)
		}
		o.end = i
	}
	if o.end == 0 {
		o.end = space(text, o.start)
	}
	return o, nil
}

func space(text []byte, i int) int {
	for i < len(text) && bytes.IndexByte([]byte(" \t\r\n"), text[i]) >= 0 {
		i++
	}
	return i
}

// valueEnd is behind the value of valid JSON that begins at an offset.
func valueEnd(text []byte, i int) int {
	depth, quoted := 0, false
	for ; i < len(text); i++ {
		switch c := text[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			if quoted = !quoted; !quoted && depth == 0 {
				return i + 1
			}
		case quoted:
		case c == '{' || c == '[':
			depth++
		case c == '}' || c == ']':
			if depth--; depth <= 0 {
				if depth < 0 {
					return i // after a number or a word
				}
				return i + 1
			}
		case depth == 0 && (c == ',' || c == ' ' || c == '\t' || c == '\r' || c == '\n'):
			return i
		}
	}
	return i
}

// Relative reports whether a specifier is an address of its own: relative, from the root, or whole.
func Relative(specifier string) bool {
	if strings.HasPrefix(specifier, "/") || strings.HasPrefix(specifier, "./") || strings.HasPrefix(specifier, "../") {
		return true
	}
	u, err := url.Parse(specifier)
	return err == nil && u.Scheme != ""
}

// Names are the joined entries of a page's import maps: if two give the same name, the first counts.
type Names struct {
	base   *url.URL
	plain  entries
	scopes []scope  // the longest prefix first
	others *url.URL // where all other names lead, nil if nowhere
}

type scope struct {
	prefix string
	entries
}

// entries are names with their addresses, as the standard compares them.
type entries struct {
	address  map[string]string
	prefixes []string // those names that end in a slash, the longest first
}

func (e *entries) add(key, address string) {
	if _, had := e.address[key]; had {
		return
	}
	if e.address == nil {
		e.address = map[string]string{}
	}
	e.address[key] = address
	if strings.HasSuffix(key, "/") {
		e.prefixes = append(e.prefixes, key)
	}
}

// Join joins the maps of a page, in their order. Base is the page's base, from which the maps' own addresses lead.
func Join(maps []*Map, base *url.URL) *Names {
	n := &Names{base: base}
	at := map[string]int{}
	for _, m := range maps {
		for _, e := range m.Entries {
			key := normalKey(e.Specifier, base)
			if e.Scope == "" {
				n.plain.add(key, e.Address)
				continue
			}
			prefix := e.Scope
			if u, err := base.Parse(e.Scope); err == nil {
				prefix = u.String()
			}
			i, had := at[prefix]
			if !had {
				i = len(n.scopes)
				at[prefix] = i
				n.scopes = append(n.scopes, scope{prefix: prefix})
			}
			n.scopes[i].add(key, e.Address)
		}
	}
	longest := func(a, b string) int { return len(b) - len(a) }
	slices.SortStableFunc(n.plain.prefixes, longest)
	for i := range n.scopes {
		slices.SortStableFunc(n.scopes[i].prefixes, longest)
	}
	slices.SortStableFunc(n.scopes, func(a, b scope) int { return strings.Compare(b.prefix, a.prefix) })
	return n
}

// Resolve returns the address of a specifier in the module at an address, as the standard's "resolve a module
// specifier" does (section 8.1.5.2): scopes first, longer ones before shorter ones, then the top-level imports. Ok is
// false for a name that no map has, or that a map blocks.
func (n *Names) Resolve(from *url.URL, specifier string) (to *url.URL, ok bool) {
	as := addressOf(specifier, from)
	key, importer := specifier, from.String()
	if as != nil {
		key = as.String()
	}
	for i := range n.scopes {
		s := &n.scopes[i]
		if s.prefix == importer || strings.HasSuffix(s.prefix, "/") && strings.HasPrefix(importer, s.prefix) {
			if to, found, ok := s.lookUp(key, as, n.base); found {
				return to, ok
			}
		}
	}
	if to, found, ok := n.plain.lookUp(key, as, n.base); found {
		return to, ok
	}
	if as == nil && n.others != nil {
		return n.others, true
	}
	return as, as != nil
}

// Open says that the maps may have other names, too, all of which lead to an address.
func (n *Names) Open(address string) { n.others, _ = url.Parse(address) }

// normalKey is a key as the standard compares it: an address in full, else the name itself.
func normalKey(specifier string, base *url.URL) string {
	if as := addressOf(specifier, base); as != nil {
		return as.String()
	}
	return specifier
}

// addressOf is a specifier as an address ("URL-like"), nil for a name.
func addressOf(specifier string, base *url.URL) *url.URL {
	if strings.HasPrefix(specifier, "/") || strings.HasPrefix(specifier, "./") || strings.HasPrefix(specifier, "../") {
		u, err := base.Parse(specifier)
		if err != nil {
			return nil
		}
		return u
	}
	if u, err := url.Parse(specifier); err == nil && u.Scheme != "" {
		return u
	}
	return nil
}

// special are the schemes of which a prefix of an address may be mapped.
var special = []string{"http", "https", "file", "ftp", "ws", "wss"}

// lookUp finds a key: itself, else the longest that ends in a slash and begins it. Found without ok is a name that is
// blocked.
func (e *entries) lookUp(key string, as, base *url.URL) (to *url.URL, found, ok bool) {
	if address, is := e.address[key]; is {
		to := addressOf(address, base)
		if to == nil || address == "" || strings.HasSuffix(key, "/") && !strings.HasSuffix(to.String(), "/") {
			return nil, true, false
		}
		return to, true, true
	}
	if as != nil && !slices.Contains(special, as.Scheme) {
		return nil, false, false
	}
	for _, prefix := range e.prefixes {
		if !strings.HasPrefix(key, prefix) {
			continue
		}
		address := e.address[prefix]
		to = addressOf(address, base)
		if to == nil || address == "" || !strings.HasSuffix(to.String(), "/") {
			return nil, true, false
		}
		whole, err := to.Parse("./" + strings.TrimPrefix(key, prefix))
		if err != nil || !strings.HasPrefix(whole.String(), to.String()) {
			return nil, true, false // it would lead above what is mapped
		}
		return whole, true, true
	}
	return nil, false, false
}
