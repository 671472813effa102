package adopt

import (
	"cmp"
	"context"
	"fmt"
	"io/fs"
	"maps"
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/texts"
)

// all records the candidates that were recognised, library by library.
func (a *adoption) all(ctx context.Context, list []*candidate) error {
	groups := map[string][]*candidate{}
	var order []string
	for _, c := range list {
		switch c.State {
		case StateDevOnly:
			a.devOnly(c)
		case StateAdopted:
			if !a.separate(c, groups) {
				continue
			}
			if groups[c.Library] == nil {
				order = append(order, c.Library)
			}
			groups[c.Library] = append(groups[c.Library], c)
		}
	}
	for _, name := range order {
		if err := a.library(ctx, name, groups[name]); err != nil {
			return err
		}
	}
	a.needs(order, groups)
	return nil
}

// separate gives a candidate a name of its own where its library is on other pages in another version, or from another
// file. It reports whether the candidate can be recorded: one page has one version.
func (a *adoption) separate(c *candidate, groups map[string][]*candidate) bool {
	name := c.Library
	for n := 0; ; n++ {
		old, group := a.d.List.Library(c.Library), groups[c.Library]
		other := old != nil && old.Version != c.Version || len(group) > 0 && group[0].Version != c.Version
		pages := slices.Clone(a.has[c.Library])
		for _, g := range group {
			pages = append(pages, g.on...)
			other = other || g.File == c.File && g.target != c.target && g.target.URL == "" && c.target.URL == ""
		}
		switch {
		case !other:
			return true
		case a.req.As != "" || a.req.Pasted != "" || shared(c.on, pages):
			c.Library, c.State = name, StateLeft
			if old != nil {
				c.Why = fmt.Sprintf("the crate has %s %s, and this is %s: a page with both would run it twice", name,
					old.Version, c.Version)
			} else {
				c.Why = fmt.Sprintf("a page has %s %s, and this is %s: it would run twice there", name,
					group[0].Version,
					c.Version)
			}
			c.Next = fmt.Sprintf("remove this tag; or, to have both: merry adopt %s --tag %s --as OTHERNAME@%s",
				pageOf(c.At), texts.Word(c.Ref), c.Version)
			return false
		case n == 0:
			major, _, _ := strings.Cut(c.Version, ".")
			c.Library = name + "-" + major
		case n == 1:
			c.Library = name + "-" + c.Version
		default:
			c.Library = fmt.Sprintf("%s-%s-%d", name, c.Version, n)
		}
	}
}

// shared reports whether two lists of pages have one in common.
func shared(a, b []paths.InSite) bool {
	return slices.ContainsFunc(a, func(p paths.InSite) bool { return slices.Contains(b, p) })
}

// needs records which libraries need which: of several that define a global, the one that is on the same page.
func (a *adoption) needs(order []string, groups map[string][]*candidate) {
	known := a.d.Before.With(a.d.List, a.d.Seal).Globals()
	for _, name := range order {
		lib := a.d.List.Library(name)
		for _, c := range groups[name] {
			if c.style {
				continue
			}
			defined := maps.Clone(known)
			for _, there := range a.d.Before.Seal.Names() {
				if !shared(c.on, a.has[there]) {
					continue
				}
				for _, f := range a.d.Before.Seal.Libraries[there].Files {
					if f.Facts != nil {
						for _, g := range f.Facts.Defines {
							defined[g] = there
						}
					}
				}
			}
			for _, other := range order {
				for _, d := range groups[other] {
					if d.style || !shared(c.on, d.on) {
						continue
					}
					for _, g := range a.d.Before.Facts.Script(d.what.bytes).Defines {
						defined[g.Name] = other // its bytes may not be in their place yet
					}
				}
			}
			needsBy(lib, a.d.Before.Facts.Script(c.what.bytes), defined)
		}
	}
}

