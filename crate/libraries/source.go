package libraries

import (
	"context"
	"io/fs"
	"maps"
	"path"
	"slices"

	"merrycrate.example/merry/crate/entries"
	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/style"
)

// source opens what an entry comes from, in the entry's version, or an archive of that name that is elsewhere.
func (s *Applying) source(ctx context.Context, lib record.Library) (*origin.Opened, error) {
	p := s.Plan.Before
	req := origin.Request{Name: lib.From, Dir: string(p.Root), Recorded: true}
	if pkg, ok := lib.Package(); ok {
		req.Name = record.FromRegistry + pkg
		if lib.Version != "" {
			req.Name += "@" + lib.Version
		}
		return p.Origin.Open(ctx, req)
	}
	if lib.From == "" {
		return nil, problem.Refuse(problem.SourceUnset, "write from: registry:"+lib.Name+", or its other source",
			"the packing list does not say where %s comes from", lib.Name)
	}
	// The list may be a stranger's: a path in it is opened below the project alone, and elsewhere archives by their
	// plain names.
	if source.IsAddress(lib.From) {
		return p.Origin.Open(ctx, req)
	}
	if _, err := p.Disk.Stat(lib.From); err == nil {
		return p.Origin.Open(ctx, req)
	}
	if full := origin.ArchiveIn(s.Dir, s.Sources, lib.From); full != "" {
		return p.Origin.Open(ctx, origin.Request{Name: full, Dir: s.Dir})
	}
	return nil, problem.Refuse(problem.FileUnknown, "name the folder that it is in: merry settle --from FOLDER",
		"%s comes from %s, which is neither in the project nor in the download folder", lib.Name, lib.From)
}

// onDisk seals a library from what lies on the site, where nothing else has it. It reports whether anything was found.
func (s *Applying) onDisk(ctx context.Context, lib record.Library) (bool, error) {
	d := s.Plan
	site, err := d.Site(ctx)
	if err != nil {
		return false, err
	}
	habits, _ := project.HabitsFor(d.List, &lib)
	wish := placement.Wish{Library: lib.Name, Habits: habits, Into: lib.Into}
	found := packages.InMemory{}
	there := map[string]paths.InSite{}
	for _, name := range slices.Concat(lib.Take, lib.Keep) {
		tries := []string{lib.Places[name], path.Join(wish.Folder(), name), path.Join(wish.Folder(), path.Base(name)),
			path.Join(habits.Folder(packages.KindOf(name)), path.Base(name))}
		for _, try := range tries {
			at := paths.Found(try)
			if !site.Has(at) || try == "" || d.Before.At(d.Before.InProject(at)).Library != "" {
				continue
			}
			b, err := d.Before.ReadInSite(at)
			if err != nil {
				return false, err
			}
			found[name], there[name] = b, at
			break
		}
	}
	s.closure(site, found, there)
	if len(found) == 0 {
		return false, nil
	}
	pkg, err := found.Describe(ctx, lib.Name, d.Before.Facts)
	if err != nil {
		return false, err
	}
	sel, _ := entries.Choose(pkg, lib.Version, lib, nil)
	l := &Library{Entry: lib, Package: pkg, From: found, Selection: sel, At: there, Licence: pkg.Licence}
	if _, err := l.Plan(ctx, d); err != nil {
		return false, err
	}
	known := 0
	for _, f := range d.Seal.Libraries[lib.Name].Files {
		if d.Before.Origin.Cache.Has(f.Integrity) {
			known++
		}
	}
	switch vouched := "its bytes can't be verified against anything else"; {
	case known == len(found):
		vouched = "the cache has the same bytes from before"
		fallthrough
	default:
		s.did(lib.Name, "sealed from the files in the site, %s: %s", files(len(found)), vouched)
	}
	return true, nil
}

// closure adds what found stylesheets ask for, as far as it lies where they look.
func (s *Applying) closure(site *walk.Site, found packages.InMemory, there map[string]paths.InSite) {
	p := s.Plan.Before
	queue := slices.Sorted(maps.Keys(found))
	for ; len(queue) > 0; queue = queue[1:] {
		name := queue[0]
		if packages.KindOf(name) != packages.Stylesheet {
			continue
		}
		for _, r := range style.References(found[name]) {
			by := packages.PathOf(r.URL)
			to, at := path.Join(path.Dir(name), by), paths.Found(path.Join(there[name].Dir(), by))
			if !site.Has(at) || by == "" || found[to] != nil || !fs.ValidPath(to) ||
				p.At(p.InProject(at)).Library != "" {
				continue
			}
			if b, err := p.ReadInSite(at); err == nil {
				found[to], there[to] = b, at
				queue = append(queue, to)
			}
		}
	}
}
