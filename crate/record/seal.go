package record

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// A Seal lists what was taken, file by file.
type Seal struct {
	Format    int                `json:"format"`
	Libraries map[string]*Sealed `json:"libraries"`
	Tags      []Tag              `json:"tags,omitempty"`
}

// A Tag records how a tag was written before a switch, if that can't be derived from the new tag.
type Tag struct {
	Page string `json:"page,omitempty"` // the only page that this is true of, "" for all
	Now  string `json:"now"`
	Was  string `json:"was"`
}

// Sealed lists what was taken of one library.
type Sealed struct {
	Version string `json:"version"`
	Origin  string `json:"origin"`           // as in the packing list's from
	Digest  string `json:"digest,omitempty"` // integrity string of the origin's own bytes
	Licence string `json:"licence,omitempty"`
	// Serve and Build are the values of the packing list when it was last applied, so that an edit of it is noticed.
	Serve Serve `json:"serve,omitempty"`
	Build Build `json:"build,omitempty"`
	// Linked says that pages have nothing but links to it so far: its files' places are kept for them.
	Linked bool `json:"linked,omitempty"`
	// Imports are the names under which modules import its files: a specifier to a path in the package.
	Imports map[string]string `json:"imports,omitempty"`
	// Asks are the packages that its own modules import by name, each with the range of versions that its manifest
	// allows.
	Asks map[string]string `json:"asks,omitempty"`
	// Unmet are globals that it needs and that nothing in the crate defined when it was taken, each with the package
	// that does, as name@range.
	Unmet map[string]string `json:"unmet,omitempty"`
	// Gone are names that earlier versions of it offered and the present one does not, by the version that had them
	// last: .class, --property, @keyframes, global.
	Gone  map[string][]string `json:"gone,omitempty"`
	Files []File              `json:"files"` // the files that change
}

// A File is one file of a library. Its hash identifies it wherever it is served from.
type File struct {
	Path       string          `json:"path"`             // in the package
	At         paths.InProject `json:"at,omitzero"`      // zero for what only links lead to
	Size       int64           `json:"size"`             // bytes
	Integrity  string          `json:"integrity"`        // sha384, as in Subresource Integrity
	Build      Build           `json:"build,omitempty"`  // readable or minified
	OtherBuild string          `json:"pair,omitempty"`   // the path of the same thing in the other build
	Role       Role            `json:"page,omitempty"`   // true for what goes on pages
	Module     bool            `json:"module,omitempty"` // an ES module, for tags of type module
	// a plain script beside the library's module, for browsers that know none
	NoModule bool   `json:"nomodule,omitempty"`
	URL      string `json:"url,omitempty"` // where it was found, if no CDN's pattern leads there
	// of a script for pages, so that it is known where its bytes are at no hand
	Facts *Facts `json:"facts,omitempty"`
}

// Facts are the results of reading a script that its order on a page and the checks of others need.
type Facts struct {
	Form    string   `json:"form"`              // classic, universal, module, amd or server
	Syntax  int      `json:"syntax,omitempty"`  // the year of the edition of ECMAScript that it demands
	Defines []string `json:"defines,omitempty"` // globals
	// globals without which it stops, alternatives with a bar between them
	Needs          []string `json:"needs,omitempty"`
	Parts          []string `json:"parts,omitempty"` // members that it gives to others' globals
	Uses           []string `json:"uses,omitempty"`  // members of others' globals that it must find
	DefinesUnknown bool     `json:"opens,omitempty"` // it defines more, by names that are not known
}

