// Package since finds the pages that changed since a revision of version control. It asks git.
package since

import (
	"bytes"
	"cmp"
	"context"
	"os/exec"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// Changed keeps the pages that a version control's working tree changed since a revision, and those that ask for a
// file which changed: a script, a stylesheet, one that a stylesheet or a module imports. Where a record changed, it
// keeps all.
func Changed(ctx context.Context, p *project.Project, site *walk.Site, revision string,
	pages []paths.InSite) ([]paths.InSite, error) {
	if strings.HasPrefix(revision, "-") {
		return nil, problem.Misuse("name a revision, such as main or HEAD~1", "--changed-since %s is not a revision",
			revision)
	}
	var names []string
	for _, args := range [][]string{{"diff", "--name-only", "-z", "--relative", revision, "--"},
		{"ls-files", "-z", "--others", "--exclude-standard"}} {
		cmd := exec.CommandContext(ctx, "git", args...)
		cmd.Dir = string(p.Root)
		out, err := cmd.Output()
		if err != nil {
			why := err.Error()
			if exit, ok := err.(*exec.ExitError); ok {
				why, _, _ = strings.Cut(strings.TrimSpace(string(exit.Stderr)), "\n")
			}
			return nil, problem.Refuse(problem.RevisionBad, "name a revision of the repository that the project is in",
				"--changed-since %s: git says: %s", revision, cmp.Or(why, "nothing"))
		}
		names = append(names, strings.Split(strings.TrimRight(string(out), "\x00"), "\x00")...)
	}
	touched := map[paths.InSite]bool{}
	for _, n := range names {
		if n == record.ListFile || n == record.SealFile {
			return pages, nil
		}
		if at, ok := p.InSite(paths.FoundInProject(n)); ok && n != "" {
			touched[at] = true
		}
	}
	importers(p, site, touched)
	asks, err := parallel.Map(ctx, pages, func(_ context.Context, name paths.InSite) (bool, error) {
		return touched[name] || asksFor(p, name, touched), nil
	})
	var kept []paths.InSite
	for i, name := range pages {
		if asks[i] {
			kept = append(kept, name)
		}
	}
	return kept, err
}

// importers adds own stylesheets and scripts that import what was touched, and what imports those.
func importers(p *project.Project, site *walk.Site, touched map[paths.InSite]bool) {
	leads := map[paths.InSite][]paths.InSite{} // what each file leads to
	for _, name := range slices.Concat(p.OwnFiles(site, packages.Stylesheet), p.OwnFiles(site, packages.Script)) {
		b, err := p.ReadInSite(name)
		if err != nil {
			continue
		}
		if packages.KindOf(name.String()) == packages.Stylesheet {
			for _, r := range style.References(b) {
				leads[name] = append(leads[name], tags.ResolveOnce(name, "", r.URL).Path)
			}
			continue
		}
		page.ScriptReferences(b, func(r page.Reference) {
			if r.In == page.InImport {
				leads[name] = append(leads[name], tags.ResolveOnce(name, "", r.Ref).Path)
			}
		})
	}
	for grew := true; grew; {
		grew = false
		for from, list := range leads {
			if !touched[from] && slices.ContainsFunc(list, func(to paths.InSite) bool { return touched[to] }) {
				touched[from], grew = true, true
			}
		}
	}
}

// asksFor reports whether a page leads to one of some files.
func asksFor(p *project.Project, name paths.InSite, files map[paths.InSite]bool) bool {
	b, err := p.ReadInSite(name)
	if err != nil {
		return true // check says why
	}
	said := false
	for f := range files {
		if said = bytes.Contains(b, []byte(f.Base())) || strings.ContainsAny(f.Base(), " %"); said {
			break
		}
	}
	if !said {
		return false // most say none of them, which takes less to see than to read
	}
	v, err := tags.Read(p, name, b)
	if err != nil {
		return true
	}
	for i := range v.Includes {
		if _, local := v.FallbackOf(i); files[v.Targets[i].Path] || files[local.Path] {
			return true
		}
	}
	asks := false
	v.References(func(r page.Reference) {
		if r.Element != "a" && r.Element != "area" && r.Element != "form" { // those lead on, and show nothing here
			asks = asks || files[tags.ResolveOnce(name, v.Base, r.Ref).Path]
		}
	})
	return asks
}
