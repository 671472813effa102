package crate

import (
	"bytes"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/agext/levenshtein"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/style"
)

// Checked is what check found.
type Checked struct {
	Pages    int             `json:"pages"`
	Findings []check.Finding `json:"findings"`
	// Rehearsed is how many pages were rehearsed, and Unsure what those rehearsals showed and can't be sure of.
	Rehearsed int      `json:"rehearsed"`
	Unsure    []string `json:"unsure,omitempty"`
}

// CheckRequest says what to check.
type CheckRequest struct {
	Pages   []string // patterns; none is all
	Dir     string
	Since   string // only pages that changed since this revision
	Profile string // hold the pages against this profile of the packing list, too
	Online  bool   // fetch every CDN link of the crate, and compare
	// Rehearse says whether the pages are rehearsed: yes, no, or, where it is empty, if they are few.
	Rehearse string
}

// fewPages is how many pages are rehearsed without being asked to.
const fewPages = 25

// Check looks at the crate's files and at pages.
func (p *Project) Check(req CheckRequest) (*Checked, error) {
	patterns, dir := req.Pages, req.Dir
	site, err := p.Walk()
	if err != nil {
		return nil, err
	}
	pages := site.Pages
	if len(patterns) > 0 {
		if pages, err = p.Select(site, patterns, dir); err != nil {
			return nil, err
		}
	}
	all := len(patterns) == 0
	if req.Since != "" {
		if pages, err = p.changedSince(req.Since, pages); err != nil {
			return nil, err
		}
		all = false
	}
	c := newChecker(p, site)
	if req.Profile != "" {
		prof, ok := p.List.Profiles[req.Profile]
		if !ok {
			return nil, p.noProfile(req.Profile)
		}
		c.profile = &check.Profile{Name: req.Profile, Serve: prof.Serve, Build: prof.Build, Fallback: prof.Fallback, Without: prof.Without}
	}
	found, err := c.sealed()
	if err != nil {
		return nil, err
	}
	memory := p.remember(site, req)
	results, err := forEach(pages, func(name string) (pageResult, error) {
		if r, ok := memory.page(name); ok {
			return r, nil
		}
		return c.page(name, memory)
	})
	if err != nil {
		return nil, err
	}
	for _, r := range results {
		found = append(found, r.found...)
		c.used(r.uses)
	}
	if !req.Online {
		memory.keep(pages, results)
	}
	if req.Online {
		list, err := c.online()
		if err != nil {
			return nil, err
		}
		found = append(found, list...)
	}
	if all {
		list, err := c.wholeSite()
		if err != nil {
			return nil, err
		}
		found = append(found, list...)
	}
	out := &Checked{Pages: len(pages)}
	if req.Rehearse == "yes" || req.Rehearse == "" && len(pages) <= fewPages {
		list, err := c.rehearsals(pages, found, out)
		if err != nil {
			return nil, err
		}
		found = append(found, list...)
	}
	check.Sort(found)
	out.Findings = found
	return out, nil
}

// checker answers what the checks ask about the project. It remembers, since ten thousand pages ask
// the same.
type checker struct {
	p     *Project
	site  *Site
	wants map[string]check.Wants

	once   sync.Once
	folded map[string]string   // lower case to the name on disk
	byBase map[string][]string // folded base name to paths
	needs  map[string][]string
	nearMu sync.Mutex
	near   map[string]nearest

	profile *check.Profile
	gone    map[string]bool // sealed files that are not there

	usesMu    sync.Mutex
	allUses   map[string]*uses
	noUses    *uses
	lastUses  *uses
	usedLibs  map[string]bool
	usedFiles map[string]bool // of the site, by pages

	identities sync.Map // of a target, what its file says that it is
	// linked are the addresses that pages have of files of the crate: where first, and, for the time
	// being in Next, the integrity that they must have.
	linked map[string]check.Finding
	// standIn are those of them of which every page has a fallback.
	standIn map[string]bool

	scripts *scripts
	provide providers

	buffers sync.Pool
	mu      sync.Mutex
	targets map[targetKey]Target
}

// online fetches every CDN link that a page has to a file of the crate, once, and compares.
func (c *checker) online() ([]check.Finding, error) {
	var addresses []string
	for a := range c.linked {
		addresses = append(addresses, a)
	}
	slices.Sort(addresses)
	lists, err := forEach(addresses, func(a string) ([]check.Finding, error) {
		b, err := c.p.reach.bytesAt(a)
		f := c.linked[a]
		switch {
		case err != nil && ClassOf(err) == Outside && !c.p.reach.Offline:
			f.Name, f.Message, f.Why, f.Next = check.LinkUnreachable, a+" does not answer: "+strings.TrimPrefix(err.Error(), a+": "), "pages that link to it will miss the file", "merry switch --local"
			if c.standIn[a] {
				f.Severity, f.Why = check.Warning, "the pages that link to it fall back on their local copy; visitors wait until the attempt fails"
			}
		case err != nil:
			return nil, err
		case integrity.Of(b) != f.Next:
			f.Name, f.Why, f.Next = check.LinkDiffers, "sealed: "+f.Next+", there: "+integrity.Of(b), "merry switch --local; then ask the CDN's keeper"
			f.Message = a + " gives other bytes than were sealed"
		default:
			return nil, nil
		}
		return []check.Finding{f}, nil
	})
	return slices.Concat(lists...), err
}

