package crate

import (
	"cmp"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/style"
)

// CompareRequest asks what a version would change.
type CompareRequest struct {
	Library string // of the crate, "" to compare two sources
	Old     string // a version or a source; "" is what is in use
	New     string // a version, a range, a tag, or a source
	Dir     string
}

// Compared is what another version would change for these pages.
type Compared struct {
	Library string         `json:"library"`
	Old     string         `json:"old"`
	New     string         `json:"new"`
	Come    []FileSize     `json:"files_come,omitempty"`
	Gone    []FileSize     `json:"files_gone,omitempty"`
	Wire    [2]int64       `json:"wire"`   // what pages load, packed: old and new
	Syntax  [2]int         `json:"syntax"` // the newest edition that the scripts demand
	Licence [2]string      `json:"licence"`
	Needs   Difference     `json:"needs"`
	Defines Difference     `json:"defines"`
	Lost    []LostName     `json:"lost,omitempty"` // names that the old version offers and the new one lacks
	Renames []style.Rename `json:"renames,omitempty"`
	Pages   int            `json:"pages"` // that the library is on
	Notes   []string       `json:"notes,omitempty"`
}

// FileSize is a file of a delivery.
type FileSize struct {
	Path string `json:"path"`
	Size int64  `json:"size"`
}

// Difference is what came and what went.
type Difference struct {
	Come []string `json:"come,omitempty"`
	Gone []string `json:"gone,omitempty"`
}

// LostName is something that the old version offers and the new one does not, with where it is used.
type LostName struct {
	Kind   string        `json:"kind"` // class, id, …, global, member
	Name   string        `json:"name"`
	Uses   []NameUse     `json:"uses,omitempty"`
	Rename *style.Rename `json:"rename,omitempty"`
}

// NameUse is one place where a name is used.
type NameUse struct {
	At  string           `json:"at"` // file:line:column
	How script.Certainty `json:"how"`
}

// side is one of the two versions.
type side struct {
	*opened
	sel     *delivery.Selection
	sheet   *style.Sheet
	defines map[string]bool
	members map[string][]string
	needs   []Supply
	syntax  int
	wire    int64
}

