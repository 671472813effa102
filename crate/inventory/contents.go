// Package inventory lists the libraries of the crate and of what the site ships, with licences, versions and
// advisories. It changes nothing.
package inventory

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"

	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/walk"
)

// Contents is the crate at a glance.
type Contents struct {
	Root      string         `json:"root"`      // absolute path of the project
	Site      string         `json:"site"`      // the folder that is served, from the root; pages are named from there
	Libraries []ContentsLine `json:"libraries"` // in the order of the packing list
	Pages     []PageLoad     `json:"pages"`     // what each page loads
	// LeftOut is what no command counts, changes or suggests.
	LeftOut []walk.LeftOut `json:"left_out,omitempty"`
}

// ContentsLine is one library of the crate.
type ContentsLine struct {
	Name    string       `json:"name"`              // the library's name in the crate
	Version string       `json:"version"`           // exact version
	Licence string       `json:"licence,omitempty"` // SPDX identifier
	From    string       `json:"from"`              // the source
	Build   record.Build `json:"build,omitempty"`   // the build that pages use
	Files   int          `json:"files"`             // number of its files
	Size    int64        `json:"size"`              // bytes on disk
	Wire    int64        `json:"wire"`              // what pages load of it, as packed for the network by gzip
	Pages   int          `json:"pages"`             // number of pages that it is on
	State   string       `json:"state"`             // whole, or what is wrong
	Needs   []string     `json:"needs,omitempty"`   // libraries that it needs on a page
	Because string       `json:"because,omitempty"` // the reason in the packing list
	Only    record.Only  `json:"only,omitempty"`    // "desk" if it is for development only
	Hold    *record.Hold `json:"hold,omitempty"`    // the version that it must stay at or below
}

// PageLoad is the size of a page's scripts and stylesheets, its own and those of libraries.
type PageLoad struct {
	Page  string `json:"page"`  // the page, in the site
	Files int    `json:"files"` // number of scripts and stylesheets
	Size  int64  `json:"size"`  // bytes on disk
	Wire  int64  `json:"wire"`  // bytes on the wire, compressed
}

// maxPageLoads is how many pages are summed up; of a larger site the first ones stand for the rest.
const maxPageLoads = 200

// ContentsOf sums the crate up.
func ContentsOf(ctx context.Context, p *project.Project) (*Contents, error) {
	use, err := usageOf(ctx, p)
	if err != nil {
		return nil, err
	}
	differs := map[string]string{}
	for _, d := range p.Differences() {
		differs[d.Library] = cmp.Or(differs[d.Library], d.What)
	}
	moved := map[string]bool{}
	for from := range use.strayed {
		moved[p.At(from).Library] = true
	}
	p = p.Found(use.strayed)
	out := &Contents{Root: string(p.Root), Site: p.Site(), Pages: use.loads, LeftOut: use.leftOut}
	for _, l := range p.List.Libraries {
		line := ContentsLine{Name: l.Name, Version: l.Version, From: l.From, Build: l.Build, Pages: use.on[l.Name],
			Needs: l.Needs, Because: l.Because, Only: l.Only, Hold: l.Hold, State: "whole"}
		if sealed := p.Seal.Libraries[l.Name]; sealed == nil {
			line.State = "not taken yet"
			if l.Only == record.DevOnly && l.Serve == record.CDN {
				line.State = "a link, not sealed"
			}
		} else {
			line.Version, line.Licence, line.Files = sealed.Version, sealed.Licence, len(sealed.Files)
			gone := 0
			if sealed.Linked {
				line.State = "linked"
			}
			for _, f := range sealed.Files {
				line.Size += f.Size
				if f.At.IsZero() || sealed.Linked {
					continue
				}
				if info, err := p.Disk.Stat(f.At.String()); err != nil || info.Size() != f.Size {
					gone++
				}
			}
			if gone > 0 {
				line.State = fmt.Sprintf("%d of %d files missing or changed", gone, len(sealed.Files))
			}
			switch {
			case differs[l.Name] != "":
				line.State = differs[l.Name]
			case moved[l.Name]:
				line.State = "moved by hand"
			}
			for _, t := range p.TaggedFiles(l.Name, record.NoBuild) {
				_, wire := p.Sizes(t.At)
				line.Wire += wire
				delete(use.imported[l.Name], t.At)
			}
			for at := range use.imported[l.Name] {
				_, wire := p.Sizes(at)
				line.Wire += wire
			}
		}
		out.Libraries = append(out.Libraries, line)
	}
	for _, name := range p.Seal.Names() {
		if sealed := p.Seal.Libraries[name]; p.List.Library(name) == nil {
			out.Libraries = append(out.Libraries, ContentsLine{Name: name, Version: sealed.Version, From: sealed.Origin,
				Licence: sealed.Licence, Files: len(sealed.Files), Pages: use.on[name], State: differs[name]})
		}
	}
	return out, nil
}

