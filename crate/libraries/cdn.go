package libraries

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/record"
)

// LearnCDN makes an address of a file known: by a CDN's pattern that the packing list has or gets, else by the file
// alone. It returns the name of a CDN that is new, "" for none. Path is the file's path in the package at that address.
func LearnCDN(list *record.List, lib *record.Library, f *record.File, address, path string) (name string) {
	at := *f
	at.Path = path
	for _, pattern := range list.CDNs {
		if lib.Address(pattern, lib.Version, &at) == address {
			return ""
		}
	}
	patterns := cdn.Explain(address, cdn.File{Name: lib.NameOnCDNs(), Version: lib.Version, Path: path})
	if len(patterns) == 0 || !strings.Contains(string(patterns[0]), "{name}") {
		f.URL = address
		return ""
	}
	name = cdn.NameFor(address)
	for n := 2; list.CDNs[name] != ""; n++ {
		name = fmt.Sprintf("%s%d", cdn.NameFor(address), n)
	}
	if list.CDNs == nil {
		list.CDNs = map[string]cdn.Pattern{}
	}
	list.CDNs[name] = patterns[0]
	return name
}

// learnFrom learns a CDN from the address of a single file that was taken.
func learnFrom(list *record.List, o *origin.Opened, lib *record.Library, sealed *record.Sealed) string {
	said := origin.ReadAddress(o.From)
	if o.Kind != origin.Address || len(o.Files) != 1 || len(sealed.Files) != 1 || said.Version != lib.Version ||
		said.Path == "" || !strings.HasPrefix(o.From, "http") {
		return ""
	}
	f := &sealed.Files[0]
	if !strings.Contains(said.Path, "/") {
		f.URL = o.From // whether others have their folders in their addresses is not known
		return ""
	}
	name := LearnCDN(list, lib, f, o.From, said.Path)
	if f.Path != said.Path {
		f.URL = o.From // the pattern has its whole path, and here is only its name
	}
	return name
}