type targetKey struct{ dir, base, ref string }

func newChecker(p *Project, site *Site) *checker {
	c := &checker{p: p, site: site, wants: map[string]check.Wants{}, needs: map[string][]string{}, targets: map[targetKey]Target{}, near: map[string]nearest{}, scripts: newScripts(p), allUses: map[string]*uses{}, noUses: &uses{}, gone: map[string]bool{}, usedLibs: map[string]bool{}, usedFiles: map[string]bool{}, linked: map[string]check.Finding{}, standIn: map[string]bool{}}
	for _, l := range p.List.Libraries {
		c.needs[l.Name] = l.Needs
	}
	return c
}

func (c *checker) Has(name string) bool {
	if _, ok := c.site.Files[name]; ok {
		return true
	}
	if slices.ContainsFunc(strings.Split(name, "/"), skipped) {
		// Folders that hold no pages are not walked; pages may refer into them all the same.
		_, err := os.Stat(c.p.path(c.p.inProject(name)))
		return err == nil
	}
	return false
}

// Matches tells whether a file of the site has the bytes that an integrity attribute asks for.
func (c *checker) Matches(name, value string) bool {
	meta, err := integrity.Parse(value)
	if err != nil {
		return true
	}
	b, err := os.ReadFile(c.p.path(c.p.inProject(name)))
	return err != nil || meta.Match(b)
}

// Near is asked for the same name by page after page, so each answer is found once.
func (c *checker) Near(name string) (string, bool) {
	c.nearMu.Lock()
	defer c.nearMu.Unlock()
	n, ok := c.near[name]
	if !ok {
		n.name, n.caseOnly = c.findNear(name)
		c.near[name] = n
	}
	return n.name, n.caseOnly
}

type nearest struct {
	name     string
	caseOnly bool
}

func (c *checker) findNear(name string) (string, bool) {
	c.once.Do(func() {
		c.folded, c.byBase = map[string]string{}, map[string][]string{}
		for f := range c.site.Files {
			c.folded[strings.ToLower(f)] = f
			b := strings.ToLower(path.Base(f))
			c.byBase[b] = append(c.byBase[b], f)
		}
	})
	if f, ok := c.folded[strings.ToLower(name)]; ok {
		return f, true
	}
	if same := c.byBase[strings.ToLower(path.Base(name))]; len(same) > 0 {
		return slices.MinFunc(same, func(a, b string) int {
			if d := levenshtein.Distance(a, name, nil) - levenshtein.Distance(b, name, nil); d != 0 {
				return d
			}
			return strings.Compare(a, b)
		}), false
	}
	// The same library under another version or build is the likeliest slip.
	kind := delivery.KindOf(name)
	best, score := "", 0.72
	for f := range c.site.Files {
		if delivery.KindOf(f) != kind {
			continue
		}
		s := levenshtein.Similarity(path.Base(f), path.Base(name), nil)
		if path.Dir(f) == path.Dir(name) {
			s += 0.05
		}
		if s > score || s == score && f < best {
			best, score = f, s
		}
	}
	return best, false
}

// Profile is what pages are held against, nil where nothing was named.
func (c *checker) Profile() *check.Profile { return c.profile }

func (c *checker) Needs(library string) []string { return c.needs[library] }

// Provider tells who defines a global: a library of the crate, or an own script, as a path in the site.
func (c *checker) Provider(global string) (library, own string) { return c.provider(global) }

// OwnOrder is the order that the packing list gives the site's own files.
func (c *checker) OwnOrder() []string { return c.p.List.Own.Order }

// Confirms makes sure of a need that reading a script found, before anybody is told of it.
func (c *checker) Confirms(item *order.Item, global string) bool {
	text, ok := item.Text.([]byte)
	return !ok || c.scripts.confirms(text, global)
}

func (c *checker) Wants(library string) check.Wants { return c.wants[library] }
func (c *checker) Ref(p *check.Page, name string) string {
	ref, _ := refTo(p.Page, p.File, name)
	return ref
}

func (c *checker) library(name string) string {
	if c.p.site() != "." {
		name = c.p.inProject(name)
	}
	return c.p.byPlace[name].Library
}

