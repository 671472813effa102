// Package compose puts the pages of a site together as visitors receive them: a page with the parts that it includes,
// in the layout that it extends. It evaluates nothing: what a server decides stays a hole.
package compose

import (
	"bytes"
	"context"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/texts"
)

// A Piece is a part of a file that is a part of a composed page.
type Piece struct {
	File       paths.InSite
	Start, End int // in the file's bytes
	At         int // in the composed page
}

// A Page is a page as a visitor receives it, as far as that can be known.
type Page struct {
	Name   paths.InSite // the file that the server is asked for
	Bytes  []byte
	Pieces []Piece // in their order; each byte of the page is of one piece
	// Unknown are the places where something is included that is computed, or that is not there.
	Unknown []Place
	// Holes are those of the page's bytes.
	Holes []template.Hole

	sources map[paths.InSite][]byte
	mu      sync.Mutex
	lines   map[paths.InSite]*texts.Index
}

// A Place is a place in a file, with what stands there.
type Place struct {
	File   paths.InSite
	Offset int
	Text   string
}

// Files are the files that the page is made of, each once, the page's own first.
func (p *Page) Files() []paths.InSite {
	list := []paths.InSite{p.Name}
	for _, x := range p.Pieces {
		if !slices.Contains(list, x.File) {
			list = append(list, x.File)
		}
	}
	return list
}

// Locate returns the file and the offset in it of an offset of the page. At the border between two pieces it is the
// beginning of the second one.
func (p *Page) Locate(offset int) (paths.InSite, int) {
	i, found := slices.BinarySearchFunc(p.Pieces, offset, func(x Piece, at int) int { return x.At - at })
	if !found {
		i--
	}
	if i < 0 {
		return p.Name, offset
	}
	x := p.Pieces[i]
	return x.File, x.Start + offset - x.At
}

// Position returns the file of an offset of the page, with the line and the column in it, both from 1.
func (p *Page) Position(offset int) (name paths.InSite, line, column int) {
	name, at := p.Locate(offset)
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.lines == nil {
		p.lines = map[paths.InSite]*texts.Index{}
	}
	if p.lines[name] == nil {
		p.lines[name] = texts.NewIndex(p.sources[name])
	}
	line, column = p.lines[name].At(min(at, len(p.sources[name])))
	return name, line, column
}

// Offset is where a line and a column of the page are, both from 1.
func (p *Page) Offset(line, column int) int {
	at := 0
	for ; line > 1; line-- {
		i := bytes.IndexByte(p.Bytes[at:], '\n')
		if i < 0 {
			return len(p.Bytes)
		}
		at += i + 1
	}
	return min(len(p.Bytes), at+max(0, column-1))
}

// A Site knows how the files of a site are put together. It reads each file once, when it is asked for. It is for
// several goroutines at once.
type Site struct {
	read   func(name paths.InSite) ([]byte, error)
	has    func(name paths.InSite) bool
	ending func(end string) []paths.InSite

	mu      sync.Mutex
	files   map[paths.InSite]*file
	found   map[asked]paths.InSite          // what names of files mean, the zero path for nothing
	defined map[string]span                 // what define blocks of the whole site are called
	users   map[paths.InSite][]paths.InSite // who includes or extends a file
	layout  paths.InSite                    // of pages that name none
	around  map[paths.InSite]paths.InSite   // the layouts of pages that have nothing but defined parts
}

// asked is a name of a file, with the folder and the ending of the file that names it.
type asked struct {
	dir, ending, name string
	dotted            bool
}

// A span is a part of a file.
type span struct {
	file       *file
	start, end int
}

// New knows the files of a site: whether it has one, those whose paths end in something, and their bytes.
func New(read func(name paths.InSite) ([]byte, error), has func(name paths.InSite) bool,
	ending func(end string) []paths.InSite) *Site {
	return &Site{read: read, has: has, ending: ending, files: map[paths.InSite]*file{},
		found: map[asked]paths.InSite{}, defined: map[string]span{},
		users: map[paths.InSite][]paths.InSite{}, around: map[paths.InSite]paths.InSite{}}
}

