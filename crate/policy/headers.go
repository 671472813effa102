package policy

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// A Header is one header that a file of headers gives to pages.
type Header struct {
	Name  string // in lower case
	Value string
	Line  int
	// For is the pattern of the addresses that get it, with * for anything and a slash at its begin; "" is all.
	For string
	// Files is the expression that the names of files must match, nil for all.
	Files *regexp.Regexp

	address *regexp.Regexp // of For
}

// Applies reports whether an address of the site, with a slash at its begin, gets the header.
func (h *Header) Applies(address string) bool {
	if h.Files != nil && !h.Files.MatchString(path.Base(address)) {
		return false
	}
	if h.address == nil {
		return true
	}
	for _, as := range []string{address, strings.TrimSuffix(address, "index.html"), strings.TrimSuffix(address,
		".html")} {
		if h.address.MatchString(as) {
			return true
		}
	}
	return false
}

// wild is the expression of a pattern in which * stands for anything and :word for one segment.
func wild(pattern string) *regexp.Regexp {
	var expression strings.Builder
	for _, part := range wildcards().FindAllString(pattern, -1) {
		switch {
		case part == "*":
			expression.WriteString(".*")
		case part[0] == ':' && len(part) > 1:
			expression.WriteString("[^/]+")
		default:
			expression.WriteString(regexp.QuoteMeta(part))
		}
	}
	return compiled("^" + expression.String() + "$")
}

// nothing matches no text.
var nothing = memo.Regexp(`$^`)

// compiled is an expression; one that is none, as a file of headers may well have, matches nothing.
func compiled(expression string) *regexp.Regexp {
	r, err := regexp.Compile(expression)
	if err != nil {
		return nothing()
	}
	return r
}

var (
	wildcards = memo.Regexp(`\*|:\w*|[^*:]+`)
	section   = memo.Regexp(`(?i)^<\s*(/?)\s*(\w+)\s*(.*?)\s*>$`)
	directed  = memo.Regexp(`(?i)^header\s+(?:(?:always|onsuccess)\s+)?(set|append|add|merge|setifempty|` +
		`unset)\s+("[^"]*"|\S+)\s*(?:"((?:[^"\\]|\\.)*)"|(\S+))?`)
	named = memo.Regexp(`^([A-Za-z][\w-]*)\s*:\s*(.*)$`)
)

// ReadHeaders reads a file of server headers. It knows three formats, line by line: server directives (Header set NAME
// "VALUE", in sections for files), addresses with indented headers below them, and plain headers for all pages. It
// skips everything else.
func ReadHeaders(b []byte) []Header {
	var list []Header
	pattern := ""
	var address *regexp.Regexp
	var files []*regexp.Regexp // of the sections that stand open; nil for those of another kind
	for n, line := range joined(b) {
		text := strings.TrimSpace(line)
		if text == "" || text[0] == '#' {
			continue
		}
		at := func(name, value string) Header {
			h := Header{Name: strings.ToLower(strings.Trim(name, `"`)), Value: strings.TrimSpace(value), Line: n + 1,
				For: pattern, address: address}
			for _, f := range files {
				if f != nil {
					h.Files = f
				}
			}
			return h
		}
		if m := section().FindStringSubmatch(text); m != nil {
			switch {
			case m[1] == "/":
				files = files[:max(0, len(files)-1)]
			default:
				files = append(files, sectionFiles(strings.ToLower(m[2]), m[3]))
			}
			continue
		}
		if m := directed().FindStringSubmatch(text); m != nil {
			h := at(m[2], strings.ReplaceAll(m[3]+m[4], `\"`, `"`))
			switch strings.ToLower(m[1]) {
			case "set", "unset":
				list = slices.DeleteFunc(list, func(o Header) bool {
					return o.Name == h.Name && o.For == "" && h.Files == nil
				})
			}
			if !strings.EqualFold(m[1], "unset") {
				list = append(list, h)
			}
			continue
		}
		indented := line[0] == ' ' || line[0] == '\t'
		if !indented && (text[0] == '/' || strings.HasPrefix(text, "http://") || strings.HasPrefix(text, "https://")) {
			pattern = text
			if _, rest, is := strings.Cut(text, "://"); is {
				_, after, _ := strings.Cut(rest, "/")
				pattern = "/" + after
			}
			address = wild(pattern)
			continue
		}
		if m := named().FindStringSubmatch(text); m != nil {
			if !indented {
				pattern, address = "", nil
			}
			list = append(list, at(m[1], m[2]))
		}
	}
	return list
}

// joined gives the lines of a file by their number, from 0, those that end in a backslash with the next.
func joined(b []byte) func(yield func(int, string) bool) {
	return func(yield func(int, string) bool) {
		whole, from, n := "", 0, 0
		for line := range strings.Lines(string(b)) {
			line = strings.TrimRight(line, "\r\n")
			if whole == "" {
				from = n
			}
			n++
			if rest, more := strings.CutSuffix(line, `\`); more {
				whole += rest
				continue
			}
			if line = whole + line; !yield(from, line) {
				return
			}
			whole = ""
		}
		if whole != "" {
			yield(from, whole)
		}
	}
}

// sectionFiles is what the names of files must match in a section; nil if it is one of another kind.
func sectionFiles(kind, value string) *regexp.Regexp {
	expression, is := strings.CutPrefix(value, "~")
	value = strings.Trim(strings.TrimSpace(expression), `"'`)
	switch {
	case kind == "filesmatch", kind == "files" && is:
		return compiled(value)
	case kind == "files":
		quoted := strings.NewReplacer(`\*`, ".*", `\?`, ".").Replace(regexp.QuoteMeta(value))
		return compiled("^" + quoted + "$")
	}
	return nil
}
