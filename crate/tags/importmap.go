package tags

import (
	"bytes"
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/template"
)

// ImportMaps are the includes that are import maps, in their order.
func (v *Page) ImportMaps() []int {
	var list []int
	for i := range v.Includes {
		if v.IsMap(i) {
			list = append(list, i)
		}
	}
	return list
}

// IsMap reports whether an include is an import map that browsers read.
func (v *Page) IsMap(i int) bool {
	in := &v.Includes[i]
	return in.Kind == page.InlineScript && strings.HasSuffix(in.Inert, "of type importmap")
}

// site is the origin under which addresses of the site are worked with: what leads out of it is another one.
var site = url.URL{Scheme: "https", Host: "site.invalid", Path: "/"}

// AddressIn is the address of a file of the site, for working with.
func AddressIn(name paths.InSite) *url.URL {
	u := site
	u.Path += name.String()
	return &u
}

// Address is that from which a page's own references lead.
func (v *Page) Address() *url.URL {
	u := AddressIn(v.Path)
	if v.Base == "" {
		return u
	}
	if base, err := u.Parse(v.Base); err == nil {
		return base
	}
	return u
}

// TargetAt is what an address leads to, in the site or elsewhere.
func TargetAt(u *url.URL) Target {
	if u.Host == site.Host {
		return Resolve(paths.Found("index.html"), "", u.EscapedPath())
	}
	return Target{URL: u.String()}
}

// A Module is one of a page's modules: a file, or a text of the page itself.
type Module struct {
	Target Target
	Text   string
}

// Modules are the page's modules as it will be, those of tags to come with them.
func (e *Editor) Modules() []Module { return e.modules(false) }

// ModulesBefore are the page's modules as it is, those that are taken off with them.
func (e *Editor) ModulesBefore() []Module { return e.modules(true) }

func (e *Editor) modules(before bool) []Module {
	var list []Module
	for _, s := range e.list {
		switch {
		case s.index < 0 && !before:
			if m, is := e.moduleIn(s.tag); is {
				list = append(list, m)
			}
		case s.index < 0 || s.removed && !before || !e.Includes[s.index].Module || e.Includes[s.index].Inert != "":
		case e.Includes[s.index].Kind == page.InlineScript:
			list = append(list, Module{Text: string(e.InlineText(&e.Includes[s.index]))})
		case e.Includes[s.index].Kind == page.Script:
			list = append(list, Module{Target: e.Targets[s.index]})
		}
	}
	return list
}

// moduleIn reads a tag to come as one of a module.
func (e *Editor) moduleIn(tag string) (m Module, is bool) {
	pg, err := page.Read([]byte(tag))
	if err != nil || len(pg.Includes) == 0 || !pg.Includes[0].Module {
		return Module{}, false
	}
	if in := &pg.Includes[0]; in.Kind == page.Script {
		return Module{Target: Resolve(e.From, e.Base, in.Ref)}, true
	}
	return Module{Text: string(pg.InlineText(&pg.Includes[0]))}, true
}

// TakesOff reports whether any tag is taken off the page.
func (e *Editor) TakesOff() bool {
	return slices.ContainsFunc(e.list, func(s slot) bool { return s.index >= 0 && s.removed })
}

// targetOf is what a tag to come leads to.
func (e *Editor) targetOf(s slot) Target {
	if pg, err := page.Read([]byte(s.tag)); err == nil && len(pg.Includes) > 0 {
		return Resolve(e.From, e.Base, pg.Includes[0].Ref)
	}
	return Target{Path: s.what.at}
}

// HasModules reports whether the page has any module, as it will be.
func (e *Editor) HasModules() bool { return len(e.Modules()) > 0 }

// Serve says from where this page has a library from now on: from another host, or from the site.
func (e *Editor) Serve(library string, elsewhere bool) {
	if e.served == nil {
		e.served = map[string]bool{}
	}
	e.served[library] = elsewhere
}

// Build says in which build this page has a library from now on; NoBuild leaves that.
func (e *Editor) Build(library string, build record.Build) {
	if e.builds == nil {
		e.builds = map[string]record.Build{}
	}
	e.builds[library] = build
}

// BuildOf is the build in which this page has a library: what was said of it, else that of its modules' tags; NoBuild
// where neither tells.
func (e *Editor) BuildOf(library string) record.Build {
	if build := e.builds[library]; build != record.NoBuild {
		return build
	}
	for i := range e.Includes {
		if of := e.Of[i]; of.Library == library && of.File != nil && of.File.Module && of.File.OtherBuild != "" &&
			!e.Removed(i) {
			return of.File.Build
		}
	}
	return record.NoBuild
}

// Served tells from where this page has a library, by what was said of it, else by its tags; known is false if neither
// tells.
func (e *Editor) Served(library string) (elsewhere, known bool) {
	if elsewhere, known = e.served[library]; known {
		return elsewhere, true
	}
	for _, s := range e.list {
		t := Target{}
		switch {
		case s.index < 0:
			if FileOf(e.p, e.targetOf(s)).Library != library {
				continue
			}
			t = e.targetOf(s)
		case s.removed || e.Of[s.index].Library != library || !e.Runs(s.index):
			continue
		default:
			t = e.Targets[s.index]
		}
		return t.URL != "", true
	}
	return false, false
}

