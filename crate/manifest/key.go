package manifest

import (
	"path"
	"slices"
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

// words are those of a name, in lower case.
func words(name string) []string {
	return strings.FieldsFunc(strings.ToLower(path.Base(name)), func(r rune) bool {
		return r == '-' || r == '_' || r == '.'
	})
}

// plain are words of names that say of a library what every other is, too.
var plain = []string{"js", "css", "client", "core", "dist", "lib", "web", "browser", "ui", "plugin", "app", "main"}

// IsPartOf reports whether a file's name, without its ending, has the words that a library's begins or ends with: tide
// is a part of tide-client, and so is picker of plain-picker. A name that begins so and has more behind it may be for
// something called like the file, which standsOn tells, by its key.
func IsPartOf(stem, name string, standsOn func(key string) bool) bool {
	part, whole := words(stem), words(name)
	rest := len(whole) - len(part)
	if rest <= 0 || len(strings.Join(part, "")) < 3 || !slices.ContainsFunc(part, func(w string) bool {
		return !slices.Contains(plain, w)
	}) {
		return false
	}
	saysMore := slices.ContainsFunc(whole[len(part):], func(w string) bool { return !slices.Contains(plain, w) })
	begins := slices.Equal(whole[:len(part)], part) && !(saysMore && standsOn(NameKey(stem)))
	return begins || slices.Equal(whole[rest:], part)
}

// Begins reports whether the first words of a name are one name, as names are compared, and more words follow.
func Begins(name, key string) bool {
	so := ""
	list := words(name)
	for i, w := range list {
		if so += w; NameKey(so) == key {
			return i+1 < len(list)
		}
	}
	return false
}

// EndsWith reports whether a file's name, without its ending, has a library's behind another word: davit.picker is that
// of picker.
func EndsWith(stem, name string) bool {
	file, whole := words(stem), words(name)
	before := len(file) - len(whole)
	return before == 1 && len(whole) > 0 && slices.Equal(file[before:], whole) && len(NameKey(name)) > 2
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