// Learn reads pages for what they include and extend. Only files that are a part of a page learned are known as parts.
func (s *Site) Learn(ctx context.Context, pages []paths.InSite) {
	parallel.Each(ctx, pages, func(_ context.Context, name paths.InSite) error {
		s.file(name) // what can't be read has no parts
		return nil
	})
	var slots []paths.InSite
	for _, name := range pages {
		f := s.file(name)
		if f == nil || !f.may {
			continue
		}
		for _, d := range f.directives {
			if d.kind == define {
				if _, had := s.defined[d.name]; !had {
					s.defined[d.name] = span{f, d.region.InnerStart, d.region.InnerEnd}
				}
			}
			if d.kind == slot && f.whole {
				slots = append(slots, name)
			}
		}
	}
	s.surround(pages)
	for _, name := range pages {
		if f := s.file(name); f != nil && f.may {
			if to, ok := s.around[name]; ok {
				s.users[to] = append(s.users[to], name)
				continue
			}
			for _, to := range s.targets(f) {
				if to != name {
					s.users[to] = append(s.users[to], name)
				}
			}
		}
	}
	slots = slices.Compact(slots)
	if slots = slices.DeleteFunc(slots, func(n paths.InSite) bool { return len(s.users[n]) > 0 }); len(slots) == 1 {
		s.layout = slots[0]
	}
}

// surround finds the layouts of pages that have nothing but defined parts: the one file of the site that is a whole
// page, is called as layouts are, and names one of the parts.
func (s *Site) surround(pages []paths.InSite) {
	layouts := map[string][]paths.InSite{} // by the parts that they name
	for _, name := range pages {
		f := s.file(name)
		if f == nil || !f.whole || !layoutName().MatchString(strings.ToLower(name.Base())) {
			continue
		}
		for _, d := range f.directives {
			switch {
			case d.kind == include && len(d.names) == 1:
				layouts[d.names[0]] = append(layouts[d.names[0]], name)
			case d.kind == blockOf:
				layouts[d.name] = append(layouts[d.name], name)
			}
		}
	}
	times := map[string]int{} // how many files define a part
	for _, name := range pages {
		if f := s.file(name); f != nil {
			for _, d := range f.directives {
				if d.kind == define {
					times[d.name]++
				}
			}
		}
	}
	for _, name := range pages {
		f := s.file(name)
		if f == nil || !f.onlyDefines() {
			continue
		}
		for _, d := range f.directives {
			if list := slices.Compact(layouts[d.name]); d.kind == define && len(list) == 1 && list[0] != name &&
				(times[d.name] > 1 || mainPart().MatchString(d.name)) {
				s.around[name] = list[0]
				break
			}
		}
	}
}

// mainPart tells the names of parts that are the content of a page, even where only one page has it.
var mainPart = memo.Regexp(`^(?:main|content|body|page)$`)

var layoutName = memo.Regexp(`^_?(?:layout|base|default|main|app|master|root|page|site|baseof)s?\b`)

// Composes reports whether any page of those learned is made of several files.
func (s *Site) Composes() bool { return len(s.users) > 0 || s.layout != paths.InSite{} }

// IsPart reports whether a file is included or extended by another one, so that no visitor asks for it.
func (s *Site) IsPart(name paths.InSite) bool {
	return len(s.users[name]) > 0 && !s.round(name) || name == s.layout && !name.IsZero()
}

// round reports whether a file includes itself, over others too, so that nothing else leads to it.
func (s *Site) round(name paths.InSite) bool {
	seen := map[paths.InSite]bool{}
	queue := slices.Clone(s.users[name])
	for ; len(queue) > 0; queue = queue[1:] {
		n := queue[0]
		if seen[n] {
			continue
		}
		seen[n] = true
		if len(s.users[n]) == 0 {
			return false
		}
		queue = append(queue, s.users[n]...)
	}
	return seen[name]
}

// PagesWith lists the pages that a part is in, sorted, over other parts too; of a file that is no part, itself.
func (s *Site) PagesWith(name paths.InSite) []paths.InSite {
	if !s.IsPart(name) {
		return []paths.InSite{name}
	}
	var list []paths.InSite
	seen := map[paths.InSite]bool{name: true}
	queue := slices.Clone(s.users[name])
	for ; len(queue) > 0; queue = queue[1:] {
		n := queue[0]
		if seen[n] {
			continue
		}
		if seen[n] = true; !s.IsPart(n) {
			list = append(list, n)
		} else {
			queue = append(queue, s.users[n]...)
		}
	}
	if name == s.layout {
		for n, f := range s.files {
			if f != nil && !seen[n] && !s.IsPart(n) && s.implicit(f) {
				list = append(list, n)
			}
		}
	}
	slices.SortFunc(list, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return list
}

// Visited are the pages that visitors ask for: those of several files that are no parts, and of each part that is among
// them without all of its pages the first few of these. They are sorted.
func (s *Site) Visited(pages []paths.InSite) []paths.InSite {
	if !s.Composes() {
		return pages
	}
	asked := map[paths.InSite]bool{}
	for _, name := range pages {
		asked[name] = true
	}
	var list []paths.InSite
	for _, name := range pages {
		if !s.IsPart(name) {
			list = append(list, name)
			continue
		}
		with := s.PagesWith(name)
		if slices.ContainsFunc(with, func(n paths.InSite) bool { return !asked[n] }) {
			list = append(list, with[:min(len(with), maxVisited)]...)
		}
	}
	slices.SortFunc(list, func(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) })
	return slices.Compact(list)
}

