package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// part is a module that the program is made of.
type part struct {
	Path, Version string
	licence       string // its SPDX identifier, "" if the text is none that is known
	text          []byte // its licence as it stands, and what it says of copyright
}

// dependencies are the modules of which the program holds a package, on any platform, by name.
func dependencies(ctx context.Context) ([]part, error) {
	type module struct {
		Path, Version, Dir string
		Main               bool
	}
	found := map[string]part{}
	for _, platform := range platforms {
		system, processor, _ := strings.Cut(platform, "/")
		c := exec.CommandContext(ctx, "go", "list", "-deps", "-json=Module", "./cmd/merry")
		c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+system, "GOARCH="+processor)
		out, err := c.Output()
		if err != nil {
			return nil, fmt.Errorf("the program's modules can't be listed: %w", err)
		}
		for d := json.NewDecoder(bytes.NewReader(out)); ; {
			var p struct{ Module *module }
			if err := d.Decode(&p); errors.Is(err, io.EOF) {
				break
			} else if err != nil {
				return nil, err
			}
			m := p.Module
			if m == nil || m.Main || found[m.Path].Path != "" {
				continue
			}
			text, err := licenceText(m.Dir)
			if err != nil {
				return nil, err
			}
			found[m.Path] = part{Path: m.Path, Version: m.Version, licence: manifest.LicenceOf(string(text)),
				text: text}
		}
	}
	own, err := goItself(ctx)
	if err != nil {
		return nil, err
	}
	all := []part{own}
	for _, p := range found {
		all = append(all, p)
	}
	slices.SortFunc(all, func(a, b part) int { return strings.Compare(a.Path, b.Path) })
	return all, nil
}

// goItself is Go's own library, by the name that the vulnerability database of Go has for it.
func goItself(ctx context.Context) (part, error) {
	out, err := exec.CommandContext(ctx, "go", "env", "GOROOT", "GOVERSION").Output()
	if err != nil {
		return part{}, fmt.Errorf("the place of Go can't be asked: %w", err)
	}
	root, version, _ := strings.Cut(strings.TrimSpace(string(out)), "\n")
	text, err := licenceText(root)
	return part{Path: "std", Version: strings.TrimPrefix(version, "go"), licence: "BSD-3-Clause", text: text}, err
}

// licenceText is the text of the licence files in a module's folder.
func licenceText(dir string) ([]byte, error) {
	there, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	var all [][]byte
	for _, e := range there {
		name := strings.ToUpper(e.Name())
		if e.IsDir() || !strings.HasPrefix(name, "LICEN") && !strings.HasPrefix(name, "UNLICEN") &&
			!strings.HasPrefix(name, "COPYING") && !strings.HasPrefix(name, "NOTICE") {
			continue
		}
		data, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return nil, err
		}
		all = append(all, bytes.TrimSpace(data))
	}
	if all == nil {
		all = append(all, []byte("No licence is found in this module."))
		fmt.Printf("%s has no licence: ask its authors before this is handed out\n", filepath.Base(dir))
	}
	return bytes.Join(all, []byte("\n\n")), nil
}

// notices are the licences of all parts, one after the other, for people.
func notices(parts []part) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "Merry is made of Go's own library (std) and of %d modules. These are their licences.\n",
		len(parts)-1)
	for _, p := range parts {
		fmt.Fprintf(&b, "\n%s\n%s %s\n\n%s\n", strings.Repeat("-", 78), p.Path, p.Version, p.text)
	}
	return b.Bytes()
}

// bill is what the program is made of, as CycloneDX 1.6 has it, in JSON; no serial number and no time, so that it is
// the same each time.
func bill(version string, parts []part) ([]byte, error) {
	doc := cdx.NewBOM()
	doc.Metadata = &cdx.Metadata{Component: &cdx.Component{BOMRef: "merry", Type: cdx.ComponentTypeApplication,
		Name: "merry", Version: version}}
	components, needs := []cdx.Component{}, []string{}
	for _, p := range parts {
		ref := "pkg:golang/" + p.Path + "@" + p.Version
		c := cdx.Component{BOMRef: ref, Type: cdx.ComponentTypeLibrary, Name: p.Path, Version: p.Version,
			PackageURL: ref}
		if p.licence != "" {
			c.Licenses = &cdx.Licenses{{License: &cdx.License{ID: p.licence}}}
		}
		components, needs = append(components, c), append(needs, ref)
	}
	doc.Components, doc.Dependencies = &components, &[]cdx.Dependency{{Ref: "merry", Dependencies: &needs}}
	var b bytes.Buffer
	e := cdx.NewBOMEncoder(&b, cdx.BOMFileFormatJSON).SetPretty(true)
	err := e.EncodeVersion(doc, cdx.SpecVersion1_6)
	return b.Bytes(), err
}

// markdownSigns are what the maker of manual pages would read as markup.
var markdownSigns = strings.NewReplacer(`\`, `\\`, "*", `\*`, "_", `\_`, "<", `\<`, "[", `\[`, "#", `\#`)

// escapeTexts makes names in the texts of a command and all below it come out of the manual pages as they were written.
// Lines that are indented as examples are, and words in backquotes, are taken as they are by themselves.
func escapeTexts(c *cobra.Command) {
	escape := func(text string) string {
		lines := strings.Split(text, "\n")
		for i, line := range lines {
			if strings.HasPrefix(line, "    ") || strings.HasPrefix(line, "\t") {
				continue
			}
			parts := strings.Split(line, "`")
			for k := 0; k < len(parts); k += 2 {
				parts[k] = markdownSigns.Replace(parts[k])
			}
			lines[i] = strings.Join(parts, "`")
		}
		return strings.Join(lines, "\n")
	}
	c.Short, c.Long = escape(c.Short), escape(c.Long)
	c.LocalFlags().VisitAll(func(f *pflag.Flag) { f.Usage = escape(f.Usage) })
	for _, sub := range c.Commands() {
		escapeTexts(sub)
	}
}
