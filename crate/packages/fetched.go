package packages

import (
	"bytes"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/texts"
)

// maxFetched is how many files a script may name that it fetches while it runs; one that names more is a catalogue.
const maxFetched = 12

// endings are those of files that a script may fetch while it runs.
var endings = [][]byte{[]byte(".png"), []byte(".gif"), []byte(".jpg"), []byte(".jpeg"), []byte(".svg"), []byte(".webp"),
	[]byte(".cur"), []byte(".wasm"), []byte(".woff"), []byte(".woff2"), []byte(".mjs"), []byte(".js")}

// findsItself tells a script that asks where it was loaded from.
func findsItself(b []byte) bool {
	for _, way := range []string{"currentScript", "import.meta.url", `getElementsByTagName("script")`,
		"getElementsByTagName('script')"} {
		if bytes.Contains(b, []byte(way)) {
			return true
		}
	}
	return false
}

// namesIn lists what a script's text names that may be a file: what stands in quotes and has such an ending. It looks
// for the endings, which costs far less on a large script than a pattern.
func namesIn(b []byte) []string {
	var list []string
	quote := func(c byte) bool { return c == '"' || c == '\'' || c == '`' }
	for _, ending := range endings {
		for at := 0; ; {
			i := bytes.Index(b[at:], ending)
			if i < 0 {
				break
			}
			end := at + i + len(ending)
			start := at + i
			at = end
			for start > 0 && (isNameByte(b[start-1]) || b[start-1] == '/') {
				start--
			}
			if end == len(b) || !quote(b[end]) && b[end] != '?' && b[end] != '#' || start == 0 || !quote(b[start-1]) {
				continue
			}
			word := strings.TrimPrefix(strings.TrimPrefix(string(b[start:end]), "."), "/")
			if !slices.Contains(list, word) {
				list = append(list, word)
			}
			if len(list) > 10*maxFetched {
				return nil
			}
		}
	}
	return list
}

func isNameByte(c byte) bool {
	return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9' || c == '_' || c == '-' || c == '.' ||
		c == '@'
}

// fetched finds the files of the package that a script fetches while it runs: names in its text that are files' below
// its own folder. One that does not find out where it was loaded from looks where a stylesheet's own pictures are, or
// from the page, which is for the page to say.
func (d *Package) fetched(f *File) []string {
	var list []string
	for _, word := range f.names {
		for _, at := range d.byName[path.Base(word)] {
			g := d.File(at)
			worker := strings.Contains(strings.ToLower(path.Base(at)), "worker")
			switch {
			case at == f.Path || slices.Contains(list, at) || g.ExcludedBecause != "" ||
				g.Size == 0, g.Kind == Script && !worker, g.Kind == Data && path.Ext(at) != ".wasm":
				continue
			case !strings.HasSuffix("/"+at, "/"+word) || path.Dir(f.Path) != "." &&
				!strings.HasPrefix(at, path.Dir(f.Path)+"/"):
				continue
			case !f.FindsItself && d.besidePictures(at) == nil:
				continue
			}
			list = append(list, at)
		}
	}
	if len(list) > maxFetched {
		return nil
	}
	return list
}

// besidePictures is a stylesheet that asks for files of the same folder, below its own.
func (d *Package) besidePictures(at string) *File {
	for i := range d.Files {
		g := &d.Files[i]
		if g.Kind != Stylesheet || g.ExcludedBecause != "" {
			continue
		}
		for _, r := range g.Refs {
			if r.There && path.Dir(r.Path) == path.Dir(at) && path.Dir(at) != path.Dir(g.Path) && r.By == "" {
				return g
			}
		}
	}
	return nil
}

// fewOf is how many times as many a folder has, if a script's words that are names of its files are no list of them.
const fewOf = 8

// maxComposed is how many files a script may be taken to fetch by addresses that it puts together.
const maxComposed = 60

// composed finds the files of the package whose addresses a script puts together from its own: they are in folders
// beside it, and it has the names of these and of all folders below in its text. Of a folder with many files they are
// those whose names it has, unless it has hardly any. Files beside it count where it has their whole names. What the
// scripts among these have in their texts counts, too.
func (d *Package) composed(f *File) (list []string, err error) {
	if !f.FindsItself || f.Script == nil {
		return nil, nil
	}
	text, err := d.tree.ReadFile(f.Path)
	if err != nil {
		return nil, err
	}
	for range maxRounds {
		more := d.composedFrom(f, text)
		if len(more) > maxComposed {
			more = slices.DeleteFunc(more, ofPlugIn) // pages name the plug-ins that they want
		}
		if len(more) > maxComposed {
			return list, nil
		}
		for _, name := range more {
			if g := d.File(name); g.Kind == Script && !slices.Contains(list, name) &&
				len(text)+int(g.Size) <= analysed {
				b, err := d.tree.ReadFile(name)
				if err != nil {
					return nil, err
				}
				text = append(text, b...)
			}
		}
		if len(more) == len(list) {
			break
		}
		list = more
	}
	return list, nil
}

