package editing

import (
	"bytes"
	"context"
	"fmt"
	"strings"

	"github.com/dustin/go-humanize"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// A Note is what there is to say of a place: lines of Markdown.
type Note struct {
	Span  Span
	Lines []string
}

// About says what stands at an offset of a file: a tag of a library, a class, a global. It is nil for what nothing is
// known of.
func (d *Snapshot) About(ctx context.Context, file string, at int) *Note {
	p, ok := d.placeAt(ctx, file, at)
	if !ok {
		return nil
	}
	if p.language == markup {
		if i := includeAt(p.v, at); i >= 0 && p.v.Includes[i].Ref != "" {
			if lines := d.aboutTag(ctx, p.v, i); lines != nil {
				in := &p.v.Includes[i]
				return &Note{Span{file, in.Start, in.End}, lines}
			}
		}
	}
	if name, span := d.nameAt(file, &p); name.text != "" {
		if lines := d.aboutName(ctx, file, name); lines != nil {
			return &Note{span, lines}
		}
	}
	return nil
}

// aboutTag says what is known of the file that a tag loads.
func (d *Snapshot) aboutTag(ctx context.Context, v *tags.Page, i int) []string {
	in, of := &v.Includes[i], v.Of[i]
	name, text := d.include(v, i)
	if of.Library == "" && text == nil {
		return nil
	}
	var lines []string
	lib := d.p.List.Library(of.Library)
	sealed := d.p.Seal.Libraries[of.Library]
	switch {
	case lib != nil && sealed != nil && of.File != nil:
		lines = append(lines, fmt.Sprintf("**%s %s** · %s", lib.Name, sealed.Version, of.File.Path))
		if sealed.Licence != "" {
			lines = append(lines, "licence: "+string(sealed.Licence))
		}
		if lib.Because != "" {
			lines = append(lines, "because: "+lib.Because)
		}
	case lib != nil:
		lines = append(lines, "**"+lib.Name+"** · a link that no record seals")
	default:
		lines = append(lines, "**"+name+"** · a file of the site")
	}
	if at := v.Location(d.p, i); !at.IsZero() {
		if size, wire := d.p.Sizes(at); size > 0 {
			lines = append(lines, fmt.Sprintf("size: %s, %s on the wire", humanize.Bytes(uint64(size)),
				humanize.Bytes(uint64(wire))))
		}
	}
	if in.Kind == page.Script {
		if s := d.scripts.OfInclude(v, i); s != nil && s.Report != nil {
			lines = append(lines, ofReport(s.Report)...)
		}
		lines = append(lines, "runs: "+in.WhenWords())
	}
	if of.File != nil {
		lines = append(lines, d.sameBytes(of))
		if newer := d.newer(ctx, of.Library); newer != "" {
			lines = append(lines, newer)
		}
	}
	return lines
}

func ofReport(r *script.Report) []string {
	var lines []string
	var defines, needs []string
	for _, g := range r.Defines {
		defines = append(defines, "`"+g.Name+"`")
	}
	for _, n := range r.Hard() {
		needs = append(needs, "`"+n.Name+"`")
	}
	if len(defines) > 0 {
		lines = append(lines, "defines: "+few(defines))
	}
	if len(needs) > 0 {
		lines = append(lines, "needs: "+few(needs))
	}
	return lines
}

// few are the first of some words.
func few(list []string) string {
	const most = 8
	if len(list) > most {
		return strings.Join(list[:most], ", ") + fmt.Sprintf(" and %d more", len(list)-most)
	}
	return strings.Join(list, ", ")
}

// sameBytes says whether the local copy has the bytes that are sealed, as a link with an integrity has.
func (d *Snapshot) sameBytes(of project.Sealed) string {
	if of.File.At.IsZero() {
		return "local copy: none; pages have a link"
	}
	b, err := d.p.ReadFile(of.File.At)
	switch {
	case err != nil:
		return "local copy: it is not there"
	case integrity.Of(b) != of.File.Integrity:
		return "local copy: it was changed since it was taken, so a link has other bytes"
	}
	return "local copy and link: the same bytes"
}

// newer says which newer version of a library the cache knows. It asks no registry, and returns "" if the cache knows
// no newer one.
func (d *Snapshot) newer(ctx context.Context, library string) string {
	lib := d.p.List.Library(library)
	pkg, packaged := lib.Package()
	if !packaged {
		return ""
	}
	known, err := d.p.Origin.Document(ctx, pkg, false)
	if err != nil {
		return ""
	}
	best := ""
	allowed := project.AllowedBy(lib.Hold)
	for _, v := range known.Sorted() {
		if !strings.Contains(v.Version, "-") && (allowed == nil || allowed(v.Version)) {
			best = v.Version
		}
	}
	if best == "" || source.CompareVersions(best, lib.Version) <= 0 {
		return ""
	}
	return fmt.Sprintf("newer: %s is known (`merry compare %s %s`)", best, library, best)
}

// A name is a word that may mean something of a page.
type name struct {
	kind style.Kind // Class, ID or Property; "" for a global
	text string
}

// nameAt is the class, id, custom property or global at a place.
func (d *Snapshot) nameAt(file string, p *place) (name, Span) {
	span := func(from, to int) Span { return Span{file, p.from + from, p.from + to} }
	switch p.language {
	case markup:
		t, in := tagAt(p.text, p.at)
		if !in || !t.inValue {
			return name{}, Span{}
		}
		from, to := wordAt(p.text, p.at, ":/@.\\")
		from, to = max(from, t.start0), min(to, t.end)
		switch t.attribute {
		case "class":
			return name{style.Class, string(p.text[from:to])}, span(from, to)
		case "id":
			return name{style.ID, string(p.text[from:to])}, span(from, to)
		}
		return name{}, Span{}
	case styles:
		from, to := wordAt(p.text, p.at, "")
		word := string(p.text[from:to])
		switch {
		case strings.HasPrefix(word, "--"):
			return name{style.Property, word}, span(from, to)
		case from > 0 && p.text[from-1] == '.':
			return name{style.Class, word}, span(from, to)
		case from > 0 && p.text[from-1] == '#' && !insideRule(p.text, from):
			return name{style.ID, word}, span(from, to)
		}
		return name{}, Span{}
	}
	if _, _, quoted := quotedAt(p.text, p.at); quoted {
		from, to := wordAt(p.text, p.at, "")
		word := string(p.text[from:to])
		kind := style.Class
		if from > 0 && p.text[from-1] == '#' {
			kind = style.ID
		}
		return name{kind, word}, span(from, to)
	}
	from, to := nameAt(p.text, p.at)
	if from > 0 && p.text[from-1] == '.' {
		return name{}, Span{}
	}
	return name{"", string(p.text[from:to])}, span(from, to)
}

// aboutName says where a class, an id or a custom property has its rules, and who defines a global.
func (d *Snapshot) aboutName(ctx context.Context, file string, n name) []string {
	if n.kind == "" {
		of, has := d.definitions(ctx, file)[n.text]
		if !has {
			return nil
		}
		line := "**" + n.text + "** is defined by " + of.file
		if of.library != "" {
			line += " of " + of.library
		}
		if of.line > 0 {
			n, _ := page.Position(d.Text(of.file), of.start())
			line += fmt.Sprintf(", line %d", n)
		}
		return []string{line, "when: " + of.when}
	}
	var lines []string
	for _, s := range d.sheetsFor(ctx, file) {
		for _, m := range s.Mentions {
			if !m.Makes || m.Kind != n.kind || m.Name != n.text {
				continue
			}
			if len(lines) >= 2*maxRules {
				return append(lines, "… and more")
			}
			from, to := ruleAround(s.text, m.Offset)
			lines = append(lines, s.at0(d, m.Offset), "```css\n"+string(shortened(s.text[from:to]))+"\n```")
		}
	}
	return lines
}

// maxRules is how many rules of a name are shown.
const maxRules = 3

// at0 says in which file and line something of a stylesheet is.
func (s *sheet) at0(d *Snapshot, offset int) string {
	line, _ := page.Position(d.Text(s.file), s.at+offset)
	of := ""
	if s.library != "" {
		of = " of " + s.library
	}
	return fmt.Sprintf("%s, line %d%s", s.file, line, of)
}

// ruleAround is the rule of a stylesheet that has a place in its selector, or in its declarations.
func ruleAround(b []byte, at int) (from, to int) {
	from = bytes.LastIndexAny(b[:at], "{}") + 1
	to = len(b)
	if i := bytes.IndexAny(b[at:], "{}"); i >= 0 {
		to = at + i + 1
		if b[at+i] == '{' {
			if j := bytes.IndexByte(b[to:], '}'); j >= 0 {
				to += j + 1
			}
		}
	}
	for from < to && strings.IndexByte(" \t\r\n;", b[from]) >= 0 {
		from++
	}
	return from, to
}

// shortened is a text of at most some lines and bytes.
func shortened(b []byte) []byte {
	const most = 600
	if len(b) > most {
		return append(bytes.Clone(b[:most]), " …"...)
	}
	return b
}

// inSite is a file from the project's root as it is in the site.
func (d *Snapshot) inSite(file string) (paths.InSite, bool) {
	return d.p.InSite(paths.FoundInProject(file))
}
