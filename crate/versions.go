package crate

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// VersionLine is one version of a library.
type VersionLine struct {
	Version    string     `json:"version"`
	Time       *time.Time `json:"time,omitempty"`
	Tags       []string   `json:"tags,omitempty"`
	Size       int64      `json:"size,omitempty"` // unpacked
	Licence    string     `json:"licence,omitempty"`
	Deprecated string     `json:"deprecated,omitempty"`
	Pinned     bool       `json:"pinned,omitempty"`
	Held       bool       `json:"held,omitempty"` // the hold does not allow it
	Syntax     int        `json:"syntax,omitempty"`
}

// Versions is what there is of a library.
type Versions struct {
	Library string        `json:"library"`
	Package string        `json:"package"`
	Pinned  string        `json:"pinned,omitempty"`
	Hold    *record.Hold  `json:"hold,omitempty"`
	Notes   []string      `json:"notes,omitempty"`
	Stale   bool          `json:"stale,omitempty"` // offline: as it was when the registry was last asked
	Lines   []VersionLine `json:"versions"`        // the newest first
}

// Versions lists what a registry has of a library of the crate, or of any package.
func (p *Project) Versions(name string) (*Versions, error) {
	out := &Versions{Library: name, Package: name}
	if lib := p.List.Library(name); lib != nil {
		out.Pinned, out.Hold = lib.Version, lib.Hold
		pkg, ok := strings.CutPrefix(lib.From, fromRegistry)
		if ok {
			out.Package = pkg
		} else {
			out.Notes = append(out.Notes, fmt.Sprintf("%s came from %s; these are the registry's versions of that name", name, lib.From))
		}
	} else if !source.ValidPackage(name) {
		return nil, usage("", "%s is neither a library of the crate nor a package's name", name)
	}
	pkg, _, err := p.reach.metadata(out.Package, true)
	if err != nil {
		return nil, err
	}
	out.Stale = pkg.Stale
	allowed := allowedBy(out.Hold)
	for _, v := range slices.Backward(pkg.Sorted()) {
		line := VersionLine{Version: v.Version, Size: v.Dist.Unpacked, Licence: string(v.Licence), Deprecated: string(v.Deprecated),
			Pinned: v.Version == out.Pinned, Held: allowed != nil && !allowed(v.Version), Syntax: p.syntaxOf(v)}
		if t, ok := pkg.Times[v.Version]; ok {
			line.Time = &t
		}
		for tag, of := range pkg.Tags {
			if of == v.Version {
				line.Tags = append(line.Tags, tag)
			}
		}
		slices.Sort(line.Tags)
		out.Lines = append(out.Lines, line)
	}
	return out, nil
}

// syntaxOf is the syntax that a version's scripts for pages demand, 0 where the cache does not have it.
func (p *Project) syntaxOf(v *source.Version) int {
	seen, ok := p.reach.Cache.Recall(v.Dist.Tarball)
	if !ok {
		return 0
	}
	t, err := p.reach.Cache.OpenTree(seen.Integrity, seen.Name)
	if err != nil {
		return 0
	}
	o, err := describe(&opened{tree: t})
	if err != nil {
		return 0
	}
	defer o.close()
	newest := 0
	for _, c := range o.Suggest().Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil && f.Script.Form != script.Broken {
			newest = max(newest, f.Script.Syntax)
		}
	}
	return newest
}

// Held says what hold did.
type Held struct {
	Outcome
	Library string       `json:"library"`
	Hold    *record.Hold `json:"hold"` // nil where it was taken off
}

// Hold keeps a library at a version, or below one; a nil hold lets it go.
func (p *Project) Hold(name string, hold *record.Hold) (*Held, error) {
	lib := p.List.Library(name)
	if lib == nil {
		return nil, refused("merry contents lists the crate", "%s is not in the crate", name)
	}
	if hold != nil {
		if hold.At == "" && hold.Below == "" {
			hold.At = lib.Version
		}
		if !allowedBy(hold)(lib.Version) {
			return nil, refused("merry repin "+name+" to a version that the hold allows first", "%s is at %s, which this hold would not allow", name, lib.Version)
		}
	}
	set, err := change.Begin(p.Root, "hold "+name, p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	changed := *lib
	changed.Hold = hold
	list, err := record.SetLibrary(p.list, changed)
	if err != nil {
		return nil, err
	}
	oc, err := p.commit(set, list)
	if err != nil {
		return nil, err
	}
	return &Held{Outcome: *oc, Library: name, Hold: hold}, nil
}
