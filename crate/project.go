package crate

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/bmatcuk/doublestar/v4"
	"golang.org/x/sync/errgroup"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/record"
)

// A Project is a site with its two records, as they are on disk.
type Project struct {
	Root string // absolute
	List *record.List
	Seal *record.Seal
	// PutRight says what an earlier, interrupted command left and Open finished.
	PutRight []string

	list      []byte
	listStamp change.Stamp
	sealStamp change.Stamp
	sealBytes []byte
	opt       change.Options
	reach     *Reach
	defining  sync.Mutex
	defines   map[string]string   // global to the library that defines it; nil until it is asked for
	telling   map[string]string   // of a script by its integrity: the global by which it shows that it has run
	fonts     map[string][]string // of a stylesheet by its integrity: what it refers to as fonts
	byPlace   map[string]Placed   // from a file's place in the project
	byAddress map[string]Placed   // from a file's address at one of the project's CDNs
}

// Placed names a sealed file. Of a link that can't be sealed there is the library alone.
type Placed struct {
	Library string
	File    *record.File
}

// Open opens the project that dir lies in. An earlier command that was stopped in the middle is
// brought to its end first.
func Open(dir string, reach *Reach, opt change.Options) (*Project, error) {
	putRight, err := recoverAbove(dir)
	if err != nil {
		return nil, err
	}
	root, err := findRoot(dir)
	if err != nil {
		return nil, err
	}
	p := &Project{Root: root, PutRight: putRight, opt: opt, reach: reach}
	if p.list, p.listStamp, err = change.Read(root, record.ListFile); err != nil {
		return nil, err
	}
	if p.List, err = record.ReadList(p.list); err != nil {
		return nil, &Problem{Class: Refused, What: err.Error(), Err: err}
	}
	p.Seal = record.NewSeal()
	p.sealBytes, p.sealStamp, err = change.Read(root, record.SealFile)
	if err == nil {
		p.Seal, err = record.ReadSeal(p.sealBytes)
	} else if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	if err != nil {
		return nil, &Problem{Class: Refused, What: err.Error(), Err: err}
	}
	if !fs.ValidPath(p.site()) {
		return nil, refused("write site: . or the name of a folder below "+record.ListFile, "%s: site: %s leads out of the project", record.ListFile, p.List.Site)
	}
	p.indexPlaces()
	return p, nil
}

func (p *Project) indexPlaces() {
	p.byPlace = map[string]Placed{}
	for name, lib := range p.Seal.Libraries {
		for i := range lib.Files {
			if at := lib.Files[i].At; at != "" {
				p.byPlace[at] = Placed{name, &lib.Files[i]}
			}
		}
	}
	p.indexAddresses()
}

// recoverAbove finishes an interrupted change of the project that dir lies in. It goes by merry's own
// folder, since the change may be the very one that writes the packing list.
func recoverAbove(dir string) ([]string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	for at := dir; ; at = filepath.Dir(at) {
		if _, err := os.Stat(filepath.Join(at, change.Folder)); err == nil {
			return change.Recover(at)
		}
		if at == filepath.Dir(at) {
			return nil, nil
		}
	}
}

func findRoot(dir string) (string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	for at := dir; ; at = filepath.Dir(at) {
		if _, err := os.Stat(filepath.Join(at, record.ListFile)); err == nil {
			return at, nil
		}
		if at == filepath.Dir(at) {
			return "", refused("merry start", "there is no %s in %s or in any folder above it; the site has not been started", record.ListFile, dir)
		}
	}
}

// site is the served folder, slash-separated from the root.
func (p *Project) site() string {
	if p.List.Site == "" || p.List.Site == "." {
		return "."
	}
	return path.Clean(filepath.ToSlash(p.List.Site))
}

// inProject turns a path in the site into one in the project, and inSite does the reverse.
func (p *Project) inProject(name string) string {
	if s := p.site(); s != "." {
		return path.Join(s, name)
	}
	return name
}

func (p *Project) inSite(name string) (string, bool) {
	if s := p.site(); s != "." {
		return strings.CutPrefix(name, s+"/")
	}
	return name, true
}

// path turns a path in the project into one on this machine.
func (p *Project) path(name string) string {
	return p.Root + string(filepath.Separator) + filepath.FromSlash(name)
}

// habits are the site's ways with files: what the packing list says, and the trade's usual folders
// where it says nothing.
func (p *Project) habits() delivery.Habits { return habitsOf(p.List) }

// habitsFor are the site's ways as far as a library has none of its own, and whether its files stay
// together.
func (p *Project) habitsFor(lib *record.Library) (h delivery.Habits, together bool) {
	h = p.habits()
	if lib.Names != "" {
		h.Names = lib.Names
	}
	return h, lib.Arrange == "together" || lib.Arrange == "" && p.List.Arrange == "together"
}

