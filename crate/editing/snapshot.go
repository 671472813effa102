// Package editing answers what somebody asks who is writing a page, a stylesheet, a script or the packing list: what
// could stand here, what this is, where it comes from, and where it is used. Texts that are not saved count, and
// nothing is changed.
package editing

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/compose"
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
	parts   func(ctx context.Context) *compose.Site // read when it is first asked for
	// list is the packing list as it is being written, where it can't be read so.
	list []byte
}

// Writing says how the packing list is being written that can't be read so: all else is answered by the saved one.
func (d *Snapshot) Writing(list []byte) { d.list = list }

// New reads the list of a project's files. The error is the context's, or that of a folder that can't be read.
func New(ctx context.Context, p *project.Project, known *Known) (*Snapshot, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	d := &Snapshot{p: p, site: site, scripts: tags.NewScripts(p), known: known, views: p.Viewpoint(site)}
	var parts *compose.Site
	d.parts = func(ctx context.Context) *compose.Site {
		if parts == nil {
			parts = p.PartsOf(ctx, site, site.Pages)
		}
		return parts
	}
	return d, nil
}

// Text is the text of a file as it is being written, by its path from the project's root, nil if it can't be read.
func (d *Snapshot) Text(file string) []byte {
	b, err := d.p.ReadFile(paths.FoundInProject(file))
	if err != nil {
		return nil
	}
	return b
}

// pageOf reads a file as a page. It returns nil if the site has no such page, or the page can't be read.
func (d *Snapshot) pageOf(ctx context.Context, file string) *tags.Page {
	name, in := d.p.InSite(paths.FoundInProject(file))
	if !in {
		return nil
	}
	if _, is := slices.BinarySearchFunc(d.site.Pages, name, comparePaths); !is && !d.p.IsPage(name.String()) {
		return nil
	}
	b := d.Text(file)
	v, err := tags.ReadPart(ctx, d.p, d.views, name, b)
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

// inFile is where an offset of a page is: in its own file, or in one of those that it is put together from.
func (d *Snapshot) inFile(v *tags.Page, offset int) (file string, at int) {
	if v.Whole == nil {
		return d.p.InProject(v.Path).String(), offset
	}
	name, at := v.Whole.Locate(offset)
	return d.p.InProject(name).String(), at
}

// sheetsOf are the stylesheets of a page, in their order.
func (d *Snapshot) sheetsOf(v *tags.Page) []sheet {
	var list []sheet
	for i := range v.Includes {
		in := &v.Includes[i]
		switch {
		case in.Inert != "":
		case in.Kind == page.InlineStyle:
			text := v.Code(in)
			file, at := d.inFile(v, in.TextStart())
			list = append(list, sheet{Sheet: d.known.sheet(text), file: file, text: text, at: at})
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

// pagesWith are the pages that a file is a part of, or that load it, as visitors receive them: the page itself, if it
// is one file. They are by their files, from the project's root.
func (d *Snapshot) pagesWith(ctx context.Context, file string) map[string]*tags.Page {
	name, in := d.p.InSite(paths.FoundInProject(file))
	if !in {
		return nil
	}
	names := []paths.InSite{name}
	if d.pageOf(ctx, file) == nil {
		names = nil
		d.eachPage(ctx, func(_ string, v *tags.Page) {
			loads := func(t tags.Target) bool { return t.Path == name }
			if len(names) < maxPages && slices.ContainsFunc(v.Targets, loads) {
				names = append(names, v.Path)
			}
		})
	}
	list := map[string]*tags.Page{}
	for _, part := range names {
		for _, of := range d.parts(ctx).PagesWith(part) {
			if len(list) >= maxPages {
				break
			}
			if v, err := tags.ReadComposed(d.p, d.parts(ctx), of); err == nil {
				list[d.p.InProject(of).String()] = v
			}
		}
	}
	return list
}

// maxPages is of how many pages that load a file something is suggested in it: many pages have the same libraries.
const maxPages = 20

// sheetsFor are the stylesheets of the pages that a file is, or is loaded by, each once, and the file itself.
func (d *Snapshot) sheetsFor(ctx context.Context, file string) []sheet {
	var list []sheet
	seen := map[string]bool{}
	pages := d.pagesWith(ctx, file)
	for _, of := range sortedKeys(pages) {
		for _, s := range d.sheetsOf(pages[of]) {
			if key := fmt.Sprint(s.file, " ", s.at); !seen[key] {
				seen[key] = true
				list = append(list, s)
			}
		}
	}
	if b := d.Text(file); isSheet(file) && b != nil && !seen[file+" 0"] {
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

// includeAt returns the index of the include whose tag contains an offset of a page, -1 if no tag does.
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

// inlineAt returns the index of the inline script or style whose text contains an offset of a page, -1 if no text does.
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
