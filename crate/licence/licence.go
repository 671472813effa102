// Package licence says licences in the words of the SPDX License List and of SPDX expressions (SPDX Specification 2.3,
// annex D), as far as what manifests say can be told.
package licence

import (
	"strings"
	"sync"

	"github.com/github/go-spdx/v2/spdxexp/spdxlicenses"

	"merrycrate.example/merry/crate/memo"
)

// SPDX returns what a manifest or a licence file says as an SPDX identifier that is in use, or as an expression of
// several; both are "" for what the list does not know. Deprecated identifiers and usual spellings are put right.
func SPDX(text string) (id, expression string) {
	r := &reader{words: tokens().FindAllString(text, -1)}
	said, ok := r.any()
	if !ok || r.at < len(r.words) {
		return "", ""
	}
	if inner, is := strings.CutPrefix(said, "("); is && strings.Count(inner, "(") == 0 && strings.HasSuffix(inner,
		")") {
		said = strings.TrimSuffix(inner, ")")
	}
	if ids()[strings.ToLower(said)] != "" {
		return said, ""
	}
	return "", said
}

// tokens are the parts of an expression. Words between operators may have spaces: Apache License 2.0.
var tokens = memo.Regexp(`(?i)[()]|\b(?:and|or|with)\b|[^()\s]+`)

// A reader reads an expression from its words. OR binds less than AND, and AND less than WITH.
type reader struct {
	words []string
	at    int
}

func (r *reader) next(word string) bool {
	if r.at < len(r.words) && strings.EqualFold(r.words[r.at], word) {
		r.at++
		return true
	}
	return false
}

func (r *reader) any() (string, bool) { return r.joined("OR", r.all) }
func (r *reader) all() (string, bool) { return r.joined("AND", r.one) }

func (r *reader) joined(operator string, part func() (string, bool)) (string, bool) {
	said, ok := part()
	for ok && r.next(operator) {
		var more string
		more, ok = part()
		said += " " + operator + " " + more
	}
	return said, ok
}

func (r *reader) one() (string, bool) {
	if r.next("(") {
		inner, ok := r.any()
		if strings.Contains(inner, " ") {
			inner = "(" + inner + ")"
		}
		return inner, ok && r.next(")")
	}
	from := r.at
	for r.at < len(r.words) && !isOperator(r.words[r.at]) {
		r.at++
	}
	id := idOf(strings.Join(r.words[from:r.at], " "))
	if id == "" || !r.next("WITH") {
		return id, id != ""
	}
	if r.at >= len(r.words) {
		return "", false
	}
	exception := exceptions()[strings.ToLower(r.words[r.at])]
	r.at++
	return id + " WITH " + exception, exception != ""
}

func isOperator(word string) bool {
	switch strings.ToUpper(word) {
	case "(", ")", "AND", "OR", "WITH":
		return true
	}
	return false
}

// idOf is one licence's identifier, or the expression that stands for a deprecated one; "" for an unknown one.
func idOf(said string) string {
	if own().MatchString(said) {
		return said
	}
	low := strings.ToLower(strings.TrimSpace(said))
	if instead := renamed[low]; instead != "" {
		return instead
	}
	for _, form := range []string{low, low + "-only", strings.TrimSuffix(low, "+") + "-or-later"} {
		if id := ids()[form]; id != "" && (form != strings.TrimSuffix(low, "+")+"-or-later" ||
			strings.HasSuffix(low, "+")) {
			return id
		}
	}
	if rest, later := strings.CutSuffix(low, "+"); later && ids()[rest] != "" {
		return ids()[rest] + "+"
	}
	key := plain(low)
	for _, form := range []string{key, key + "0", key + "only", key + "0only"} {
		if id := spelled()[form]; id != "" {
			return id
		}
	}
	return ""
}

// own is the identifier of a licence that the list does not have (SPDX Specification 2.3, section 10.1).
var own = memo.Regexp(`^LicenseRef-[A-Za-z0-9.-]+$`)

// plain is a licence's name without what people spell in different ways.
func plain(name string) string {
	name = numbered().ReplaceAllString(noise().ReplaceAllString(strings.ToLower(name), " "), "$1 $2")
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '+' {
			return r
		}
		return -1
	}, name)
}

var (
	noise    = memo.Regexp(`\b(?:the|licen[cs]ed?|version|clause)\b`)
	numbered = memo.Regexp(`(\b|gpl)v(?:er\.?)?\s*(\d)`)
)

// ids are the identifiers in use, by their small letters; exceptions are those that stand behind WITH.
var (
	ids        = sync.OnceValue(func() map[string]string { return bySmall(spdxlicenses.GetLicenses()) })
	exceptions = sync.OnceValue(func() map[string]string { return bySmall(spdxlicenses.GetExceptions()) })
	spelled    = sync.OnceValue(func() map[string]string {
		list := map[string]string{}
		for _, id := range spdxlicenses.GetLicenses() {
			if key := plain(id); list[key] == "" {
				list[key] = id
			} else {
				list[key] = "" // two are spelled alike
			}
		}
		return list
	})
)

func bySmall(list []string) map[string]string {
	of := make(map[string]string, len(list))
	for _, id := range list {
		of[strings.ToLower(id)] = id
	}
	return of
}

// renamed are deprecated identifiers and names by other words, with what they are called now (SPDX License List,
// deprecated identifiers).
var renamed = map[string]string{
	"gpl-2.0-with-autoconf-exception":  "GPL-2.0-only WITH Autoconf-exception-2.0",
	"gpl-2.0-with-bison-exception":     "GPL-2.0-or-later WITH Bison-exception-2.2",
	"gpl-2.0-with-classpath-exception": "GPL-2.0-only WITH Classpath-exception-2.0",
	"gpl-2.0-with-font-exception":      "GPL-2.0-only WITH Font-exception-2.0",
	"gpl-2.0-with-gcc-exception":       "GPL-2.0-only WITH GCC-exception-2.0",
	"gpl-3.0-with-autoconf-exception":  "GPL-3.0-only WITH Autoconf-exception-3.0",
	"gpl-3.0-with-gcc-exception":       "GPL-3.0-only WITH GCC-exception-3.1",
	"ecos-2.0":                         "GPL-2.0-or-later WITH eCos-exception-2.0",
	"wxwindows":                        "LGPL-2.0-or-later WITH WxWindows-exception-3.1",
	"bsd-2-clause-freebsd":             "BSD-2-Clause-Views", "bsd-2-clause-netbsd": "BSD-2-Clause",
	"standardml-nj": "SMLNJ", "bzip2-1.0.5": "bzip2-1.0.6",
	"new bsd": "BSD-3-Clause", "bsd new": "BSD-3-Clause", "modified bsd": "BSD-3-Clause",
	"revised bsd": "BSD-3-Clause", "simplified bsd": "BSD-2-Clause", "freebsd": "BSD-2-Clause",
	"mit/x11": "MIT", "expat": "MIT", "bsd-2": "BSD-2-Clause", "bsd-3": "BSD-3-Clause",
	"2-clause bsd": "BSD-2-Clause", "3-clause bsd": "BSD-3-Clause", "sil ofl 1.1": "OFL-1.1",
	"sil open font license 1.1": "OFL-1.1", "mozilla public license 2.0": "MPL-2.0",
	"boost software license 1.0": "BSL-1.0", "cc0": "CC0-1.0", "bsd-0-clause": "0BSD",
}
