package manifest

import (
	"path"
	"strings"
)

// NameKey folds a library's or a global's name for comparison: scope, ".js" and marks between words go.
func NameKey(name string) string {
	name = strings.ToLower(name)
	if i := strings.LastIndexByte(name, '/'); i >= 0 {
		name = name[i+1:]
	}
	for _, tail := range []string{".js", "-js", "js", ".css", "-css"} {
		if s, ok := strings.CutSuffix(name, tail); ok && len(s) > 1 {
			name = s
			break
		}
	}
	return joints.Replace(name)
}

// BeginsWith reports whether a file's name begins with the words of a library's: tide-simple does not begin with tides,
// though its letters do.
func BeginsWith(file, name string) bool {
	words := func(s string) []string {
		return strings.FieldsFunc(strings.ToLower(path.Base(s)), func(r rune) bool {
			return r == '-' || r == '_' || r == '.'
		})
	}
	key, so, ends := NameKey(name), "", map[int]bool{}
	for _, w := range words(name) {
		so += w
		ends[len(so)] = true
	}
	so = ""
	for _, w := range words(file) {
		if len(so+w) >= len(key) {
			return len(so+w) == len(key) || so == "" || ends[len(so)]
		}
		so += w
	}
	return true
}

// StemKey folds a file's name likewise; version and marks of form go too.
func StemKey(name string) string {
	base, _ := NameVersion(path.Base(name))
	base = strings.ToLower(base)
	for _, mark := range []string{".umd", ".global", ".browser", ".iife", ".umd.min"} {
		base = strings.TrimSuffix(base, mark)
	}
	return NameKey(base)
}

// joints takes out what joins the parts of a name.
var joints = strings.NewReplacer("-", "", "_", "", ".", "")
