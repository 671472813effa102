package origin

import (
	"bytes"
	"encoding/json"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
)

// What says in a part's text which others it requires: its header, and what it would have from a loader.
var (
	requiresLine = memo.Regexp(`(?im)^[\s/*#]*@?(?:requires?|depends(?: on)?|dependencies):?[ \t]+([^\r\n]+)`)
	partAsked    = memo.Regexp(`\brequire\(\s*["'](\.[^"']+)["']\s*\)`)
	partQuoted   = memo.Regexp(`["']([^"']+)["']`)
	partList     = memo.Regexp(`\bdefine\(\s*(?:["'][^"']*["']\s*,\s*)?\[([^\]]*)\]`)
)

const (
	maxHeader = 4 << 10   // bytes of a part that are read for what it requires
	maxTable  = 512 << 10 // bytes of a table of dependencies
	maxParts  = 24        // how many parts one may bring
)

// requires finds the other parts of a catalogue that one of its files needs before it: its header names them, it would
// have them from a loader, or a table of the package says so. Files are in the order in which they are needed. What
// the library's own script contains is left out.
func (o *Opened) requires(part string) ([]string, error) {
	from, core := o.InCatalogue(part), o.Core()
	if from == nil || core == nil {
		return nil, nil
	}
	inside, err := o.Tree.ReadFile(core.Path)
	if err != nil {
		return nil, err
	}
	tables, err := o.tables()
	if err != nil {
		return nil, err
	}
	var list []string
	seen := map[string]bool{part: true}
	var visit func(file string) error
	visit = func(file string) error {
		b, err := o.Tree.ReadFile(file)
		if err != nil {
			return err
		}
		for _, other := range o.partsNamed(from, file, b[:min(len(b), maxHeader)], tables) {
			if seen[other] || len(seen) > maxParts || o.contains(inside, other) {
				continue
			}
			seen[other] = true
			if err := visit(other); err != nil {
				return err
			}
			list = append(list, other)
		}
		return nil
	}
	return list, visit(part)
}

// partsNamed lists the files of a catalogue that one of them names.
func (o *Opened) partsNamed(from *packages.Catalogue, file string, head []byte, tables []any) []string {
	var list []string
	add := func(name string) {
		name = strings.TrimSuffix(strings.Trim(strings.TrimSpace(name), `"'.;`), ".js")
		for _, other := range from.Files {
			f := o.File(other)
			if f.Build == packages.Minified && f.OtherBuild != "" || other == file || slices.Contains(list, other) {
				continue
			}
			stem := partStem(other)
			if name != "" && (stem == name || strings.HasSuffix(stem, "-"+name) || strings.HasSuffix(stem, "."+name)) {
				list = append(list, other)
			}
		}
	}
	beside := func(ref string) {
		at := path.Join(path.Dir(file), ref)
		for _, other := range []string{at, at + ".js"} {
			if _, found := slices.BinarySearch(from.Files, other); found && !slices.Contains(list, other) {
				list = append(list, other)
			}
		}
	}
	for _, m := range requiresLine().FindAllSubmatch(head, -1) {
		for name := range strings.FieldsFuncSeq(string(m[1]), func(r rune) bool { return r == ',' || r == ' ' }) {
			add(name)
		}
	}
	for _, m := range partAsked().FindAllSubmatch(head, -1) {
		beside(string(m[1]))
	}
	if m := partList().FindSubmatch(head); m != nil {
		for _, q := range partQuoted().FindAllSubmatch(m[1], -1) {
			beside(string(q[1]))
		}
	}
	stem := partStem(file)
	for _, table := range tables {
		for _, name := range requiredIn(table, func(id string) bool {
			return id == stem || strings.HasSuffix(stem, "-"+id) || strings.HasSuffix(stem, "."+id)
		}) {
			add(name)
		}
	}
	return list
}

// partStem is a part's file name without folder, ending and build.
func partStem(file string) string {
	return strings.TrimSuffix(strings.TrimSuffix(path.Base(file), path.Ext(file)), ".min")
}

// contains reports whether a script has all that a part adds to a global in it.
func (o *Opened) contains(text []byte, part string) bool {
	f := o.File(part)
	if f.Script == nil || len(f.Script.Parts) == 0 {
		return false
	}
	return !slices.ContainsFunc(f.Script.Parts, func(g script.Global) bool {
		return !bytes.Contains(text, []byte(g.Name+"=")) && !bytes.Contains(text, []byte(g.Name+" ="))
	})
}

// tables reads the package's tables of dependencies.
func (o *Opened) tables() ([]any, error) {
	var list []any
	for i := range o.Files {
		f := &o.Files[i]
		if path.Ext(f.Path) != ".json" || f.Size > maxTable || f.Path == o.Manifest.File ||
			strings.Count(f.Path, "/") > 2 {
			continue
		}
		b, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return nil, err
		}
		var table any
		if bytes.Contains(b, []byte(`"require`)) && json.Unmarshal(b, &table) == nil {
			list = append(list, table)
		}
	}
	return list, nil
}

// requiredIn finds what a table says that a part requires: below its name, as a text or a list.
func requiredIn(table any, is func(id string) bool) (list []string) {
	entries, ok := table.(map[string]any)
	if !ok {
		return nil
	}
	for id, entry := range entries {
		of, ok := entry.(map[string]any)
		if !ok {
			continue
		}
		if !is(id) {
			list = append(list, requiredIn(of, is)...)
			continue
		}
		for _, key := range []string{"require", "requires"} {
			switch v := of[key].(type) {
			case string:
				list = append(list, v)
			case []any:
				for _, name := range v {
					if s, ok := name.(string); ok {
						list = append(list, s)
					}
				}
			}
		}
	}
	slices.Sort(list)
	return list
}
