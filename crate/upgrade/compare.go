// Package upgrade compares two versions of a library with each other, and with the pages, styles and scripts that use
// them: which names were removed, where they are used, and their new names. It also plans the move to another version.
package upgrade

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/offered"
	"merrycrate.example/merry/crate/requirements"

	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/style"
)

// A Request asks what a version would change.
type Request struct {
	Library string // of the crate, "" to compare two sources
	Old     string // a version or a source; "" is what is in use
	New     string // a version, a range, a tag, or a source
	Dir     string // where relative paths of sources begin
}

// Compared is what another version would change on these pages.
type Compared struct {
	Library      string     `json:"library"`                 // the library's name in the crate
	Old          string     `json:"old"`                     // the old version
	New          string     `json:"new"`                     // the new version
	FilesAdded   []FileSize `json:"files_added,omitempty"`   // files that only the new version has
	FilesRemoved []FileSize `json:"files_removed,omitempty"` // files that only the old version has
	Wire         [2]int64   `json:"wire"`                    // what pages load, packed: old and new
	Syntax       [2]int     `json:"syntax"`                  // the newest edition that the scripts demand
	Licence      [2]string  `json:"licence"`                 // SPDX identifiers: old and new
	Needs        Difference `json:"needs"`                   // globals that it needs on a page
	Defines      Difference `json:"defines"`                 // globals
	// of modules: each name with that by which its module is imported
	Exports Difference `json:"exports"`
	// names that the old version offers and the new one lacks
	Removed  []RemovedName    `json:"removed,omitempty"`
	Renames  []renames.Rename `json:"renames,omitempty"` // old names to new names, with evidence
	Repin    *Plan            `json:"repin,omitempty"`   // what repin would do, of a library in use
	Pages    int              `json:"pages"`             // that the library is on
	PageUses []string         `json:"on,omitempty"`      // those pages, in the site
	Notes    []string         `json:"notes,omitempty"`   // what else to know
}

// A Plan is what repin would do: refuse, or change pages.
type Plan struct {
	Refused string   `json:"refused,omitempty"` // why it would refuse
	Code    string   `json:"code,omitempty"`    // the code of that error
	Next    []string `json:"next,omitempty"`    // the way forward, tried on a copy of the project
	// Modules are the lines of the module that pages would need in the place of a plain script, with an import map.
	Modules []string `json:"modules,omitempty"`
	Pages   int      `json:"pages"`             // pages that would change
	Dropped []string `json:"dropped,omitempty"` // files that the new version lacks, each with the tags that would go
	Notes   []string `json:"notes,omitempty"`   // what else to know
}

// FileSize is a file of a package.
type FileSize struct {
	Path string `json:"path"` // path in the package
	Size int64  `json:"size"` // bytes
}

// Difference lists added and removed names.
type Difference struct {
	Added   []string `json:"added,omitempty"`   // names that only the new version has
	Removed []string `json:"removed,omitempty"` // names that only the old version has
}

// RemovedName is something that the old version offers and the new one does not, with where it is used.
type RemovedName struct {
	// class, id, …, global, member, function (is called no more), constructor, signature, export, module, symbol
	Kind string `json:"kind"`
	Name string `json:"name"` // the name that was removed
	// of an export, the name by which its module is imported; of a symbol, its picture
	Of     string          `json:"of,omitempty"`
	Uses   []Occurrence    `json:"uses,omitempty"`   // where pages and own files use it
	Rename *renames.Rename `json:"rename,omitempty"` // its new name, with evidence
	Now    string          `json:"now,omitempty"`    // what has its name now, where that is something else
}

// Occurrence is one place where a name is used.
type Occurrence struct {
	At  string            `json:"at"`  // file:line:column
	How script.Likelihood `json:"how"` // how certain it is: sure, likely or possible

	file         string
	line, column int
}

// side is one of the two versions.
type side struct {
	*origin.Opened
	sel     *packages.Selection
	sheet   *style.Sheet
	defines map[string]bool
	members *members
	needs   []requirements.Requirement
	symbols map[string]map[string]glyphs.Part // of its pictures, by their names
	reads   map[string]bool                   // attributes that its scripts name
	scripts [][]byte                          // their texts
	syntax  int
	wire    int64
}

