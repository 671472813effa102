package libraries

import (
	"slices"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
)

// maxGone is how many names of one version are remembered.
const maxGone = 3000

// gone are the names that the library offered in the version that is in the crate, or in an earlier one, and does not
// offer as it will be.
func (l *Library) gone(d *reconcile.Plan, sealed *record.Sealed) map[string][]string {
	was := d.Before.Seal.Libraries[l.Entry.Name]
	if was == nil || was.Version == sealed.Version {
		if was != nil {
			return was.Gone
		}
		return nil
	}
	old := offered(was, d, func(f *record.File) []byte {
		b, err := d.Before.LocalBytes(project.Sealed{Library: l.Entry.Name, File: f})
		if err != nil {
			return nil
		}
		return b
	})
	new := offered(sealed, d, func(f *record.File) []byte {
		b, err := l.From.ReadInto(f.Path, nil)
		if err != nil {
			return nil
		}
		return b
	})
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
	slices.Sort(names)
	add(was.Version, names)
	if len(list) == 0 {
		return nil
	}
	return list
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
				}
			}
		case kind == packages.Script && f.Role == record.Tagged && !f.Module:
			if b := bytesOf(f); b != nil {
				for _, g := range d.Before.Facts.ScriptOf(f.Integrity, b).Defines {
					names[g.Name] = true
				}
			}
		}
	}
	return names
}
