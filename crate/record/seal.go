package record

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// A Seal says what was taken, file by file.
type Seal struct {
	Format    int                `json:"format"`
	Libraries map[string]*Sealed `json:"libraries"`
	Tags      []Tag              `json:"tags,omitempty"`
}

// A Tag remembers how a tag was written, where switching back could not tell from what it says now.
type Tag struct {
	Page string `json:"page,omitempty"` // the only page that this is true of, "" for all
	Now  string `json:"now"`
	Was  string `json:"was"`
}

// Sealed is what was taken of one library.
type Sealed struct {
	Version string `json:"version"`
	Origin  string `json:"origin"`           // as in the packing list's from
	Digest  string `json:"digest,omitempty"` // integrity string of the origin's own bytes
	Licence string `json:"licence,omitempty"`
	// Linked says that pages have nothing but links to it so far: its files' places are kept for them.
	Linked bool   `json:"linked,omitempty"`
	Files  []File `json:"files"`
}

// A File is one file of a library. Its hash identifies it wherever it is served from.
type File struct {
	Path      string `json:"path"`         // in the delivery
	At        string `json:"at,omitempty"` // in the project, from its root
	Size      int64  `json:"size"`
	Integrity string `json:"integrity"` // sha384, as in Subresource Integrity
	Build     string `json:"build,omitempty"`
	Pair      string `json:"pair,omitempty"`   // the path of the same thing in the other build
	Page      bool   `json:"page,omitempty"`   // goes on pages; what it refers to comes along by itself
	Module    bool   `json:"module,omitempty"` // an ES module, for tags of type module
	URL       string `json:"url,omitempty"`    // where it was found, if no CDN's pattern leads there
}

// ReadSeal reads a seal.
func ReadSeal(b []byte) (*Seal, error) {
	var s Seal
	dec := json.NewDecoder(bytes.NewReader(b))
	if err := dec.Decode(&s); err != nil {
		return nil, fmt.Errorf("%s:%s: %w; only merry writes this file: take it from version control again, or remove it and run merry adopt --all", SealFile, position(b, dec.InputOffset()), err)
	}
	if s.Format > Format {
		return nil, fmt.Errorf("%s has format %d, newer than this program, which knows format %d; use the newer program that wrote it", SealFile, s.Format, Format)
	}
	if s.Format != Format {
		return nil, fmt.Errorf("%s says no format; take it from version control again", SealFile)
	}
	if s.Libraries == nil {
		s.Libraries = map[string]*Sealed{}
	}
	return &s, nil
}

func position(b []byte, offset int64) string {
	offset = min(offset, int64(len(b)))
	line := 1 + bytes.Count(b[:offset], []byte("\n"))
	return fmt.Sprintf("%d:%d", line, int(offset)-bytes.LastIndexByte(b[:offset], '\n'))
}

// NewSeal is the seal of a project that has taken nothing.
func NewSeal() *Seal { return &Seal{Format: Format, Libraries: map[string]*Sealed{}} }

// Bytes writes the seal sorted, one file a line, so that two people's changes merge.
func (s *Seal) Bytes() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "{\n\"format\": %d,\n\"libraries\": {", s.Format)
	for i, name := range s.Names() {
		lib := s.Libraries[name]
		if i > 0 {
			b.WriteString(",")
		}
		fmt.Fprintf(&b, "\n%s: {\n \"version\": %s,\n \"origin\": %s,\n", quote(name), quote(lib.Version), quote(lib.Origin))
		if lib.Digest != "" {
			fmt.Fprintf(&b, " \"digest\": %s,\n", quote(lib.Digest))
		}
		if lib.Licence != "" {
			fmt.Fprintf(&b, " \"licence\": %s,\n", quote(lib.Licence))
		}
		if lib.Linked {
			b.WriteString(" \"linked\": true,\n")
		}
		b.WriteString(" \"files\": [")
		files := slices.Clone(lib.Files)
		slices.SortFunc(files, func(x, y File) int {
			return strings.Compare(x.Path+"\x00"+x.At, y.Path+"\x00"+y.At)
		})
		for j, f := range files {
			if j > 0 {
				b.WriteString(",")
			}
			b.WriteString("\n  " + quote(f))
		}
		b.WriteString("\n ]\n}")
	}
	b.WriteString("\n}")
	slices.SortFunc(s.Tags, func(x, y Tag) int { return strings.Compare(x.Now+"\x00"+x.Page, y.Now+"\x00"+y.Page) })
	for i, t := range s.Tags {
		b.WriteString([]string{",\n\"tags\": [\n  ", ",\n  "}[min(i, 1)] + quote(t))
	}
	if len(s.Tags) > 0 {
		b.WriteString("\n]")
	}
	b.WriteString("\n}\n")
	return b.Bytes()
}

func quote(v any) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.Encode(v)
	return strings.TrimSuffix(b.String(), "\n")
}

// Names lists the libraries, sorted.
func (s *Seal) Names() []string {
	names := make([]string, 0, len(s.Libraries))
	for n := range s.Libraries {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}
