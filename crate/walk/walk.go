package walk

import (
	"context"
	"encoding/binary"
	"errors"
	"io/fs"
	"iter"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/manifest"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
)

// A Site is the list of a site's files.
type Site struct {
	Pages  []paths.InSite         // sorted
	Others map[paths.InSite]int64 // the files that are no pages, to their size in bytes
	// Stamp tells one state of all files that are no pages from another: it sums up names, sizes and times.
	Stamp uint64
	// Stamps has the stamps of the pages, in their order, where the walk was asked to look at them; the zero value for
	// one that is no plain file.
	Stamps []disk.Stamp
	// Excluded are files and folders that are not walked, each with the reason: what version control or the packing
	// list leaves out, and folders of installed packages. A folder of version control itself has no reason.
	Excluded map[string]string
	// Skipped are names of pages, scripts and stylesheets that are no plain files, each with the reason, sorted.
	Skipped []string
	// UnmatchedPatterns are the patterns of the packing list that match no page.
	UnmatchedPatterns []string

	once   sync.Once
	isPage map[paths.InSite]bool
}

// Has reports whether the site has a file.
func (s *Site) Has(name paths.InSite) bool {
	if _, ok := s.Others[name]; ok {
		return true
	}
	s.once.Do(func() {
		s.isPage = make(map[paths.InSite]bool, len(s.Pages))
		for _, p := range s.Pages {
			s.isPage[p] = true
		}
	})
	return s.isPage[name]
}

// AddPage makes a page of a file that the walk listed among the others.
func (s *Site) AddPage(name paths.InSite) {
	delete(s.Others, name)
	s.Pages = append(s.Pages, name)
	s.once = sync.Once{} // Has must count again
}

// Leave leaves out what a function names, as Folder does.
func (s *Site) Leave(out func(name string, isFolder bool) bool) {
	leaves := func(name paths.InSite) bool {
		for i, c := range name.String() { // the outermost folder first
			if c == '/' && out(name.String()[:i], true) {
				s.Excluded[name.String()[:i]] = Listed
				return true
			}
		}
		if out(name.String(), false) {
			s.Excluded[name.String()] = Listed
			return true
		}
		return false
	}
	s.Pages = slices.DeleteFunc(s.Pages, leaves)
	for name := range s.Others {
		if leaves(name) {
			delete(s.Others, name)
		}
	}
	s.once = sync.Once{}
}

// All goes over all files of the site, in no order.
func (s *Site) All() iter.Seq[paths.InSite] {
	return func(yield func(paths.InSite) bool) {
		for _, name := range s.Pages {
			if !yield(name) {
				return
			}
		}
		for name := range s.Others {
			if !yield(name) {
				return
			}
		}
	}
}

// Excludes reports whether a file is in a folder that is not walked. Pages may refer to it anyway.
func (s *Site) Excludes(name paths.InSite) bool {
	if len(s.Excluded) == 0 {
		return false
	}
	for at := name.String(); at != "." && at != "/" && at != ""; at = path.Dir(at) {
		if _, out := s.Excluded[at]; out {
			return true
		}
	}
	return false
}

// Reserved reports whether a path is, or is in, a folder that is not walked.
func (s *Site) Reserved(name string) bool { return s.Excludes(paths.Found(name)) }

// LeftOut lists what is not walked for a reason, sorted.
func (s *Site) LeftOut() []LeftOut {
	var list []LeftOut
	for name, why := range s.Excluded {
		if why != "" {
			list = append(list, LeftOut{name, why})
		}
	}
	slices.SortFunc(list, func(a, b LeftOut) int { return strings.Compare(a.Path, b.Path) })
	return list
}

// LeftOut is a file or a folder that no command counts, changes or suggests.
type LeftOut struct {
	Path string `json:"path"` // in the site
	Why  string `json:"why"`  // the reason
}

// The reasons.
const (
	Ignored   = "version control ignores it"
	Installed = "it has installed packages"
	Listed    = "exclude: in the packing list names it"
)

// Folder lists the files of the folder dir below on, reading several folders at once. isPage says which files are
// pages, by their paths in dir. With stat, it also reads the stamps of the pages.
// What exclude names, by its path in dir, is left out, and what version control ignores; exclude may be nil.
func Folder(ctx context.Context, on *disk.Folder, dir string, stat bool, isPage func(name string) bool,
	exclude func(name string, isFolder bool) bool) (*Site, error) {
	w := &walker{on: on, dir: path.Clean(dir), isPage: isPage, exclude: exclude, see: stat, aside: map[string]string{}}
	root := &folder{rules: rulesAbove(on, dir)}
	err := parallel.Spread(ctx, task{folder: root}, w.work)
	return w.together(root), err
}

