package main

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"merrycrate.example/merry/crate/memo"
)

// maintainer is who answers for the package (Debian Policy, section 5.6.2).
const maintainer = "Merry Crate <crate@merrycrate.example>"

// overrides say which findings of Debian's own checker are meant so.
const overrides = "# A Go program is linked statically: one file that needs no library of the system.\n" +
	"merry: statically-linked-binary [usr/bin/merry]\n"

// changelog says what the package is (Debian Policy, section 4.4).
func (r release) changelog() []byte {
	return fmt.Appendf(nil, "merry (%s) unstable; urgency=medium\n\n  * Release %s. CHANGELOG.md in the sources "+
		"says what "+
		"changed.\n\n -- %s  %s\n", r.debianVersion(), r.version, maintainer, r.when.Format(time.RFC1123Z))
}

// apache is the text of a licence that every Debian system has (Debian Policy, section 12.5).
var apache = memo.Regexp(`(?s)[ \t]*Apache License\b\W+Version 2\.0, January 2004.*?(?:END OF TERMS AND ` +
	`CONDITIONS(?:\s+APPENDIX.*?` +
	`limitations under the License\.)?|$)`)

// copyright is the package's copyright file, as machines read it (Debian, machine-readable copyright file 1.0): the
// program's own, and that of each module in it.
func (r release) copyright(parts []part) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "Format: https://www.debian.org/doc/packaging-manuals/copyright-format/1.0/\nUpstream-Name: "+
		"merry\n\n"+
		"Files: *\nCopyright: %d Merry Crate\nLicense: not-stated\n The authors state no licence. Ask them before you "+
		"pass the program on.\n", r.when.Year())
	for _, p := range parts {
		id := p.licence
		if id == "" {
			id = "other"
		}
		text := string(p.text)
		holders := copyrights().FindAllString(text, -1)
		if holders == nil {
			holders = []string{"the authors of " + p.Path}
		}
		for i := range holders {
			holders[i] = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(holders[i]), "Copyright"))
		}
		text = apache().ReplaceAllString(text, "On Debian systems the text of the Apache License is in\n"+
			"/usr/share/common-licenses/Apache-2.0.")
		fmt.Fprintf(&b, "\nFiles: vendor/%s/*\nCopyright: %s\nLicense: %s\n", p.Path, strings.Join(holders,
			"\n           "), id)
		for line := range strings.Lines(text) {
			line = strings.TrimRight(line, " \t\r\n\f")
			if line == "" {
				line = "."
			}
			b.WriteString(" " + line + "\n")
		}
	}
	return b.Bytes()
}

// copyrights are the lines of a licence that say whose it is.
var copyrights = memo.Regexp(`(?mi)^[ \t]*Copyright (?:\(c\)|©|\d).*$`)
