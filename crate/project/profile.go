package project

import (
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// NoProfile is the error of a profile that the packing list does not have.
func NoProfile(list *record.List, name string) error {
	next := "the packing list has no profiles: write profiles: {" + name + ": {serve: cdn, build: minified}}"
	if names := slices.Sorted(maps.Keys(list.Profiles)); len(names) > 0 {
		next = "it has " + strings.Join(names, ", ")
	}
	return problem.Refuse(problem.ProfileUnknown, next, "%s has no profile %s", record.ListFile, name)
}
