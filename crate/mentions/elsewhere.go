package mentions

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/texts"
	"merrycrate.example/merry/crate/walk"
)

// maxElsewhere is the size of the largest file that is read for names of files, in bytes.
const maxElsewhere = 1 << 20

// Elsewhere lists the places that name files of the site which no command edits: data, settings, manifests and
// server code anywhere in the project, and on pages the documents of frames, data in scripts, and code of a server. A
// place is file:line:column, with the name as it is written.
func Elsewhere(ctx context.Context, p *project.Project, files []paths.InSite) ([]string, error) {
	if len(files) == 0 {
		return nil, nil
	}
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	root, err := walk.Folder(ctx, p.Disk, ".", false, func(string) bool { return false }, nil)
	if err != nil {
		return nil, err
	}
	isPage := map[paths.InProject]bool{}
	var list []paths.InProject
	for _, name := range site.Pages {
		isPage[p.InProject(name)] = true
		list = append(list, p.InProject(name))
	}
	for name, size := range root.Others {
		at := paths.FoundInProject(name.String())
		if size <= maxElsewhere && !isPage[at] && namesFiles(name.String()) && p.At(at).File == nil {
			list = append(list, at)
		}
	}
	found, err := parallel.Map(ctx, list, func(_ context.Context, at paths.InProject) ([]string, error) {
		b, _, err := p.Disk.Read(at.String(), disk.MaxPage, nil)
		if err != nil || bytes.IndexByte(b[:min(len(b), 1000)], 0) >= 0 {
			return nil, nil // that is reported elsewhere; or it is no text
		}
		return namesIn(p, at, b, isPage[at], files), nil
	})
	all := slices.Concat(found...)
	slices.Sort(all)
	return slices.Compact(all), err
}

// namesFiles reports whether a file of a name may name others, and no command makes it follow: it is no stylesheet, no
// script for pages, no picture, and no record.
func namesFiles(name string) bool {
	switch packages.KindOf(name) {
	case packages.Stylesheet, packages.Script, packages.Font, packages.Image:
		return false
	}
	base := path.Base(name)
	if base == record.ListFile || base == record.SealFile || strings.HasPrefix(name, ".merry/") {
		return false
	}
	switch strings.ToLower(path.Ext(name)) {
	case ".zip", ".tgz", ".gz", ".pdf", ".md", ".map", ".log", ".lock", ".wasm", ".mp4", ".webm", ".mp3":
		return false
	}
	return true
}

// namesIn lists the places of one file that name some files.
func namesIn(p *project.Project, at paths.InProject, b []byte, isPage bool, files []paths.InSite) (list []string) {
	var index *texts.Index
	var parts []span
	for _, file := range files {
		word := []byte(file.Base())
		for from := 0; ; {
			i := bytes.Index(b[from:], word)
			if i < 0 {
				break
			}
			start, end := from+i, from+i+len(word)
			from = end
			for start > 0 && inPath(b[start-1]) {
				start--
			}
			if end < len(b) && (inPath(b[end]) && b[end] != '.' || start > 0 && b[start-1] == '@') ||
				!leadsTo(p, at, string(b[start:end]), file) {
				continue
			}
			if isPage && parts == nil {
				parts = unedited(b)
			}
			if isPage && !slices.ContainsFunc(parts, func(s span) bool { return s.start <= start && end <= s.end }) {
				continue // a reference, which follows, or text for people
			}
			if index == nil {
				index = texts.NewIndex(b)
			}
			line, column := index.At(start)
			list = append(list, fmt.Sprintf("%s:%d:%d %s", at, line, column, b[start:end]))
		}
	}
	return list
}

// inPath tells the bytes of a path that is written without quotes.
func inPath(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c >= 0x80 ||
		strings.IndexByte("/._-~%+", c) >= 0
}

// leadsTo reports whether a path in a file may mean a file of the site: from the site, from the project, or from the
// folder that it stands in.
func leadsTo(p *project.Project, at paths.InProject, ref string, file paths.InSite) bool {
	clean := strings.TrimPrefix(path.Clean("/"+ref), "/")
	inProject := p.InProject(file).String()
	return clean == file.String() || clean == inProject ||
		path.Join(path.Dir(at.String()), ref) == inProject && !strings.HasPrefix(ref, "/")
}

// A span is a part of a text.
type span struct{ start, end int }

// unedited are the parts of a page in which no command edits names of files: the documents of frames, data, and what a
// server runs.
func unedited(b []byte) []span {
	list := []span{}
	for _, h := range template.Holes(b) {
		list = append(list, span{h.Start, h.End})
	}
	pg, err := page.Read(b)
	if err != nil {
		return list
	}
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if typ, _ := pg.Attr(in, "type"); in.Kind == page.InlineScript && strings.HasSuffix(strings.ToLower(typ),
			"json") {
			list = append(list, span{in.TextStart(), in.TextStart() + len(pg.InlineText(in))})
		}
	}
	page.Frames(b, func(f page.Frame) { list = append(list, span{f.Start, f.End}) })
	return list
}