// maxVisited is how many of the pages of a part stand for all of them.
const maxVisited = 5

// implicit reports whether a file is a page without a layout of its own that needs one.
func (s *Site) implicit(f *file) bool {
	return !s.layout.IsZero() && f.name != s.layout && !f.whole && f.parent() == nil && !s.IsPart(f.name) &&
		path.Ext(f.name.String()) == path.Ext(s.layout.String()) && !partName().MatchString(f.name.String())
}

// partName tells the names of files, and of folders, that hold parts of pages and no pages.
var partName = memo.Regexp(`(?i)(?:^|/)(?:_|(?:partials?|includes?|components?|widgets?|macros?|snippets?)/)`)

// targets are the files that a file includes and extends, as far as they are known.
func (s *Site) targets(f *file) []paths.InSite {
	var list []paths.InSite
	for i := range f.directives {
		d := &f.directives[i]
		switch d.kind {
		case include, extends:
			for _, name := range d.names {
				if in, ok := s.defined[name]; ok && d.part {
					if _, page := s.around[in.file.name]; !page {
						list = append(list, in.file.name)
					}
				} else if to, ok := s.resolve(f, name, d.dotted); ok {
					list = append(list, to)
				} else if in, ok := s.defined[name]; ok && d.kind == include {
					if _, page := s.around[in.file.name]; !page {
						list = append(list, in.file.name)
					}
				}
			}
		}
	}
	return list
}

