package inventory

import (
	"context"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// Peeked is the result of peek.
type Peeked struct {
	Source      string          `json:"source"`                 // as it was named
	Format      string          `json:"format"`                 // zip, tar.gz, folder or file
	Digest      string          `json:"digest,omitempty"`       // integrity of the source's bytes
	Name        string          `json:"name"`                   // the library's name
	NameFrom    string          `json:"name_from"`              // where the name was read
	Version     string          `json:"version,omitempty"`      // exact version
	VersionFrom string          `json:"version_from,omitempty"` // where the version was read
	Licence     string          `json:"licence,omitempty"`      // SPDX identifier
	LicenceFrom string          `json:"licence_from,omitempty"` // where the licence was read
	Files       []PeekedFile    `json:"files"`                  // files that could be for a page
	Excluded    []ExcludedGroup `json:"excluded,omitempty"`     // files that are not for a page, by reason
	Suggested   []PeekedChoice  `json:"suggested"`              // the set that take would bring in
	// Decisions say how sure it is which script and which stylesheet are the library's.
	Decisions []packages.Decision `json:"decisions,omitempty"`
	Options   []PeekedOption      `json:"options,omitempty"` // other sensible choices
	Notes     []string            `json:"notes,omitempty"`   // what else to know
}

// PeekedFile is one file that could be for a page.
type PeekedFile struct {
	Path            string        `json:"path"`                       // path in the package
	Kind            packages.Kind `json:"kind"`                       // script, stylesheet, font, image and so on
	Build           record.Build  `json:"build,omitempty"`            // readable or minified
	Size            int64         `json:"size"`                       // bytes
	Wire            int64         `json:"wire,omitempty"`             // as packed for the network
	OtherBuild      string        `json:"other_build,omitempty"`      // path of the same file in the other build
	Map             string        `json:"map,omitempty"`              // path of its source map
	MapOf           string        `json:"map_of,omitempty"`           // path of the file whose source map it is
	ExcludedBecause string        `json:"excluded_because,omitempty"` // why it is not for a page
	// Of a script that was looked into:
	Form    script.Form     `json:"form,omitempty"`
	Syntax  int             `json:"syntax,omitempty"`  // year of the ECMAScript edition that it needs
	Defines []script.Global `json:"defines,omitempty"` // globals that it defines
	Needs   []script.Need   `json:"needs,omitempty"`   // globals that it needs
	ReadAs  string          `json:"read_as,omitempty"` // path of the minified build that was read in its place
	// Unread says that nobody asked for what the script does: it was skimmed alone.
	Unread bool `json:"unread,omitempty"`
}

// PeekedOption is a sensible choice beside the suggested set.
type PeekedOption struct {
	Name       string              `json:"name"`       // value for --part
	Kind       packages.OptionKind `json:"kind"`       // part, theme, variant and so on
	Files      []string            `json:"files"`      // paths in the package
	Size       int64               `json:"size"`       // bytes
	Difference string              `json:"difference"` // how it differs from the suggested set
}

// ExcludedGroup sums up files that are not for a page.
type ExcludedGroup struct {
	Why   string   `json:"why"`   // the reason
	Files int      `json:"files"` // number of files
	Size  int64    `json:"size"`  // bytes
	Some  []string `json:"some"`  // examples
}

// PeekedChoice is one file of the set that take would bring in.
type PeekedChoice struct {
	Path   string `json:"path"`   // path in the package
	Reason string `json:"reason"` // why it is suggested
}

// PeekInto describes an opened source. With all set, the files excluded are listed too.
func PeekInto(ctx context.Context, opener *origin.Opener, o *origin.Opened, all bool) (*Peeked, error) {
	var err error
	out := &Peeked{Source: o.Tree.Name, Format: o.Tree.Format, Name: o.Name, NameFrom: o.NameFrom, Version: o.Version,
		VersionFrom: o.VersionFrom, Licence: o.Licence, LicenceFrom: o.LicenceFrom}
	if out.Digest, err = o.Tree.Digest(); err != nil {
		return nil, err
	}
	aside := map[string]*ExcludedGroup{}
	wire, err := opener.WireSizes(ctx, o)
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
		pf := PeekedFile{Path: f.Path, Kind: f.Kind, Build: f.Build, Size: f.Size, Wire: f.Packed,
			OtherBuild: f.OtherBuild, Map: f.Map, MapOf: f.MapOf, ExcludedBecause: why}
		if r := f.Script; r != nil {
			pf.Form, pf.Syntax, pf.Defines, pf.Needs = r.Form, r.Syntax, r.Defines, r.Needs
		}
		pf.ReadAs, pf.Unread = f.ReadAs, f.Kind == packages.Script && f.Script == nil
		if pf.Wire == 0 {
			pf.Wire = wire[f.Path]
		}
		out.Files = append(out.Files, pf)
	}
	for _, why := range []string{"about the library", "documentation", "examples", "sources", "tests", "tools", "types",
		"other packages"} {
		if g := aside[why]; g != nil {
			out.Excluded = append(out.Excluded, *g)
		}
	}
	s := o.InBuild(o.Suggest(), record.Minified)
	for _, ch := range s.Choices {
		out.Suggested = append(out.Suggested, PeekedChoice{ch.Path, ch.Reason})
	}
	out.Decisions = o.Decisions()
	for _, op := range o.Options() {
		out.Options = append(out.Options, PeekedOption{op.Name, op.Kind, op.Files, op.Size, op.Difference})
	}
	out.Notes = append(s.Notes, o.Contacts(s)...)
	return out, nil
}
