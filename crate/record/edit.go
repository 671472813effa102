package record

import (
	"bytes"
	"maps"
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"merrycrate.example/merry/crate/problem"
)

// SetLibrary writes an entry into the text of a packing list. Of an entry that is there already,
// only the keys that differ are touched.
func SetLibrary(src []byte, lib Library) ([]byte, error) { return SetLibraries(src, []Library{lib}) }

// SetLibraries is SetLibrary for several entries.
func SetLibraries(src []byte, libs []Library) ([]byte, error) {
	list, err := ReadList(src)
	if err != nil {
		return nil, err
	}
	out := src
	var paths [][]string
	var fresh []Library
	for _, lib := range libs {
		if lib.Hold != nil && lib.Hold.From != "" {
			lib.Hold = nil // it stands in another file
		}
		paths = append(paths, []string{"libraries", lib.Name})
		old := list.Library(lib.Name)
		if old == nil {
			fresh = append(fresh, lib)
			continue
		}
		if out, err = setLibrary(out, *old, lib); err != nil {
			return nil, err
		}
	}
	if out, err = addLibraries(out, fresh); err != nil {
		return nil, err
	}
	return out, verify(src, out, paths...)
}

// addLibraries writes entries that are not there yet behind the last one, all in one edit: the text is
// parsed for each edit, and that is what takes the time.
func addLibraries(out []byte, libs []Library) ([]byte, error) {
	for len(libs) > 0 {
		// The first one makes the mapping if there is none; the others can then join it.
		t, err := parse(out)
		if err != nil {
			return nil, err
		}
		m := child(t.root, "libraries")
		if m == nil || m.Kind != yaml.MappingNode || m.Style&yaml.FlowStyle != 0 || len(m.Content) == 0 {
			wanted, err := nodeOf(libs[0])
			if err != nil {
				return nil, err
			}
			if out, err = set(out, []string{"libraries", libs[0].Name}, wanted); err != nil {
				return nil, err
			}
			libs = libs[1:]
			continue
		}
		indent := strings.Repeat(" ", m.Content[0].Column-1)
		var lines []string
		for _, lib := range libs {
			wanted, err := nodeOf(lib)
			if err != nil {
				return nil, err
			}
			lines = append(lines, render(lib.Name, wanted, indent, "")...)
		}
		t.lines = slices.Insert(t.lines, t.end(m), lines...)
		return t.bytes(), nil
	}
	return out, nil
}

// setLibrary changes the keys of an entry that differ.
func setLibrary(out []byte, old, lib Library) ([]byte, error) {
	wanted, err := nodeOf(lib)
	if err != nil {
		return nil, err
	}
	path := []string{"libraries", lib.Name}
	had, err := nodeOf(old)
	if err != nil {
		return nil, err
	}
	for i := 0; i < len(had.Content) && err == nil; i += 2 {
		if key := had.Content[i].Value; child(wanted, key) == nil {
			out, err = remove(out, append(path, key))
		}
	}
	for i := 0; i < len(wanted.Content) && err == nil; i += 2 {
		key, value := wanted.Content[i].Value, wanted.Content[i+1]
		if same(child(had, key), value) {
			continue
		}
		// In its usual place: the last line of an entry then stays, and what two people add to one and after it does
		// not meet.
		out, err = set(out, append(path, key), value, behind(key)...)
	}
	return out, err
}

// behind lists the keys of an entry that stand behind one.
func behind(key string) []string {
	var later []string
	t := reflect.TypeFor[Library]()
	found := false
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("yaml"), ",")
		if found {
			later = append(later, name)
		}
		found = found || name == key
	}
	return later
}

// RemoveLibrary takes an entry out of the text of a packing list.
func RemoveLibrary(src []byte, name string) ([]byte, error) {
	out, err := remove(src, []string{"libraries", name})
	if err != nil {
		return nil, err
	}
	return out, verify(src, out, []string{"libraries", name})
}

