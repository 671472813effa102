package compose

import (
	"bytes"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/template"
)

// A kind is what a directive does to a composed page.
type kind int

const (
	include kind = iota // other files stand in its place
	extends             // the file stands in another one
	blockOf             // a named place, with what stands there
	yield               // a named place
	define              // a part that stands only where it is named
	push                // a part that stands where a stack is
	stackOf             // the place of a stack
	slot                // the place for the content of a layout
)

// A directive is a place of a file that says how it is put together with others.
type directive struct {
	kind       kind
	start, end int
	names      []string // of files; none where they are computed
	name       string   // of a place or a part
	dotted     bool     // dots in names stand for folders
	part       bool     // the names are of defined parts before they are of files
	region     template.Region
	// sectionOnly says that the part does not stand where it is written.
	sectionOnly bool
}

// A file is what is known of one file.
type file struct {
	name       paths.InSite
	bytes      []byte
	holes      []template.Hole
	begin      int  // behind the settings at its beginning
	may        bool // it has directives
	whole      bool // it has a doctype, or a tag of html
	directives []directive
}

// parent is the directive by which the file extends another one, nil for none.
func (f *file) parent() *directive {
	for i := range f.directives {
		if f.directives[i].kind == extends {
			return &f.directives[i]
		}
	}
	return nil
}

// onlyDefines reports whether a file has nothing outside of parts that it defines.
func (f *file) onlyDefines() bool {
	at, defines := f.begin, false
	for i := range f.directives {
		d := &f.directives[i]
		if d.kind != define || d.start < at {
			continue
		}
		if len(bytes.TrimSpace(f.bytes[at:d.start])) > 0 {
			return false
		}
		at, defines = d.region.End, true
	}
	return defines && len(bytes.TrimSpace(f.bytes[at:])) == 0
}

// MayCompose tells, much faster than reading it would, whether a file may be put together with others.
func MayCompose(b []byte) bool { return template.MayHave(b) || bytes.Contains(b, []byte("<partial ")) }

// Composes reports whether a file of a name is put together with others, or may have tags that a server puts there.
func Composes(name paths.InSite, b []byte) bool {
	f := parse(name, b)
	return f.may || template.MayHave(b) && (!f.whole || len(f.holes) > 0)
}

// parse reads the directives of a file.
func parse(name paths.InSite, b []byte) *file {
	f := &file{name: name, bytes: b}
	f.whole = beginsPage(b[:min(len(b), 1<<12)])
	if !MayCompose(b) {
		return f
	}
	f.holes = template.Holes(b)
	var regions map[int]template.Region // by their beginnings, once one is asked for
	for _, h := range f.holes {
		if h.Kind == template.Remark && h.Syntax != template.Front {
			continue
		}
		code := strings.TrimSpace(string(b[h.CodeStart:h.CodeEnd]))
		for _, d := range read(h, code) {
			d.start, d.end = h.Start, h.End
			if d.kind == blockOf || d.kind == define || d.kind == push {
				if regions == nil {
					regions = regionsByStart(b, f.holes)
				}
				r, ok := regions[h.Start]
				if !ok {
					continue
				}
				d.region = r
			}
			f.directives = append(f.directives, d)
		}
		if h.Syntax == template.Front {
			f.begin = h.End
		}
	}
	for _, m := range tagsThatInclude(b) {
		for g := 2; g < len(m); g += 2 {
			if m[g] >= 0 {
				f.directives = append(f.directives, directive{kind: include, start: m[0], end: m[1],
					names: []string{string(b[m[g]:m[g+1]])}})
				break
			}
		}
	}
	slices.SortStableFunc(f.directives, func(x, y directive) int { return x.start - y.start })
	f.may = len(f.directives) > 0
	return f
}

// beginsPage reports whether the beginning of a file has a doctype, or a tag of html.
func beginsPage(head []byte) bool {
	for at := 0; ; at++ {
		i := bytes.IndexByte(head[at:], '<')
		if i < 0 {
			return false
		}
		at += i
		for _, word := range []string{"!doctype", "html"} {
			if rest := head[at+1:]; len(rest) >= len(word) && bytes.EqualFold(rest[:len(word)], []byte(word)) {
				return true
			}
		}
	}
}

// regionsByStart are the outermost regions of a file by where they begin.
func regionsByStart(b []byte, holes []template.Hole) map[int]template.Region {
	regions := map[int]template.Region{}
	for _, r := range template.RegionsOf(b, holes) {
		if _, had := regions[r.Start]; !had {
			regions[r.Start] = r
		}
	}
	return regions
}

