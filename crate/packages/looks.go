package packages

import (
	"bytes"
	"context"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/texts"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// fewLooks is how many stylesheets a folder must have for one of them to be a look among others.
const fewLooks = 3

// readStylesheets finds which of several looks the library's script names, as its default or in its own tests for one:
// a name in quotes, or a file's.
func (d *Package) readStylesheets() error {
	core, _ := d.main(Script)
	if core == nil {
		return nil
	}
	count := map[string]int{}
	for _, f := range d.ofKind(Stylesheet) {
		if f.Build != NoBuild && (f.OtherBuild == "" || f.Build == record.Readable) {
			count[path.Dir(f.Path)]++
		}
	}
	names := map[string]string{} // of the looks, by their paths
	wanted := map[string]bool{}
	for _, f := range d.ofKind(Stylesheet) {
		if name := stemOf(f.Path); count[path.Dir(f.Path)] >= fewLooks && !d.imported(f) && len(name) > 1 {
			names[f.Path] = name
			for _, said := range sayings(name) {
				wanted[said] = true
			}
		}
	}
	if len(names) == 0 {
		return nil
	}
	text, err := d.tree.ReadFile(core.Path)
	if err != nil {
		return err
	}
	found := texts.Contained(text, wanted)
	for file, name := range names {
		if slices.ContainsFunc(sayings(name), func(said string) bool { return found[said] }) {
			if d.Reported == nil {
				d.Reported = map[string]bool{}
			}
			d.Reported[file] = true
		}
	}
	return nil
}

// sayings are the ways in which a script names a look.
func sayings(name string) []string {
	return []string{`"` + name + `"`, "'" + name + "'", name + ".css", name + ".min.css"}
}

// readStyled finds the stylesheets for which nothing else speaks and that a library's script makes no use of: less than
// a tenth of the classes that they have rules for are in its text. They are for the pages of its makers.
func (d *Package) readStyled() error {
	core, _ := d.main(Script)
	if core == nil {
		return nil
	}
	classes := map[string][]string{} // of each stylesheet
	used := map[string]bool{}        // of all of them: whether the script has it as a word
	for _, f := range d.ofKind(Stylesheet) {
		if !d.score(f, core).weak || f.Build == NoBuild || f.Size > maxStyled {
			continue
		}
		b, err := d.tree.ReadFile(f.Path)
		if err != nil {
			return err
		}
		classes[f.Path] = style.Classes(b)
		for _, name := range classes[f.Path] {
			used[name] = false
		}
	}
	if len(classes) == 0 {
		return nil
	}
	text, err := d.tree.ReadFile(core.Path)
	if err != nil {
		return err
	}
	for word := range bytes.FieldsFuncSeq(text, noName) {
		if _, asked := used[string(word)]; asked {
			used[string(word)] = true
		}
	}
	for file, names := range classes {
		n := 0
		for _, name := range names {
			if used[name] && !slices.Contains(kindsOfValues, name) {
				n++
			}
		}
		if n*10 <= len(names) && !forAnyPage().MatchString(file) {
			if d.Unstyled == nil {
				d.Unstyled = map[string]bool{}
			}
			d.Unstyled[file] = true
		}
	}
	return nil
}

// noName tells what is in no class's name.
func noName(c rune) bool {
	return c < 0x80 && c != '-' && c != '_' && !('a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9')
}

// forAnyPage tells stylesheets that are for elements, whatever classes these have.
var forAnyPage = memo.Regexp(`(?i)(?:^|[/.-])(?:reset|normali[sz]e)(?:[.-]|$)`)

// kindsOfValues are the kinds that typeof tells (ECMA-262, section 13.5.3), which are in most scripts, and are called
// so in stylesheets for code as well.
var kindsOfValues = []string{"undefined", "object", "boolean", "number", "string", "symbol", "bigint", "function"}

// maxStyled is the largest stylesheet that is read for its classes, in bytes.
const maxStyled = 1 << 20

// styled tells a stylesheet that the library's script may make use of.
func (d *Package) styled(f *File) bool { return !d.Unstyled[f.Path] }

// nothingLeft tells a package of which reading has excluded the last script and the last stylesheet.
func (d *Package) nothingLeft() bool { return len(d.ofKind(Script))+len(d.ofKind(Stylesheet)) == 0 }

// readModules reverts the sources of a library whose other scripts are all for servers, where its manifest names one of
// them as what it is: makers of modules publish those as they wrote them.
func (d *Package) readModules(ctx context.Context) error {
	for _, f := range d.ofKind(Script) {
		skimmed := f.Script == nil && f.Build != NoBuild && !f.forLoader
		if skimmed || f.Script != nil && (f.Script.Form == script.Classic || f.Script.Form == script.Universal ||
			f.Script.Form == script.Module) {
			return nil
		}
	}
	for _, name := range d.Manifest.Own() {
		own := d.File(name)
		if own == nil || own.ExcludedBecause != "sources" || own.Kind != Script {
			continue
		}
		folder, _, _ := strings.Cut(name, "/")
		for i := range d.Files {
			f := &d.Files[i]
			if f.Kind != Script || f.ExcludedBecause != "sources" || !strings.HasPrefix(f.Path, folder+"/") ||
				excludedFile(path.Base(f.Path)) != "" || f.Size > parsedMost {
				continue
			}
			if ctx.Err() != nil {
				return ctx.Err()
			}
			f.ExcludedBecause = ""
			if _, err := d.read(f, d.tree, nil, true); err != nil {
				return err
			}
		}
		return nil
	}
	return nil
}

// readIncluded takes sources back where nothing else is left, and reads them.
func (d *Package) readIncluded(ctx context.Context) error {
	d.keepOnlyFolders()
	for _, f := range append(d.ofKind(Script), d.ofKind(Stylesheet)...) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if f.Size > parsedMost {
			continue
		}
		if _, err := d.read(f, d.tree, nil, true); err != nil {
			return err
		}
	}
	return nil
}

// parseNamed settles what files are, and reverts the sources that have the library's own name, or that its manifest
// names, where nothing speaks for what is left: other libraries that it brought along, say.
func (d *Package) parseNamed(ctx context.Context) error {
	if err := d.parseMain(ctx); err != nil {
		return err
	}
	plain, module := d.rateAll(Script)
	sheet, _ := d.rateAll(Stylesheet)
	if max(plain.score, module.score) > nothing+universal || sheet.score > nothing || d.Entry() != nil {
		return nil
	}
	found, own := false, d.Manifest.Own()
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != Script && f.Kind != Stylesheet || f.ExcludedBecause != "sources" ||
			stemKey(f.Path) != manifest.NameKey(d.Name) && !slices.Contains(own, f.Path) || f.Size > parsedMost {
			continue
		}
		f.ExcludedBecause, found = "", true
		if _, err := d.read(f, d.tree, nil, true); err != nil {
			return err
		}
	}
	if !found {
		return nil
	}
	d.linkBuilds()
	return d.parseMain(ctx)
}
