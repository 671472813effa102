package editing

import (
	"bytes"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/record"
)

// keyValues are the values of keys that have only few, by the last step of the key's path.
var keyValues = map[string][]string{
	"serve":   {string(record.Local), string(record.CDN)},
	"build":   {string(record.Minified), string(record.Readable)},
	"arrange": {string(record.ByKind), string(record.Together)},
	"only":    {string(record.DevOnly)},
	"names":   {string(record.Shipped), string(record.Plain), string(record.Versioned)},
	"whole":   {"true", "false"}, "maps": {"true", "false"}, "integrity": {"true", "false"},
}

// suggestInList suggests keys and values in the packing list, by the indentation of its lines.
func (d *Snapshot) suggestInList(at int) []Suggestion {
	text := d.list
	if text == nil {
		text = d.Text(record.ListFile)
	}
	if at < 0 || at > len(text) {
		return nil
	}
	begin := bytes.LastIndexByte(text[:at], '\n') + 1
	line := string(text[begin:at])
	indent := len(line) - len(strings.TrimLeft(line, " "))
	steps := stepsAbove(text[:begin], indent)
	from, to := wordAt(text, at, "/.@*")
	suggest := func(kind Kind, labels []string, details func(string) string) []Suggestion {
		var list []Suggestion
		for _, l := range labels {
			list = append(list, Suggestion{Kind: kind, Label: l, Detail: details(l),
				Span: Span{File: record.ListFile, Start: from, End: to}})
		}
		return list
	}
	if key, _, has := strings.Cut(strings.TrimSpace(line), ":"); has {
		values := d.valuesOf(append(steps, key))
		return suggest(Value, values, func(string) string { return "a value of " + key })
	}
	if item, is := strings.CutPrefix(strings.TrimSpace(line), "-"); is && !strings.Contains(item, ":") {
		return suggest(Value, d.valuesOf(steps), func(string) string { return "" })
	}
	texts := map[string]string{}
	for _, k := range record.Keys() {
		if own := strings.Split(k.Path, "/"); len(own) == len(steps)+1 && matches(own[:len(steps)], steps) &&
			own[len(steps)] != "NAME" {
			texts[own[len(steps)]+": "] = k.Text
		}
	}
	return suggest(Key, sortedKeys(texts), func(l string) string { return texts[l] })
}

// stepsAbove are the keys that a line of an indentation is below.
func stepsAbove(text []byte, indent int) []string {
	var steps []string
	lines := bytes.Split(text, []byte("\n"))
	for _, line := range slices.Backward(lines) {
		own := len(line) - len(bytes.TrimLeft(line, " "))
		key, _, has := bytes.Cut(bytes.TrimSpace(line), []byte(":"))
		if own < indent && has && len(key) > 0 && key[0] != '#' {
			steps, indent = slices.Insert(steps, 0, string(key)), own
		}
	}
	return steps
}

// matches reports whether a key's path is that of some steps; NAME stands for any.
func matches(own, steps []string) bool {
	for i, s := range own {
		if s != "NAME" && s != steps[i] {
			return false
		}
	}
	return true
}

// valuesOf are the values that a key may have, as far as they are known.
func (d *Snapshot) valuesOf(steps []string) []string {
	switch key := steps[len(steps)-1]; {
	case key == "needs":
		return d.p.Seal.Names()
	case key == "pages" || key == "exclude":
		var list []string
		for _, name := range d.site.Pages {
			list = append(list, name.String())
			if dir := path.Dir(name.String()); dir != "." && !slices.Contains(list, dir+"/**") {
				list = append(list, dir+"/**")
			}
		}
		slices.Sort(list)
		return list
	case (key == "take" || key == "keep") && len(steps) == 3:
		if sealed := d.p.Seal.Libraries[steps[1]]; sealed != nil {
			var list []string
			for _, f := range sealed.Files {
				list = append(list, f.Path)
			}
			return list
		}
		return nil
	default:
		return keyValues[key]
	}
}
