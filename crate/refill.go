package crate

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Refilled says what refill found and put back.
type Refilled struct {
	Outcome
	Whole    int      `json:"whole"` // files that were there as sealed
	Restored []string `json:"restored,omitempty"`
	Changed  []string `json:"changed,omitempty"` // there with other bytes, left alone
	Missing  []string `json:"missing,omitempty"` // to be had from nowhere
	Fetched  []string `json:"fetched,omitempty"` // addresses that were asked
}

// Refill puts the sealed files of libraries back, all libraries where none is named. What is there with
// other bytes is left alone unless overwrite says otherwise.
func (p *Project) Refill(names []string, overwrite bool) (*Refilled, error) {
	if len(names) == 0 {
		names = p.Seal.Names()
	}
	type one struct {
		library string
		file    *record.File
	}
	var all []one
	for _, n := range names {
		lib := p.Seal.Libraries[n]
		if lib == nil {
			return nil, refused("merry contents lists the crate", "%s is not in the crate", n)
		}
		for i := range lib.Files {
			if lib.Files[i].At != "" && !lib.Linked {
				all = append(all, one{n, &lib.Files[i]})
			}
		}
	}
	set, err := change.Begin(p.Root, "refill", p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	const (
		whole = iota
		restored
		changed
		missing
	)
	out := &Refilled{}
	if err := p.fetchForRefill(names, out); err != nil {
		return nil, err
	}
	states, err := forEach(all, func(o one) (int, error) {
		f := o.file
		b, stamp, err := change.Read(p.Root, f.At)
		switch {
		case err == nil && integrity.Of(b) == f.Integrity:
			return whole, nil
		case err == nil && !overwrite:
			return changed, nil
		case err != nil && !errors.Is(err, fs.ErrNotExist):
			return 0, err
		}
		b, err = p.reach.file(p.Seal.Libraries[o.library], f)
		if errors.Is(err, fs.ErrNotExist) {
			return missing, nil
		}
		if err != nil {
			return 0, err
		}
		return restored, set.Write(f.At, b, stamp)
	})
	if err != nil {
		return nil, err
	}
	for i, s := range states {
		at := all[i].file.At
		switch s {
		case whole:
			out.Whole++
		case restored:
			out.Restored = append(out.Restored, at)
		case changed:
			out.Changed = append(out.Changed, at)
		case missing:
			out.Missing = append(out.Missing, all[i].library+": "+at)
		}
	}
	oc, err := p.commit(set, p.list)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

// fetchForRefill brings into the cache what it has not: a source that lies in the project, or an
// address. Whatever comes must have the digest that the seal has.
func (p *Project) fetchForRefill(names []string, out *Refilled) error {
	for _, n := range names {
		lib := p.Seal.Libraries[n]
		needed := slices.ContainsFunc(lib.Files, func(f record.File) bool {
			if f.At == "" || p.reach.Cache.Has(f.Integrity) {
				return false
			}
			_, err := os.Stat(filepath.Join(p.Root, filepath.FromSlash(f.At)))
			return err != nil
		})
		if !needed || lib.Digest != "" && p.reach.Cache.Has(lib.Digest) {
			continue
		}
		if lib.Linked {
			continue
		}
		where := lib.Origin
		_, packaged := strings.CutPrefix(where, fromRegistry)
		switch {
		case packaged, source.IsAddress(where):
			if p.reach.Offline {
				continue
			}
			if packaged {
				where += "@" + lib.Version
			}
			out.Fetched = append(out.Fetched, where)
		default:
			where = filepath.Join(p.Root, filepath.FromSlash(lib.Origin))
			if _, err := os.Stat(where); err != nil {
				continue // it is told as missing
			}
		}
		wanted := lib.Digest
		if packaged {
			wanted = "" // the registry's own digest is held against the seal's below
		}
		o, err := p.reach.open(where, p.Root, wanted)
		if err != nil {
			return fmt.Errorf("%s: %w", n, err)
		}
		if packaged && lib.Digest != "" {
			now, err := o.tree.Digest()
			if err == nil && now != lib.Digest {
				err = refused("ask the registry's keeper", "%s: the registry gives other bytes for %s than were sealed\n  sealed: %s\n  there:  %s", n, lib.Version, lib.Digest, now)
			}
			if err != nil {
				o.close()
				return err
			}
		}
		err = p.reach.keep(o, lib)
		o.close()
		if err != nil {
			return err
		}
	}
	return nil
}

// Dropped says what drop took away.
type Dropped struct {
	Outcome
	Library string         `json:"library"`
	Pages   []IncludedPage `json:"pages,omitempty"`
	Kept    []string       `json:"kept,omitempty"` // files that stay, with the reason
}

// Drop takes a library out: its includes, the files that no other library shares, and its records.
func (p *Project) Drop(name string, even bool) (*Dropped, error) {
	lib := p.Seal.Libraries[name]
	if p.List.Library(name) == nil && lib == nil {
		return nil, refused("merry contents lists the crate", "%s is not in the crate", name)
	}
	for _, other := range p.List.Libraries {
		if slices.Contains(other.Needs, name) && !even {
			return nil, refused("merry drop "+other.Name+" first, or say --even-if-needed", "%s needs %s", other.Name, name)
		}
	}
	set, err := change.Begin(p.Root, "drop "+name, p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Dropped{Library: name}
	site, err := p.Walk()
	if err != nil {
		return nil, err
	}
	pages, err := p.omitFrom(set, site.Pages, p.placesOf(name))
	if err != nil {
		return nil, err
	}
	for _, pg := range pages {
		if len(pg.Removed) > 0 {
			out.Pages = append(out.Pages, pg)
		}
	}
	if lib != nil {
		if err := p.dropFiles(set, name, lib, out); err != nil {
			return nil, err
		}
	}
	delete(p.Seal.Libraries, name)
	list, err := record.RemoveLibrary(p.list, name)
	if err != nil {
		return nil, err
	}
	for _, other := range p.List.Libraries {
		if i := slices.Index(other.Needs, name); i >= 0 && other.Name != name {
			other.Needs = slices.Delete(slices.Clone(other.Needs), i, i+1)
			if list, err = record.SetLibrary(list, other); err != nil {
				return nil, err
			}
		}
	}
	oc, err := p.commit(set, list)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

func (p *Project) dropFiles(set *change.Set, name string, lib *record.Sealed, out *Dropped) error {
	shared := map[string]string{}
	for other, o := range p.Seal.Libraries {
		for _, f := range o.Files {
			if other != name {
				shared[f.At] = other
			}
		}
	}
	done := map[string]bool{}
	for _, f := range lib.Files {
		if f.At == "" || done[f.At] {
			continue
		}
		done[f.At] = true
		if other := shared[f.At]; other != "" {
			out.Kept = append(out.Kept, f.At+": "+other+" has it too")
			continue
		}
		b, stamp, err := change.Read(p.Root, f.At)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			continue
		case err != nil:
			return err
		case integrity.Of(b) != f.Integrity:
			out.Kept = append(out.Kept, f.At+": it was changed since it was taken")
			continue
		}
		if err := set.Remove(f.At, stamp); err != nil {
			return err
		}
	}
	return nil
}
