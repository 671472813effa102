package inventory

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"merrycrate.example/merry/crate/licence"
)

// Document is the bill as CycloneDX 1.6 has it, made at a time by a version of this program. The serial number is made
// of all else in it: the same crate at the same time gives the same bytes.
func (b *Bill) Document(made time.Time, program string) *cdx.BOM {
	doc := cdx.NewBOM()
	doc.Metadata = &cdx.Metadata{Timestamp: made.UTC().Format(time.RFC3339), Tools: &cdx.ToolsChoice{
		Components: &[]cdx.Component{{Type: cdx.ComponentTypeApplication, Name: "merry", Version: program}}},
		Component: &cdx.Component{BOMRef: "site", Type: cdx.ComponentTypeApplication, Name: b.Site}}
	components := []cdx.Component{}
	var all []string
	deps := []cdx.Dependency{}
	for _, l := range b.Libraries {
		ref := l.Name + "@" + l.Version
		all = append(all, ref)
		c := cdx.Component{BOMRef: ref, Type: cdx.ComponentTypeLibrary, Name: l.Name, Version: l.Version,
			PackageURL: l.PURL, Hashes: hashes(l.Digest)}
		if l.Licence != "" {
			c.Licenses = &cdx.Licenses{licences(l.Licence)}
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
		for _, o := range b.Libraries {
			if o.Name != l.Name && (slices.Contains(l.Needs, o.Name) || slices.Contains(l.met, o.Name)) {
				needs = append(needs, o.Name+"@"+o.Version)
			}
		}
		deps = append(deps, cdx.Dependency{Ref: ref, Dependencies: &needs})
	}
	deps = append(deps, cdx.Dependency{Ref: "site", Dependencies: &all})
	doc.Components, doc.Dependencies = &components, &deps
	doc.SerialNumber = serial(doc)
	return doc
}

// DocumentText is the document as JSON.
func (b *Bill) DocumentText(made time.Time, program string) (string, error) {
	var out bytes.Buffer
	err := cdx.NewBOMEncoder(&out, cdx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(b.Document(made, program),
		cdx.SpecVersion1_6)
	return out.String(), err
}

// serial is a number of a document, made of its contents (RFC 9562, version 8 of UUIDs).
func serial(doc *cdx.BOM) string {
	b, _ := json.Marshal(doc) // it holds nothing that JSON has not
	sum := sha256.Sum256(b)
	sum[6], sum[8] = sum[6]&0x0f|0x80, sum[8]&0x3f|0x80
	return fmt.Sprintf("urn:uuid:%x-%x-%x-%x-%x", sum[:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16])
}

// hashes turns an integrity string into what CycloneDX has: the digest in hexadecimal.
func hashes(integrity string) *[]cdx.Hash {
	sum, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(integrity, "sha384-"))
	if err != nil || integrity == "" {
		return nil
	}
	return &[]cdx.Hash{{Algorithm: cdx.HashAlgoSHA384, Value: hex.EncodeToString(sum)}}
}

// licences says a licence by its SPDX identifier or as an SPDX expression if it is one, else by name.
func licences(name string) cdx.LicenseChoice {
	switch id, expression := licence.SPDX(name); {
	case id != "":
		return cdx.LicenseChoice{License: &cdx.License{ID: id}}
	case expression != "":
		return cdx.LicenseChoice{Expression: expression}
	}
	return cdx.LicenseChoice{License: &cdx.License{Name: name}}
}