// Compare tells what another version of a library would change for the project's pages, before anything changes.
func (p *Project) Compare(req CompareRequest) (*Compared, error) {
	old, new, lib, err := p.sides(req)
	if err != nil {
		return nil, err
	}
	defer old.close()
	defer new.close()
	out := &Compared{Library: cmp.Or(req.Library, old.Name), Old: cmp.Or(old.Version, old.tree.Name), New: cmp.Or(new.Version, new.tree.Name)}
	build := delivery.Minified
	if lib != nil && lib.Build != "" {
		build = delivery.Build(lib.Build)
	}
	if _, err := forEach([]*side{old, new}, func(s *side) (struct{}, error) { return struct{}{}, p.study(s, build) }); err != nil {
		return nil, err
	}
	out.files(old, new)
	out.Wire, out.Syntax, out.Licence = [2]int64{old.wire, new.wire}, [2]int{old.syntax, new.syntax}, [2]string{old.Licence, new.Licence}
	global := func(list []Supply) []string {
		var names []string
		for _, n := range list {
			names = append(names, n.Global)
		}
		return names
	}
	out.Needs = difference(global(old.needs), global(new.needs))
	out.Defines = difference(keysOf(old.defines), keysOf(new.defines))
	out.Renames = style.Renames(old.sheet, new.sheet, changeNotes(new))
	out.lost(old, new)
	if lib != nil {
		if err := p.usesOf(req.Library, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func keysOf(m map[string]bool) []string {
	var list []string
	for k := range m {
		list = append(list, k)
	}
	slices.Sort(list)
	return list
}

func difference(old, new []string) Difference {
	var d Difference
	for _, n := range new {
		if !slices.Contains(old, n) {
			d.Come = append(d.Come, n)
		}
	}
	for _, o := range old {
		if !slices.Contains(new, o) {
			d.Gone = append(d.Gone, o)
		}
	}
	return d
}

// sides opens both versions, with the same choice of files where the library is in the crate.
func (p *Project) sides(req CompareRequest) (old, new *side, lib *record.Library, err error) {
	open := func(wish string) (*side, error) {
		o, err := p.reach.open(wish, req.Dir, "")
		if err != nil {
			return nil, err
		}
		return &side{opened: o}, nil
	}
	if req.Library == "" {
		if old, err = open(req.Old); err != nil {
			return nil, nil, nil, err
		}
		if new, err = open(req.New); err != nil {
			old.close()
			return nil, nil, nil, err
		}
		old.sel, new.sel = old.Suggest(), new.Suggest()
		return old, new, nil, nil
	}
	if lib = p.List.Library(req.Library); lib == nil || p.Seal.Libraries[req.Library] == nil {
		return nil, nil, nil, refused("merry contents lists the crate; two sources are compared with merry compare SOURCE SOURCE", "%s is not in the crate", req.Library)
	}
	if req.Old == "" {
		o, err := p.openSealed(req.Library)
		if err != nil {
			return nil, nil, nil, err
		}
		old = &side{opened: o}
	} else if old, err = open(p.versionSource(lib, req.Old, req.Dir)); err != nil {
		return nil, nil, nil, err
	}
	if new, err = open(p.versionSource(lib, req.New, req.Dir)); err != nil {
		old.close()
		return nil, nil, nil, err
	}
	old.sel, _ = sameChoice(old.opened, *lib)
	new.sel, _ = sameChoice(new.opened, *lib)
	return old, new, lib, nil
}

// versionSource turns a version of a library into the source that has it; what is a source already stays one.
func (p *Project) versionSource(lib *record.Library, wish, dir string) string {
	if source.IsAddress(wish) || there(dir, wish) || strings.HasPrefix(wish, fromRegistry) {
		return wish
	}
	return fromRegistry + cdnName(lib) + "@" + wish
}

// openSealed opens a library of the crate as it was delivered: from the cache, from where it came, or from a registry that
// has the same bytes.
func (p *Project) openSealed(name string) (*opened, error) {
	sealed := p.Seal.Libraries[name]
	if sealed.Digest != "" {
		if t, err := p.reach.Cache.OpenTree(sealed.Digest, path.Base(sealed.Origin)); err == nil {
			o, err := describe(&opened{tree: t, from: sealed.Origin})
			if err == nil {
				o.Name, o.Version = name, sealed.Version
			}
			return o, err
		}
	}
	from := cmp.Or(sealed.Origin, name)
	if pkg, ok := strings.CutPrefix(sealed.Origin, fromRegistry); ok {
		from = fromRegistry + pkg + "@" + sealed.Version
	} else if lib := p.List.Library(name); lib != nil && p.registryHas(lib, sealed) {
		from = fromRegistry + name + "@" + sealed.Version
	}
	o, err := p.reach.open(from, p.Root, "")
	if err != nil {
		return nil, &Problem{Class: ClassOf(err), What: fmt.Sprintf("the delivery of %s %s is not in the cache, and can't be had again: %v", name, sealed.Version, err), Next: []string{"merry compare " + name + " OLD NEW, with OLD the archive that it came from"}, Err: err}
	}
	return o, nil
}

// study reads what a side's chosen files offer and demand.
func (p *Project) study(s *side, build delivery.Build) error {
	s.defines, s.members = map[string]bool{}, map[string][]string{}
	var sheets []*style.Sheet
	for _, c := range s.sel.Choices {
		f := s.File(c.Path)
		if !c.Page && f.Kind != delivery.Stylesheet || f.Kind != delivery.Stylesheet && f.Kind != delivery.Script {
			continue
		}
		if f.Pair != "" && s.sel.Has(f.Pair) && f.Build != build {
			continue // the same in the other build
		}
		b, err := s.tree.ReadFile(c.Path)
		if err != nil {
			return err
		}
		if c.Page {
			s.wire += wireSize(b)
		}
		if f.Kind == delivery.Stylesheet {
			sheets = append(sheets, style.Read(b))
			continue
		}
		if f.Script == nil {
			continue
		}
		s.syntax = max(s.syntax, f.Script.Syntax)
		for _, g := range f.Script.Defines {
			s.defines[g.Name] = true
		}
		report, err := p.reach.rehearse(&rehearse.Request{HTML: "<!doctype html><body><script></script>", Address: "https://site.invalid/", Browser: script.BrowserNames(), Members: true,
			Scripts: []rehearse.Script{{Name: c.Path, Text: string(b), When: rehearse.InPlace}}})
		if err == nil && report.Stopped == "" {
			for g, list := range report.Members {
				s.members[g] = union(s.members[g], list)
			}
		}
	}
	s.sheet = style.Merge(sheets...)
	s.needs = needsOf(s.opened, s.sel)
	return nil
}

func (c *Compared) files(old, new *side) {
	for i := range new.Files {
		if f := &new.Files[i]; f.Aside == "" && old.File(f.Path) == nil && onPageKind(f.Kind) {
			c.Come = append(c.Come, FileSize{f.Path, f.Size})
		}
	}
	for i := range old.Files {
		if f := &old.Files[i]; f.Aside == "" && new.File(f.Path) == nil && onPageKind(f.Kind) {
			c.Gone = append(c.Gone, FileSize{f.Path, f.Size})
		}
	}
}

func onPageKind(k delivery.Kind) bool {
	switch k {
	case delivery.Script, delivery.Stylesheet, delivery.Font, delivery.Image:
		return true
	}
	return false
}

var noteFile = regexp.MustCompile(`(?i)chang|histor|migrat|upgrad|release|readme|news`)

// changeNotes are the lines of a delivery's own notes on changes.
func changeNotes(s *side) []style.Note {
	var notes []style.Note
	for i := range s.Files {
		f := &s.Files[i]
		if f.Kind != delivery.Document || !noteFile.MatchString(path.Base(f.Path)) || f.Size > 2<<20 {
			continue
		}
		b, err := s.tree.ReadFile(f.Path)
		if err != nil {
			continue
		}
		n := 0
		for line := range strings.Lines(string(b)) {
			n++
			if strings.TrimSpace(line) != "" && len(line) < 500 {
				notes = append(notes, style.Note{Text: line, Where: fmt.Sprintf("%s:%d", f.Path, n)})
			}
		}
	}
	return notes
}

// lost lists what the old version offers and the new one lacks.
func (c *Compared) lost(old, new *side) {
	has := map[string]bool{}
	for _, m := range new.sheet.Makes() {
		has[string(m.Kind)+" "+m.Name] = true
	}
	for _, m := range old.sheet.Makes() {
		if has[string(m.Kind)+" "+m.Name] {
			continue
		}
		l := LostName{Kind: string(m.Kind), Name: m.Name}
		if i := slices.IndexFunc(c.Renames, func(r style.Rename) bool { return m.Kind == style.Class && r.Old == m.Name }); i >= 0 {
			l.Rename = &c.Renames[i]
		}
		c.Lost = append(c.Lost, l)
	}
	for _, g := range c.Defines.Gone {
		c.Lost = append(c.Lost, LostName{Kind: "global", Name: g})
	}
	for _, g := range keysOf(old.defines) {
		if !new.defines[g] || len(new.members[g]) == 0 {
			continue // nothing is known of what it has now
		}
		for _, m := range old.members[g] {
			if !slices.Contains(new.members[g], m) {
				c.Lost = append(c.Lost, LostName{Kind: "member", Name: g + "." + m})
			}
		}
	}
}

// usesOf finds where the project uses what is lost: markup, own stylesheets, own scripts, those on the pages too.
func (p *Project) usesOf(library string, c *Compared) error {
	site, err := p.Walk()
	if err != nil {
		return err
	}
	f := newFinder(c.Lost)
	on := 0
	type result struct {
		uses map[int][]NameUse
		on   bool
	}
	results, err := forEach(site.Pages, func(name string) (result, error) {
		at := p.inProject(name)
		b, err := readInto(p.path(at), nil)
		if err != nil {
			return result{}, err
		}
		v, err := p.view(name, b)
		if err != nil {
			return result{}, nil // check tells of it
		}
		if !v.Fragment && !slices.Contains(v.library, library) {
			return result{}, nil
		}
		return result{f.onPage(v, at), slices.Contains(v.library, library)}, nil
	})
	if err != nil {
		return err
	}
	checker := newChecker(p, site)
	own := append(checker.ownFiles(delivery.Stylesheet), checker.ownFiles(delivery.Script)...)
	more, err := forEach(own, func(name string) (result, error) {
		at := p.inProject(name)
		b, err := readInto(p.path(at), nil)
		if err != nil {
			return result{}, err
		}
		if delivery.KindOf(name) == delivery.Stylesheet {
			return result{uses: f.inStyle(b, 0, b, at)}, nil
		}
		return result{uses: f.inScript(b, 0, b, at)}, nil
	})
	if err != nil {
		return err
	}
	for _, r := range append(results, more...) {
		if r.on {
			on++
		}
		for i, list := range r.uses {
			c.Lost[i].Uses = append(c.Lost[i].Uses, list...)
		}
	}
	c.Pages = on
	slices.SortStableFunc(c.Lost, func(a, b LostName) int {
		return cmp.Or(cmp.Compare(min(1, len(b.Uses)), min(1, len(a.Uses))), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
	return nil
}

// finder looks for names that are lost.
type finder struct {
	byName map[string]map[string]int // kind to name to index
	words  map[string]bool           // all of them, and the last part of members
}

func newFinder(lost []LostName) *finder {
	f := &finder{byName: map[string]map[string]int{}, words: map[string]bool{}}
	for i, l := range lost {
		if f.byName[l.Kind] == nil {
			f.byName[l.Kind] = map[string]int{}
		}
		f.byName[l.Kind][l.Name] = i
		f.words[l.Name[strings.LastIndexByte(l.Name, '.')+1:]] = true
	}
	return f
}

func (f *finder) find(kind, name string) (int, bool) {
	i, ok := f.byName[kind][name]
	return i, ok
}

func (f *finder) onPage(v *view, at string) map[int][]NameUse {
	uses := map[int][]NameUse{}
	page.Names(v.Bytes, func(n page.Name) {
		if i, ok := f.find(string(n.Kind), n.Text); ok {
			uses[i] = append(uses[i], useOf(v.Bytes, n.Start, at, script.Sure))
		}
	})
	for i := range v.Includes {
		in := &v.Includes[i]
		var more map[int][]NameUse
		switch in.Kind {
		case page.InlineScript:
			more = f.inScript(v.InlineText(in), in.TextStart(), v.Bytes, at)
		case page.InlineStyle:
			more = f.inStyle(v.InlineText(in), in.TextStart(), v.Bytes, at)
		}
		for k, list := range more {
			uses[k] = append(uses[k], list...)
		}
	}
	return uses
}

func useOf(whole []byte, offset int, at string, how script.Certainty) NameUse {
	line, column := page.Position(whole, offset)
	return NameUse{At: fmt.Sprintf("%s:%d:%d", at, line, column), How: how}
}

func (f *finder) inStyle(b []byte, start int, whole []byte, at string) map[int][]NameUse {
	uses := map[int][]NameUse{}
	for _, m := range style.Read(b).Mentions {
		if i, ok := f.find(string(m.Kind), m.Name); ok {
			uses[i] = append(uses[i], useOf(whole, start+m.Offset, at, script.Sure))
		}
	}
	return uses
}

func (f *finder) inScript(b []byte, start int, whole []byte, at string) map[int][]NameUse {
	uses := map[int][]NameUse{}
	add := func(i int, ok bool, u script.Use, how script.Certainty) {
		if ok {
			uses[i] = append(uses[i], useOf(whole, start+u.Offset, at, how))
		}
	}
	for _, u := range script.Uses(b, func(w string) bool { return f.words[w] }) {
		switch {
		case u.Global:
			i, ok := f.find("global", u.Word)
			add(i, ok, u, u.How)
		case u.Member:
			if i, ok := f.find("member", u.Of+"."+u.Word); ok {
				add(i, true, u, script.Likely)
				continue
			}
			// Of what else has a member of that name, only the name is known.
			for name, i := range f.byName["member"] {
				if strings.HasSuffix(name, "fn."+u.Word) || strings.HasSuffix(name, "prototype."+u.Word) {
					add(i, true, u, script.Possible)
				}
			}
		default:
			kind := "class"
			if u.Selector == '#' {
				kind = "id"
			}
			i, ok := f.find(kind, u.Word)
			add(i, ok, u, u.How)
			if kind == "class" && u.Selector == 0 {
				for _, other := range []string{"id", "attribute", "custom property"} {
					if i, ok := f.find(other, u.Word); ok {
						add(i, true, u, script.Possible)
					}
				}
			}
		}
	}
	return uses
}
