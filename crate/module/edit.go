package module

import (
	"bytes"
	"encoding/json"
	"slices"
	"strings"
)

// An edit replaces a piece of a map's text.
type edit struct {
	start, end int
	text       string
}

// A Wish is the desired content of a map.
type Wish struct {
	// Set are names for all modules with their addresses, "" for one that is to go.
	Set map[string]string
	// Scopes are whole scopes, each by its prefix of addresses, with names and their addresses; an empty one is to go.
	Scopes map[string]map[string]string
	// Demand maps addresses to their required integrity, "" for none.
	Demand map[string]string
	// Spell writes an address as the map is to have it, between quotes; nil writes it as JSON does.
	Spell func(address string) (text string, ok bool)
}

// New is a map that says nothing yet.
const New = "{}"

// Edit makes a map match a wish. It touches only the entries that change; new ones are written in the style of their
// neighbours. Indent is the indentation of the map's own lines.
func (m *Map) Edit(w Wish, indent, newline string) []byte {
	text := m.Text
	for _, part := range []struct {
		name string
		set  map[string]string
	}{{"imports", w.quoted(w.Set)}, {"scopes", m.scopesOf(w.Scopes)}, {"integrity", w.quoted(w.Demand)}} {
		if len(part.set) == 0 {
			continue
		}
		again, err := ReadFilled(text, m.fill)
		if err != nil {
			return text
		}
		text = again.change(text, part.name, part.set, indent, newline)
	}
	return text
}

// quoted are addresses as a map has them.
func (w *Wish) quoted(set map[string]string) map[string]string {
	list := map[string]string{}
	for name, value := range set {
		if list[name] = ""; value == "" {
			continue
		}
		list[name] = quote(value)
		if w.Spell != nil {
			if text, ok := w.Spell(value); ok {
				list[name] = `"` + text + `"`
			}
		}
	}
	return list
}

// scopesOf are scopes as a map has them; one that says already what it is to say keeps its bytes.
func (m *Map) scopesOf(scopes map[string]map[string]string) map[string]string {
	list := map[string]string{}
	for prefix, names := range scopes {
		same := len(names) > 0
		for name, address := range names {
			same = same && slices.ContainsFunc(m.Entries, func(e Entry) bool {
				return e.Scope == prefix && e.Specifier == name && e.Address == address
			})
		}
		for _, e := range m.Entries {
			same = same && (e.Scope != prefix || names[e.Specifier] != "")
		}
		if same {
			continue
		}
		var inner []string
		for name, address := range names {
			inner = append(inner, quote(name)+": "+quote(address))
		}
		slices.Sort(inner)
		if list[prefix] = ""; len(inner) > 0 {
			list[prefix] = "{ " + strings.Join(inner, ", ") + " }"
		}
	}
	return list
}

// change sets members of one of the map's objects, to values as the text has them.
func (m *Map) change(text []byte, part string, set map[string]string, indent, newline string) []byte {
	o := map[string]object{"imports": m.imports, "scopes": m.scopes, "integrity": m.integ}[part]
	var edits []edit
	var come []string
	names := make([]string, 0, len(set))
	for name := range set {
		names = append(names, name)
	}
	slices.Sort(names)
	left := len(o.members)
	gone := map[int]bool{}
	for _, name := range names {
		i := slices.IndexFunc(o.members, func(k member) bool { return k.name == name })
		switch {
		case i < 0 && set[name] != "":
			come = append(come, quote(name)+": "+set[name])
		case i < 0:
		case set[name] == "":
			gone[i] = true
			left--
		default:
			k := o.members[i]
			if value := set[name]; value != string(text[k.valueStart:k.valEnd]) {
				edits = append(edits, edit{k.valueStart, k.valEnd, value})
			}
		}
	}
	if len(gone) == 0 && len(come) == 0 {
		return apply(text, edits)
	}
	if left == 0 && len(come) == 0 && part != "imports" {
		return apply(text, append(edits, m.without(part))) // a part that says nothing more goes
	}
	if left > 0 || len(come) == 0 {
		edits = append(edits, o.removals(text, gone, left == 0)...)
	} // else what comes is in the place of all that goes
	if len(come) > 0 {
		edits = append(edits, m.insertion(text, o, gone, part, come, indent, newline))
	}
	return apply(text, edits)
}

