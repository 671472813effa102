package record

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// engines tell from which major version on a browser reads all the syntax of an edition of ECMAScript, the regular expressions'
// left out, which a parser of scripts does not judge. By the browsers' own release notes, as of November 2026.
var engines = map[string][]struct{ version, edition int }{
	"chrome":  {{5, 2009}, {51, 2015}, {52, 2016}, {55, 2017}, {63, 2018}, {66, 2019}, {80, 2020}, {85, 2021}, {94, 2022}},
	"edge":    {{12, 2009}, {15, 2016}, {16, 2017}, {79, 2019}, {80, 2020}, {85, 2021}, {94, 2022}},
	"firefox": {{4, 2009}, {54, 2016}, {55, 2017}, {57, 2018}, {58, 2019}, {74, 2020}, {79, 2021}, {93, 2022}},
	"safari":  {{5, 2009}, {10, 2015}, {11, 2017}, {12, 2019}, {14, 2021}, {17, 2022}},
	"opera":   {{12, 2009}, {38, 2015}, {39, 2016}, {42, 2017}, {50, 2018}, {53, 2019}, {67, 2020}, {71, 2021}, {80, 2022}},
	"ie":      {{9, 2009}},
}

// longSupport is the oldest version that each engine's makers still keep for organisations, as of November 2026.
var longSupport = map[string]int{"firefox": 140}

// Edition reads which syntax browsers know that a packing list names: editions (es5, es2017), years (2019), engines with
// versions (chrome 80, safari 12, firefox esr), several with commas between them; the least of them counts. It returns the year of
// the newest edition that all know, 0 where nothing is named. The error lists what is known.
func Edition(browsers string) (int, error) {
	least := 0
	for part := range strings.SplitSeq(browsers, ",") {
		words := strings.Fields(strings.ToLower(part))
		if len(words) == 0 {
			continue
		}
		year, ok := edition(words)
		if !ok {
			return 0, fmt.Errorf("%q is no edition, year or browser that is known: write such as es2017, 2019, or one of %s with a version", strings.TrimSpace(part), strings.Join(slices.Sorted(maps.Keys(engines)), ", "))
		}
		if least == 0 || year < least {
			least = year
		}
	}
	return least, nil
}

func edition(words []string) (int, bool) {
	if len(words) == 1 {
		if known, version, ok := engine(words[0]); ok {
			return of(known, version)
		}
		n, err := strconv.Atoi(strings.TrimPrefix(words[0], "es"))
		switch {
		case err != nil:
			return 0, false
		case n == 5 && words[0] == "es5":
			return 2009, true
		case n >= 6 && n <= 16 && strings.HasPrefix(words[0], "es"):
			return 2009 + n, true
		}
		return n, n >= 2009 && n < 2100
	}
	if len(words) > 3 || engines[words[0]] == nil {
		return 0, false
	}
	rest := strings.TrimPrefix(strings.Join(words[1:], ""), ">=")
	if rest == "esr" && longSupport[words[0]] > 0 {
		return of(words[0], longSupport[words[0]])
	}
	major, _, _ := strings.Cut(rest, ".")
	version, err := strconv.Atoi(major)
	if err != nil {
		return 0, false
	}
	return of(words[0], version)
}

// engine reads a browser with its version in one word, such as chrome80.
func engine(word string) (string, int, bool) {
	name := strings.TrimRight(word, "0123456789.")
	major, _, _ := strings.Cut(strings.TrimPrefix(word, name), ".")
	version, err := strconv.Atoi(major)
	return name, version, err == nil && engines[name] != nil
}

// of is the newest edition that a version of a browser reads.
func of(name string, version int) (int, bool) {
	year := 0
	for _, e := range engines[name] {
		if version >= e.version {
			year = e.edition
		}
	}
	return year, year > 0
}
