package crate

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// RepinRequest asks for libraries to be moved to other versions, in one change.
type RepinRequest struct {
	Moves   []Move
	Newest  bool // all libraries of the crate that came from a registry, to the newest that their holds allow
	Dir     string
	Renames map[string]string // classes on pages, old to new
	// RenameSure carries out the renames that comparing the two versions is sure of.
	RenameSure bool
}

// Move is one library and where it is to go.
type Move struct {
	Library string
	Wish    string // a version, a range or a tag; "" for the newest
	Source  string // where the other version is, if not where the library came from
}

// Repinned says what repin did.
type Repinned struct {
	Outcome
	Libraries []RepinnedLibrary `json:"libraries"`
	Pages     []IncludedPage    `json:"pages,omitempty"` // Removed and Added: the references before and after
	Renames   []DoneRename      `json:"renames,omitempty"`
	Notes     []string          `json:"notes,omitempty"`
}

// RepinnedLibrary is one library that was moved, or was where it should be.
type RepinnedLibrary struct {
	Library string `json:"library"`
	Old     string `json:"old"`
	New     string `json:"new"`
}

// DoneRename is a class that was renamed on pages.
type DoneRename struct {
	Old    string `json:"old"`
	New    string `json:"new"`
	Places int    `json:"places"`
}

// repinning is one library on its way.
type repinning struct {
	lib  *record.Library
	old  *record.Sealed
	o    *opened
	sel  *delivery.Selection
	next record.Library
	new  *record.Sealed
}

