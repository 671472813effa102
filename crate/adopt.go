package crate

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"net/url"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/style"
)

// AdoptRequest asks for tags that nobody recorded to be taken under record.
type AdoptRequest struct {
	Pages  []string // whose tags; with Pasted, the pages that these go on
	Pasted string   // tags from elsewhere
	Dir    string
	Tag    string // only tags whose reference contains this
	As     string // NAME or NAME@VERSION, for what can't be recognised
	From   string // a source in which the bytes are looked for
}

// Adopted says what adopt recognised and did.
type Adopted struct {
	Outcome
	Tags  []AdoptedTag      `json:"tags"`
	Pages []IncludedPage    `json:"pages,omitempty"` // that pasted tags went on
	CDNs  map[string]string `json:"cdns,omitempty"`  // patterns that were learned on the way
	Notes []string          `json:"notes,omitempty"`
}

// AdoptedTag is one script or stylesheet, on however many pages.
type AdoptedTag struct {
	Ref     string    `json:"ref"`
	At      string    `json:"at"` // page:line:column of the first tag
	Pages   int       `json:"pages"`
	Library string    `json:"library,omitempty"`
	Version string    `json:"version,omitempty"`
	File    string    `json:"file,omitempty"`
	Sure    Certainty `json:"sure"`
	Because []string  `json:"because,omitempty"`
	State   string    `json:"state"` // adopted, desk, asked, own, left
	Why     string    `json:"why,omitempty"`
	Next    string    `json:"next,omitempty"`
}

// The states of a tag that adopt looked at.
const (
	StateAdopted = "adopted"
	StateDesk    = "desk"  // recorded for the desk only: its bytes may change
	StateAsked   = "asked" // it is a library, and its name or version can't be told
	StateOwn     = "own"   // nothing tells that it is a library
	StateLeft    = "left"  // it could not be adopted
)

// candidate is something that tags refer to and nobody recorded.
type candidate struct {
	AdoptedTag
	target Target
	style  bool
	links  []string // the integrity attributes of its tags
	what   *recognised
}

// Adopt takes tags under record that are on pages, or that were copied from somewhere.
func (p *Project) Adopt(req AdoptRequest) (*Adopted, error) {
	set, site, pages, err := p.begin("adopt "+strings.Join(req.Pages, " "), req.Pages, req.Dir, false)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	var list []*candidate
	var pasted *view
	if req.Pasted != "" {
		if pasted, err = p.view(pages[0], []byte(req.Pasted)); err != nil {
			return nil, err
		}
		list = p.candidates(pasted, nil)
		if len(list) == 0 && !slices.ContainsFunc(pasted.library, func(l string) bool { return l != "" }) {
			return nil, usage("paste the whole tag: <script src=…></script> or <link rel=stylesheet href=…>", "there is no script or stylesheet tag in what was pasted")
		}
	} else if list, err = p.unrecorded(pages); err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(c *candidate) bool { return !strings.Contains(c.Ref, req.Tag) })
	if req.Tag != "" && len(list) == 0 {
		return nil, refused("merry adopt PAGE --dry-run lists what nobody recorded", "no tag that nobody recorded refers to something with %s in it", req.Tag)
	}
	if req.As != "" && len(list) > 1 {
		return nil, usage("--tag TEXT picks those whose reference contains it", "--as names one library, and there are %d tags that nobody recorded", len(list))
	}
	if _, err := forEach(list, func(c *candidate) (struct{}, error) { return struct{}{}, p.makeOut(c, site, req) }); err != nil {
		return nil, err
	}
	a := &adopting{p: p, set: set, out: &Adopted{CDNs: map[string]string{}}}
	if err := a.all(list); err != nil {
		return nil, err
	}
	if pasted != nil {
		for _, c := range list {
			if c.State != StateAdopted && c.State != StateDesk {
				return nil, refused(c.Next, "%s: %s", c.Ref, orWord(c.Why, "nothing tells what it is"))
			}
		}
		if a.out.Pages, err = a.paste(pasted, pages); err != nil {
			return nil, err
		}
	}
	for _, c := range list {
		a.out.Tags = append(a.out.Tags, c.AdoptedTag)
	}
	text, err := record.SetLibraries(p.list, a.entries)
	if err != nil {
		return nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(a.out.CDNs)) {
		if text, err = record.SetText(text, a.out.CDNs[name], "cdns", name); err != nil {
			return nil, err
		}
	}
	oc, err := p.commit(set, text)
	if err != nil {
		return nil, err
	}
	a.out.Outcome = *oc
	return a.out, nil
}

