package start

import (
	"bytes"
	"context"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/walk"
)

// maxSampled is how many pages of a folder are compared with templates, and maxTemplates with how many.
const maxSampled, maxTemplates = 12, 200

// generated finds the folders of a site that a generator writes: most of their pages equal a template elsewhere in the
// site with its holes filled in.
func generated(ctx context.Context, on *disk.Folder, dir string, site *walk.Site) []string {
	read := func(name paths.InSite) ([]byte, error) {
		b, _, err := on.Read(path.Join(dir, name.String()), disk.MaxPage, nil)
		return b, err
	}
	byFolder := map[string][]paths.InSite{} // plain pages, by the folder of the site that they are in
	var templates []paths.InSite
	for _, name := range site.Pages {
		top, _, nested := strings.Cut(name.String(), "/")
		b, err := read(name)
		if err != nil {
			continue
		}
		if template.MayHave(b) && len(template.Holes(b)) > 0 {
			templates = append(templates, name)
		} else if nested && len(byFolder[top]) < maxSampled {
			byFolder[top] = append(byFolder[top], name)
		}
	}
	if len(templates) == 0 || len(byFolder) == 0 {
		return nil
	}
	parts := compose.New(read, site.Has, func(end string) []paths.InSite {
		var list []paths.InSite
		for name := range site.All() {
			if s := name.String(); s == end || strings.HasSuffix(s, "/"+end) {
				list = append(list, name)
			}
		}
		return list
	})
	parts.Learn(ctx, templates)
	var shapes []shape
	for _, name := range templates[:min(len(templates), maxTemplates)] {
		b, _ := read(name)
		if whole := parts.Compose(name); whole != nil {
			b = whole.Bytes
		}
		if s := shapeOf(name, b); len(s.literals) > 0 {
			shapes = append(shapes, s)
		}
	}
	var folders []string
	for top, pages := range byFolder {
		made := 0
		for _, name := range pages {
			b, _ := read(name)
			if slices.ContainsFunc(shapes, func(s shape) bool { return s.top != top && s.fits(b) }) {
				made++
			}
		}
		if 5*made >= 4*len(pages) {
			folders = append(folders, top)
		}
	}
	slices.Sort(folders)
	return folders
}

// A shape is what a template writes plainly: the texts between its holes.
type shape struct {
	top      string // the folder of the site that the template is in
	literals [][]byte
}

// shapeOf is the shape of a template, without texts that are too short to tell anything. One of hardly any text has
// none.
func shapeOf(name paths.InSite, b []byte) shape {
	top, _, _ := strings.Cut(name.String(), "/")
	s := shape{top: top}
	at, size := 0, 0
	add := func(end int) {
		if text := bytes.TrimSpace(b[at:end]); len(text) >= 8 {
			s.literals = append(s.literals, text)
			size += len(text)
		}
	}
	for _, h := range template.Holes(b) {
		add(h.Start)
		at = h.End
	}
	add(len(b))
	if size < 60 {
		s.literals = nil
	}
	return s
}

// fits reports whether a page has the texts of the shape, in their order. What stands in a condition may be left out.
func (s *shape) fits(b []byte) bool {
	found, at, size, all := 0, 0, 0, 0
	for _, text := range s.literals {
		all += len(text)
		if i := bytes.Index(b[at:], text); i >= 0 {
			at += i + len(text)
			found++
			size += len(text)
		}
	}
	return found > 0 && 10*size >= 8*all
}
