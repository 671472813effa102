package serve

import (
	"bytes"
	"context"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/walk"
)

// ParseBehind reads the address of a server that fills in pages, nil for "".
func ParseBehind(address string) (*url.URL, error) {
	if address == "" {
		return nil, nil
	}
	behind, err := url.Parse(address)
	if err != nil || behind.Host == "" || behind.Scheme != "http" && behind.Scheme != "https" {
		return nil, problem.Misuse("write it as http://127.0.0.1:8080", "--behind %s is not the address of a server",
			address)
	}
	return behind, nil
}

// isPage reports whether a file is a page: by its ending, or since the packing list says so.
func (s *Server) isPage(name string) bool {
	return isHTML(name) || s.state.Load().p.IsPage(name)
}

// forServer reports whether a file is a server's program, or a template that is no page of the site. Its source is not
// sent.
func (s *Server) forServer(name string) bool {
	if slices.Contains(templateEndings, strings.ToLower(path.Ext(name))) {
		return true
	}
	f, err := s.open(name)
	if err != nil {
		return false
	}
	defer f.Close()
	head := make([]byte, 512)
	n, _ := f.Read(head)
	return packages.ForServer(name, head[:n])
}

// templateEndings are what files of templates end in.
var templateEndings = []string{".ejs", ".erb", ".hbs", ".handlebars", ".mustache", ".njk", ".twig", ".liquid", ".jinja",
	".jinja2", ".j2", ".cshtml", ".vbhtml", ".tmpl", ".gohtml"}

// indexOf is the page of a folder that is not called index.html, "" for none.
func (s *Server) indexOf(dir string) string {
	p := s.state.Load().p
	for _, ending := range append([]string{".htm", ".php", ".phtml"}, templateEndings...) {
		name := path.Join(dir, "index"+ending)
		if _, err := s.stat(name); err == nil && p.IsPage(name) {
			return name
		}
	}
	return ""
}

// emptied is a page that a server fills in, as it is put together from its parts and with nothing in its holes; any
// other page is as it is. A template's source is never sent.
func (s *Server) emptied(name string, b []byte) []byte {
	if isHTML(name) && !compose.MayCompose(b) {
		return b // no other page is read for it
	}
	p := s.state.Load().p
	whole := s.parts().Compose(paths.Found(name))
	if whole != nil {
		b = whole.Bytes
	}
	holes := template.Holes(b)
	if len(holes) == 0 || whole == nil && isHTML(name) && !slices.ContainsFunc(holes, func(h template.Hole) bool {
		return h.Syntax != template.Braces && h.Syntax != template.At
	}) {
		return b // a script on the page may fill these in
	}
	if _, told := s.told.LoadOrStore(name, true); !told && p.Notify != nil {
		p.Notify(name + " is filled in by a server: it is shown with nothing in its holes; --behind URL shows what " +
			"the " +
			"server sends")
	}
	b = inScripts(b)
	s.answers.Store(name, answer{whole: whole})
	return template.Empty(b, template.Holes(b))
}

// An answer is what was sent last as a page that a server fills in: the page as it was put together, whose lines it
// has, or what the server behind sent.
type answer struct {
	whole *compose.Page
	sent  []byte
}

// parts knows how the pages are put together, in the state of the site that is served.
func (s *Server) parts() *compose.Site { return s.state.Load().composed().parts }

// composed is what is known of a site's pages.
type composed struct {
	parts *compose.Site
	pages []paths.InSite
}

// composedOf reads a project's pages, once it is called; of a site that can't be read nothing is known.
func composedOf(ctx context.Context, p *project.Project) func() composed {
	return sync.OnceValue(func() composed {
		site, err := p.Walk(ctx)
		if err != nil {
			site = &walk.Site{}
		}
		return composed{p.PartsOf(ctx, site, site.Pages), site.Pages}
	})
}

// maxSearched is in how many templates a line of a page is looked for.
const maxSearched = 500

// TemplateLine returns the file and the line of the template that a line of the page came from, as it was sent last.
// For a page of the server behind, it looks for a line with the same text: in the page's own files, else in all pages.
// If several lines have that text, ok is false.
func (s *Server) TemplateLine(name string, line int) (file string, at int, ok bool) {
	last, known := s.answers.Load(name)
	if !known {
		return "", 0, false
	}
	sent := last.(answer)
	if sent.whole != nil {
		in, at, _ := sent.whole.Position(sent.whole.Offset(line, 1))
		return in.String(), at, true
	}
	text := bytes.TrimSpace(lineOf(sent.sent, line))
	if len(text) < 4 {
		return "", 0, false
	}
	p, own := s.state.Load().p, paths.Found(name)
	files := []paths.InSite{own}
	if whole := s.parts().Compose(own); whole != nil {
		files = whole.Files()
	} else if _, err := s.stat(name); err != nil || name == "" {
		all := s.state.Load().composed().pages
		files = all[:min(len(all), maxSearched)]
	}
	found := 0
	for _, f := range files {
		b, err := p.ReadInSite(f)
		if err != nil || !bytes.Contains(b, text) {
			continue
		}
		n := 0
		for l := range bytes.Lines(b) {
			if n++; bytes.Equal(bytes.TrimSpace(l), text) {
				found++
				file, at = f.String(), n
			}
		}
	}
	return file, at, found == 1
}

// lineOf is a line of a text, from 1.
func lineOf(b []byte, line int) []byte {
	n := 0
	for l := range bytes.Lines(b) {
		if n++; n == line {
			return l
		}
	}
	return nil
}

// inScripts writes a value into the holes of the inline scripts of a page, so that these can be read.
func inScripts(b []byte) []byte {
	pg, err := page.Read(b)
	if err != nil {
		return b
	}
	var edits []page.Edit
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.Kind == page.InlineScript && in.Inert == "" && len(pg.HolesIn(in)) > 0 {
			text := values().ReplaceAll(pg.Code(in), []byte("void 0"))
			edits = append(edits, page.Edit{Start: in.TextStart(), End: in.TextStart() + len(pg.InlineText(in)),
				Text: string(text)})
		}
	}
	return page.Apply(b, edits)
}

// values are the names that stand for values in scripts that are filled in.
var values = memo.Regexp(`\b_\$+`)
