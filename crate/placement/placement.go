// Package placement finds a place in a site for every file of a selection, such that each still finds the others.
package placement

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/packages"

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

// Folder is where files of a kind go, "" if the site has no folder for them.
func (h Habits) Folder(kind packages.Kind) string {
	switch kind {
	case packages.Script:
		return h.Scripts
	case packages.Stylesheet:
		return h.Styles
	case packages.Font:
		return h.Fonts
	case packages.Image:
		return h.Images
	}
	return ""
}

// A Placement says where in the site each file of a selection goes.
type Placement struct {
	At map[string]paths.InSite // of each file, by its path in the package
	// Together says that all was put into one folder, as asked. Kept are files that had to stay together in one, and
	// Why.
	Together bool
	Kept     []string
	Why      string
}

// A Wish says how a library's files are to be placed.
type Wish struct {
	Library, Version string
	Habits           Habits
	Arrange          record.Arrange    // ByKind where the library asks for it, "" if kinds are no more than a habit
	Into             string            // one folder for all, from the site's
	Places           map[string]string // own places of files and folders, by their paths in the package
	Rename           map[string]string // own names of files, old to new
	// At maps files to their present paths: they stay, and files that belong to them go where they find them.
	There map[string]paths.InSite
}

// Place finds a place for every file of a selection, such that every reference from one to another
// stays true without a byte being changed: by kind, where files refer to each other those together that can't be placed
// so, or all in one folder. Where it asks for ByKind, what is referred to goes where the references lead. It returns an
// error where that can't be, or where a renaming or a place of its own would break a reference.
func Place(d *packages.Package, s *packages.Selection, w Wish) (*Placement, error) {
	fixed := referred(d, s)
	if err := w.renamable(d, s, fixed); err != nil {
		return nil, err
	}
	base := func(p string) string {
		for _, old := range slices.Sorted(maps.Keys(w.Rename)) {
			if q, _ := renamed(d, s, old); q == p {
				return w.Rename[old]
			}
		}
		b := path.Base(p)
		f := d.File(p)
		if fixed[p] == "" && f != nil && (f.Kind == packages.Script || f.Kind == packages.Stylesheet) {
			b = habitName(b, w.Version, w.Habits.Names)
		}
		return b
	}
	pl := &Placement{Together: w.Arrange == record.Together || w.Into != "", At: map[string]paths.InSite{}}
	at, kept := map[string]string{}, s.Paths()
	if !pl.Together {
		at, kept, pl.Why = placeByKind(d, s, w.Habits, base, w.Arrange == record.ByKind)
	}
	if w.Arrange == record.ByKind && len(kept) > 0 {
		return nil, problem.Refuse(problem.NameBad, "leave --by-kind out, or name fewer files with --files",
			"--by-kind is not possible: %s", pl.Why)
	}
	if len(kept) > 0 {
		maps.Copy(at, placeTogether(d, s, kept, w.Folder(), w.siblings(d), base))
	}
	own, err := w.own(d, s, at)
	if err != nil {
		return nil, err
	}
	habitual := maps.Clone(at)
	if err := around(d, s, at, own, w.There); err != nil {
		return nil, err
	}
	for _, p := range kept {
		if !pl.Together && at[p] == habitual[p] {
			pl.Kept = append(pl.Kept, p)
		}
	}
	if len(pl.Kept) == 0 {
		pl.Why = ""
	}
	for p, place := range at {
		if paths.Hidden(place) && !paths.Hidden(p) {
			return nil, problem.Refuse(problem.NameBad, "choose a path without a name that begins with a dot",
				"%s can't go to %s: files there configure servers, editors and other programs", p, place)
		}
		var err error
		if pl.At[p], err = paths.Site(place); err != nil {
			return nil, problem.Refuse(problem.NameBad, "give the file another name with --rename "+path.Base(p)+
				"=NAME, or choose other folders in the packing list", "%w", err)
		}
	}
	return pl, nil
}

// Folder is where the library's files go that stay together.
func (w *Wish) Folder() string {
	if w.Into != "" {
		return path.Clean(w.Into)
	}
	return path.Join(w.Habits.Together, strings.NewReplacer("@", "", "/", "-").Replace(w.Library))
}

