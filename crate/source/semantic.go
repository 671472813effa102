package source

import (
	"cmp"
	"fmt"
	"strings"

	"github.com/Masterminds/semver/v3"
	"merrycrate.example/merry/crate/memo"
)

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

var withPrerelease = memo.Regexp(`(\d+)\.(\d+)\.(\d+)-[0-9A-Za-z.-]+`)

// Has reports whether a version is in the range. A prerelease is only where the range itself names a
// prerelease of the same major, minor and patch numbers: nobody gets one without asking.
func (r *Range) Has(version string) bool {
	v, err := semver.StrictNewVersion(version)
	if err != nil || !r.constraints.Check(v) {
		return false
	}
	if v.Prerelease() == "" {
		return true
	}
	for _, m := range withPrerelease().FindAllStringSubmatch(r.text, -1) {
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
