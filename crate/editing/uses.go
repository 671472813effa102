package editing

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// From lists where what stands at an offset of a file comes from: the file of a tag, the rules of a class, the module
// of an import, the script that defines a global.
func (d *Snapshot) From(ctx context.Context, file string, at int) []Span {
	p, ok := d.placeAt(ctx, file, at)
	if !ok {
		return nil
	}
	if p.language == markup {
		if i := includeAt(p.v, at); i >= 0 {
			if name, text := d.include(p.v, i); text != nil {
				return []Span{{File: name}}
			}
		}
		if t, in := tagAt(p.text, p.at); in && t.inValue && wanted(t.element, t.attribute) != nil {
			return d.fileOf(p.v.From, p.v.Base, string(p.text[t.start0:t.end]))
		}
	} else if ref, in := referenceAt(&p); in {
		name, _ := d.inSite(file)
		if p.v != nil {
			name = p.v.From
		}
		if spans := d.fileOf(name, "", ref); spans != nil {
			return spans
		}
	}
	n, _ := d.nameAt(file, &p)
	if n.text == "" {
		return nil
	}
	if n.kind == "" {
		of, has := d.definitions(ctx, file)[n.text]
		if !has || of.file == "" {
			return nil
		}
		start := of.start()
		return []Span{{of.file, start, start}}
	}
	var list []Span
	for _, s := range d.sheetsFor(ctx, file) {
		for _, m := range s.Mentions {
			if m.Makes && m.Kind == n.kind && m.Name == n.text {
				list = append(list, Span{s.file, s.at + m.Offset, s.at + m.Offset + len(n.text)})
			}
		}
	}
	return list
}

// referenceAt is the address at a place of a stylesheet or script: in url(), or in an import.
func referenceAt(p *place) (string, bool) {
	if p.language == styles {
		for _, r := range style.References(p.text) {
			if p.at >= r.Start && p.at <= r.End {
				return r.URL, true
			}
		}
		return "", false
	}
	from, to, in := quotedAt(p.text, p.at)
	if !in {
		return "", false
	}
	before := bytes.TrimRight(p.text[:from-1], " \t(")
	return string(p.text[from:to]), bytes.HasSuffix(before, []byte("from")) || bytes.HasSuffix(before, []byte("import"))
}

// fileOf is the file of the site that a reference leads to.
func (d *Snapshot) fileOf(from paths.InSite, base, ref string) []Span {
	t := tags.Lead(d.p, from, base, ref, false)
	if t.Path.IsZero() || !d.site.Has(t.Path) && !d.p.Exists(d.p.InProject(t.Path)) {
		return nil
	}
	return []Span{{File: d.p.InProject(t.Path).String()}}
}

// offsetOf is the offset of a line and a column, both from 1, of a text.
func offsetOf(b []byte, line, column int) int {
	at := 0
	for range max(0, line-1) {
		i := bytes.IndexByte(b[at:], '\n')
		if i < 0 {
			return len(b)
		}
		at += i + 1
	}
	return min(at+max(0, column-1), len(b))
}

// Uses lists where what stands at an offset of a file is used: all tags of a library, all that leads to a file, all
// places of a class, an id or a custom property.
func (d *Snapshot) Uses(ctx context.Context, file string, at int) ([]Span, error) {
	p, ok := d.placeAt(ctx, file, at)
	if !ok {
		return nil, nil
	}
	if p.language == markup {
		if i := includeAt(p.v, at); i >= 0 {
			library, target := p.v.Library(i), p.v.Targets[i]
			var list []Span
			err := d.eachPage(ctx, func(of string, v *tags.Page) {
				for j := range v.Includes {
					if library != "" && v.Library(j) == library || library == "" && !target.IsZero() &&
						v.Targets[j] == target {
						list = append(list, Span{of, v.Includes[j].Start, v.Includes[j].End})
					}
				}
			})
			return list, err
		}
	}
	n, _ := d.nameAt(file, &p)
	if n.text == "" || n.kind == "" {
		return nil, nil
	}
	return d.placesOf(ctx, n)
}

// placesOf are all places of a class, an id or a custom property: in pages, own stylesheets and own scripts, those of
// scripts as far as they are sure.
func (d *Snapshot) placesOf(ctx context.Context, n name) ([]Span, error) {
	var list []Span
	inCode := func(file string, from int, text []byte) {
		for _, u := range script.Uses(text, func(word string) bool { return word == n.text }) {
			if u.How == script.Sure && (n.kind == style.Class && u.Selector != '#' || n.kind == style.ID &&
				u.Selector == '#') || n.kind == style.Property {
				list = append(list, Span{file, from + u.Offset, from + u.Offset + len(n.text)})
			}
		}
	}
	inSheet := func(file string, from int, text []byte) {
		for _, m := range d.known.sheet(text).Mentions {
			if m.Kind == n.kind && m.Name == n.text && bytes.HasPrefix(text[min(m.Offset, len(text)):],
				[]byte(n.text)) {
				list = append(list, Span{file, from + m.Offset, from + m.Offset + len(n.text)})
			}
		}
	}
	err := d.eachPage(ctx, func(file string, v *tags.Page) {
		page.Names(v.Bytes, func(m page.Name) {
			if m.Text == n.text && (m.Kind == page.ClassName && n.kind == style.Class || m.Kind == page.IDName &&
				n.kind == style.ID) {
				list = append(list, Span{file, m.Start, m.End})
			}
		})
		for i := range v.Includes {
			switch in := &v.Includes[i]; in.Kind {
			case page.InlineScript:
				inCode(file, in.TextStart(), v.InlineText(in))
			case page.InlineStyle:
				inSheet(file, in.TextStart(), v.InlineText(in))
			}
		}
	})
	if err != nil {
		return nil, err
	}
	for _, file := range d.own(packages.Stylesheet) {
		inSheet(file, 0, d.Text(file))
	}
	for _, file := range d.own(packages.Script) {
		inCode(file, 0, d.Text(file))
	}
	slices.SortFunc(list, compareSpans)
	return slices.Compact(list), nil
}

