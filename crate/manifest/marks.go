package manifest

import (
	"bytes"
	"path"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/record"
)

// BuildOf returns the build of a script or stylesheet. White space decides: a readable file has indented lines of
// moderate length, and a minified one almost no white space beyond the grammar's needs. Licence comments do not count.
func BuildOf(b []byte) record.Build {
	if len(b) > 1<<18 {
		b = b[:1<<18] // the rest of a file is written like its first quarter of a megabyte
	}
	b = afterCharset(b)
	var lines, indented, spaces, size, long int
	kept := false // inside a comment that a minifier keeps
	for line := range bytes.Lines(b) {
		text := bytes.TrimRight(line, "\r\n")
		if kept {
			_, rest, ended := bytes.Cut(text, []byte("*/"))
			if !ended {
				continue
			}
			kept, text = false, rest
		}
		body := bytes.TrimLeft(text, " \t")
		for bytes.HasPrefix(body, []byte("/*")) && !kept {
			_, rest, ended := bytes.Cut(body, []byte("*/"))
			kept = !ended
			text = rest
			body = bytes.TrimLeft(rest, " \t")
		}
		switch {
		case kept:
			continue
		case len(body) == 0, bytes.HasPrefix(body, []byte("//")):
			continue
		}
		lines++
		size += len(text)
		spaces += len(text) - len(body) + bytes.Count(body, []byte(" "))
		if len(body) < len(text) {
			indented++
		}
		if len(text) > 300 {
			long += len(text)
		}
	}
	if size == 0 {
		return record.Readable
	}
	switch share := float64(spaces) / float64(size); {
	case size/lines > 1000: // nobody writes so; what breaks its lines is in texts
		return record.Minified
	case 2*long > size && indented*4 < lines*3:
		return record.Minified
	case lines <= 2 && share < 0.13:
		return record.Minified
	case indented == 0 && share < 0.11 && size/lines > 200:
		return record.Minified
	case share < 0.05 && 3*indented < lines && (lines <= 10 || size/lines > 200):
		return record.Minified
	}
	return record.Readable
}

// afterCharset drops what may stand before a file's first comment: a byte order mark, white space, and
// a stylesheet's @charset.
func afterCharset(b []byte) []byte {
	b = bytes.TrimLeft(bytes.TrimPrefix(b, []byte("\xef\xbb\xbf")), " \t\r\n;")
	if len(b) > 9 && bytes.EqualFold(b[:9], []byte("@charset ")) {
		if i := bytes.IndexByte(b, ';'); i >= 0 && i < 40 {
			b = bytes.TrimLeft(b[i+1:], " \t\r\n")
		}
	}
	return b
}

// A Banner is the comment at a file's beginning.
type Banner struct {
	Name, Version, Licence string
}

var (
	versionWord = memo.Regexp(`(?i)\bv(?:ersion)?[ ` +
		`:]*(\d+(?:\.\d+)+(?:-[0-9A-Za-z.-]+)?)\b|@version\s+v?(\d[0-9A-Za-z.+-]*)|^\W*[\w.@/ ` +
		`-]*?\s(\d+\.\d+\.\d+(?:-[0-9A-Za-z.-]+)?)\b`)
	nameWord  = memo.Regexp(`^[\s*!/]*(?:@(?:name|preserve|license|licence)\s+)?([A-Za-z][\w.-]*(?:\.js)?)`)
	sourceMap = memo.Regexp(`(?m)(?://|/\*)[#@]\s*sourceMappingURL=([^\s*'"]+)`)
)

// BannerOf reads the comment that a script or stylesheet begins with.
func BannerOf(b []byte) Banner {
	var banner Banner
	b = afterCharset(b)
	var comment []byte
	switch {
	case bytes.HasPrefix(b, []byte("/*")):
		inner, _, closed := bytes.Cut(b[2:], []byte("*/"))
		if !closed {
			return banner
		}
		comment = inner
	case bytes.HasPrefix(b, []byte("//")):
		for line := range bytes.Lines(b) {
			if !bytes.HasPrefix(bytes.TrimSpace(line), []byte("//")) {
				break
			}
			comment = append(comment, line...)
		}
	default:
		return banner
	}
	if len(comment) > 8192 {
		comment = comment[:8192]
	}
	n := 0
	for line := range strings.Lines(string(comment)) {
		text := strings.Trim(line, " \t\r\n*!/")
		if text == "" {
			continue
		}
		if n++; n > 4 {
			break
		}
		if m := versionWord().FindStringSubmatch(text); m != nil && banner.Version == "" {
			banner.Version = m[1] + m[2] + m[3]
			if name := nameWord().FindStringSubmatch(text); name != nil && !strings.EqualFold(name[1], "version") &&
				!strings.EqualFold(name[1], "copyright") {
				banner.Name = strings.TrimSuffix(strings.ToLower(name[1]), ".js")
			}
		}
	}
	if m := LicenceNamed(string(comment)); m != "" {
		banner.Licence = m
	}
	return banner
}

// SourceMapOf returns the source map that a script or stylesheet names, "" if it names none or contains it.
func SourceMapOf(b []byte) string {
	tail := b[max(0, len(b)-4096):]
	all := sourceMap().FindAllSubmatch(tail, -1)
	if len(all) == 0 {
		return ""
	}
	url := string(all[len(all)-1][1])
	if strings.HasPrefix(url, "data:") {
		return ""
	}
	return url
}

// fileName is "name-1.2.3.zip", "name.v1.2.js" and their like.
var fileName = memo.Regexp(`^(.+?)[-_.@]v?(\d+(?:\.\d+)+(?:-(?:alpha|beta|rc|next|pre)[0-9A-Za-z.-]*)?)$`)

// NameVersion reads a name and a version off a file's name, without its ending. Either may be "".
func NameVersion(base string) (name, version string) {
	for {
		ext := strings.ToLower(path.Ext(base))
		switch ext {
		case ".zip", ".tar", ".tgz", ".gz", ".xz", ".bz2", ".zst", ".txz", ".tbz2", ".js", ".mjs", ".cjs", ".css":
			base = base[:len(base)-len(ext)]
			continue
		}
		break
	}
	base = WithoutBuild(base)
	for _, tail := range []string{"-dist", "-release", "-master", "-main"} {
		base = strings.TrimSuffix(base, tail)
	}
	if m := fileName().FindStringSubmatch(base); m != nil {
		return m[1], m[2]
	}
	return base, ""
}

// WithoutBuild takes the marks of builds off a name without its ending: oarlock.min, oarlock-src.
func WithoutBuild(stem string) string {
	for _, mark := range []string{".production.min", ".prod.min", ".min", "-min", "_min", ".debug", "-debug", "-src",
		".src", ".dev", ".development", ".production", ".prod"} {
		if s, ok := strings.CutSuffix(stem, mark); ok && s != "" {
			return s
		}
	}
	return stem
}
