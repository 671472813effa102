package crate

import (
	"cmp"
	"fmt"
	"maps"
	"os/exec"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
)

// identity is what a file or its address says that it is.
type identity struct{ name, version string }

// identify fills in what is known of the file that an include leads to.
func (c *checker) identify(v *view, i int, in *check.Include) {
	if !in.Loads {
		if v.Includes[i].Kind == page.InlineScript && v.Includes[i].Inert == "" {
			in.Script = c.scripts.ofText(v.InlineText(&v.Includes[i]))
		}
		return
	}
	t := v.targets[i]
	if v.Includes[i].Kind == page.Script {
		if k := c.scripts.of(t); k != nil {
			in.Script = k.Report
		}
	}
	if known, ok := c.identities.Load(t); ok {
		id := known.(identity)
		in.Name, in.Version = id.name, id.version
		return
	}
	var id identity
	switch {
	case in.Library != "":
		if lib := c.p.List.Library(in.Library); lib != nil {
			id = identity{delivery.NameKey(path.Base(cdnName(lib))), lib.Version}
		}
	case t.URL != "":
		e := inAddress(t.URL)
		id = identity{delivery.NameKey(path.Base(e.name)), e.version}
	case t.Path != "":
		if name, version := delivery.NameVersion(path.Base(t.Path)); version != "" {
			id = identity{delivery.NameKey(name), version}
		} else if k := c.scripts.of(t); k != nil {
			b := delivery.BannerOf(k.text)
			id = identity{delivery.NameKey(b.Name), b.Version}
		}
	}
	c.identities.Store(t, id)
	in.Name, in.Version = id.name, id.version
}

// usesOf tells what a page uses.
func (c *checker) usesOf(v *view) *uses {
	u := &uses{}
	for i := range v.Includes {
		if v.library[i] != "" && v.Includes[i].Inert == "" && !slices.Contains(u.libraries, v.library[i]) {
			u.libraries = append(u.libraries, v.library[i])
		}
		if t := v.targets[i].Path; t != "" {
			u.files = append(u.files, t)
		}
		if at, local := v.fallbackOf(i); at >= 0 {
			u.files = append(u.files, local.Path)
		}
	}
	key := strings.Join(u.libraries, "\n") + "\x00" + strings.Join(u.files, "\n")
	c.usesMu.Lock()
	defer c.usesMu.Unlock()
	if same := c.allUses[key]; same != nil {
		return same
	}
	c.allUses[key] = u
	return u
}

// used remembers what pages use.
func (c *checker) used(u *uses) {
	if u == nil || u == c.lastUses {
		return
	}
	c.lastUses = u
	for _, l := range u.libraries {
		c.usedLibs[l] = true
	}
	for _, f := range u.files {
		c.usedFiles[f] = true
	}
}

// wholeSite finds what only all pages together show.
func (c *checker) wholeSite() ([]check.Finding, error) {
	var found []check.Finding
	for _, l := range c.p.List.Libraries {
		needed := slices.ContainsFunc(c.p.List.Libraries, func(o record.Library) bool { return c.usedLibs[o.Name] && slices.Contains(o.Needs, l.Name) })
		if sealed := c.p.Seal.Libraries[l.Name]; sealed != nil && !c.usedLibs[l.Name] && !needed && len(c.site.Pages) > 0 {
			found = append(found, check.Finding{Name: check.Unused, Severity: check.Note, File: "crate.yaml", Line: l.Line, Column: 3, Message: l.Name + " is in the crate and on no page",
				Why: "its versions are looked after, and it is in the bill, for nothing", Next: "merry drop " + l.Name})
		}
	}
	own, err := c.ownScripts()
	if err != nil {
		return nil, err
	}
	return append(found, own...), nil
}

// pathWord is a text in a script that may be a path: it has a slash and the ending of a file for the web.
var pathWord = regexp.MustCompile("[\"'`]((?:\\.{0,2}/)?[\\w@.-]+(?:/[\\w@.-]+)+\\.(?:js|css|svg|png|jpe?g|gif|webp|woff2?|ttf|json|html))[\"'`?#]")

