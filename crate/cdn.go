package crate

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// A CDN's pattern is an address with these words in it, each replaced by what it says of a file.
//
//	{name}     the library's name in its registry, or else in the crate
//	{version}  its exact version
//	{path}     the file's path in the delivery
//	{short}    that path without its first folder
//	{file}     the file's name alone
//	{stem}     the file's name up to its ending
//	{ending}   the rest of it: .js, .min.js, .css, .min.css
var cdnWords = []string{"{name}", "{version}", "{path}", "{short}", "{file}", "{stem}", "{ending}"}

// validPattern says what is wrong with a CDN's pattern, "" where nothing is.
func validPattern(pattern string) string {
	switch {
	case !source.IsAddress(pattern):
		return "it is no address: it begins with https://"
	case !strings.Contains(pattern, "{version}"):
		return "it has no {version}: a link without one gives other bytes tomorrow"
	case !slices.ContainsFunc([]string{"{path}", "{short}", "{file}", "{ending}"}, func(w string) bool { return strings.Contains(pattern, w) }):
		return "it has none of {path}, {short}, {file} and {ending}, so all files would have one address"
	}
	rest := pattern
	for _, w := range cdnWords {
		rest = strings.ReplaceAll(rest, w, "")
	}
	if strings.ContainsAny(rest, "{}") {
		return "it has a word that is none of " + strings.Join(cdnWords, " ")
	}
	return ""
}

// cdnAddress is where a CDN has a file of a library.
func cdnAddress(pattern string, lib *record.Library, version string, f *record.File) string {
	stem, ending := stemOf(path.Base(f.Path))
	return strings.NewReplacer("{name}", cdnName(lib), "{version}", version, "{path}", f.Path, "{short}", shortPath(f.Path),
		"{file}", path.Base(f.Path), "{stem}", stem, "{ending}", ending).Replace(pattern)
}

// stemOf splits a file's name before its ending, of which the build's mark is a part.
func stemOf(base string) (stem, ending string) {
	ending = path.Ext(base)
	stem = strings.TrimSuffix(base, ending)
	if m := path.Ext(stem); m == ".min" || m == ".slim" || m == ".bundle" {
		return strings.TrimSuffix(stem, m), m + ending
	}
	return stem, ending
}

// cdnName is what a CDN calls a library: its name in its registry, or else in the crate.
func cdnName(lib *record.Library) string {
	if pkg, ok := strings.CutPrefix(lib.From, fromRegistry); ok {
		return pkg
	}
	return lib.Name
}

// shortPath is a path without its first folder.
func shortPath(name string) string {
	if _, rest, ok := strings.Cut(name, "/"); ok {
		return rest
	}
	return name
}