// unrecorded lists what tags on pages refer to and nobody recorded, in the order in which it is met.
func (p *Project) unrecorded(pages []string) ([]*candidate, error) {
	views, err := forEach(pages, func(name string) (*view, error) {
		b, err := readInto(p.path(p.inProject(name)), nil)
		if err != nil {
			return nil, err
		}
		v, err := p.view(name, b)
		if err != nil {
			return nil, nil // check tells of it
		}
		return v, nil
	})
	if err != nil {
		return nil, err
	}
	var list []*candidate
	for _, v := range views {
		if v != nil {
			list = p.candidates(v, list)
		}
	}
	return list, nil
}

// candidates adds to a list what the tags of one page refer to.
func (p *Project) candidates(v *view, list []*candidate) []*candidate {
	for i := range v.Includes {
		in, t := &v.Includes[i], v.targets[i]
		if !v.runs(i) || v.library[i] != "" || t.Path == "" && t.URL == "" {
			continue
		}
		at := slices.IndexFunc(list, func(c *candidate) bool { return c.target == t })
		if at < 0 {
			c := &candidate{target: t, style: v.isStyle(i)}
			c.Ref = in.Ref
			line, column := page.Position(v.Bytes, in.Start)
			c.At = fmt.Sprintf("%s:%d:%d", v.path, line, column)
			at, list = len(list), append(list, c)
		}
		list[at].Pages++
		if value, ok := v.Attr(in, "integrity"); ok && !slices.Contains(list[at].links, value) {
			list[at].links = append(list[at].links, value)
		}
	}
	return list
}

// makeOut reads or fetches what a candidate refers to, and recognises it.
func (p *Project) makeOut(c *candidate, site *Site, req AdoptRequest) error {
	c.Sure = Unknown
	leave := func(why, next string) { c.State, c.Why, c.Next = StateLeft, why, next }
	var b []byte
	var err error
	if c.target.URL != "" {
		b, err = p.reach.seenOnce(c.target.URL)
		if err != nil && p.reach.Offline {
			return err
		}
		if err != nil {
			leave("its address gives nothing: "+err.Error(), "try again, or take the tag off")
			return nil
		}
	} else if b, err = readInto(p.path(p.inProject(c.target.Path)), nil); errors.Is(err, fs.ErrNotExist) {
		next := "put the file there, or merry take the library"
		if near, _ := newChecker(p, site).Near(c.target.Path); near != "" {
			next = "the nearest file is " + near + "; write that in the tag"
		}
		leave("there is no file "+c.target.Path, next)
		return nil
	} else if err != nil {
		return err
	}
	for _, value := range c.links {
		meta, err := integrity.Parse(value)
		if err != nil {
			leave("its integrity is none: "+err.Error(), "copy the tag again from where it came from")
			return nil
		}
		if !meta.Match(b) {
			leave(fmt.Sprintf("its integrity is not that of the bytes\n  the tag:  %s\n  the file: %s", meta.Strongest()[0], integrity.Of(b)), "copy the tag again from where it came from; a browser would refuse the file")
			return nil
		}
	}
	if c.what, err = p.recognise(c.target, b, req.As, req.From, req.Dir); err != nil {
		return err
	}
	w := c.what
	if w.floating != "" && w.source == nil {
		// A second look tells what is only possible from what is so.
		if again, err := p.reach.bytesAt(c.target.URL); err == nil && integrity.Of(again) != integrity.Of(b) {
			w.floating += ", and the second time it gave other bytes"
		}
	}
	c.Library, c.Version, c.File, c.Sure, c.Because = strings.ToLower(w.name), w.version, w.path, w.sure, w.because
	switch {
	case w.known != nil && c.target.Path != "" && p.inProject(c.target.Path) != w.known.At:
		at, _ := p.inSite(w.known.At)
		leave("it is a second copy of "+at+" of "+w.name, fmt.Sprintf("refer to %s instead, and remove this file", at))
	case w.floating != "" && w.name != "" && w.known == nil:
		c.State, c.Version = StateDesk, ""
		c.Why = w.floating + ": it can't be sealed, and is for the desk only"
		c.Next = "link to one version before it ships"
	case w.sure != Unknown:
		c.State = StateAdopted
	case c.target.URL == "" && len(w.because) == 0:
		c.State, c.Why = StateOwn, "nothing tells that it is a library; it counts as the site's own"
		c.Library, c.Next = "", fmt.Sprintf("if it is one: merry adopt %s --tag %s --as NAME@VERSION", pageOf(c.At), c.Ref)
	default:
		c.State = StateAsked
		c.Why = "its version can't be told"
		if w.name == "" {
			c.Why = "its name can't be told"
		}
		c.Next = fmt.Sprintf("merry adopt %s --tag %s --as %s@VERSION", pageOf(c.At), c.Ref, orWord(c.Library, "NAME"))
		if req.Pasted != "" {
			c.Next = fmt.Sprintf("paste it again with --as %s@VERSION", orWord(c.Library, "NAME"))
		}
	}
	return nil
}

