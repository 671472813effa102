package inspect

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/texts"
)

// A scratch is the memory that pages are read in, one after the other: it does not grow with their number.
type scratch struct {
	bytes  []byte
	reader page.Reader
	v      tags.Page
	cp     check.Page
	uses   uses  // of the page available
	last   *uses // of the page before
}

// page checks one page.
func (c *inspection) page(ctx context.Context, name paths.InSite, last *pageCache) (r pageResult, err error) {
	d, _ := c.devOnly.Get().(*scratch)
	if d == nil {
		d = new(scratch)
	}
	defer c.devOnly.Put(d)
	var stamp disk.Stamp
	d.bytes, stamp, err = c.p.Disk.Read(c.p.InProject(name).String(), disk.MaxPage, d.bytes)
	if err != nil {
		return r, err
	}
	r = pageResult{uses: noUses, stamp: last.stampFor(name, stamp)}
	if page.IsReport(d.bytes) {
		r.report, r.stamp = true, 0
		return r, nil
	}
	if compose.MayCompose(d.bytes) {
		c.parts.Give(name, bytes.Clone(d.bytes))
		r.composes, r.stamp = true, 0 // it is judged with its parts, once all pages were read
		return r, nil
	}
	return c.judge(ctx, d, name, nil, r)
}

// judge checks a page whose bytes were read: a file, or what is put together from several.
func (c *inspection) judge(ctx context.Context, d *scratch, name paths.InSite, whole *compose.Page,
	r pageResult) (pageResult, error) {
	at := c.p.InProject(name).String()
	read := d.reader.Read
	if whole != nil {
		read = func(b []byte) (*page.Page, error) { return d.reader.ReadFilled(b, whole.Holes) }
	}
	pg, err := read(d.bytes)
	var encoding *page.EncodingError
	if errors.As(err, &encoding) {
		r.found = []check.Finding{{Name: check.Unreadable, Severity: check.Error, File: at, Message: "the page is in " +
			encoding.Name,
			Why:  "merry reads and edits pages in UTF-8 and other encodings that contain ASCII",
			Next: "save it as UTF-8"}}
		return r, nil
	}
	if err != nil {
		return r, err
	}
	tags.HeedBase(c.p, name, pg)
	v, cp := &d.v, &d.cp
	v.Reset(name, pg)
	v.Whole = whole
	*cp = check.Page{Page: pg, File: at, Includes: slices.Grow(cp.Includes[:0], len(pg.Includes))[:len(pg.Includes)]}
	clear(cp.Includes)
	if whole != nil {
		cp.Whole = func(offset int) (string, int) {
			file, line, _ := whole.Position(offset)
			return c.p.InProject(file).String(), line
		}
	}
	var meant []string
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if in.RefAttr.End == 0 || in.Kind == page.Hint && !in.Fetches() {
			continue
		}
		v.Lead(c.p, i, c.target(name, pg.BaseAt(in.Start), in.Ref, v.Filled()))
		if c.site.Excludes(v.Targets[i].Path) {
			r.stamp = 0 // what it refers to is not walked, so a change of that would not be noticed
		}
		c.describe(v, i, cp)
		if t := v.Targets[i].Path; !t.IsZero() && !c.leads.Has(t) {
			if near, _ := c.leads.Near(t); !near.IsZero() {
				meant = append(meant, near.String()) // what a tag probably means is not left over
			}
		}
	}
	for i := range cp.Includes {
		if at, _ := v.FallbackOf(i); at >= 0 {
			cp.Includes[at].Loads = false // it stands in for another, once for each
		}
	}
	for i := range cp.Includes {
		c.identify(v, i, &cp.Includes[i])
		cp.Includes[i].Features = c.missingFeatures(v, i)
	}
	cp.Items = c.scripts.Items(v)
	imported := graph.Of(c.scripts, v)
	led, named := c.leads.Page(v, at)
	r.found = slices.Concat(check.OnPage(cp, &crate{c, ctx}), led, c.leads.Sheets(v), c.leads.Modules(v, at, imported,
		c.scripts), c.pathsInline(v), c.csp.Findings(v, at), c.unstyled(v, at),
		c.newerMarkup(v, at))
	if c.csp.Upgrades(v) {
		r.found = slices.DeleteFunc(r.found, func(f check.Finding) bool {
			return f.Name == check.LinkPlain || f.Name == check.MixedContent
		})
	}
	r.fragment = v.Fragment
	r.uses = c.usesOf(d, imported, slices.Concat(named, meant, hiddenIn(v)))
	if at := texts.ConflictMarks(v.Bytes); at >= 0 {
		line, column := v.Position(at)
		r.found = append(r.found, conflict(cp.File, line, column))
	}
	r.found = append(r.found, c.removed.Page(v, at, r.uses.libraries)...)
	return r, nil
}

