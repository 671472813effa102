package crate

import (
	"fmt"
	"os"
	"path/filepath"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/page"
)

// Contents is the crate at a glance.
type Contents struct {
	Root      string         `json:"root"`
	Pages     int            `json:"pages"`
	Libraries []ContentsLine `json:"libraries"`
}

// ContentsLine is one library of the crate.
type ContentsLine struct {
	Name    string   `json:"name"`
	Version string   `json:"version"`
	Licence string   `json:"licence,omitempty"`
	From    string   `json:"from"`
	Build   string   `json:"build,omitempty"`
	Files   int      `json:"files"`
	Size    int64    `json:"size"`
	Pages   int      `json:"pages"`
	State   string   `json:"state"` // whole, or what is wrong
	Needs   []string `json:"needs,omitempty"`
	Because string   `json:"because,omitempty"`
}

// Contents sums the crate up.
func (p *Project) Contents() (*Contents, error) {
	site, err := p.Walk()
	if err != nil {
		return nil, err
	}
	used, err := p.usage(site)
	if err != nil {
		return nil, err
	}
	out := &Contents{Root: p.Root, Pages: len(site.Pages)}
	for _, l := range p.List.Libraries {
		line := ContentsLine{Name: l.Name, Version: l.Version, From: l.From, Build: l.Build, Pages: used[l.Name], Needs: l.Needs, Because: l.Because, State: "whole"}
		if sealed := p.Seal.Libraries[l.Name]; sealed == nil {
			line.State = "not taken yet"
		} else {
			line.Licence, line.Files = sealed.Licence, len(sealed.Files)
			gone := 0
			for _, f := range sealed.Files {
				line.Size += f.Size
				if f.At == "" {
					continue
				}
				if info, err := os.Stat(filepath.Join(p.Root, filepath.FromSlash(f.At))); err != nil || info.Size() != f.Size {
					gone++
				}
			}
			if gone > 0 {
				line.State = fmt.Sprintf("%d of %d files gone or changed", gone, len(sealed.Files))
			}
		}
		out.Libraries = append(out.Libraries, line)
	}
	return out, nil
}

// usage counts the pages that each library is on.
func (p *Project) usage(site *Site) (map[string]int, error) {
	lists, err := forEach(site.Pages, func(name string) (map[string]bool, error) {
		b, _, err := change.Read(p.Root, p.inProject(name))
		if err != nil {
			return nil, err
		}
		pg, err := page.Read(b)
		if err != nil {
			return nil, nil // check tells of it
		}
		on := map[string]bool{}
		for i := range pg.Includes {
			if in := &pg.Includes[i]; in.Inert == "" && in.RefAttr.End > 0 && !in.Templated() {
				if l := p.byPlace[p.inProject(targetOf(name, pg.Base, in.Ref).Path)].Library; l != "" {
					on[l] = true
				}
			}
		}
		return on, nil
	})
	used := map[string]int{}
	for _, on := range lists {
		for l := range on {
			used[l]++
		}
	}
	return used, err
}
