package inspect

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"
	"merrycrate.example/merry/crate/mentions"
	"merrycrate.example/merry/crate/template"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// usage is what pages use, taken together.
type usage struct {
	libraries, files, named map[string]bool
	// hidden are the patterns of references that a server makes, each behind the ending of its files and a colon.
	hidden map[string]bool
	last   *uses
}

func newUsage() *usage {
	return &usage{libraries: map[string]bool{}, files: map[string]bool{}, named: map[string]bool{},
		hidden: map[string]bool{}}
}

// leads reports whether a page refers to a file, or to a folder that it is in.
func (u *usage) leads(to paths.InSite) bool {
	for dir := to.Dir(); dir != "."; dir = path.Dir(dir) {
		if u.named[dir+"/"] {
			return true
		}
	}
	if u.files[to.String()] || u.named[to.String()] {
		return true
	}
	ending := strings.ToLower(path.Ext(to.String()))
	for pattern := range u.hidden {
		kind, rest, _ := strings.Cut(pattern, ":")
		if (kind == "" || kind == ending) && template.MayBe(rest, to.String()) {
			return true
		}
	}
	return false
}

// add adds what one page uses. Pages that use the same share one value, so the last one is not added again.
func (u *usage) add(of *uses) {
	if of == nil || of == u.last {
		return
	}
	u.last = of
	for _, l := range of.libraries {
		u.libraries[l] = true
	}
	for _, f := range of.files {
		u.files[f] = true
	}
	for _, f := range of.named {
		if pattern, hidden := strings.CutPrefix(f, hiddenMark); hidden {
			u.hidden[pattern] = true
		} else {
			u.named[f] = true
		}
	}
}

// hiddenMark begins what is named by a reference that a server makes. No path begins so.
const hiddenMark = "*"

// identity is what a file or its address says that it is.
type identity struct{ name, version string }

// identify fills in what is known of the file that an include leads to.
func (c *inspection) identify(v *tags.Page, i int, in *check.Include) {
	if !in.Loads {
		if v.Includes[i].Kind == page.InlineScript && v.Includes[i].Inert == "" {
			in.Script = c.scripts.OfInclude(v, i).Report
		}
		return
	}
	t := v.Targets[i]
	if v.Includes[i].Kind == page.Script {
		if k := c.scripts.Of(t); k != nil {
			in.Script = k.Report
		}
	}
	id := c.identities.Of(t.String(), func() identity { return c.identityOf(t, in.Library) })
	in.Name, in.Version = id.name, id.version
	if in.Library == "" && in.Version != "" {
		in.Known = c.names.Of("", c.libraryNames)[in.Name]
	}
}

// libraryNames maps names, as identities have them, to the libraries of the crate.
func (c *inspection) libraryNames() map[string]string {
	names := map[string]string{}
	for _, l := range c.p.List.Libraries {
		names[manifest.NameKey(path.Base(l.NameOnCDNs()))] = l.Name
	}
	return names
}

func (c *inspection) identityOf(t tags.Target, library string) identity {
	switch {
	case library != "":
		if lib := c.p.List.Library(library); lib != nil {
			return identity{manifest.NameKey(path.Base(lib.NameOnCDNs())), lib.Version}
		}
	case t.URL != "":
		e := origin.ReadAddress(t.URL)
		return identity{manifest.NameKey(path.Base(e.Name)), e.Version}
	case !t.Path.IsZero():
		if name, version := manifest.NameVersion(t.Path.Base()); version != "" {
			return identity{manifest.NameKey(name), version}
		}
		if k := c.scripts.Of(t); k != nil {
			b := manifest.BannerOf(k.Text)
			return identity{manifest.NameKey(b.Name), b.Version}
		}
	}
	return identity{}
}

// wholeSite finds what only all pages together show. What seems to be used nowhere is looked for in all that may lead
// to it, which takes longer than reading tags. State tells one state of the pages from another, 0 if that is not known.
func (c *inspection) wholeSite(ctx context.Context, used *usage, state uint64) ([]check.Finding, error) {
	var idle []*record.Library // on no page, as far as tags go
	var wanted []paths.InSite
	needed := map[string]bool{}
	for _, l := range c.p.List.Libraries {
		for _, need := range l.Needs {
			needed[need] = needed[need] || used.libraries[l.Name]
		}
	}
	for i := range c.p.List.Libraries {
		l := &c.p.List.Libraries[i]
		if c.p.Seal.Libraries[l.Name] != nil && !used.libraries[l.Name] && !needed[l.Name] && len(c.site.Pages) > 0 {
			idle = append(idle, l)
			wanted = append(wanted, tags.FilesOf(c.p, l.Name)...)
		}
	}
	found, leftovers := c.ownScripts(used)
	found = append(found, c.leads.Lists(c.p.OwnFiles(c.site, packages.Script), c.csp.Links())...)
	if len(c.site.Pages) == 0 {
		leftovers = nil
	}
	reached, err := c.reached(ctx, used, append(wanted, leftovers...), state)
	if err != nil {
		return nil, err
	}
	for _, l := range idle {
		if !slices.ContainsFunc(tags.FilesOf(c.p, l.Name), func(at paths.InSite) bool { return reached[at.String()] }) {
			found = append(found, check.Finding{Name: check.Unused, Severity: check.Note, File: "crate.yaml",
				Line: l.Line, Column: 3, Message: l.Name + " is in the crate but on no page",
				Why: "it is listed in the bill and upgraded, although no page uses it", Next: "merry drop " +
					"" + c.p.List.FirstToDrop(l.Name)})
		}
	}
	for _, name := range leftovers {
		if !reached[name.String()] {
			found = append(found, check.Finding{Name: check.OnNoPage, Severity: check.Note,
				File: c.p.InProject(name).String(), Message: "it is on no page, and no other file refers to it",
				Why: "it may be left over", Next: "remove it, or leave it"})
		}
	}
	return found, nil
}

