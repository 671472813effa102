package tags

import (
	"context"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
)

// ReadWhole reads a page as a visitor receives it, with its parts and in its layout. Its errors are those of Read.
func ReadWhole(p *project.Project, whole *compose.Page) (*Page, error) {
	v, err := Read(p, whole.Name, whole.Bytes)
	if err == nil {
		v.Whole = whole
	}
	return v, err
}

// ReadComposed reads a page of the site: as a visitor receives it if it has parts, else as it is.
func ReadComposed(p *project.Project, parts *compose.Site, name paths.InSite) (*Page, error) {
	if whole := parts.Compose(name); whole != nil {
		return ReadWhole(p, whole)
	}
	b, err := p.ReadInSite(name)
	if err != nil {
		return nil, err
	}
	return Read(p, name, b)
}

// Locate returns the file that an offset of the page is in, with the line and the column there: the page's own file,
// unless it is put together from several.
func (v *Page) Locate(offset int) (file paths.InSite, line, column int) {
	if v.Whole != nil {
		return v.Whole.Position(offset)
	}
	line, column = v.Position(offset)
	return v.Path, line, column
}

// inLine says in which line an include is, with the file where that is another one than the page's.
func (v *Page) inLine(in *page.Include) (file string, line int) {
	at, line, _ := v.Locate(in.Start)
	if at != v.Path {
		file = at.String()
	}
	return file, line
}

// ReadPart is Read for a file that may be a part of other pages.
func ReadPart(ctx context.Context, p *project.Project, views *project.Viewpoint, name paths.InSite, b []byte) (*Page,
	error) {
	v, err := Read(p, name, b)
	if err != nil {
		return nil, err
	}
	from := views.Of(ctx, name, v.Page, func(from paths.InSite, base, ref string) paths.InSite {
		return Resolve(from, base, ref).Path
	})
	if from == name {
		return v, nil
	}
	return ReadFrom(p, name, from, b)
}
