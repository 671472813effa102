package inventory

import (
	"encoding/base64"
	"encoding/hex"
	"strings"

	cdx "github.com/CycloneDX/cyclonedx-go"
)

// Document is the bill as CycloneDX 1.6 has it. There is no serial number and no time in it: the same crate gives the
// same bytes.
func (b *Bill) Document() *cdx.BOM {
	doc := cdx.NewBOM()
	doc.Metadata = &cdx.Metadata{Component: &cdx.Component{BOMRef: "site", Type: cdx.ComponentTypeApplication,
		Name: b.Site}}
	components := []cdx.Component{}
	var all []string
	deps := []cdx.Dependency{}
	for _, l := range b.Libraries {
		ref := l.Name + "@" + l.Version
		all = append(all, ref)
		c := cdx.Component{BOMRef: ref, Type: cdx.ComponentTypeLibrary, Name: l.Name, Version: l.Version,
			PackageURL: l.PURL, Hashes: hashes(l.Digest)}
		if l.Licence != "" {
			c.Licenses = &cdx.Licenses{{License: licence(l.Licence)}}
		}
		var files []cdx.Component
		for _, f := range l.Files {
			files = append(files, cdx.Component{BOMRef: ref + "/" + f.Path, Type: cdx.ComponentTypeFile,
				Name: f.At.String(), Hashes: hashes(f.Integrity)})
		}
		if files != nil {
			c.Components = &files
		}
		components = append(components, c)
		needs := []string{}
		for _, n := range l.Needs {
			for _, o := range b.Libraries {
				if o.Name == n {
					needs = append(needs, o.Name+"@"+o.Version)
				}
			}
		}
		deps = append(deps, cdx.Dependency{Ref: ref, Dependencies: &needs})
	}
	deps = append(deps, cdx.Dependency{Ref: "site", Dependencies: &all})
	doc.Components, doc.Dependencies = &components, &deps
	return doc
}

// hashes turns an integrity string into what CycloneDX has: the digest in hexadecimal.
func hashes(integrity string) *[]cdx.Hash {
	sum, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(integrity, "sha384-"))
	if err != nil || integrity == "" {
		return nil
	}
	return &[]cdx.Hash{{Algorithm: cdx.HashAlgoSHA384, Value: hex.EncodeToString(sum)}}
}

// licence says a licence by its SPDX identifier where it is one, else by name.
func licence(name string) *cdx.License {
	switch name {
	case "MIT", "ISC", "Apache-2.0", "MPL-2.0", "BSD-2-Clause", "BSD-3-Clause", "0BSD", "Unlicense", "OFL-1.1",
		"CC0-1.0", "CC-BY-4.0":
		return &cdx.License{ID: name}
	}
	return &cdx.License{Name: name}
}
