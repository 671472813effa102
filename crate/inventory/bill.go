package inventory

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/package-url/packageurl-go"

	"merrycrate.example/merry/crate/archive"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Bill lists the third-party libraries that the site ships.
type Bill struct {
	Site       string     `json:"-"`                    // the name of the project's folder
	Libraries  []BillLine `json:"libraries"`            // third-party libraries, in the order of the packing list
	Advisories int        `json:"advisories,omitempty"` // how many were read
	Warnings   []Warning  `json:"warnings,omitempty"`   // advisories that affect the crate
	Notes      []string   `json:"notes,omitempty"`      // what else to know
}

// BillLine is one library.
type BillLine struct {
	Name       string        `json:"name"`              // the library's name in the crate
	Version    string        `json:"version"`           // exact version
	Licence    string        `json:"licence,omitempty"` // SPDX identifier
	PURL       string        `json:"purl,omitempty"`    // package URL
	Origin     string        `json:"origin"`            // where it came from
	Digest     string        `json:"digest,omitempty"`  // integrity of the source's bytes
	Needs      []string      `json:"needs,omitempty"`   // libraries that it needs on a page
	Files      []record.File `json:"files"`             // number of its files
	Pages      int           `json:"pages"`             // number of pages that it is on
	Only       record.Only   `json:"only,omitempty"`    // "desk" if it is for development only
	Texts      []LicenceText `json:"texts,omitempty"`   // of the licence, as the library ships them
	registered bool
	met        []string // libraries of the crate that its scripts and its manifest ask for
}

// LicenceText is a licence as a library ships it.
type LicenceText struct {
	Path string `json:"path"` // path in the package
	Text string `json:"text"` // the whole text
}

// Warning is an advisory that concerns a library of the crate.
type Warning struct {
	Library string   `json:"library"`           // the library's name in the crate
	Version string   `json:"version"`           // the version in the crate
	ID      string   `json:"id"`                // the advisory's identifier
	Aliases []string `json:"aliases,omitempty"` // other identifiers
	Summary string   `json:"summary"`           // of the advisory
	Fixed   []string `json:"fixed,omitempty"`   // versions that are fixed
	From    string   `json:"from"`              // the advisory's file
}

