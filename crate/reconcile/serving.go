package reconcile

import (
	"context"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// Serving is how libraries are to be served, as work on pages.
type Serving struct {
	Libraries []string
	Serve     record.Serve  // "" leaves that
	Pattern   cdn.Pattern   // of the CDN, "" if each file has an address of its own
	Chosen    bool          // the CDN was named, so it counts more than addresses that files have of their own
	Build     record.Build  // NoBuild leaves that
	Fallback  bool          // behind each CDN script, a local copy that stands in for it
	Then      []cdn.Pattern // of CDNs that are asked before the local copy
	Hints     bool          // preconnect and preload in the head
	History   *tags.History
	// Without are the names of files that could get no fallback, and Alone of those that could get none but their local
	// copy, each with the reason.
	Without, Alone map[string]string
	// CSP, if set, knows policies that forbid inline scripts. Copies is the path of the script that works without them;
	// Copied reports that some page uses it.
	CSP    *csp.Index
	Copies paths.InSite
	Copied bool

	mu sync.Mutex
}

// Page changes the references of one page.
func (s *Serving) Page(ctx context.Context, e *tags.Editor, done *PageChange) error {
	for _, l := range s.Libraries {
		if s.Serve != "" {
			e.Serve(l, s.Serve == record.CDN)
		}
		e.Build(l, s.Build)
	}
	before := slices.Clone(e.Targets)
	for i := range e.Includes {
		of := e.Of[i]
		if !e.Stands(i) || of.File == nil || !slices.Contains(s.Libraries, of.Library) {
			continue
		}
		sealed := e.Project().Seal.Libraries[of.Library]
		to := project.Sealed{Library: of.Library, File: sealed.InBuild(of.File, s.Build)}
		was := e.Includes[i].Ref
		ref, values, err := s.reference(ctx, e, i, of.File, to)
		if err != nil {
			return err
		}
		fallback, err := s.fallback(ctx, e, i, of, to, strings.Contains(ref, "://"))
		if err != nil {
			return err
		}
		if fallback != "" {
			values = tags.LinkValues(to.File)
			values[tags.OnError] = fallback
		}
		if ref != was || (s.Serve == record.CDN || fallback != "") && !e.Carries(i, values) {
			s.History.Refer(e, i, ref, values)
			done.Removed, done.Added = append(done.Removed, was), append(done.Added, ref)
		}
	}
	followed := e.FollowHints(before)
	if e.Edits() || s.Hints || e.HasHints() {
		if e.Hint(s.Hints) || followed {
			done.Also = append(done.Also, "its hints")
		}
	}
	return nil
}

// reference is what an include will refer to, with the values of the link attributes. Before a page refers to an
// address, its bytes are compared with the sealed ones, once for all pages.
func (s *Serving) reference(ctx context.Context, e *tags.Editor, i int, old *record.File, to project.Sealed) (string,
	map[string]string, error) {
	p, was := e.Project(), e.Includes[i].Ref
	lib, sealed, f := p.List.Library(to.Library), p.Seal.Libraries[to.Library], to.File
	remote := e.Targets[i].Path.IsZero()
	switch {
	case s.Serve == record.CDN:
		ref := cdn.Exact(f.URL, sealed.Version) // never that of a branch
		switch {
		case f.URL != "" && (!s.Chosen || s.Pattern == ""):
		case s.Pattern == "":
			return "", nil, problem.Refuse(problem.CDNUnclear, "set how its addresses are made: merry sources set cdn "+
				"NAME PATTERN", "no CDN has %s of %s", f.Path, lib.Name)
		default:
			ref = lib.Address(s.Pattern, sealed.Version, f)
		}
		return ref, tags.LinkValues(f), p.Origin.HasSame(ctx, ref, f)
	case s.Serve == "" && remote:
		// Only the build changes: the link keeps its CDN.
		if old == f {
			return was, nil, nil
		}
		if ref := elsewhere(p, lib, lib, [2]string{sealed.Version, sealed.Version}, old, f,
			e.Targets[i].URL); ref != "" {
			return ref, tags.LinkValues(f), p.Origin.HasSame(ctx, ref, f)
		}
		return was, nil, nil
	}
	at, inSite := p.InSite(f.At)
	if !inSite {
		return "", nil, problem.Refuse(problem.FileUnknown, "take it again, from its source: "+lib.From,
			"%s of %s has no local copy", f.Path, lib.Name)
	}
	local, err := e.Reach(at)
	if err != nil || !remote && e.Targets[i].Path == at {
		return was, nil, err
	}
	if lib.Integrity {
		return local, map[string]string{"integrity": f.Integrity}, nil
	}
	return local, nil, nil
}

// elsewhere is the address of a file, by the pattern of the CDN that has another file at the given address, "" if no
// pattern gives that. The library and the file are given as they were and as they are now.
func elsewhere(p *project.Project, was, now *record.Library, versions [2]string, old, new *record.File,
	address string) string {
	found := ""
	for _, name := range p.List.CDNNames() {
		if pattern := p.List.CDNs[name]; was.Address(pattern, versions[0], old) == address {
			found = now.Address(pattern, versions[1], new)
		}
	}
	return found
}

// fallback puts the fallback of an include right: there where it is asked for and can be, gone with the link, else as
// it was. That of a module is what its own tag does on an error, which is returned.
func (s *Serving) fallback(ctx context.Context, e *tags.Editor, i int, of, to project.Sealed,
	linked bool) (onError string, err error) {
	old, local := e.FallbackOf(i)
	tag := ""
	if linked && !e.Includes[i].NoModule && (s.Fallback || s.Serve == "" && local != tags.Target{}) {
		at, _ := e.Project().InSite(to.File.At)
		why := "the page's base leads to another site"
		ref, err := e.Reach(at)
		if err == nil && page.Templated(ref) {
			why = "its local copy has an address that the template makes, which no script can"
		} else if err == nil {
			copies, err := s.copies(ctx, e, old, of, to)
			if err != nil {
				return "", err
			}
			if e.Includes[i].Module {
				onError, why = s.onError(e, i, to, append(copies, tags.Copy{Ref: ref}))
			} else {
				tag, why = s.standIn(e, i, to, append(copies, tags.Copy{Ref: ref}))
			}
		}
		if tag == "" && onError == "" {
			s.mu.Lock()
			s.Without[path.Base(to.File.Path)] = why
			s.mu.Unlock()
		}
	}
	e.SetFallback(i, tag)
	return onError, nil
}

// onError writes what a module's tag does where the module can't be had, or says why there can be nothing.
func (s *Serving) onError(e *tags.Editor, i int, to project.Sealed, copies []tags.Copy) (does, why string) {
	in := &e.Includes[i]
	does = tags.ModuleFallback(copies[len(copies)-1].Ref)
	switch _, other := e.Attr(in, tags.OnError); {
	case other && e.ModuleCopy(i) == "":
		return "", "its tag does something else on an error"
	case s.CSP != nil && s.CSP.ForbidsInline(e.Page, in.End, page.With(page.ScriptTag("x", true),
		[]string{tags.OnError}, map[string]string{tags.OnError: does})):
		return "", "it is a module, and the page's policy forbids error handlers in tags"
	case len(copies) > 1:
		s.alone(to, "it is a module, and its imports could not be verified")
	}
	return does, ""
}

// copies are those on other hosts that are asked before the local one: as it is wanted now, else as they were, in the
// build that the page will have.
func (s *Serving) copies(ctx context.Context, e *tags.Editor, old int, of, to project.Sealed) ([]tags.Copy, error) {
	p, lib := e.Project(), e.Project().List.Library(to.Library)
	version := p.Seal.Libraries[to.Library].Version
	var addresses []string
	switch {
	case s.Fallback:
		for _, pattern := range s.Then {
			addresses = append(addresses, lib.Address(pattern, version, to.File))
		}
	case old >= 0:
		_, were := e.Fallback(old)
		addresses = again(p, lib, lib, [2]string{version, version}, of.File, to.File, were)
	}
	return demanding(ctx, p, addresses, to.File)
}

// again are the addresses of a fallback's copies on other hosts, for another build or version of the file.
func again(p *project.Project, was, now *record.Library, versions [2]string, old, new *record.File,
	copies []tags.Copy) []string {
	var list []string
	for _, c := range copies {
		switch address := elsewhere(p, was, now, versions, old, new, c.Ref); {
		case c.Integrity == "":
		case old == new && versions[0] == versions[1]:
			list = append(list, c.Ref)
		case address != "":
			list = append(list, address)
		}
	}
	return list
}

// demanding are copies at addresses that were seen to have the file's bytes.
func demanding(ctx context.Context, p *project.Project, addresses []string, f *record.File) ([]tags.Copy, error) {
	var list []tags.Copy
	for _, address := range addresses {
		if err := p.Origin.HasSame(ctx, address, f); err != nil {
			return nil, err
		}
		list = append(list, tags.Copy{Ref: address, Integrity: f.Integrity})
	}
	return list, nil
}

// standIn writes the fallback for an include, or says why there can be none.
func (s *Serving) standIn(e *tags.Editor, i int, to project.Sealed, copies []tags.Copy) (tag, why string) {
	in, global := &e.Includes[i], ""
	if !e.IsStyle(i) {
		global = e.Project().GlobalOf(to)
	}
	tag = tags.FallbackTag(in, global, copies...)
	switch {
	case tag == "" && e.IsStyle(i):
		return "", "it applies to some visitors only, but its fallback would apply to all"
	case tag == "" && in.When == page.Async:
		return "", "it is async, so no moment shows that it is missing"
	case tag == "":
		return "", "it defines no global that shows whether it ran"
	case s.CSP == nil || !s.CSP.ForbidsInline(e.Page, in.End, tag):
		if len(copies) > 1 && in.When == page.Deferred && !e.IsStyle(i) {
			s.alone(to, "it is deferred, and files that it fetches could not be verified")
		}
		return tag, ""
	}
	from, ok := tags.Reference(e.Page.Page, e.From, s.Copies)
	if tag = tags.CopyTag(in, global, copies[len(copies)-1].Ref, from); !ok || tag == "" {
		return "", "it is deferred, and the page's policy forbids inline scripts"
	}
	if len(copies) > 1 {
		s.alone(to, "a page's policy forbids inline scripts")
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.Copied = true
	return tag, ""
}

// alone notes that a file has its local copy as the only one to fall back to.
func (s *Serving) alone(to project.Sealed, why string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.Alone[path.Base(to.File.Path)] = why
}
