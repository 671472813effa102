package packages

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/record"
)

// InBuild drops the files of the other build where both are chosen, what only those ask for, and all source maps.
func (d *Package) InBuild(s *Selection, build record.Build) *Selection {
	why := map[string]string{} // of the files that are dropped
	theirs := map[string]bool{}
	for _, c := range s.Choices {
		f := d.File(c.Path)
		if f.OtherBuild != "" && s.Has(f.OtherBuild) && f.Build != build {
			why[c.Path] = c.Reason
			for _, r := range f.Refs {
				theirs[r.Path] = true
			}
		}
	}
	out := s.Without(func(name string) bool {
		_, dropped := why[name]
		return dropped || d.File(name).Kind == Map || theirs[name] && !s.Tagged(name)
	})
	for i, c := range out.Choices {
		f := d.File(c.Path)
		if reason, ok := why[f.OtherBuild]; ok && c.Reason == otherBuild(f, d.File(f.OtherBuild)) {
			out.Choices[i].Reason = reason
		}
	}
	d.complete(out, false)
	return out
}

// otherBuild is the reason for a file that comes because its other build does.
func otherBuild(f, other *File) string {
	return fmt.Sprintf("the %s build of %s", f.Build, path.Base(other.Path))
}

// Of is the path of a file's build, or its own where there is no other.
func (d *Package) Of(name string, build record.Build) string {
	if f := d.File(name); f != nil && f.OtherBuild != "" && f.Build != build {
		return f.OtherBuild
	}
	return name
}

// TurnTo returns a selection with the other build of the files that are chosen in one alone and not in this one.
func (d *Package) TurnTo(s *Selection, build record.Build) *Selection {
	turned := map[string]bool{}
	for _, c := range slices.Clone(s.Choices) {
		f := d.File(c.Path)
		if f.OtherBuild != "" && f.Build != build && !s.Has(f.OtherBuild) {
			turned[c.Path], turned[f.Map] = true, true
			s.add(f.OtherBuild, "pages use the "+string(build)+" build", c.Page)
		}
	}
	return s.Without(func(name string) bool { return turned[name] })
}

// AddBuilds adds to a selection the other build of its files, or their source maps.
func (d *Package) AddBuilds(s *Selection, both, maps bool) {
	for _, c := range slices.Clone(s.Choices) {
		f := d.File(c.Path)
		if other := d.File(f.OtherBuild); both && other != nil {
			s.add(other.Path, otherBuild(other, f), c.Page)
		}
	}
	d.complete(s, maps)
}

// Named returns a selection as the packing list records it, so that it can be repeated.
func (d *Package) Named(s *Selection) []string {
	var list []string
	brought := map[string]bool{}
	for _, c := range s.Choices {
		f := d.File(c.Path)
		for _, r := range f.Refs {
			brought[r.Path] = true
		}
		if f.Map != "" {
			brought[f.Map] = true
		}
	}
	whole := map[string]bool{} // globs of the catalogues that are chosen whole
	for i := range d.Catalogues {
		c := &d.Catalogues[i]
		whole[c.Glob] = !slices.ContainsFunc(c.Files, func(name string) bool { return !s.Has(name) || s.Tagged(name) })
		if whole[c.Glob] {
			list = append(list, c.Glob)
		}
	}
	for _, c := range s.Choices {
		if from := d.InCatalogue(c.Path); from != nil && whole[from.Glob] && !c.Page {
			continue
		}
		if !brought[c.Path] || c.Page {
			list = append(list, c.Path)
		}
	}
	return list
}

// Contacts says of each tagged script which hosts it asks while it runs, and where the first address of each is.
func (d *Package) Contacts(s *Selection) []string {
	var list []string
	for _, c := range s.Choices {
		f := d.File(c.Path)
		if !c.Page || f.Script == nil || len(f.Script.Contacts) == 0 {
			continue
		}
		var hosts []string
		for _, to := range f.Script.Contacts {
			hosts = append(hosts, to.Host)
		}
		first := f.Script.Contacts[0]
		list = append(list, fmt.Sprintf("while it runs it asks %s (%s:%d:%d)", strings.Join(hosts, ", "), c.Path,
			first.Line, first.Column))
	}
	return list
}
