package source

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/Masterminds/semver/v3"
)

// Resolve picks the version of a package that a wish means: an exact version, a tag, or a range as
// Semantic Versioning 2.0.0's users write them. Nothing wished for means the tag latest. Of a range, the
// highest version that is not deprecated is picked. Allowed, where not nil, narrows the choice.
func (p *Package) Resolve(wish string, allowed func(version string) bool) (*Version, error) {
	ok := func(v string) bool { return allowed == nil || allowed(v) }
	if wish == "" {
		wish = "latest"
	}
	if v := p.Versions[strings.TrimPrefix(strings.TrimPrefix(wish, "v"), "=")]; v != nil && ok(v.Version) {
		return v, nil
	}
	if tagged, isTag := p.Tags[wish]; isTag && p.Versions[tagged] != nil {
		if ok(tagged) {
			return p.Versions[tagged], nil
		}
		wish = "*"
	}
	r, err := ParseRange(wish)
	if err != nil {
		return nil, fmt.Errorf("%s has no version and no tag %q, and that is no range either; its tags are %s", p.Name, Printable(wish), strings.Join(p.tagNames(), ", "))
	}
	var best *Version
	for _, v := range p.Sorted() {
		if !r.Has(v.Version) || !ok(v.Version) {
			continue
		}
		if best == nil || v.Deprecated == "" || best.Deprecated != "" {
			best = v // versions come in order, so a later one is higher
		}
	}
	if best == nil {
		return nil, fmt.Errorf("no version of %s is in %s; the nearest are %s", p.Name, Printable(wish), strings.Join(p.nearest(wish), ", "))
	}
	return best, nil
}

func (p *Package) tagNames() []string {
	var names []string
	for t := range p.Tags {
		names = append(names, Printable(t))
	}
	slices.Sort(names)
	return names
}

// Sorted lists the versions, the lowest first. What is no semantic version is left out.
func (p *Package) Sorted() []*Version {
	type parsed struct {
		v *Version
		s *semver.Version
	}
	var list []parsed
	for _, v := range p.Versions {
		if s, err := semver.StrictNewVersion(v.Version); err == nil {
			list = append(list, parsed{v, s})
		}
	}
	slices.SortFunc(list, func(a, b parsed) int {
		return cmp.Or(a.s.Compare(b.s), cmp.Compare(a.v.Version, b.v.Version))
	})
	out := make([]*Version, len(list))
	for i, l := range list {
		out[i] = l.v
	}
	return out
}

var firstNumber = regexp.MustCompile(`\d+(\.\d+)*`)

// nearest lists up to three versions around the one that a range names first.
func (p *Package) nearest(wish string) []string {
	all := p.Sorted()
	at := len(all)
	if target, err := semver.NewVersion(firstNumber.FindString(wish)); err == nil {
		at = slices.IndexFunc(all, func(v *Version) bool {
			s, err := semver.NewVersion(v.Version)
			return err == nil && !s.LessThan(target)
		})
		if at < 0 {
			at = len(all)
		}
	}
	var names []string
	for _, v := range all[max(0, min(at-2, len(all)-3)):min(len(all), max(at+1, 3))] {
		names = append(names, v.Version)
	}
	return names
}

// A Range is a set of versions.
type Range struct {
	constraints *semver.Constraints
	text        string
}

// ParseRange reads a range: caret, tilde, hyphen, x, comparisons, and || between alternatives.
func ParseRange(s string) (*Range, error) {
	if strings.TrimSpace(s) == "" {
		s = "*"
	}
	c, err := semver.NewConstraint(s)
	if err != nil {
		return nil, err
	}
	c.IncludePrerelease = true // the rule for prereleases is stricter than the package's; see Has
	return &Range{c, s}, nil
}

var withPrerelease = regexp.MustCompile(`(\d+)\.(\d+)\.(\d+)-[0-9A-Za-z.-]+`)

// Has tells whether a version is in the range. A prerelease is only where the range itself names a
// prerelease of the same major, minor and patch numbers: nobody gets one without asking.
func (r *Range) Has(version string) bool {
	v, err := semver.StrictNewVersion(version)
	if err != nil || !r.constraints.Check(v) {
		return false
	}
	if v.Prerelease() == "" {
		return true
	}
	for _, m := range withPrerelease.FindAllStringSubmatch(r.text, -1) {
		if fmt.Sprintf("%s.%s.%s", m[1], m[2], m[3]) == fmt.Sprintf("%d.%d.%d", v.Major(), v.Minor(), v.Patch()) {
			return true
		}
	}
	return false
}

// IsVersion tells an exact version from a range or a tag.
func IsVersion(s string) bool {
	_, err := semver.StrictNewVersion(s)
	return err == nil
}

// CompareVersions orders two versions; what is no semantic version comes first.
func CompareVersions(a, b string) int {
	x, errA := semver.NewVersion(a)
	y, errB := semver.NewVersion(b)
	switch {
	case errA != nil && errB != nil:
		return cmp.Compare(a, b)
	case errA != nil:
		return -1
	case errB != nil:
		return 1
	}
	return x.Compare(y)
}
