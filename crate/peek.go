package crate

import (
	"context"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// Peeked is what is inside a source.
type Peeked struct {
	Source      string          `json:"source"`
	Format      string          `json:"format"`
	Digest      string          `json:"digest,omitempty"`
	Name        string          `json:"name"`
	NameFrom    string          `json:"name_from"`
	Version     string          `json:"version,omitempty"`
	VersionFrom string          `json:"version_from,omitempty"`
	Licence     string          `json:"licence,omitempty"`
	LicenceFrom string          `json:"licence_from,omitempty"`
	Files       []PeekedFile    `json:"files"`
	Excluded    []ExcludedGroup `json:"aside,omitempty"`
	Suggested   []PeekedChoice  `json:"suggested"`
	Options     []PeekedOption  `json:"options,omitempty"`
	Notes       []string        `json:"notes,omitempty"`
}

// PeekedFile is one file that could be for a page.
type PeekedFile struct {
	Path            string        `json:"path"`
	Kind            packages.Kind `json:"kind"`
	Build           record.Build  `json:"build,omitempty"`
	Size            int64         `json:"size"`
	Wire            int64         `json:"wire,omitempty"` // as packed for the network
	OtherBuild      string        `json:"pair,omitempty"`
	Map             string        `json:"map,omitempty"`
	MapOf           string        `json:"map_of,omitempty"`
	ExcludedBecause string        `json:"aside,omitempty"`
	// Of a script that was looked into:
	Form    script.Form     `json:"form,omitempty"`
	Syntax  int             `json:"syntax,omitempty"`
	Defines []script.Global `json:"defines,omitempty"`
	Needs   []script.Need   `json:"needs,omitempty"`
}

// PeekedOption is a sensible choice beside the suggested set.
type PeekedOption struct {
	Name       string              `json:"name"`
	Kind       packages.OptionKind `json:"sort"`
	Files      []string            `json:"files"`
	Size       int64               `json:"size"`
	Difference string              `json:"tells"`
}

// ExcludedGroup sums up files that are not for a page.
type ExcludedGroup struct {
	Why   string   `json:"why"`
	Files int      `json:"files"`
	Size  int64    `json:"size"`
	Some  []string `json:"some"`
}

// PeekedChoice is one file of the set that take would bring in.
type PeekedChoice struct {
	Path   string `json:"path"`
	Reason string `json:"reason"`
}

// Peek looks inside a source. With all set, the files set apart are listed too.
func (c *Crate) Peek(ctx context.Context, name, wanted string, all bool) (*Peeked, error) {
	o, err := c.open(ctx, name, wanted)
	if err != nil {
		return nil, err
	}
	defer o.Close()
	out := &Peeked{Source: o.Tree.Name, Format: o.Tree.Format, Name: o.Name, NameFrom: o.NameFrom, Version: o.Version,
		VersionFrom: o.VersionFrom, Licence: o.Licence, LicenceFrom: o.LicenceFrom}
	if out.Digest, err = o.Tree.Digest(); err != nil {
		return nil, err
	}
	aside := map[string]*ExcludedGroup{}
	wire, err := c.Origin.WireSizes(o)
	if err != nil {
		return nil, err
	}
	for i := range o.Files {
		f := &o.Files[i]
		why := f.ExcludedBecause
		if f.Kind == packages.Licence || f.Kind == packages.About {
			why = "about the library"
		}
		if why != "" && !all {
			g := aside[why]
			if g == nil {
				g = &ExcludedGroup{Why: why}
				aside[why] = g
			}
			g.Files++
			g.Size += f.Size
			if len(g.Some) < 3 {
				g.Some = append(g.Some, f.Path)
			}
			continue
		}
		pf := PeekedFile{Path: f.Path, Kind: f.Kind, Build: f.Build, Size: f.Size, Wire: f.Packed, OtherBuild: f.OtherBuild, Map: f.Map, MapOf: f.MapOf, ExcludedBecause: why}
		if r := f.Script; r != nil {
			pf.Form, pf.Syntax, pf.Defines, pf.Needs = r.Form, r.Syntax, r.Defines, r.Needs
		}
		if pf.Wire == 0 {
			pf.Wire = wire[f.Path]
		}
		out.Files = append(out.Files, pf)
	}
	for _, why := range []string{"about the library", "documentation", "examples", "sources", "tests", "tools", "types", "other packages"} {
		if g := aside[why]; g != nil {
			out.Excluded = append(out.Excluded, *g)
		}
	}
	s := o.Suggest()
	for _, ch := range s.Choices {
		out.Suggested = append(out.Suggested, PeekedChoice{ch.Path, ch.Reason})
	}
	for _, op := range o.Options() {
		out.Options = append(out.Options, PeekedOption{op.Name, op.Kind, op.Files, op.Size, op.Difference})
	}
	out.Notes = s.Notes
	return out, nil
}