// Rewrite edits the text of a packing list so that it says what after says where before said otherwise: entries of
// libraries, CDNs, and the order of own files. All else of the text stays.
func Rewrite(src []byte, before, after *List) ([]byte, error) {
	var changed []Library
	for _, lib := range after.Libraries {
		old := before.Library(lib.Name)
		if old == nil || !reflect.DeepEqual(entry(*old), entry(lib)) {
			changed = append(changed, lib)
		}
	}
	out := src
	var err error
	if len(changed) > 0 {
		if out, err = SetLibraries(out, changed); err != nil {
			return nil, err
		}
	}
	for _, lib := range before.Libraries {
		if after.Library(lib.Name) == nil {
			if out, err = RemoveLibrary(out, lib.Name); err != nil {
				return nil, err
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(after.CDNs)) {
		if before.CDNs[name] != after.CDNs[name] {
			if out, err = SetText(out, string(after.CDNs[name]), "cdns", name); err != nil {
				return nil, err
			}
		}
	}
	if !slices.Equal(before.Own.Order, after.Own.Order) {
		order, err := nodeOf(after.Own)
		if err != nil {
			return nil, err
		}
		path := []string{"own", "order"}
		edited, err := set(out, path, child(order, "order"))
		if err != nil {
			return nil, err
		}
		return edited, verify(out, edited, path)
	}
	return out, nil
}

// entry is what an entry says, wherever it stands.
func entry(lib Library) Library {
	if lib.Hold != nil && lib.Hold.From != "" {
		lib.Hold = nil // it stands in another file
	}
	lib.Line = 0
	return lib
}

// SetText writes a text under a path of keys, such as cdns, harbour.
func SetText(src []byte, value string, path ...string) ([]byte, error) {
	out, err := set(src, path, &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: value})
	if err != nil {
		return nil, err
	}
	return out, verify(src, out, path)
}

// verify makes sure that an edit of the text has changed nothing but what is at the paths.
func verify(before, after []byte, paths ...[]string) error {
	a, err := without(before, paths)
	if err != nil {
		return err
	}
	where := make([]string, len(paths))
	for i, p := range paths {
		where[i] = strings.Join(p, ".")
	}
	b, err := without(after, paths)
	if err != nil {
		return problem.Refuse(problem.RecordUneasy, "edit "+strings.Join(where, ", ")+" by hand",
			"%s can't be edited safely here (%w)", ListFile, err)
	}
	if !reflect.DeepEqual(a, b) {
		return problem.Refuse(problem.RecordUneasy, "edit "+strings.Join(where, ", ")+" by hand",
			"%s can't be edited safely here", ListFile)
	}
	return nil
}

// without is a packing list's content less what is at the paths, and less mappings that hold nothing.
func without(src []byte, paths [][]string) (any, error) {
	var m map[string]any
	if err := yaml.Unmarshal(src, &m); err != nil {
		return nil, err
	}
	for _, path := range paths {
		prune(m, path)
	}
	return m, nil
}

func prune(m map[string]any, path []string) {
	next, _ := m[path[0]].(map[string]any)
	if len(path) > 1 && next != nil {
		prune(next, path[1:])
	}
	if len(path) == 1 || len(next) == 0 {
		delete(m, path[0])
	}
}

func nodeOf(v any) (*yaml.Node, error) {
	b, err := yaml.Marshal(v)
	if err != nil {
		return nil, err
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(b, &doc); err != nil {
		return nil, err
	}
	return doc.Content[0], nil
}

func same(a, b *yaml.Node) bool {
	if a == nil || b == nil {
		return a == b
	}
	if a.Kind != b.Kind || a.Value != b.Value || len(a.Content) != len(b.Content) {
		return false
	}
	for i := range a.Content {
		if !same(a.Content[i], b.Content[i]) {
			return false
		}
	}
	return true
}

// text is a packing list as lines, with what the parser says of it.
type text struct {
	lines   []string // without their endings
	newline string
	root    *yaml.Node
}

func parse(src []byte) (*text, error) {
	t := &text{newline: "\n"}
	if bytes.Contains(src, []byte("\r\n")) {
		t.newline = "\r\n"
	}
	s := strings.TrimSuffix(strings.ReplaceAll(string(src), "\r\n", "\n"), "\n")
	t.lines = strings.Split(s, "\n")
	var doc yaml.Node
	if err := yaml.Unmarshal(src, &doc); err != nil {
		return nil, syntaxError(src, err)
	}
	if len(doc.Content) == 0 || doc.Content[0].Kind != yaml.MappingNode || doc.Content[0].Style&yaml.FlowStyle != 0 {
		return nil, problem.Refuse(problem.RecordUneasy, "write it with one key a line", "the packing list is not a "+
			"block-style mapping, so merry can't edit it safely")
	}
	t.root = doc.Content[0]
	return t, nil
}

func (t *text) bytes() []byte { return []byte(strings.Join(t.lines, t.newline) + t.newline) }

// find follows a path of keys as far as block mappings go. It returns the last mapping, the index
// of the key in it (-1 where it is not there) and how many keys of the path lead to that mapping.
func (t *text) find(path []string) (m *yaml.Node, index, depth int) {
	m = t.root
	for depth = range path {
		index = -1
		for i := 0; i+1 < len(m.Content); i += 2 {
			if m.Content[i].Value == path[depth] {
				index = i
			}
		}
		if index < 0 {
			return m, -1, depth
		}
		v := m.Content[index+1]
		if depth == len(path)-1 || v.Kind != yaml.MappingNode || v.Style&yaml.FlowStyle != 0 {
			return m, index, depth
		}
		m = v
	}
	return m, index, depth
}

// set writes a value under a path of keys. Mappings on the way that are not there are made; one in
// flow style is written out again in block style, since its text can't be edited by lines. A new key goes before the
// first of those that are to stand after it, else to the end.
func set(src []byte, path []string, value *yaml.Node, later ...string) ([]byte, error) {
	t, err := parse(src)
	if err != nil {
		return nil, err
	}
	m, index, depth := t.find(path)
	if index < 0 {
		at := t.end(m)
		for i := 0; i < len(m.Content) && depth == len(path)-1; i += 2 {
			if key := m.Content[i]; slices.Contains(later, key.Value) {
				at = key.Line - 1
				if key.HeadComment != "" {
					at -= strings.Count(key.HeadComment, "\n") + 1
				}
				break
			}
		}
		indent := strings.Repeat(" ", m.Content[0].Column-1)
		t.lines = slices.Insert(t.lines, at, render(path[depth], nest(path[depth+1:], value), indent, "")...)
		return t.bytes(), nil
	}
	key, old := m.Content[index], m.Content[index+1]
	if depth < len(path)-1 {
		value = merge(old, path[depth+1:], value)
	}
	start, end := key.Line-1, t.entryEnd(key)
	comment := old.LineComment
	if comment == "" {
		comment = key.LineComment
	}
	indent := strings.Repeat(" ", key.Column-1)
	t.lines = slices.Replace(t.lines, start, end, render(path[depth], value, indent, comment)...)
	return t.bytes(), nil
}

// remove deletes what lies under a path of keys.
func remove(src []byte, path []string) ([]byte, error) {
	t, err := parse(src)
	if err != nil {
		return nil, err
	}
	m, index, depth := t.find(path)
	if index < 0 {
		return src, nil
	}
	key := m.Content[index]
	if depth == len(path)-1 {
		if len(m.Content) == 2 && depth > 0 {
			return remove(src, path[:depth]) // an empty mapping is no use to a reader
		}
		start, end := key.Line-1, t.entryEnd(key)
		if key.HeadComment == "" && start > 0 && strings.TrimSpace(t.lines[start-1]) == "" && end < len(t.lines) &&
			strings.TrimSpace(t.lines[end]) == "" {
			end++ // of the blank lines before and after, one is enough
		}
		t.lines = slices.Delete(t.lines, start, end)
		return t.bytes(), nil
	}
	value := merge(m.Content[index+1], path[depth+1:], nil)
	indent := strings.Repeat(" ", key.Column-1)
	t.lines = slices.Replace(t.lines, key.Line-1, t.entryEnd(key), render(path[depth], value, indent, "")...)
	return t.bytes(), nil
}

// merge returns a block-style copy of a mapping with the value at path set, or removed where it is
// nil.
func merge(n *yaml.Node, path []string, value *yaml.Node) *yaml.Node {
	out := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
	if n != nil && n.Kind == yaml.MappingNode {
		out.Content = slices.Clone(n.Content)
	}
	for i := 0; i+1 < len(out.Content); i += 2 {
		if out.Content[i].Value != path[0] {
			continue
		}
		if len(path) > 1 {
			out.Content[i+1] = merge(out.Content[i+1], path[1:], value)
		} else if value == nil {
			out.Content = slices.Delete(out.Content, i, i+2)
		} else {
			out.Content[i+1] = value
		}
		return out
	}
	if value != nil {
		out.Content = append(out.Content, &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: path[0]},
			nest(path[1:], value))
	}
	return out
}

func nest(path []string, value *yaml.Node) *yaml.Node {
	for _, key := range slices.Backward(path) {
		value = &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map",
			Content: []*yaml.Node{{Kind: yaml.ScalarNode, Tag: "!!str", Value: key}, value}}
	}
	return value
}

