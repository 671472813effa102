package check

import (
	_ "embed"
	"slices"
	"strings"
)

// explanations hold a page for each finding: its name as a heading, then what it means, how it comes about and what
// to do.
//
//go:embed findings.md
var explanations string

var pages = func() map[string]string {
	m := map[string]string{}
	for _, part := range strings.Split(explanations, "\n## ")[1:] {
		name, text, _ := strings.Cut(part, "\n")
		m[name] = name + "\n\n" + strings.TrimSpace(text) + "\n"
	}
	return m
}()

// Explain returns the page of documentation for a finding, "" if there is no such finding.
func Explain(name string) string { return pages[name] }

// Summary returns the first sentence of a finding's description, after its severity.
func Summary(name string) string {
	_, text, _ := strings.Cut(pages[name], "\n\n")
	text = strings.Join(strings.Fields(text), " ")
	severity, rest, found := strings.Cut(text, ". ")
	if !found {
		return text
	}
	first, _, _ := strings.Cut(rest, ". ")
	return severity + ": " + strings.TrimSuffix(first, ".") + "."
}

// Names lists the findings that there are, sorted.
func Names() []string {
	var list []string
	for n := range pages {
		list = append(list, n)
	}
	slices.Sort(list)
	return list
}
