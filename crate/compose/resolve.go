package compose

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/paths"
)

// endings are what files of templates end in, beside what the file that names them does.
var endings = []string{"", ".html", ".htm", ".php", ".blade.php", ".njk", ".liquid", ".hbs", ".handlebars", ".mustache",
	".ejs", ".erb", ".html.erb", ".twig", ".html.twig", ".jinja", ".jinja2", ".j2", ".cshtml", ".tmpl", ".gohtml",
	".jsp",
	".inc"}

// resolve finds the file that a file names: seen from itself, from the site, and from the folders in which such files
// lie.
func (s *Site) resolve(f *file, name string, dotted bool) (paths.InSite, bool) {
	_, ending, _ := strings.Cut(f.name.Base(), ".")
	key := asked{f.name.Dir(), ending, name, dotted}
	s.mu.Lock()
	at, known := s.found[key]
	s.mu.Unlock()
	if !known {
		at, _ = s.look(f, name, dotted)
		s.mu.Lock()
		s.found[key] = at
		s.mu.Unlock()
	}
	return at, !at.IsZero() && at != f.name
}

// look is resolve for a name that was not asked for before.
func (s *Site) look(f *file, name string, dotted bool) (paths.InSite, bool) {
	name = strings.TrimPrefix(path.Clean(strings.TrimSpace(name)), "~/")
	if name == "." || strings.Contains(name, "://") {
		return paths.InSite{}, false
	}
	var names []string
	add := func(n string) {
		if !slices.Contains(names, n) {
			names = append(names, n)
		}
	}
	variants := []string{name}
	if dotted && !strings.Contains(name, "/") {
		variants = []string{strings.ReplaceAll(name[strings.LastIndex(name, "::")+1:], ".", "/"), name}
	}
	for _, v := range variants {
		dir, base := path.Split(v)
		for _, b := range []string{base, "_" + base} {
			add(dir + b)
			if i := strings.IndexByte(f.name.Base(), '.'); i >= 0 {
				add(dir + b + f.name.Base()[i:])
			}
			for _, e := range endings {
				add(dir + b + e)
			}
		}
	}
	for _, n := range names {
		if !strings.HasPrefix(n, "/") {
			if at := paths.Found(path.Join(f.name.Dir(), n)); s.has(at) {
				return at, true
			}
		}
		if at := paths.Found(strings.TrimPrefix(path.Clean("/"+n), "/")); s.has(at) && at != f.name {
			return at, true
		}
	}
	for _, n := range names {
		n = strings.TrimPrefix(path.Clean("/"+n), "/")
		list := slices.DeleteFunc(slices.Clone(s.ending(n)), func(at paths.InSite) bool { return at == f.name })
		if len(list) == 0 {
			continue
		}
		slices.SortStableFunc(list, func(a, b paths.InSite) int { // the nearest one
			return cmp.Compare(common(b.String(), f.name.String()), common(a.String(), f.name.String()))
		})
		if len(list) == 1 || common(list[0].String(), f.name.String()) > common(list[1].String(), f.name.String()) ||
			strings.Contains(n, "/") {
			return list[0], true
		}
	}
	return paths.InSite{}, false
}

// common is how many folders two paths have in common.
func common(a, b string) int {
	x, y := strings.Split(path.Dir(a), "/"), strings.Split(path.Dir(b), "/")
	n := 0
	for n < len(x) && n < len(y) && x[n] == y[n] {
		n++
	}
	return n
}