// devOnly records a link whose bytes may change: by its address alone, and not to be shipped.
func (a *adoption) devOnly(c *candidate) {
	if old := a.d.List.Library(c.Library); old != nil {
		c.State, c.Why = StateLeft, c.Why+"; and the crate has "+c.Library+" "+old.Version
		c.Next = fmt.Sprintf("remove this tag; then: merry include %s --page %s", c.Library, pageOf(c.At))
		return
	}
	a.d.List.Put(record.Library{Name: c.Library, From: c.target.URL, Serve: record.CDN, Only: record.DevOnly})
}

// library records the files of one library.
func (a *adoption) library(ctx context.Context, name string, list []*candidate) error {
	if err := record.ValidName(name); err != nil {
		return err
	}
	source, files, d, sel, err := a.gather(ctx, list)
	if err != nil {
		return err
	}
	lib := record.Library{Name: name, Version: list[0].Version, Serve: record.CDN}
	sealed := &record.Sealed{Version: lib.Version, Linked: true}
	old := a.d.List.Library(name)
	if old != nil {
		lib = *old
		if s := a.d.Seal.Libraries[name]; s != nil {
			sealed = s
		}
	}
	local := map[string]bool{}
	for _, c := range list {
		if !c.target.Path.IsZero() {
			lib.Serve, sealed.Linked = record.Local, false
			local[c.File] = true
		}
	}
	switch o := source; {
	case old != nil:
	case o != nil:
		lib.From = o.For(string(a.d.Before.Root))
		if sealed.Digest, err = o.Tree.Digest(); err != nil {
			return err
		}
		sealed.Licence = o.Licence
	default:
		lib.From = cmp.Or(list[0].target.URL, a.d.Before.InProject(list[0].target.Path).String())
		sealed.Licence = d.Licence
	}
	sealed.Origin = lib.From
	at, err := a.places(&lib, list, d, sel)
	if err != nil {
		return err
	}
	// What is in the crate stays where it is.
	pairs := map[string]string{}
	for _, choice := range sel.Choices {
		if f := sealed.File(choice.Path); f != nil && !local[choice.Path] {
			at[choice.Path], _ = a.d.Before.InSite(f.At)
			pairs[choice.Path] = f.OtherBuild
		}
	}
	taken, err := a.d.Take(ctx, name, files, d, sel, at, sealed.Linked, reconcile.Refuse)
	if err != nil {
		return err
	}
	for _, f := range taken {
		if pair, ok := pairs[f.Path]; ok {
			f.OtherBuild = pair
		}
		sealed.Files = slices.DeleteFunc(sealed.Files, func(old record.File) bool { return old.Path == f.Path })
		sealed.Files = append(sealed.Files, f)
	}
	if err := a.store(ctx, source, files, taken, sealed); err != nil {
		return err
	}
	lib.Take = unite(lib.Take, d.Named(sel))
	a.d.Seal.Libraries[name] = sealed
	a.addresses(&lib, sealed, list)
	a.d.List.Put(lib)
	return nil
}

// store keeps in the cache what was adopted, so that it can be had again.
func (a *adoption) store(ctx context.Context, source *origin.Opened, files packages.Tree, taken []record.File,
	sealed *record.Sealed) error {
	if a.d.Dry() {
		return nil
	}
	for _, f := range taken {
		b, err := files.ReadFile(f.Path)
		if err != nil {
			return err
		}
		if err := a.d.Before.Origin.Cache.Put(f.Integrity, b); err != nil {
			return err
		}
	}
	if source != nil {
		return a.d.Before.Origin.Store(ctx, source, &record.Sealed{Digest: sealed.Digest, Files: taken})
	}
	return nil
}