// cdnNames lists the project's CDNs, sorted.
func (p *Project) cdnNames() []string {
	var names []string
	for n := range p.List.CDNs {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// indexAddresses tells which sealed file every address of the project's CDNs means.
func (p *Project) indexAddresses() {
	p.byAddress = map[string]Placed{}
	for _, lib := range p.List.Libraries {
		if p.Seal.Libraries[lib.Name] == nil && lib.Serve == "cdn" && source.IsAddress(lib.From) {
			p.byAddress[lib.From] = Placed{Library: lib.Name} // a link that can't be sealed
		}
	}
	for name, sealed := range p.Seal.Libraries {
		lib := p.List.Library(name)
		if lib == nil {
			continue
		}
		for i := range sealed.Files {
			f := &sealed.Files[i]
			for _, cdn := range p.List.CDNs {
				p.byAddress[cdnAddress(cdn, lib, sealed.Version, f)] = Placed{name, f}
			}
			if f.URL != "" {
				p.byAddress[f.URL] = Placed{name, f}
			}
		}
	}
}

// placed tells which sealed file a target is.
func (p *Project) placed(t Target) Placed {
	if t.Path != "" {
		return p.byPlace[p.inProject(t.Path)]
	}
	plain, _, _ := strings.Cut(t.URL, "?")
	for _, address := range []string{t.URL, plain} {
		if of, ok := p.byAddress[address]; ok {
			return of
		}
		if rest, ok := strings.CutPrefix(address, "http://"); ok && p.byAddress["https://"+rest].Library != "" {
			return p.byAddress["https://"+rest]
		}
	}
	return Placed{}
}

// linkAttributes are what a CDN link has beside its address: the hash that a browser demands, and the
// mode without which it could not look at the bytes to check (Subresource Integrity, section 3.5).
var linkAttributes = []string{"integrity", "crossorigin"}

func linkValues(f *record.File) map[string]string {
	return map[string]string{"integrity": f.Integrity, "crossorigin": "anonymous"}
}

// sameThere makes sure that an address gives a sealed file's very bytes. What was seen there once is
// known; a fresh run asks again.
func (r *Reach) sameThere(address string, f *record.File) error {
	if seen, ok := r.Cache.Recall(address); ok && !r.Fresh && seen.Integrity == f.Integrity {
		return nil
	}
	b, err := r.bytesAt(address)
	if err != nil {
		return err
	}
	if now := integrity.Of(b); now != f.Integrity {
		where := ""
		if own, err := r.Cache.Get(f.Integrity); err == nil {
			n := 0
			for n < len(own) && n < len(b) && own[n] == b[n] {
				n++
			}
			where = fmt.Sprintf("\n  they first differ at byte %d", n+1)
		}
		return refused("keep it local, or use another CDN", "%s gives other bytes than were sealed, so it can't stand for the local copy\n  sealed: %s\n  there:  %s%s", address, f.Integrity, now, where)
	}
	if err := r.Cache.Put(f.Integrity, b); err != nil {
		return err
	}
	return r.Cache.Remember(source.Seen{URL: address, Integrity: f.Integrity, Name: path.Base(f.Path)})
}

// inBuild returns a library's file in a build: the file itself, its pair, or, where there is no such
// pair, the file itself.
func inBuild(sealed *record.Sealed, f *record.File, build string) *record.File {
	if build == "" || f.Pair == "" || f.Build == build {
		return f
	}
	for i := range sealed.Files {
		if sealed.Files[i].Path == f.Pair {
			return &sealed.Files[i]
		}
	}
	return f
}

// supplyBuild adds to a library the other build of its files for pages, from the delivery in the cache,
// where only one build was taken.
func (p *Project) supplyBuild(name, build string, put func(at string, b []byte) error) error {
	sealed := p.Seal.Libraries[name]
	missing := slices.ContainsFunc(sealed.Files, func(f record.File) bool { return f.Page && f.Pair == "" && f.Build != "" && f.Build != build })
	if build == "" || !missing || sealed.Digest == "" {
		return nil
	}
	t, err := p.reach.Cache.OpenTree(sealed.Digest, path.Base(sealed.Origin))
	if err != nil {
		return nil // the cache does not have it; the pages keep the build that there is
	}
	o, err := describe(&opened{tree: t})
	if err != nil {
		return err
	}
	defer o.close()
	for i := range sealed.Files {
		f := &sealed.Files[i]
		d := o.File(f.Path)
		if !f.Page || f.Pair != "" || f.Build == build || d == nil || d.Pair == "" || o.File(d.Pair).Build != delivery.Build(build) {
			continue
		}
		f.Pair = d.Pair
		other := f.Path
		names := []string{d.Pair}
		if m := o.File(d.Pair).Map; m != "" && !slices.ContainsFunc(sealed.Files, func(f record.File) bool { return f.Path == m }) {
			names = append(names, m)
		}
		dir := path.Dir(f.At)
		for _, name := range names {
			b, err := o.tree.ReadFile(name)
			if err != nil {
				return err
			}
			at := path.Join(dir, path.Base(name))
			if !sealed.Linked {
				if err := put(at, b); err != nil {
					return err
				}
			}
			if err := p.reach.Cache.Put(integrity.Of(b), b); err != nil {
				return err
			}
			added := record.File{Path: name, At: at, Size: int64(len(b)), Integrity: integrity.Of(b)}
			if name == d.Pair {
				added.Build, added.Pair, added.Page = build, other, true
			}
			sealed.Files = append(sealed.Files, added)
		}
	}
	p.indexPlaces()
	return nil
}

// putLocal puts the local copies of a library into their places that pages only had links to so far.
func (p *Project) putLocal(name string, put func(at string, b []byte) error) error {
	sealed := p.Seal.Libraries[name]
	if !sealed.Linked {
		return nil
	}
	for i := range sealed.Files {
		f := &sealed.Files[i]
		b, err := p.bytesOf(name, sealed, f)
		if err != nil {
			return fmt.Errorf("the local copy of %s of %s: %w", f.Path, name, err)
		}
		if err := put(f.At, b); err != nil {
			return err
		}
	}
	sealed.Linked = false
	return nil
}
