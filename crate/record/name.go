package record

import (
	"strings"

	"merrycrate.example/merry/crate/problem"
)

// ValidName returns an error for a text that can't be a library's name in the crate.
func ValidName(name string) error {
	plain := strings.TrimPrefix(name, "@")
	if plain == "" || strings.ContainsFunc(plain, func(r rune) bool {
		return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' ||
			strings.ContainsRune("-_./", r))
	}) || strings.Contains(plain, "..") || strings.HasPrefix(plain, "/") || strings.HasSuffix(plain, "/") {
		return problem.Misuse("name it with --as NAME", "%q is not a name for a library; use letters, digits, "+
			"and - _ .", name)
	}
	return nil
}
