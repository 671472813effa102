package cli

import (
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/problem"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

func (a *app) bill() *cobra.Command {
	var form, advisories string
	c := &cobra.Command{
		Use:   "bill",
		Short: "What the site ships from others: versions, licences, in open formats",
		Long: `Bill lists what the site ships from others, as a table, as a CycloneDX document, or as a notice with the licences'
texts. Advisories in the OSV format, from a folder or an archive that you point to, are held against it; nothing is asked
of any network. The exit status is 1 where one of them concerns the crate.`,
		Example: "  merry bill\n  merry bill --form cyclonedx > bill.json\n  merry bill --form notice > NOTICE.txt\n  merry bill --advisories ../advisories.zip",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			if advisories != "" && !filepath.IsAbs(advisories) {
				advisories = filepath.Join(a.dir, advisories)
			}
			b, err := door.Bill(cmd.Context(), advisories)
			if err != nil {
				return err
			}
			switch form {
			case "table":
				err = a.answer(b, func() { a.printBill(b) })
			case "cyclonedx":
				err = cdx.NewBOMEncoder(a.out, cdx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(bom(b.Site, b), cdx.SpecVersion1_6)
			case "notice":
				a.printf("%s", b.NoticeText())
				for _, n := range b.Notes {
					fmt.Fprintln(a.err, "note:", clean(n))
				}
			default:
				return misuse("--form %s: there is table, cyclonedx and notice", form)
			}
			if err == nil && len(b.Warnings) > 0 {
				err = quietStatus(problem.Refused)
			}
			return err
		},
	}
	c.Flags().StringVar(&form, "form", "table", "table, cyclonedx or notice")
	c.Flags().StringVar(&advisories, "advisories", "", "a folder, an archive or a file of advisories in the OSV format, at this `PATH`")
	return c
}

func (a *app) printBill(b *crate.Bill) {
	if len(b.Libraries) == 0 {
		a.printf("the site ships nothing from others\n")
		return
	}
	t := &table{right: map[int]bool{3: true, 4: true}}
	t.add("library", "version", "licence", "files", "pages", "needs", "from")
	for _, l := range b.Libraries {
		from := l.Origin
		if l.Only != "" {
			from += " (for the desk only)"
		}
		t.add(clean(l.Name), clean(l.Version), clean(orWord(l.Licence, "unknown")), plain(len(l.Files)), plain(l.Pages), clean(strings.Join(l.Needs, ", ")), clean(from))
	}
	t.print(a, "")
	if b.Advisories > 0 {
		a.printf("\n%s read; %s\n", plural(b.Advisories, "advisory", "advisories"), orWord(concern(b), "none concerns the crate"))
	}
	for _, w := range b.Warnings {
		a.printf("%s  %s %s\n  %s\n", a.paint.red(clean(strings.Join(append([]string{w.ID}, w.Aliases...), ", "))), clean(w.Library), clean(w.Version), clean(w.Summary))
		if len(w.Fixed) > 0 {
			a.printf("  next: merry compare %s %s\n", clean(w.Library), clean(w.Fixed[0]))
		}
	}
	a.remarks(b.Notes)
}

func concern(b *crate.Bill) string {
	if len(b.Warnings) == 0 {
		return ""
	}
	return plural(len(b.Warnings), "concerns the crate", "concern the crate")
}

// bom writes the bill as CycloneDX has it. There is no serial number and no time in it: the same crate gives the same bytes.
func bom(site string, b *crate.Bill) *cdx.BOM {
	doc := cdx.NewBOM()
	doc.Metadata = &cdx.Metadata{Component: &cdx.Component{BOMRef: "site", Type: cdx.ComponentTypeApplication, Name: site}}
	components := []cdx.Component{}
	var all []string
	deps := []cdx.Dependency{}
	for _, l := range b.Libraries {
		ref := l.Name + "@" + l.Version
		all = append(all, ref)
		c := cdx.Component{BOMRef: ref, Type: cdx.ComponentTypeLibrary, Name: l.Name, Version: l.Version, PackageURL: l.PURL, Hashes: hashes(l.Digest)}
		if l.Licence != "" {
			c.Licenses = &cdx.Licenses{{License: licence(l.Licence)}}
		}
		var files []cdx.Component
		for _, f := range l.Files {
			files = append(files, cdx.Component{BOMRef: ref + "/" + f.Path, Type: cdx.ComponentTypeFile, Name: f.At.String(), Hashes: hashes(f.Integrity)})
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
	case "MIT", "ISC", "Apache-2.0", "MPL-2.0", "BSD-2-Clause", "BSD-3-Clause", "0BSD", "Unlicense", "OFL-1.1", "CC0-1.0", "CC-BY-4.0":
		return &cdx.License{ID: name}
	}
	return &cdx.License{Name: name}
}
