package inspect

import (
	"fmt"
	"path"

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
	for name := range site.All() {
		if kind := packages.KindOf(name.String()); kind == packages.Script || kind == packages.Stylesheet ||
			kind == packages.Font || kind == packages.Image {
			count(kind, name.Dir(), 1)
		}
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
			if t := tags.Resolve(name, pg.Base, in.Ref); !t.Path.IsZero() {
				switch in.Kind {
				case page.Script:
					count(packages.Script, t.Path.Dir(), 10)
				case page.Stylesheet:
					count(packages.Stylesheet, t.Path.Dir(), 10)
				}
			}
		}
	}
	return pickFolders(counts, func(name string) bool {
		info, err := on.Stat(path.Join(dir, name))
		return err == nil && info.IsDir()
	})
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
