package inventory

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/upgrade"
)

// Newer lists the libraries of the crate that are behind, with advisories from a folder if one is named.
func Newer(ctx context.Context, p *project.Project, advisories string) ([]upgrade.UpgradeLine, error) {
	list, err := upgrade.Newer(ctx, p)
	if err != nil || advisories == "" {
		return list, err
	}
	warnings, err := Advised(p, advisories)
	for _, w := range warnings {
		for i := range list {
			if list[i].Library == w.Library {
				said := w.ID
				if len(w.Fixed) > 0 {
					said += " (fixed in " + strings.Join(w.Fixed, ", ") + ")"
				}
				list[i].Advisories = append(list[i].Advisories, said)
			}
		}
	}
	return list, err
}

// VersionLine is one version of a library.
type VersionLine struct {
	Version    string     `json:"version"`              // exact version
	Time       *time.Time `json:"time,omitempty"`       // when it was published
	Tags       []string   `json:"tags,omitempty"`       // of the registry
	Size       int64      `json:"size,omitempty"`       // unpacked, in bytes
	Licence    string     `json:"licence,omitempty"`    // SPDX identifier
	Deprecated string     `json:"deprecated,omitempty"` // the registry's message
	Pinned     bool       `json:"pinned,omitempty"`     // this is the version in the crate
	Held       bool       `json:"held,omitempty"`       // the hold does not allow it
	Syntax     int        `json:"syntax,omitempty"`     // year of the ECMAScript edition that it needs
	// Form is what it has for pages, where the cache knows: plain (a script for plain tags), modules, styles or
	// nothing.
	Form string `json:"form,omitempty"`
	Wire int64  `json:"wire,omitempty"` // what a page loads, packed, in bytes
	// Unfit says why it does not fit the site's browsers, or libraries of the crate.
	Unfit string `json:"unfit,omitempty"`
}

// Versions is the result of versions for one library.
type Versions struct {
	Library string        `json:"library"`          // the library's name in the crate
	Package string        `json:"package"`          // the package's name in the registry
	Pinned  string        `json:"pinned,omitempty"` // the version in the crate
	Hold    *record.Hold  `json:"hold,omitempty"`   // the version that it must stay at or below
	Notes   []string      `json:"notes,omitempty"`  // what else to know
	Stale   bool          `json:"stale,omitempty"`  // offline: as it was when the registry was last asked
	Lines   []VersionLine `json:"versions"`         // the newest first
}

// VersionsOfPackage lists a registry's versions of a library of the crate, or of any package.
func VersionsOfPackage(ctx context.Context, p *project.Project, name string) (*Versions, error) {
	out := &Versions{Library: name, Package: name}
	if lib := p.List.Library(name); lib != nil {
		out.Pinned, out.Hold = lib.Version, lib.Hold
		if pkg, ok := lib.Package(); ok {
			out.Package = pkg
		} else {
			out.Notes = append(out.Notes, fmt.Sprintf("%s came from %s; these are the registry's versions of that name",
				name, lib.From))
		}
	} else if !source.ValidPackage(name) {
		return nil, problem.Misuse("merry contents  # lists the crate", "%s is neither a library of the crate nor the "+
			"name of a package", name)
	}
	pkg, err := p.Origin.Document(ctx, out.Package, true)
	if err != nil {
		return nil, err
	}
	out.Stale = pkg.Stale
	allowed, browsers := project.AllowedBy(out.Hold), upgrade.BrowsersOf(p)
	for _, v := range slices.Backward(pkg.Sorted()) {
		line := VersionLine{Version: v.Version, Size: v.Dist.Unpacked, Licence: string(v.Licence),
			Deprecated: string(v.Deprecated),
			Pinned:     v.Version == out.Pinned, Held: allowed != nil && !allowed(v.Version)}
		if o, seen := p.Origin.OpenSeen(ctx, v); seen {
			shape := upgrade.ShapeOf(o, browsers)
			line.Form, line.Syntax, line.Wire, line.Unfit = shape.Form, shape.Syntax, shape.Wire, shape.Unfit
			o.Close()
		}
		if lib := p.List.Library(name); lib != nil && line.Unfit == "" {
			line.Unfit = upgrade.Wants(p, *lib, v)
		}
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
