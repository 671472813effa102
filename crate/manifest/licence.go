package manifest

import (
	"slices"
	"strings"
	"sync"

	"github.com/google/licensecheck"
	"merrycrate.example/merry/crate/memo"
)

// licences are those that libraries for pages come under, by their SPDX identifiers: the short ones, which most have,
// and the long ones, for which making the checker ready takes longer. The checker knows hundreds more, and would take
// two seconds.
var licences = [][]string{
	{"MIT", "MIT-0", "ISC", "BSD-2-Clause", "BSD-3-Clause", "0BSD", "Unlicense", "OFL-1.1", "WTFPL", "Zlib", "BSL-1.0"},
	{"Apache-2.0", "MPL-2.0", "CC0-1.0", "CC-BY-4.0", "CC-BY-3.0", "GPL-2.0", "GPL-3.0", "LGPL-2.1", "LGPL-3.0",
		"AGPL-3.0", "Artistic-2.0", "EPL-2.0"},
}

var licenceScanners = []func() *licensecheck.Scanner{
	sync.OnceValue(func() *licensecheck.Scanner { return scannerFor(licences[0]) }),
	sync.OnceValue(func() *licensecheck.Scanner { return scannerFor(licences[1]) }),
}

// scannerFor makes the checker ready for some licences. The texts are the checker's own, so it can't fail; if it did,
// names would tell.
func scannerFor(ids []string) *licensecheck.Scanner {
	list := slices.DeleteFunc(licensecheck.BuiltinLicenses(), func(l licensecheck.License) bool {
		return l.LRE == "" || !slices.Contains(ids, l.ID)
	})
	scanner, err := licensecheck.NewScanner(list)
	if err != nil {
		return nil
	}
	return scanner
}

// LicenceOf returns the SPDX identifier of a licence file's text: of several licences in it, the one that covers most.
// If no text is known, a licence's name in it counts.
func LicenceOf(text string) string {
	for _, scanner := range licenceScanners {
		best, most := "", 0
		if s := scanner(); s != nil {
			for _, m := range s.Scan([]byte(text)).Match {
				if n := m.End - m.Start; n > most {
					best, most = m.ID, n
				}
			}
		}
		if best != "" {
			return best
		}
	}
	return LicenceNamed(strings.Join(strings.Fields(text), " "))
}

var word = memo.Regexp(`(?i)\b(MIT|BSD(?:-[23]-Clause)?|Apache(?:-2\.0| License,? (?:Version ` +
	`)?2\.0)|ISC|MPL-2\.0|0BSD|Unlicense|(?:L|A)?GPL-?[23](?:\.0)?(?:-only|-or-later)?|CC0(?:-1\.0)?|OFL-1\.1|` +
	`CC-BY-4\.0)\b`)

// LicenceNamed returns the first licence whose name is in a text, as it is written; "" if there is none.
func LicenceNamed(text string) string { return word().FindString(text) }
