// Package cdn knows how CDNs make their addresses: from a pattern to the address of a file, and from an address back to
// the pattern that explains it, and to the library and version that it names. It fetches nothing.
package cdn

import (
	"errors"
	"path"
	"slices"
	"strings"
)

// A Pattern is an address with these words in it, each replaced by what it says of a file.
//
//	{name}     the library's name in its registry, or else in the crate
//	{plain}    that name without its scope
//	{version}  its exact version
//	{brief}    the same without .0 at its end, as some hosts have it
//	{path}     the file's path in the package
//	{short}    that path without its first folder
//	{file}     the file's name alone
//	{stem}     the file's name up to its ending
//	{ending}   the rest of it: .js, .min.js, .css, .min.css
type Pattern string

var words = []string{"{name}", "{plain}", "{version}", "{brief}", "{path}", "{short}", "{file}", "{stem}", "{ending}"}

// Validate returns an error if a pattern can't be used. The error is a clause whose subject is the pattern.
func (p Pattern) Validate() error {
	text := string(p)
	switch {
	case !strings.HasPrefix(text, "https://") && !strings.HasPrefix(text, "http://"):
		return errors.New("it is not an address: it must begin with https://")
	case NamesUser(text):
		return errors.New("it contains a user name, a password or a token, which every page would show")
	case hasSecret(text):
		return errors.New("it has a parameter that looks like a credential, which every page would show")
	case !strings.Contains(text, "{version}") && !strings.Contains(text, "{brief}"):
		return errors.New("it has no {version}, so its bytes would change with each release")
	case !slices.ContainsFunc([]string{"{path}", "{short}", "{file}", "{ending}"}, func(w string) bool {
		return strings.Contains(text, w)
	}):
		return errors.New("it has no {path}, {short}, {file} or {ending}, so all files would have one address")
	}
	for _, w := range words {
		text = strings.ReplaceAll(text, w, "")
	}
	if strings.ContainsAny(text, "{}") {
		return errors.New("it has a placeholder other than " + strings.Join(words, " "))
	}
	return nil
}

// A File is what an address says about a file: the library's name at a CDN, the version, and the path in the package.
type File struct{ Name, Version, Path string }

// Address is where a CDN of this pattern has a file.
func (p Pattern) Address(f File) string {
	stem, ending := Stem(path.Base(f.Path))
	return strings.NewReplacer("{name}", f.Name, "{plain}", path.Base(f.Name), "{version}", f.Version, "{brief}",
		brief(f.Version), "{path}", f.Path, "{short}", short(f.Path),
		"{file}", path.Base(f.Path), "{stem}", stem, "{ending}", ending).Replace(string(p))
}

// Stem splits a file's name before its ending, to which a build's mark such as .min belongs.
func Stem(base string) (stem, ending string) {
	ending = path.Ext(base)
	stem = strings.TrimSuffix(base, ending)
	if m := path.Ext(stem); m == ".min" || m == ".slim" || m == ".bundle" {
		return strings.TrimSuffix(stem, m), m + ending
	}
	return stem, ending
}

// short is a path without its first folder.
func short(name string) string {
	if _, rest, ok := strings.Cut(name, "/"); ok {
		return rest
	}
	return name
}

// brief is a version without .0 at its end: 1.12 for 1.12.0.
func brief(version string) string { return strings.TrimSuffix(version, ".0") }

// Explain lists the patterns that make an address of a file, the most telling first.
func Explain(address string, f File) []Pattern {
	scheme, rest, _ := strings.Cut(address, "://")
	host, where, _ := strings.Cut(rest, "/")
	where, query, _ := strings.Cut("/"+where, "?")
	version, word := f.Version, "{version}"
	if short := brief(version); short != version && !strings.Contains(address, version) &&
		strings.Contains(address, short) {
		version, word = short, "{brief}"
	}
	if query != "" {
		query = "?" + strings.ReplaceAll(query, version, word)
	}
	stem, ending := Stem(path.Base(f.Path))
	var list []Pattern
	for _, way := range []struct{ text, words string }{
		{f.Path, "{path}"}, {short(f.Path), "{short}"}, {path.Base(f.Path), "{file}"},
		{stem + "-" + version + ending, "{stem}-" + word + "{ending}"}, {stem + "." + version + ending,
			"{stem}." + word + "{ending}"},
	} {
		head, ok := strings.CutSuffix(where, way.text)
		if !ok || f.Version == "" {
			continue
		}
		head = strings.ReplaceAll(head, version, word)
		for _, of := range []struct{ name, word string }{{f.Name, "{name}"}, {path.Base(f.Name), "{plain}"}} {
			if i := strings.LastIndex(head, of.name); i >= 0 {
				head = head[:i] + of.word + head[i+len(of.name):]
				break
			}
		}
		if p := Pattern(scheme + "://" + host + head + way.words + query); p.Validate() == nil &&
			!slices.Contains(list, p) {
			list = append(list, p)
		}
	}
	return list
}