// tagsThatInclude are the tags and comments that include files, with the files' names as groups.
func tagsThatInclude(b []byte) [][]int {
	if bytes.Contains(b, []byte("#include")) || bytes.Contains(b, []byte(":include")) ||
		bytes.Contains(b, []byte("<partial ")) {
		return tagged().FindAllSubmatchIndex(b, -1)
	}
	return nil
}

var (
	tagged = memo.Regexp(`<!--#include\s+(?:virtual|file)\s*=\s*["']([^"']+)["']\s*-->|` +
		`<jsp:include\s+page\s*=\s*["']([^"'$<]+)["'][^>]*?(?:/>|>\s*</jsp:include>)|` +
		`<partial\s+name\s*=\s*["']([^"'@]+)["'][^>]*?/?>(?:\s*</partial>)?`)
	layoutIn = memo.Regexp(`(?m)^\s*layout\s*[:=]\s*["']?([\w./-]+)["']?\s*$`)
	layoutAt = memo.Regexp(`\bLayout\s*=\s*"([^"]+)"`)

	percentInclude = memo.Regexp(`^(?:include|include_relative|include_cached|includeIf|render|` +
		`partial)\s+(?:"([^"]+)"|` +
		`'([^']+)'|([\w./-]+\.[\w.]+))`)
	percentComputed = memo.Regexp(`^(?:include|include_relative|render)\s`)
	percentExtends  = memo.Regexp(`^(?:extends|layout)\s+["']([^"']+)["']`)
	percentBlock    = memo.Regexp(`^block\s+([\w.-]+)`)

	bracePart    = memo.Regexp(`^#?>\s*(?:"([^"]+)"|'([^']+)'|([\w./-]+))`)
	braceNamed   = memo.Regexp(`^(?:template|partial|partialCached|include)\s+"([^"]+)"`)
	braceDefine  = memo.Regexp(`^(define|block)\s+"([^"]+)"`)
	braceContent = memo.Regexp(`^(?:content|body|contents|content_for_layout|page\.content|layout_content|yield|` +
		`children|` +
		`\$slot|\$content|@content|\.Content|content\(\))(?:\s*\|.*)?$`)

	codeInclude = memo.Regexp(`\b(?:include|require)(?:_once)?\b\s*\(?([^;?\n]*)`)
	quotedText  = memo.Regexp(`"([^"$]*)"|'([^']*)'`)
	angleInc    = memo.Regexp(`^(?:include|partial|render)\b\s*\(?\s*(?:partial:\s*)?(?:"([^"]+)"|'([^']+)'|` +
		`([\w./-]+))`)
	angleFile   = memo.Regexp(`^@?\s*include\s+file\s*=\s*["']([^"']+)["']`)
	angleLayout = memo.Regexp(`^layout\s*\(\s*["']([^"']+)["']`)
	angleBody   = memo.Regexp(`^(?:body|yield|contentFor\('body'\))$`)
	angleYield  = memo.Regexp(`^yield\s*\(?\s*:(\w+)`)
	angleFor    = memo.Regexp(`^content_for\s*\(?\s*:(\w+)`)

	atCall = memo.Regexp(`^@?(?:await\s+)?([A-Za-z_.]+)\s*\(\s*["']([^"']+)["']`)
	atPart = memo.Regexp(`^@?section\s+(\w+)\s*\{`)
)

// firstOf is the first group that matched.
func firstOf(m []string) string {
	for _, g := range m[1:] {
		if g != "" {
			return g
		}
	}
	return ""
}

func one(k kind, name string) []directive { return []directive{{kind: k, names: []string{name}}} }

func called(k kind, name string) []directive { return []directive{{kind: k, name: name}} }

// read reads what a hole says of other files, by its syntax.
func read(h template.Hole, code string) []directive {
	switch h.Syntax {
	case template.Front:
		if m := layoutIn().FindStringSubmatch(code); m != nil && m[1] != "null" && m[1] != "none" && m[1] != "false" {
			return one(extends, m[1])
		}
	case template.Percent:
		return readPercent(code)
	case template.Braces, template.Bangs:
		return readBraces(code)
	case template.Code:
		return readCode(code)
	case template.Angle:
		return readAngle(code)
	case template.At:
		return readAt(code)
	}
	return nil
}