// ReadSeal reads a seal, one that two people's changes were merged into line by line, too.
func ReadSeal(b []byte) (*Seal, error) {
	if line := conflict(b); line > 0 {
		return nil, problem.Refuse(problem.RecordBroken, "keep either side of it, such as git checkout --ours "+
			SealFile+"; merry settle", "%s:%d: git's conflict marks are here: two people's changes did not merge",
			SealFile, line)
	}
	var s Seal
	dec := json.NewDecoder(bytes.NewReader(b))
	if err := dec.Decode(&s); err != nil {
		merged := mergedSeal(b)
		if merged == nil {
			return nil, problem.Refuse(problem.RecordBroken, "restore it from version control; or remove it; merry "+
				"settle  # makes a new one", "%s:%s: %w; only merry writes this file", SealFile,
				position(b, dec.InputOffset()), err)
		}
		s = *merged
	}
	if s.Format > Format {
		return nil, problem.Refuse(problem.RecordNewer, "use the newer program that wrote it",
			"%s has format %d, newer than this program, which knows format %d", SealFile, s.Format, Format)
	}
	if s.Format != Format {
		return nil, problem.Refuse(problem.RecordBroken, "restore it from version control", "%s has no format",
			SealFile)
	}
	for name, lib := range s.Libraries {
		if lib == nil {
			return nil, problem.Refuse(problem.RecordBroken, "restore it from version control",
				"%s: the library %q has no value", SealFile, name)
		}
		if lib.Version != "" && !paths.IsVersion(lib.Version) {
			return nil, problem.Refuse(problem.RecordBroken, "restore it from version control",
				"%s: %q, of the library %q, can't be a version", SealFile, lib.Version, name)
		}
	}
	if s.Libraries == nil {
		s.Libraries = map[string]*Sealed{}
	}
	for _, lib := range s.Libraries {
		lib.once()
	}
	return &s, nil
}

// once keeps each file of a library once: a merge may have left one as each side had it.
func (l *Sealed) once() {
	seen := make(map[string]bool, len(l.Files))
	l.Files = slices.DeleteFunc(l.Files, func(f File) bool {
		was := seen[f.Path]
		seen[f.Path] = true
		return was
	})
}

var libraryLine = memo.Regexp(`^("(?:[^"\\]|\\.)*"): \{$`)

