package references

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/tags"
)

// A listing is a list of files that browsers fetch although no page names them.
type listing struct {
	file     paths.InSite // that has the list, and from whose folder its addresses begin
	in       string       // the same, from the project's root
	text     []byte
	why      string
	severity check.Severity
}

// A Link is a header of the server that names files, with the place of the header: a file from the project's root, and
// a line from 1.
type Link struct {
	File string
	Line int
	Refs []string
}

// Lists finds files that do not exist in what browsers fetch by a list: icons of web manifests, the lists of caches in
// own scripts, links in the server's headers.
func (g *Resolver) Lists(scripts []paths.InSite, links []Link) []check.Finding {
	var found []check.Finding
	for name, size := range g.site.Others {
		base := name.Base()
		if size > 1<<20 || !strings.HasSuffix(base, ".webmanifest") && base != "manifest.json" {
			continue
		}
		if b, err := g.p.ReadInSite(name); err == nil {
			l := &listing{name, g.p.InProject(name).String(), b, "browsers say so in the console, and can't install " +
				"the site with that picture", check.Warning}
			for _, ref := range manifestPictures(b) {
				found = append(found, g.listed(l, ref, bytes.Index(b, []byte(`"`+ref+`"`))+1)...)
			}
		}
	}
	for _, name := range scripts {
		if b, err := g.p.ReadInSite(name); err == nil {
			found = append(found, g.cached(name, b)...)
		}
	}
	for _, h := range links {
		b, err := g.p.ReadFile(paths.FoundInProject(h.File))
		if err != nil {
			continue
		}
		l := &listing{paths.Found("index.html"), h.File, b, "browsers fetch it before the page, and get \"not found\"",
			check.Error}
		for _, ref := range h.Refs {
			if strings.HasPrefix(ref, "/") { // a header counts for many pages: other addresses begin at each
				at := lineStart(b, h.Line)
				found = append(found, g.listed(l, ref, at+bytes.Index(b[at:], []byte(ref)))...)
			}
		}
	}
	return found
}

// manifestPictures are the addresses of the pictures of a web manifest, none if the text is no such manifest (Web
// Application Manifest, section 1.9).
func manifestPictures(b []byte) []string {
	type pictures []struct {
		Src string `json:"src"`
	}
	var m struct {
		Icons       pictures `json:"icons"`
		Screenshots pictures `json:"screenshots"`
		Shortcuts   []struct {
			Icons pictures `json:"icons"`
		} `json:"shortcuts"`
		Name  string `json:"name"`
		Short string `json:"short_name"`
		Start string `json:"start_url"`
	}
	if json.Unmarshal(b, &m) != nil || m.Name+m.Short+m.Start == "" {
		return nil
	}
	all := slices.Concat(m.Icons, m.Screenshots)
	for _, s := range m.Shortcuts {
		all = append(all, s.Icons...)
	}
	var list []string
	for _, p := range all {
		if p.Src != "" && !slices.Contains(list, p.Src) {
			list = append(list, p.Src)
		}
	}
	return list
}

// What a script caches: the list itself, or its name.
var (
	adds      = memo.Regexp(`\.addAll\(\s*(\[|[A-Za-z_$][\w$]*\s*\))`)
	listNamed = `(?:const|let|var)\s+%s\s*=\s*\[`
)

// cached finds files that a script puts into a cache by a list, and that do not exist: none is cached then (Service
// Workers, section 5.4.5).
func (g *Resolver) cached(name paths.InSite, b []byte) []check.Finding {
	if !bytes.Contains(b, []byte(".addAll(")) {
		return nil
	}
	l := &listing{name, g.p.InProject(name).String(), b, "addAll fails for all of them, so nothing is cached",
		check.Error}
	var found []check.Finding
	for _, m := range adds().FindAllSubmatchIndex(b, -1) {
		start := m[3]
		if b[m[2]] != '[' {
			list := strings.TrimRight(string(b[m[2]:m[3]]), " \t\n)")
			at := memo.Regexp(fmt.Sprintf(listNamed, strings.ReplaceAll(list, "$", `\$`)))().FindIndex(b)
			if at == nil {
				continue
			}
			start = at[1]
		}
		end := bytes.IndexByte(b[start:], ']')
		if end < 0 {
			continue
		}
		page.ScriptReferences(b[start:start+end], func(r page.Reference) {
			found = append(found, g.listed(l, r.Ref, start+r.Start)...)
		})
	}
	return found
}

// listed is the finding of an address of a list that leads to no file of the site.
func (g *Resolver) listed(l *listing, ref string, offset int) []check.Finding {
	t := tags.Resolve(l.file, "", ref)
	ending := strings.ToLower(path.Ext(t.Path.String()))
	if t.Path.IsZero() || g.Has(t.Path) || g.p.At(g.p.InProject(t.Path)).File != nil ||
		!slices.Contains(Static, ending) || strings.HasPrefix(ending, ".htm") && g.Made() {
		return nil
	}
	f := check.Finding{Name: check.LeadsNowhere, Severity: l.severity, File: l.in, Message: "it lists " + ref +
		", but there is no file " + t.Path.String(), Why: l.why, Next: "put the file there, or correct the list"}
	g.Advise(&f, t.Path)
	f.Line, f.Column = page.Position(l.text, max(0, offset))
	return []check.Finding{f}
}

// lineStart is where a line of a text begins; lines count from 1.
func lineStart(b []byte, line int) int {
	at := 0
	for ; line > 1; line-- {
		i := bytes.IndexByte(b[at:], '\n')
		if i < 0 {
			return at
		}
		at += i + 1
	}
	return at
}