// Compare returns what another version of a library would change on the project's pages. It changes nothing.
func Compare(ctx context.Context, p *project.Project, req Request) (*Compared, error) {
	old, new, lib, err := sides(ctx, p, req)
	if err != nil {
		return nil, err
	}
	defer old.Close()
	defer new.Close()
	out := &Compared{Library: cmp.Or(req.Library, old.Name), Old: cmp.Or(old.Version, old.Tree.Name),
		New: cmp.Or(new.Version, new.Tree.Name)}
	build := record.Minified
	if lib != nil && lib.Build != record.NoBuild {
		build = lib.Build
	}
	var bases [][]byte // scripts of what it needs
	if lib != nil {
		for _, need := range lib.Needs {
			bases = append(bases, p.Texts(need, nil)...)
		}
	}
	if err := parallel.Each(ctx, []*side{old, new}, func(ctx context.Context, s *side) error {
		return s.study(ctx, p, build, bases)
	}); err != nil {
		return nil, err
	}
	out.files(old, new)
	out.Wire, out.Syntax, out.Licence = [2]int64{old.wire, new.wire}, [2]int{old.syntax, new.syntax},
		[2]string{old.Licence, new.Licence}
	global := func(list []requirements.Requirement) []string {
		var names []string
		for _, n := range list {
			names = append(names, n.Global)
		}
		return names
	}
	out.Needs = difference(global(old.needs), global(new.needs))
	out.Defines = difference(keysOf(old.defines), keysOf(new.defines))
	notes := append(changeNotes(new), tables(new, commonPrefix(old.sheet))...)
	out.removed(old, new)
	out.signatures(old, new)
	out.renamedNames(old, new, notes)
	if lib != nil {
		if err := out.optionAttributes(ctx, p, old, new); err != nil {
			return nil, err
		}
		out.sharedAttributes(p, req.Library)
	}
	out.removedExports(old, new, notes)
	out.removedSymbols(old, new, notes)
	// What became of the names, and where they are used, is found side by side: neither needs the other.
	tasks := []func(context.Context) error{func(context.Context) error {
		out.Renames = renames.Classes(old.sheet, new.sheet, renames.Evidence{Notes: notes, Compat: compatSheets(new),
			Fonts: func() (glyphs.Set, glyphs.Set) { return old.fonts(), new.fonts() }})
		return nil
	}}
	if lib != nil {
		tasks = append(tasks, func(ctx context.Context) error { return out.findUses(ctx, p, req.Library) })
	}
	if err := parallel.Each(ctx, tasks, func(ctx context.Context, do func(context.Context) error) error {
		return do(ctx)
	}); err != nil {
		return nil, err
	}
	out.called()
	out.onlyUsed()
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
			d.Added = append(d.Added, n)
		}
	}
	for _, o := range old {
		if !slices.Contains(new, o) {
			d.Removed = append(d.Removed, o)
		}
	}
	return d
}

// sides opens both versions, with the same choice of files where the library is in the crate.
func sides(ctx context.Context, p *project.Project, req Request) (old, new *side, lib *record.Library, err error) {
	open := func(wish string) (*side, error) {
		o, err := p.Origin.Open(ctx, origin.Request{Name: wish, Dir: req.Dir})
		if err != nil {
			return nil, err
		}
		return &side{Opened: o}, nil
	}
	if req.Library == "" {
		if old, err = open(req.Old); err != nil {
			return nil, nil, nil, err
		}
		if new, err = open(req.New); err != nil {
			old.Close()
			return nil, nil, nil, err
		}
		old.sel, new.sel = old.Suggest(), new.Suggest()
		return old, new, nil, nil
	}
	if lib = p.List.Library(req.Library); lib == nil || p.Seal.Libraries[req.Library] == nil {
		return nil, nil, nil, problem.Refuse(problem.LibraryUnknown, "merry contents  # lists the crate; to compare "+
			"two sources: merry compare SOURCE SOURCE", "%s is not in the crate", req.Library)
	}
	if req.Old == "" {
		o, err := obtain.Sealed(ctx, p, req.Library)
		if err != nil {
			return nil, nil, nil, err
		}
		old = &side{Opened: o}
	} else if old, err = open(VersionSource(lib, req.Old, req.Dir)); err != nil {
		return nil, nil, nil, err
	}
	if new, err = open(VersionSource(lib, req.New, req.Dir)); err != nil {
		old.Close()
		return nil, nil, nil, err
	}
	was := p.Seal.Libraries[req.Library]
	old.sel, _ = entries.Choose(old.Package, old.Version, *lib, was)
	new.sel, _ = entries.Choose(new.Package, new.Version, *lib, was)
	return old, new, lib, nil
}

// VersionSource turns a version of a library into the source that has it; what is a source already stays one.
func VersionSource(lib *record.Library, wish, dir string) string {
	if source.IsAddress(wish) || origin.There(dir, wish) || strings.HasPrefix(wish, record.FromRegistry) {
		return wish
	}
	return record.FromRegistry + lib.NameOnCDNs() + "@" + wish
}

