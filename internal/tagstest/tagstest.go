// Package tagstest reads pages for the tests of the packages above tags.
package tagstest

import (
	"testing"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// Page reads a page of a project, named from the site.
func Page(t testing.TB, p *project.Project, name string) *tags.Page {
	t.Helper()
	at := paths.Found(name)
	b, err := p.ReadInSite(at)
	if err != nil {
		t.Fatal(err)
	}
	v, err := tags.Read(p, at, b)
	if err != nil {
		t.Fatal(err)
	}
	return v
}