// TakenOff reports whether tags of a library were taken off the page and none is left or to come.
func (e *Editor) TakenOff(library string) bool {
	gone := false
	for _, s := range e.list {
		switch {
		case s.index < 0 && FileOf(e.p, e.targetOf(s)).Library == library:
			return false
		case s.index < 0 || e.Of[s.index].Library != library || !e.Runs(s.index):
		case !s.removed:
			return false
		default:
			gone = true
		}
	}
	return gone
}

// MapText is the text of an import map as it will be, with what is before and after it in its element.
func (e *Editor) MapText(i int) (before, text, behind string) {
	tag := e.Tag(i)
	pg, err := page.Read([]byte(tag))
	if err != nil || len(pg.Includes) == 0 {
		return tag, "", ""
	}
	start := pg.Includes[0].TextStart()
	end := start + len(pg.InlineText(&pg.Includes[0]))
	return tag[:start], tag[start:end], tag[end:]
}

// SetMapText writes an import map's text again.
func (e *Editor) SetMapText(i int, text string) {
	before, _, behind := e.MapText(i)
	e.Rewrite(i, before+text+behind)
}

// Layout is how lines of the head are indented on the page, and how they end.
func (e *Editor) Layout() (indent, newline string) {
	newline = "\n"
	if strings.Contains(string(e.Page.Bytes[:min(len(e.Page.Bytes), 4096)]), "\r\n") {
		newline = "\r\n"
	}
	for i := range e.Includes {
		if !e.Includes[i].InHead {
			continue
		}
		start := e.Includes[i].Start
		line := string(e.Page.Bytes[strings.LastIndexByte(string(e.Page.Bytes[:start]), '\n')+1 : start])
		if strings.TrimSpace(line) == "" {
			return line, newline
		}
	}
	return "  ", newline
}

// AddMap puts an import map on a page that has none: in the head, before all modules and their hints.
func (e *Editor) AddMap(text string) {
	indent, newline := e.Layout()
	s := slot{tag: `<script type="importmap">` + newline + indent + text + newline + indent + "</script>",
		spot: page.EndOfHead, moved: true, what: item{Item: order.Item{Inert: true}, inHead: true}}
	at := 0
	for n, o := range e.list {
		if o.index < 0 {
			if _, is := e.moduleIn(o.tag); is && o.what.inHead {
				s.spot = o.spot
				e.insertAt(n, s)
				return
			}
			continue
		}
		in := &e.Includes[o.index]
		if in.InHead {
			at = n + 1
		}
		if in.Inert == "" && (in.Module && (in.Kind == page.Script || in.Kind == page.InlineScript) ||
			in.Kind == page.Hint && in.Rel == "modulepreload") && !o.removed {
			if in.InHead {
				s.spot = page.Spot{Index: o.index}
				e.insertAt(n, s)
				return
			}
			break
		}
	}
	e.insertAt(at, s)
}

// MapNames are the names of a page's import maps, of those that can be read.
func (v *Page) MapNames(p *project.Project) *module.Names {
	var list []*module.Map
	open := false
	for _, i := range v.ImportMaps() {
		read, err := v.ReadMap(p, i)
		if err == nil {
			list = append(list, read)
		}
		open = open || v.filledIn(i)
	}
	names := module.Join(list, v.Address())
	if open {
		names.Open(unknownAddress)
	}
	return names
}

// unknownAddress stands for an address that a server fills in.
const unknownAddress = "https://filled-in.invalid/"

// ReadMap reads an import map of the page. An address that a server fills in is that of the one file that it leads to,
// else one of another site.
func (v *Page) ReadMap(p *project.Project, i int) (*module.Map, error) {
	return v.ReadMapText(p, v.InlineText(&v.Includes[i]))
}

// ReadMapText is ReadMap for a text of a map.
func (v *Page) ReadMapText(p *project.Project, text []byte) (*module.Map, error) {
	filled := false
	read, err := module.ReadFilled(text, func(text []byte) []byte {
		holes := template.HolesOf(text, v.Bytes)
		if len(v.Holes()) == 0 || len(holes) == 0 {
			return text
		}
		filled = true
		return template.FillJSON(text, holes)
	})
	for k := 0; filled && err == nil && k < len(read.Entries); k++ {
		e := &read.Entries[k]
		ref := strings.Trim(string(text[e.Start:e.End]), `"`)
		if !page.Templated(ref) {
			continue
		}
		e.Address = unknownAddress
		if t := Lead(p, v.From, v.Base, ref, true); !t.Path.IsZero() {
			e.Address = (&url.URL{Path: "/" + t.Path.String()}).EscapedPath()
		}
	}
	return read, err
}

// filledIn reports whether a server may write entries into an import map.
func (v *Page) filledIn(i int) bool {
	in := &v.Includes[i]
	text := v.InlineText(in)
	return slices.ContainsFunc(v.HolesIn(in), func(h template.Hole) bool {
		return bytes.Count(text[:h.Start], []byte(`"`))%2 == 0
	})
}
