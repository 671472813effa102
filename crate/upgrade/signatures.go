package upgrade

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/source"
)

// signatureKind is the kind of what is there still and takes or gives something else, as its makers write.
const signatureKind = "signature"

var (
	// versionHead is the head of a version's notes, with the version.
	versionHead = memo.Regexp(`^(?:#+\s*|\*\*|=+\s*)?\[?[vV]?(\d+\.\d+(?:\.\d+)?[\w.+-]*)\]?(?:\W|$)|` +
		`^#+\s.*?\b[vV]?(\d+\.\d+\.\d+)`)
	// otherSignature is how makers write that a function takes or gives something else.
	otherSignature = memo.Regexp(`(?i)\b(?:signature|arguments?|parameters?|callback)\b|\bnow (?:takes|accepts|` +
		`returns|expects|requires)\b|\bno longer (?:takes|accepts|returns)\b|\breturns? a promise\b`)
	// inCode is a name that stands in a line as code, with what it is called of.
	inCode = memo.Regexp("`[.#]?([A-Za-z_$][\\w$.]*)(?:\\([^`]*\\))?`|\\b([A-Za-z_$][\\w$.]*)\\(")
)

// signatures lists functions of both versions of which the new one's notes on versions after the old one say that they
// take or give something else.
func (c *Compared) signatures(old, new *side) {
	byLast := map[string][]string{} // paths of functions that both have, by their last names
	for path, form := range new.members.forms {
		if was := old.members.forms[path]; form == was && (form == "function" || form == "method" || form == "class") {
			last := path[strings.LastIndexByte(path, '.')+1:]
			byLast[last] = append(byLast[last], path)
		}
	}
	said := map[string]string{}
	for i := range new.Files {
		f := &new.Files[i]
		if f.Kind != packages.Document || !noteFile().MatchString(f.Path[strings.LastIndexByte(f.Path, '/')+1:]) ||
			f.Size > 2<<20 {
			continue
		}
		b, err := new.Tree.ReadFile(f.Path)
		if err != nil {
			continue
		}
		n, after := 0, false // the line is of a version after the old one
		for line := range strings.Lines(string(b)) {
			n++
			if head := versionHead().FindStringSubmatch(line); head != nil {
				after = source.CompareVersions(head[1]+head[2], old.Version) > 0
				continue
			}
			if !after || len(line) > 500 || !otherSignature().MatchString(line) {
				continue
			}
			for _, m := range inCode().FindAllStringSubmatch(line, -1) {
				name := m[1] + m[2]
				for _, path := range byLast[name[strings.LastIndexByte(name, '.')+1:]] {
					if path == name || strings.HasSuffix(path, "."+name) {
						said[path] = fmt.Sprintf("%s (%s:%d)", strings.Trim(strings.TrimSpace(line), "*-# "), f.Path, n)
					}
				}
			}
		}
	}
	for path, words := range said {
		c.Removed = append(c.Removed, RemovedName{Kind: signatureKind, Name: path, Now: words})
	}
}

// onlyUsed leaves out of signatures those that nobody uses: nothing was removed there.
func (c *Compared) onlyUsed() {
	c.Removed = slices.DeleteFunc(c.Removed, func(l RemovedName) bool {
		return l.Kind == signatureKind && len(l.Uses) == 0
	})
}
