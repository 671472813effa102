package references

import (
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/agext/levenshtein"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// loads are elements whose files a browser fetches while it shows the page; others wait for a click.
var loads = map[string]bool{"img": true, "source": true, "video": true, "audio": true, "track": true, "embed": true,
	"object": true, "input": true, "image": true,
	"iframe": true, "frame": true, "use": true, "feimage": true, "body": true, "table": true, "td": true, "style": true}

// Static are the endings of files that a server sends as they lie there.
var Static = []string{".html", ".htm", ".css", ".js", ".mjs", ".json", ".png", ".jpg", ".jpeg", ".gif", ".svg", ".webp",
	".avif", ".ico", ".cur", ".woff", ".woff2", ".ttf",
	".mp4", ".webm", ".ogg", ".mp3", ".wav", ".vtt", ".pdf", ".zip", ".txt", ".webmanifest"}

// Page finds references of a page, beside its tags for scripts and stylesheets, that lead to no file of the site. It
// tells which files of the crate and which scripts and stylesheets they name, also where no browser looks; a folder
// that an import map names ends in a slash.
func (g *Resolver) Page(v *tags.Page, file string) (found []check.Finding, named []string) {
	k := &onPage{g: g, v: v, file: file}
	if v.Base != "" {
		v.ReferencesBeside(nil, k.look)
		page.FrameReferences(v.Bytes, k.look)
		return k.found, k.named
	}
	dir := v.Path.Dir()
	known, done := g.nearResults.from(dir)
	v.ReferencesBeside(known, k.look)
	done()
	page.FrameReferences(v.Bytes, k.look)
	g.nearResults.add(dir, k.settled)
	return k.found, k.named
}

// onPage looks at the references of one page.
type onPage struct {
	g       *Resolver
	v       *tags.Page
	file    string
	maps    *module.Names
	found   []check.Finding
	named   []string
	settled [][]byte // addresses of which there is nothing to tell, as they are written
}

func (k *onPage) look(r page.Reference) {
	g, v := k.g, k.v
	t := k.target(&r)
	if t.Path.IsZero() {
		k.settle(&r)
		return
	}
	ending := strings.ToLower(path.Ext(t.Path.String()))
	names := true
	switch {
	case g.ours()[ending]:
		k.named = append(k.named, t.Path.String())
	case strings.HasSuffix(r.Ref, "/"):
		k.named = append(k.named, t.Path.String()+"/")
	default:
		names = false
	}
	if r.In == page.InText || r.Inert || strings.HasPrefix(r.Attribute, "data-") {
		return
	}
	if g.Has(t.Path) {
		if k.found = append(k.found, g.part(v, r, t.Path, k.file)...); !names && ending != ".svg" {
			k.settle(&r)
		}
		return
	}
	if !slices.Contains(Static, ending) || strings.HasPrefix(ending, ".htm") && g.Made() ||
		g.p.At(g.p.InProject(t.Path)).File != nil {
		return
	}
	f := check.Finding{Name: check.LeadsNowhere, Severity: check.Error, File: k.file, Message: "there is no file " +
		t.Path.String(),
		Why: "whatever asks for it gets \"not found\"", Next: "put the file there, or correct the reference"}
	inFrame := r.Start == r.End && (r.Element == "script" || r.Element == "link")
	if !loads[r.Element] && !inFrame && r.In != page.InStyle && !(r.In == page.InImport && r.Attribute == "" &&
		r.Element == "script") {
		f.Severity, f.Why = check.Warning, "a visitor who follows the link gets \"not found\""
	}
	if r.NoScript {
		f.Severity, f.Why = check.Warning, "browsers without scripts get \"not found\""
	}
	if r.Branch != "" {
		f.Severity, f.Why = check.Warning, "browsers in which [if "+r.Branch+"] is true get \"not found\""
	}
	g.Advise(&f, t.Path)
	f.Line, f.Column = v.Position(r.Start)
	k.found = append(k.found, f)
}

// target is where a reference leads.
func (k *onPage) target(r *page.Reference) tags.Target {
	base := k.v.Base
	if loads[r.Element] || r.In != page.InAttribute {
		base = k.v.BaseAt(r.Start)
	}
	t := tags.LeadOnce(k.g.p, k.v.From, base, r.Ref, k.v.Filled())
	if r.In == page.InImport && r.Element == "script" {
		if k.maps == nil {
			k.maps = k.v.MapNames(k.g.p)
		}
		if to, ok := k.maps.Resolve(k.v.Address(), r.Ref); ok {
			t = tags.TargetAt(to) // a map may lead an address elsewhere
		}
	}
	if to, moved := k.g.Moved[t.Path]; moved {
		t.Path = to
	}
	return t
}

// settle keeps an address of which there is nothing to tell, on whatever page of the folder it stands.
func (k *onPage) settle(r *page.Reference) {
	if k.v.Base == "" && r.In == page.InAttribute && r.End > r.Start {
		k.settled = append(k.settled, k.v.Bytes[r.Start:r.End])
	}
}

// shows are elements that show one part of a picture, as signals.svg#buoy (SVG 2, section 5.6).
var shows = map[string]bool{"use": true, "image": true, "img": true, "object": true, "embed": true}

// part finds that a picture has no part of the name that a reference asks for. Nothing is drawn then, and no console
// says so.
func (g *Resolver) part(v *tags.Page, r page.Reference, at paths.InSite, file string) []check.Finding {
	_, name, _ := strings.Cut(r.Ref, "#")
	if name == "" || !shows[r.Element] || strings.ToLower(path.Ext(at.String())) != ".svg" ||
		strings.ContainsAny(name, "(=:{%<") {
		return nil // a view, a time, a piece by its place
	}
	parts, err := g.parts.Get(at, func() (map[string]glyphs.Part, error) {
		b, err := g.p.ReadInSite(at)
		return glyphs.Parts(b), err
	})
	if _, has := parts[name]; err != nil || has || len(parts) == 0 && r.Element != "use" {
		return nil
	}
	f := check.Finding{Name: check.MemberMissing, Severity: check.Warning, File: file, Message: at.String() +
		" has no part " + name,
		Why: "nothing is drawn there, and no console message says so", Next: "correct the name"}
	if near := nearestOf(name, slices.Sorted(maps.Keys(parts))); near != "" {
		f.Next = "write " + near + ", the most similar one"
	}
	f.Line, f.Column = v.Position(r.Start)
	return []check.Finding{f}
}

// nearestOf is the name of several that is most like another, "" if none is much like it.
func nearestOf(name string, list []string) string {
	best, most := "", 0.6
	for _, n := range list {
		if like := levenshtein.Similarity(name, n, nil); like > most {
			best, most = n, like
		}
	}
	return best
}

// Advise adds to a finding which existing file was probably meant.
func (g *Resolver) Advise(f *check.Finding, at paths.InSite) {
	if near, ok := g.names().whole[strings.ToLower(at.String())]; ok {
		f.Message += "; on disk it is written " + near.String()
		f.Next = "write it so"
	} else if called := g.Called(at); len(called) == 1 {
		f.Next = "the only file of that name is " + called[0].String() + "; " + f.Next
	}
}

// Sheets finds references of the own stylesheets on a page that lead to no file. They are reported of the stylesheet,
// for all its pages.
func (g *Resolver) Sheets(v *tags.Page) []check.Finding {
	var list []check.Finding
	for i := range v.Includes {
		if at := v.Targets[i].Path; v.Includes[i].Kind == page.Stylesheet && v.Includes[i].Inert == "" &&
			!at.IsZero() && v.Of[i].File == nil {
			list = append(list, g.imported.Of(at.String(), func() []check.Finding {
				return g.sheet(at, map[string]bool{})
			})...)
		}
	}
	return list
}

// sheet finds what an own stylesheet asks for in vain, and those that it imports.
func (g *Resolver) sheet(at paths.InSite, seen map[string]bool) []check.Finding {
	if seen[at.String()] {
		return nil
	}
	seen[at.String()] = true
	b, err := g.p.ReadInSite(at)
	if err != nil {
		return nil // there is a finding of its own
	}
	var list []check.Finding
	places := texts.NewIndex(b)
	for _, r := range style.References(b) {
		t := tags.ResolveOnce(at, "", r.URL)
		switch {
		case t.Path.IsZero() || strings.HasPrefix(r.URL, "#") || g.p.At(g.p.InProject(t.Path)).File != nil:
		case g.Has(t.Path):
			if packages.KindOf(t.Path.String()) == packages.Stylesheet {
				list = append(list, g.sheet(t.Path, seen)...)
			}
		case slices.Contains(Static, strings.ToLower(path.Ext(t.Path.String()))):
			f := check.Finding{Name: check.LeadsNowhere, Severity: check.Error, File: g.p.InProject(at).String(),
				Message: "there is no file " + t.Path.String(),
				Why:     "pages with this stylesheet get \"not found\" for it",
				Next: "put the file there, or correct the " +
					"reference"}
			g.Advise(&f, t.Path)
			f.Line, f.Column = places.At(r.Offset)
			list = append(list, f)
		}
	}
	return list
}

// Made tells a site whose pages a server makes, so that an address need not be a file's.
func (g *Resolver) Made() bool {
	return slices.ContainsFunc(g.site.Pages, func(p paths.InSite) bool {
		return !strings.HasPrefix(strings.ToLower(path.Ext(p.String())), ".htm")
	})
}
