package walk

import (
	"path"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/disk"
)

// ignoreFile is the file in which a folder says what version control ignores (gitignore, the format of Git's manual).
const ignoreFile = ".gitignore"

// rules are what one folder says that version control ignores. Those of the folders above count as well; the nearest
// one that says anything of a file decides.
type rules struct {
	above *rules
	base  string // the folder, below the root of the disk
	list  []rule
}

type rule struct {
	pattern  string
	negated  bool // what matches is not ignored
	folders  bool // folders alone match
	anchored bool // it is matched with the path from the folder, not with the name
}

// readRules reads what a folder says, and returns what counts in it.
func readRules(on *disk.Folder, base string, above *rules) *rules {
	b, _, err := on.Read(path.Join(base, ignoreFile), disk.MaxRecord, nil)
	if err != nil {
		return above
	}
	r := &rules{above: above, base: base}
	for line := range strings.Lines(string(b)) {
		line = strings.TrimRight(line, "\r\n")
		if trimmed := strings.TrimRight(line, " "); !strings.HasSuffix(trimmed, `\`) {
			line = trimmed
		}
		if line == "" || line[0] == '#' {
			continue
		}
		var x rule
		if x.negated = line[0] == '!'; x.negated {
			line = line[1:]
		}
		line = strings.TrimPrefix(line, `\`) // before a literal # or !
		if x.folders = strings.HasSuffix(line, "/"); x.folders {
			line = strings.TrimRight(line, "/")
		}
		x.anchored = strings.Contains(line, "/")
		if x.pattern = strings.TrimPrefix(line, "/"); x.pattern == "" || !doublestar.ValidatePattern(x.pattern) {
			continue
		}
		r.list = append(r.list, x)
	}
	return r
}

// ignores reports whether version control ignores a file or a folder, by its path below the root of the disk.
func (r *rules) ignores(name string, isFolder bool) bool {
	for ; r != nil; r = r.above {
		rel := name
		if r.base != "." && r.base != "" {
			rel = strings.TrimPrefix(name, r.base+"/")
		}
		for i := len(r.list) - 1; i >= 0; i-- {
			x := &r.list[i]
			if x.folders && !isFolder {
				continue
			}
			what := path.Base(rel)
			if x.anchored {
				what = rel
			}
			if doublestar.MatchUnvalidated(x.pattern, what) {
				return !x.negated
			}
		}
	}
	return false
}

// rulesAbove are the rules of a folder's parents, from the root of the disk on.
func rulesAbove(on *disk.Folder, dir string) *rules {
	if dir = path.Clean(dir); dir == "." {
		return nil
	}
	above := rulesAbove(on, path.Dir(dir))
	return readRules(on, path.Dir(dir), above)
}
