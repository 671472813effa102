package console

import (
	"encoding/base64"
	"net/url"
	"path"
	"strings"

	"github.com/go-sourcemap/sourcemap"
	"merrycrate.example/merry/crate/memo"
)

// maxMap is how large a source map may be, in bytes.
const maxMap = 64 << 20

// An original is what a script was made from.
type original struct {
	consumer *sourcemap.Consumer
	dir      string // of the map, in the site
}

// annotation finds where a script says that its map is (ECMA-426, section 11.1.2.1).
var annotation = memo.Regexp(`(?m)^\s*//[#@] ?sourceMappingURL=(\S+)\s*$`)

// mapped leads a message's place back through the source map of its script, where the site has that.
func (s *Site) mapped(m *Message) {
	if m.File == "" || m.Line == 0 || s.Read == nil {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	o, known := s.maps[m.File]
	if !known {
		if s.maps == nil {
			s.maps = map[string]*original{}
		}
		o = s.originalOf(m.File)
		s.maps[m.File] = o
	}
	if o == nil {
		return
	}
	file, line, column := o.source(m.Line, max(m.Column-1, 0))
	if file == "" {
		return
	}
	m.File, m.Line, m.Column = path.Join(o.dir, strings.TrimPrefix(file, "/")), line, column+1
	if strings.Contains(file, "://") {
		m.File = file
	}
}

// originalOf reads the map of a script, nil if there is none that can be read.
func (s *Site) originalOf(name string) *original {
	text := s.Read(name)
	all := annotation().FindAllSubmatch(text, -1)
	if len(all) == 0 {
		return nil
	}
	ref := string(all[len(all)-1][1])
	var source []byte
	dir := path.Dir(name)
	if data, is := strings.CutPrefix(ref, "data:"); is {
		kind, encoded, _ := strings.Cut(data, ",")
		if strings.HasSuffix(kind, ";base64") {
			source, _ = base64.StdEncoding.DecodeString(encoded)
		} else if plain, err := url.PathUnescape(encoded); err == nil {
			source = []byte(plain)
		}
	} else {
		at, err := url.Parse(ref)
		if err != nil || at.IsAbs() || at.Host != "" {
			return nil
		}
		where := path.Join("/"+dir, at.Path)
		if strings.HasPrefix(at.Path, "/") {
			where = path.Clean(at.Path)
		}
		where = strings.TrimPrefix(where, "/")
		source, dir = s.Read(where), path.Dir(where)
	}
	if len(source) == 0 || len(source) > maxMap {
		return nil
	}
	return parsed(source, dir)
}

// parsed reads a map, nil if it is none. The reader trusts what a map says of its own lengths, and stops the program
// where that is false: such a map is none.
func parsed(source []byte, dir string) (o *original) {
	defer func() {
		if recover() != nil {
			o = nil
		}
	}()
	c, err := sourcemap.Parse("", source)
	if err != nil {
		return nil
	}
	return &original{c, dir}
}

// source is what a place was made from: a file as the map names it, "" if it can't be known, a line from 1 and a column
// from 0.
func (o *original) source(line, column int) (file string, l, c int) {
	defer func() {
		if recover() != nil {
			file = ""
		}
	}()
	file, _, l, c, ok := o.consumer.Source(line, column)
	if !ok {
		return "", 0, 0
	}
	return file, l, c
}
