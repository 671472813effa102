// Package support knows which browsers have what: editions of ECMAScript, and what scripts call and stylesheets say.
package support

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// engines tell from which major version on a browser reads all the syntax of an edition of ECMAScript, the regular
// expressions' left out, which a parser of scripts does not judge. By the browsers' own release notes, as of November
// 2026.
var engines = map[string][]struct{ version, edition int }{
	"chrome": {{5, 2009}, {51, 2015}, {52, 2016}, {55, 2017}, {63, 2018}, {66, 2019}, {80, 2020}, {85, 2021},
		{94, 2022}},
	"edge":    {{12, 2009}, {15, 2016}, {16, 2017}, {79, 2019}, {80, 2020}, {85, 2021}, {94, 2022}},
	"firefox": {{4, 2009}, {54, 2016}, {55, 2017}, {57, 2018}, {58, 2019}, {74, 2020}, {79, 2021}, {93, 2022}},
	"safari":  {{5, 2009}, {10, 2015}, {11, 2017}, {12, 2019}, {14, 2021}, {17, 2022}},
	"opera": {{12, 2009}, {38, 2015}, {39, 2016}, {42, 2017}, {50, 2018}, {53, 2019}, {67, 2020}, {71, 2021},
		{80, 2022}},
	"ie": {{9, 2009}},
}

// longSupport is the oldest version that each engine's makers still keep for organisations, as of November 2026.
var longSupport = map[string]int{"firefox": 140}

// Browsers are those that a site is for.
type Browsers struct {
	edition int // the least edition of ECMAScript that was named, 0 for none
	year    int // the least year
	engines []browser
}

type browser struct {
	name    string
	version version
}

// A version of a browser, in thousandths: 15.4 is 15004.
type version int

const major = 1000

func (v version) String() string {
	if v%major == 0 {
		return strconv.Itoa(int(v / major))
	}
	return fmt.Sprintf("%d.%d", v/major, v%major)
}

// versionOf reads a version, 0 for what is none.
func versionOf(text string) version {
	first, rest, _ := strings.Cut(text, ".")
	rest, _, _ = strings.Cut(rest, ".")
	n, err := strconv.Atoi(first)
	minor, _ := strconv.Atoi(rest)
	if err != nil || n < 0 || minor >= major {
		return 0
	}
	return version(n*major + minor)
}

// Parse reads which browsers a site is for: editions (es5, es2017), years (2019), engines with versions (chrome 80,
// safari 12, firefox esr), several with commas between them. The error lists what is known.
func Parse(text string) (*Browsers, error) {
	b := &Browsers{}
	for part := range strings.SplitSeq(text, ",") {
		words := strings.Fields(strings.ToLower(part))
		if len(words) > 0 && !b.add(words) {
			return nil, fmt.Errorf("%q is not a known edition, year or browser: write such as es2017, 2019, or one of "+
				"%s with a version", strings.TrimSpace(part), strings.Join(slices.Sorted(maps.Keys(engines)), ", "))
		}
	}
	return b, nil
}

func (b *Browsers) add(words []string) bool {
	if len(words) == 1 {
		if known, version, ok := engine(words[0]); ok {
			return b.engine(known, version)
		}
		n, err := strconv.Atoi(strings.TrimPrefix(words[0], "es"))
		switch {
		case err != nil:
			return false
		case n == 5 && words[0] == "es5":
			b.edition = oldest(b.edition, 2009)
		case n >= 6 && n <= 16 && strings.HasPrefix(words[0], "es"):
			b.edition = oldest(b.edition, 2009+n)
		case n < 2009 || n >= 2100:
			return false
		case strings.HasPrefix(words[0], "es"):
			b.edition = oldest(b.edition, n)
		default:
			b.year = oldest(b.year, n)
		}
		return true
	}
	if len(words) > 3 || engines[words[0]] == nil {
		return false
	}
	rest := strings.TrimPrefix(strings.Join(words[1:], ""), ">=")
	if rest == "esr" && longSupport[words[0]] > 0 {
		return b.engine(words[0], version(longSupport[words[0]]*major))
	}
	v := versionOf(rest)
	return v > 0 && b.engine(words[0], v)
}

func (b *Browsers) engine(name string, v version) bool {
	b.engines = append(b.engines, browser{name, v})
	return of(name, v) > 0
}

// oldest is the smaller of two years, of which 0 says nothing.
func oldest(a, b int) int {
	if a == 0 || b < a {
		return b
	}
	return a
}

// Edition is the year of the newest edition of ECMAScript whose syntax all of them know, 0 if none is named.
func (b *Browsers) Edition() int {
	year := b.edition
	if b.year > 0 {
		year = oldest(year, b.year)
	}
	for _, e := range b.engines {
		year = oldest(year, of(e.name, e.version))
	}
	return year
}

// engine reads a browser with its version in one word, such as chrome80.
func engine(word string) (string, version, bool) {
	name := strings.TrimRight(word, "0123456789.")
	v := versionOf(strings.TrimPrefix(word, name))
	return name, v, v > 0 && engines[name] != nil
}

// of is the newest edition that a version of a browser reads, 0 for one that is too old to be known.
func of(name string, v version) int {
	year := 0
	for _, e := range engines[name] {
		if v >= version(e.version*major) {
			year = e.edition
		}
	}
	return year
}