// ownScripts reads the site's own scripts and stylesheets for paths that lead nowhere, for source maps that are not
// there, and for files that nothing refers to.
func (c *checker) ownScripts() ([]check.Finding, error) {
	var found []check.Finding
	mentioned := map[string]bool{}
	folders := c.libraryFolders()
	scripts := c.ownFiles(delivery.Script)
	for _, name := range scripts {
		at := c.p.inProject(name)
		b, err := readInto(c.p.path(at), nil)
		if err != nil {
			continue
		}
		for _, m := range pathWord.FindAllSubmatchIndex(b, -1) {
			ref := string(b[m[2]:m[3]])
			mentioned[path.Base(ref)] = true
			clean := strings.TrimLeft(path.Clean(strings.TrimLeft(ref, "./")), "/")
			if folders[path.Dir(clean)] && !c.Has(clean) && !c.Has(path.Join(path.Dir(name), ref)) {
				f := check.Finding{Name: check.OldPath, Severity: check.Warning, File: at, Message: fmt.Sprintf("%q leads into a folder of %s, and there is no such file", ref, c.libraryIn(path.Dir(clean))),
					Why: "the library's files are called otherwise now; what asks for this will get \"not found\"", Next: "correct the path by hand"}
				f.Line, f.Column = page.Position(b, m[2])
				if near, _ := c.Near(clean); near != "" {
					f.Next = "the nearest file is " + near + "; " + f.Next
				}
				found = append(found, f)
			}
		}
	}
	styles := c.ownFiles(delivery.Stylesheet)
	for _, name := range styles {
		b, err := readInto(c.p.path(c.p.inProject(name)), nil)
		if err != nil {
			continue
		}
		for _, r := range style.References(b) {
			mentioned[path.Base(withoutQuery(r.URL))] = true
		}
	}
	for _, name := range slices.Concat(scripts, styles) {
		if !c.usedFiles[name] && !mentioned[path.Base(name)] && len(c.site.Pages) > 0 && !slices.ContainsFunc(strings.Split(name, "/"), skipped) {
			found = append(found, check.Finding{Name: check.OnNoPage, Severity: check.Note, File: c.p.inProject(name), Message: "it is on no page, and no other file names it",
				Why: "it may be a leftover", Next: "remove it, or leave it"})
		}
	}
	for name := range c.usedFiles {
		found = append(found, c.sourceMap(name)...)
	}
	return found, nil
}

// libraryFolders lists the folders that hold files of libraries and none of the site's own.
func (c *checker) libraryFolders() map[string]bool {
	folders := map[string]bool{}
	for at := range c.p.byPlace {
		if name, ok := c.p.inSite(at); ok {
			folders[path.Dir(name)] = true
		}
	}
	return folders
}

func (c *checker) libraryIn(dir string) string {
	for _, at := range slices.Sorted(maps.Keys(c.p.byPlace)) {
		if name, ok := c.p.inSite(at); ok && path.Dir(name) == dir {
			return c.p.byPlace[at].Library
		}
	}
	return "a library"
}

// sourceMap finds a map that a file names and that is not there.
func (c *checker) sourceMap(name string) []check.Finding {
	if kind := delivery.KindOf(name); kind != delivery.Script && kind != delivery.Stylesheet {
		return nil
	}
	at := c.p.inProject(name)
	b, err := readInto(c.p.path(at), nil)
	if err != nil {
		return nil
	}
	ref := delivery.SourceMapOf(b)
	t := targetOf(name, "", ref)
	if ref == "" || t.Path == "" || c.Has(t.Path) {
		return nil
	}
	f := check.Finding{Name: check.MapMissing, Severity: check.Note, File: at, Message: fmt.Sprintf("it names the source map %s, which is not there", ref),
		Why: "a browser's tools ask for it, and say that they did not get it", Next: "do without, or put the map there"}
	f.Line, f.Column = page.Position(b, max(0, strings.LastIndex(string(b), ref)))
	if of := c.p.byPlace[at]; of.Library != "" {
		f.Next = fmt.Sprintf("merry take %s again, with its map, or do without", of.Library)
	}
	return []check.Finding{f}
}

// Newest is the newest edition of ECMAScript that the packing list's browsers know: browsers: es2015, or a year, or es5.
func (c *checker) Newest() int { return editionOf(c.p.List.Browsers) }

func editionOf(browsers string) int {
	word := strings.TrimPrefix(strings.ToLower(strings.TrimSpace(browsers)), "es")
	n, err := strconv.Atoi(word)
	switch {
	case err != nil:
		return 0
	case n == 5:
		return 2009
	case n >= 6 && n < 100:
		return 2009 + n
	}
	return n
}

// changedSince keeps the pages that a version control's working tree changed since a revision.
func (p *Project) changedSince(revision string, pages []string) ([]string, error) {
	if strings.HasPrefix(revision, "-") {
		return nil, usage("name a revision, such as main or HEAD~1", "--changed-since %s is no revision", revision)
	}
	var names []string
	for _, args := range [][]string{{"diff", "--name-only", "-z", "--relative", revision, "--"}, {"ls-files", "-z", "--others", "--exclude-standard"}} {
		cmd := exec.Command("git", args...)
		cmd.Dir = p.Root
		out, err := cmd.Output()
		if err != nil {
			why := err.Error()
			if exit, ok := err.(*exec.ExitError); ok {
				why, _, _ = strings.Cut(strings.TrimSpace(string(exit.Stderr)), "\n")
			}
			return nil, refused("name a revision of the repository that the project is in", "--changed-since %s: git says: %s", revision, cmp.Or(why, "nothing"))
		}
		names = append(names, strings.Split(strings.TrimRight(string(out), "\x00"), "\x00")...)
	}
	return slices.DeleteFunc(slices.Clone(pages), func(pg string) bool { return !slices.Contains(names, p.inProject(pg)) }), nil
}
