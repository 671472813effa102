package manifest

import (
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
)

// folder tells the parts of an address that name no package: versions, and the usual folders.
var folder = memo.Regexp(`(?i)^(?:v?\d[\w.-]*|r\d+|libs?|dist|build|js|css|styles?|scripts?|assets?|public|vendors?|` +
	`path|to|src|latest|ui|min|umd|\.\.?|)$`)

// NamesIn lists the names of packages that an address may be of, as registries have them: the last part of its path
// that may be one, and what its file is called.
func NamesIn(address string) (list []string) {
	add := func(name string) {
		name = strings.ToLower(name)
		if !folder().MatchString(name) && validPackage().MatchString(name) && !slices.Contains(list, name) {
			list = append(list, name)
		}
	}
	if _, way, ok := strings.Cut(address, "//"); ok {
		_, address, _ = strings.Cut(way, "/") // less its host
	}
	parts := strings.Split(address, "/")
	for i := len(parts) - 2; i >= 0 && len(list) == 0; i-- {
		name, _, _ := strings.Cut(parts[i], "@")
		if i > 0 && strings.HasPrefix(parts[i-1], "@") {
			name = parts[i-1] + "/" + name
		}
		add(name)
	}
	file := parts[len(parts)-1]
	stem, _ := NameVersion(strings.TrimSuffix(file, path.Ext(file)))
	add(stem)
	add(stem + ".js")
	return list
}

// validPackage tells what a registry takes for a package's name, in short.
var validPackage = memo.Regexp(`^(?:@[a-z0-9~][a-z0-9._~-]*/)?[a-z0-9~][a-z0-9._~-]*$`)

var version = memo.Regexp(`[/@-]v?(\d+\.\d+(?:\.\d+)?(?:-[\w.]+)?)(?:[/.]|$)`)

// release is a number without dots, as those have that are still before version 1: r7 is 0.7.
var release = memo.Regexp(`/r(\d+)/`)

// VersionIn is the version that an address names, as a range of such; "" if it names none.
func VersionIn(address string) string {
	m := version().FindStringSubmatch(strings.TrimSuffix(strings.TrimSuffix(address, path.Ext(address)), ".min"))
	if m != nil {
		return m[1]
	}
	if m = release().FindStringSubmatch(address); m != nil {
		return "0." + m[1]
	}
	return ""
}
