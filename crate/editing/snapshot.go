// Package editing answers what somebody asks who is writing a page, a stylesheet, a script or the packing list: what
// could stand here, what this is, where it comes from, and where it is used. Texts that are not saved count, and
// nothing is changed.
package editing

import (
	"context"
	"path"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/walk"
)

// A Span is a part of a file: the file from the project's root, and offsets in bytes.
type Span struct {
	File       string
	Start, End int
}

// A Known remembers what was read of files by their bytes. Several snapshots, one after the other, share one.
type Known struct {
	sheets memo.Memo[uint64, *style.Sheet]
	kept   int
}

// maxSheets is of how many stylesheets a Known remembers what was read. Each text that is typed is another one.
const maxSheets = 400

func (k *Known) sheet(b []byte) *style.Sheet {
	return k.sheets.Of(xxhash.Sum64(b), func() *style.Sheet {
		k.kept++
		return style.Read(b)
	})
}

// Full reports whether so much is remembered that a new one should be begun.
func (k *Known) Full() bool { return k.kept > maxSheets }

// A Snapshot is a project as it is being written. It answers for one state of the files.
type Snapshot struct {
	p       *project.Project
	site    *walk.Site
	scripts *tags.Scripts
	known   *Known
	views   *project.Viewpoint
	list    []byte // the packing list as it is being written, where it can't be read now
}

// Writing says how the packing list is being written that can't be read so: all else is answered by the saved one.
func (d *Snapshot) Writing(list []byte) { d.list = list }

// New reads the list of a project's files. The error is the context's, or that of a folder that can't be read.
func New(ctx context.Context, p *project.Project, known *Known) (*Snapshot, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	return &Snapshot{p: p, site: site, scripts: tags.NewScripts(p), known: known,
		views: p.Viewpoint(site)}, nil
}

// Text is the text of a file as it is being written, by its path from the project's root, nil if it can't be read.
func (d *Snapshot) Text(file string) []byte {
	b, err := d.p.ReadFile(paths.FoundInProject(file))
	if err != nil {
		return nil
	}
	return b
}

// pageOf reads the page of a file, nil if the file is none.
func (d *Snapshot) pageOf(file string) *tags.Page {
	name, in := d.p.InSite(paths.FoundInProject(file))
	if !in {
		return nil
	}
	if _, is := slices.BinarySearchFunc(d.site.Pages, name, comparePaths); !is && !d.p.IsPage(name.String()) {
		return nil
	}
	b := d.Text(file)
	v, err := tags.ReadPart(context.Background(), d.p, d.views, name, b) // it looks no further than the site's files
	if err != nil {
		return nil
	}
	return v
}

func comparePaths(a, b paths.InSite) int { return strings.Compare(a.String(), b.String()) }

// eachPage calls visit for the pages of the site that can be read, with their files from the project's root.
func (d *Snapshot) eachPage(ctx context.Context, visit func(file string, v *tags.Page)) error {
	for _, name := range d.site.Pages {
		if err := ctx.Err(); err != nil {
			return err
		}
		file := d.p.InProject(name).String()
		if v, err := tags.Read(d.p, name, d.Text(file)); err == nil {
			visit(file, v)
		}
	}
	return nil
}

// A sheet is a stylesheet that a page has.
type sheet struct {
	*style.Sheet
	file    string // from the project's root
	text    []byte
	at      int    // where its text begins in the file: 0 but for one that stands on a page
	library string // "" for the site's own
}

// sheetsOf are the stylesheets of a page, in their order.
func (d *Snapshot) sheetsOf(file string, v *tags.Page) []sheet {
	var list []sheet
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
		case in.Inert != "":
		case in.Kind == page.InlineStyle:
			text := v.Code(in)
			list = append(list, sheet{Sheet: d.known.sheet(text), file: file, text: text, at: in.TextStart()})
		case in.Kind == page.Stylesheet:
			if name, text := d.include(v, i); text != nil {
				list = append(list, sheet{Sheet: d.known.sheet(text), file: name, text: text, library: v.Library(i)})
			}
		}
	}
	return list
}