// hiddenIn are the references of a page's tags that a server makes, as patterns of what they may lead to.
func hiddenIn(v *tags.Page) []string {
	if len(v.Holes()) == 0 {
		return nil
	}
	var list []string
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.RefAttr.End == 0 || !v.Targets[i].IsZero() || !page.Templated(in.Ref) {
			continue
		}
		w := template.Reference(in.Ref)
		list = append(list, hiddenMark+in.Kind.Ending()+":"+w.Pattern())
	}
	return list
}

// conflict is the finding of the marks of an unresolved merge.
func conflict(file string, line, column int) check.Finding {
	return check.Finding{Name: check.ConflictMarks, Severity: check.Error, File: file, Line: line, Column: column,
		Message: "it has the marks of an unresolved merge",
		Why:     "browsers show them as text or stop at them, and no command changes such a file",
		Next:    "choose what stays, and remove the marks"}
}

// target resolves a reference, each once.
func (c *inspection) target(name paths.InSite, base, ref string, filled bool) tags.Target {
	whole := name.String()
	return c.targets.Of(reference{whole[:strings.LastIndexByte(whole, '/')+1], base, ref, filled}, func() tags.Target {
		t := tags.Lead(c.p, name, base, ref, filled)
		if to, moved := c.leads.Moved[t.Path]; moved {
			t.Path = to
		}
		return t
	})
}

// describe fills in what an include leads to.
func (c *inspection) describe(v *tags.Page, i int, cp *check.Page) {
	in, out, t, of := &v.Includes[i], &cp.Includes[i], v.Targets[i], v.Of[i]
	out.Path, out.URL, out.Library = t.Path.String(), t.URL, of.Library
	out.Loads = in.Inert == "" && (in.Kind == page.Script || in.Kind == page.Stylesheet)
	if !t.Path.IsZero() {
		out.Missing = c.sealed.missing[c.p.InProject(t.Path)]
	} else if of.Library != "" {
		out.Loose = of.File == nil
		if sealed := c.p.Seal.Libraries[of.Library]; sealed != nil {
			out.Sealed = sealed.Version
		}
		if of.File != nil {
			out.Refused = c.refused(v, i, of)
			_, local := v.FallbackOf(i)
			line, column := v.Position(in.RefAttr.ValueStart)
			c.links.add(t.URL, of.File.Integrity, location{cp.File, line, column}, local != tags.Target{})
		}
	}
	if of.File != nil {
		out.Stem = min(of.File.Path, cmp.Or(of.File.OtherBuild, of.File.Path))
	}
	if c.profile == nil || of.Library == "" {
		return
	}
	if of.File != nil {
		out.Build, out.HasOtherBuild = of.File.Build, of.File.OtherBuild != ""
		_, local := v.FallbackOf(i)
		out.Fallback = local != tags.Target{} && c.leads.Has(local.Path)
		out.CanFallBack = c.profile.Fallback && (in.Kind == page.Stylesheet || in.Kind == page.Script &&
			(in.Module || in.When != page.Async && c.p.GlobalOf(of) != ""))
	}
	if lib := c.p.List.Library(of.Library); lib != nil {
		out.DevOnly = lib.Only == record.DevOnly
	}
}

// refused reports whether a link's integrity refuses the sealed bytes. A browser heeds the hashes of the strongest
// algorithm alone, and one of them must be right (Subresource Integrity, section 3.3.4).
func (c *inspection) refused(v *tags.Page, i int, of project.Sealed) bool {
	value, has := v.Attr(&v.Includes[i], "integrity")
	meta, err := integrity.Parse(value)
	if !has || err != nil {
		return false
	}
	strongest := meta.Strongest()
	if meta.Algorithm() == "sha384" {
		return !slices.Contains(strongest, of.File.Integrity)
	}
	b, err := c.p.LocalBytes(of)
	return err == nil && !meta.Match(b)
}

// A crate is the project as the checks of one page ask about it.
type crate struct {
	*inspection
	ctx context.Context // of the check of this page
}

// Has reports whether the site has a file.
func (c *crate) Has(name string) bool { return c.leads.Has(paths.Found(name)) }

