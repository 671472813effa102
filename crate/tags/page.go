package tags

import (
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/template"
)

// A Page is a page with the targets of its includes.
type Page struct {
	*page.Page
	Path paths.InSite
	// From is the page from which its relative references lead: itself, unless it is a part of other pages.
	From    paths.InSite
	Targets []Target
	// Of are the crate's files that the includes load, by the records.
	Of []project.Sealed
	// Whole says from which files the page is put together, nil if it is one file.
	Whole *compose.Page
}

// Read reads a page of the project. The error of one that can't be edited is a refusal.
func Read(p *project.Project, name paths.InSite, b []byte) (*Page, error) {
	return ReadFrom(p, name, name, b)
}

// ReadFrom is Read for a file that is a part of other pages: its relative references lead from one of these.
func ReadFrom(p *project.Project, name, from paths.InSite, b []byte) (*Page, error) {
	pg, err := page.Read(b)
	var encoding *page.EncodingError
	switch {
	case errors.As(err, &encoding):
		return nil, problem.Refuse(problem.PageRefused, "save it as UTF-8", "%s is in %s, which merry does not edit, "+
			"so it was left alone", name, encoding.Name)
	case errors.Is(err, page.ErrReport):
		return nil, problem.Refuse(problem.PageRefused, "name a page of the site", "%s: %w", name, err)
	case err != nil:
		return nil, err
	}
	HeedBase(p, name, pg)
	v := New(name, pg)
	v.From = from
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.RefAttr.End != 0 {
			v.Lead(p, i, Lead(p, from, pg.Base, in.Ref, len(pg.Holes()) > 0 || from != name))
		}
	}
	return v, nil
}

// New makes a page whose includes lead nowhere yet.
func New(name paths.InSite, pg *page.Page) *Page {
	v := new(Page)
	v.Reset(name, pg)
	return v
}

// Reset makes of a page that nobody needs any more a new one, as New does, in the same memory.
func (v *Page) Reset(name paths.InSite, pg *page.Page) {
	n := len(pg.Includes)
	targets, of := slices.Grow(v.Targets[:0], n)[:n], slices.Grow(v.Of[:0], n)[:n]
	clear(targets)
	clear(of)
	*v = Page{Page: pg, Path: name, From: name, Targets: targets, Of: of}
}

// Lead returns the target of an include.
func (v *Page) Lead(p *project.Project, i int, t Target) {
	v.Targets[i], v.Of[i] = t, FileOf(p, t)
}

// FileOf returns the crate's file that a target is.
func FileOf(p *project.Project, t Target) project.Sealed {
	switch {
	case !t.Path.IsZero():
		return p.At(p.InProject(t.Path))
	case t.URL != "":
		return p.AtAddress(t.URL)
	}
	return project.Sealed{}
}

// Library is the library that an include is of, "" if it is of none.
func (v *Page) Library(i int) string { return v.Of[i].Library }

// Runs reports whether an include is a script or stylesheet that the browser heeds.
func (v *Page) Runs(i int) bool {
	k := v.Includes[i].Kind
	return v.Includes[i].Inert == "" && (k == page.Script || k == page.Stylesheet)
}

// Stands reports whether an include refers to a file for browsers: it runs, or is there for those that know no modules.
func (v *Page) Stands(i int) bool {
	in := &v.Includes[i]
	return v.Runs(i) || in.Kind == page.Script && in.NoModule && strings.HasPrefix(in.Inert, "nomodule")
}

// IsStyle reports whether an include is a stylesheet of its own file.
func (v *Page) IsStyle(i int) bool { return v.Includes[i].Kind == page.Stylesheet }

// Location is where the file of an include is, or would be, in the site: a link's is that of the same bytes.
func (v *Page) Location(p *project.Project, i int) paths.InSite {
	return LocationOf(p, v.Targets[i], v.Of[i])
}

// LocationOf is where the file of a target is, or would be, in the site: a link's is that of the same bytes.
func LocationOf(p *project.Project, t Target, of project.Sealed) paths.InSite {
	if t.Path.IsZero() && of.File != nil {
		at, _ := p.InSite(of.File.At)
		return at
	}
	return t.Path
}