func compareSpans(a, b Span) int {
	if a.File != b.File {
		return strings.Compare(a.File, b.File)
	}
	return a.Start - b.Start
}

// A Naming is what a rename at a place would rename: a name, or a file.
type Naming struct {
	Span Span
	Text string
	File string // the file that is renamed, from the project's root; "" for a class, an id or a property
}

// Nameable says what can be renamed at an offset of a file. The error says why a name can't be.
func (d *Snapshot) Nameable(ctx context.Context, file string, at int) (*Naming, error) {
	p, ok := d.placeAt(ctx, file, at)
	if !ok {
		return nil, nil
	}
	if p.language == markup {
		if i := includeAt(p.v, at); i >= 0 && p.v.Library(i) == "" {
			if name, text := d.include(p.v, i); text != nil {
				a := p.v.Includes[i].RefAttr
				return &Naming{Span{file, a.ValueStart, a.ValueEnd}, path.Base(name), name}, nil
			}
		}
	}
	n, span := d.nameAt(file, &p)
	if n.text == "" || n.kind == "" {
		return nil, nil
	}
	for _, s := range d.sheetsFor(ctx, file) {
		for _, m := range s.Mentions {
			if s.library != "" && m.Makes && m.Kind == n.kind && m.Name == n.text {
				return nil, problem.Refuse(problem.FileInTheWay, "give the element a class of your own beside it",
					"%s is a %s of %s, whose files stay as they are", n.text, n.kind, s.library)
			}
		}
	}
	return &Naming{Span: span, Text: n.text}, nil
}

// Rename lists the places that get a new name when the class, id or custom property at an offset is renamed.
func (d *Snapshot) Rename(ctx context.Context, file string, at int, to string) ([]Span, error) {
	p, ok := d.placeAt(ctx, file, at)
	if !ok {
		return nil, nil
	}
	n, _ := d.nameAt(file, &p)
	if n.text == "" || n.kind == "" {
		return nil, nil
	}
	if from, end := wordAt([]byte(to), 0, ""); from != 0 || end != len(to) || to == "" ||
		n.kind == style.Property && !strings.HasPrefix(to, "--") {
		return nil, problem.Misuse("write letters, digits and hyphens", "%q is no name of a %s", to, n.kind)
	}
	return d.placesOf(ctx, n)
}

// An Entry is one tag of a page, for a list of what the page loads.
type Entry struct {
	Name   string // what it loads
	Detail string
	Kind   page.Kind
	Span   Span
	Wire   int64 // bytes on the wire, 0 if they are not known
}

// Loads lists what a page loads, in the order of its tags. For other files the list is empty.
func (d *Snapshot) Loads(ctx context.Context, file string) []Entry {
	v := d.pageOf(ctx, file)
	if v == nil {
		return nil
	}
	var list []Entry
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Inert != "" || in.Kind == page.Hint || in.Kind == page.Other {
			continue
		}
		e := Entry{Name: v.Name(i), Kind: in.Kind, Span: Span{file, in.Start, in.End}, Detail: in.WhenWords()}
		if lib := d.p.List.Library(v.Library(i)); lib != nil {
			e.Detail = fmt.Sprintf("%s %s, %s", lib.Name, lib.Version, e.Detail)
		}
		if at := v.Location(d.p, i); !at.IsZero() {
			_, e.Wire = d.p.Sizes(at)
		}
		list = append(list, e)
	}
	return list
}

// A Tag is the tag at a place of a page.
type Tag struct {
	Ref     string
	Library string // "" for a file of no library
	Link    bool   // it is served from another host
}

// TagAt returns the tag at an offset of a page, or nil where no tag is. It also reports whether the file is a page.
func (d *Snapshot) TagAt(ctx context.Context, file string, at int) (tag *Tag, isPage bool) {
	v := d.pageOf(ctx, file)
	if v == nil {
		return nil, false
	}
	if i := includeAt(v, at); i >= 0 && v.Includes[i].Ref != "" {
		tag = &Tag{Ref: v.Includes[i].Ref, Library: v.Library(i), Link: v.Targets[i].URL != ""}
	}
	return tag, true
}