// study reads what a side's chosen files offer and demand.
func (s *side) study(ctx context.Context, p *project.Project, build record.Build, bases [][]byte) error {
	s.defines, s.members, s.reads, s.symbols = map[string]bool{}, newMembers(), map[string]bool{},
		map[string]map[string]glyphs.Part{}
	var sheets []*style.Sheet
	for _, c := range s.sel.Choices {
		f := s.File(c.Path)
		if f.Kind == packages.Image && strings.HasSuffix(strings.ToLower(c.Path), ".svg") {
			if b, err := s.Tree.ReadFile(c.Path); err == nil {
				s.symbols[c.Path] = glyphs.Parts(b)
			}
		}
		if !c.Page && f.Kind != packages.Stylesheet || f.Kind != packages.Stylesheet && f.Kind != packages.Script {
			continue
		}
		if f.OtherBuild != "" && s.sel.Has(f.OtherBuild) && f.Build != build {
			continue // the same in the other build
		}
		b, err := s.Tree.ReadFile(c.Path)
		if err != nil {
			return err
		}
		if c.Page {
			s.wire += origin.WireSize(b)
		}
		if f.Kind == packages.Stylesheet {
			sheets = append(sheets, style.Read(b))
			continue
		}
		for name := range offered.Attributes(b) {
			s.reads[name] = true
		}
		s.scripts = append(s.scripts, b)
		if f.Script == nil {
			continue
		}
		s.syntax = max(s.syntax, f.Script.Syntax)
		for _, g := range f.Script.Defines {
			s.defines[g.Name] = true
		}
		if err := s.members.read(ctx, p, bases, c.Path, b); err != nil {
			return err
		}
	}
	s.sheet = style.Merge(sheets...)
	s.needs = requirements.NeedsOf(s.Opened, s.sel)
	return nil
}

func (c *Compared) files(old, new *side) {
	for i := range new.Files {
		if f := &new.Files[i]; f.ExcludedBecause == "" && old.File(f.Path) == nil && onPageKind(f.Kind) {
			c.FilesAdded = append(c.FilesAdded, FileSize{f.Path, f.Size})
		}
	}
	for i := range old.Files {
		if f := &old.Files[i]; f.ExcludedBecause == "" && new.File(f.Path) == nil && onPageKind(f.Kind) {
			c.FilesRemoved = append(c.FilesRemoved, FileSize{f.Path, f.Size})
		}
	}
}

func onPageKind(k packages.Kind) bool {
	switch k {
	case packages.Script, packages.Stylesheet, packages.Font, packages.Image:
		return true
	}
	return false
}

var noteFile = memo.Regexp(`(?i)^(?:[\w.]*[-_.])?(?:chang|histor|migrat|upgrad|releas|readme|news\b|deprecat|rename)` +
	`[\w.-]*\.(?:md|markdown|txt|rst|textile|adoc)$|^(?:CHANGES|CHANGELOG|HISTORY|NEWS|README)$`)

// warns reports whether in a line of a script its maker says what is no more to be used, in capitals or not.
func warns(line string) bool {
	for _, word := range []string{"eprecat", "enamed", "nstead", "now called", "DEPRECAT", "RENAMED", "INSTEAD",
		"NOW CALLED"} {
		if strings.Contains(line, word) {
			return true
		}
	}
	return false
}

// changeNotes are the lines of a package's own notes on changes.
func changeNotes(s *side) []renames.ChangeNote {
	var notes []renames.ChangeNote
	for i := range s.Files {
		f := &s.Files[i]
		inScript := f.Kind == packages.Script && f.Build == record.Readable && f.ExcludedBecause == ""
		if !inScript && (f.Kind != packages.Document || !noteFile().MatchString(path.Base(f.Path))) || f.Size > 2<<20 {
			continue
		}
		b, err := s.Tree.ReadFile(f.Path)
		if err != nil {
			continue
		}
		n := 0
		for line := range strings.Lines(string(b)) {
			n++
			if strings.TrimSpace(line) != "" && len(line) < 500 && (!inScript || warns(line)) {
				notes = append(notes, renames.ChangeNote{Text: line, Where: fmt.Sprintf("%s:%d", f.Path, n)})
			}
		}
	}
	return notes
}

// called says of lost classes what they are called now.
func (c *Compared) called() {
	now := map[string]*renames.Rename{}
	for i := range c.Renames {
		now[c.Renames[i].Old] = &c.Renames[i]
	}
	for i := range c.Removed {
		if l := &c.Removed[i]; l.Kind == string(style.Class) {
			l.Rename = now[l.Name]
		}
	}
}

