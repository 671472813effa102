package packages

import (
	"bytes"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/texts"
)

// A Catalogue is a set of many similar files of which a page needs few: languages, modes, themes. Scripts load them by
// name, or a page has a tag for one.
type Catalogue struct {
	Name  string
	Of    string   // the file that they go with
	Glob  string   // matches them
	Files []string // sorted
	Core  string   // the library's own file once more, in their folder: another build of all; "" for none
}

// maxTags is how many files of one catalogue may get tags of their own: no page wants more.
const maxTags = 12

// catalogues finds the catalogues beside the suggested set.
func (d *Package) catalogues() []Catalogue {
	core, _ := d.main(Script)
	look, _ := d.main(Stylesheet)
	groups := map[string]*Catalogue{}
	for i := range d.Files {
		f := &d.Files[i]
		of := core
		if f.Kind == Stylesheet {
			of = look
		}
		if of == nil || f == of || f.Path == of.OtherBuild || path.Base(f.Path) == path.Base(of.Path) ||
			!d.oneOfMany(f, core) {
			continue
		}
		glob := globFor(f.Path, of.Path)
		if glob == "" {
			continue
		}
		key := string(f.Kind) + " " + glob
		if groups[key] == nil {
			groups[key] = &Catalogue{Of: of.Path, Glob: glob,
				Name: strings.Trim(path.Base(strings.TrimSuffix(glob, "/**")), "*-._")}
		}
		groups[key].Files = append(groups[key].Files, f.Path)
	}
	var list []Catalogue
	for _, c := range groups {
		if len(c.Files) > maxTags {
			if again := d.File(path.Join(strings.TrimSuffix(c.Glob, "/**"), path.Base(c.Of))); again != nil &&
				again.Path != c.Of && strings.HasSuffix(c.Glob, "/**") {
				c.Core = again.Path
			}
			list = append(list, *c)
		}
	}
	slices.SortFunc(list, func(a, b Catalogue) int { return strings.Compare(a.Glob+a.Of, b.Glob+b.Of) })
	return list
}

// oneOfMany tells a file that may be one of a catalogue: a stylesheet, or a script that a page can load and that is not
// the library itself once more.
func (d *Package) oneOfMany(f, core *File) bool {
	switch {
	case f.ExcludedBecause != "" || f.Size == 0 || f.Build == NoBuild:
		return false
	case f.Kind == Stylesheet:
		return !d.imported(f)
	case f.Kind != Script:
		return false
	case f.Script == nil:
		return f.Size <= parsedMost && !f.forLoader
	}
	switch f.Script.Form {
	case script.Classic, script.Universal:
	default:
		return false
	}
	if core.Script == nil {
		return true
	}
	ours := defined(core.Script)
	return !slices.ContainsFunc(f.Script.Defines, func(g script.Global) bool { return ours[g.Name] })
}

// forLoader skims a script that is not read in full: modules, and what asks for a server's names without asking whether
// it has them, are of no use to a plain tag.
func forLoader(b []byte) bool {
	return (asksServer(b) || importsOrExports(b)) && !bytes.Contains(b, []byte("define.amd")) &&
		!bytes.Contains(b, []byte("typeof exports"))
}

// asksServer finds the words exports., module.exports and require( in a script.
func asksServer(b []byte) bool {
	for _, word := range []string{"exports.", "module.exports", "require("} {
		for at := 0; ; {
			i := bytes.Index(b[at:], []byte(word))
			if i < 0 {
				break
			}
			at += i
			end := at + len(word)
			if (at == 0 || !texts.NameByte(b[at-1]) || b[at-1] == '-') && (word != "module.exports" || end == len(b) ||
				!texts.NameByte(b[end]) || b[end] == '-') {
				return true
			}
			at = end
		}
	}
	return false
}

// maxBlanks is how many blanks may stand before a statement of a module.
const maxBlanks = 200

// lineWord is a statement with which a line of a module begins.
var lineWord = memo.Regexp(`^(?:import\b[^(\n]*["'{*]|export\s)`)

// importsOrExports finds lines that begin as a module's do.
func importsOrExports(b []byte) bool {
	for _, word := range []string{"import", "export"} {
		for at := 0; ; {
			i := bytes.Index(b[at:], []byte(word))
			if i < 0 {
				break
			}
			at += i
			begin := bytes.TrimRight(b[max(0, at-maxBlanks):at], " \t\r\f\v")
			line := b[at:]
			if end := bytes.IndexByte(line, '\n'); end >= 0 {
				line = line[:end+1]
			}
			if (len(begin) == 0 && at < maxBlanks || len(begin) > 0 && begin[len(begin)-1] == '\n') &&
				lineWord().Match(line) {
				return true
			}
			at += len(word)
		}
	}
	return false
}

// globFor is the pattern of the files that one file may be a row with: all below the topmost folder that the library's
// own file is not in, or those of its folder whose names begin with the same word.
func globFor(name, own string) string {
	dir := path.Dir(name)
	if dir == "." || strings.HasPrefix(own, dir+"/") {
		base := path.Base(name)
		end := strings.IndexAny(base, "-._")
		if end < 0 || strings.HasPrefix(path.Base(own), base[:end]) {
			return ""
		}
		return path.Join(dir, base[:end+1]+"*"+path.Ext(base))
	}
	for up := path.Dir(dir); up != "." && !strings.HasPrefix(own, up+"/"); up = path.Dir(dir) {
		dir = up
	}
	return dir + "/**"
}

// offers is the option that a catalogue is.
func (d *Package) offers(c Catalogue) Option {
	o := Option{Name: c.Name, Kind: Many, Files: c.Files, core: c.Core}
	var some []string
	for _, name := range c.Files {
		f := d.File(name)
		o.Size += f.Size
		if len(some) < 2 && (f.Build != record.Minified || f.OtherBuild == "") {
			some = append(some, path.Base(name))
		}
	}
	if c.Core != "" {
		o.Size += d.File(c.Core).Size
		o.Difference = fmt.Sprintf("%s once more, and %d files for it, such as %s: that one gets the tag",
			path.Base(c.Core), len(c.Files), strings.Join(some, " and "))
		return o
	}
	o.Difference = fmt.Sprintf("%d files for %s, such as %s: all of them, kept without tags; one by --part %s",
		len(c.Files), path.Base(c.Of), strings.Join(some, " and "), path.Join(path.Base(path.Dir(c.Files[0])),
			strings.TrimSuffix(path.Base(c.Files[0]), path.Ext(c.Files[0]))))
	return o
}

// InCatalogue tells which catalogue has a file, nil for none.
func (d *Package) InCatalogue(name string) *Catalogue {
	for i := range d.Catalogues {
		if _, ok := slices.BinarySearch(d.Catalogues[i].Files, name); ok {
			return &d.Catalogues[i]
		}
	}
	return nil
}

// keepMany takes the tags from the files of a catalogue of which a selection has more than a page can want.
func (d *Package) keepMany(s *Selection) {
	count := map[*Catalogue]int{}
	for _, c := range s.Choices {
		if from := d.InCatalogue(c.Path); from != nil && c.Page {
			count[from]++
		}
	}
	for i, c := range s.Choices {
		if from := d.InCatalogue(c.Path); from != nil && count[from] > maxTags {
			s.Choices[i].Page = false
		}
	}
}