// reachedResult names what is kept of a search for what leads to files.
const reachedResult = "reached-2"

// reached tells which of some files something else than a tag leads to: on the pages, or in own stylesheets and
// scripts. The answer for one state of the site is remembered.
func (c *inspection) reached(ctx context.Context, used *usage, wanted []paths.InSite, state uint64) (map[string]bool,
	error) {
	list := map[string]bool{}
	var rest []paths.InSite
	for _, name := range wanted {
		if list[name.String()] = used.leads(name); !list[name.String()] {
			rest = append(rest, name)
		}
	}
	if len(rest) == 0 {
		return list, nil
	}
	key, cache := fmt.Sprint(c.p.Root, state, c.site.Stamp, project.Texts(rest)), c.p.Origin.Cache
	if b, ok := cache.Result(reachedResult, key); ok && state != 0 && json.Unmarshal(b, &list) == nil {
		return list, nil
	}
	m, err := mentions.Of(ctx, c.p, slices.Concat(c.p.OwnFiles(c.site, packages.Stylesheet),
		c.p.OwnFiles(c.site, packages.Script)), rest)
	if err != nil {
		return nil, err
	}
	for _, name := range rest {
		list[name.String()] = len(m.Of(name)) > 0
	}
	if b, err := json.Marshal(list); err == nil && state != 0 {
		cache.PutResult(reachedResult, key, b) // a cache that can't be written to is no reason to fail
	}
	return list, nil
}

// pathWord is a text in a script that may be a path: it has a slash and the ending of a file for the web.
var pathWord = memo.Regexp("[\"'`]((?:\\.{0,2}/)?[\\w@.-]+(?:/[\\w@.-]+)+\\.(?:js|css|svg|png|jpe?g|gif|webp|woff2?|" +
	"ttf|json|html))[\"'`?#]")

// ownScripts reads the site's own scripts and stylesheets for paths that lead nowhere, for source maps that are not
// there, and for files that no tag and no other own file refers to.
func (c *inspection) ownScripts(used *usage) (found []check.Finding, leftovers []paths.InSite) {
	mentioned := map[string]bool{}
	folders := c.folders.Of("", c.libraryFolders)
	scripts, styles := c.p.OwnFiles(c.site, packages.Script), c.p.OwnFiles(c.site, packages.Stylesheet)
	for _, name := range scripts {
		if b, err := c.p.ReadInSite(name); err == nil {
			found = append(found, c.pathsIn(name, b, folders, mentioned)...)
			found = append(found, c.removed.Own(name, b)...)
			found = append(found, c.conflictIn(name, b)...)
		}
	}
	for _, name := range styles {
		if b, err := c.p.ReadInSite(name); err == nil {
			found = append(found, c.removed.Own(name, b)...)
			found = append(found, c.conflictIn(name, b)...)
			for _, r := range style.References(b) {
				mentioned[path.Base(tags.WithoutQuery(r.URL))] = true
			}
		}
	}
	for _, name := range slices.Concat(scripts, styles) {
		if !used.files[name.String()] && !mentioned[name.Base()] {
			leftovers = append(leftovers, name)
		}
	}
	for name := range used.files {
		found = append(found, c.sourceMap(paths.Found(name))...)
		found = append(found, c.contacts(paths.Found(name))...)
	}
	return found, leftovers
}

// conflictIn finds the marks of an unresolved merge in an own script or stylesheet.
func (c *inspection) conflictIn(name paths.InSite, b []byte) []check.Finding {
	at := texts.ConflictMarks(b)
	if at < 0 {
		return nil
	}
	line, column := page.Position(b, at)
	return []check.Finding{conflict(c.p.InProject(name).String(), line, column)}
}

