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
