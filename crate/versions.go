package crate

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/inventory"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/semantic"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/upgrade"
)

// What an upgrade would do.
type (
	Compared   = upgrade.Compared
	Difference = upgrade.Difference
	LostName   = upgrade.LostName
	NewerLine  = upgrade.NewerLine
	NameUse    = upgrade.NameUse
	FileSize   = upgrade.FileSize
)

// CompareRequest asks what a version would change. First and New are versions or sources: with a library of the crate, First
// is the version to compare with, "" for the one in use; without, they are two sources.
type CompareRequest struct {
	Library, First, New string
}

// Compare tells what another version of a library would change for the project's pages, before anything changes.
func (c *Crate) Compare(ctx context.Context, req CompareRequest) (*Compared, error) {
	p, err := c.read(ctx)
	if err != nil && problem.Of(err).Code == problem.NotStarted && req.First == "" {
		p, err = project.None(c.Origin, c.Facts), nil // two sources need none
	}
	if err != nil {
		return nil, err
	}
	in := upgrade.Request{Library: req.Library, Old: req.First, New: req.New, Dir: c.Dir}
	if req.First == "" && p.List.Library(req.Library) == nil {
		if semantic.IsVersion(req.New) {
			return nil, problem.Misuse("merry contents lists the crate; two sources are compared with merry compare SOURCE SOURCE", "%s is not in the crate, so there is nothing to compare %s with", req.Library, req.New)
		}
		in.Library, in.Old = "", req.Library
	}
	return upgrade.Compare(ctx, p, in)
}

// Newer lists what is behind in the whole crate.
func (c *Crate) Newer(ctx context.Context, advisories string) ([]NewerLine, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	list, err := upgrade.Newer(ctx, p)
	if err != nil || advisories == "" {
		return list, err
	}
	warnings, err := inventory.Advised(p, advisories)
	for _, w := range warnings {
		for i := range list {
			if list[i].Library == w.Library {
				said := w.ID
				if len(w.Fixed) > 0 {
					said += " (mended in " + strings.Join(w.Fixed, ", ") + ")"
				}
				list[i].Advisories = append(list[i].Advisories, said)
			}
		}
	}
	return list, err
}

// VersionLine is one version of a library.
type VersionLine struct {
	Version    string     `json:"version"`
	Time       *time.Time `json:"time,omitempty"`
	Tags       []string   `json:"tags,omitempty"`
	Size       int64      `json:"size,omitempty"` // unpacked, in bytes
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
func (c *Crate) Versions(ctx context.Context, name string) (*Versions, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	out := &Versions{Library: name, Package: name}
	if lib := p.List.Library(name); lib != nil {
		out.Pinned, out.Hold = lib.Version, lib.Hold
		if pkg, ok := lib.Package(); ok {
			out.Package = pkg
		} else {
			out.Notes = append(out.Notes, fmt.Sprintf("%s came from %s; these are the registry's versions of that name", name, lib.From))
		}
	} else if !source.ValidPackage(name) {
		return nil, problem.Misuse("merry contents lists the crate", "%s is neither a library of the crate nor a package's name", name)
	}
	pkg, err := c.Origin.Document(ctx, out.Package, true)
	if err != nil {
		return nil, err
	}
	out.Stale = pkg.Stale
	allowed := project.AllowedBy(out.Hold)
	for _, v := range slices.Backward(pkg.Sorted()) {
		line := VersionLine{Version: v.Version, Size: v.Dist.Unpacked, Licence: string(v.Licence), Deprecated: string(v.Deprecated),
			Pinned: v.Version == out.Pinned, Held: allowed != nil && !allowed(v.Version), Syntax: c.Origin.SyntaxOf(ctx, v)}
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

// open opens a source that a person named.
func (c *Crate) open(ctx context.Context, name, wanted string) (*origin.Opened, error) {
	return c.Origin.Open(ctx, origin.Request{Name: name, Dir: cmp.Or(c.Dir, "."), Integrity: wanted})
}

// ReadRenames reads a table of classes, old names and new ones.
func ReadRenames(b []byte) (map[string]string, error) { return upgrade.ReadRenames(b) }