// maxRounds is how often files that are fetched are asked for further ones.
const maxRounds = 3

// composedFrom is one round of composed, with the texts so far.
func (d *Package) composedFrom(f *File, text []byte) []string {
	wanted := map[string]bool{}
	for i := range d.Files {
		at := d.Files[i].Path
		wanted[path.Base(at)], wanted[stemOf(path.Base(at))] = true, true
		for dir := path.Dir(at); dir != "." && !wanted[path.Base(dir)]; dir = path.Dir(dir) {
			wanted[path.Base(dir)] = true
		}
	}
	said, whole := texts.QuotedNames(text, wanted)
	has := func(word string) bool { return len(word) > 1 && said[word] }
	own := path.Dir(f.Path)
	inFolder := map[string]int{}
	for i := range d.Files {
		inFolder[path.Dir(d.Files[i].Path)]++
	}
	named := map[string]int{} // of the files of each folder, those whose names the text has
	for i := range d.Files {
		if has(stemOf(path.Base(d.Files[i].Path))) {
			named[path.Dir(d.Files[i].Path)]++
		}
	}
	var list []string
	for i := range d.Files {
		g := &d.Files[i]
		rest := g.Path
		if own != "." {
			var below bool
			if rest, below = strings.CutPrefix(g.Path, own+"/"); !below {
				continue
			}
		}
		dirs := strings.Split(rest, "/")
		base := dirs[len(dirs)-1]
		dirs = dirs[:len(dirs)-1]
		switch g.Kind {
		case Script, Stylesheet, Image, Font, Data:
		default:
			continue
		}
		if g.Script != nil && g.Script.Form == script.Server {
			continue
		}
		if g == f || g.ExcludedBecause != "" && g.ExcludedBecause != "tools" || g.Build == Readable &&
			g.OtherBuild != "" ||
			strings.HasPrefix(base, ".") || g.Kind == Data && path.Ext(base) == ".json" && len(dirs) == 0 {
			continue
		}
		switch {
		case len(dirs) == 0 && !whole[base]:
			continue
		case slices.ContainsFunc(dirs, func(name string) bool { return !has(name) }):
			continue
		case len(dirs) > 0 && inFolder[path.Dir(g.Path)] > maxFetched && (!has(stemOf(base)) ||
			named[path.Dir(g.Path)]*fewOf < inFolder[path.Dir(g.Path)]):
			continue
		}
		list = append(list, g.Path)
	}
	return list
}

// tieComposed makes what the library's script fetches by addresses that it puts together come along.
func (d *Package) tieComposed() error {
	core, _ := d.main(Script)
	if core == nil {
		return nil
	}
	list, err := d.composed(core)
	if err != nil {
		return err
	}
	builds := []*File{core}
	if core.OtherBuild != "" {
		builds = append(builds, d.File(core.OtherBuild))
	}
	for _, f := range builds {
		for _, at := range list {
			if at != f.Path && at != f.OtherBuild && !refersTo(f, at) {
				f.Refs = append(f.Refs, Ref{URL: paths.Relative(path.Dir(f.Path), at), Path: at, There: true,
					By: f.Path})
			}
		}
	}
	return nil
}

// tieFetched makes what scripts fetch come along, and keeps it where they will look: beside the pictures of a
// stylesheet that is there, else at its place from the script.
func (d *Package) tieFetched() {
	for i := range d.Files {
		f := &d.Files[i]
		f.Fetches = d.fetched(f)
		for _, at := range f.Fetches {
			from := f
			if g := d.besidePictures(at); g != nil {
				from = g
			}
			if !refersTo(from, at) {
				from.Refs = append(from.Refs, Ref{URL: paths.Relative(path.Dir(from.Path), at), Path: at, There: true,
					By: f.Path})
			}
		}
	}
}

func refersTo(f *File, at string) bool {
	return slices.ContainsFunc(f.Refs, func(r Ref) bool { return r.Path == at })
}

// indexNames makes the index of files by their own names.
func (d *Package) indexNames() {
	d.byName = map[string][]string{}
	for _, f := range d.Files {
		base := path.Base(f.Path)
		d.byName[base] = append(d.byName[base], f.Path)
	}
}
