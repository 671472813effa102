package source

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/Masterminds/semver/v3"
	"merrycrate.example/merry/crate/memo"
)

// A Range is a set of versions: those that meet all comparisons of one of its alternatives.
type Range struct{ alternatives [][]comparison }

type comparison struct {
	operator string // <, <=, >, >= or =
	version  *semver.Version
}

// Ranges have the grammar that package registries publish for versions in manifests: an operator, and up to three
// numbers or wildcards.
var (
	single = memo.Regexp(`^(<=|>=|<|>|=|~>|~|\^)?\s*v?(0|[1-9]\d*|[xX*])(?:\.(0|[1-9]\d*|[xX*])` +
		`(?:\.(0|[1-9]\d*|` +
		`[xX*])(?:-([0-9A-Za-z-]+(?:\.[0-9A-Za-z-]+)*))?(?:\+[0-9A-Za-z-]+(?:\.[0-9A-Za-z-]+)*)?)?)?(?:\s+|$)`)
	dash = memo.Regexp(`\s+-\s+`)
)

// ParseRange reads a range: caret, tilde, hyphen, x, comparisons, and || between alternatives, of which an empty one is
// any version. The error is that of what the grammar does not have.
func ParseRange(s string) (*Range, error) {
	r := &Range{}
	for text := range strings.SplitSeq(s, "||") {
		text = strings.TrimSpace(text)
		list := []comparison{}
		if at := dash().FindStringIndex(text); at != nil { // from one version to another
			from, to := single().FindStringSubmatch(text[:at[0]]), single().FindStringSubmatch(text[at[1]:])
			if from != nil && to != nil && from[1]+to[1] == "" && from[0]+to[0] == text[:at[0]]+text[at[1]:] {
				list = append(compared(">=", from[2:6]), compared("<=", to[2:6])...)
				text = ""
			}
		}
		for text != "" {
			m := single().FindStringSubmatch(text)
			if m == nil {
				return nil, fmt.Errorf("%q is not a range of versions", s)
			}
			list = append(list, compared(m[1], m[2:6])...)
			text = text[len(m[0]):]
		}
		r.alternatives = append(r.alternatives, list)
	}
	return r, nil
}

// compared are the comparisons that an operator and a partial version stand for.
func compared(operator string, parts []string) []comparison {
	var n [3]uint64
	known := 0 // how many numbers there are before a wildcard
	for known < 3 && parts[known] != "" && !strings.ContainsAny(parts[known], "xX*") {
		n[known], _ = strconv.ParseUint(parts[known], 10, 64)
		known++
	}
	pre := ""
	if known == 3 {
		pre = parts[3]
	}
	from := semver.New(n[0], n[1], n[2], pre, "")
	// before is the first version behind all that have the same numbers as far as one of them.
	before := func(last int) *semver.Version {
		up := [3]uint64{}
		copy(up[:last+1], n[:last+1])
		up[last]++
		return semver.New(up[0], up[1], up[2], "0", "")
	}
	all := []comparison{}
	none := []comparison{{"<", semver.New(0, 0, 0, "0", "")}}
	switch {
	case known == 0 && (operator == "<" || operator == ">"):
		return none
	case known == 0:
		return all
	case operator == "^":
		last := 0 // the first number that is not zero may not change
		for last < known-1 && n[last] == 0 {
			last++
		}
		return []comparison{{">=", from}, {"<", before(last)}}
	case operator == "~" || operator == "~>":
		return []comparison{{">=", from}, {"<", before(min(known, 2) - 1)}}
	case known == 3:
		return []comparison{{cmp.Or(operator, "="), from}}
	case operator == ">":
		return []comparison{{">=", semver.New(before(known-1).Major(), before(known-1).Minor(), 0, "", "")}}
	case operator == "<=":
		return []comparison{{"<", before(known - 1)}}
	case operator == ">=":
		return []comparison{{">=", from}}
	case operator == "<":
		return []comparison{{"<", semver.New(n[0], n[1], n[2], "0", "")}}
	}
	return []comparison{{">=", from}, {"<", before(known - 1)}}
}

func (c *comparison) holds(v *semver.Version) bool {
	switch d := v.Compare(c.version); c.operator {
	case "<":
		return d < 0
	case "<=":
		return d <= 0
	case ">":
		return d > 0
	case ">=":
		return d >= 0
	default:
		return d == 0
	}
}

// Has reports whether a version is in the range. A prerelease is only where the alternative that has it names a
// prerelease of the same major, minor and patch numbers: nobody gets one without asking.
func (r *Range) Has(version string) bool {
	v, err := semver.StrictNewVersion(version)
	if err != nil {
		return false
	}
	return slices.ContainsFunc(r.alternatives, func(list []comparison) bool {
		asked := v.Prerelease() == ""
		for _, c := range list {
			if !c.holds(v) {
				return false
			}
			asked = asked || c.version.Prerelease() != "" && c.version.Major() == v.Major() &&
				c.version.Minor() == v.Minor() && c.version.Patch() == v.Patch()
		}
		return asked
	})
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