// render writes "key: value" as lines.
func render(key string, value *yaml.Node, indent, comment string) []string {
	var b bytes.Buffer
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	enc.Encode(nest([]string{key}, value))
	enc.Close()
	lines := strings.Split(strings.TrimSuffix(b.String(), "\n"), "\n")
	if comment != "" && !strings.Contains(lines[0], comment) {
		lines[0] += "  " + comment
	}
	for i := range lines {
		if lines[i] != "" {
			lines[i] = indent + lines[i]
		}
	}
	return lines
}

// end returns the index of the line after a block mapping's last entry.
func (t *text) end(m *yaml.Node) int { return t.entryEnd(m.Content[len(m.Content)-2]) }

// entryEnd returns the index of the line behind the entry of key: behind the last line that is
// indented deeper than the key, or that continues a list at the key's own depth.
func (t *text) entryEnd(key *yaml.Node) int {
	end := key.Line
scan:
	for i := key.Line; i < len(t.lines); i++ {
		line := t.lines[i]
		body := strings.TrimLeft(line, " ")
		depth := len(line) - len(body)
		switch {
		case body == "":
		case depth >= key.Column, depth == key.Column-1 && (strings.HasPrefix(body, "- ") ||
			strings.HasPrefix(body, "]") || strings.HasPrefix(body, "}")):
			end = i + 1
		default:
			break scan
		}
	}
	return end
}
