package upgrade

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// exported is what can be imported of a version: by the names under which its modules are imported, what they export
// and in which file that stands. Of one that hands on what another library exports not all is known.
type exported struct {
	files map[string]string            // a specifier to its file
	names map[string]map[string]string // a specifier to what it exports, each with the file that has it
	open  map[string]bool              // specifiers of which not all is known
}

// exports reads what a side's modules export. Only chosen files count where they are the ones that are in use.
func (s *side) exports(chosen bool) *exported {
	var list []string
	for i := range s.Files {
		if f := &s.Files[i]; f.Script != nil && f.Script.Form == script.Module && (!chosen || s.sel.Has(f.Path)) {
			list = append(list, f.Path)
		}
	}
	named := s.Manifest
	named.Name = cmp.Or(named.Name, s.Name)
	e := &exported{files: named.Specifiers(list), names: map[string]map[string]string{}, open: map[string]bool{}}
	if e.files[named.Name] == "" {
		for _, c := range s.sel.Choices {
			if c.Page && slices.Contains(list, c.Path) {
				e.files[named.Name] = c.Path
			}
		}
	}
	for specifier, file := range e.files {
		e.names[specifier] = map[string]string{}
		e.read(s, specifier, file, false, map[string]bool{})
	}
	return e
}

// list are all exports, each with the name by which its module is imported.
func (e *exported) list() []string {
	var list []string
	for _, specifier := range slices.Sorted(maps.Keys(e.names)) {
		for _, name := range slices.Sorted(maps.Keys(e.names[specifier])) {
			list = append(list, name+" of "+specifier)
		}
	}
	return list
}

// read adds what a file exports to a specifier's names.
func (e *exported) read(s *side, specifier, file string, star bool, seen map[string]bool) {
	f := s.File(file)
	if f == nil || f.Script == nil || f.Script.Form != script.Module {
		e.open[specifier] = true
		return
	}
	if seen[file] {
		return
	}
	seen[file] = true
	for _, name := range f.Script.Exports {
		if _, known := e.names[specifier][name]; !known && !(star && name == "default") {
			e.names[specifier][name] = file
		}
	}
	for _, from := range f.Script.ReExports {
		if !module.Relative(from) {
			e.open[specifier] = true
			continue
		}
		e.read(s, specifier, path.Join(path.Dir(file), from), true, seen)
	}
}

// removedExports lists what modules exported and do not any more, with what it is called now.
func (c *Compared) removedExports(old, new *side, notes []renames.ChangeNote) {
	was, is := old.exports(true), new.exports(false)
	c.Exports = difference(was.list(), is.list())
	for _, specifier := range slices.Sorted(maps.Keys(was.names)) {
		now, there := is.names[specifier]
		if !there {
			l := RemovedName{Kind: "module", Name: specifier}
			for _, other := range slices.Sorted(maps.Keys(is.files)) {
				if file := is.files[other]; path.Base(file) == path.Base(was.files[specifier]) &&
					was.files[other] == "" {
					l.Rename = &renames.Rename{Old: specifier, New: other, Score: 0.7,
						Because: []string{"its file has the same name"}}
				}
			}
			c.Removed = append(c.Removed, l)
			continue
		}
		if is.open[specifier] {
			continue
		}
		for _, name := range slices.Sorted(maps.Keys(was.names[specifier])) {
			if _, still := now[name]; !still {
				c.Removed = append(c.Removed, RemovedName{Kind: "export", Name: name, Of: specifier,
					Rename: renamedExport(specifier, name, was, is, old, new, notes)})
			}
		}
	}
}

// renamed finds what an export is called now: by change notes that name both, by what is declared, by the words in the
// names, and elsewhere under the same name.
func renamedExport(specifier, name string, was, is *exported, old, new *side,
	notes []renames.ChangeNote) *renames.Rename {
	for _, other := range slices.Sorted(maps.Keys(is.names)) {
		if _, there := is.names[other][name]; there && name != "default" && was.names[other][name] == "" {
			return &renames.Rename{Old: name, New: name + " of " + other, Score: 0.9, Sure: true,
				Because: []string{other + " exports it now"}}
		}
	}
	before := old.declaration(was.names[specifier][name], name)
	var all []renames.Rename
	for _, come := range slices.Sorted(maps.Keys(is.names[specifier])) {
		if _, had := was.names[specifier][come]; had {
			continue
		}
		r := renames.Rename{Old: name, New: come}
		if before != "" && before == new.declaration(is.names[specifier][come], come) {
			r.Score, r.Because = 0.9, append(r.Because, "it has the same declaration")
		}
		for _, n := range notes {
			if hasWord(n.Text, name) && hasWord(n.Text, come) {
				r.Score, r.Because = max(r.Score, 0.85)+0.05, append(r.Because, n.Where+" names both")
				break
			}
		}
		if same, of := sharedWords(name, come); same > 0 {
			r.Score = max(r.Score, 0.4+0.25*float64(same)/float64(of))
			if len(r.Because) == 0 {
				r.Because = append(r.Because, "the names share words")
			}
		}
		if r.Score >= 0.5 {
			all = append(all, r)
		}
	}
	if len(all) == 0 {
		return nil
	}
	slices.SortStableFunc(all, func(a, b renames.Rename) int { return cmp.Compare(b.Score, a.Score) })
	best := all[0]
	best.Score = min(best.Score, 1)
	best.Sure = best.Score >= 0.8 && (len(all) == 1 || best.Score-all[1].Score >= 0.15)
	return &best
}