type walker struct {
	on     *disk.Folder
	dir    string // slash-separated, below on
	isPage func(name string) bool
	// exclude tells what else is left out.
	exclude func(name string, isFolder bool) bool
	see     bool // look at pages, too
	mu      sync.Mutex
	aside   map[string]string
}

// A folder is what one folder holds.
type folder struct {
	rel        string // from the site's folder
	others     []paths.InSite
	sizes      []int64
	pages      []paths.InSite // sorted
	own        []string       // the pages' own names
	seen       []disk.Stamp   // of the pages, where they were looked at
	folders    []inner
	stamp      uint64
	passedOver []string
	rules      *rules // of the folders above
}

// An inner folder is after so many pages of the one that it is in.
type inner struct {
	behind int
	*folder
}

// A task is to list a folder, or to look at some of its pages.
type task struct {
	*folder
	from, to int
}

// looksAtOnce is how many pages of one folder are looked at in one go: more folders than one may be all that a site
// has.
const looksAtOnce = 256

func (w *walker) work(_ context.Context, t task, more func(task)) error {
	if t.to == 0 {
		return w.visit(t.folder, more)
	}
	copy(t.seen[t.from:t.to], w.on.Stamps(path.Join(w.dir, t.rel), t.own[t.from:t.to]))
	return nil
}

// together makes a site of its folders.
func (w *walker) together(root *folder) *Site {
	site := &Site{Others: map[paths.InSite]int64{}, Excluded: w.aside}
	site.add(root)
	slices.Sort(site.Skipped)
	return site
}

// add adds a folder and those in it, such that the pages are sorted: each folder has its place between the files beside
// it.
func (s *Site) add(f *folder) {
	for i, name := range f.others {
		s.Others[name] = f.sizes[i]
	}
	s.Skipped = append(s.Skipped, f.passedOver...)
	s.Stamp += f.stamp
	at := 0
	upTo := func(end int) {
		s.Pages = append(s.Pages, f.pages[at:end]...)
		if f.seen != nil {
			s.Stamps = append(s.Stamps, f.seen[at:end]...)
		}
		at = end
	}
	for _, in := range f.folders {
		upTo(in.behind)
		s.add(in.folder)
	}
	upTo(len(f.pages))
}

// byPath puts the entries of a folder into the order of the paths that they have and lead to.
func byPath(a, b fs.DirEntry) int {
	x, y := a.Name(), b.Name()
	if strings.HasPrefix(x, y) || strings.HasPrefix(y, x) {
		if a.IsDir() {
			x += "/"
		}
		if b.IsDir() {
			y += "/"
		}
	}
	return strings.Compare(x, y)
}

func (w *walker) visit(f *folder, more func(task)) error {
	entries, err := w.on.List(path.Join(w.dir, f.rel))
	if err != nil {
		return err
	}
	if f.rel != "" && w.packages(f.rel, entries) {
		w.leaveOut(f.rel, Installed)
		return nil
	}
	slices.SortFunc(entries, byPath)
	rules := f.rules
	if i, found := slices.BinarySearchFunc(entries, ignoreFile, func(e fs.DirEntry, name string) int {
		return strings.Compare(e.Name(), name)
	}); found && !entries[i].IsDir() {
		rules = readRules(w.on, path.Join(w.dir, f.rel), rules)
	}
	for _, e := range entries {
		name := e.Name()
		if f.rel != "" {
			name = f.rel + "/" + name
		}
		if e.IsDir() && paths.Reserved(e.Name()) {
			w.leaveOut(name, "")
			continue
		}
		if rules.ignores(path.Join(w.dir, name), e.IsDir()) {
			w.leaveOut(name, Ignored)
			continue
		}
		if w.exclude != nil && w.exclude(name, e.IsDir()) {
			w.leaveOut(name, Listed)
			continue
		}
		if e.IsDir() {
			in := &folder{rel: name, rules: rules}
			f.folders = append(f.folders, inner{len(f.pages), in})
			more(task{folder: in})
			continue
		}
		isPage := w.isPage(name)
		info, why := w.look(e, name, isPage)
		switch {
		case why != "" && !isPage && packages.KindOf(name) != packages.Script &&
			packages.KindOf(name) != packages.Stylesheet:
		case why != "":
			f.passedOver = append(f.passedOver, name+" "+why)
		case isPage:
			f.pages, f.own = append(f.pages, paths.Found(name)), append(f.own, e.Name())
		case info != nil:
			f.others, f.sizes = append(f.others, paths.Found(name)), append(f.sizes, info.Size())
			f.stamp += StampOf(name, disk.StampOf(info))
		}
	}
	if !w.see {
		return nil
	}
	f.seen = make([]disk.Stamp, len(f.pages))
	for i := 0; i < len(f.pages); i += looksAtOnce {
		more(task{f, i, min(i+looksAtOnce, len(f.pages))})
	}
	return nil
}