func readPercent(code string) []directive {
	if m := percentInclude().FindStringSubmatch(code); m != nil {
		return one(include, firstOf(m))
	}
	if m := percentExtends().FindStringSubmatch(code); m != nil {
		return one(extends, m[1])
	}
	if m := percentBlock().FindStringSubmatch(code); m != nil {
		return called(blockOf, m[1])
	}
	if percentComputed().MatchString(code) {
		return []directive{{kind: include}}
	}
	return nil
}

func readBraces(code string) []directive {
	if m := bracePart().FindStringSubmatch(code); m != nil {
		if strings.HasPrefix(code, "#>") {
			return nil // a part with a block of its own
		}
		return one(include, firstOf(m))
	}
	if m := braceNamed().FindStringSubmatch(code); m != nil {
		return []directive{{kind: include, names: []string{m[1]}, part: strings.HasPrefix(code, "template")}}
	}
	if m := braceDefine().FindStringSubmatch(code); m != nil {
		if m[1] == "define" {
			return called(define, m[2])
		}
		return called(blockOf, m[2])
	}
	switch {
	case braceContent().MatchString(code):
		return []directive{{kind: slot}}
	case strings.HasPrefix(code, "> (") || strings.HasPrefix(code, ">("):
		return []directive{{kind: include}}
	}
	return nil
}

func readCode(code string) []directive {
	var list []directive
	for _, m := range codeInclude().FindAllStringSubmatch(withoutComments(code), -1) {
		d := directive{kind: include}
		if texts := quotedText().FindAllStringSubmatchIndex(m[1], -1); len(texts) > 0 {
			last := texts[len(texts)-1]
			// what follows the last text must be nothing that is computed
			if rest := strings.Trim(m[1][last[1]:], " \t\r)"); rest == "" {
				name := m[1][last[0]+1 : last[1]-1]
				if strings.Contains(m[1][:last[0]], "__DIR__") || strings.Contains(m[1][:last[0]], "__FILE__") {
					name = strings.TrimPrefix(name, "/")
				}
				d.names = []string{name}
			}
		}
		list = append(list, d)
	}
	return list
}

// withoutComments blanks the comments of a piece of a server's language.
func withoutComments(code string) string {
	return comments().ReplaceAllStringFunc(code, func(s string) string {
		if s[0] == '"' || s[0] == '\'' {
			return s
		}
		return " "
	})
}

var comments = memo.Regexp(`(?s)"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|/\*.*?\*/|//[^\n]*|#[^\n]*`)

func readAngle(code string) []directive {
	if m := angleFile().FindStringSubmatch(code); m != nil {
		return one(include, m[1])
	}
	if m := angleLayout().FindStringSubmatch(code); m != nil {
		return one(extends, m[1])
	}
	if m := angleYield().FindStringSubmatch(code); m != nil {
		return called(yield, m[1])
	}
	if m := angleFor().FindStringSubmatch(code); m != nil && strings.HasSuffix(code, "do") {
		return []directive{{kind: blockOf, name: m[1], sectionOnly: true}}
	}
	if angleBody().MatchString(code) {
		return []directive{{kind: slot}}
	}
	if m := angleInc().FindStringSubmatch(code); m != nil {
		if m[3] == "" || strings.ContainsAny(m[3], "./") || !strings.Contains(code, "(") {
			return one(include, firstOf(m))
		}
		return []directive{{kind: include}}
	}
	return nil
}

func readAt(code string) []directive {
	if m := layoutAt().FindStringSubmatch(code); m != nil {
		return one(extends, m[1])
	}
	if m := atPart().FindStringSubmatch(code); m != nil {
		return []directive{{kind: blockOf, name: m[1], sectionOnly: true}}
	}
	if strings.HasPrefix(code, "RenderBody") {
		return []directive{{kind: slot}}
	}
	m := atCall().FindStringSubmatch(code)
	if m == nil {
		return nil
	}
	word, name := m[1], m[2]
	dotted := []directive{{kind: include, names: []string{name}, dotted: true}}
	switch {
	case word == "extends":
		dotted[0].kind = extends
		return dotted
	case word == "include" || word == "includeIf" || word == "component":
		return dotted
	case word == "section" && !strings.Contains(code, ","):
		return called(blockOf, name)
	case word == "yield" || word == "RenderSection" || word == "RenderSectionAsync":
		return called(yield, name)
	case word == "push" || word == "prepend":
		return called(push, name)
	case word == "stack":
		return called(stackOf, name)
	case strings.HasSuffix(word, "Partial") || strings.HasSuffix(word, "PartialAsync"):
		return one(include, name)
	}
	return nil
}