// target resolves a reference. Pages of one folder share most of theirs, so each is resolved once.
func (c *checker) target(pagePath, base, ref string) Target {
	key := targetKey{pagePath[:strings.LastIndexByte(pagePath, '/')+1], base, ref}
	c.mu.Lock()
	t, ok := c.targets[key]
	c.mu.Unlock()
	if !ok {
		t = targetOf(pagePath, base, ref)
		c.mu.Lock()
		c.targets[key] = t
		c.mu.Unlock()
	}
	return t
}

// page checks one page. Buffers are used again, so memory does not grow with the number of pages.
func (c *checker) page(name string, m *memory) (r pageResult, err error) {
	buf, _ := c.buffers.Get().(*[]byte)
	if buf == nil {
		buf = new([]byte)
	}
	defer c.buffers.Put(buf)
	var modified int64
	*buf, modified, err = readStamped(filepath.Join(c.p.Root, filepath.FromSlash(c.p.inProject(name))), *buf, true)
	if err != nil {
		return r, err
	}
	r = pageResult{uses: c.noUses, stamp: m.stampFor(name, int64(len(*buf)), modified)}
	pg, err := page.Read(*buf)
	if errors.Is(err, page.ErrUTF16) {
		r.found = []check.Finding{{Name: check.Unreadable, Severity: check.Error, File: c.p.inProject(name), Message: "the page is in UTF-16",
			Why: "merry reads and edits pages in UTF-8 and other encodings that contain ASCII", Next: "save it as UTF-8"}}
		return r, nil
	}
	if err != nil {
		return r, err
	}
	v := &view{Page: pg, path: name, targets: make([]Target, len(pg.Includes)), library: make([]string, len(pg.Includes))}
	cp := &check.Page{Page: pg, File: c.p.inProject(name), Includes: make([]check.Include, len(pg.Includes))}
	for i := range pg.Includes {
		in := &pg.Includes[i]
		k := in.Kind
		if in.RefAttr.End == 0 || in.Templated() || k == page.Hint && in.Rel != "preload" && in.Rel != "modulepreload" {
			continue
		}
		out := &cp.Includes[i]
		t := c.target(name, pg.Base, in.Ref)
		v.targets[i] = t
		out.Path, out.URL = t.Path, t.URL
		if slices.ContainsFunc(strings.Split(t.Path, "/"), skipped) {
			r.stamp = 0 // what it refers to is not walked, so a change of that would not be noticed
		}
		out.Loads = in.Inert == "" && (k == page.Script || k == page.Stylesheet)
		if t.Path != "" {
			out.Library = c.library(t.Path)
			out.Gone = c.gone[c.p.inProject(t.Path)]
		} else if t.URL != "" {
			of := c.p.placed(t)
			out.Library, out.Loose = of.Library, of.Library != "" && of.File == nil
			if of.File != nil {
				out.Integrity = of.File.Integrity
				f := check.Finding{Severity: check.Error, File: cp.File, Next: of.File.Integrity}
				f.Line, f.Column = page.Position(pg.Bytes, in.RefAttr.ValueStart)
				c.mu.Lock()
				old, ok := c.linked[t.URL]
				if !ok || f.File < old.File {
					c.linked[t.URL] = f
				}
				at, _ := v.fallbackOf(i)
				c.standIn[t.URL] = at >= 0 && (!ok || c.standIn[t.URL])
				c.mu.Unlock()
			}
		}
		if c.profile != nil && out.Library != "" {
			if of := c.p.placed(t); of.File != nil {
				out.Build, out.HasPair = of.File.Build, of.File.Pair != ""
				at, local := v.fallbackOf(i)
				out.Fallback = at >= 0 && c.Has(local.Path)
				out.CanFallBack = in.Kind == page.Script && in.When != page.Async && !in.Module && c.profile.Fallback &&
					c.p.globalOf(of.Library, c.p.Seal.Libraries[of.Library], of.File) != ""
			}
			if lib := c.p.List.Library(out.Library); lib != nil {
				out.DeskOnly = lib.Only == "desk"
			}
		}
	}
	for i := range cp.Includes {
		v.library[i] = cp.Includes[i].Library
		c.identify(v, i, &cp.Includes[i])
	}
	cp.Items = c.items(v)
	r.found, r.uses = check.OnPage(cp, c), c.usesOf(v)
	return r, nil
}