// include reads the file of a page's include: its path from the project's root, and its bytes, nil if they are not at
// hand. What pages have by a link is read where the site has a copy, or the cache.
func (d *Snapshot) include(v *tags.Page, i int) (file string, text []byte) {
	of := v.Of[i]
	if of.File == nil {
		t := v.Targets[i]
		if t.Path.IsZero() {
			return "", nil
		}
		file = d.p.InProject(t.Path).String()
		return file, d.Text(file)
	}
	b, err := d.p.LocalBytes(of)
	if err != nil {
		return of.File.At.String(), nil
	}
	return of.File.At.String(), b
}

// pagesWith are the pages that load a file of the site, or the page itself.
func (d *Snapshot) pagesWith(ctx context.Context, file string) map[string]*tags.Page {
	list := map[string]*tags.Page{}
	if v := d.pageOf(file); v != nil {
		list[file] = v
		return list
	}
	name, in := d.p.InSite(paths.FoundInProject(file))
	if !in {
		return list
	}
	d.eachPage(ctx, func(of string, v *tags.Page) {
		for i := range v.Includes {
			if len(list) < maxPages && v.Targets[i].Path == name {
				list[of] = v
			}
		}
	})
	return list
}

// maxPages is of how many pages that load a file something is suggested in it: many pages have the same libraries.
const maxPages = 20

// sheetsFor are the stylesheets of the pages that a file is, or is loaded by, each once, and the file itself.
func (d *Snapshot) sheetsFor(ctx context.Context, file string) []sheet {
	var list []sheet
	seen := map[string]bool{}
	for _, of := range sortedKeys(d.pagesWith(ctx, file)) {
		v := d.pageOf(of)
		for _, s := range d.sheetsOf(of, v) {
			if key := s.file + "\x00" + string(rune(s.at)); !seen[key] {
				seen[key] = true
				list = append(list, s)
			}
		}
	}
	if b := d.Text(file); isSheet(file) && b != nil && !seen[file+"\x00"+string(rune(0))] {
		list = append(list, sheet{Sheet: d.known.sheet(b), file: file, text: b,
			library: d.p.At(paths.FoundInProject(file)).Library})
	}
	return list
}

func isSheet(file string) bool { return packages.KindOf(file) == packages.Stylesheet }

func isScript(file string) bool { return packages.KindOf(file) == packages.Script }

// own are the site's own files of a kind, from the project's root.
func (d *Snapshot) own(kind packages.Kind) []string {
	var list []string
	for _, name := range d.p.OwnFiles(d.site, kind) {
		list = append(list, d.p.InProject(name).String())
	}
	return list
}

// includeAt is the index of the include whose tag a place of a page is in, -1 if it is in none.
func includeAt(v *tags.Page, at int) int {
	for i := range v.Includes {
		in := &v.Includes[i]
		end := in.End
		if in.Kind == page.InlineScript || in.Kind == page.InlineStyle {
			end = in.TextStart()
		}
		if at >= in.Start && at < end {
			return i
		}
	}
	return -1
}

// inlineAt is the index of the inline script or style whose text a place of a page is in, -1 if it is in none.
func inlineAt(v *tags.Page, at int) int {
	for i := range v.Includes {
		in := &v.Includes[i]
		if (in.Kind == page.InlineScript || in.Kind == page.InlineStyle) && at >= in.TextStart() &&
			at <= in.TextStart()+len(v.InlineText(in)) {
			return i
		}
	}
	return -1
}

// folderOf is the folder of a file in the site, "." for the site's own.
func (d *Snapshot) folderOf(file string) string {
	name, _ := d.p.InSite(paths.FoundInProject(file))
	return path.Dir(name.String())
}