func pageOf(at string) string { name, _, _ := strings.Cut(at, ":"); return name }

// seenOnce fetches an address, or returns what it gave before.
func (r *Reach) seenOnce(address string) ([]byte, error) {
	if seen, ok := r.Cache.Recall(address); ok && !r.Fresh {
		if b, err := r.Cache.Get(seen.Integrity); err == nil {
			return b, nil
		}
	}
	b, err := r.bytesAt(address)
	if err != nil {
		return nil, err
	}
	integ := integrity.Of(b)
	if err := r.Cache.Put(integ, b); err != nil {
		return nil, err
	}
	return b, r.Cache.Remember(source.Seen{URL: address, Integrity: integ, Name: path.Base(address)})
}

// adopting is one change in which recognised tags are recorded.
type adopting struct {
	p       *Project
	set     *change.Set
	out     *Adopted
	entries []record.Library
}

func (a *adopting) all(list []*candidate) error {
	groups := map[string][]*candidate{}
	var order []string
	for _, c := range list {
		switch c.State {
		case StateDesk:
			a.desk(c)
		case StateAdopted:
			if old := a.p.List.Library(c.Library); old != nil && old.Version != c.Version {
				c.State, c.Why = StateLeft, fmt.Sprintf("the crate has %s %s, and this is %s: a page with both would run it twice", c.Library, old.Version, c.Version)
				c.Next = fmt.Sprintf("take this tag off; or merry adopt %s --tag %s --as OTHERNAME@%s to have both", pageOf(c.At), c.Ref, c.Version)
				continue
			}
			if first := groups[c.Library]; first != nil && first[0].Version != c.Version {
				c.State, c.Why = StateLeft, fmt.Sprintf("pages have %s %s (%s) and %s: two versions of one library", c.Library, first[0].Version, first[0].Ref, c.Version)
				c.Next = "make them one version first"
				continue
			}
			if groups[c.Library] == nil {
				order = append(order, c.Library)
			}
			groups[c.Library] = append(groups[c.Library], c)
		}
	}
	for _, name := range order {
		if err := a.library(name, groups[name]); err != nil {
			return err
		}
	}
	a.p.defining.Lock()
	a.p.defines = nil
	a.p.defining.Unlock()
	defined := a.p.globals()
	for _, name := range order {
		lib := a.p.List.Library(name)
		for _, c := range groups[name] {
			if !c.style {
				needsBy(lib, script.Analyze(c.what.bytes), defined)
			}
		}
		a.entries = append(a.entries, *lib)
	}
	return nil
}

// desk records a link whose bytes may change: by its address alone, and not to be shipped.
func (a *adopting) desk(c *candidate) {
	if old := a.p.List.Library(c.Library); old != nil {
		c.State, c.Why = StateLeft, c.Why+"; and the crate has "+c.Library+" "+old.Version
		c.Next = fmt.Sprintf("take this tag off, and merry include %s --page %s", c.Library, pageOf(c.At))
		return
	}
	entry := record.Library{Name: c.Library, From: c.target.URL, Serve: "cdn", Only: "desk"}
	a.entries = append(a.entries, entry)
	a.p.List.Libraries = append(a.p.List.Libraries, entry)
	a.p.indexPlaces()
}