func habitsOf(l *record.List) delivery.Habits {
	or := func(value, usual string) string {
		if value == "" {
			return usual
		}
		return path.Clean(strings.Trim(value, "/"))
	}
	f := l.Folders
	return delivery.Habits{Scripts: or(f.Scripts, "js"), Styles: or(f.Styles, "css"), Fonts: or(f.Fonts, "fonts"),
		Images: or(f.Images, "img"), Together: or(f.Together, "lib"), Names: l.Names}
}

// skipped are folders that hold no pages of the site.
func skipped(name string) bool {
	return name == change.Folder || name == ".git" || name == "node_modules" || name == ".hg" || name == ".svn"
}

// Site is the list of a site's files.
type Site struct {
	Files map[string]int64 // path in the site to size
	Pages []string         // sorted
	// Stamp tells one state of all files that are no pages from another: it sums up names, sizes and times.
	Stamp uint64
}

// Walk lists the site's files and tells which are pages.
func (p *Project) Walk() (*Site, error) {
	patterns := p.List.Pages
	if len(patterns) == 0 {
		patterns = []string{"**/*.html"}
	}
	for _, pat := range patterns {
		if !doublestar.ValidatePattern(strings.TrimPrefix(pat, "!")) {
			return nil, refused("", "%s: %q in pages: is no pattern", record.ListFile, pat)
		}
	}
	return walk(filepath.Join(p.Root, filepath.FromSlash(p.site())), func(name string) bool {
		if _, sealed := p.byPlace[p.inProject(name)]; sealed {
			return false
		}
		in := false
		for _, pat := range patterns {
			if not, ok := strings.CutPrefix(pat, "!"); ok {
				in = in && !doublestar.MatchUnvalidated(not, name)
			} else {
				// The usual pattern needs no matcher, which ten thousand names notice.
				ending, usual := strings.CutPrefix(pat, "**/*.")
				if usual = usual && !strings.ContainsAny(ending, "*?[{\\/"); usual {
					in = in || strings.HasSuffix(name, "."+ending)
				} else {
					in = in || doublestar.MatchUnvalidated(pat, name)
				}
			}
		}
		return in
	})
}

// walk lists the files of a folder, several folders at once.
func walk(dir string, isPage func(name string) bool) (*Site, error) {
	s := &Site{Files: map[string]int64{}}
	var mu sync.Mutex
	var g errgroup.Group
	g.SetLimit(workers())
	var visit func(rel string) error
	visit = func(rel string) error {
		entries, err := os.ReadDir(filepath.Join(dir, filepath.FromSlash(rel)))
		if err != nil {
			return err
		}
		files := make(map[string]int64, len(entries))
		var pages []string
		var stamp uint64
		for _, e := range entries {
			name := path.Join(rel, e.Name())
			if e.IsDir() {
				// Where all are busy the folder is visited right here: waiting for each other would end nowhere.
				if !skipped(e.Name()) && !g.TryGo(func() error { return visit(name) }) {
					if err := visit(name); err != nil {
						return err
					}
				}
				continue
			}
			if isPage(name) {
				files[name] = -1
				pages = append(pages, name)
				continue
			}
			info, err := e.Info()
			if err == nil && e.Type()&fs.ModeSymlink != 0 {
				if info, err = os.Stat(filepath.Join(dir, filepath.FromSlash(name))); err == nil && info.IsDir() {
					continue
				}
			}
			if err == nil {
				files[name] = info.Size()
				stamp += stampOf(name, info.Size(), info.ModTime().UnixNano())
			}
		}
		mu.Lock()
		defer mu.Unlock()
		maps.Copy(s.Files, files)
		s.Stamp += stamp
		s.Pages = append(s.Pages, pages...)
		return nil
	}
	g.Go(func() error { return visit("") })
	err := g.Wait()
	slices.Sort(s.Pages)
	return s, err
}

// Select picks the pages that patterns name, from the site's folder or from the folder that the
// command was given in. Without patterns it is the site's only page, or an error that lists them.
func (p *Project) Select(site *Site, patterns []string, from string) ([]string, error) {
	if len(patterns) == 0 {
		if len(site.Pages) == 1 {
			return site.Pages, nil
		}
		if len(site.Pages) == 0 {
			return nil, refused("merry start --page index.html", "the site has no pages: nothing in %s matches %s", p.site(), strings.Join(p.List.Pages, ", "))
		}
		return nil, usage(fmt.Sprintf("name them with --page %s, or all with --page '**'", site.Pages[0]), "the site has %d pages; say which: %s", len(site.Pages), abbreviate(site.Pages, 6))
	}
	var chosen []string
	for _, pat := range patterns {
		n := len(chosen)
		for _, name := range p.meant(pat, from) {
			if n == len(chosen) {
				chosen = append(chosen, matching(site.Pages, name)...)
			}
		}
		if n == len(chosen) {
			next := ""
			if len(site.Pages) > 0 {
				next = "the site's pages: " + abbreviate(site.Pages, 6)
			}
			return nil, refused(next, "no page matches %s", pat)
		}
	}
	slices.Sort(chosen)
	return slices.Compact(chosen), nil
}

