package inspect

import (
	"bytes"
	"fmt"
	"path"
	"strings"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/template"
	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// LearnFolders finds a site's folders for each kind of file. References of the pages count most: a folder that pages
// refer to is in use.
func LearnFolders(site *walk.Site, on *disk.Folder, dir string) (record.Folders, map[string]string) {
	counts := map[packages.Kind]map[string]int{}
	count := func(kind packages.Kind, dir string, n int) {
		if counts[kind] == nil {
			counts[kind] = map[string]int{}
		}
		counts[kind][dir] += n
	}
	byEnd := map[string][]paths.InSite{} // scripts and stylesheets by their names
	read := 0
	for name := range site.All() {
		kind := packages.KindOf(name.String())
		if kind == packages.Script || kind == packages.Stylesheet {
			byEnd[name.Base()] = append(byEnd[name.Base()], name)
		}
		switch kind {
		case packages.Script:
			if read++; read > maxLookedAt || !forProgram(on, path.Join(dir, name.String())) {
				count(kind, name.Dir(), 1)
			}
		case packages.Stylesheet, packages.Font, packages.Image:
			count(kind, name.Dir(), 1)
		}
	}
	lead := func(pg *page.Page, name paths.InSite, ref string) paths.InSite {
		t := tags.Resolve(name, pg.Base, ref)
		if !t.Path.IsZero() && (site.Has(t.Path) || len(pg.Holes()) == 0) {
			return t.Path
		}
		w := template.Reference(ref)
		if !w.Hidden {
			w = template.Plain(ref)
		}
		var found []paths.InSite
		for _, l := range w.Literals {
			end := w.Path[l.Start:l.End]
			for _, at := range byEnd[path.Base(end)] {
				if at.String() == end || strings.HasSuffix(at.String(), "/"+end) {
					found = append(found, at)
				}
			}
		}
		if len(found) != 1 {
			return paths.InSite{}
		}
		return found[0]
	}
	for _, name := range site.Pages[:min(len(site.Pages), 50)] {
		b, _, err := on.Read(path.Join(dir, name.String()), disk.MaxPage, nil)
		if err != nil {
			continue
		}
		pg, err := page.Read(b)
		if err != nil {
			continue
		}
		for i := range pg.Includes {
			in := &pg.Includes[i]
			if at := lead(pg, name, in.Ref); !at.IsZero() {
				switch in.Kind {
				case page.Script:
					count(packages.Script, at.Dir(), 10)
				case page.Stylesheet:
					count(packages.Stylesheet, at.Dir(), 10)
				}
			}
		}
	}
	return pickFolders(counts, func(name string) bool {
		info, err := on.Stat(path.Join(dir, name))
		return err == nil && info.IsDir()
	})
}

// maxLookedAt is how many scripts are looked at for whether they are for pages.
const maxLookedAt = 400

// forProgram reports whether a script is for a program on a server or for building the site, and not for pages.
func forProgram(on *disk.Folder, name string) bool {
	b, _, err := on.Read(name, 1<<18, nil)
	return err == nil && (bytes.Contains(b, []byte("require(")) || bytes.Contains(b, []byte("module.exports"))) &&
		script.Analyze(b).Form == script.Server
}

// pickFolders picks a folder for each kind of file: the one with most of it, else a usual one that is there, else one
// beside what the site has.
func pickFolders(counts map[packages.Kind]map[string]int, has func(dir string) bool) (record.Folders,
	map[string]string) {
	usual := map[packages.Kind][]string{
		packages.Script:     {"js", "scripts", "script", "javascript", "assets/js", "static/js"},
		packages.Stylesheet: {"css", "styles", "style", "stylesheets", "assets/css", "static/css"},
		packages.Font:       {"fonts", "font", "assets/fonts", "static/fonts"}, packages.Image: {"img", "images",
			"pictures",
			"assets/img", "assets/images", "static/img"},
	}
	learned := map[string]string{}
	pick := func(kind packages.Kind, word string) string {
		best, most := "", 0
		for dir, n := range counts[kind] {
			if dir != "." && (n > most || n == most && dir < best) {
				best, most = dir, n
			}
		}
		if best != "" {
			learned[word] = fmt.Sprintf("the site keeps its %s there", word)
			return best
		}
		for _, dir := range usual[kind] {
			if has(dir) {
				learned[word] = "the folder is there"
				return dir
			}
		}
		return ""
	}
	f := record.Folders{Scripts: pick(packages.Script, "scripts"), Styles: pick(packages.Stylesheet, "styles"),
		Fonts: pick(packages.Font, "fonts"), Images: pick(packages.Image, "images")}
	// What the site does not have yet goes beside what it has.
	beside := ""
	for _, dir := range []string{f.Scripts, f.Styles} {
		if d := path.Dir(dir); dir != "" && d != "." {
			beside = d
		}
	}
	for _, x := range []struct {
		to         *string
		word, name string
	}{{&f.Scripts, "scripts", "js"}, {&f.Styles, "styles", "css"}, {&f.Fonts, "fonts", "fonts"},
		{&f.Images, "images", "img"}, {&f.Together, "together", "lib"}} {
		if *x.to == "" {
			*x.to = path.Join(beside, x.name)
			learned[x.word] = "usual; the site has none yet"
			if has(*x.to) {
				learned[x.word] = "the folder is there"
			}
		}
	}
	return f, learned
}