// library records the files of one library.
func (a *adopting) library(name string, list []*candidate) error {
	p := a.p
	if err := validName(name); err != nil {
		return err
	}
	files, d, sel, err := a.gather(list)
	if err != nil {
		return err
	}
	lib := record.Library{Name: name, Version: list[0].Version, Serve: "cdn"}
	sealed := &record.Sealed{Version: lib.Version, Linked: true}
	if old := p.List.Library(name); old != nil {
		lib = *old
		if p.Seal.Libraries[name] != nil {
			copied := *p.Seal.Libraries[name]
			copied.Files = slices.Clone(copied.Files)
			sealed = &copied
		}
	}
	local := map[string]bool{}
	for _, c := range list {
		if c.target.Path != "" {
			lib.Serve, sealed.Linked = "local", false
			local[c.File] = true
		}
	}
	switch o := files.source; {
	case p.List.Library(name) != nil:
	case o != nil:
		lib.From = originFor(p.Root, o)
		if sealed.Digest, err = o.tree.Digest(); err != nil {
			return err
		}
		sealed.Licence = o.Licence
	default:
		lib.From = orWord(list[0].target.URL, p.inProject(list[0].target.Path))
		sealed.Licence = d.Licence
	}
	sealed.Origin = lib.From
	at, err := a.places(&lib, list, d, sel)
	if err != nil {
		return err
	}
	for _, choice := range sel.Choices {
		f := d.File(choice.Path)
		b, err := files.ReadFile(choice.Path)
		if err != nil {
			return err
		}
		rf := record.File{Path: choice.Path, At: p.inProject(at[choice.Path]), Size: int64(len(b)), Integrity: integrity.Of(b), Build: string(f.Build), Page: choice.Page, Module: isModule(f)}
		if f.Pair != "" && sel.Has(f.Pair) {
			rf.Pair = f.Pair
		}
		if i := slices.IndexFunc(sealed.Files, func(old record.File) bool { return old.Path == rf.Path }); i >= 0 && !local[choice.Path] {
			rf.At, rf.Pair = sealed.Files[i].At, sealed.Files[i].Pair // it is in the crate, and stays where it is
		}
		if !p.opt.Dry {
			if err := p.reach.Cache.Put(rf.Integrity, b); err != nil {
				return err
			}
		}
		if !sealed.Linked {
			if err := p.putFile(a.set, name, rf.At, b, false); err != nil {
				return err
			}
		}
		sealed.Files = slices.DeleteFunc(sealed.Files, func(old record.File) bool { return old.Path == rf.Path })
		sealed.Files = append(sealed.Files, rf)
	}
	if f := files.source; f != nil && !p.opt.Dry {
		if err := p.reach.keep(f, sealed); err != nil {
			return err
		}
	}
	lib.Take = union(lib.Take, takeList(d, sel))
	p.Seal.Libraries[name] = sealed
	a.addresses(&lib, sealed, list)
	if old := p.List.Library(name); old != nil {
		*old = lib
	} else {
		p.List.Libraries = append(p.List.Libraries, lib)
	}
	p.indexPlaces()
	return nil
}

func union(a, b []string) []string {
	out := slices.Clone(a)
	for _, x := range b {
		if !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	return out
}

// gathered are the files of a library that is adopted, by path: in the source that has them, or as they were
// found.
type gathered struct {
	source *opened
	files  map[string][]byte
}

func (g *gathered) ReadFile(name string) ([]byte, error) {
	if g.source != nil {
		return g.source.tree.ReadFile(name)
	}
	if b, ok := g.files[name]; ok {
		return b, nil
	}
	return nil, fs.ErrNotExist
}

func (g *gathered) ReadInto(name string, _ []byte) ([]byte, error) { return g.ReadFile(name) }

// gather brings together what the tags of a library refer to, and what that refers to in its turn.
func (a *adopting) gather(list []*candidate) (*gathered, *delivery.Delivery, *delivery.Selection, error) {
	g := &gathered{source: list[0].what.source, files: map[string][]byte{}}
	wanted := map[string]bool{}
	for _, c := range list {
		wanted[c.File] = true
		if c.what.source != g.source {
			g.source = nil // not all of it is from there, so it is taken as it was found
		}
	}
	choose := func(name string) (string, bool) { return "adopted", wanted[name] }
	if g.source != nil {
		return g, g.source.Delivery, g.source.Choose(choose), nil
	}
	for _, c := range list {
		g.files[c.File] = c.what.bytes
		if c.style {
			if err := a.closure(c, g.files); err != nil {
				return nil, nil, nil, err
			}
		}
	}
	var items []delivery.Item
	for name, b := range g.files {
		items = append(items, delivery.Item{Path: name, Size: int64(len(b))})
	}
	slices.SortFunc(items, func(x, y delivery.Item) int { return strings.Compare(x.Path, y.Path) })
	d, err := delivery.Describe(list[0].Library, items, g, workers())
	if err != nil {
		return nil, nil, nil, err
	}
	return g, d, d.Choose(choose), nil
}

// closure brings what a stylesheet refers to. What is not there is not brought; check tells of it.
func (a *adopting) closure(c *candidate, files map[string][]byte) error {
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
		if c.target.Path != "" {
			b, err = readInto(a.p.path(a.p.inProject(path.Join(path.Dir(c.target.Path), u.Path))), nil)
		} else if base, perr := url.Parse(c.target.URL); perr == nil {
			full := base.ResolveReference(&url.URL{Path: u.Path})
			full.RawQuery = ""
			b, err = a.p.reach.seenOnce(full.String())
		}
		if err == nil {
			files[name] = b
		}
	}
	return nil
}