// sealed holds the crate's files against the seal, and learns what the libraries want of pages.
func (c *checker) sealed() ([]check.Finding, error) {
	var places []string
	for at := range c.p.byPlace {
		places = append(places, at)
	}
	slices.Sort(places)
	type result struct {
		found []check.Finding
		wants check.Wants
	}
	results, err := forEach(places, func(at string) (result, error) {
		of := c.p.byPlace[at]
		var r result
		b, err := os.ReadFile(filepath.Join(c.p.Root, filepath.FromSlash(at)))
		switch {
		case errors.Is(err, fs.ErrNotExist) && c.p.Seal.Libraries[of.Library].Linked:
			return r, nil // pages have nothing but links to it
		case errors.Is(err, fs.ErrNotExist):
			r.found = append(r.found, check.Finding{Name: check.SealedGone, Severity: check.Error, File: at, Message: "the seal has this file of " + of.Library + ", and it is not there",
				Why: "pages that refer to it will get \"not found\"", Next: "merry refill " + of.Library})
			return r, nil
		case err != nil:
			return r, err
		}
		if now := integrity.Of(b); now != of.File.Integrity {
			r.found = append(r.found, check.Finding{Name: check.SealedChanged, Severity: check.Error, File: at, Message: "this file of " + of.Library + " is not as it was sealed",
				Why: "somebody changed it, or it was damaged; an update would lose the change", Next: "put your change into a file of your own, then merry refill " + of.Library + " --overwrite"})
		}
		switch delivery.KindOf(at) {
		case delivery.Stylesheet:
			r.wants.Doctype = true
			r.wants.Viewport = bytes.Contains(b, []byte("@media")) && bytes.Contains(b, []byte("-width"))
			r.found = append(r.found, c.assets(at, b)...)
			fallthrough
		case delivery.Script:
			r.wants.Charset = beyondASCII(b)
		}
		return r, nil
	})
	if err != nil {
		return nil, err
	}
	var found []check.Finding
	for i, r := range results {
		if len(r.found) > 0 && r.found[0].Name == check.SealedGone {
			c.gone[places[i]] = true
		}
	}
	for i, r := range results {
		found = append(found, r.found...)
		lib := c.p.byPlace[places[i]].Library
		w := c.wants[lib]
		c.wants[lib] = check.Wants{Doctype: w.Doctype || r.wants.Doctype, Charset: w.Charset || r.wants.Charset, Viewport: w.Viewport || r.wants.Viewport}
	}
	own, err := c.ownStyles()
	return append(found, own...), err
}

func beyondASCII(b []byte) bool {
	return slices.ContainsFunc(b, func(c byte) bool { return c >= 0x80 })
}

// assets finds what a stylesheet asks for and does not get.
func (c *checker) assets(at string, b []byte) []check.Finding {
	name, ok := c.p.inSite(at)
	if !ok {
		return nil
	}
	var found []check.Finding
	said := map[string]bool{}
	for _, r := range style.References(b) {
		t := targetOf(name, "", r.URL)
		if strings.HasPrefix(t.URL, "http://") {
			f := check.Finding{Name: check.MixedContent, Severity: check.Warning, File: at, Message: t.URL + " is fetched without TLS", Why: "a page served over https will not load it, or warns of it", Next: "write https://, or keep the file on the site"}
			f.Line, f.Column = page.Position(b, r.Offset)
			found = append(found, f)
		}
		if t.Path == "" || c.Has(t.Path) || said[t.Path] {
			continue
		}
		said[t.Path] = true
		if of := c.p.byPlace[c.p.inProject(t.Path)]; of.File != nil && !c.p.Seal.Libraries[of.Library].Linked {
			continue // that is told once, for the file
		}
		f := check.Finding{Name: check.AssetMissing, Severity: check.Error, File: at, Message: "it asks for " + t.Path + ", which is not there",
			Why: "its fonts or pictures will not show"}
		f.Line, f.Column = page.Position(b, r.Offset)
		if of, sealed := c.p.byPlace[at]; sealed {
			f.Next = "merry refill " + of.Library
		} else {
			f.Next = "put the file there, or correct the url()"
		}
		if near, caseOnly := c.Near(t.Path); caseOnly {
			f.Next = "on disk it is written " + near + ": write it so"
		} else if near != "" {
			f.Next = "the nearest file is " + near + "; " + f.Next
		}
		found = append(found, f)
	}
	return found
}

// ownFiles lists the site's own scripts or stylesheets, sorted.
func (c *checker) ownFiles(kind delivery.Kind) []string {
	var names []string
	for name, size := range c.site.Files {
		if size < 0 || delivery.KindOf(name) != kind {
			continue // a page, or another kind of file
		}
		if _, sealed := c.p.byPlace[c.p.inProject(name)]; !sealed {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// ownStyles looks at what the site's own stylesheets ask for.
func (c *checker) ownStyles() ([]check.Finding, error) {
	lists, err := forEach(c.ownFiles(delivery.Stylesheet), func(name string) ([]check.Finding, error) {
		at := c.p.inProject(name)
		b, err := os.ReadFile(filepath.Join(c.p.Root, filepath.FromSlash(at)))
		if err != nil {
			return nil, err
		}
		return c.assets(at, b), nil
	})
	return slices.Concat(lists...), err
}