// look looks at an entry that is no folder. It says why one is no file of the site: what it leads to is not there or
// outside, or it is no plain file. Of a page and of a link to a folder nothing more is asked.
func (w *walker) look(e fs.DirEntry, name string, isPage bool) (info fs.FileInfo, why string) {
	var err error
	switch {
	case e.Type().IsRegular() && isPage:
		return nil, ""
	case e.Type()&fs.ModeSymlink != 0:
		info, err = w.on.Stat(path.Join(w.dir, name))
	default:
		info, err = e.Info()
	}
	switch {
	case err == nil && info.IsDir():
		return nil, ""
	case err == nil && info.Mode().IsRegular():
		return info, ""
	case e.Type()&fs.ModeSymlink == 0 && errors.Is(err, fs.ErrNotExist):
		return nil, "" // it was removed meanwhile
	case errors.Is(err, fs.ErrNotExist):
		return nil, "is a link that leads nowhere"
	case err != nil && e.Type()&fs.ModeSymlink != 0:
		return nil, "is a link that leads outside the project, or in a circle"
	case err != nil:
		return nil, "can't be read: " + err.Error()
	}
	return nil, "is not a plain file"
}

func (w *walker) leaveOut(name, why string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.aside[name] = why
}

// packages tells a folder of installed packages: most of its subfolders have a package's manifest that names them, or
// have such subfolders themselves, and it has hardly any files of its own. The first few tell for all.
func (w *walker) packages(rel string, entries []fs.DirEntry) bool {
	looked, with, own := 0, 0, 0
	for _, e := range entries {
		switch {
		case strings.HasPrefix(e.Name(), "."):
			continue
		case !e.IsDir():
			if own++; own > 3 || strings.HasSuffix(e.Name(), ".html") {
				return false
			}
			continue
		case looked == 6:
			continue
		}
		looked++
		if w.isPackage(path.Join(rel, e.Name()), e.Name()) {
			with++
		}
	}
	return with > 0 && (with == looked && own == 0 || looked > 1 && 3*with >= 2*looked)
}

// isPackage tells the folder of an installed package: it has a manifest of its name, or folders below it have one whose
// name begins with its own, as those of an owner.
func (w *walker) isPackage(name, base string) bool {
	if m, ok := ManifestIn(w.on, path.Join(w.dir, name)); ok {
		return path.Base(m.Name) == base
	}
	inner, err := w.on.List(path.Join(w.dir, name))
	if err != nil {
		return false
	}
	for _, e := range inner {
		if !e.IsDir() {
			continue
		}
		m, ok := ManifestIn(w.on, path.Join(w.dir, name, e.Name()))
		return ok && m.Name == base+"/"+e.Name()
	}
	return false
}

// ManifestIn reads the package's manifest that is in a folder: of its JSON files the first that is one.
func ManifestIn(on *disk.Folder, dir string) (manifest.Manifest, bool) {
	list, err := on.List(dir)
	if err != nil {
		return manifest.Manifest{}, false
	}
	slices.SortFunc(list, func(a, b fs.DirEntry) int { return strings.Compare(a.Name(), b.Name()) })
	for _, e := range list {
		if !strings.HasSuffix(e.Name(), ".json") {
			continue
		}
		if b, _, err := on.Read(path.Join(dir, e.Name()), 1<<20, nil); err == nil {
			if m, ok := manifest.Read(b); ok {
				return m, true
			}
		}
	}
	return manifest.Manifest{}, false
}

// StampOf tells one state of a file from another, by its name and by what can't be equal by chance.
func StampOf(name string, of disk.Stamp) uint64 {
	b := append(make([]byte, 0, 160), name...)
	for _, n := range []uint64{uint64(of.Size), uint64(of.ModTime), uint64(of.ChangeTime), of.Inode} {
		b = binary.LittleEndian.AppendUint64(b, n)
	}
	return xxhash.Sum64(b)
}
