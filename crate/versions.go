package crate

import (
	"cmp"
	"context"

	"merrycrate.example/merry/crate/inventory"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/repin"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/upgrade"
)

// What an upgrade would do.
type (
	Compared    = upgrade.Compared
	Difference  = upgrade.Difference
	RemovedName = upgrade.RemovedName
	UpgradeLine = upgrade.UpgradeLine
	Occurrence  = upgrade.Occurrence
	FileSize    = upgrade.FileSize
	// Versions is the result of versions for one library, and a VersionLine one of its versions.
	Versions    = inventory.Versions
	VersionLine = inventory.VersionLine
)

// CompareRequest asks what a version would change. First and New are versions or sources: with a library of the crate,
// First is the version to compare with, "" for the one in use; without, they are two sources.
type CompareRequest struct {
	Library, First, New string
}

// Compare returns what another version of a library would change on the project's pages. It changes nothing.
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
		if source.IsVersion(req.New) {
			return nil, problem.Misuse("merry contents  # lists the crate; two sources are compared so: merry compare "+
				"SOURCE SOURCE", "%s is not in the crate, so there is nothing to compare %s with", req.Library, req.New)
		}
		in.Library, in.Old = "", req.Library
	}
	out, err := upgrade.Compare(ctx, p, in)
	if err != nil || in.Library == "" || in.Old != "" {
		return out, err
	}
	return out, repin.Preview(ctx, p, ahead(p, req, c.Dir), out)
}

// ahead is the request to move to the version that a comparison with the one in use is about.
func ahead(p *project.Project, req CompareRequest, dir string) RepinRequest {
	m := Move{Library: req.Library, Wish: req.New}
	if lib := p.List.Library(req.Library); lib != nil {
		if s := upgrade.VersionSource(lib, req.New, dir); s == req.New {
			m.Source, m.Wish = s, ""
		} else if _, packaged := lib.Package(); !packaged {
			m.Source, m.Wish = s, ""
		}
	}
	return RepinRequest{Moves: []Move{m}, Dir: dir}
}

// Newer lists the libraries of the crate that are behind.
func (c *Crate) Newer(ctx context.Context, advisories string) ([]UpgradeLine, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inventory.Newer(ctx, p, advisories)
}

// Versions lists a registry's versions of a library of the crate, or of any package.
func (c *Crate) Versions(ctx context.Context, name string) (*Versions, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return inventory.VersionsOfPackage(ctx, p, name)
}

// open opens a source that a person named.
func (c *Crate) open(ctx context.Context, name, wanted string) (*origin.Opened, error) {
	return c.Origin.Open(ctx, origin.Request{Name: name, Dir: cmp.Or(c.Dir, "."), Integrity: wanted})
}

// ReadRenames reads a table of classes, old names and new ones.
func ReadRenames(b []byte) (map[string]string, error) { return upgrade.ReadRenames(b) }