// declaration is what a file declares under a name: what is after the name, without white space and the name itself; ""
// if that is little.
func (s *side) declaration(file, name string) string {
	b, err := s.Tree.ReadFile(file)
	if err != nil {
		return ""
	}
	found := regexp.MustCompile(`(?:function\s*\*?|class|const|let|var)\s+` + regexp.QuoteMeta(name) + `\b`).FindIndex(
		b)
	if found == nil {
		return ""
	}
	const most, least = 400, 40
	text := bytes.ReplaceAll(b[found[1]:min(len(b), found[1]+most)], []byte(name), nil)
	text = bytes.Join(bytes.Fields(text), nil)
	if end := bytes.Index(text, []byte("}export")); end >= 0 {
		text = text[:end]
	}
	if len(text) < least {
		return ""
	}
	return string(text)
}

func hasWord(text, word string) bool {
	for at := 0; ; {
		i := strings.Index(text[at:], word)
		if i < 0 {
			return false
		}
		i += at
		at = i + len(word)
		letter := func(c byte) bool {
			return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
		}
		if (i == 0 || !letter(text[i-1])) && (at == len(text) || !letter(text[at])) {
			return true
		}
	}
}

var nameWord = memo.Regexp(`[A-Z]?[a-z0-9]+|[A-Z]+`)

// sharedWords counts the words that two names share, of all that they have.
func sharedWords(a, b string) (same, of int) {
	x, y := nameWord().FindAllString(a, -1), nameWord().FindAllString(b, -1)
	for _, w := range x {
		if slices.ContainsFunc(y, func(v string) bool { return strings.EqualFold(v, w) }) {
			same++
		}
	}
	return same, max(len(x), len(y))
}

// findImports finds where own modules import what is lost.
func (c *Compared) findImports(ctx context.Context, p *project.Project, site *walk.Site, library string) error {
	at := map[[2]string]int{}
	for i, l := range c.Removed {
		switch l.Kind {
		case "export":
			at[[2]string{l.Of, l.Name}] = i
		case "module":
			at[[2]string{l.Name, ""}] = i
		}
	}
	if len(at) == 0 {
		return nil
	}
	called := map[string][]string{} // a file of the library to the names by which it is imported
	for specifier, file := range p.Seal.Libraries[library].Imports {
		called[file] = append(called[file], specifier)
	}
	type use struct {
		lost int
		use  Occurrence
	}
	in := func(name paths.InSite, text []byte, whole *texts.Index, start int) (list []use) {
		note := func(i int, known bool, offset int) {
			if known {
				list = append(list, use{i, useOf(whole, start+offset, p.InProject(name).String(), script.Sure)})
			}
		}
		for _, im := range p.Facts.Script(text).Imports {
			specifiers := []string{im.From}
			if module.Relative(im.From) {
				t := tags.Resolve(name, "", im.From)
				of := p.At(p.InProject(t.Path))
				if t.Path.IsZero() || of.Library != library || of.File == nil {
					continue
				}
				specifiers = called[of.File.Path]
			}
			end := offsetOf(text, im.Line, im.Column)
			for _, s := range specifiers {
				i, known := at[[2]string{s, ""}]
				note(i, known && s == im.From, end)
				for _, n := range im.Names {
					if i, known := at[[2]string{s, n}]; known {
						note(i, true, max(0, lastWord(text[:end], n, end)))
					}
				}
			}
		}
		return list
	}
	results, err := parallel.Map(ctx, slices.Concat(site.Pages, p.OwnFiles(site, packages.Script)),
		func(_ context.Context, name paths.InSite) ([]use, error) {
			b, err := p.ReadInSite(name)
			if err != nil || !bytes.Contains(b, []byte("import")) && !bytes.Contains(b, []byte("export")) {
				return nil, err
			}
			if packages.KindOf(name.String()) == packages.Script {
				return in(name, b, texts.NewIndex(b), 0), nil
			}
			pg, err := page.Read(b)
			if err != nil {
				return nil, nil // check tells of it
			}
			index := texts.NewIndex(b)
			var list []use
			for i := range pg.Includes {
				if inc := &pg.Includes[i]; inc.Kind == page.InlineScript && inc.Module {
					list = append(list, in(name, pg.Code(inc), index, inc.TextStart())...)
				}
			}
			return list, nil
		})
	for _, list := range results {
		for _, u := range list {
			c.Removed[u.lost].Uses = append(c.Removed[u.lost].Uses, u.use)
		}
	}
	return err
}

// offsetOf is where a line and a column are in a text.
func offsetOf(text []byte, line, column int) int {
	at := 0
	for range line - 1 {
		at += bytes.IndexByte(text[at:], '\n') + 1
	}
	return min(len(text), at+column-1)
}

// lastWord is where a word stands last in a text, otherwise a place that is given.
func lastWord(text []byte, word string, otherwise int) int {
	if word == "default" {
		return otherwise
	}
	if at := bytes.LastIndex(text, []byte(word)); at >= 0 {
		return at
	}
	return otherwise
}

// Title is what a lost name is called in a sentence.
func (l *RemovedName) Title() string {
	if l.Of != "" {
		return fmt.Sprintf("the %s %s of %s", l.Kind, l.Name, l.Of)
	}
	return fmt.Sprintf("the %s %s", l.Kind, l.Name)
}
