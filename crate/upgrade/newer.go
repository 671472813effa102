package upgrade

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"

	"merrycrate.example/merry/crate/source"
)

// UpgradeLine is one library of the crate, and how far it is behind.
type UpgradeLine struct {
	Library string       `json:"library"`           // the library's name in the crate
	Here    string       `json:"here"`              // the version in the crate
	Allowed string       `json:"allowed,omitempty"` // the newest that the hold allows
	Newest  string       `json:"newest,omitempty"`  // the newest version
	Behind  string       `json:"behind,omitempty"`  // major, minor, patch
	Hold    *record.Hold `json:"hold,omitempty"`    // the version that it must stay at or below
	Effect  string       `json:"effect,omitempty"`  // what moving to the allowed one would do to these pages
	// Published is when the version here was published, and Deprecated what its makers say against it.
	Came       *time.Time `json:"came,omitempty"`
	Deprecated string     `json:"deprecated,omitempty"` // the registry's message
	// Fits is the newest allowed version that wants nothing which the crate has not, where the newest one does; Why
	// says what that is.
	Fits string `json:"fits,omitempty"`
	Why  string `json:"why,omitempty"` // why it can't move on
	// Advisories are those that concern the version here, each with the versions that are fixed.
	Advisories []string `json:"advisories,omitempty"`
}

// Newer lists the libraries of the crate that are behind.
func Newer(ctx context.Context, p *project.Project) ([]UpgradeLine, error) {
	return parallel.Map(ctx, p.List.Libraries, func(ctx context.Context, lib record.Library) (UpgradeLine, error) {
		line := UpgradeLine{Library: lib.Name, Here: lib.Version, Hold: lib.Hold}
		pkg, ok := lib.Package()
		if sealed := p.Seal.Libraries[lib.Name]; !ok && sealed != nil && obtain.RegistryHas(ctx, p, &lib, sealed) {
			pkg, ok = lib.Name, true
		}
		if !ok {
			line.Effect = "came from " + cmp.Or(lib.From, "an unknown source")
			return line, nil
		}
		doc, err := p.Origin.Document(ctx, pkg, false)
		if err != nil {
			return line, err
		}
		if v := doc.Versions[lib.Version]; v != nil {
			line.Deprecated = string(v.Deprecated)
		}
		if came, ok := doc.Times[lib.Version]; ok {
			line.Came = &came
		}
		unmet := ""
		for _, v := range doc.Sorted() {
			if strings.Contains(v.Version, "-") || v.Deprecated != "" {
				continue // nobody gets a prerelease without asking
			}
			line.Newest = v.Version
			if allowed := project.AllowedBy(lib.Hold); allowed == nil || allowed(v.Version) {
				line.Allowed = v.Version
				if unmet = Wants(p, lib, v); unmet == "" {
					line.Fits = v.Version
				} else {
					line.Why = v.Version + " " + unmet
				}
			}
		}
		if unmet == "" || source.CompareVersions(line.Fits, lib.Version) < 0 {
			line.Fits = ""
		}
		if unmet == "" {
			line.Why = ""
		}
		line.Behind = behind(lib.Version, line.Newest)
		if line.Allowed == "" || source.CompareVersions(line.Allowed, lib.Version) <= 0 ||
			p.Seal.Libraries[lib.Name] == nil {
			line.Allowed = lib.Version
			return line, nil
		}
		c, err := Compare(ctx, p, Request{Library: lib.Name, New: line.Allowed, Dir: string(p.Root)})
		if err != nil {
			line.Effect = err.Error()
			return line, nil
		}
		line.Effect = c.effect()
		return line, nil
	})
}

// Wants says what a version wants that the crate has in another version, "" for nothing.
func Wants(p *project.Project, lib record.Library, v *source.Version) string {
	for _, ranges := range []map[string]string{v.Peers, v.Dependencies} {
		for _, pkg := range slices.Sorted(maps.Keys(ranges)) {
			for _, other := range p.List.Libraries {
				if other.NameOnCDNs() != pkg || !slices.Contains(lib.Needs, other.Name) {
					continue
				}
				if allowed, err := source.ParseRange(ranges[pkg]); err == nil && !allowed.Has(other.Version) {
					return fmt.Sprintf("requires %s %s, and the crate has %s", other.Name, ranges[pkg], other.Version)
				}
			}
		}
	}
	return ""
}

// behind says by how much a version is behind another (Semantic Versioning 2.0.0, section 2).
func behind(here, newest string) string {
	if newest == "" || source.CompareVersions(here, newest) >= 0 {
		return ""
	}
	a, b := strings.Split(here, "."), strings.Split(newest, ".")
	for i, word := range []string{"major", "minor"} {
		if i < len(a) && i < len(b) && a[i] != b[i] {
			return word
		}
	}
	return "patch"
}

// effect says in a few words what a version would do to these pages.
func (c *Compared) effect() string {
	names, uses, sure := 0, 0, 0
	for _, l := range c.Removed {
		if len(l.Uses) > 0 {
			names++
			uses += len(l.Uses)
			if l.Rename != nil && l.Rename.Sure {
				sure++
			}
		}
	}
	switch {
	case names == 0 && c.Syntax[1] > c.Syntax[0]:
		return fmt.Sprintf("breaks nothing here; needs syntax of %d", c.Syntax[1])
	case names == 0:
		return "breaks nothing here"
	}
	word := fmt.Sprintf("%d removed names, used in %d places", names, uses)
	if sure > 0 {
		word += fmt.Sprintf("; %d renamed for certain", sure)
	}
	return word
}
