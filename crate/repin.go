package crate

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// RepinRequest asks for a library to be moved to another version.
type RepinRequest struct {
	Library string
	Wish    string // a version, range or tag
	Source  string // where it comes from, "" for where the library came from
	Dir     string
}

// Repinned says what repin did.
type Repinned struct {
	Outcome
	Library string         `json:"library"`
	Old     string         `json:"old"`
	New     string         `json:"new"`
	Pages   []IncludedPage `json:"pages,omitempty"` // Removed and Added: the references before and after
	Notes   []string       `json:"notes,omitempty"`
}

// Repin moves a library to another version: its files, the versions in their names, the references on all
// pages, and both records, in one change.
func (p *Project) Repin(req RepinRequest) (*Repinned, error) {
	lib, sealed := p.List.Library(req.Library), p.Seal.Libraries[req.Library]
	if lib == nil || sealed == nil {
		return nil, refused("merry contents lists the crate", "%s is not in the crate", req.Library)
	}
	if source.IsVersion(req.Wish) {
		if err := heldBack(lib, req.Wish); err != nil {
			return nil, err
		}
	}
	from := req.Source
	if from == "" {
		pkg, ok := strings.CutPrefix(lib.From, fromRegistry)
		if !ok {
			return nil, usage(fmt.Sprintf("merry repin %s --from ../downloads/%s-2.0.0.zip", lib.Name, lib.Name), "%s came from %s; say where the other version is", lib.Name, lib.From)
		}
		from = fromRegistry + pkg
		if req.Wish != "" {
			from += "@" + req.Wish
		}
	}
	o, err := p.reach.openAllowed(from, req.Dir, "", allowedBy(lib.Hold))
	if err != nil {
		return nil, err
	}
	defer o.close()
	if err := heldBack(lib, o.Version); err != nil {
		return nil, err
	}
	out := &Repinned{Library: lib.Name, Old: lib.Version, New: o.Version, Notes: o.remarks}
	if o.Version == lib.Version {
		out.Notes = append(out.Notes, "it is at this version already")
		return out, nil
	}
	set, err := change.Begin(p.Root, fmt.Sprintf("repin %s %s to %s", lib.Name, lib.Version, o.Version), p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	sel, notes := sameChoice(o, *lib)
	out.Notes = append(out.Notes, notes...)
	if len(sel.Choices) == 0 {
		return nil, refused("merry peek "+from, "%s %s has none of the files that were taken of %s", lib.Name, o.Version, lib.Version)
	}
	changed := *lib
	changed.Version, changed.From, changed.Take = o.Version, originFor(p.Root, o), takeList(o.Delivery, sel)
	if err := p.repinInto(set, o, sel, &changed, sealed, out); err != nil {
		return nil, err
	}
	return out, nil
}

func (p *Project) repinInto(set *change.Set, o *opened, sel *delivery.Selection, lib *record.Library, old *record.Sealed, out *Repinned) error {
	habits, together := p.habitsFor(lib)
	place, err := o.Place(sel, lib.Name, lib.Version, habits, together, knownRenames(o.Delivery, sel, lib.Rename))
	if err != nil {
		return &Problem{Class: Refused, What: err.Error(), Err: err}
	}
	sealed := &record.Sealed{Version: o.Version, Origin: lib.From, Licence: o.Licence}
	if sealed.Digest, err = o.tree.Digest(); err != nil {
		return err
	}
	before := map[string]*record.File{}
	for i := range old.Files {
		before[old.Files[i].At] = &old.Files[i]
	}
	sealed.Files, err = forEach(sel.Choices, func(c delivery.Choice) (record.File, error) {
		b, err := o.tree.ReadFile(c.Path)
		if err != nil {
			return record.File{}, err
		}
		f := o.File(c.Path)
		nf := record.File{Path: c.Path, At: p.inProject(place.At[c.Path]), Size: int64(len(b)), Integrity: integrity.Of(b), Build: string(f.Build), Page: c.Page, Module: isModule(f)}
		if f.Pair != "" && sel.Has(f.Pair) {
			nf.Pair = f.Pair
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
			return nf, refused("move it away", "%s is there already with other bytes, and it is not %s's; it was not touched", nf.At, lib.Name)
		case integrity.Of(now) != was.Integrity:
			return nf, refused("put the change into a file of your own, then merry refill "+lib.Name+" --overwrite", "%s was changed since it was taken; moving on would lose that", nf.At)
		}
		return nf, set.Write(nf.At, b, stamp)
	})
	if err != nil {
		return err
	}
	moved, gone := p.moves(old, sealed)
	if out.Pages, err = p.moveReferences(set, moved, gone, lib, o.Version); err != nil {
		return err
	}
	kept := map[string]bool{}
	for _, f := range sealed.Files {
		kept[f.At] = true
	}
	for _, other := range p.Seal.Names() {
		if other != lib.Name {
			for _, f := range p.Seal.Libraries[other].Files {
				kept[f.At] = true
			}
		}
	}
	for _, f := range old.Files {
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
	p.Seal.Libraries[lib.Name] = sealed
	list, err := record.SetLibrary(p.list, *lib)
	if err != nil {
		return err
	}
	if !set.Dry() {
		if err := p.reach.keep(o, sealed); err != nil {
			return err
		}
	}
	oc, err := p.commit(set, list)
	if err != nil {
		return err
	}
	out.Outcome = *oc
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

// moves tells where each file for pages has gone, from place to place in the site, and which are gone.
func (p *Project) moves(old, new *record.Sealed) (moved map[string]string, gone map[string]bool) {
	moved, gone = map[string]string{}, map[string]bool{}
	byPath, byRole := map[string]string{}, map[string]string{}
	for _, f := range new.Files {
		at, _ := p.inSite(f.At)
		byPath[f.Path] = at
		byRole[role(f.Path, f.Build)] = at
	}
	for _, f := range old.Files {
		at, ok := p.inSite(f.At)
		if !ok || f.At == "" {
			continue
		}
		if to, ok := byPath[f.Path]; ok {
			moved[at] = to
		} else if to, ok := byRole[role(f.Path, f.Build)]; ok {
			moved[at] = to
		} else {
			gone[at] = true
		}
	}
	return moved, gone
}

// moveReferences makes all pages refer to the new places. A page that refers to what is gone stops it all.
func (p *Project) moveReferences(set *change.Set, moved map[string]string, gone map[string]bool, lib *record.Library, version string) ([]IncludedPage, error) {
	site, err := p.Walk()
	if err != nil {
		return nil, err
	}
	pages, err := p.editPages(set, site.Pages, func(v *view) ([]byte, IncludedPage, error) {
		var done IncludedPage
		var edits []page.Edit
		for i := range v.Includes {
			t := v.targets[i].Path
			if v.library[i] != lib.Name {
				continue
			}
			if t == "" {
				line, col := page.Position(v.Bytes, v.Includes[i].Start)
				return nil, done, refused("merry switch "+lib.Name+" --local first, then repin, then merry switch "+lib.Name+" --cdn", "%s:%d:%d has a CDN link to the version that is to be left", v.path, line, col)
			}
			if gone[t] {
				line, col := page.Position(v.Bytes, v.Includes[i].Start)
				return nil, done, refused(fmt.Sprintf("merry omit %s --page %s, or take another file with merry take", t, v.path), "%s:%d:%d refers to %s, which %s %s does not have", v.path, line, col, t, lib.Name, version)
			}
			to := moved[t]
			if to == t || to == "" {
				continue
			}
			ref, ok := refTo(v.Page, v.path, to)
			if !ok {
				return nil, done, refused("", "%s: its base element leads to another site", v.path)
			}
			edits = append(edits, v.Refer(i, ref))
			done.Removed, done.Added = append(done.Removed, t), append(done.Added, to)
		}
		return page.Apply(v.Bytes, edits), done, nil
	})
	return slices.DeleteFunc(pages, func(pg IncludedPage) bool { return len(pg.Added) == 0 }), err
}