// places says where in the site each file is, or would be: what is there stays there, with what it refers to
// beside it; links get the places that take would give them.
func (a *adopting) places(lib *record.Library, list []*candidate, d *delivery.Delivery, sel *delivery.Selection) (map[string]string, error) {
	habits, together := a.p.habitsFor(lib)
	place, err := d.Place(sel, lib.Name, lib.Version, habits, together, nil)
	if err != nil {
		return nil, err
	}
	if place.Together && a.p.List.Arrange != "together" {
		lib.Arrange = "together"
	}
	at := place.At
	for _, c := range list {
		if c.target.Path == "" {
			continue
		}
		at[c.File] = c.target.Path
		if f := d.File(c.File); f != nil {
			for _, r := range f.Refs {
				if _, chosen := at[r.Path]; chosen {
					at[r.Path] = path.Join(path.Dir(c.target.Path), delivery.Relative(path.Dir(c.File), r.Path))
				}
			}
		}
	}
	return at, nil
}

// addresses makes the links of a library known: by a CDN's pattern where one explains them, else each by itself.
func (a *adopting) addresses(lib *record.Library, sealed *record.Sealed, list []*candidate) {
	for _, c := range list {
		if c.target.URL == "" {
			continue
		}
		i := slices.IndexFunc(sealed.Files, func(f record.File) bool { return f.Path == c.File })
		f := &sealed.Files[i]
		known := false
		for _, pattern := range a.p.List.CDNs {
			known = known || cdnAddress(pattern, lib, lib.Version, f) == c.target.URL
		}
		if known {
			continue
		}
		if patterns := patternsOf(c.target.URL, lib, lib.Version, f); len(patterns) > 0 && strings.Contains(patterns[0], "{name}") {
			name := cdnNameFor(c.target.URL)
			for n := 2; a.p.List.CDNs[name] != ""; n++ {
				name = fmt.Sprintf("%s%d", cdnNameFor(c.target.URL), n)
			}
			if a.p.List.CDNs == nil {
				a.p.List.CDNs = map[string]string{}
			}
			a.p.List.CDNs[name], a.out.CDNs[name] = patterns[0], patterns[0]
			continue
		}
		f.URL = c.target.URL
	}
}

// cdnNameFor names a CDN after its host.
func cdnNameFor(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return "cdn"
	}
	labels := strings.Split(u.Hostname(), ".")
	return labels[max(0, len(labels)-2)]
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

// paste puts the pasted tags on pages, as they are written, where their libraries belong.
func (a *adopting) paste(pasted *view, pages []string) ([]IncludedPage, error) {
	again, err := a.p.view(pasted.path, pasted.Bytes) // now that its libraries are known
	if err != nil {
		return nil, err
	}
	return a.p.editPages(a.set, pages, func(v *view) ([]byte, IncludedPage, error) {
		var done IncludedPage
		for i := range again.Includes {
			if !again.runs(i) || again.library[i] == "" {
				continue
			}
			ref := again.Includes[i].Ref
			if slices.Contains(v.targets, again.targets[i]) {
				done.Already = append(done.Already, ref)
				continue
			}
			f := wanted{library: again.library[i], style: again.isStyle(i)}
			if of := a.p.placed(again.targets[i]); of.File != nil {
				f.at, _ = a.p.inSite(of.File.At)
			}
			spot, _ := a.p.spotFor(v, f)
			b, err := v.put(spot, string(again.Bytes[again.Includes[i].Start:again.Includes[i].End]))
			if err != nil {
				return nil, done, err
			}
			done.Added = append(done.Added, ref)
			if v, err = a.p.view(v.path, b); err != nil {
				return nil, done, err
			}
		}
		return v.Bytes, done, nil
	})
}