// Text is an include as it is written.
func (v *Page) Text(i int) string { return string(v.Bytes[v.Includes[i].Start:v.Includes[i].End]) }

// At returns the position of an include, as page:line:column.
func (v *Page) At(i int) string {
	file, line, column := v.Locate(v.Includes[i].Start)
	return fmt.Sprintf("%s:%d:%d", file, line, column)
}

// Name returns the name of an include for findings and tables.
func (v *Page) Name(i int) string {
	in := &v.Includes[i]
	switch {
	case in.Kind == page.InlineScript || in.Kind == page.InlineStyle:
		file, line := v.inLine(in)
		if file != "" {
			return fmt.Sprintf("the %s in line %d of %s", in.Kind, line, file)
		}
		return fmt.Sprintf("the %s in line %d", in.Kind, line)
	case !v.Targets[i].IsZero():
		return v.Targets[i].String()
	}
	return in.Ref
}

// unreachable is the error of a page from where no local file can be reached.
func (v *Page) unreachable() error {
	return problem.Refuse(problem.PageReaches, "remove the base element, or write the tag by hand",
		"%s: its base element leads to another site, so local files can't be referred to", v.Path)
}

// Reach writes the reference from the page to a file of the site: in the way of its neighbours, where a server makes
// these.
func (v *Page) Reach(file paths.InSite) (string, error) {
	if ref, ok := v.asNeighbours(file); ok {
		return ref, nil
	}
	ref, ok := Reference(v.Page, v.From, file)
	if !ok {
		return "", v.unreachable()
	}
	return ref, nil
}

// Filled reports whether a server, or a generator, makes what visitors receive of the page.
func (v *Page) Filled() bool { return len(v.Holes()) > 0 || v.Whole != nil || v.From != v.Path }

// asNeighbours writes the reference to a file as the page's other tags are written, where these lead to files otherwise
// than by plain paths: those of the same kind of file first, the last one first. A template without such tags that is
// not where its page is gets a path from the site's root.
func (v *Page) asNeighbours(file paths.InSite) (string, bool) {
	if !v.Filled() {
		return "", false
	}
	style := strings.HasSuffix(strings.ToLower(file.String()), ".css")
	plain, others := 0, 0
	ways := make([]template.Written, len(v.Includes))
	for i := range v.Includes {
		in := &v.Includes[i]
		w, ok := writtenAs(in.Ref, v.From, v.Base, v.Targets[i].Path)
		switch {
		case in.RefAttr.End == 0 || in.Kind != page.Script && in.Kind != page.Stylesheet && in.Kind != page.Other &&
			in.Kind != page.Hint:
		case ok:
			ways[i] = w
			others++
		case !v.Targets[i].Path.IsZero():
			plain++
		}
	}
	for _, same := range []bool{true, false} {
		for i := len(v.Includes) - 1; i >= 0 && plain <= others; i-- {
			if t := v.Targets[i]; !t.Path.IsZero() && same == ((v.Includes[i].Kind == page.Stylesheet) == style) {
				if ref, ok := ways[i].Respell(t.Path.String(), file.String()); ok {
					return ref, true
				}
			}
		}
	}
	if plain == 0 && templateName().MatchString(v.From.String()) {
		return (&url.URL{Path: "/" + file.String()}).EscapedPath(), true
	}
	return "", false
}

// templateName tells the names of templates that a page is not served from: by their folder, or by their ending.
var templateName = memo.Regexp(`(?i)(?:^|/)(?:_[^/]+|layouts?|templates?|views|partials?|includes?|components?)/|` +
	`\.(?:ejs|njk|hbs|handlebars|mustache|twig|liquid|erb|tmpl|gohtml|j2|jinja2?|cshtml|blade\.php)$`)

// FilesOf lists where the files of a library are in the site.
func FilesOf(p *project.Project, library string) []paths.InSite {
	var list []paths.InSite
	for _, f := range p.Seal.Libraries[library].Files {
		if at, ok := p.InSite(f.At); ok && !f.At.IsZero() {
			list = append(list, at)
		}
	}
	return list
}