// removals take members out, each with its comma and its line.
func (o *object) removals(text []byte, gone map[int]bool, all bool) []edit {
	if all {
		return []edit{{o.start, o.end, ""}}
	}
	var list []edit
	for i := range o.members {
		if !gone[i] {
			continue
		}
		k := o.members[i]
		if i+1 < len(o.members) {
			list = append(list, edit{k.start, o.members[i+1].start, ""})
			continue
		}
		// The last one: what stays before it loses its comma.
		before := i - 1
		for before >= 0 && gone[before] {
			before--
		}
		if before < 0 {
			list = append(list, edit{k.start, k.valEnd, ""})
			continue
		}
		from := o.members[before].valEnd
		list = slices.DeleteFunc(list, func(e edit) bool { return e.start > from })
		list = append(list, edit{from, k.valEnd, ""})
	}
	return list
}

// insertion puts members behind the last one that stays.
func (m *Map) insertion(text []byte, o object, gone map[int]bool, part string, come []string, indent,
	newline string) edit {
	if !o.there {
		return m.newPart(text, part, come, indent, newline)
	}
	last := -1
	for i := range o.members {
		if !gone[i] {
			last = i
		}
	}
	if last < 0 {
		inner := indent + "    "
		return edit{o.start, max(o.start, o.end), newline + inner + strings.Join(come, ","+newline+inner) + newline +
			indent + "  "}
	}
	k := o.members[last]
	between := string(text[o.start:o.members[0].start])
	if last > 0 {
		if at := bytes.LastIndexByte(text[o.members[last-1].valEnd:k.start], ','); at >= 0 {
			between = string(text[o.members[last-1].valEnd+at+1 : k.start])
		}
	} else if !strings.Contains(between, "\n") {
		between = " "
	}
	return edit{k.valEnd, k.valEnd, "," + between + strings.Join(come, ","+between)}
}

// newPart adds a part that the map has not.
func (m *Map) newPart(text []byte, part string, come []string, indent, newline string) edit {
	one, two := indent+"  ", indent+"    "
	body := quote(part) + ": {" + newline + two + strings.Join(come, ","+newline+two) + newline + one + "}"
	if len(m.top.members) == 0 {
		return edit{m.top.start, m.top.end, newline + one + body + newline + indent}
	}
	last := m.top.members[len(m.top.members)-1]
	return edit{last.valEnd, last.valEnd, "," + newline + one + body}
}

// without takes a whole part off.
func (m *Map) without(part string) edit {
	i := slices.IndexFunc(m.top.members, func(k member) bool { return k.name == part })
	k := m.top.members[i]
	switch {
	case i > 0:
		return edit{m.top.members[i-1].valEnd, k.valEnd, ""}
	case i+1 < len(m.top.members):
		return edit{k.start, m.top.members[i+1].start, ""}
	}
	return edit{k.start, k.valEnd, ""}
}

func apply(text []byte, edits []edit) []byte {
	slices.SortStableFunc(edits, func(a, b edit) int { return b.start - a.start })
	out := slices.Clone(text)
	for _, e := range edits {
		out = slices.Concat(out[:e.start], []byte(e.text), out[e.end:])
	}
	return out
}

// quote writes a text as JSON does, such that it ends no script.
func quote(s string) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if enc.Encode(s) != nil {
		return `""`
	}
	return strings.ReplaceAll(strings.TrimSpace(b.String()), "</", `<\/`)
}

// Empty reports whether a map says nothing at all.
func (m *Map) Empty() bool {
	return !slices.ContainsFunc(m.top.members, func(k member) bool {
		o, err := objectAt(m.filled, k.valueStart)
		return err != nil || len(o.members) > 0
	})
}

// Integrity returns the integrity that a map requires for an address, as it is written; "" for none.
func (m *Map) Integrity(address string) string {
	for _, k := range m.integ.members {
		var value string
		if k.name == address && json.Unmarshal(m.filled[k.valueStart:k.valEnd], &value) == nil {
			return value
		}
	}
	return ""
}

// Demands returns the addresses for which a map requires an integrity.
func (m *Map) Demands() []string {
	var list []string
	for _, k := range m.integ.members {
		list = append(list, k.name)
	}
	return list
}