// sharedAttributes makes renames of attributes uncertain that another library of the crate reads, too.
func (c *Compared) sharedAttributes(p *project.Project, library string) {
	if !slices.ContainsFunc(c.Removed, func(l RemovedName) bool { return l.Kind == string(style.Attribute) }) {
		return
	}
	readers := map[string]string{}
	for _, name := range p.Seal.Names() {
		for i := range p.Seal.Libraries[name].Files {
			f := &p.Seal.Libraries[name].Files[i]
			if name == library || f.Role != record.Tagged || packages.KindOf(f.Path) != packages.Script {
				continue
			}
			if b, err := p.LocalBytes(project.Sealed{Library: name, File: f}); err == nil {
				for attribute := range offered.Attributes(b) {
					readers[attribute] = name
				}
			}
		}
	}
	for i := range c.Removed {
		l := &c.Removed[i]
		if by := readers[l.Name]; by != "" && l.Kind == string(style.Attribute) && l.Rename != nil {
			l.Rename.Sure = false
			l.Rename.Because = append(l.Rename.Because, by+" reads the old name, too")
		}
	}
}

// propertyRenames finds the new names of custom properties: by a pattern that several follow, or by the changelog. One
// that has another value than before is not sure.
func propertyRenames(removed []RemovedName, old, new *side, notes []renames.ChangeNote) []renames.Rename {
	var gone, come []string
	for _, l := range removed {
		if l.Kind == string(style.Property) {
			gone = append(gone, strings.TrimPrefix(l.Name, "--"))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(new.sheet.Vars)) {
		if _, had := old.sheet.Vars[name]; !had {
			come = append(come, strings.TrimPrefix(name, "--"))
		}
	}
	list := renames.Names(gone, come, notes)
	for i := range list {
		r := &list[i]
		r.Sure = r.Sure && old.sheet.Vars["--"+r.Old] == new.sheet.Vars["--"+r.New]
	}
	list = append(list, renames.Prefixed(gone, come, "")...)
	for i := range list {
		list[i].Old, list[i].New = "--"+list[i].Old, "--"+list[i].New
	}
	return list
}

// renamedNames says of lost members and attributes what they are called now.
func (c *Compared) renamedNames(old, new *side, notes []renames.ChangeNote) {
	gone, come := map[string][]string{}, map[string][]string{} // by the global that they are of, "" for attributes
	for _, l := range c.Removed {
		switch l.Kind {
		case string(style.Attribute):
			gone[""] = append(gone[""], l.Name)
		case "member":
			global, name, _ := strings.Cut(l.Name, ".")
			gone[global] = append(gone[global], name)
		}
	}
	for name := range new.reads {
		if !old.reads[name] {
			come[""] = append(come[""], name)
		}
	}
	for global, members := range new.members.of {
		for name := range members {
			if !old.members.of[global][name] {
				come[global] = append(come[global], name)
			}
		}
	}
	now := map[string]renames.Rename{}
	for _, r := range propertyRenames(c.Removed, old, new, notes) {
		now[r.Old] = r
	}
	for global, names := range gone {
		slices.Sort(come[global])
		for _, r := range renames.Names(names, come[global], notes) {
			if global != "" && sameButForm(r, global, old, new) {
				continue
			}
			now[strings.TrimPrefix(global+"."+r.Old, ".")] = r
		}
		if global == "" {
			continue
		}
		for _, r := range renames.Members(names, slices.Sorted(maps.Keys(new.members.of[global]))) {
			if r.Score > now[global+"."+r.Old].Score {
				now[global+"."+r.Old] = r
			}
		}
	}
	for _, r := range renames.Prefixed(gone[""], come[""], "data-") {
		now[r.Old] = r
	}
	for i := range c.Removed {
		if l := &c.Removed[i]; l.Kind == "member" || l.Kind == string(style.Attribute) ||
			l.Kind == string(style.Property) {
			if r, told := now[l.Name]; told {
				if global, _, member := strings.Cut(l.Name, "."); member && l.Kind == "member" {
					r.Old, r.New = l.Name, global+"."+r.New
				}
				l.Rename = &r
			}
		}
	}
}

// removed lists what the old version offers and the new one lacks.
func (c *Compared) removed(old, new *side) {
	has := map[string]bool{}
	for _, m := range new.sheet.Makes() {
		has[string(m.Kind)+" "+m.Name] = true
	}
	for _, m := range old.sheet.Makes() {
		if has[string(m.Kind)+" "+m.Name] || m.Kind == style.Attribute && new.reads[m.Name] {
			continue // a script that still reads an attribute has it
		}
		c.Removed = append(c.Removed, RemovedName{Kind: string(m.Kind), Name: m.Name})
	}
	for _, g := range c.Defines.Removed {
		c.Removed = append(c.Removed, RemovedName{Kind: "global", Name: g})
	}
	c.removedMembers(old, new)
	// Attributes that scripts read are names that pages use, too.
	known := map[string]bool{}
	for _, l := range c.Removed {
		known[l.Kind+" "+l.Name] = true
	}
	for _, name := range slices.Sorted(maps.Keys(old.reads)) {
		if !new.reads[name] && !known["attribute "+name] && !has["attribute "+name] {
			c.Removed = append(c.Removed, RemovedName{Kind: string(style.Attribute), Name: name})
		}
	}
}
