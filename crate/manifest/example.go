package manifest

import (
	"html"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// An Example is one piece of a readme that shows how a library is used on a page.
type Example struct {
	Markup string `json:"markup,omitempty"` // elements that it shows, less its scripts
	Code   string `json:"code"`             // scripts
}

// maxExamples is how many pieces of a readme are kept, maxExample how long one may be, in bytes.
const (
	maxExamples = 12
	maxExample  = 8 << 10
)

var (
	fencedCode   = memo.Regexp("(?ms)^[ \t]*(?:```|~~~)[ \t]*([a-zA-Z]*)[^\n]*\n(.*?)^[ \t]*(?:```|~~~)")
	indentedCode = memo.Regexp(`(?m)(?:^(?:    |\t).*\n(?:[ \t]*\n)*)+`)
	shownScript  = memo.Regexp(`(?is)<script\b([^>]*)>(.*?)</script\s*>`)
	ofHead       = memo.Regexp(`(?is)<!doctype[^>]*>|</?(?:html|head|body|link|meta|base)\b[^>]*>|<title\b.*?</title>`)
	forBundlers  = memo.Regexp(`(?m)^\s*(?:import\b|export\b)|\brequire\s*\(|=>\s*\(?\s*<|^\s*(?:npm|yarn|\$)\s`)
	lineComment  = memo.Regexp(`(?m)(?:^|\s)//.*$`)
	leftOut      = memo.Regexp(`(?m)\.\.\.\s*(?:$|[,})\]])|…`)
)

// Examples finds the pieces of a readme's Markdown that show scripts for a page, in their order. It leaves out code for
// bundlers, and code with "..." in the place of something.
func Examples(text string) []Example {
	var list []Example
	add := func(markup, code string) {
		if code = strings.TrimSpace(code); code == "" || len(code)+len(markup) > maxExample ||
			forBundlers().MatchString(code) || leftOut().MatchString(lineComment().ReplaceAllString(code, "")) ||
			len(list) == maxExamples {
			return
		}
		list = append(list, Example{strings.TrimSpace(ofHead().ReplaceAllString(markup, "")), code})
	}
	markup := ""
	piece := func(language, text string) {
		switch language = strings.ToLower(language); {
		case strings.Contains(text, "<script"):
			code := ""
			for _, m := range shownScript().FindAllStringSubmatch(text, -1) {
				if !strings.Contains(m[1], "src") && !strings.Contains(m[1], "module") {
					code += m[2] + "\n"
				}
			}
			markup += shownScript().ReplaceAllString(text, "")
			add(markup, code)
		case strings.HasPrefix(strings.TrimSpace(text), "<"):
			markup += text // what comes before the script that uses it
		case slices.Contains([]string{"", "js", "javascript", "es6"}, language):
			add(markup, text)
		}
		markup = markup[:min(len(markup), maxExample)]
	}
	found := fencedCode().FindAllStringSubmatch(text, -1)
	for _, m := range found {
		piece(m[1], m[2])
	}
	if len(found) == 0 {
		for _, m := range indentedCode().FindAllString(text, -1) {
			piece("", html.UnescapeString(m))
		}
	}
	return list
}

var (
	byID    = memo.Regexp(`["'` + "`" + `]#([A-Za-z][\w-]*)|getElementById\(\s*["']([A-Za-z][\w-]*)`)
	byClass = memo.Regexp(`["'` + "`" + `]\.([A-Za-z][\w-]*)(?:["'` + "`" + ` ])|` +
		`getElementsByClassName\(\s*["']([\w-]+)`)
	idOf     = memo.Regexp(`\bid\s*=\s*["']?([\w-]+)`)
	needsOwn = memo.Regexp(`getContext\(`)
)

// Page is the body of a page on which the example can run: its own markup, and elements for what its code looks up.
func (e *Example) Page() string {
	out := e.Markup + "\n"
	has := map[string]bool{}
	for _, m := range idOf().FindAllStringSubmatch(e.Markup, -1) {
		has["#"+m[1]] = true
	}
	element := "div"
	if needsOwn().MatchString(e.Code) {
		element = "canvas"
	}
	each := func(expression *regexp.Regexp, mark, attribute string) {
		for _, m := range expression.FindAllStringSubmatch(e.Code, -1) {
			name := m[1] + m[2]
			if has[mark+name] || mark == "." && strings.Contains(e.Markup, name) {
				continue
			}
			has[mark+name] = true
			tag := element
			if strings.Contains(strings.ToLower(name), "canvas") {
				tag = "canvas"
			}
			out += "<" + tag + " " + attribute + "=\"" + name + "\"></" + tag + ">\n"
		}
	}
	each(byID(), "#", "id")
	each(byClass(), ".", "class")
	return out
}