// A usage is what pages have of the crate.
type usage struct {
	on       map[string]int // the pages that each library is on
	loads    []PageLoad
	leftOut  []walk.LeftOut
	strayed  map[paths.InProject]paths.InProject // files that somebody moved
	imported map[string]map[paths.InSite]bool    // of each library, the files that modules import
}

// usageOf reads all pages for what they have of the crate.
func usageOf(ctx context.Context, p *project.Project) (*usage, error) {
	use := &usage{on: map[string]int{}, imported: map[string]map[paths.InSite]bool{}}
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	use.leftOut = site.LeftOut()
	if use.strayed, err = p.Strayed(ctx, site); err != nil {
		return nil, err
	}
	p = p.Found(use.strayed)
	scripts := tags.NewScripts(p)
	type result struct {
		on     map[string]bool
		report bool // it is no page
		files  []paths.InSite
		of     map[paths.InSite]string // what modules import of libraries
	}
	parts := p.PartsOf(ctx, site, site.Pages)
	pages := parts.Visited(site.Pages)
	results, err := parallel.Map(ctx, pages, func(_ context.Context, name paths.InSite) (result, error) {
		r := result{on: map[string]bool{}, of: map[paths.InSite]string{}}
		v, err := tags.ReadComposed(p, parts, name)
		if errors.Is(err, page.ErrReport) {
			r.report = true
			return r, nil
		}
		if errors.Is(err, fs.ErrNotExist) {
			return r, err
		}
		if err != nil {
			return r, nil // check tells of it
		}
		for i := range v.Includes {
			if !v.Runs(i) {
				continue
			}
			if l := v.Library(i); l != "" {
				r.on[l] = true
			}
			if at := v.Location(p, i); !at.IsZero() {
				r.files = append(r.files, at)
			}
		}
		for _, f := range graph.Of(scripts, v).Files() {
			if f.Of.Library != "" {
				r.on[f.Of.Library] = true
			}
			if at := tags.LocationOf(p, f.Target, f.Of); !f.Late && !at.IsZero() {
				r.files = append(r.files, at)
				r.of[at] = f.Of.Library
			}
		}
		return r, nil
	})
	if err != nil {
		return nil, err
	}
	known := map[paths.InSite][2]int64{}
	for i, r := range results {
		for l := range r.on {
			use.on[l]++
		}
		for at, l := range r.of {
			if use.imported[l] == nil {
				use.imported[l] = map[paths.InSite]bool{}
			}
			use.imported[l][at] = true
		}
		if r.report || len(use.loads) >= maxPageLoads {
			continue
		}
		use.loads = append(use.loads, loadOf(p, pages[i], r.files, known))
	}
	return use, nil
}

// loadOf sums up what a page loads. Known are sizes of files, raw and packed, that were looked up before.
func loadOf(p *project.Project, name paths.InSite, files []paths.InSite, known map[paths.InSite][2]int64) PageLoad {
	load := PageLoad{Page: name.String(), Files: len(files)}
	for _, f := range files {
		s, ok := known[f]
		if !ok {
			s[0], s[1] = p.Sizes(f)
			known[f] = s
		}
		load.Size += s[0]
		load.Wire += s[1]
	}
	return load
}
