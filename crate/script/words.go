package script

import (
	"bytes"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// Likelihood says how sure it is that a word in a script means a class, an id or a global.
type Likelihood string

// The certainties.
const (
	Sure     Likelihood = "sure"
	Likely   Likelihood = "likely"
	Possible Likelihood = "possible"
)

// A Use is a word in a script's text that may name something of a library.
type Use struct {
	Word   string
	Offset int
	How    Likelihood
	// Selector is '.' or '#' where it is in a selector, and '#' where a call takes an id, 0 elsewhere.
	Selector byte
	// Member says that it is a member, and Of, of what, where that is a name.
	Member bool
	Of     string
	// Path is the chain of names before a member: club.race of club.race.start.
	Path string
	// Global says that it stands where a global would.
	Global bool
	// Called says that it is called, and New that it is called as a constructor.
	Called, New bool
	// Next is the name of the member that is taken of it at once, "" for none.
	Next string
}

var (
	classCall = memo.Regexp(`(?:classList\s*\.\s*\w+\s*\([^()]*|className\s*\+?=\s*|(?:add|remove|toggle|has)` +
		`Class\s*\(\s*|getElementsByClassName\s*\(\s*)["'` + "`" + `][^"'` + "`" + `\n]*$`)
	classAttr = memo.Regexp(`\bclass(?:Name)?\s*=\s*\\?["'][^"'<>\n]*$`) // of markup in a text
	// lookedUp is where a document's own methods take a selector.
	lookedUp = memo.Regexp(`(?:querySelector|querySelectorAll|closest|matches)\s*\(\s*(?:"[^"\n]*|'[^'\n]*|` +
		"`[^`\n]*" + `)$`)
	idCall = memo.Regexp(`getElementById\s*\(\s*["'` + "`" + `]$`)
)

// Uses finds the words of a script that are among those wanted, with what surrounds them: in texts, where classes and
// ids are, and outside of them, where globals and their members are. It goes by the text alone, so it works for what
// can't be parsed, too; comments are passed over.
func Uses(src []byte, wanted func(word string) bool) []Use {
	var list []Use
	var quote byte
	for i := 0; i < len(src); {
		c := src[i]
		switch {
		case quote == 0 && c == '/' && i+1 < len(src) && src[i+1] == '/':
			i = endOf(src, i, "\n")
			continue
		case quote == 0 && c == '/' && i+1 < len(src) && src[i+1] == '*':
			i = endOf(src, i+2, "*/")
			continue
		case quote == 0 && (c == '"' || c == '\'' || c == '`'):
			quote = c
		case quote != 0 && c == '\\':
			i += 2
			continue
		case quote != 0 && (c == quote || c == '\n' && quote != '`'):
			quote = 0
		case wordByte(c):
			from := i
			for i < len(src) && (wordByte(src[i]) || quote != 0 && src[i] == '-') {
				i++
			}
			word := string(src[from:i])
			if wanted(word) {
				if u, ok := useAt(src, from, word, quote); ok {
					list = append(list, u)
				}
			}
			continue
		}
		i++
	}
	return list
}

func useAt(src []byte, from int, word string, quote byte) (Use, bool) {
	u := Use{Word: word, Offset: from, How: Possible}
	var before byte
	if from > 0 {
		before = src[from-1]
	}
	if quote == 0 {
		if before == '.' {
			u.Member, u.Of = true, memberOf(src, from-1)
			u.How = Likely
			u.inCall(src)
			return u, true
		}
		u.Global, u.How = true, Likely
		u.inCall(src)
		return u, true
	}
	line := src[max(0, bytes.LastIndexByte(src[:from], '\n')):from]
	switch {
	case classCall().Match(line) && before != '.' && before != '#', classAttr().Match(line):
		u.How = Sure
	case idCall().Match(line):
		u.How, u.Selector = Sure, '#'
	case (before == '.' || before == '#') && lookedUp().Match(line):
		u.How, u.Selector = Sure, before
	case before == '.' || before == '#':
		u.How, u.Selector = Likely, before
	}
	return u, true
}

// inCall finds what a name is taken of, and what is done with it.
func (u *Use) inCall(src []byte) {
	start := u.Offset
	for start > 0 && (wordByte(src[start-1]) || src[start-1] == '.') {
		start--
	}
	u.Path = strings.TrimSuffix(string(src[start:u.Offset]), ".")
	rest := bytes.TrimLeft(src[u.Offset+len(u.Word):], " \t\r\n")
	u.Called = len(rest) > 0 && rest[0] == '('
	if member := afterDot().FindSubmatch(rest); member != nil {
		u.Next = string(member[1])
	}
	before := bytes.TrimRight(src[:start], " \t\r\n")
	u.New = len(before) < start && bytes.HasSuffix(before, []byte("new")) && (len(before) == 3 ||
		!wordByte(before[len(before)-4])) && u.Next == ""
}

var afterDot = memo.Regexp(`^\.\s*([\pL_$][\pL\d_$]*)`)

// InMarkup reports whether a place of a script is in a class attribute of markup in a text, where several names may
// stand.
func InMarkup(src []byte, offset int) bool {
	return classAttr().Match(src[max(0, bytes.LastIndexByte(src[:offset], '\n')):offset])
}

// A Look is a place where a script looks up elements of the page by an id or a class.
type Look struct {
	Selector string // #id or .class
	Offset   int
}

var (
	lookCall = memo.Regexp(`(getElementById|getElementsByClassName|querySelector|querySelectorAll|closest|matches|` +
		`[\w$]+)\s*\(\s*(?:"([^"\n]{1,200})"|'([^'\n]{1,200})')`)
	lookNames = memo.Regexp(`[#.][A-Za-z_][\w-]*`)
	idOnly    = memo.Regexp(`^[\w-]+$`)
)

// Looks lists the ids and classes that a script looks up by a text that it is given: by the methods of a document, and
// by calls of whatever takes a selector, each once.
func Looks(src []byte) []Look {
	var list []Look
	seen := map[string]bool{}
	add := func(selector string, offset int) {
		if !seen[selector] {
			seen[selector] = true
			list = append(list, Look{selector, offset})
		}
	}
	for _, m := range lookCall().FindAllSubmatchIndex(src, -1) {
		start, end := m[4], m[5]
		if start < 0 {
			start, end = m[6], m[7]
		}
		text := string(src[start:end])
		switch name := string(src[m[2]:m[3]]); {
		case strings.HasPrefix(text, "./") || strings.HasPrefix(text, "../"): // a path
		case name == "getElementById" && idOnly().MatchString(text):
			add("#"+text, start)
		case name == "getElementsByClassName" && idOnly().MatchString(text):
			add("."+text, start)
		case text[0] == '#' || text[0] == '.' || name == "querySelector" || name == "querySelectorAll":
			for _, n := range lookNames().FindAllStringIndex(text, -1) {
				if n[0] == 0 || text[n[0]] == '#' || text[n[0]-1] != '.' {
					add(text[n[0]:n[1]], start+n[0])
				}
			}
		}
	}
	return list
}

// memberOf returns the name before a dot, "" if there is none.
func memberOf(src []byte, dot int) string {
	end := dot
	for end > 0 && (src[end-1] == ' ' || src[end-1] == '\n' || src[end-1] == '\t') {
		end--
	}
	start := end
	for start > 0 && wordByte(src[start-1]) {
		start--
	}
	return string(src[start:end])
}

func wordByte(c byte) bool {
	return c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
}

func endOf(src []byte, from int, mark string) int {
	if i := bytes.Index(src[min(from, len(src)):], []byte(mark)); i >= 0 {
		return from + i + len(mark)
	}
	return len(src)
}

// InText reports whether a name at a place of a script stands in a text of it: behind a quote, or in var().
func InText(b []byte) func(at int) bool {
	return func(at int) bool {
		before := string(b[max(0, at-4):at])
		return strings.HasSuffix(before, "var(") || before != "" && strings.ContainsAny(before[len(before)-1:], "\"'`")
	}
}

// DatasetName is an attribute's name as a script's dataset has it (HTML Standard, section 3.2.6.6), "" for others.
func DatasetName(attribute string) string {
	rest, is := strings.CutPrefix(attribute, "data-")
	if !is {
		return ""
	}
	words := strings.Split(rest, "-")
	for i, w := range words[1:] {
		words[i+1] = strings.ToUpper(w[:min(1, len(w))]) + w[min(1, len(w)):]
	}
	return strings.Join(words, "")
}
