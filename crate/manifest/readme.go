package manifest

import (
	"strings"

	"merrycrate.example/merry/crate/memo"
)

var fence = memo.Regexp("(?ms)^[ \t]*```[a-zA-Z]*[ \t]*\n(.*?)^[ \t]*```")

// StartExamples finds the pieces of a readme that show tags for a page.
func StartExamples(text string) string {
	var found []string
	for _, m := range fence().FindAllStringSubmatch(text, -1) {
		if strings.Contains(m[1], "<script") || strings.Contains(m[1], "<link") {
			found = append(found, strings.TrimRight(m[1], "\n"))
		}
	}
	if found == nil {
		for line := range strings.Lines(text) {
			if t := strings.TrimSpace(line); strings.HasPrefix(t, "<script") || strings.HasPrefix(t, "<link") {
				found = append(found, t)
			}
		}
		return strings.Join(found, "\n")
	}
	return strings.Join(found, "\n\n")
}

var (
	importLines = memo.Regexp(`(?m)(?:^.*\b(?:import|require)\b.*\n?)+`)
	alternative = memo.Regexp(`(?i)(?://|<!--|/\*)\s*(?:or\b|alternatively\b)`)
)

// forOldBrowsers are comments whose content only browsers of before 2012 read.
var forOldBrowsers = memo.Regexp(`(?is)<!--\[if\b.*?<!\[endif\]-->`)

// onlyIf are lines behind a comment that says that not every page wants them.
var onlyIf = memo.Regexp(`(?i)<!--[^>]*\b(?:optional|optionally|if you|only if|when you|only for|polyfill)\b` +
	`[^>]*-->\s*\n[^\n]*`)

// StartBlocks finds the pieces of a readme that show tags for a page, or that import stylesheets, in their order: what
// belongs together is in one piece. What a comment calls another way is left out.
func StartBlocks(text string) []string {
	text = onlyIf().ReplaceAllString(forOldBrowsers().ReplaceAllString(text, ""), "")
	var list []string
	for _, m := range fence().FindAllStringSubmatch(text, -1) {
		if strings.Contains(m[1], "<script") || strings.Contains(m[1], "<link") {
			list = append(list, firstWay(m[1]))
		} else if strings.Contains(m[1], ".css") {
			list = append(list, importLines().FindAllString(firstWay(m[1]), -1)...)
		}
	}
	if list != nil {
		return list
	}
	lines := StartExamples(text)
	if lines == "" {
		return importLines().FindAllString(text, -1)
	}
	return []string{lines}
}

// firstWay is a piece up to where a comment says that something else would do as well.
func firstWay(piece string) string {
	if at := alternative().FindStringIndex(piece); at != nil {
		return piece[:at[0]]
	}
	return piece
}