// BillOf lists the third-party libraries that the site ships. Advisories, if not "", names a folder, an archive or a
// file.
func BillOf(ctx context.Context, p *project.Project, advisories string) (*Bill, error) {
	use, err := usageOf(ctx, p)
	if err != nil {
		return nil, err
	}
	p = p.Found(use.strayed)
	out := &Bill{Site: filepath.Base(string(p.Root))}
	for _, d := range p.Differences() {
		out.Notes = append(out.Notes, d.Library+": "+d.What+"; merry settle corrects that")
	}
	for _, lib := range p.List.Libraries {
		if sealed := p.Seal.Libraries[lib.Name]; sealed != nil {
			lib.Version, lib.From = sealed.Version, sealed.Origin // what is shipped is what was taken
		}
		line := BillLine{Name: lib.Name, Version: lib.Version, Origin: lib.From, Needs: lib.Needs,
			Pages: use.on[lib.Name], Only: lib.Only}
		if pkg, ok := lib.Package(); ok {
			line.registered = true
			line.PURL = purlOf(pkg, lib.Version)
		}
		if sealed := p.Seal.Libraries[lib.Name]; sealed != nil {
			line.Licence, line.Digest, line.Files = sealed.Licence, sealed.Digest, sealed.Files
			var dependencies, peers map[string]string
			if o, err := p.OpenKept(ctx, lib.Name); err == nil {
				line.Texts = licenceTexts(o)
				peers, dependencies, _ = o.Depends()
				o.Close()
			}
			line.met = met(p, lib.Name, sealed, peers, dependencies)
		}
		if len(line.Texts) == 0 && lib.Only == "" {
			out.Notes = append(out.Notes, fmt.Sprintf("%s %s: no licence text is available; its package has none, or "+
				"is not in the cache", lib.Name, lib.Version))
		}
		out.Libraries = append(out.Libraries, line)
	}
	if advisories != "" {
		if err := out.advise(advisories); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// met lists the libraries of the crate that a library asks for otherwise than by its entry in the packing list: by its
// scripts, or as packages in its manifest.
func met(p *project.Project, name string, sealed *record.Sealed, asked ...map[string]string) []string {
	found := map[string]bool{}
	for _, f := range sealed.Files {
		if f.Facts == nil {
			continue
		}
		for _, need := range slices.Concat(f.Facts.Needs, f.Facts.Uses) {
			for global := range strings.SplitSeq(need, "|") {
				whole := p.Globals()[global]
				first, _, _ := strings.Cut(global, ".")
				found[cmp.Or(whole, p.Globals()[first])] = true
			}
		}
	}
	for _, other := range p.List.Libraries {
		pkg, _ := other.Package()
		for _, of := range asked {
			if of[cmp.Or(pkg, other.Name)] != "" {
				found[other.Name] = true
			}
		}
	}
	delete(found, "")
	delete(found, name)
	return slices.Sorted(maps.Keys(found))
}

// purlOf is a package's URL (Package URL specification).
func purlOf(pkg, version string) string {
	space, name := "", pkg
	if strings.HasPrefix(pkg, "@") {
		space, name, _ = strings.Cut(pkg, "/")
	}
	return packageurl.NewPackageURL(packageurl.TypeNPM, space, name, version, nil, "").ToString()
}

func licenceTexts(o *origin.Opened) []LicenceText {
	var list []LicenceText
	for i := range o.Files {
		f := &o.Files[i]
		if f.Kind == packages.Licence && f.Size < 256<<10 && !strings.Contains(path.Dir(f.Path), "/") {
			if b, err := o.Tree.ReadFile(f.Path); err == nil {
				list = append(list, LicenceText{f.Path, string(b)})
			}
		}
	}
	return list
}

// An advisory in the OSV format, as far as it is read (OSV Schema 1.7).
type advisory struct {
	ID        string   `json:"id"`
	Summary   string   `json:"summary"`
	Details   string   `json:"details"`
	Aliases   []string `json:"aliases"`
	Withdrawn string   `json:"withdrawn"`
	Affected  []struct {
		Package struct {
			Ecosystem string `json:"ecosystem"`
			Name      string `json:"name"`
			PURL      string `json:"purl"`
		} `json:"package"`
		Versions []string `json:"versions"`
		Ranges   []struct {
			Type   string              `json:"type"`
			Events []map[string]string `json:"events"`
		} `json:"ranges"`
	} `json:"affected"`
}

// Advised returns the advisories that affect versions in the crate.
func Advised(p *project.Project, advisories string) ([]Warning, error) {
	b := &Bill{}
	for _, lib := range p.List.Libraries {
		if sealed := p.Seal.Libraries[lib.Name]; sealed != nil {
			_, registered := lib.Package()
			b.Libraries = append(b.Libraries, BillLine{Name: lib.Name, Version: sealed.Version, Origin: sealed.Origin,
				registered: registered})
		}
	}
	err := b.advise(advisories)
	return b.Warnings, err
}

// maxAdvisory is how large one advisory may be.
const maxAdvisory = 4 << 20

func (b *Bill) advise(name string) error {
	t, err := archive.OpenPath(name)
	if errors.Is(err, fs.ErrNotExist) {
		return problem.Refuse(problem.FileUnknown, "name a folder, an archive or a file of advisories",
			"there is no file or folder %s", name)
	}
	if err != nil {
		return err
	}
	defer t.Close()
	for _, e := range t.Entries {
		if path.Ext(e.Path) != ".json" || e.Size > maxAdvisory {
			continue
		}
		text, err := t.ReadFile(e.Path)
		if err != nil {
			return err
		}
		var list []advisory
		var one advisory
		if json.Unmarshal(text, &one) == nil {
			list = []advisory{one}
		} else if json.Unmarshal(text, &list) != nil {
			b.Notes = append(b.Notes, e.Path+" is not an advisory in the OSV format, and was skipped")
			continue
		}
		for _, adv := range list {
			if adv.ID == "" || adv.Affected == nil {
				b.Notes = append(b.Notes, e.Path+" is not an advisory in the OSV format, and was skipped")
				continue
			}
			b.Advisories++
			if adv.Withdrawn == "" {
				b.match(&adv, e.Path)
			}
		}
	}
	if b.Advisories == 0 {
		return problem.Refuse(problem.NothingThere, "name a folder or an archive of advisories in the OSV format, one "+
			"JSON file each", "%s has no advisories", name)
	}
	slices.SortStableFunc(b.Warnings, func(x, y Warning) int { return strings.Compare(x.Library+x.ID, y.Library+y.ID) })
	b.Warnings = together(b.Warnings)
	return nil
}

// together makes one warning of those of a library that are aliases of each other, directly or over others (OSV Schema,
// section on aliases): the same flaw, as several databases have it.
func together(list []Warning) []Warning {
	for i := 0; i < len(list); i++ {
		w := &list[i]
		for j := i + 1; j < len(list); j++ {
			o := list[j]
			names := append([]string{o.ID}, o.Aliases...)
			if o.Library != w.Library || !slices.ContainsFunc(names, func(n string) bool {
				return n == w.ID || slices.Contains(w.Aliases, n)
			}) {
				continue
			}
			w.Aliases = slices.DeleteFunc(append(slices.Clone(w.Aliases), names...), func(n string) bool {
				return n == w.ID
			})
			slices.Sort(w.Aliases)
			w.Aliases = slices.Compact(w.Aliases)
			for _, version := range o.Fixed {
				if !slices.Contains(w.Fixed, version) {
					w.Fixed = append(w.Fixed, version)
				}
			}
			w.Summary = cmp.Or(w.Summary, o.Summary)
			list = slices.Delete(list, j, j+1)
			j = i // what has joined may know more names
		}
	}
	return list
}

// match holds an advisory against the bill. A package of the registry is known by its package URL; what came as a
// download, only by its name.
func (b *Bill) match(adv *advisory, from string) {
	for i := range b.Libraries {
		l := &b.Libraries[i]
		for _, a := range adv.Affected {
			name := strings.TrimPrefix(l.Origin, record.FromRegistry)
			if !l.registered {
				name = l.Name
			}
			if a.Package.Name != name || !strings.EqualFold(a.Package.Ecosystem, packageurl.TypeNPM) {
				continue
			}
			hit, fixed := slices.Contains(a.Versions, l.Version), []string(nil)
			for _, r := range a.Ranges {
				if r.Type == "SEMVER" || r.Type == "ECOSYSTEM" {
					in, mended := inEvents(l.Version, r.Events)
					hit = hit || in
					fixed = append(fixed, mended...)
				}
			}
			if hit {
				summary := adv.Summary
				if summary == "" {
					summary, _, _ = strings.Cut(adv.Details, "\n")
				}
				b.Warnings = append(b.Warnings, Warning{l.Name, l.Version, adv.ID, adv.Aliases, summary, fixed, from})
				break
			}
		}
	}
}

// inEvents reports whether a version is in what a range's events span (OSV Schema, section on
// affected[].ranges[].events): events are sorted by version, and each introduced opens what the next fixed, or
// last_affected, closes. With limits, only versions below one of them count.
func inEvents(version string, events []map[string]string) (in bool, fixed []string) {
	type event struct{ kind, version string }
	var list []event
	for _, e := range events {
		for kind, v := range e {
			list = append(list, event{kind, v})
			if kind == "fixed" {
				fixed = append(fixed, v)
			}
		}
	}
	order := func(v string) string {
		if v == "0" {
			return "0.0.0-0" // before all
		}
		return v
	}
	slices.SortStableFunc(list, func(a, b event) int {
		return source.CompareVersions(order(a.version), order(b.version))
	})
	limited, within := false, false
	for _, e := range list {
		c := source.CompareVersions(version, order(e.version))
		switch {
		case e.kind == "limit":
			limited = true
			within = within || e.version == "*" || c < 0
		case e.kind == "introduced" && c >= 0:
			in = true
		case e.kind == "fixed" && c >= 0, e.kind == "last_affected" && c > 0:
			in = false
		}
	}
	return in && (!limited || within), fixed
}

// NoticeText returns the notice with the licences of the libraries that the site ships.
func (b *Bill) NoticeText() string {
	var s strings.Builder
	s.WriteString("This site ships third-party software, under these licences.\n")
	for _, l := range b.Libraries {
		if l.Only != "" {
			continue
		}
		fmt.Fprintf(&s, "\n%s\n%s %s\n", strings.Repeat("-", 72), l.Name, l.Version)
		if l.Licence != "" {
			fmt.Fprintf(&s, "Licence: %s\n", l.Licence)
		}
		if l.PURL != "" {
			fmt.Fprintf(&s, "%s\n", l.PURL)
		}
		for _, t := range l.Texts {
			fmt.Fprintf(&s, "\n%s\n", strings.TrimSpace(strings.ReplaceAll(t.Text, "\r\n", "\n")))
		}
	}
	return s.String()
}
