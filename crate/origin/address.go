package origin

import (
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/memo"
)

var (
	versionSegment = memo.Regexp(`^v?(\d+(?:\.\d+)*(?:-[0-9A-Za-z.-]+)?)$`)
	versionQuery   = memo.Regexp(`(?:^|&)(?:v|ver|version)=v?(\d+(?:\.\d+)+[0-9A-Za-z.-]*)(?:&|$)`)
)

// ReadAddress reads a library's name and version from a link, as CDNs write them: NAME@VERSION/…, NAME/VERSION/…,
// NAME-VERSION.js, or a version in the query. Unknown parts are "".
func ReadAddress(address string) cdn.File {
	u, err := url.Parse(address)
	if err != nil {
		return cdn.File{}
	}
	var f cdn.File
	parts := strings.Split(strings.Trim(u.Path, "/"), "/")
	scoped := func(i int, name string) string {
		if i > 0 && strings.HasPrefix(parts[i-1], "@") {
			return parts[i-1] + "/" + name
		}
		return name
	}
	last := len(parts) - 1
	for i, part := range parts[:last] {
		if at := strings.LastIndexByte(part, '@'); at > 0 && at+1 < len(part) {
			f.Name, f.Path = scoped(i, part[:at]), strings.Join(parts[i+1:], "/")
			if version := part[at+1:]; versionSegment().MatchString(version) {
				f.Version = strings.TrimPrefix(version, "v")
			}
			return f
		}
		if m := versionSegment().FindStringSubmatch(part); m != nil && i > 0 && strings.Contains(part, ".") {
			return cdn.File{Name: scoped(i-1, parts[i-1]), Version: m[1], Path: strings.Join(parts[i+1:], "/")}
		}
	}
	f.Name, f.Version = manifest.NameVersion(parts[last])
	f.Name, f.Path = strings.ToLower(f.Name), parts[last]
	if f.Version != "" {
		// The file is called so at this address; in the library the version may well not be in its name.
		f.Path = strings.Replace(strings.Replace(parts[last], "-"+f.Version, "", 1), "."+f.Version, "", 1)
	}
	if m := versionQuery().FindStringSubmatch(u.RawQuery); m != nil && f.Version == "" {
		f.Version = m[1]
	}
	if f.Version == "" && last > 1 && slices.Contains([]string{"latest", "current", "stable", "main", "master"},
		parts[last-1]) {
		f.Name = parts[last-2]
	}
	return f
}