// Repin moves libraries to other versions: their files, the versions in their names, the references on all
// pages, and both records, in one change. Needs are checked against the new versions first.
func (p *Project) Repin(req RepinRequest) (*Repinned, error) {
	out := &Repinned{}
	if req.Newest {
		for _, lib := range p.List.Libraries {
			if strings.HasPrefix(lib.From, fromRegistry) && p.Seal.Libraries[lib.Name] != nil {
				req.Moves = append(req.Moves, Move{Library: lib.Name})
			}
		}
	}
	var list []*repinning
	for _, m := range req.Moves {
		r, err := p.openMove(m, req, out)
		if err != nil {
			return nil, err
		}
		defer r.o.close()
		out.Libraries = append(out.Libraries, RepinnedLibrary{r.lib.Name, r.lib.Version, r.o.Version})
		if r.o.Version == r.lib.Version {
			if !req.Newest {
				out.Notes = append(out.Notes, r.lib.Name+" is at this version already")
			}
			continue
		}
		list = append(list, r)
	}
	if len(list) == 0 {
		return out, nil
	}
	if err := p.needsKept(list); err != nil {
		return nil, err
	}
	renames := maps.Clone(req.Renames)
	if req.RenameSure {
		sure, err := p.sureRenames(list, req, out)
		if err != nil {
			return nil, err
		}
		for old, new := range sure {
			if renames == nil {
				renames = map[string]string{}
			}
			if _, said := renames[old]; !said {
				renames[old] = new
			}
		}
	}
	title := "repin"
	for _, r := range list {
		title += fmt.Sprintf(" %s %s to %s", r.lib.Name, r.lib.Version, r.o.Version)
	}
	set, err := change.Begin(p.Root, title, p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	text := p.list
	for _, r := range list {
		if err := p.placeMove(set, r); err != nil {
			return nil, err
		}
	}
	if err := p.moveReferences(set, list, renames, out); err != nil {
		return nil, err
	}
	for _, r := range list {
		if err := p.removeOld(set, r, list, out); err != nil {
			return nil, err
		}
		p.Seal.Libraries[r.lib.Name] = r.new
		if text, err = record.SetLibrary(text, r.next); err != nil {
			return nil, err
		}
		if !set.Dry() {
			if err := p.reach.keep(r.o, r.new); err != nil {
				return nil, err
			}
		}
	}
	oc, err := p.commit(set, text)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

// openMove opens the version that a library is to go to.
func (p *Project) openMove(m Move, req RepinRequest, out *Repinned) (*repinning, error) {
	lib, sealed := p.List.Library(m.Library), p.Seal.Libraries[m.Library]
	if lib == nil || sealed == nil {
		return nil, refused("merry contents lists the crate", "%s is not in the crate", m.Library)
	}
	if source.IsVersion(m.Wish) {
		if err := heldBack(lib, m.Wish); err != nil {
			return nil, err
		}
	}
	from := m.Source
	if from == "" {
		pkg, ok := strings.CutPrefix(lib.From, fromRegistry)
		if !ok && m.Wish != "" && p.registryHas(lib, sealed) {
			pkg, ok = lib.Name, true
			out.Notes = append(out.Notes, fmt.Sprintf("%s came from %s; the registry has the same bytes under that name, and the new version is its", lib.Name, lib.From))
		}
		if !ok {
			return nil, usage(fmt.Sprintf("merry repin %s --from ../downloads/%s-2.0.0.zip", lib.Name, lib.Name), "%s came from %s; say where the other version is", lib.Name, lib.From)
		}
		from = fromRegistry + pkg
		wish := m.Wish
		if wish == "" && (req.Newest || lib.Hold != nil) {
			wish = "*" // the newest that the hold allows, rather than the one that is tagged
		}
		if wish != "" {
			from += "@" + wish
		}
	}
	o, err := p.reach.openAllowed(from, req.Dir, "", allowedBy(lib.Hold))
	if err != nil {
		return nil, err
	}
	r := &repinning{lib: lib, old: sealed, o: o}
	if err := heldBack(lib, o.Version); err != nil {
		o.close()
		return nil, err
	}
	out.Notes = append(out.Notes, o.remarks...)
	if o.Version == lib.Version {
		return r, nil
	}
	sel, notes := sameChoice(o, *lib)
	out.Notes = append(out.Notes, notes...)
	if len(sel.Choices) == 0 {
		o.close()
		return nil, refused("merry peek "+from, "%s %s has none of the files that were taken of %s", lib.Name, o.Version, lib.Version)
	}
	r.sel, r.next = sel, *lib
	r.next.Version, r.next.From, r.next.Take = o.Version, originFor(p.Root, o), takeList(o.Delivery, sel)
	return r, nil
}

// registryHas tells whether a registry's package of the same name and version has a library's very bytes, so that its other
// versions are those of the same library.
func (p *Project) registryHas(lib *record.Library, sealed *record.Sealed) bool {
	if len(p.reach.Registries) == 0 || !source.ValidPackage(lib.Name) {
		return false
	}
	o, err := p.reach.openPackage(lib.Name, sealed.Version, nil)
	if err != nil {
		return false
	}
	defer o.close()
	return !slices.ContainsFunc(sealed.Files, func(f record.File) bool {
		if !f.Page {
			return false
		}
		b, err := o.tree.ReadFile(f.Path)
		return err != nil || integrity.Of(b) != f.Integrity
	})
}

// needsKept makes sure that what needs what fits the new versions: ranges that packages say in their manifests, and what the
// new scripts read.
func (p *Project) needsKept(list []*repinning) error {
	version := map[string]string{} // of a package, as it will be
	library := map[string]string{}
	for _, lib := range p.List.Libraries {
		version[cdnName(&lib)], library[cdnName(&lib)] = lib.Version, lib.Name
	}
	moving := map[string]*repinning{}
	for _, r := range list {
		version[cdnName(r.lib)] = r.o.Version
		moving[r.lib.Name] = r
	}
	for _, lib := range p.List.Libraries {
		var manifest delivery.Package
		if r := moving[lib.Name]; r != nil {
			manifest = r.o.Manifest
		} else if o, err := p.openSealedQuietly(lib.Name); err == nil {
			manifest = o.Manifest
			o.close()
		}
		for _, ranges := range []map[string]string{manifest.Peers, manifest.Dependencies} {
			for pkg, wish := range ranges {
				need := library[pkg]
				if need == "" || need == lib.Name || moving[lib.Name] == nil && moving[need] == nil || !slices.Contains(lib.Needs, need) {
					continue
				}
				allowed, err := source.ParseRange(wish)
				if err != nil || allowed.Has(version[pkg]) {
					continue
				}
				if p.unmetBefore(lib, need, pkg) {
					continue // it was so before, and somebody may have a reason
				}
				return p.misfit(lib, moving, need, wish, version[pkg])
			}
		}
	}
	defined := p.globals()
	for _, r := range list {
		for _, n := range needsOf(r.o, r.sel) {
			by := ""
			for _, g := range append([]string{n.Global}, n.Or...) {
				by = cmp.Or(by, defined[g])
			}
			if by == "" {
				return refused("merry take a library that defines "+n.Global+" first", "%s %s reads %s (%s), which nothing in the crate defines", r.lib.Name, r.o.Version, n.Global, n.At)
			}
			if by != r.lib.Name && !slices.Contains(r.next.Needs, by) {
				r.next.Needs = append(slices.Clone(r.next.Needs), by)
			}
		}
	}
	return nil
}

// unmetBefore tells whether what a library says of a package that it needs is not met even now.
func (p *Project) unmetBefore(lib record.Library, need, pkg string) bool {
	o, err := p.openSealedQuietly(lib.Name)
	if err != nil {
		return false
	}
	defer o.close()
	wish := cmp.Or(o.Manifest.Peers[pkg], o.Manifest.Dependencies[pkg])
	allowed, err := source.ParseRange(wish)
	return wish != "" && err == nil && !allowed.Has(p.List.Library(need).Version)
}

// misfit says which need stands in the way, and what can be done.
func (p *Project) misfit(lib record.Library, moving map[string]*repinning, need, wish, has string) error {
	at := lib.Version
	if r := moving[lib.Name]; r != nil {
		at = r.o.Version
	}
	held := ""
	next := fmt.Sprintf("merry repin %s@%s %s@VERSION moves both at once", lib.Name, at, need)
	if n := p.List.Library(need); n != nil && n.Hold != nil {
		held = fmt.Sprintf("; %s is held %s: %s", need, holdWords(n.Hold), orWord(n.Hold.Because, "no reason was given"))
		next = "merry versions " + lib.Name + " lists others; or let the hold go: merry hold " + need + " --off"
	} else if moving[lib.Name] == nil {
		next = fmt.Sprintf("move %s too: merry repin %s@%s %s", lib.Name, need, has, lib.Name)
	}
	return refused(next, "%s %s wants %s %s, and it would find %s%s", lib.Name, at, need, wish, has, held)
}

// openSealedQuietly opens a library's delivery if the cache has it.
func (p *Project) openSealedQuietly(name string) (*opened, error) {
	sealed := p.Seal.Libraries[name]
	if sealed == nil || sealed.Digest == "" || !p.reach.Cache.Has(sealed.Digest) {
		return nil, fs.ErrNotExist
	}
	return p.openSealed(name)
}

// sureRenames finds the renames that comparing old and new is sure of, and notes those that are only likely.
func (p *Project) sureRenames(list []*repinning, req RepinRequest, out *Repinned) (map[string]string, error) {
	sure := map[string]string{}
	for _, r := range list {
		from := ""
		for _, m := range req.Moves {
			if m.Library == r.lib.Name {
				from = cmp.Or(m.Source, r.o.Version)
			}
		}
		c, err := p.Compare(CompareRequest{Library: r.lib.Name, New: from, Dir: req.Dir})
		if err != nil {
			return nil, err
		}
		for _, l := range c.Lost {
			switch {
			case l.Kind != "class" || len(l.Uses) == 0:
			case l.Rename != nil && l.Rename.Sure:
				sure[l.Name] = l.Rename.New
			case l.Rename != nil:
				out.Notes = append(out.Notes, fmt.Sprintf("the class %s is probably %s now; if so: --rename %s=%s", l.Name, l.Rename.New, l.Name, l.Rename.New))
			default:
				out.Notes = append(out.Notes, fmt.Sprintf("the class %s is gone, and used in %s", l.Name, plainUses(l.Uses)))
			}
		}
	}
	return sure, nil
}

func plainUses(uses []NameUse) string {
	var list []string
	for _, u := range uses {
		list = append(list, u.At)
	}
	return abbreviate(list, 3)
}

// placeMove drafts the files of a library's new version.
func (p *Project) placeMove(set *change.Set, r *repinning) error {
	habits, together := p.habitsFor(&r.next)
	place, err := r.o.Place(r.sel, r.lib.Name, r.o.Version, habits, together, knownRenames(r.o.Delivery, r.sel, r.lib.Rename))
	if err != nil {
		return &Problem{Class: Refused, What: err.Error(), Err: err}
	}
	r.new = &record.Sealed{Version: r.o.Version, Origin: r.next.From, Licence: r.o.Licence, Linked: r.old.Linked}
	if r.new.Digest, err = r.o.tree.Digest(); err != nil {
		return err
	}
	before := map[string]*record.File{}
	for i := range r.old.Files {
		before[r.old.Files[i].At] = &r.old.Files[i]
	}
	r.new.Files, err = forEach(r.sel.Choices, func(c delivery.Choice) (record.File, error) {
		b, err := r.o.tree.ReadFile(c.Path)
		if err != nil {
			return record.File{}, err
		}
		f := r.o.File(c.Path)
		nf := record.File{Path: c.Path, At: p.inProject(place.At[c.Path]), Size: int64(len(b)), Integrity: integrity.Of(b), Build: string(f.Build), Page: c.Page, Module: isModule(f)}
		if f.Pair != "" && r.sel.Has(f.Pair) {
			nf.Pair = f.Pair
		}
		if r.new.Linked {
			return nf, p.reach.Cache.Put(nf.Integrity, b)
		}
		// The library's own older file may be written over, as long as nobody changed it.
		now, stamp, err := change.Read(p.Root, nf.At)
		switch was := before[nf.At]; {
		case errors.Is(err, fs.ErrNotExist):
			return nf, set.Write(nf.At, b, change.Stamp{})
		case err != nil:
			return nf, err
		case string(now) == string(b):
			return nf, nil
		case was == nil:
			return nf, refused("move it away", "%s is there already with other bytes, and it is not %s's; it was not touched", nf.At, r.lib.Name)
		case integrity.Of(now) != was.Integrity:
			return nf, refused("put the change into a file of your own, then merry refill "+r.lib.Name+" --overwrite", "%s was changed since it was taken; moving on would lose that", nf.At)
		}
		return nf, set.Write(nf.At, b, stamp)
	})
	return err
}

// removeOld drafts the removal of files that the new version does not have and no other library shares.
func (p *Project) removeOld(set *change.Set, r *repinning, list []*repinning, out *Repinned) error {
	kept := map[string]bool{}
	for name, sealed := range p.Seal.Libraries {
		for _, l := range list {
			if l.lib.Name == name {
				sealed = l.new
			}
		}
		for _, f := range sealed.Files {
			kept[f.At] = true
		}
	}
	for _, f := range r.old.Files {
		if f.At == "" || kept[f.At] {
			continue
		}
		now, stamp, err := change.Read(p.Root, f.At)
		switch {
		case errors.Is(err, fs.ErrNotExist):
		case err != nil:
			return err
		case integrity.Of(now) != f.Integrity:
			out.Notes = append(out.Notes, f.At+" stays: it was changed since it was taken")
		default:
			if err := set.Remove(f.At, stamp); err != nil {
				return err
			}
		}
	}
	return nil
}

// heldBack refuses a version that a library's hold does not allow.
func heldBack(lib *record.Library, version string) error {
	h := lib.Hold
	if h == nil || allowedBy(h)(version) {
		return nil
	}
	return refused(fmt.Sprintf("merry hold %s --off, if the reason is gone", lib.Name), "%s is held %s, and this is %s: %s", lib.Name, holdWords(h), version, orWord(h.Because, "no reason was given"))
}

func holdWords(h *record.Hold) string {
	if h.At != "" {
		return "at " + h.At
	}
	return "below " + h.Below
}

// role is a file's part in its library, whatever its version: its name without version, and its build.
func role(name, build string) string {
	stem, _ := delivery.NameVersion(path.Base(name))
	return strings.ToLower(stem) + " " + build + " " + path.Ext(name)
}

// sameChoice selects in a new delivery what was taken of the old one: by the same paths, else by the same
// names with another version in them, else what is suggested.
func sameChoice(o *opened, lib record.Library) (*delivery.Selection, []string) {
	var notes []string
	var patterns []string
	for _, t := range lib.Take {
		if o.File(t) != nil {
			patterns = append(patterns, t)
			continue
		}
		want := strings.ReplaceAll(t, lib.Version, o.Version)
		found := ""
		for i := range o.Files {
			f := &o.Files[i]
			if f.Path == want || f.Aside == "" && role(f.Path, "") == role(t, "") && path.Dir(f.Path) == path.Dir(t) {
				found = f.Path
				break
			}
		}
		if found == "" {
			notes = append(notes, fmt.Sprintf("%s is not in %s any more", t, o.Version))
			continue
		}
		patterns = append(patterns, found)
	}
	if len(patterns) == 0 {
		return o.Suggest(), append(notes, "its files have other names now; the suggested set is taken")
	}
	sel := o.Choose(func(name string) (string, bool) {
		for _, pat := range patterns {
			if ok, _ := doublestar.Match(pat, name); ok || pat == name {
				return "the earlier choice", true
			}
		}
		return "", false
	})
	// Source maps came along with the suggestion; they do so again.
	maps := o.Suggest()
	for _, c := range maps.Choices {
		if f := o.File(c.Path); f.Kind == delivery.Map && sel.Has(f.MapOf) && !sel.Has(c.Path) {
			sel.Add(c)
		}
	}
	return sel, notes
}

// knownRenames leaves out renamings of files that the new version does not have.
func knownRenames(d *delivery.Delivery, sel *delivery.Selection, rename map[string]string) map[string]string {
	out := map[string]string{}
	for old, new := range rename {
		if slices.ContainsFunc(sel.Choices, func(c delivery.Choice) bool { return c.Path == old || path.Base(c.Path) == old }) {
			out[old] = new
		}
	}
	return out
}

// moves tells which new file stands for each old one, nil where the new version has none.
func moves(old, new *record.Sealed) map[*record.File]*record.File {
	byPath, byRole := map[string]*record.File{}, map[string]*record.File{}
	for i := range new.Files {
		f := &new.Files[i]
		byPath[f.Path], byRole[role(f.Path, f.Build)] = f, f
	}
	moved := map[*record.File]*record.File{}
	for i := range old.Files {
		f := &old.Files[i]
		moved[f] = cmp.Or(byPath[f.Path], byRole[role(f.Path, f.Build)])
	}
	return moved
}

// moveReferences makes all pages refer to the new files, links and fallbacks too, and renames classes. A page that refers to
// what is gone stops it all, with all such places.
func (p *Project) moveReferences(set *change.Set, list []*repinning, renames map[string]string, out *Repinned) error {
	site, err := p.Walk()
	if err != nil {
		return err
	}
	byLibrary := map[string]*repinning{}
	moved := map[*record.File]*record.File{}
	for _, r := range list {
		byLibrary[r.lib.Name] = r
		maps.Copy(moved, moves(r.old, r.new))
	}
	var mu sync.Mutex
	places := map[string]int{}
	var missing []string
	pages, err := p.editPages(set, site.Pages, func(v *view) ([]byte, IncludedPage, error) {
		var done IncludedPage
		var edits []page.Edit
		for i := range v.Includes {
			r := byLibrary[v.library[i]]
			of := p.placed(v.targets[i])
			if r == nil || of.File == nil {
				continue
			}
			f := moved[of.File]
			if f == nil {
				line, col := page.Position(v.Bytes, v.Includes[i].Start)
				mu.Lock()
				missing = append(missing, fmt.Sprintf("%s:%d:%d refers to %s", v.path, line, col, of.File.Path))
				mu.Unlock()
				continue
			}
			e, ref, err := p.moveReference(v, i, r, of.File, f)
			if err != nil {
				return nil, done, err
			}
			edits = append(edits, e...)
			if ref != v.Includes[i].Ref {
				done.Removed, done.Added = append(done.Removed, v.Includes[i].Ref), append(done.Added, ref)
			}
		}
		concerned := v.Fragment || slices.ContainsFunc(v.library, func(l string) bool { return byLibrary[l] != nil })
		if len(renames) > 0 && concerned {
			page.Names(v.Bytes, func(n page.Name) {
				if to, ok := renames[n.Text]; ok && n.Kind == page.ClassName {
					edits = append(edits, page.Edit{Start: n.Start, End: n.End, Text: to})
					mu.Lock()
					places[n.Text]++
					mu.Unlock()
				}
			})
		}
		return page.Apply(v.Bytes, edits), done, nil
	})
	if err != nil {
		return err
	}
	if len(missing) > 0 {
		slices.Sort(missing)
		return refused("merry omit it from those pages; or merry take another of its files, which merry peek lists, and include that",
			"%s, which the new version does not have", abbreviate(missing, 5))
	}
	out.Pages = slices.DeleteFunc(pages, func(pg IncludedPage) bool { return len(pg.Added) == 0 })
	for _, old := range slices.Sorted(maps.Keys(renames)) {
		out.Renames = append(out.Renames, DoneRename{old, renames[old], places[old]})
	}
	return nil
}

// moveReference returns the edits that make one include refer to a library's new file, its fallback with it.
func (p *Project) moveReference(v *view, i int, r *repinning, old, f *record.File) (edits []page.Edit, ref string, err error) {
	at, ok := p.inSite(f.At)
	local, reachable := refTo(v.Page, v.path, at)
	if !ok || !reachable {
		return nil, "", refused("", "%s: its base element leads to another site", v.path)
	}
	ref = v.Includes[i].Ref
	switch address := v.targets[i].URL; {
	case address != "":
		ref = ""
		for _, name := range p.cdnNames() {
			if pattern := p.List.CDNs[name]; cdnAddress(pattern, r.lib, r.lib.Version, old) == address {
				ref = cdnAddress(pattern, &r.next, r.o.Version, f)
			}
		}
		if ref == "" {
			line, col := page.Position(v.Bytes, v.Includes[i].Start)
			return nil, "", refused("merry switch "+r.lib.Name+" --local first, then repin", "%s:%d:%d has a link whose CDN's pattern is not known, so where the new version is can't be told", v.path, line, col)
		}
		if err := p.reach.sameThere(ref, f); err != nil {
			return nil, "", err
		}
		edits = v.ReferTo(i, ref, linkAttributes, linkValues(f))
		if n, _ := v.fallbackOf(i); n >= 0 {
			global := ""
			if m := fallbackForms[0].FindSubmatch(v.Bytes[v.Includes[n].Start:v.Includes[n].End]); m != nil {
				global = string(m[1])
			} else if m := fallbackForms[1].FindSubmatch(v.Bytes[v.Includes[n].Start:v.Includes[n].End]); m != nil {
				global = string(m[1])
			}
			if tag := fallbackTag(&v.Includes[i], global, local); tag != "" {
				edits = append(edits, page.Edit{Start: v.Includes[n].Start, End: v.Includes[n].End, Text: tag})
			}
		}
	case v.targets[i].Path != at:
		ref = local
		edits = []page.Edit{v.Refer(i, ref)}
	}
	return edits, ref, nil
}