// file reads a file, once; nil if it can't be read.
func (s *Site) file(name paths.InSite) *file {
	s.mu.Lock()
	f, known := s.files[name]
	s.mu.Unlock()
	if known {
		return f
	}
	if b, err := s.read(name); err == nil {
		f = parse(name, b)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.files[name] = f
	return f
}

// Give hands over the bytes of a file that somebody read, and keeps them.
func (s *Site) Give(name paths.InSite, b []byte) {
	f := parse(name, b)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.files[name] = f
}

// Forget says that the bytes of a file are others now.
func (s *Site) Forget(name paths.InSite) {
	s.mu.Lock()
	delete(s.files, name)
	s.mu.Unlock()
	var names []string // of the parts that it defines
	for part, in := range s.defined {
		if in.file.name == name {
			names = append(names, part)
		}
	}
	if len(names) == 0 {
		return
	}
	f := s.file(name)
	for _, part := range names {
		delete(s.defined, part)
		for i := range f.directives {
			if d := &f.directives[i]; d.kind == define && d.name == part {
				s.defined[part] = span{f, d.region.InnerStart, d.region.InnerEnd}
				break
			}
		}
	}
}

// maxDepth is how deep files may be in each other, and maxSize how long a composed page may be.
const (
	maxDepth = 24
	maxSize  = 8 << 20
)

// Compose puts a page together; nil if it is made of one file.
func (s *Site) Compose(name paths.InSite) *Page { return s.ComposeIn(nil, name) }

// ComposeIn is Compose with a piece of memory that the page's bytes may take.
func (s *Site) ComposeIn(memory []byte, name paths.InSite) *Page {
	f := s.file(name)
	if f == nil || !f.may && !s.implicit(f) {
		return nil
	}
	k := &composing{site: s, page: &Page{Name: name, Bytes: slices.Grow(memory[:0], len(f.bytes)*3/2),
		sources: map[paths.InSite][]byte{name: f.bytes}},
		blocks: map[string]block{}, stacks: map[string][]block{}}
	k.whole(f, 0)
	if p := k.page; len(p.Files()) > 1 {
		return p
	}
	if len(k.page.Unknown) > 0 {
		return &Page{Name: name, Bytes: append(k.page.Bytes[:0], f.bytes...), Pieces: []Piece{{name, 0, len(f.bytes),
			0}}, Unknown: k.page.Unknown,
			Holes: f.holes, sources: k.page.sources}
	}
	return nil
}

// A block is what stands for a named place of a layout.
type block struct{ span }

// composing is the state of one page that is being put together.
type composing struct {
	site   *Site
	page   *Page
	blocks map[string]block
	stacks map[string][]block
	// layered says that the page stands in a layout.
	layered bool
	child   []span         // what stands in the place for the content of a layout, the innermost last
	stack   []paths.InSite // the files that are being read, and the parts of them
	active  []span
}

// whole adds a page with its layout around it.
func (k *composing) whole(f *file, depth int) {
	parent := f.parent()
	var layout *file
	around, surrounded := k.site.around[f.name]
	switch {
	case surrounded:
		layout = k.site.file(around)
	case parent != nil:
		for _, name := range parent.names {
			if to, ok := k.site.resolve(f, name, parent.dotted); ok && to != f.name {
				layout = k.site.file(to)
			}
		}
		if layout == nil {
			k.unknown(f, parent)
		}
	case k.site.implicit(f):
		layout = k.site.file(k.site.layout)
	}
	if layout == nil || depth > maxDepth {
		k.part(span{f, f.begin, len(f.bytes)}, depth)
		return
	}
	k.layered = true
	for i := range f.directives {
		d := &f.directives[i]
		switch d.kind {
		case blockOf, define:
			if _, had := k.blocks[d.name]; !had {
				k.blocks[d.name] = block{span: span{f, d.region.InnerStart, d.region.InnerEnd}}
			}
		case push:
			k.stacks[d.name] = append(k.stacks[d.name], block{span: span{f, d.region.InnerStart, d.region.InnerEnd}})
		}
	}
	k.child = append(k.child, span{f, f.begin, len(f.bytes)})
	k.whole(layout, depth+1)
}

func (k *composing) unknown(f *file, d *directive) {
	at := Place{f.name, d.start, string(f.bytes[d.start:d.end])}
	if !slices.Contains(k.page.Unknown, at) {
		k.page.Unknown = append(k.page.Unknown, at)
	}
}

// part adds a part of a file, with what it includes.
func (k *composing) part(in span, depth int) {
	f, at := in.file, in.start
	if depth > maxDepth || len(k.page.Bytes) > maxSize || slices.Contains(k.active, in) {
		return
	}
	k.stack, k.active = append(k.stack, f.name), append(k.active, in)
	defer func() { k.stack, k.active = k.stack[:len(k.stack)-1], k.active[:len(k.active)-1] }()
	for i := range f.directives {
		d := &f.directives[i]
		if d.start < at || d.start >= in.end {
			continue
		}
		switch d.kind {
		case include:
			var parts []span
			for _, name := range d.names {
				if own, ok := k.blocks[name]; ok {
					parts = append(parts, own.span)
				} else if def, ok := k.site.defined[name]; ok && d.part {
					parts = append(parts, def)
				} else if to, ok := k.site.resolve(f, name, d.dotted); ok {
					if inner := k.site.file(to); inner != nil && !slices.Contains(k.stack, to) {
						parts = append(parts, span{inner, inner.begin, len(inner.bytes)})
					}
				} else if def, ok := k.site.defined[name]; ok {
					parts = append(parts, def)
				} else {
					k.unknown(f, d)
				}
			}
			if len(d.names) == 0 {
				k.unknown(f, d)
			}
			if len(parts) == 0 {
				continue
			}
			k.add(f, at, d.start)
			for _, p := range parts {
				k.part(p, depth+1)
			}
			at = d.end
		case blockOf, yield:
			if at = k.named(f, d, at, depth); at > in.end {
				return
			}
		case stackOf:
			k.add(f, at, d.start)
			for _, b := range k.stacks[d.name] {
				k.part(b.span, depth+1)
			}
			at = d.end
		case define, push:
			k.add(f, at, d.start)
			at = d.region.End
		case slot:
			if n := len(k.child); n > 0 {
				k.add(f, at, d.start)
				child := k.child[n-1]
				k.child = k.child[:n-1]
				k.part(child, depth+1)
				k.child = append(k.child, child)
				at = d.end
			}
		}
	}
	if at < in.end {
		k.add(f, at, in.end)
	}
}

// named adds what stands for a named place, and returns where its file goes on.
func (k *composing) named(f *file, d *directive, at, depth int) int {
	b, ok := k.blocks[d.name]
	if d.sectionOnly && k.layered {
		k.add(f, at, d.start) // it stands where the layout wants it
		return d.region.End
	}
	if !ok || b.file == f && b.start == d.region.InnerStart {
		return at
	}
	k.add(f, at, d.start)
	k.part(b.span, depth+1)
	if d.kind == yield {
		return d.end
	}
	return d.region.End
}

// add adds bytes of a file as they are.
func (k *composing) add(f *file, start, end int) {
	if end <= start {
		return
	}
	p := k.page
	p.sources[f.name] = f.bytes
	for _, h := range template.Between(f.holes, start, end) {
		p.Holes = append(p.Holes, h.Moved(len(p.Bytes)-start))
	}
	if n := len(p.Pieces); n > 0 && p.Pieces[n-1].File == f.name && p.Pieces[n-1].End == start {
		p.Pieces[n-1].End = end
	} else {
		p.Pieces = append(p.Pieces, Piece{f.name, start, end, len(p.Bytes)})
	}
	p.Bytes = append(p.Bytes, f.bytes[start:end]...)
}
