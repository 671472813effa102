package crate

import (
	"fmt"
	"os"
	"path/filepath"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
)

// Contents is the crate at a glance.
type Contents struct {
	Root      string         `json:"root"`
	Libraries []ContentsLine `json:"libraries"`
	Pages     []PageLoad     `json:"pages"`
}

// ContentsLine is one library of the crate.
type ContentsLine struct {
	Name    string       `json:"name"`
	Version string       `json:"version"`
	Licence string       `json:"licence,omitempty"`
	From    string       `json:"from"`
	Build   string       `json:"build,omitempty"`
	Files   int          `json:"files"`
	Size    int64        `json:"size"`
	Wire    int64        `json:"wire"` // what pages load of it, as packed for the network by gzip
	Pages   int          `json:"pages"`
	State   string       `json:"state"` // whole, or what is wrong
	Needs   []string     `json:"needs,omitempty"`
	Because string       `json:"because,omitempty"`
	Only    string       `json:"only,omitempty"` // desk: not to be shipped
	Hold    *record.Hold `json:"hold,omitempty"`
}

// PageLoad is what a page's own scripts and stylesheets and those of libraries come to.
type PageLoad struct {
	Page  string `json:"page"`
	Files int    `json:"files"`
	Size  int64  `json:"size"`
	Wire  int64  `json:"wire"`
}

// mostPageLoads is how many pages are summed up; of a larger site the first ones stand for the rest.
const mostPageLoads = 200

// Contents sums the crate up.
func (p *Project) Contents() (*Contents, error) {
	site, err := p.Walk()
	if err != nil {
		return nil, err
	}
	used, loads, err := p.usage(site)
	if err != nil {
		return nil, err
	}
	out := &Contents{Root: p.Root, Pages: loads}
	for _, l := range p.List.Libraries {
		line := ContentsLine{Name: l.Name, Version: l.Version, From: l.From, Build: l.Build, Pages: used[l.Name], Needs: l.Needs, Because: l.Because, Only: l.Only, Hold: l.Hold, State: "whole"}
		if sealed := p.Seal.Libraries[l.Name]; sealed == nil {
			line.State = "not taken yet"
			if l.Only == "desk" && l.Serve == "cdn" {
				line.State = "a link, not sealed"
			}
		} else {
			line.Licence, line.Files = sealed.Licence, len(sealed.Files)
			gone := 0
			if sealed.Linked {
				line.State = "linked"
			}
			for _, f := range sealed.Files {
				line.Size += f.Size
				if f.At == "" || sealed.Linked {
					continue
				}
				if info, err := os.Stat(filepath.Join(p.Root, filepath.FromSlash(f.At))); err != nil || info.Size() != f.Size {
					gone++
				}
			}
			if gone > 0 {
				line.State = fmt.Sprintf("%d of %d files gone or changed", gone, len(sealed.Files))
			}
			for _, w := range p.pageFiles(l.Name, "") {
				_, wire := p.sizes(w.at)
				line.Wire += wire
			}
		}
		out.Libraries = append(out.Libraries, line)
	}
	return out, nil
}

// sizes returns a file's size as it is and as packed for the network. What is packed already, pictures
// and fonts, is not packed again by servers.
func (p *Project) sizes(at string) (size, wire int64) {
	b, err := os.ReadFile(p.path(p.inProject(at)))
	if of := p.byPlace[p.inProject(at)]; err != nil && of.File != nil {
		b, err = p.reach.file(p.Seal.Libraries[of.Library], of.File) // pages have a link to it
	}
	if err != nil {
		return 0, 0
	}
	switch delivery.KindOf(at) {
	case delivery.Font, delivery.Image:
		return int64(len(b)), int64(len(b))
	}
	return int64(len(b)), wireSize(b)
}

// usage counts the pages that each library is on, and what the pages load.
func (p *Project) usage(site *Site) (map[string]int, []PageLoad, error) {
	type result struct {
		on    map[string]bool
		files []string
	}
	results, err := forEach(site.Pages, func(name string) (result, error) {
		r := result{on: map[string]bool{}}
		b, err := readInto(filepath.Join(p.Root, filepath.FromSlash(p.inProject(name))), nil)
		if err != nil {
			return r, err
		}
		pg, err := page.Read(b)
		if err != nil {
			return r, nil // check tells of it
		}
		for i := range pg.Includes {
			in := &pg.Includes[i]
			if in.Inert != "" || in.RefAttr.End == 0 || in.Templated() || in.Kind != page.Script && in.Kind != page.Stylesheet {
				continue
			}
			t := targetOf(name, pg.Base, in.Ref)
			of := p.placed(t)
			if of.Library != "" {
				r.on[of.Library] = true
			}
			if t.Path == "" && of.File != nil {
				t.Path, _ = p.inSite(of.File.At) // the same bytes, from elsewhere
			}
			if t.Path != "" {
				r.files = append(r.files, t.Path)
			}
		}
		return r, nil
	})
	if err != nil {
		return nil, nil, err
	}
	used := map[string]int{}
	var loads []PageLoad
	known := map[string][2]int64{}
	for i, r := range results {
		for l := range r.on {
			used[l]++
		}
		if i >= mostPageLoads {
			continue
		}
		load := PageLoad{Page: site.Pages[i], Files: len(r.files)}
		for _, f := range r.files {
			s, ok := known[f]
			if !ok {
				s[0], s[1] = p.sizes(f)
				known[f] = s
			}
			load.Size += s[0]
			load.Wire += s[1]
		}
		loads = append(loads, load)
	}
	return used, loads, nil
}
