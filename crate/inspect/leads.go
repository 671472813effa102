package inspect

import (
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/tags"
)

// loads are elements whose files a browser fetches while it shows the page; others wait for a click.
var loads = map[string]bool{"img": true, "source": true, "video": true, "audio": true, "track": true, "embed": true, "object": true, "input": true, "image": true,
	"iframe": true, "frame": true, "body": true, "table": true, "td": true, "style": true}

// static are the endings of files that a server sends as they lie there.
var static = []string{".html", ".htm", ".css", ".js", ".mjs", ".json", ".png", ".jpg", ".jpeg", ".gif", ".svg", ".webp", ".avif", ".ico", ".cur", ".woff", ".woff2", ".ttf",
	".mp4", ".webm", ".ogg", ".mp3", ".wav", ".vtt", ".pdf", ".zip", ".txt", ".webmanifest"}

// leads finds references of a page, beside its tags for scripts and stylesheets, that lead to no file of the site.
func (c *inspection) leads(v *tags.Page, file string) []check.Finding {
	includes := map[int]bool{}
	for i := range v.Includes {
		includes[v.Includes[i].RefAttr.ValueStart] = true
	}
	var found []check.Finding
	v.References(func(r page.Reference) {
		if r.In == page.InText || r.Inert || r.Attribute != "" && includes[r.Start] || strings.HasPrefix(r.Attribute, "data-") {
			return
		}
		t := tags.ResolveOnce(v.Path, v.Base, r.Ref)
		if to, moved := c.moved[t.Path]; moved {
			t.Path = to
		}
		if t.Path.IsZero() || c.has(t.Path) {
			return
		}
		ending := strings.ToLower(path.Ext(t.Path.String()))
		if !slices.Contains(static, ending) || strings.HasPrefix(ending, ".htm") && c.made() || c.p.At(c.p.InProject(t.Path)).File != nil {
			return
		}
		f := check.Finding{Name: check.LeadsNowhere, Severity: check.Error, File: file, Message: "there is no file " + t.Path.String(),
			Why: "what asks for it gets \"not found\"", Next: "put the file there, or correct the reference"}
		if !loads[r.Element] && r.In != page.InStyle && !(r.In == page.InImport && r.Attribute == "" && r.Element == "script") {
			f.Severity, f.Why = check.Warning, "who follows the link gets \"not found\""
		}
		if r.Branch != "" {
			f.Severity, f.Why = check.Warning, "browsers for which [if "+r.Branch+"] is true get \"not found\""
		}
		if near, ok := c.near.names().whole[strings.ToLower(t.Path.String())]; ok {
			f.Message += "; on disk it is written " + near.String()
			f.Next = "write it so"
		} else if called := c.near.called(t.Path); len(called) == 1 {
			f.Next = "the only file of that name is " + called[0].String() + "; " + f.Next
		}
		f.Line, f.Column = v.Position(r.Start)
		found = append(found, f)
	})
	return found
}

// made tells a site whose pages a server makes, so that an address need not be a file's.
func (c *inspection) made() bool {
	return slices.ContainsFunc(c.site.Pages, func(p paths.InSite) bool { return !strings.HasPrefix(strings.ToLower(path.Ext(p.String())), ".htm") })
}
