package crate

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
)

// SwitchRequest asks for references to be changed: served from elsewhere, or in the other build.
type SwitchRequest struct {
	Libraries []string // all where there is none
	Pages     []string // all where there is none
	Serve     string   // local, cdn, or "" to leave that
	CDN       string   // which one, where there are several
	Build     string   // minified, readable, or "" to leave that
	Profile   string   // what the packing list says under this name
	Fallback  bool     // behind each CDN script, a local copy that stands in for it
	Hints     bool     // preconnect and preload in the head
	Dir       string
}

// Switched says what switch did.
type Switched struct {
	Outcome
	Pages []IncludedPage `json:"pages"` // Removed and Added: the references before and after
	Added []string       `json:"added,omitempty"`
	Notes []string       `json:"notes,omitempty"`
}

// Switch changes references between local copies and CDN links, and between builds. The bytes are the same,
// or it is refused.
func (p *Project) Switch(req SwitchRequest) (*Switched, error) {
	if err := p.fillProfile(&req); err != nil {
		return nil, err
	}
	if req.Serve == "cdn" && req.CDN == "" && len(req.Libraries) > 0 && p.List.Library(req.Libraries[0]) == nil && p.List.CDNs[req.Libraries[0]] != "" {
		req.CDN, req.Libraries = req.Libraries[0], req.Libraries[1:] // --cdn NAME, with a space
	}
	pattern, err := p.patternFor(req)
	if err != nil {
		return nil, err
	}
	libs := req.Libraries
	if len(libs) == 0 {
		libs = p.Seal.Names()
	}
	for _, l := range libs {
		if lib := p.List.Library(l); lib != nil && p.Seal.Libraries[l] == nil && lib.Only == "desk" {
			return nil, refused("link to one version of it, and merry adopt that", "%s is a link without a version, of which nothing is sealed", l)
		}
		if p.Seal.Libraries[l] == nil || p.List.Library(l) == nil {
			return nil, refused("merry contents lists the crate", "%s is not in the crate", l)
		}
	}
	set, _, pages, err := p.begin(strings.TrimSpace("switch "+strings.Join(req.Libraries, " ")+" "+switchWords(req)), req.Pages, req.Dir, true)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Switched{}
	for _, l := range libs {
		put := func(at string, b []byte) error {
			out.Added = append(out.Added, at)
			return p.putFile(set, l, at, b, false)
		}
		if req.Serve == "local" || req.Fallback {
			if err := p.putLocal(l, put); err != nil {
				return nil, err
			}
		}
		if err := p.supplyBuild(l, req.Build, put); err != nil {
			return nil, err
		}
	}
	slices.Sort(out.Added)
	s := &switching{p: p, req: req, pattern: pattern, libs: libs, without: map[string]bool{}}
	s.tags.known = p.Seal.Tags
	if req.Serve == "cdn" {
		if err := s.compare(pages); err != nil {
			return nil, err
		}
	}
	if out.Pages, err = p.editPages(set, pages, s.page); err != nil {
		return nil, err
	}
	p.Seal.Tags = s.tags.merged(len(req.Pages) == 0)
	for _, name := range slices.Sorted(maps.Keys(s.without)) {
		out.Notes = append(out.Notes, name+" has no fallback: it is async, or defines no global by which its absence shows")
	}
	out.Pages = slices.DeleteFunc(out.Pages, func(pg IncludedPage) bool { return len(pg.Added) == 0 })
	list := p.list
	if len(req.Pages) == 0 {
		// All pages changed, so it is what the project wants from now on.
		var changed []record.Library
		for _, l := range libs {
			lib := *p.List.Library(l)
			if req.Serve != "" {
				lib.Serve = req.Serve
			}
			if req.Build != "" {
				lib.Build = req.Build
			}
			changed = append(changed, lib)
		}
		if list, err = record.SetLibraries(p.list, changed); err != nil {
			return nil, err
		}
	}
	oc, err := p.commit(set, list)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

func switchWords(req SwitchRequest) string {
	var words []string
	for _, w := range []string{req.Serve, req.CDN, req.Build} {
		if w != "" {
			words = append(words, w)
		}
	}
	if req.Fallback {
		words = append(words, "with fallback")
	}
	if req.Hints {
		words = append(words, "with hints")
	}
	return "to " + strings.Join(words, " ")
}

func (p *Project) fillProfile(req *SwitchRequest) error {
	if req.Profile != "" {
		prof, ok := p.List.Profiles[req.Profile]
		if !ok {
			return p.noProfile(req.Profile)
		}
		if req.Serve == "" {
			req.Serve = prof.Serve
		}
		if req.Build == "" {
			req.Build = prof.Build
		}
		if req.CDN == "" {
			req.CDN = prof.CDN
		}
		req.Fallback, req.Hints = req.Fallback || prof.Fallback, req.Hints || prof.Hints
	}
	if req.Fallback && req.Serve == "local" {
		return usage("merry switch --cdn --fallback", "a fallback is for CDN links; local copies need none")
	}
	if req.Serve == "" && req.Build == "" && !req.Fallback && !req.Hints {
		return usage("merry switch --cdn, --local, --minified, --readable or --profile NAME", "say what to switch to")
	}
	return nil
}

func (p *Project) noProfile(name string) error {
	var names []string
	for n := range p.List.Profiles {
		names = append(names, n)
	}
	slices.Sort(names)
	next := "the packing list has no profiles: write profiles: {" + name + ": {serve: cdn, build: minified}}"
	if len(names) > 0 {
		next = "it has " + strings.Join(names, ", ")
	}
	return refused(next, "%s has no profile %s", record.ListFile, name)
}

// patternFor finds the pattern of the CDN that is meant.
func (p *Project) patternFor(req SwitchRequest) (string, error) {
	if req.Serve != "cdn" {
		return "", nil
	}
	names := p.cdnNames()
	switch {
	case len(names) == 0 && p.allLinked(req.Libraries):
		return "", nil // each has an address of its own
	case len(names) == 0:
		return "", refused("merry sources set cdn NAME 'https://…/{name}/{version}/{path}'", "the packing list has no CDN")
	case req.CDN == "" && len(names) == 1:
		return p.List.CDNs[names[0]], nil
	case req.CDN == "":
		return "", usage("--cdn="+names[0], "the packing list has several CDNs; say which: %s", strings.Join(names, ", "))
	}
	pattern, ok := p.List.CDNs[req.CDN]
	if !ok {
		return "", refused("it has "+strings.Join(names, ", "), "%s has no CDN %s", record.ListFile, req.CDN)
	}
	return pattern, nil
}

// allLinked tells whether all libraries, or those named, have addresses that no pattern makes.
func (p *Project) allLinked(libs []string) bool {
	if len(libs) == 0 {
		libs = p.Seal.Names()
	}
	for _, l := range libs {
		sealed := p.Seal.Libraries[l]
		if sealed == nil || slices.ContainsFunc(sealed.Files, func(f record.File) bool { return f.Page && f.URL == "" }) {
			return false
		}
	}
	return len(libs) > 0
}

// switching is one switch over many pages.
type switching struct {
	p       *Project
	req     SwitchRequest
	pattern string
	libs    []string
	tags    tagMemory

	mu      sync.Mutex
	without map[string]bool // references that could get no fallback
}

// address is where a file will be linked from.
func (s *switching) address(lib *record.Library, sealed *record.Sealed, f *record.File) (string, error) {
	if f.URL != "" && (s.req.CDN == "" || s.pattern == "") {
		return f.URL, nil
	}
	if s.pattern == "" {
		return "", refused("merry sources set cdn NAME PATTERN", "no CDN is known to have %s of %s", f.Path, lib.Name)
	}
	return cdnAddress(s.pattern, lib, sealed.Version, f), nil
}

// target is what an include will bring, or nil where it is to stay as it is.
func (s *switching) target(v *view, i int) (*record.Library, *record.Sealed, *record.File) {
	if !v.runs(i) || !slices.Contains(s.libs, v.library[i]) || s.p.Seal.Libraries[v.library[i]] == nil {
		return nil, nil, nil
	}
	lib, sealed := s.p.List.Library(v.library[i]), s.p.Seal.Libraries[v.library[i]]
	return lib, sealed, inBuild(sealed, s.p.placed(v.targets[i]).File, s.req.Build)
}

// compare fetches every address that the pages are to refer to, once, and holds its bytes against the
// sealed ones.
func (s *switching) compare(pages []string) error {
	lists, err := forEach(pages, func(name string) (map[string]*record.File, error) {
		b, err := readInto(s.p.path(s.p.inProject(name)), nil)
		if err != nil {
			return nil, err
		}
		v, err := s.p.view(name, b)
		if err != nil {
			return nil, err
		}
		found := map[string]*record.File{}
		for i := range v.Includes {
			if lib, sealed, f := s.target(v, i); f != nil {
				address, err := s.address(lib, sealed, f)
				if err != nil {
					return nil, err
				}
				found[address] = f
			}
		}
		return found, nil
	})
	if err != nil {
		return err
	}
	all := map[string]*record.File{}
	for _, l := range lists {
		for address, f := range l {
			all[address] = f
		}
	}
	var g errgroup.Group
	g.SetLimit(connections)
	for address, f := range all {
		g.Go(func() error { return s.p.reach.sameThere(address, f) })
	}
	return g.Wait()
}

func (s *switching) page(v *view) ([]byte, IncludedPage, error) {
	var done IncludedPage
	var edits []page.Edit
	for i := range v.Includes {
		lib, sealed, f := s.target(v, i)
		if f == nil {
			continue
		}
		ref, values, err := s.reference(v, i, lib, sealed, f)
		if err != nil {
			return nil, done, err
		}
		linked := strings.Contains(ref, "://")
		tag, err := s.fallback(v, i, lib, sealed, f, linked)
		if err != nil {
			return nil, done, err
		}
		edits = append(edits, tag...)
		if ref == v.Includes[i].Ref {
			continue
		}
		edits = append(edits, s.tags.refer(v, i, ref, values)...)
		done.Removed, done.Added = append(done.Removed, v.Includes[i].Ref), append(done.Added, ref)
	}
	b := page.Apply(v.Bytes, edits)
	if len(edits) == 0 && !s.req.Hints && len(s.p.ownHints(v)) == 0 {
		return b, done, nil
	}
	v, err := s.p.view(v.path, b)
	if err != nil {
		return nil, done, err
	}
	b, err = s.p.hint(v, s.req.Hints)
	return b, done, err
}

// reference is what an include will refer to, with the values of the link attributes.
func (s *switching) reference(v *view, i int, lib *record.Library, sealed *record.Sealed, f *record.File) (ref string, values map[string]string, err error) {
	remote := v.targets[i].Path == ""
	switch {
	case s.req.Serve == "cdn":
		ref, err = s.address(lib, sealed, f)
		return ref, linkValues(f), err
	case s.req.Serve == "" && remote:
		// Only the build changes: the link keeps its CDN.
		old := s.p.placed(v.targets[i]).File
		if old == f {
			return v.Includes[i].Ref, nil, nil
		}
		for _, name := range s.p.cdnNames() {
			if pattern := s.p.List.CDNs[name]; cdnAddress(pattern, lib, sealed.Version, old) == v.targets[i].URL {
				address := cdnAddress(pattern, lib, sealed.Version, f)
				return address, linkValues(f), s.p.reach.sameThere(address, f)
			}
		}
		return v.Includes[i].Ref, nil, nil
	}
	at, inSite := s.p.inSite(f.At)
	if !inSite || f.At == "" {
		return "", nil, refused("merry take "+lib.Name+" again", "%s of %s has no local copy", f.Path, lib.Name)
	}
	local, ok := refTo(v.Page, v.path, at)
	if !ok {
		return "", nil, refused("", "%s: its base element leads to another site, from where no local file can be reached", v.path)
	}
	if !remote && v.targets[i].Path == at {
		return v.Includes[i].Ref, nil, nil
	}
	if lib.Integrity {
		values = map[string]string{"integrity": f.Integrity}
	}
	return local, values, nil
}

// fallback puts the fallback of an include right: there where it is asked for and can be, gone with the link, else as
// it was.
func (s *switching) fallback(v *view, i int, lib *record.Library, sealed *record.Sealed, f *record.File, linked bool) ([]page.Edit, error) {
	old, _ := v.fallbackOf(i)
	tag := ""
	if linked && (s.req.Fallback || s.req.Serve == "" && old >= 0) && !v.isStyle(i) {
		at, _ := s.p.inSite(f.At)
		ref, ok := refTo(v.Page, v.path, at)
		if ok {
			tag = fallbackTag(&v.Includes[i], s.p.globalOf(lib.Name, sealed, f), ref)
		}
		if tag == "" {
			s.mu.Lock()
			s.without[path.Base(f.Path)] = true
			s.mu.Unlock()
		}
	}
	switch {
	case old < 0 && tag == "":
		return nil, nil
	case old >= 0 && tag == "":
		return v.Remove(old), nil
	case old >= 0:
		in := &v.Includes[old]
		return []page.Edit{{Start: in.Start, End: in.End, Text: tag}}, nil
	}
	e, err := v.Insert(page.Spot{Index: i, After: true}, []string{tag})
	if err != nil {
		return nil, refused("switch without a fallback", "%s: %v", v.path, err)
	}
	return []page.Edit{e}, nil
}

// SetCDN writes a CDN's address pattern into the packing list.
func (p *Project) SetCDN(name, pattern string) (*Outcome, error) {
	if why := validPattern(pattern); why != "" {
		return nil, usage("merry sources set cdn harbour 'https://cdn.harbour.example/{name}/{version}/{path}'", "%s: %s", pattern, why)
	}
	if strings.ContainsAny(name, " :{}[]#") || name == "" {
		return nil, usage("", "%q is no name for a CDN", name)
	}
	set, err := change.Begin(p.Root, fmt.Sprintf("set cdn %s", name), p.opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	list, err := record.SetText(p.list, pattern, "cdns", name)
	if err != nil {
		return nil, err
	}
	return p.commit(set, list)
}