// begin begins a change on pages: those that patterns name, or, where there is none and all is set, all of them. The caller
// closes the set.
func (p *Project) begin(title string, patterns []string, dir string, all bool) (*change.Set, *Site, []string, error) {
	set, err := change.Begin(p.Root, title, p.opt)
	if err != nil {
		return nil, nil, nil, err
	}
	site, err := p.Walk()
	if err != nil {
		set.Close()
		return nil, nil, nil, err
	}
	if all && len(patterns) == 0 {
		return set, site, site.Pages, nil
	}
	pages, err := p.Select(site, patterns, dir)
	if err != nil {
		set.Close()
	}
	return set, site, pages, err
}

// meant lists what a path or pattern may mean, as paths in the site: from the folder that the command was
// given in, then from the site's folder, then from the project's, as findings write them.
func (p *Project) meant(pattern, from string) []string {
	pattern = filepath.ToSlash(pattern)
	var list []string
	if abs, err := filepath.Abs(from); err == nil && !strings.HasPrefix(pattern, "/") {
		if rel, err := filepath.Rel(p.Root, abs); err == nil {
			if name, ok := p.inSite(path.Join(filepath.ToSlash(rel), pattern)); ok && fs.ValidPath(name) {
				list = append(list, name)
			}
		}
	}
	list = append(list, path.Clean(strings.TrimPrefix(pattern, "/")))
	if name, ok := p.inSite(path.Clean(pattern)); ok {
		list = append(list, name)
	}
	return list
}

func matching(names []string, pattern string) []string {
	var list []string
	for _, n := range names {
		if ok, err := doublestar.Match(pattern, n); n == pattern || ok && err == nil {
			list = append(list, n)
		}
	}
	return list
}

func abbreviate(list []string, most int) string {
	if len(list) > most {
		return strings.Join(list[:most], ", ") + fmt.Sprintf(" and %d more", len(list)-most)
	}
	return strings.Join(list, ", ")
}

// workers is how many files are worked on at once.
func workers() int { return max(2, runtime.GOMAXPROCS(0)) }

// forEach runs work on every item with as many goroutines as are useful. The results keep the order
// of the items; the first error in that order is returned.
func forEach[T, R any](items []T, work func(T) (R, error)) ([]R, error) {
	results := make([]R, len(items))
	errs := make([]error, len(items))
	var next atomic.Int64
	var wg sync.WaitGroup
	for range min(workers(), len(items)) {
		wg.Go(func() {
			for i := next.Add(1) - 1; i < int64(len(items)); i = next.Add(1) - 1 {
				results[i], errs[i] = work(items[i])
			}
		})
	}
	wg.Wait()
	for _, err := range errs {
		if err != nil {
			return results, err
		}
	}
	return results, nil
}

// commit writes the records that changed into the set and carries it out.
func (p *Project) commit(set *change.Set, list []byte) (*Outcome, error) {
	if string(list) != string(p.list) {
		if err := set.Write(record.ListFile, list, p.listStamp); err != nil {
			return nil, err
		}
	}
	if b := p.Seal.Bytes(); string(b) != string(p.sealBytes) && (len(p.Seal.Libraries) > 0 || p.sealBytes != nil) {
		if err := set.Write(record.SealFile, b, p.sealStamp); err != nil {
			return nil, err
		}
	}
	if err := set.Commit(); err != nil {
		return nil, err
	}
	out := &Outcome{DryRun: set.Dry(), Files: touched(set.Entries())}
	before := p.byPlace
	p.indexPlaces()
	for i := range out.Files {
		f := &out.Files[i]
		f.Library = p.byPlace[f.Path].Library
		if f.Library == "" {
			f.Library = before[f.Path].Library
		}
	}
	return out, nil
}

// An Outcome lists what a change did, or on a dry run would do.
type Outcome struct {
	DryRun bool      `json:"dry_run,omitempty"`
	Files  []Touched `json:"files"`
}

// Touched is one file of a change.
type Touched struct {
	Path string `json:"path"`
	Do   string `json:"do"` // add, change, remove
	Size int64  `json:"size"`
	// Library is the one whose file it is, "" for pages, records and own files.
	Library string `json:"library,omitempty"`
	Diff    string `json:"diff,omitempty"` // unified, on a dry run
}

func touched(entries []change.Entry) []Touched {
	var list []Touched
	for _, e := range entries {
		t := Touched{Path: e.Path, Do: "change", Size: e.Size, Diff: e.Diff}
		switch {
		case e.Remove:
			t.Do = "remove"
		case e.Create:
			t.Do = "add"
		}
		list = append(list, t)
	}
	return list
}
