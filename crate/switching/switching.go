// Package switching changes how pages refer to libraries: local copy or CDN link, readable or minified build, with or
// without fallbacks and preload hints.
package switching

import (
	"cmp"
	"context"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// Request asks for references to be changed: served from elsewhere, or in the other build.
type Request struct {
	Libraries []string // all if there is none
	Pages     []string // all if there is none
	Serve     record.Serve
	CDN       string // which one, where there are several
	Build     record.Build
	Profile   string   // what the packing list says under this name
	Fallback  bool     // behind each CDN script, a local copy that stands in for it
	Then      []string // CDNs that are asked before the local copy
	Hints     bool     // preconnect and preload in the head
}

// Switched is the result of switch.
type Switched struct {
	reconcile.Result
	Pages []reconcile.PageChange `json:"pages"`           // Removed and Added: the references before and after
	Added []string               `json:"added,omitempty"` // local files that were added
	Notes []string               `json:"notes,omitempty"` // what else to know
}

// Switch changes references between local copies and CDN links, and between builds, as d. It refuses if the bytes at a
// CDN differ from the sealed ones. Relative patterns in req are seen from dir.
func Switch(ctx context.Context, d *reconcile.Plan, req Request, dir string) (*Switched, error) {
	d.Measure = true
	out := &Switched{}
	work, err := plan(ctx, d, req, dir, tags.NewHistory(d.Seal.Tags), out)
	if err != nil {
		return nil, err
	}
	work.CSP, work.Copies = csp.New(d.Before), paths.Found(path.Join(d.List.Folders.Scripts, tags.CopyScript))
	err = d.Finish(ctx, &out.Result, &out.Pages, func() error {
		if work.Copied {
			if err := d.PutOwn(work.Copies, []byte(tags.CopyText)); err != nil {
				return err
			}
			out.Added = append(out.Added, d.Before.InProject(work.Copies).String())
		}
		d.Seal.Tags = work.History.Tags(len(req.Pages) == 0)
		return nil
	})
	for _, name := range slices.Sorted(maps.Keys(work.Without)) {
		out.Notes = append(out.Notes, name+" has no fallback: "+work.Without[name])
	}
	for _, name := range slices.Sorted(maps.Keys(work.Alone)) {
		out.Notes = append(out.Notes, name+" falls back to its local copy directly: "+work.Alone[name])
	}
	out.Pages = reconcile.Changed(out.Pages)
	return out, err
}

// plan adds a switch to the plan: the local copies that are missing, which out then has, and the edits of pages.
func plan(ctx context.Context, d *reconcile.Plan, req Request, dir string,
	memory *tags.History, out *Switched) (*reconcile.Serving, error) {
	s := &switching{d: d, req: req}
	if err := s.settle(); err != nil {
		return nil, err
	}
	if d.Untitled() {
		d.Title(s.title())
	}
	pages, err := d.Pages(ctx, s.req.Pages, dir, true)
	if err != nil {
		return nil, err
	}
	for _, l := range s.libs {
		if s.req.Serve == record.Local || s.req.Fallback {
			put, err := d.Localise(ctx, l)
			if err != nil {
				return nil, err
			}
			out.Added = append(out.Added, put...)
		}
		put, stays, err := libraries.AddBuild(ctx, d, l, s.req.Build)
		if err != nil {
			return nil, err
		}
		out.Added = append(out.Added, put...)
		if stays != "" {
			out.Notes = append(out.Notes, stays)
		}
		if len(s.req.Pages) == 0 {
			// All pages change, so it is what the project wants from now on.
			lib := d.List.Library(l)
			if s.req.Serve != "" {
				lib.Serve = s.req.Serve
			}
			if s.req.Build != record.NoBuild {
				lib.Build = s.req.Build
			}
		}
	}
	slices.Sort(out.Added)
	work := &reconcile.Serving{Libraries: s.libs, Serve: s.req.Serve, Pattern: s.pattern, Chosen: s.req.CDN != "",
		Build: s.req.Build, Fallback: s.req.Fallback,
		Hints: s.req.Hints, History: memory, Then: s.then, Without: map[string]string{}, Alone: map[string]string{}}
	d.OnPages(pages, work.Page)
	return work, nil
}

// switching is a switch that is being determined.
type switching struct {
	d       *reconcile.Plan
	req     Request
	pattern cdn.Pattern
	then    []cdn.Pattern
	libs    []string
}

// settle determines what exactly is asked for: what a profile says, which CDN, which libraries.
func (s *switching) settle() error {
	list := s.d.List
	if err := s.fillProfile(); err != nil {
		return err
	}
	req := &s.req
	if req.Serve == record.CDN && req.CDN == "" && len(req.Libraries) > 0 && list.Library(req.Libraries[0]) == nil &&
		list.CDNs[req.Libraries[0]] != "" {
		req.CDN, req.Libraries = req.Libraries[0], req.Libraries[1:] // --cdn NAME, with a space
	}
	s.libs = req.Libraries
	if len(s.libs) == 0 {
		s.libs = s.d.Seal.Names()
	}
	for _, l := range s.libs {
		if lib := list.Library(l); lib != nil && s.d.Seal.Libraries[l] == nil && lib.Only == record.DevOnly {
			return problem.Refuse(problem.LibraryUnknown, "link to one version of it, and adopt that",
				"%s is a link without a version, so it is not sealed", l)
		}
		if s.d.List.Library(l) == nil || s.d.Seal.Libraries[l] == nil {
			return project.NotInCrate(list, l)
		}
	}
	var err error
	if s.pattern, err = s.findPattern(); err != nil {
		return err
	}
	for _, name := range req.Then {
		pattern, ok := list.CDNs[name]
		if !ok {
			return problem.Refuse(problem.SourceUnset, "set how its addresses are made: merry sources set cdn "+name+
				" 'https://…/{name}/{version}/{path}'", "%s has no CDN %s to fall back to", record.ListFile, name)
		}
		s.then = append(s.then, pattern)
	}
	return nil
}

func (s *switching) title() string {
	words := append([]string{}, s.req.Libraries...)
	words = append(words, "to", string(s.req.Serve), s.req.CDN, string(s.req.Build))
	if s.req.Fallback {
		words = append(words, strings.Join(append([]string{"with fallback"}, s.req.Then...), " "))
	}
	if s.req.Hints {
		words = append(words, "with hints")
	}
	return reconcile.Titled("switch", words...)
}

func (s *switching) fillProfile() error {
	req := &s.req
	if req.Profile != "" {
		prof, ok := s.d.List.Profiles[req.Profile]
		if !ok {
			return project.NoProfile(s.d.List, req.Profile)
		}
		if req.Serve == "" {
			req.Serve = prof.Serve
		}
		if req.Build == record.NoBuild {
			req.Build = prof.Build
		}
		req.CDN = cmp.Or(req.CDN, prof.CDN)
		req.Fallback, req.Hints = req.Fallback || prof.Fallback, req.Hints || prof.Hints
		if len(req.Then) == 0 {
			req.Then = prof.Then
		}
	}
	if len(req.Then) > 0 {
		req.Fallback = true
	}
	if req.Fallback && req.Serve == record.Local {
		return problem.Misuse("merry switch --cdn --fallback", "--fallback is for CDN links, and local copies "+
			"need none")
	}
	if req.Serve == "" && req.Build == record.NoBuild && !req.Fallback && !req.Hints {
		return problem.Misuse("use --cdn, --local, --minified, --readable or --profile NAME", "switch needs to know "+
			"what to switch to")
	}
	return nil
}

// findPattern finds the pattern of the CDN that is meant.
func (s *switching) findPattern() (cdn.Pattern, error) {
	if s.req.Serve != record.CDN {
		return "", nil
	}
	names := s.d.List.CDNNames()
	switch {
	case len(names) == 0 && s.allLinked():
		return "", nil // each has an address of its own
	case len(names) == 0:
		return "", problem.Refuse(problem.SourceUnset, "set how its addresses are made: merry sources set cdn NAME "+
			"'https://…/{name}/{version}/{path}'", "the packing list has no CDN")
	case s.req.CDN == "" && len(names) == 1:
		return s.d.List.CDNs[names[0]], nil
	case s.req.CDN == "":
		return "", problem.Misuse("--cdn="+names[0], "the packing list has several CDNs; name one: %s",
			strings.Join(names, ", "))
	}
	pattern, ok := s.d.List.CDNs[s.req.CDN]
	if !ok {
		return "", problem.Refuse(problem.SourceUnset, "it has "+strings.Join(names, ", "), "%s has no CDN %s",
			record.ListFile, s.req.CDN)
	}
	return pattern, nil
}

// allLinked reports whether all the libraries have addresses that no pattern makes.
func (s *switching) allLinked() bool {
	for _, l := range s.libs {
		if slices.ContainsFunc(s.d.Seal.Libraries[l].Files, func(f record.File) bool {
			return f.Role == record.Tagged && f.URL == ""
		}) {
			return false
		}
	}
	return len(s.libs) > 0
}
