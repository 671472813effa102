package packages

import (
	"cmp"
	"context"
	"math"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// parsedMost is the largest script that is parsed to tell what it is, in bytes.
const parsedMost = 6 << 20

// A reading says how much of a package's scripts is parsed, in bytes. Up to all it is each of them, without regard to
// names. Of a larger package it is the likeliest script, further likely ones up to likely, and what would be suggested.
type reading struct {
	all, likely int64
	both        bool // both builds of a script are parsed, though one tells what the other is
}

// usual is enough: a test compares what it tells with what reading everything does.
var (
	usual      = reading{all: 8 << 20, likely: 4 << 20}
	everything = reading{all: math.MaxInt64, both: true}
)

// readFiles reads the scripts and stylesheets. Parsing is slow beside all else, so the scripts of a package that is not
// small are only skimmed.
func (d *Package) readFiles(ctx context.Context, much reading) (small bool, err error) {
	var all int64
	for _, f := range d.Files {
		if f.Kind == Script && f.ExcludedBecause == "" {
			all += f.Size
		}
	}
	var read []int
	for i := range d.Files {
		if f := &d.Files[i]; f.Size <= analysed && f.ExcludedBecause == "" && (f.Kind == Script ||
			f.Kind == Stylesheet) {
			read = append(read, i)
		}
	}
	twins := map[*File]*File{}
	small = all <= much.all
	if small && !much.both {
		twins = d.twins()
	}
	var buffers sync.Pool
	err = parallel.Each(ctx, read, func(_ context.Context, i int) error {
		buf, _ := buffers.Get().(*[]byte)
		if buf == nil {
			buf = new([]byte)
		}
		defer buffers.Put(buf)
		var err error
		f := &d.Files[i]
		*buf, err = d.read(f, d.tree, *buf, small && twins[f] == nil)
		return err
	})
	if err != nil {
		return small, err
	}
	return small, d.parseTwins(ctx, twins)
}

// look reads a script in full.
func (d *Package) look(f *File, b []byte) {
	f.Script = d.scripts.Script(b)
	f.names, f.FindsItself = namesIn(b), findsItself(b)
	if runsBuild(f, b) {
		f.ExcludedBecause = "tools"
	}
	for _, from := range f.Script.ModuleImport {
		// A module's own parts come along as a stylesheet's files do; names of packages are somebody else's.
		if p, ok := resolve(f.Path, from); ok && strings.HasPrefix(from, ".") {
			_, there := d.index[p]
			f.Refs = append(f.Refs, Ref{URL: from, Path: p, There: there})
		}
	}
}

// lookAtLikely reads in full the scripts of a very large package that are likely to be what a page wants: those for
// which most speaks by their names, one of a pair: the likeliest, and others as far as so many bytes are left.
func (d *Package) lookAtLikely(ctx context.Context, left int64) error {
	type candidate struct {
		f     *File
		score int
	}
	var list []candidate
	for _, f := range d.ofKind(Script) {
		if f.Build == NoBuild || d.costs(f) > parsedMost || f.Build == Minified && f.OtherBuild != "" {
			continue
		}
		if score := d.rateName(f, nil).score; score >= likely || !f.forLoader {
			list = append(list, candidate{f, score})
		}
	}
	slices.SortFunc(list, func(a, b candidate) int {
		return cmp.Or(b.score-a.score, cmp.Compare(d.costs(a.f), d.costs(b.f)), strings.Compare(a.f.Path, b.f.Path))
	})
	best := list[:min(1, len(list))]
	for _, l := range list[len(best):] {
		if cost := d.costs(l.f); cost <= left {
			left -= cost
			best = append(best, l)
		}
	}
	return parallel.Each(ctx, best, func(_ context.Context, l candidate) error { return d.lookAt(l.f) })
}

// costs is how much is parsed to look at a script, in bytes.
func (d *Package) costs(f *File) int64 {
	if other := d.File(f.OtherBuild); other != nil && f.Build == Readable && marked(other) {
		return other.Size
	}
	return f.Size
}

// lookAt reads a script in full, or its minified build in its place.
func (d *Package) lookAt(f *File) error {
	other := d.File(f.OtherBuild)
	if other == nil || f.Build != Readable || !marked(other) {
		return d.lookInto(f)
	}
	if err := d.lookInto(other); err != nil || f.likeOther(other) {
		return err
	}
	if err := d.lookInto(f); err != nil {
		return err
	}
	if isModule(f) != isModule(other) {
		f.OtherBuild, other.OtherBuild = "", "" // a tag for the one does not load the other
	}
	return nil
}

// lookInto reads a script in full, if nobody has.
func (d *Package) lookInto(f *File) error {
	if f.Script != nil {
		return nil
	}
	b, err := d.tree.ReadFile(f.Path)
	if err == nil {
		d.look(f, b)
	}
	return err
}

// maxLooks is how many scripts of a very large package are read in full because they would be suggested.
const maxLooks = 60

// parseMain reads in full what would be suggested, until that has been: of a very large package only likely scripts
// were read before. The modules that a suggested one brings along are read, too.
func (d *Package) parseMain(ctx context.Context) error {
	d.ratings = map[*File]rating{}
	defer func() { d.ratings = nil }()
	for range maxLooks {
		if err := ctx.Err(); err != nil {
			return err
		}
		best, _ := d.main(Script)
		f := d.unread(best, map[*File]bool{})
		if f == nil {
			return nil
		}
		delete(d.ratings, f)
		delete(d.ratings, d.File(f.OtherBuild))
		if err := d.lookAt(f); err != nil {
			return err
		}
	}
	return nil
}

// unread finds a script that was not read in full yet: one itself, its other build, or a module that it brings along.
func (d *Package) unread(f *File, seen map[*File]bool) *File {
	if f == nil || seen[f] || f.Kind != Script {
		return nil
	}
	seen[f] = true
	if f.Script == nil && f.Size <= analysed {
		return f
	}
	for _, r := range f.Refs {
		if u := d.unread(d.File(r.Path), seen); u != nil {
			return u
		}
	}
	if f.OtherBuild != "" {
		return d.unread(d.File(f.OtherBuild), seen)
	}
	return nil
}

// twins lists the readable scripts that lie beside a minified build of them, as far as names tell (x.js beside
// x.min.js), each with that build. Both are the same to a page, so only the minified one is parsed: pages load that
// one, and it is the quicker to parse.
func (d *Package) twins() map[*File]*File {
	groups := map[string][]*File{}
	for _, f := range d.ofKind(Script) {
		key := path.Dir(f.Path) + "/" + stemOf(f.Path) + path.Ext(f.Path)
		groups[key] = append(groups[key], f)
	}
	list := map[*File]*File{}
	for _, g := range groups {
		if len(g) != 2 {
			continue
		}
		minified, readable := g[0], g[1]
		if minified.Size > readable.Size {
			minified, readable = readable, minified
		}
		if marked(minified) && !marked(readable) && minified.Size > 0 && readable.Size <= analysed {
			list[readable] = minified
		}
	}
	return list
}

// marked tells a file whose name has the mark of a build.
func marked(f *File) bool {
	base := strings.TrimSuffix(path.Base(f.Path), path.Ext(f.Path))
	return manifest.WithoutBuild(base) != base
}

// parseTwins gives readable scripts the reports of their minified builds, and parses those for which that won't do.
func (d *Package) parseTwins(ctx context.Context, twins map[*File]*File) error {
	var left []*File
	for i := range d.Files {
		f := &d.Files[i]
		if minified := twins[f]; minified != nil && f.ExcludedBecause == "" && !f.likeOther(minified) {
			left = append(left, f)
		}
	}
	return parallel.Each(ctx, left, func(_ context.Context, f *File) error { return d.lookInto(f) })
}

// likeOther gives a readable script what reading its minified build told, and reports whether that is to be had: both
// are what their names say, and load in the same way. Modules may have imports of their own, and what bundlers replace.
func (f *File) likeOther(minified *File) bool {
	r := minified.Script
	if r == nil || minified.Build != record.Minified || f.Build != record.Readable ||
		f.forLoader != minified.forLoader {
		return false
	}
	switch r.Form {
	case script.Classic, script.Universal:
	case script.Module:
		if len(r.ModuleImport) > 0 || r.NeedsBundler || f.forBundler {
			return false
		}
	default:
		return false
	}
	f.Script, f.names, f.FindsItself, f.ReadAs = r, minified.names, minified.FindsItself, minified.Path
	return true
}