// pathsIn finds the paths in an own script that lead into a library's folder and nowhere. It notes what the script
// names.
func (c *inspection) pathsIn(name paths.InSite, b []byte, folders map[string]bool,
	mentioned map[string]bool) []check.Finding {
	var found []check.Finding
	places := texts.NewIndex(b)
	for _, m := range pathWord().FindAllSubmatchIndex(b, -1) {
		ref := string(b[m[2]:m[3]])
		mentioned[path.Base(ref)] = true
		clean := paths.Found(strings.TrimLeft(path.Clean(strings.TrimLeft(ref, "./")), "/"))
		_, called := c.bases.Of("", c.libraryBases)[clean.Base()]
		if !folders[clean.Dir()] && !called || c.leads.Has(clean) ||
			c.leads.Has(paths.Found(path.Join(name.Dir(), ref))) || c.p.Imported(ref).File != nil {
			continue
		}
		f := check.Finding{Name: check.OldPath, Severity: check.Warning, File: c.p.InProject(name).String(),
			Message: fmt.Sprintf("%q leads into a folder of %s, but the file does not exist", ref,
				c.libraryIn(clean.Dir())),
			Why:  "the library's files have other names now, so whatever asks for this gets \"not found\"",
			Next: "correct the path by hand"}
		if !folders[clean.Dir()] {
			f.Message = fmt.Sprintf("%q is named like a file of %s, but does not exist", ref,
				c.bases.Of("", c.libraryBases)[clean.Base()])
			f.Why = "the library's files are elsewhere now, so whatever asks for this gets \"not found\""
		}
		f.Line, f.Column = places.At(m[2])
		if near, _ := c.leads.Near(clean); !near.IsZero() {
			f.Next = "the nearest file is " + near.String() + "; " + f.Next
		}
		found = append(found, f)
	}
	return found
}

// pathsInline finds such paths in the inline scripts of a page.
func (c *inspection) pathsInline(v *tags.Page) []check.Finding {
	var found []check.Finding
	for i := range v.Includes {
		in := &v.Includes[i]
		if in.Kind != page.InlineScript || in.Inert != "" {
			continue
		}
		folders := c.folders.Of("", c.libraryFolders)
		line, column := v.Position(in.TextStart())
		for _, f := range c.pathsIn(v.Path, v.Code(in), folders, map[string]bool{}) {
			if f.Line == 1 {
				f.Column += column - 1
			}
			f.Line += line - 1
			found = append(found, f)
		}
	}
	return found
}

// libraryFolders lists the folders that hold files of libraries and none of the site's own.
func (c *inspection) libraryFolders() map[string]bool {
	folders := map[string]bool{}
	for at := range c.p.Places() {
		if name, ok := c.p.InSite(at); ok {
			folders[name.Dir()] = true
		}
	}
	return folders
}

// libraryBases are the own names of the libraries' files, each with the library, the first by the alphabet of several.
func (c *inspection) libraryBases() map[string]string {
	bases := map[string]string{}
	for at, of := range c.p.Places() {
		if b := at.Base(); bases[b] == "" || of.Library < bases[b] {
			bases[b] = of.Library
		}
	}
	return bases
}

// libraryIn names the library that has files in a folder, the first by the alphabet of several.
func (c *inspection) libraryIn(dir string) string {
	first := ""
	for at, of := range c.p.Places() {
		if name, ok := c.p.InSite(at); ok && name.Dir() == dir && (first == "" || of.Library < first) {
			first = of.Library
		}
	}
	return cmp.Or(first, "a library")
}

// contacts finds the hosts that a library's script asks while it runs.
func (c *inspection) contacts(name paths.InSite) (found []check.Finding) {
	at := c.p.InProject(name)
	of := c.p.At(at)
	if of.Library == "" || packages.KindOf(name.String()) != packages.Script {
		return nil
	}
	k := c.scripts.Of(tags.Target{Path: name})
	if k == nil || k.Report == nil {
		return nil
	}
	for _, to := range k.Report.Contacts {
		found = append(found, check.Finding{Name: check.AsksHost, Severity: check.Note, File: at.String(),
			Line: to.Line, Column: to.Column, Message: fmt.Sprintf("%s asks %s while it runs", of.Library, to.Host),
			Why:  "visitors' browsers contact that host when the library does, and a policy of the page must allow it",
			Next: "look up in the library's readme how to give it another address, or leave it"})
	}
	return found
}

// sourceMap finds a map that a file names and that is not there.
func (c *inspection) sourceMap(name paths.InSite) []check.Finding {
	if kind := packages.KindOf(name.String()); kind != packages.Script && kind != packages.Stylesheet {
		return nil
	}
	at := c.p.InProject(name)
	if c.p.At(at).Library != "" {
		return nil // maps of libraries are left out unless take --maps brings them
	}
	b, err := c.p.ReadFile(at)
	if err != nil {
		return nil
	}
	ref := manifest.SourceMapOf(b)
	t := tags.Resolve(name, "", ref)
	if ref == "" || t.Path.IsZero() || c.leads.Has(t.Path) {
		return nil
	}
	f := check.Finding{Name: check.MapMissing, Severity: check.Note, File: at.String(),
		Message: fmt.Sprintf("it names the source map %s, which does not exist", ref),
		Why:     "developer tools ask for it, and report that it is missing", Next: "ignore it, or put the map there"}
	f.Line, f.Column = page.Position(b, max(0, strings.LastIndex(string(b), ref)))
	return []check.Finding{f}
}
