package editing

import (
	"bytes"
	"context"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/offered"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// Kind is what a suggestion is.
type Kind string

// The kinds of suggestion.
const (
	FilePath  Kind = "file"
	Library   Kind = "library"
	ClassName Kind = "class"
	IDName    Kind = "id"
	Attribute Kind = "attribute"
	Property  Kind = "property"
	Global    Kind = "global"
	Member    Kind = "member"
	Module    Kind = "module"
	Key       Kind = "key"
	Value     Kind = "value"
)

// A Suggestion is something that could be written at a place.
type Suggestion struct {
	Kind   Kind
	Label  string // what is written
	Detail string // where it comes from
	Span   Span   // what it replaces
	// Take names a library, or LIBRARY:FILE, whose tags go on the page in their right places; the word is taken off.
	Take string
}

// Most is how many suggestions are made at once. What is typed next leaves fewer.
const Most = 1000

// Suggest lists what could be written at an offset of a file, best first.
func (d *Snapshot) Suggest(ctx context.Context, file string, at int) []Suggestion {
	if file == record.ListFile {
		return d.suggestInList(at)
	}
	p, ok := d.placeAt(ctx, file, at)
	if !ok {
		return nil
	}
	var list []Suggestion
	switch p.language {
	case markup:
		list = d.suggestInMarkup(ctx, file, &p)
	case styles:
		list = d.suggestInStyles(ctx, file, &p)
	case code:
		list = d.suggestInCode(ctx, file, &p)
	}
	list = startingWith(list, p.text, p.at)
	for i := range list {
		list[i].Span.File = file
		list[i].Span.Start += p.from
		list[i].Span.End += p.from
	}
	return list[:min(len(list), Most)]
}

// startingWith leaves out what does not have what was typed so far, in any case.
func startingWith(list []Suggestion, text []byte, at int) []Suggestion {
	return slices.DeleteFunc(list, func(x Suggestion) bool {
		typed := text[min(x.Span.Start, at):at]
		return x.Take == "" && !strings.Contains(strings.ToLower(x.Label), strings.ToLower(string(typed)))
	})
}

// suggestInMarkup suggests in a page outside of scripts and styles.
func (d *Snapshot) suggestInMarkup(ctx context.Context, file string, p *place) []Suggestion {
	t, in := tagAt(p.text, p.at)
	switch {
	case !in:
		from, to := wordAt(p.text, p.at, ".")
		if from == to {
			return nil
		}
		return d.libraries(string(p.text[from:p.at]), from, to)
	case t.inValue && t.attribute == "class":
		from, to := wordAt(p.text, p.at, ":/@.\\")
		return d.names(ctx, file, style.Class, max(from, t.start0), min(to, t.end))
	case t.inValue && t.attribute == "id":
		return d.names(ctx, file, style.ID, t.start0, t.end)
	case t.inValue && t.attribute == "style":
		return d.properties(ctx, file, p.text, p.at)
	case t.inValue:
		if kinds := wanted(t.element, t.attribute); kinds != nil {
			return d.files(p.v, kinds, t.start0, t.end)
		}
		return nil
	case t.attribute == "" && t.end == t.start+1+len(t.element) && t.start0 == t.start+1:
		return d.libraries(t.element, t.start, t.end)
	}
	return d.attributes(ctx, file, &t)
}

// wanted are the kinds of file that an attribute leads to, nil for an attribute that leads to none; pages are
// documents.
func wanted(element, attribute string) []packages.Kind {
	media := []packages.Kind{packages.Image, packages.Other}
	switch element + " " + attribute {
	case "script src":
		return []packages.Kind{packages.Script}
	case "link href":
		return []packages.Kind{packages.Stylesheet, packages.Font, packages.Image, packages.Script, packages.Data}
	case "img src", "img srcset", "img data-src", "source src", "source srcset", "video src", "video poster",
		"audio src", "track src", "image href", "use href", "input src", "embed src", "object data":
		return media
	case "a href", "iframe src", "form action", "area href":
		return []packages.Kind{packages.Document, packages.Image, packages.Data}
	}
	return nil
}

// files suggests references to files of the site, in the page's own way of writing.
func (d *Snapshot) files(v *tags.Page, kinds []packages.Kind, from, to int) []Suggestion {
	var list []Suggestion
	add := func(name paths.InSite) {
		kind := packages.KindOf(name.String())
		if _, is := slices.BinarySearchFunc(d.site.Pages, name, comparePaths); is {
			kind = packages.Document
		}
		if at := d.p.InProject(name); !slices.Contains(kinds, kind) || at == project.ListPath ||
			at == project.SealPath {
			return
		}
		ref, err := v.Reach(name)
		if err != nil {
			return
		}
		detail := string(kind)
		if of := d.p.At(d.p.InProject(name)); of.Library != "" {
			detail += " of " + of.Library
		}
		list = append(list, Suggestion{Kind: FilePath, Label: ref, Detail: detail, Span: Span{Start: from, End: to}})
	}
	for name := range d.site.All() {
		add(name)
	}
	slices.SortFunc(list, func(a, b Suggestion) int { return strings.Compare(a.Label, b.Label) })
	return list
}

// libraries suggests libraries of the crate and their files, by the beginning of a name.
func (d *Snapshot) libraries(word string, from, to int) []Suggestion {
	var list []Suggestion
	word = strings.ToLower(word)
	for i := range d.p.List.Libraries {
		lib := &d.p.List.Libraries[i]
		sealed := d.p.Seal.Libraries[lib.Name]
		if sealed == nil {
			continue
		}
		if strings.HasPrefix(strings.ToLower(lib.Name), word) {
			list = append(list, Suggestion{Kind: Library, Label: lib.Name, Take: lib.Name,
				Detail: "the tags of " + lib.Name + " " + lib.Version, Span: Span{Start: from, End: to}})
		}
		for j := range sealed.Files {
			f := &sealed.Files[j]
			if base := path.Base(f.Path); f.Role == record.Tagged && strings.HasPrefix(strings.ToLower(base), word) {
				list = append(list, Suggestion{Kind: Library, Label: base, Take: lib.Name + ":" + f.Path,
					Detail: "the tag of " + f.Path + " of " + lib.Name, Span: Span{Start: from, End: to}})
			}
		}
	}
	return list
}

// names suggests classes or ids for which the page's stylesheets have rules.
func (d *Snapshot) names(ctx context.Context, file string, kind style.Kind, from, to int) []Suggestion {
	return suggestNames(d.sheetsFor(ctx, file), kind, from, to)
}

func suggestNames(sheets []sheet, kind style.Kind, from, to int) []Suggestion {
	what := map[style.Kind]Kind{style.Class: ClassName, style.ID: IDName, style.Property: Property}[kind]
	details := map[string]string{}
	own := map[string]bool{}
	for _, s := range sheets {
		for _, m := range s.Makes() {
			if m.Kind != kind {
				continue
			}
			if _, has := details[m.Name]; !has {
				details[m.Name] = s.file
				own[m.Name] = s.library == ""
			}
		}
	}
	var list []Suggestion
	for _, name := range sortedKeys(details) {
		list = append(list, Suggestion{Kind: what, Label: name, Detail: details[name],
			Span: Span{Start: from, End: to}})
	}
	slices.SortStableFunc(list, func(a, b Suggestion) int { // the site's own come first
		switch {
		case own[a.Label] == own[b.Label]:
			return 0
		case own[a.Label]:
			return -1
		}
		return 1
	})
	return list
}

// attributes suggests attributes that the page's libraries look for.
func (d *Snapshot) attributes(ctx context.Context, file string, t *tagPlace) []Suggestion {
	from := map[string]string{}
	add := func(name, library string) {
		if _, has := from[name]; !has && offered.IsOwn(name) && !slices.Contains(t.attributes, name) {
			from[name] = library
		}
	}
	for _, v := range d.pagesWith(ctx, file) {
		for i := range v.Includes {
			library := v.Library(i)
			if library == "" || v.Includes[i].Kind != page.Script {
				continue
			}
			if _, text := d.include(v, i); text != nil {
				for name := range offered.Attributes(text) {
					add(name, library)
				}
			}
		}
	}
	for _, s := range d.sheetsFor(ctx, file) {
		for _, m := range s.Mentions {
			if m.Kind == style.Attribute && s.library != "" {
				add(m.Name, s.library)
			}
		}
	}
	var list []Suggestion
	for _, name := range sortedKeys(from) {
		list = append(list, Suggestion{Kind: Attribute, Label: name, Detail: from[name] + " looks for it",
			Span: Span{Start: t.start0, End: t.end}})
	}
	return list
}

// properties suggests custom properties that the stylesheets around a file set.
func (d *Snapshot) properties(ctx context.Context, file string, text []byte, at int) []Suggestion {
	from, to := wordAt(text, at, "")
	if !bytes.HasPrefix(text[from:at], []byte("--")) && !bytes.HasSuffix(text[:from], []byte("var(")) {
		return nil
	}
	return suggestNames(d.sheetsFor(ctx, file), style.Property, from, to)
}

// suggestInStyles suggests in a stylesheet.
func (d *Snapshot) suggestInStyles(ctx context.Context, file string, p *place) []Suggestion {
	if list := d.properties(ctx, file, p.text, p.at); list != nil {
		return list
	}
	from, to := wordAt(p.text, p.at, "")
	if from > 0 && (p.text[from-1] == '.' || p.text[from-1] == '#') {
		if kind, inside := style.Class, insideRule(p.text, from); !inside {
			if p.text[from-1] == '#' {
				kind = style.ID
			}
			list := suggestNames(d.sheetsFor(ctx, file), kind, from, to)
			return d.withMarkup(ctx, file, kind, list, from, to)
		}
	}
	return d.addresses(file, p)
}

// insideRule reports whether a place is among declarations, where a dot begins no class.
func insideRule(text []byte, at int) bool {
	open := bytes.LastIndexByte(text[:at], '{')
	if open < 0 || bytes.LastIndexByte(text[:at], '}') > open {
		return false
	}
	return bytes.Contains(text[open:at], []byte(":")) && !bytes.Contains(text[max(0, open-200):open], []byte("@"))
}

// withMarkup adds the classes or ids that are in the markup of pages with a stylesheet.
func (d *Snapshot) withMarkup(ctx context.Context, file string, kind style.Kind, list []Suggestion, from, to int,
) []Suggestion {
	has := map[string]bool{}
	for _, s := range list {
		has[s.Label] = true
	}
	what, wanted := ClassName, page.ClassName
	if kind == style.ID {
		what, wanted = IDName, page.IDName
	}
	for of, v := range d.pagesWith(ctx, file) {
		page.Names(v.Bytes, func(n page.Name) {
			if n.Kind == wanted && !has[n.Text] {
				has[n.Text] = true
				list = append(list, Suggestion{Kind: what, Label: n.Text, Detail: "on " + of,
					Span: Span{Start: from, End: to}})
			}
		})
	}
	slices.SortFunc(list, func(a, b Suggestion) int { return strings.Compare(a.Label, b.Label) })
	return list
}

// addresses suggests files in url() and @import of a stylesheet.
func (d *Snapshot) addresses(file string, p *place) []Suggestion {
	line := p.text[bytes.LastIndexByte(p.text[:p.at], '\n')+1 : p.at]
	from := p.at - len(line)
	kinds := []packages.Kind{packages.Image, packages.Font}
	i := bytes.LastIndex(line, []byte("url("))
	if j := bytes.LastIndex(line, []byte("@import")); j >= 0 && j > i-9 {
		kinds = []packages.Kind{packages.Stylesheet}
		i = max(i, j+len("@import")-len("url("))
	}
	if i < 0 || bytes.IndexByte(line[i:], ')') >= 0 || bytes.IndexByte(line[i:], ';') >= 0 {
		return nil
	}
	from += i + len("url(")
	for from < p.at && strings.IndexByte(" \t\"'", p.text[from]) >= 0 {
		from++
	}
	to := p.at
	for to < len(p.text) && strings.IndexByte("\"')\n;", p.text[to]) < 0 {
		to++
	}
	return d.relative(file, kinds, from, to, false)
}

// relative suggests relative references from a file of the site to others.
func (d *Snapshot) relative(file string, kinds []packages.Kind, from, to int, dotted bool) []Suggestion {
	var list []Suggestion
	dir := d.folderOf(file)
	for name := range d.site.All() {
		kind := packages.KindOf(name.String())
		if !slices.Contains(kinds, kind) || d.p.InProject(name).String() == file {
			continue
		}
		ref := paths.Relative(dir, name.String())
		if dotted && !strings.HasPrefix(ref, ".") {
			ref = "./" + ref
		}
		list = append(list, Suggestion{Kind: FilePath, Label: ref, Detail: string(kind),
			Span: Span{Start: from, End: to}})
	}
	slices.SortFunc(list, func(a, b Suggestion) int { return strings.Compare(a.Label, b.Label) })
	return list
}

// suggestInCode suggests in a script: what modules it can import, classes and ids in selectors, globals and members of
// what its pages have.
func (d *Snapshot) suggestInCode(ctx context.Context, file string, p *place) []Suggestion {
	if from, to, in := quotedAt(p.text, p.at); in {
		before := bytes.TrimRight(p.text[:from-1], " \t(")
		if bytes.HasSuffix(before, []byte("from")) || bytes.HasSuffix(before, []byte("import")) {
			return d.modules(ctx, file, from, to)
		}
		first, last := wordAt(p.text, p.at, "")
		if first > from-1 && (p.text[first-1] == '.' || p.text[first-1] == '#') {
			kind := style.Class
			if p.text[first-1] == '#' {
				kind = style.ID
			}
			list := suggestNames(d.sheetsFor(ctx, file), kind, first, last)
			return d.withMarkup(ctx, file, kind, list, first, last)
		}
		if bytes.HasSuffix(before, []byte("Property")) {
			return d.properties(ctx, file, p.text, p.at)
		}
		return nil
	}
	from, to := nameAt(p.text, p.at)
	if from > 0 && p.text[from-1] == '.' {
		first, _ := nameAt(p.text, from-1)
		for first > 0 && p.text[first-1] == '.' {
			first, _ = nameAt(p.text, first-1)
		}
		return d.members(ctx, file, string(p.text[first:from]), from, to)
	}
	if from == p.at {
		return nil
	}
	return d.globals(ctx, file, from, to)
}

// nameAt is the name of a variable around a place of a script.
func nameAt(b []byte, at int) (from, to int) {
	is := func(c byte) bool {
		return c == '$' || c == '_' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
	}
	for from = at; from > 0 && is(b[from-1]); from-- {
	}
	for to = at; to < len(b) && is(b[to]); to++ {
	}
	return from, to
}

// A definition is a global with who defines it.
type definition struct {
	name, library, file string
	text                []byte // of the script
	from                int    // where that begins in the file
	line, column        int    // of the definition in the text, from 1
	when                string
}

// start is where the definition is in its file.
func (x definition) start() int { return x.from + offsetOf(x.text, x.line, x.column) }

// definitions are the globals that the scripts of a file's pages define, each by the first script that does.
func (d *Snapshot) definitions(ctx context.Context, file string) map[string]definition {
	list := map[string]definition{}
	pages := d.pagesWith(ctx, file)
	for _, of := range sortedKeys(pages) {
		v := pages[of]
		for i := range v.Includes {
			in := &v.Includes[i]
			if in.Kind != page.Script && in.Kind != page.InlineScript || in.Inert != "" {
				continue
			}
			s := d.scripts.OfInclude(v, i)
			if s == nil || s.Report == nil {
				continue
			}
			at, text := d.include(v, i)
			from := 0
			if in.Kind == page.InlineScript {
				at, from = d.inFile(v, in.TextStart())
				text = v.InlineText(in)
			}
			for _, g := range s.Defines {
				if _, has := list[g.Name]; !has {
					list[g.Name] = definition{g.Name, v.Library(i), at, text, from, g.Line, g.Column,
						in.WhenWords()}
				}
			}
		}
	}
	return list
}

// globals suggests the globals of a script's pages.
func (d *Snapshot) globals(ctx context.Context, file string, from, to int) []Suggestion {
	var list []Suggestion
	all := d.definitions(ctx, file)
	for _, name := range sortedKeys(all) {
		list = append(list, Suggestion{Kind: Global, Label: name, Detail: all[name].by(),
			Span: Span{Start: from, End: to}})
	}
	return list
}

func (x definition) by() string {
	if x.library != "" {
		return "of " + x.library
	}
	return "in " + x.file
}

// members suggests the members of a global, or of one of its members, as a rehearsal of the page's libraries shows
// them. Of is what stands before, with its dots.
func (d *Snapshot) members(ctx context.Context, file, of string, from, to int) []Suggestion {
	global, before, _ := strings.Cut(of, ".")
	by := d.definitions(ctx, file)[global]
	if by.library == "" {
		return nil
	}
	has, known := d.p.Facts.Members(ctx, d.p.Texts(by.library, nil))
	if !known {
		return nil
	}
	var list []Suggestion
	for _, name := range slices.Sorted(maps.Keys(has)) {
		if rest, is := strings.CutPrefix(name, before); is && !strings.Contains(rest, ".") {
			list = append(list, Suggestion{Kind: Member, Label: rest, Detail: "of " + by.library,
				Span: Span{Start: from, End: to}})
		}
	}
	if len(list) == 0 && before == "fn." { // many have one object under two names, and it is listed under the other
		return d.members(ctx, file, global+".prototype.", from, to)
	}
	return list
}

// modules suggests what a module can import: names that the import maps of its pages have, and files beside it.
func (d *Snapshot) modules(ctx context.Context, file string, from, to int) []Suggestion {
	names := map[string]string{}
	pages := d.pagesWith(ctx, file)
	for _, of := range sortedKeys(pages) {
		v := pages[of]
		for _, i := range v.ImportMaps() {
			if m, err := module.ReadMap(v.InlineText(&v.Includes[i])); err == nil {
				for _, e := range m.Entries {
					names[e.Specifier] = "in the import map of " + of
				}
			}
		}
	}
	var list []Suggestion
	for _, name := range sortedKeys(names) {
		list = append(list, Suggestion{Kind: Module, Label: name, Detail: names[name],
			Span: Span{Start: from, End: to}})
	}
	return append(list, d.relative(file, []packages.Kind{packages.Script}, from, to, true)...)
}