// unite returns the texts of both lists, each once.
func unite(a, b []string) []string {
	out := slices.Clone(a)
	for _, x := range b {
		if !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	return out
}

// gather brings together what the tags of a library refer to, and what that refers to in its turn. The source is the
// one that has it all, nil if the files are as they were found.
func (a *adoption) gather(ctx context.Context, list []*candidate) (source *origin.Opened, files packages.Tree,
	pkg *packages.Package, sel *packages.Selection, err error) {
	source = list[0].what.source
	wanted := map[string]bool{}
	for _, c := range list {
		wanted[c.File] = true
		if c.what.source != source {
			source = nil // not all of it is from there, so it is taken as it was found
		}
	}
	choose := func(name string) (string, bool) { return "adopted", wanted[name] }
	if source != nil {
		return source, source.Tree, source.Package, source.Choose(choose), nil
	}
	found := packages.InMemory{}
	for _, c := range list {
		found[c.File] = c.what.bytes
		if c.style {
			if err := a.closure(ctx, c, found); err != nil {
				return nil, nil, nil, nil, err
			}
		}
	}
	if pkg, err = found.Describe(ctx, list[0].Library, a.d.Before.Facts); err != nil {
		return nil, nil, nil, nil, err
	}
	return nil, found, pkg, pkg.Choose(choose), nil
}

// closure brings what a stylesheet refers to. What is not there is not brought; check tells of it.
func (a *adoption) closure(ctx context.Context, c *candidate, files map[string][]byte) error {
	for _, r := range style.References(c.what.bytes) {
		u, err := url.Parse(r.URL)
		if err != nil || u.Host != "" || u.Scheme != "" || strings.HasPrefix(u.Path, "/") {
			continue
		}
		name := path.Join(path.Dir(c.File), u.Path)
		if !fs.ValidPath(name) {
			continue
		}
		var b []byte
		if !c.target.Path.IsZero() {
			b, err = a.d.Before.ReadInSite(paths.Found(path.Join(c.target.Path.Dir(), u.Path)))
		} else if base, perr := url.Parse(c.target.URL); perr == nil {
			full := base.ResolveReference(&url.URL{Path: u.Path})
			full.RawQuery = ""
			b, err = a.d.Before.Origin.FetchOnce(ctx, full.String())
		}
		if err == nil {
			files[name] = b
		}
	}
	return nil
}

// places says where in the site each file is, or would be: what is there stays there, with what it refers to
// beside it; links get the places that take would give them.
func (a *adoption) places(lib *record.Library, list []*candidate, d *packages.Package,
	sel *packages.Selection) (map[string]paths.InSite, error) {
	habits, arrange := project.HabitsFor(a.d.List, lib)
	place, err := placement.Place(d, sel, placement.Wish{Library: lib.Name, Version: lib.Version, Habits: habits,
		Arrange: arrange, Into: lib.Into})
	if err != nil {
		return nil, err
	}
	at, own := maps.Clone(place.At), map[string]string{}
	defer func() { lib.Places = libraries.Own(sel, at, lib.Places, own) }()
	for _, c := range list {
		if c.target.Path.IsZero() {
			continue
		}
		if at[c.File] = c.target.Path; at[c.File] != place.At[c.File] {
			own[c.File] = c.target.Path.String()
		}
		f := d.File(c.File)
		if f == nil {
			continue
		}
		for _, r := range f.Refs {
			if _, chosen := at[r.Path]; chosen {
				at[r.Path] = paths.Found(path.Join(c.target.Path.Dir(), packages.PathOf(r.URL)))
			}
		}
	}
	return at, nil
}

// addresses makes the links of a library known: by a CDN's pattern where one explains them, else each alone.
func (a *adoption) addresses(lib *record.Library, sealed *record.Sealed, list []*candidate) {
	for _, c := range list {
		f := sealed.File(c.File)
		if c.target.URL == "" || f == nil {
			continue
		}
		if name := libraries.LearnCDN(a.d.List, lib, f, c.target.URL, f.Path); name != "" {
			a.out.CDNs[name] = a.d.List.CDNs[name]
		}
	}
}

// needsBy records what a library's script needs on a page, as far as the crate has it.
func needsBy(lib *record.Library, r *script.Report, defined map[string]string) {
	for _, n := range r.Hard() {
		for _, g := range append([]string{n.Name}, n.Or...) {
			if by := defined[g]; by != "" && by != lib.Name && !slices.Contains(lib.Needs, by) {
				lib.Needs = append(lib.Needs, by)
			}
		}
	}
}