// Near returns the file that was probably meant.
func (c *crate) Near(name string) (string, bool) {
	near, caseOnly := c.leads.Near(paths.Found(name))
	return near.String(), caseOnly
}

// LibraryOf is the library that a file of the site belongs to.
func (c *crate) LibraryOf(name string) string {
	return c.p.At(c.p.InProject(paths.Found(name))).Library
}

// Matches reports whether a file of the site has the bytes that an integrity attribute asks for.
func (c *crate) Matches(name, value string) bool { return c.matches(paths.Found(name), value) }

func (c *inspection) matches(name paths.InSite, value string) bool {
	meta, err := integrity.Parse(value)
	if err != nil {
		return true
	}
	b, err := c.p.ReadInSite(name)
	return err != nil || meta.Match(b)
}

// Profile is what pages are compared with.
func (c *crate) Profile() *check.Profile { return c.profile }

// Needs lists the libraries that one needs before it.
func (c *crate) Needs(library string) []string { return tags.Rules(c.p).Needs(library) }

// Supplier is the package that defines a global which libraries of the crate need.
func (c *crate) Supplier(global string) string {
	for _, name := range c.p.Seal.Names() {
		if of := c.p.Seal.Libraries[name].Unmet[global]; of != "" {
			return of
		}
	}
	return ""
}

// OwnOrder is the order that the packing list gives the site's own files.
func (c *crate) OwnOrder() []string { return c.p.List.Own.Order }

// Fails makes sure that a script stops where nothing on its page defines a global, before anybody is reported of it.
func (c *crate) Fails(it *order.Item, global string) bool {
	return c.scripts.Fails(c.ctx, it, global)
}

// Confirms verifies a need that reading a script found, before anybody is reported of it.
func (c *crate) Confirms(it *order.Item, global string) bool {
	return c.scripts.Confirms(c.ctx, it, global)
}

// Wants tells what a library wants of a page that it is on.
func (c *crate) Wants(library string) check.Wants { return c.sealed.wants[library] }

// Ref writes the reference from a page to a file of the site.
func (c *crate) Ref(p *check.Page, name string) string {
	ref, _ := tags.Reference(p.Page, paths.Found(p.File), paths.Found(name))
	return ref
}

// Newest is the year of the newest ECMAScript edition that the site's browsers know.
func (c *crate) Newest() int {
	return c.browsers.Edition()
}

// Provider tells who defines a global: a library of the crate, or an own script.
func (c *inspection) Provider(global string) (library, own string) {
	owns := c.providers.Of("", func() map[string]string {
		defines := map[string]string{}
		for _, name := range c.p.OwnFiles(c.site, packages.Script) {
			if k := c.scripts.Of(tags.Target{Path: name}); k != nil && k.Form != script.Module {
				for _, g := range k.Defines {
					if _, ok := defines[g.Name]; !ok {
						defines[g.Name] = name.String()
					}
				}
			}
		}
		return defines
	})
	return c.p.Globals()[global], owns[global]
}

// usesOf tells what the page available uses: by its tags, by what its scripts import, and what it names beside. Pages
// that use the same share one value.
func (c *inspection) usesOf(d *scratch, imported *graph.Graph, named []string) *uses {
	slices.Sort(named)
	u, v := &d.uses, &d.v
	u.libraries, u.files, u.named = u.libraries[:0], u.files[:0], append(u.named[:0], slices.Compact(named)...)
	for i := range v.Includes {
		if l := v.Library(i); l != "" && v.Includes[i].Inert == "" && !slices.Contains(u.libraries, l) {
			u.libraries = append(u.libraries, l)
		}
		if t := v.Targets[i].Path; !t.IsZero() {
			u.files = append(u.files, t.String())
		}
		if _, local := v.FallbackOf(i); !local.Path.IsZero() {
			u.files = append(u.files, local.Path.String())
		}
	}
	for _, f := range imported.Files() {
		if f.Of.Library != "" && !slices.Contains(u.libraries, f.Of.Library) {
			u.libraries = append(u.libraries, f.Of.Library)
		}
		if !f.Target.Path.IsZero() {
			u.files = append(u.files, f.Target.Path.String())
		}
	}
	if d.last == nil || !d.last.same(u) {
		key := strings.Join(u.libraries, "\n") + "\x00" + strings.Join(u.files, "\n") + "\x00" + strings.Join(u.named,
			"\n")
		d.last = c.shared.Of(key, func() *uses {
			return &uses{slices.Clone(u.libraries), slices.Clone(u.files), slices.Clone(u.named)}
		})
	}
	return d.last
}
