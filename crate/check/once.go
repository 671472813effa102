package check

import (
	"fmt"
	"strings"
)

// A Cause is one cause with all places where it shows. It is reported once.
type Cause struct {
	Finding          // the first of them
	Places  []string // the others, as file:line:column
}

// Causes merges findings with the same cause, in the order of the first ones. The next step covers all their pages.
func Causes(found []Finding) []Cause {
	type key struct {
		name, message string
		severity      Severity
	}
	at := map[key]int{}
	files := map[key][]string{}
	seen := map[key]map[string]bool{}
	var list []Cause
	for _, f := range found {
		k := key{f.Name, f.Message, f.Severity}
		if n, told := at[k]; told {
			list[n].Places = append(list[n].Places, f.Place())
		} else {
			at[k] = len(list)
			list = append(list, Cause{Finding: f})
		}
		if seen[k] == nil {
			seen[k] = map[string]bool{}
		}
		if !seen[k][f.File] {
			seen[k][f.File] = true
			files[k] = append(files[k], f.File)
		}
	}
	for k, n := range at {
		list[n].Next = forAll(list[n].Next, files[k])
	}
	return list
}

// Place is where a finding is, as file:line:column, or the file where it is the whole of it.
func (f *Finding) Place() string {
	if f.Line == 0 {
		return f.File
	}
	return fmt.Sprintf("%s:%d:%d", f.File, f.Line, f.Column)
}

// maxNamed is how many pages a command is reported for by their names.
const maxNamed = 6

// forAll makes a command for one page one for several.
func forAll(next string, files []string) string {
	if len(files) < 2 || !strings.Contains(next, files[0]) {
		return next
	}
	if len(files) > maxNamed {
		return next + "; likewise for the others"
	}
	next = strings.ReplaceAll(next, "--page "+files[0], "--page "+strings.Join(files, ","))
	return strings.ReplaceAll(next, " "+files[0]+" ", " "+strings.Join(files, " ")+" ")
}

// Changes compares two checks and returns new and fixed findings, neither list nil. A finding on another line counts as
// the same.
func Changes(before, after []Finding) (came, went []Finding) {
	type key struct{ name, file, message string }
	came, went = []Finding{}, []Finding{}
	count := map[key]int{}
	for _, f := range before {
		count[key{f.Name, f.File, f.Message}]++
	}
	for _, f := range after {
		if k := (key{f.Name, f.File, f.Message}); count[k] > 0 {
			count[k]--
		} else {
			came = append(came, f)
		}
	}
	for _, f := range before {
		if k := (key{f.Name, f.File, f.Message}); count[k] > 0 {
			count[k]--
			went = append(went, f)
		}
	}
	return came, went
}
