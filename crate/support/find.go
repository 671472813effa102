package support

import (
	"bytes"
	"cmp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// blank is a script's or stylesheet's text with its comments, and a script's texts in quotes and regular expressions,
// written over by spaces, so that offsets stay; quoted are the words that stood in quotes.
func blank(src []byte, script bool) (out []byte, quoted map[string]bool) {
	out, quoted = slices.Clone(src), map[string]bool{}
	over := func(from, to int) {
		for i := from; i < min(to, len(out)); i++ {
			if out[i] != '\n' {
				out[i] = ' '
			}
		}
	}
	last := byte(';') // the last byte that is no space
	for i := 0; i < len(src); i++ {
		c := src[i]
		switch {
		case c == '/' && i+1 < len(src) && src[i+1] == '*':
			end := bytes.Index(src[i+2:], []byte("*/"))
			if end < 0 {
				end = len(src)
			}
			over(i, i+2+end+2)
			i += 2 + end + 1
		case script && c == '/' && i+1 < len(src) && src[i+1] == '/':
			end := bytes.IndexByte(src[i:], '\n')
			if end < 0 {
				end = len(src) - i
			}
			over(i, i+end)
			i += end - 1
		case c == '"' || c == '\'' || script && c == '`', script && c == '/' && strings.IndexByte("(,=:[!&|?{};+~^<>",
			last) >= 0:
			end := i + 1
			for class := false; end < len(src) && (src[end] != c || class); end++ {
				switch {
				case src[end] == '\\':
					end++
				case c == '/' && src[end] == '[':
					class = true
				case c == '/' && src[end] == ']':
					class = false
				}
				if end < len(src) && src[end] == '\n' && c != '`' {
					break
				}
			}
			if end-i < 40 {
				quoted[string(src[i+1:min(end, len(src))])] = true
			}
			over(i+1, end)
			i, last = end, c
		case c > ' ':
			last = c
		}
	}
	return out, quoted
}

var (
	word      = memo.Regexp(`[A-Za-z_$][\w$]*`)
	declares  = memo.Regexp(`(?:\b(?:var|let|const|function|class|import)\s+|[,{(]\s*)$`)
	ownMember = memo.Regexp(`(?:\bwindow|\bself|\bglobalThis|\bglobal|\broot|\bthis)\s*\.\s*$`)
)

// InScript finds the features that a script uses and does not ask for first: each where it is used first. A script that
// asks for a name anywhere (typeof fetch, window.fetch, 'fetch' in window), declares it or gives it is taken to know
// what it does.
func InScript(src []byte) []Found {
	text, quoted := blank(src, true)
	first := map[*Feature]int{}
	guarded := map[*Feature]bool{}
	for _, m := range word().FindAllIndex(text, -1) {
		name := string(text[m[0]:m[1]])
		before, after := bytes.TrimRight(text[max(0, m[0]-24):m[0]], " \t\r\n"),
			bytes.TrimLeft(text[m[1]:min(len(text), m[1]+24)], " \t\r\n")
		member := bytes.HasSuffix(before, []byte(".")) && !bytes.HasSuffix(before, []byte("..."))
		used := func(f *Feature, is, asks bool) {
			switch {
			case f == nil:
			case asks || quoted[f.Name]:
				guarded[f] = true
			case is:
				if _, has := first[f]; !has {
					first[f] = m[0]
				}
			}
		}
		calls := bytes.HasPrefix(after, []byte("("))
		if member {
			whole := dotted(text, m[0]) + name
			used(features()[Static][whole], calls || whole == "navigator.clipboard", !calls &&
				whole != "navigator.clipboard" || supportsQueries(before, after))
			used(features()[Method][name], calls && whole != "_."+name && whole != "$."+name &&
				!bytes.HasSuffix(before, []byte("?.")) && features()[Static][whole] == nil, !calls)
			if ownMember().Match(text[max(0, m[0]-24):m[0]]) {
				used(features()[Global][name], false, true)
			}
			continue
		}
		f := features()[Global][name]
		if f == nil {
			used(features()[Method][name], false, bytes.HasPrefix(after, []byte(":")) ||
				bytes.HasPrefix(after, []byte("=")))
			continue
		}
		asks := bytes.HasSuffix(before, []byte("typeof")) || bytes.HasSuffix(before, []byte("function")) ||
			bytes.HasSuffix(before, []byte("class")) || declares().Match(text[max(0, m[0]-24):m[0]]) && !calls &&
			!bytes.HasPrefix(after, []byte(".")) ||
			bytes.HasPrefix(after, []byte("=")) && !bytes.HasPrefix(after, []byte("==")) ||
			bytes.HasPrefix(after, []byte(":")) && !calls
		used(f, calls || bytes.HasPrefix(after, []byte(".")) || bytes.HasSuffix(before, []byte("new")), asks)
	}
	return sorted(first, guarded)
}

// supportsQueries tells a use that does nothing where the feature is not there: x.y?.(…), x && x.y.
func supportsQueries(before, after []byte) bool {
	return bytes.HasSuffix(before, []byte("?.")) || bytes.HasPrefix(after, []byte("?.")) ||
		bytes.HasPrefix(after, []byte("&&"))
}

// dotted is the name before a member with its dot, such as "Object.", "" if there is none.
func dotted(text []byte, at int) string {
	i := len(bytes.TrimRight(text[:at], " \t\r\n")) - 1
	if i < 0 || text[i] != '.' {
		return ""
	}
	end := len(bytes.TrimRight(text[:i], " \t\r\n?"))
	from := end
	for from > 0 && (text[from-1] == '_' || text[from-1] == '$' || text[from-1]|0x20 >= 'a' &&
		text[from-1]|0x20 <= 'z' || text[from-1] >= '0' && text[from-1] <= '9') {
		from--
	}
	return string(text[from:end]) + "."
}

func sorted(first map[*Feature]int, guarded map[*Feature]bool) []Found {
	var list []Found
	for f, at := range first {
		if !guarded[f] {
			list = append(list, Found{f, at})
		}
	}
	slices.SortFunc(list, func(a, b Found) int {
		return cmp.Or(a.Offset-b.Offset, strings.Compare(a.Name, b.Name))
	})
	return list
}

// InStyle finds the features that a stylesheet uses, each where it is used first, outside of @supports, and not after a
// declaration of the same property in the same rule, which older browsers keep to.
func InStyle(src []byte) []Found {
	text, _ := blank(src, false)
	first := map[*Feature]int{}
	use := func(f *Feature, at int) {
		if _, has := first[f]; f != nil && !has {
			first[f] = at
		}
	}
	asked := 0 // how deep inside @supports
	var open []bool
	begin := 0
	said := map[string]bool{} // properties of the rule that is open
	for i, c := range text {
		switch c {
		case '{':
			prelude := strings.TrimSpace(string(text[begin:i]))
			supports := strings.HasPrefix(strings.ToLower(prelude), "@supports")
			if open = append(open, supports); supports {
				asked++
			}
			if asked == 0 {
				preludes(prelude, begin+strings.Index(string(text[begin:i]), prelude), use)
			}
			begin, said = i+1, map[string]bool{}
		case ';', '}':
			if asked == 0 {
				declaration(string(text[begin:i]), begin, said, use)
			}
			if c == '}' {
				if n := len(open); n > 0 {
					if open[n-1] {
						asked--
					}
					open = open[:n-1]
				}
				said = map[string]bool{}
			}
			begin = i + 1
		}
	}
	return sorted(first, nil)
}

var atWord = memo.Regexp(`^@[\w-]+`)

// preludes looks at what is before a block: a selector or the head of an at-rule.
func preludes(prelude string, at int, use func(*Feature, int)) {
	if name := atWord().FindString(strings.ToLower(prelude)); name != "" {
		use(features()[AtRule][name], at)
		return
	}
	for _, m := range pseudo().FindAllStringIndex(prelude, -1) {
		name := strings.ToLower(prelude[m[0]:m[1]])
		if strings.HasPrefix(prelude[m[1]:], "(") {
			name += "()"
		}
		use(features()[Selector][name], at+m[0])
	}
}

var (
	pseudo = memo.Regexp(`::?[A-Za-z][\w-]*`)
	// words of a value: functions with their bracket, keywords, numbers with units, texts and addresses
	valueWord = memo.Regexp(`"[^"]*"|'[^']*'|url\([^)]*\)|[\d.]+[a-z%]*|#[\w-]+|--[\w-]+|[a-z][\w-]*\(?|[()]`)
	prefixed  = memo.Regexp(`^-(?:webkit|moz|ms|o)-([a-z-]+)$`)
	unitOf    = memo.Regexp(`^[\d.]+([a-z]+)$`)
)

// declaration looks at a declaration, or at an at-rule without a block.
func declaration(text string, at int, said map[string]bool, use func(*Feature, int)) {
	trimmed := strings.TrimSpace(text)
	at += strings.Index(text, trimmed)
	if name := atWord().FindString(strings.ToLower(trimmed)); name != "" {
		use(features()[AtRule][name], at)
		return
	}
	property, value, ok := strings.Cut(trimmed, ":")
	if !ok {
		return
	}
	property = strings.ToLower(strings.TrimSpace(property))
	again := said[property]
	said[property] = true
	if m := prefixed().FindStringSubmatch(property); m != nil {
		said[m[1]] = true // who writes that knows of older browsers
	}
	if again || strings.HasPrefix(property, "--") {
		return
	}
	use(features()[Property][property], at)
	value = strings.ToLower(value)
	deep := 0 // inside how many brackets
	for _, m := range valueWord().FindAllStringIndex(value, -1) {
		switch word := value[m[0]:m[1]]; {
		case word == ")":
			deep--
		case strings.HasSuffix(word, "("):
			// in a filter, alpha() is older than functions are
			if deep++; word != "alpha(" || !strings.HasSuffix(property, "filter") {
				use(features()[Value][word+")"], at)
			}
		case word[0] >= 'a' && word[0] <= 'z' && deep > 0:
		case word[0] >= 'a' && word[0] <= 'z':
			use(features()[Value][property+":"+word], at)
		default:
			if u := unitOf().FindStringSubmatch(word); u != nil {
				use(features()[Unit][u[1]], at)
			}
		}
	}
}

// OnPage is a feature of pages: an element, an attribute of one, or a kind of script; nil for what all browsers have,
// and for what no standard has.
func OnPage(kind FeatureKind, name string) *Feature { return features()[kind][name] }
