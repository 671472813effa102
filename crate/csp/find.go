package csp

import (
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/policy"

	"merrycrate.example/merry/crate/disk"
)

// FindHeaders looks in a project's root, and in the served folder below it, for files that have headers for pages which
// Merry compares pages with: those of policies and of integrity. The paths are from the project's root, sorted.
func FindHeaders(on *disk.Folder, site string) []string {
	var list []string
	for _, dir := range []string{".", site} {
		entries, err := on.List(dir)
		if err != nil {
			continue
		}
		for _, e := range entries {
			name := path.Join(dir, e.Name())
			ending := path.Ext(e.Name())
			if e.IsDir() || slices.Contains(list, name) || ending != "" && ending != ".conf" && ending != ".htaccess" {
				continue
			}
			b, _, err := on.Read(name, disk.MaxRecord, nil)
			if err != nil {
				continue
			}
			if slices.ContainsFunc(policy.ReadHeaders(b), func(h policy.Header) bool {
				return strings.HasPrefix(h.Name, "content-security-policy") ||
					strings.HasPrefix(h.Name, "integrity-policy") || h.Name == "link" && len(linksOf(h.Value)) > 0
			}) {
				list = append(list, name)
			}
		}
	}
	slices.Sort(list)
	return list
}
