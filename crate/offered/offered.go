// Package offered compares what two versions of a library offer to pages.
package offered

import (
	"context"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// maxGone is how many names of one version are remembered.
const maxGone = 3000

// Gone are the names that a library offered in the version that is in the crate, or in an earlier one, and does not
// offer as it will be: classes, properties, keyframes, attributes, globals, and members of globals that scripts of the
// site use. Read gives the bytes of a file as it will be, by its path in the source, nil for none.
func Gone(ctx context.Context, d *reconcile.Plan, name string, sealed *record.Sealed,
	read func(path string) []byte) map[string][]string {
	was := d.Before.Seal.Libraries[name]
	if was == nil || was.Version == sealed.Version {
		if was != nil {
			return was.Gone
		}
		return nil
	}
	inCrate := func(f *record.File) []byte {
		b, err := d.Before.LocalBytes(project.Sealed{Library: name, File: f})
		if err != nil {
			return nil
		}
		return b
	}
	toCome := func(f *record.File) []byte { return read(f.Path) }
	old, new := offered(was, d, inCrate), offered(sealed, d, toCome)
	list := map[string][]string{}
	add := func(version string, names []string) {
		for _, name := range names {
			if !new[name] && len(list[version]) < maxGone {
				list[version] = append(list[version], name)
			}
		}
	}
	for version, names := range was.Gone {
		add(version, names)
	}
	var names []string
	for name := range old {
		names = append(names, name)
	}
	names = append(names, lostMembers(ctx, d, name, old, scriptsOf(was, inCrate), scriptsOf(sealed, toCome))...)
	slices.Sort(names)
	add(was.Version, names)
	if len(list) == 0 {
		return nil
	}
	return list
}

// lostMembers are the members of a library's globals that scripts of the site use, and that its new scripts do not
// have.
func lostMembers(ctx context.Context, d *reconcile.Plan, library string, globals map[string]bool, old,
	new [][]byte) []string {
	uses := usesOf(ctx, d, library, globals)
	if len(uses) == 0 {
		return nil
	}
	had, knownOld := d.Before.Facts.Members(ctx, old)
	has, knownNew := d.Before.Facts.Members(ctx, new)
	if !knownOld || !knownNew {
		return nil
	}
	return slices.DeleteFunc(uses, func(use string) bool {
		_, member, _ := strings.Cut(use, ".")
		return !had[member] || has[member]
	})
}

// usesOf are the members of some globals that other libraries and own scripts use, as race.curry.
func usesOf(ctx context.Context, d *reconcile.Plan, library string, globals map[string]bool) []string {
	p := d.Before
	uses := map[string]bool{}
	add := func(list []script.Global) {
		for _, use := range list {
			if g, _, _ := strings.Cut(use.Name, "."); globals[g] {
				uses[use.Name] = true
			}
		}
	}
	for name, sealed := range p.Seal.Libraries {
		for i := range sealed.Files {
			f := &sealed.Files[i]
			if name == library || f.Role != record.Tagged || packages.KindOf(f.Path) != packages.Script {
				continue
			}
			if b, err := p.LocalBytes(project.Sealed{Library: name, File: f}); err == nil {
				add(p.Facts.ScriptOf(f.Integrity, b).Uses)
			}
		}
	}
	if site, err := d.Site(ctx); err == nil {
		for _, name := range p.OwnFiles(site, packages.Script) {
			if b, err := p.ReadInSite(name); err == nil {
				add(p.Facts.Script(b).Uses)
			}
		}
	}
	return slices.Sorted(maps.Keys(uses))
}

// scriptsOf are the texts of a library's plain scripts for pages, each in one build.
func scriptsOf(sealed *record.Sealed, bytesOf func(f *record.File) []byte) [][]byte {
	var texts [][]byte
	for i := range sealed.Files {
		f := &sealed.Files[i]
		if packages.KindOf(f.Path) != packages.Script || f.Role != record.Tagged || f.Module ||
			f.Build == record.Minified && f.OtherBuild != "" {
			continue
		}
		if b := bytesOf(f); b != nil {
			texts = append(texts, b)
		}
	}
	return texts
}

// offered are the names that a library's files offer to a page.
func offered(sealed *record.Sealed, d *reconcile.Plan, bytesOf func(f *record.File) []byte) map[string]bool {
	names := map[string]bool{}
	for i := range sealed.Files {
		f := &sealed.Files[i]
		switch kind := packages.KindOf(f.Path); {
		case f.Build == record.Minified && f.OtherBuild != "":
		case kind == packages.Stylesheet:
			for _, m := range style.Read(bytesOf(f)).Makes() {
				switch m.Kind {
				case style.Class:
					names["."+m.Name] = true
				case style.Property:
					names[m.Name] = true
				case style.Keyframes:
					names["@"+m.Name] = true
				case style.Attribute:
					if IsOwn(m.Name) {
						names["["+m.Name] = true
					}
				}
			}
		case kind == packages.Script && f.Role == record.Tagged && !f.Module:
			if b := bytesOf(f); b != nil {
				for name := range Attributes(b) {
					names["["+name] = true
				}
				for _, g := range d.Before.Facts.ScriptOf(f.Integrity, b).Defines {
					names[g.Name] = true
				}
			}
		}
	}
	return names
}

// IsOwn reports whether an attribute may be one that a library defines: its name has a dash, and does not begin with
// aria-.
func IsOwn(attribute string) bool {
	return strings.Contains(attribute, "-") && !strings.HasPrefix(attribute, "aria-")
}
