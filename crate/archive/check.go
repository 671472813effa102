package archive

import (
	"bytes"
	"fmt"
	"io"
	"path"
	"strings"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"

	"merrycrate.example/merry/crate/paths"
)

// entryRules holds a tree's entries to the limits and to the rules for names, one after the other.
type entryRules struct {
	source string
	limits Limits
	seen   map[string]int32 // folded name to the number of the file
	names  []string
	dirs   map[string]string // folded folder to the first file in it
	total  int64
	packed int64
}

func newEntryRules(source string, l Limits) entryRules {
	return entryRules{source: source, limits: l, seen: map[string]int32{}, dirs: map[string]string{}}
}

// withoutDots takes parts out of a name that mean the folder itself, as some archivers write them.
func withoutDots(name string) string {
	return strings.ReplaceAll(strings.TrimPrefix(name, "./"), "/./", "/")
}

var fold = cases.Fold()

// take checks one file and counts it.
func (c *entryRules) take(name string, size, packed int64) (Entry, error) {
	no := func(format string, args ...any) (Entry, error) {
		return Entry{}, refuse(c.source, name, fmt.Sprintf(format, args...))
	}
	if err := paths.Validate(name); err != nil {
		return no("%v", err)
	}
	if len(c.seen) >= c.limits.Entries {
		return Entry{}, refuse(c.source, "", fmt.Sprintf("it has more than %d files, the limit for a library",
			c.limits.Entries))
	}
	key := key(name)
	switch at, ok := c.seen[key]; {
	case ok && c.names[at] == name:
		return no("the archive has two entries of this name, so it is unclear which one is meant")
	case ok:
		return no("the name differs from that of %s only by case or by Unicode form; on many systems one would "+
			"overwrite the other", c.names[at])
	}
	if other, ok := c.dirs[key]; ok {
		return no("it is a file, and %s needs a folder of that name; many systems can't hold both", other)
	}
	for dir := path.Dir(key); dir != "." && c.dirs[dir] == ""; dir = path.Dir(dir) {
		if other, ok := c.seen[dir]; ok {
			return no("it needs a folder where %s is a file; many systems can't hold both", c.names[other])
		}
		c.dirs[dir] = name
	}
	c.seen[key] = int32(len(c.names))
	c.names = append(c.names, name)
	switch {
	case size < 0 || size > c.limits.File:
		return no("it would unpack to %d bytes; the limit for one file is %d", size, c.limits.File)
	case c.total+size > c.limits.Total:
		return Entry{}, refuse(c.source, "", fmt.Sprintf("it would unpack to more than %d bytes", c.limits.Total))
	}
	c.total += size
	c.packed += packed
	if packed > 0 && c.total > c.limits.From && c.total/c.packed > c.limits.Ratio {
		return no("the archive so far would unpack to %d times its size, as harmful archives do", c.total/c.packed)
	}
	return Entry{Path: name, Size: size, Packed: packed}, nil
}

// number is that of a file that was taken, in the order of taking.
func (c *entryRules) number(name string) (n int, ok bool) {
	at, ok := c.seen[key(name)]
	return int(at), ok && c.names[at] == name
}

// key is the same for names that are one on some system.
func key(name string) string {
	if plainLower(name) {
		return name
	}
	return fold.String(norm.NFC.String(name))
}

func plainLower(s string) bool {
	for i := range len(s) {
		if c := s[i]; c >= 0x80 || 'A' <= c && c <= 'Z' {
			return false
		}
	}
	return true
}

// sniff tells the format of a file by its first bytes; only a single script, stylesheet or the like
// is reported by its name.
func sniff(name string, r io.ReaderAt, size int64) (string, error) {
	head := make([]byte, 512)
	n, err := r.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return "", err
	}
	head = head[:n]
	if n == 0 {
		return "", refuse(name, "", "the file is empty")
	}
	format := ""
	for _, f := range []struct{ magic, format string }{
		{"PK\x03\x04", "zip"}, {"PK\x05\x06", "zip"}, {"\x1f\x8b", "gzip"}, {"\xfd7zXZ\x00", "xz"}, {"BZh", "bzip2"},
		{"\x28\xb5\x2f\xfd", "zstd"},
	} {
		if bytes.HasPrefix(head, []byte(f.magic)) {
			format = f.format
		}
	}
	switch {
	case len(head) >= 262 && string(head[257:262]) == "ustar":
		format = "tar"
	case bytes.HasPrefix(head, []byte("Rar!")):
		return "", refuse(name, "", "it is a RAR archive, which merry does not open; unpack it and name the "+
			"folder instead")
	case bytes.HasPrefix(head, []byte("7z\xbc\xaf\x27\x1c")):
		return "", refuse(name, "", "it is a 7z archive, which merry does not open; unpack it and name the "+
			"folder instead")
	}
	ext := strings.ToLower(path.Ext(name))
	if format == "" {
		switch ext {
		case ".js", ".mjs", ".cjs", ".css":
			return "file", nil
		case ".zip":
			return "", refuse(name, "", "it does not begin like a zip archive; it may be an error page of a server, "+
				"or a download that was cut off")
		case ".tgz", ".gz", ".tar", ".xz", ".bz2", ".zst":
			return "", refuse(name, "", "it does not begin like a "+ext+" archive; it may be an error page of a "+
				"server, or a download that was cut off")
		}
		return "", refuse(name, "", "it is neither an archive nor a .js or .css file")
	}
	if format != "zip" && endsAsZip(r, size) {
		return "", refuse(name, "", "it is two archives at once, one of "+format+" from its beginning and one of zip "+
			"from its end; programs would disagree on its contents")
	}
	return format, nil
}

// endsAsZip looks for a zip archive's last record (APPNOTE, section 4.3.16) that ends with the file.
func endsAsZip(r io.ReaderAt, size int64) bool {
	n := min(size, 22+65535)
	b := make([]byte, n)
	if _, err := r.ReadAt(b, size-n); err != nil && err != io.EOF {
		return false
	}
	for i := bytes.LastIndex(b, []byte("PK\x05\x06")); i >= 0; i = bytes.LastIndex(b[:i], []byte("PK\x05\x06")) {
		if i+22 <= len(b) && i+22+int(b[i+20])+int(b[i+21])<<8 == len(b) {
			return true
		}
	}
	return false
}
