package delivery

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// Habits are a site's ways with files: its folders by kind, and the folder for sets that stay
// together. Paths are slash-separated, from the site's folder.
type Habits struct {
	Scripts, Styles, Fonts, Images, Together string
	Names                                    record.Names
}

func (h Habits) folder(kind Kind) string {
	switch kind {
	case Script:
		return h.Scripts
	case Stylesheet:
		return h.Styles
	case Font:
		return h.Fonts
	case Image:
		return h.Images
	}
	return ""
}

// A Placement says where in the site each file of a selection goes.
type Placement struct {
	At map[string]paths.InSite // of each file, by its path in the delivery
	// Together says that the set was kept in one folder, and Why, where that was not asked for.
	Together bool
	Why      string
}

// Place finds a place for every file of a selection, such that every reference from one to another
// stays true without a byte being changed. It returns an error where a renaming would break one.
func (d *Delivery) Place(s *Selection, name, version string, h Habits, together bool, rename map[string]string) (*Placement, error) {
	for old := range rename {
		if _, ok := d.renamed(s, old); !ok {
			return nil, problem.Refuse(problem.FileUnknown, "merry peek lists the files", "--rename %s=%s: no chosen file is called %s", old, rename[old], old)
		}
	}
	fixed := d.referred(s)
	for old, new := range rename {
		p, _ := d.renamed(s, old)
		if by := fixed[p]; by != "" {
			return nil, problem.Refuse(problem.NameBad, "leave that file's name as it is", "--rename %s=%s: %s asks for it by its name, and would not find it any more", old, new, by)
		}
		if strings.ContainsAny(new, `/\`) || new == "" || new == "." || new == ".." {
			return nil, problem.Refuse(problem.NameBad, "write --rename "+path.Base(old)+"=NAME; where files go is said by folders in the packing list", "--rename %s=%s: the new name must be a plain file name", old, new)
		}
	}
	base := func(p string) string {
		for old, new := range rename {
			if q, _ := d.renamed(s, old); q == p {
				return new
			}
		}
		b := path.Base(p)
		f := d.File(p)
		if fixed[p] == "" && f != nil && (f.Kind == Script || f.Kind == Stylesheet) {
			b = habitName(b, version, h.Names)
		}
		return b
	}
	var at map[string]string
	pl := &Placement{Together: together, At: map[string]paths.InSite{}}
	if !together {
		at, pl.Why = d.placeByKind(s, h, base)
		pl.Together = pl.Why != ""
	}
	if pl.Together {
		at = d.placeTogether(s, name, h, base)
	}
	for p, place := range at {
		var err error
		if pl.At[p], err = paths.Site(place); err != nil {
			return nil, problem.Refuse(problem.NameBad, "give the file another name with --rename "+path.Base(p)+"=NAME, or choose other folders in the packing list", "%w", err)
		}
	}
	return pl, nil
}

// renamed finds the chosen file that a person means by a path or a base name.
func (d *Delivery) renamed(s *Selection, old string) (string, bool) {
	for _, c := range s.Choices {
		if c.Path == old || path.Base(c.Path) == old {
			return c.Path, true
		}
	}
	return "", false
}

// referred tells which chosen files another chosen file asks for by name.
func (d *Delivery) referred(s *Selection) map[string]string {
	by := map[string]string{}
	for _, c := range s.Choices {
		f := d.File(c.Path)
		if f == nil {
			continue
		}
		for _, r := range f.Refs {
			if s.Has(r.Path) {
				by[r.Path] = f.Path
			}
		}
		if f.Map != "" && s.Has(f.Map) {
			by[f.Map] = f.Path
		}
	}
	return by
}

func (d *Delivery) placeByKind(s *Selection, h Habits, base func(string) string) (map[string]string, string) {
	at := map[string]string{}
	taken := map[string]string{}
	put := func(p, place string) string {
		if old, ok := at[p]; ok && old != place {
			return fmt.Sprintf("two files ask for %s from different folders", p)
		}
		if other, ok := taken[strings.ToLower(place)]; ok && other != p {
			return fmt.Sprintf("%s and %s would both become %s", other, p, place)
		}
		at[p], taken[strings.ToLower(place)] = place, p
		return ""
	}
	fixed := d.referred(s)
	var queue []string
	for _, c := range s.Choices {
		f := d.File(c.Path)
		if fixed[c.Path] != "" {
			continue
		}
		folder := h.folder(f.Kind)
		if folder == "" {
			return nil, fmt.Sprintf("the site has no folder for a %s such as %s", f.Kind, c.Path)
		}
		if why := put(c.Path, path.Join(folder, base(c.Path))); why != "" {
			return nil, why
		}
		queue = append(queue, c.Path)
	}
	for len(queue) > 0 {
		p := queue[0]
		queue = queue[1:]
		f := d.File(p)
		follow := func(target string) string {
			if !s.Has(target) {
				return ""
			}
			place := path.Join(path.Dir(at[p]), relative(path.Dir(p), target))
			kind := d.File(target).Kind
			home := h.folder(kind)
			if kind == Map {
				home = path.Dir(at[p])
			}
			if place == ".." || strings.HasPrefix(place, "../") {
				return fmt.Sprintf("%s asks for %s, which from %s would lie outside the site", f.Path, relative(path.Dir(p), target), path.Dir(at[p]))
			}
			if home == "" || place != path.Join(home, path.Base(place)) && !strings.HasPrefix(place, path.Clean(home)+"/") {
				return fmt.Sprintf("%s asks for %s, which from %s is not the site's folder for a %s", f.Path, relative(path.Dir(p), target), path.Dir(at[p]), kind)
			}
			if _, done := at[target]; !done {
				queue = append(queue, target)
			}
			return put(target, place)
		}
		for _, r := range f.Refs {
			if why := follow(r.Path); why != "" {
				return nil, why
			}
		}
		if f.Map != "" {
			if why := follow(f.Map); why != "" {
				return nil, why
			}
		}
	}
	for _, c := range s.Choices {
		if at[c.Path] == "" {
			return nil, fmt.Sprintf("%s is asked for in a circle", c.Path)
		}
	}
	return at, ""
}

func (d *Delivery) placeTogether(s *Selection, name string, h Habits, base func(string) string) map[string]string {
	paths := s.Paths()
	prefix := path.Dir(paths[0])
	for _, p := range paths {
		for prefix != "." && !strings.HasPrefix(p, prefix+"/") {
			prefix = path.Dir(prefix)
		}
	}
	at := map[string]string{}
	folder := path.Join(h.Together, strings.NewReplacer("@", "", "/", "-").Replace(name))
	for _, p := range paths {
		rel := p
		if prefix != "." {
			rel = p[len(prefix)+1:]
		}
		at[p] = path.Join(folder, path.Dir(rel), base(p))
	}
	return at
}

// relative returns the way from a folder to a file.
func relative(dir, file string) string {
	a, b := strings.Split(dir, "/"), strings.Split(file, "/")
	if dir == "." {
		a = nil
	}
	n := 0
	for n < len(a) && n < len(b)-1 && a[n] == b[n] {
		n++
	}
	return strings.Join(append(slices.Repeat([]string{".."}, len(a)-n), b[n:]...), "/")
}

// Relative returns the way from a folder to a file, both slash-separated from one root.
func Relative(dir, file string) string { return relative(path.Clean(dir), file) }

// habitName gives a file the name that the site's habit wants: as shipped, without its version, or
// with it.
func habitName(base, version string, habit record.Names) string {
	if habit != record.Plain && habit != record.Versioned {
		return base
	}
	ext := path.Ext(base)
	stem := strings.TrimSuffix(base, ext)
	core := trimBuild(stem)
	mark := stem[len(core):]
	if version != "" {
		for _, sep := range []string{"-", ".", "_", "@", "-v"} {
			core = strings.TrimSuffix(core, sep+version)
		}
	}
	if n, v := NameVersion(core); v != "" {
		core = n
	}
	if habit == record.Versioned && version != "" {
		core += "-" + version
	}
	return core + mark + ext
}
