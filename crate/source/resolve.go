package source

import (
	"cmp"
	"slices"
	"strings"

	"github.com/Masterminds/semver/v3"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// Resolve picks the version of a package that a wish means: an exact version, a tag, or a range as
// Semantic Versioning 2.0.0's users write them. Nothing wished for means the tag latest. Of a range, the highest
// version that is not deprecated is picked, and a prerelease only if there is nothing else. Allowed, where not nil,
// narrows the choice.
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
	if err != nil && strings.Contains(wish, ",") {
		// Some write commas. They mean that all must hold, or, where nothing meets all, that one must.
		for _, and := range []string{" ", " || "} {
			if v, err := p.Resolve(strings.ReplaceAll(wish, ",", and), allowed); err == nil {
				return v, nil
			}
		}
	}
	if err != nil {
		return nil, problem.Refuse(problem.VersionUnknown, "merry versions "+p.Name+"  # lists the versions",
			"%s has no version and no tag %q, and that is not a range either; its tags are %s", p.Name,
			texts.Text(wish), strings.Join(p.tagNames(), ", "))
	}
	var best *Version
	for _, v := range p.Sorted() {
		if !r.Has(v.Version) || !ok(v.Version) {
			continue
		}
		if best == nil || v.doubts() <= best.doubts() {
			best = v // versions come in order, so a later one is higher
		}
	}
	if best == nil {
		return nil, problem.Refuse(problem.VersionUnknown, "merry versions "+p.Name+"  # lists the versions",
			"no version of %s matches %s; the nearest are %s", p.Name, texts.Text(wish), strings.Join(p.nearest(wish),
				", "))
	}
	return best, nil
}

// doubts is 0 for a version that its makers publish for everybody, and more for one that they do not.
func (v *Version) doubts() (n int) {
	if v.Deprecated != "" {
		n += 2
	}
	if strings.Contains(v.Version, "-") {
		n++
	}
	return n
}

func (p *Package) tagNames() []string {
	var names []string
	for t := range p.Tags {
		names = append(names, texts.Text(t))
	}
	slices.Sort(names)
	return names
}

// Sorted lists the versions, the lowest first. What is no semantic version is left out.
func (p *Package) Sorted() []*Version {
	return p.sorted.Of(len(p.Versions), func() []*Version {
		var list []*Version
		parsed := map[*Version]*semver.Version{}
		for _, v := range p.Versions {
			if s, err := semver.StrictNewVersion(v.Version); err == nil {
				list, parsed[v] = append(list, v), s
			}
		}
		slices.SortFunc(list, func(a, b *Version) int {
			return cmp.Or(parsed[a].Compare(parsed[b]), cmp.Compare(a.Version, b.Version))
		})
		return list
	})
}

var firstNumber = memo.Regexp(`\d+(\.\d+)*`)

// nearest lists up to three versions around the one that a range names first.
func (p *Package) nearest(wish string) []string {
	all := p.Sorted()
	at := len(all)
	if target, err := semver.NewVersion(firstNumber().FindString(wish)); err == nil {
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
