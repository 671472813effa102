package reconcile

import (
	"context"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/policies"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// Serving is how libraries are to be served, as work on pages.
type Serving struct {
	Libraries []string
	Serve     record.Serve // "" leaves that
	Pattern   cdn.Pattern  // of the CDN, "" where each file has an address of its own
	Chosen    bool         // the CDN was named, so it counts more than addresses that files have of their own
	Build     record.Build // NoBuild leaves that
	Fallback  bool         // behind each CDN script, a local copy that stands in for it
	Hints     bool         // preconnect and preload in the head
	Memory    *tags.Memory
	// Without are the names of files that could get no fallback, each with the reason.
	Without map[string]string
	// Guard, where set, tells of policies that forbid inline scripts. Copies is where the script lies that does without them; Copied says
	// that some page has it now.
	Guard  *policies.Guard
	Copies paths.InSite
	Copied bool

	mu sync.Mutex
}

// Page changes the references of one page.
func (s *Serving) Page(ctx context.Context, e *tags.Editor, done *PageChange) error {
	for i := range e.Includes {
		of := e.Of[i]
		if !e.Runs(i) || of.File == nil || !slices.Contains(s.Libraries, of.Library) {
			continue
		}
		sealed := e.Project().Seal.Libraries[of.Library]
		to := project.Sealed{Library: of.Library, File: sealed.InBuild(of.File, s.Build)}
		was := e.Includes[i].Ref
		ref, values, err := s.reference(ctx, e, i, of.File, to)
		if err != nil {
			return err
		}
		if err := s.fallback(e, i, to, strings.Contains(ref, "://")); err != nil {
			return err
		}
		if ref != was || s.Serve == record.CDN && !e.Carries(i, values) {
			s.Memory.Refer(e, i, ref, values)
			done.Removed, done.Added = append(done.Removed, was), append(done.Added, ref)
		}
	}
	if e.Edits() || s.Hints || len(e.OwnHints(e.Project())) > 0 {
		e.Hint(s.Hints)
	}
	return nil
}

// reference is what an include will refer to, with the values of the link attributes. Before a page refers to an address,
// its bytes are held against the sealed ones, once for all pages.
func (s *Serving) reference(ctx context.Context, e *tags.Editor, i int, old *record.File, to project.Sealed) (string, map[string]string, error) {
	p, was := e.Project(), e.Includes[i].Ref
	lib, sealed, f := p.List.Library(to.Library), p.Seal.Libraries[to.Library], to.File
	remote := e.Targets[i].Path.IsZero()
	switch {
	case s.Serve == record.CDN:
		ref := cdn.Exact(f.URL, sealed.Version) // never that of a branch
		switch {
		case f.URL != "" && (!s.Chosen || s.Pattern == ""):
		case s.Pattern == "":
			return "", nil, problem.Refuse(problem.CDNUnclear, "merry sources set cdn NAME PATTERN", "no CDN is known to have %s of %s", f.Path, lib.Name)
		default:
			ref = lib.Address(s.Pattern, sealed.Version, f)
		}
		return ref, tags.LinkValues(f), p.Origin.HasSame(ctx, ref, f)
	case s.Serve == "" && remote:
		// Only the build changes: the link keeps its CDN.
		if old == f {
			return was, nil, nil
		}
		for _, name := range p.List.CDNNames() {
			if pattern := p.List.CDNs[name]; lib.Address(pattern, sealed.Version, old) == e.Targets[i].URL {
				ref := lib.Address(pattern, sealed.Version, f)
				return ref, tags.LinkValues(f), p.Origin.HasSame(ctx, ref, f)
			}
		}
		return was, nil, nil
	}
	at, inSite := p.InSite(f.At)
	if !inSite {
		return "", nil, problem.Refuse(problem.FileUnknown, "merry take "+lib.Name+" again", "%s of %s has no local copy", f.Path, lib.Name)
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

// fallback puts the fallback of an include right: there where it is asked for and can be, gone with the link, else as
// it was.
func (s *Serving) fallback(e *tags.Editor, i int, to project.Sealed, linked bool) error {
	old, _ := e.FallbackOf(i)
	tag := ""
	if linked && (s.Fallback || s.Serve == "" && old >= 0) {
		at, _ := e.Project().InSite(to.File.At)
		why := "the page's base leads to another site"
		if ref, ok := tags.Reference(e.Page.Page, e.Path, at); ok {
			tag, why = s.standIn(e, i, to, ref)
		}
		if tag == "" {
			s.mu.Lock()
			s.Without[path.Base(to.File.Path)] = why
			s.mu.Unlock()
		}
	}
	e.SetFallback(i, tag)
	return nil
}

// standIn writes the fallback for an include, or says why there can be none.
func (s *Serving) standIn(e *tags.Editor, i int, to project.Sealed, ref string) (tag, why string) {
	in, global := &e.Includes[i], ""
	if !e.IsStyle(i) {
		global = e.Project().GlobalOf(to)
	}
	tag = tags.FallbackTag(in, global, ref)
	switch {
	case tag == "" && e.IsStyle(i):
		return "", "it does not apply to everybody at once, as its stand-in would"
	case tag == "" && (in.Module || in.When == page.Async):
		return "", "it is async, or a module, and has no turn in which its absence would show"
	case tag == "":
		return "", "it defines no global by which its absence shows"
	case s.Guard == nil || !s.Guard.ForbidsInline(e.Page, in.End, tag):
		return tag, ""
	}
	from, ok := tags.Reference(e.Page.Page, e.Path, s.Copies)
	if tag = tags.CopyTag(in, global, ref, from); !ok || tag == "" {
		return "", "it is deferred, and the page's policy forbids inline scripts"
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.Copied = true
	return tag, ""
}