// renamable refuses names that files can't have.
func (w *Wish) renamable(d *packages.Package, s *packages.Selection, fixed map[string]string) error {
	for _, old := range slices.Sorted(maps.Keys(w.Rename)) {
		new := w.Rename[old]
		p, ok := renamed(d, s, old)
		if !ok {
			return problem.Refuse(problem.FileUnknown, "list the files of the source with peek", "--rename %s=%s: no "+
				"chosen file is named %s", old, new, old)
		}
		if by := fixed[p]; by != "" {
			return problem.Refuse(problem.NameBad, "keep that file's name", "--rename %s=%s: %s asks for it by name, "+
				"and would not find it any more", old, new, by)
		}
		if strings.ContainsAny(new, `/\`) || new == "" || new == "." || new == ".." {
			return problem.Refuse(problem.NameBad, "write --rename "+path.Base(old)+
				"=NAME; --place says where a file goes", "--rename %s=%s: the new name must be a plain file name", old,
				new)
		}
	}
	return nil
}

// renamed finds the chosen file that a person means by a path or a base name.
func renamed(d *packages.Package, s *packages.Selection, old string) (string, bool) {
	for _, c := range s.Choices {
		if c.Path == old || path.Base(c.Path) == old {
			return c.Path, true
		}
	}
	return "", false
}

// referred tells which chosen files another chosen file asks for by name.
func referred(d *packages.Package, s *packages.Selection) map[string]string {
	by := map[string]string{}
	for _, c := range s.Choices {
		for _, w := range ways(d, s, c.Path) {
			by[w.to] = c.Path
		}
	}
	return by
}

// sets parts a selection into files that refer to each other, each sorted by path.
func sets(d *packages.Package, s *packages.Selection) [][]string {
	first := map[string]string{} // of each file one of the same set, itself in the end
	find := func(p string) string {
		for first[p] != "" {
			p = first[p]
		}
		return p
	}
	for _, c := range s.Choices {
		for _, w := range ways(d, s, c.Path) {
			if a, b := find(c.Path), find(w.to); a != b {
				first[b] = a
			}
		}
	}
	at := map[string]int{}
	var sets [][]string
	for _, c := range s.Choices {
		i, known := at[find(c.Path)]
		if !known {
			i = len(sets)
			at[find(c.Path)] = i
			sets = append(sets, nil)
		}
		sets[i] = append(sets[i], c.Path)
	}
	return sets
}

// A reference leads from one file to another, by what is in the first: "../fonts/deck.woff". It is kept as it is
// written, since one that climbs and comes back again, "../deck/sea.png", holds in a folder of that name alone.
type reference struct{ to, by string }

// ways lists how a file finds others of a selection by their places from its own; of a catalogue those that have no
// tags.
func ways(d *packages.Package, s *packages.Selection, name string) []reference {
	f := d.File(name)
	if f == nil {
		return nil
	}
	var list []reference
	add := func(to, by string) {
		if s.Has(to) {
			list = append(list, reference{to, by})
		}
	}
	for _, r := range f.Refs {
		add(r.Path, packages.PathOf(r.URL))
	}
	if f.Map != "" {
		add(f.Map, paths.Relative(path.Dir(name), f.Map))
	}
	for _, c := range d.Catalogues {
		if c.Of != name && c.Of != f.OtherBuild {
			continue
		}
		for _, other := range c.Files {
			if s.Has(other) && !s.Tagged(other) {
				add(other, paths.Relative(path.Dir(name), other))
			}
		}
	}
	return list
}

// top is the topmost folder that a way from a folder passes through.
func top(dir, by string) string {
	for part := range strings.SplitSeq(by, "/") {
		switch part {
		case "..":
			dir = path.Dir(dir)
		case ".", "":
		default:
			return dir
		}
	}
	return dir
}

// placeByKind puts each set of files into the folders for their kinds. It returns the files that can't be placed so,
// with the first reason. Where it is wanted in any case, a file that another refers to may lie in any folder.
func placeByKind(d *packages.Package, s *packages.Selection, h Habits, base func(string) string,
	wanted bool) (at map[string]string, kept []string, why string) {
	at = map[string]string{}
	keep := func(set []string, reason string) {
		kept = append(kept, set...)
		if why == "" {
			why = reason
		}
	}
	fixed := referred(d, s)
	sets := sets(d, s)
	places := make([]map[string]string, len(sets))
	owner := map[string]int{} // of each place the set that has it
	clash := make([]string, len(sets))
	for i, set := range sets {
		var reason string
		if places[i], reason = placeSet(d, s, set, fixed, h, base, wanted); reason != "" {
			keep(set, reason)
			continue
		}
		for _, p := range set {
			place := strings.ToLower(places[i][p])
			if j, taken := owner[place]; taken {
				clash[i] = fmt.Sprintf("two files would both become %s", places[i][p])
				clash[j] = clash[i]
			}
			owner[place] = i
		}
	}
	for i, set := range sets {
		switch {
		case clash[i] != "":
			keep(set, clash[i])
		default:
			maps.Copy(at, places[i])
		}
	}
	slices.Sort(kept)
	return at, kept, why
}

// placeSet puts files that refer to each other into the folders for their kinds. It returns nil and the reason where
// that can't be.
func placeSet(d *packages.Package, s *packages.Selection, set []string, fixed map[string]string, h Habits,
	base func(string) string, wanted bool) (map[string]string, string) {
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
	var queue []string
	for _, p := range set {
		if fixed[p] != "" {
			continue
		}
		kind := d.File(p).Kind
		folder := h.Folder(kind)
		if folder == "" {
			return nil, fmt.Sprintf("the site has no folder for a %s such as %s", kind, p)
		}
		if why := put(p, path.Join(folder, base(p))); why != "" {
			return nil, why
		}
		queue = append(queue, p)
	}
	for len(queue) > 0 {
		p := queue[0]
		queue = queue[1:]
		for _, w := range ways(d, s, p) {
			target := w.to
			place := path.Join(path.Dir(at[p]), w.by)
			kind := d.File(target).Kind
			home := h.Folder(kind)
			if kind == packages.Map {
				home = path.Dir(at[p])
			}
			if place == ".." || strings.HasPrefix(place, "../") {
				return nil, fmt.Sprintf("%s asks for %s, which from %s would lie outside the site", p, w.by,
					path.Dir(at[p]))
			}
			if !wanted && (home == "" || place != path.Join(home, path.Base(place)) &&
				!strings.HasPrefix(place, path.Clean(home)+"/")) {
				return nil, fmt.Sprintf("%s asks for %s, which from %s is not the site's folder for a %s", p, w.by,
					path.Dir(at[p]), kind)
			}
			if _, done := at[target]; !done {
				queue = append(queue, target)
			}
			if why := put(target, place); why != "" {
				return nil, why
			}
		}
	}
	for _, p := range set {
		if at[p] == "" {
			return nil, fmt.Sprintf("%s refer to each other in a circle", p)
		}
	}
	return at, ""
}

// siblings are the parts and looks that may join a library in a folder of its own: what is taken first stands such that
// they find their places beside it.
func (w *Wish) siblings(d *packages.Package) []string {
	var list []string
	if w.Into != "" {
		for _, o := range d.Options() {
			if o.Kind != packages.Variant {
				list = append(list, o.Files...)
			}
		}
	}
	return list
}

// placeTogether puts files into one folder, as they stand to each other and to those that may join them.
func placeTogether(d *packages.Package, s *packages.Selection, files []string, folder string, siblings []string,
	base func(string) string) map[string]string {
	prefix := path.Dir(files[0])
	for _, p := range slices.Concat(files, siblings) {
		for prefix != "." && !strings.HasPrefix(p, prefix+"/") {
			prefix = path.Dir(prefix)
		}
		for _, w := range ways(d, s, p) {
			for up := top(path.Dir(p), w.by); prefix != "." && up != prefix && !strings.HasPrefix(up, prefix+"/"); {
				prefix = path.Dir(prefix)
			}
		}
	}
	at := map[string]string{}
	for _, p := range files {
		rel := p
		if prefix != "." {
			rel = p[len(prefix)+1:]
		}
		at[p] = path.Join(folder, path.Dir(rel), base(p))
	}
	return at
}

// habitName gives a file the name that the site's habit wants: as shipped, without its version, or
// with it.
func habitName(base, version string, habit record.Names) string {
	if habit != record.Plain && habit != record.Versioned {
		return base
	}
	ext := path.Ext(base)
	stem := strings.TrimSuffix(base, ext)
	core := manifest.WithoutBuild(stem)
	mark := stem[len(core):]
	if version != "" {
		for _, sep := range []string{"-", ".", "_", "@", "-v"} {
			core = strings.TrimSuffix(core, sep+version)
		}
	}
	if n, v := manifest.NameVersion(core); v != "" {
		core = n
	}
	if habit == record.Versioned && version != "" {
		core += "-" + version
	}
	return core + mark + ext
}