// mergedSeal reads a seal line by line, as Bytes writes it, where brackets and commas no longer fit since lines of two
// sides stand together. It returns nil for what is no seal.
func mergedSeal(b []byte) *Seal {
	s := NewSeal()
	var lib *Sealed
	for line := range strings.Lines(string(b)) {
		line = strings.TrimSuffix(strings.TrimSpace(line), ",")
		switch m := libraryLine().FindStringSubmatch(line); {
		case m != nil && m[1] == `"libraries"`:
		case m != nil:
			name := ""
			if json.Unmarshal([]byte(m[1]), &name) != nil {
				return nil
			}
			if lib = s.Libraries[name]; lib == nil {
				lib = &Sealed{}
				s.Libraries[name] = lib
			}
		case strings.HasPrefix(line, `{"path":`):
			var f File
			if lib == nil || json.Unmarshal([]byte(line), &f) != nil {
				return nil
			}
			lib.Files = append(lib.Files, f)
		case strings.HasPrefix(line, `{"now":`) || strings.HasPrefix(line, `{"page":`):
			var t Tag
			if json.Unmarshal([]byte(line), &t) != nil {
				return nil
			}
			s.Tags = append(s.Tags, t)
		case strings.Trim(line, "{}[] ") == "" || line == `"files": [` || line == `"tags": [`:
		case strings.HasPrefix(line, `"format":`):
			if json.Unmarshal([]byte("{"+line+"}"), s) != nil {
				return nil
			}
		default:
			if lib == nil || json.Unmarshal([]byte("{"+line+"}"), lib) != nil {
				return nil
			}
		}
	}
	if len(s.Libraries) == 0 {
		return nil
	}
	return s
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
		fmt.Fprintf(&b, "\n%s: {\n \"version\": %s,\n \"origin\": %s,\n", quote(name), quote(lib.Version),
			quote(lib.Origin))
		if lib.Digest != "" {
			fmt.Fprintf(&b, " \"digest\": %s,\n", quote(lib.Digest))
		}
		if lib.Licence != "" {
			fmt.Fprintf(&b, " \"licence\": %s,\n", quote(lib.Licence))
		}
		if lib.Serve != "" {
			fmt.Fprintf(&b, " \"serve\": %s,\n", quote(lib.Serve))
		}
		if lib.Build != NoBuild {
			fmt.Fprintf(&b, " \"build\": %s,\n", quote(lib.Build))
		}
		if lib.Linked {
			b.WriteString(" \"linked\": true,\n")
		}
		if len(lib.Imports) > 0 {
			fmt.Fprintf(&b, " \"imports\": %s,\n", quote(lib.Imports))
		}
		if len(lib.Asks) > 0 {
			fmt.Fprintf(&b, " \"asks\": %s,\n", quote(lib.Asks))
		}
		if len(lib.Unmet) > 0 {
			fmt.Fprintf(&b, " \"unmet\": %s,\n", quote(lib.Unmet))
		}
		if len(lib.Gone) > 0 {
			fmt.Fprintf(&b, " \"gone\": %s,\n", quote(lib.Gone))
		}
		b.WriteString(" \"files\": [")
		files := slices.Clone(lib.Files)
		slices.SortFunc(files, func(x, y File) int {
			return strings.Compare(x.Path+"\x00"+x.At.String(), y.Path+"\x00"+y.At.String())
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

// Clone returns a deep copy, which can be planned on.
func (s *Seal) Clone() *Seal {
	out := &Seal{Format: s.Format, Libraries: make(map[string]*Sealed, len(s.Libraries)), Tags: slices.Clone(s.Tags)}
	for name, lib := range s.Libraries {
		copied := *lib
		copied.Files = slices.Clone(lib.Files)
		for i := range copied.Files {
			copied.Files[i].Facts = copied.Files[i].Facts.clone()
		}
		copied.Imports, copied.Asks = maps.Clone(lib.Imports), maps.Clone(lib.Asks)
		copied.Gone, copied.Unmet = maps.Clone(lib.Gone), maps.Clone(lib.Unmet)
		for version, names := range copied.Gone {
			copied.Gone[version] = slices.Clone(names)
		}
		out.Libraries[name] = &copied
	}
	return out
}

func (f *Facts) clone() *Facts {
	if f == nil {
		return nil
	}
	copied := *f
	copied.Defines, copied.Needs, copied.Parts, copied.Uses = slices.Clone(f.Defines), slices.Clone(f.Needs),
		slices.Clone(f.Parts), slices.Clone(f.Uses)
	return &copied
}

// File returns the library's file of that path in the package, or nil.
func (l *Sealed) File(path string) *File {
	for i := range l.Files {
		if path != "" && l.Files[i].Path == path {
			return &l.Files[i]
		}
	}
	return nil
}

// At returns the library's file of that place in the project, or nil.
func (l *Sealed) At(place string) *File {
	if l == nil {
		return nil
	}
	for i := range l.Files {
		if l.Files[i].At.String() == place {
			return &l.Files[i]
		}
	}
	return nil
}

// InBuild returns a file in a build: the file itself, its pair, or, if there is no such pair, the file itself.
func (l *Sealed) InBuild(f *File, build Build) *File {
	if build == NoBuild || f.OtherBuild == "" || f.Build == build {
		return f
	}
	if pair := l.File(f.OtherBuild); pair != nil {
		return pair
	}
	return f
}

// Called reports whether a person means the file by a name: its path in the package or in the project, or its own name
// there.
func (f *File) Called(name string) bool {
	return f.Path == name || !f.At.IsZero() && (f.At.String() == name || f.At.Base() == name)
}

// Is reports whether a stream has the bytes of the file.
func (f *File) Is(r io.Reader) bool {
	sums, err := integrity.OfReader(r, "sha384")
	return err == nil && sums["sha384"] == f.Integrity
}
