package upgrade

import (
	"fmt"
	"path"
	"strings"

	"go.yaml.in/yaml/v3"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/style"
)

// What makers add to a version so that old names work for a while, or that says how they are called now, has such
// names.
var leadsOn = memo.Regexp(`(?i)shim|compat|alias|rename|migrat|legacy|deprecat|backport`)

// maxTable is how large a table of names may be, in bytes.
const maxTable = 1 << 20

// compatSheets are the stylesheets of a package that lead old names on.
func compatSheets(s *side) []*style.Sheet {
	var list []*style.Sheet
	for i := range s.Files {
		f := &s.Files[i]
		if f.Kind != packages.Stylesheet || s.sel.Has(f.Path) || !leadsOn().MatchString(f.Path) ||
			f.Build == record.Minified && f.OtherBuild != "" || f.Size > maxTable {
			continue
		}
		if b, err := s.Tree.ReadFile(f.Path); err == nil {
			list = append(list, style.Read(b))
		}
	}
	return list
}

// row is a list of quoted names in a script: ["old", null, "new"].
var row = memo.Regexp(`\[\s*"([\w-]+)"((?:\s*,\s*(?:null|"[\w-]*"))*)\s*\]`)

var quotedWord = memo.Regexp(`"([\w-]+)"`)

// tables are the rows of a package's tables of names, as change notes: an old name and a new one, with and without the
// word that all names begin with.
func tables(s *side, prefix string) []renames.ChangeNote {
	var notes []renames.ChangeNote
	say := func(where, old, new string) {
		for _, p := range []string{"", prefix} {
			notes = append(notes, renames.ChangeNote{Text: p + old + " " + p + new, Where: where, Table: true})
		}
	}
	for i := range s.Files {
		f := &s.Files[i]
		if !leadsOn().MatchString(path.Base(f.Path)) || f.Size > maxTable {
			continue
		}
		b, err := s.Tree.ReadFile(f.Path)
		if err != nil {
			continue
		}
		switch path.Ext(f.Path) {
		case ".json", ".yml", ".yaml":
			var node yaml.Node
			if yaml.Unmarshal(b, &node) == nil {
				walkTable(&node, func(old, new string, line int) { say(fmt.Sprintf("%s:%d", f.Path, line), old, new) })
			}
		case ".js", ".mjs":
			for _, m := range row().FindAllSubmatch(b, -1) {
				rest := quotedWord().FindAllSubmatch(m[2], -1)
				if len(rest) > 0 {
					say(f.Path, string(m[1]), string(rest[len(rest)-1][1]))
				}
			}
		}
	}
	return notes
}

// walkTable finds pairs of names in a document: a key with a text, or with texts in what it holds; the first and the
// last of a list of texts.
func walkTable(n *yaml.Node, say func(old, new string, line int)) {
	switch n.Kind {
	case yaml.DocumentNode:
		for _, c := range n.Content {
			walkTable(c, say)
		}
	case yaml.SequenceNode:
		if len(n.Content) > 1 && n.Content[0].Kind == yaml.ScalarNode &&
			n.Content[len(n.Content)-1].Kind == yaml.ScalarNode {
			say(n.Content[0].Value, n.Content[len(n.Content)-1].Value, n.Line)
			return
		}
		for _, c := range n.Content {
			walkTable(c, say)
		}
	case yaml.MappingNode:
		for i := 0; i+1 < len(n.Content); i += 2 {
			key, value := n.Content[i], n.Content[i+1]
			switch value.Kind {
			case yaml.ScalarNode:
				say(key.Value, value.Value, key.Line)
			case yaml.MappingNode:
				for j := 1; j < len(value.Content); j += 2 {
					if value.Content[j].Kind == yaml.ScalarNode {
						say(key.Value, value.Content[j].Value, key.Line)
					}
				}
			}
			walkTable(value, say)
		}
	}
}

// commonPrefix is the word, with its dash, with which most of a sheet's classes begin, "" for none.
func commonPrefix(sheet *style.Sheet) string {
	count, all := map[string]int{}, 0
	for _, m := range sheet.Makes() {
		if word, _, dashed := strings.Cut(m.Name, "-"); m.Kind == style.Class && dashed {
			count[word]++
			all++
		}
	}
	for word, n := range count {
		if 2*n > all {
			return word + "-"
		}
	}
	return ""
}
