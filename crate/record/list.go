package record

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/agext/levenshtein"
	"go.yaml.in/yaml/v3"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/support"
)

// ListFile and SealFile are the records' names, at the project's root.
const (
	ListFile = "crate.yaml"
	SealFile = "crate.seal.json"
)

// Format is the number of the format that this package reads and writes.
const Format = 1

// A List is a packing list.
type List struct {
	lines map[string]int // of top-level keys

	Format   int      `yaml:"format"`
	Site     string   `yaml:"site,omitempty"`
	Pages    []string `yaml:"pages,flow,omitempty"`
	Exclude  []string `yaml:"exclude,flow,omitempty"`
	Folders  Folders  `yaml:"folders,flow,omitempty"`
	Arrange  Arrange  `yaml:"arrange,omitempty"`
	Names    Names    `yaml:"names,omitempty"`
	Browsers string   `yaml:"browsers,omitempty"`
	// files, from the project's root, in which the server's headers are written
	Headers   []string               `yaml:"headers,flow,omitempty"`
	Modules   Modules                `yaml:"modules,flow,omitempty"`
	Libraries Libraries              `yaml:"libraries,omitempty"`
	Own       Own                    `yaml:"own,omitempty"`
	CDNs      map[string]cdn.Pattern `yaml:"cdns,omitempty"`
	Profiles  map[string]Profile     `yaml:"profiles,omitempty"`
	// Share holds the values that the sites below this file's folder share.
	Share *Share `yaml:"share,omitempty"`

	holds map[string]Hold // that a file further up shares
}

// Folders says where files of each kind go, from the site's folder.
type Folders struct {
	Scripts  string `yaml:"scripts,omitempty" json:"scripts,omitempty"`   // for scripts
	Styles   string `yaml:"styles,omitempty" json:"styles,omitempty"`     // for stylesheets
	Fonts    string `yaml:"fonts,omitempty" json:"fonts,omitempty"`       // for fonts
	Images   string `yaml:"images,omitempty" json:"images,omitempty"`     // for pictures
	Together string `yaml:"together,omitempty" json:"together,omitempty"` // for libraries that stay together
}

// Own is the packing list's statement about the project's own files.
type Own struct {
	Order []string `yaml:"order,flow,omitempty"`
}

// A Profile is a named way to serve the libraries.
type Profile struct {
	Serve    Serve  `yaml:"serve,omitempty"`
	Build    Build  `yaml:"build,omitempty"`
	CDN      string `yaml:"cdn,omitempty"`
	Fallback bool   `yaml:"fallback,omitempty"` // a local copy stands in where the CDN does not answer
	// Then are the CDNs that are asked before the local copy.
	Then  []string `yaml:"then,flow,omitempty"`
	Hints bool     `yaml:"hints,omitempty"` // preconnect and preload
	// Without lists what must not be on a page: libraries, or addresses in which * matches anything.
	Without []string `yaml:"without,flow,omitempty"`
}

// A Library is one entry of the crate. Its Name is the entry's key.
type Library struct {
	Name      string   `yaml:"-"`
	Line      int      `yaml:"-"` // where its entry begins
	Version   string   `yaml:"version,omitempty"`
	From      string   `yaml:"from,omitempty"`
	Build     Build    `yaml:"build,omitempty"`
	Serve     Serve    `yaml:"serve,omitempty"`
	Whole     bool     `yaml:"whole,omitempty"` // all that the source has for a page
	Maps      bool     `yaml:"maps,omitempty"`  // source maps, too
	Into      string   `yaml:"into,omitempty"`  // its own folder, from the site's
	Arrange   Arrange  `yaml:"arrange,omitempty"`
	Names     Names    `yaml:"names,omitempty"`
	Needs     []string `yaml:"needs,flow,omitempty"`
	Only      Only     `yaml:"only,omitempty"`
	Integrity bool     `yaml:"integrity,omitempty"`
	Hold      *Hold    `yaml:"hold,flow,omitempty"`
	Because   string   `yaml:"because,omitempty"`
	// names that are gone, and that check is not to miss any more
	Forget []string          `yaml:"forget,flow,omitempty"`
	Rename map[string]string `yaml:"rename,flow,omitempty"`
	// a file's or folder's own place in the site, by its path in the source
	Places map[string]string `yaml:"places,flow,omitempty"`
	Keep   []string          `yaml:"keep,flow,omitempty"` // files beside, never tagged
	// Take comes last, since no two libraries have it alike: two people's new entries then merge whole.
	Take []string `yaml:"take,flow,omitempty"`
}

// A Hold keeps a library at a version, or below one.
type Hold struct {
	At      string `yaml:"at,omitempty" json:"at,omitempty"`           // the version
	Below   string `yaml:"below,omitempty" json:"below,omitempty"`     // the version that it must stay below
	Because string `yaml:"because,omitempty" json:"because,omitempty"` // the reason
	// From is the file that shares it, "" if the list itself says so.
	From string `yaml:"-" json:"from,omitempty"`
}

// Libraries keeps the entries in the order of the file.
type Libraries []Library

// UnmarshalYAML reads the mapping of names to entries.
func (l *Libraries) UnmarshalYAML(n *yaml.Node) error {
	if n.Kind == yaml.ScalarNode && n.Tag == "!!null" {
		return nil
	}
	if n.Kind != yaml.MappingNode {
		return &ListError{Line: n.Line, Column: n.Column, Problem: "libraries must be a mapping of names to entries"}
	}
	names := map[string]bool{}
	for _, l := range *l {
		names[l.Name] = true
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		var lib Library
		if err := decode(n.Content[i+1], &lib, "libraries."+n.Content[i].Value); err != nil {
			return err
		}
		lib.Name, lib.Line = n.Content[i].Value, n.Content[i].Line
		if names[lib.Name] {
			first := slices.IndexFunc(n.Content, func(k *yaml.Node) bool { return k.Value == lib.Name })
			return twice("the library "+lib.Name+" appears", n.Content[first], n.Content[first+1], n.Content[i],
				n.Content[i+1])
		}
		names[lib.Name] = true
		*l = append(*l, lib)
	}
	return nil
}

// Near is the library whose name is nearest to one that is none, "" if none is near: a third of the letters may be
// wrong.
func (l *List) Near(name string) string {
	best, least := "", len(name)/3+1
	for _, lib := range l.Libraries {
		if d := levenshtein.Distance(lib.Name, name, nil); d <= least {
			best, least = lib.Name, d-1
		}
	}
	return best
}

// Library returns the entry of that name, or nil.
func (l *List) Library(name string) *Library {
	for i := range l.Libraries {
		if l.Libraries[i].Name == name {
			return &l.Libraries[i]
		}
	}
	return nil
}

// MergeRetake returns the entry after another take: new values win, the others stay.
func (old Library) MergeRetake(lib Library) Library {
	out := old
	out.From = lib.From
	if lib.Build != NoBuild {
		out.Build = lib.Build
	}
	if lib.Because != "" {
		out.Because = lib.Because
	}
	if lib.Needs != nil {
		out.Needs = lib.Needs
	}
	return out
}

// ErrNewer is wrapped by the error for a record of a newer program.
var ErrNewer = errors.New("the format is newer than this program")

// A ListError is an error in a packing list, with its position.
type ListError struct {
	Line, Column int
	Problem      string
	Next         string // what to do about it
	newer        bool
}

// Unwrap returns ErrNewer for a format that this program does not know.
func (e *ListError) Unwrap() error {
	if e.newer {
		return ErrNewer
	}
	return nil
}

// Error returns the problem, its position, and what to do.
func (e *ListError) Error() string {
	s := e.Where()
	if e.Next != "" {
		s += "; " + e.Next
	}
	return s
}

// Where returns the problem and its position.
func (e *ListError) Where() string {
	return fmt.Sprintf("%s:%d:%d: %s", ListFile, e.Line, e.Column, e.Problem)
}

var yamlLine = memo.Regexp(`line (\d+): (.*)`)

// ReadList reads a packing list. Its errors are *ListError, with line and column.
func ReadList(src []byte) (*List, error) {
	if line := conflict(src); line > 0 {
		return nil, &ListError{Line: line, Column: 1, Problem: "git's conflict marks stand here: two " +
			"people's changes " +
			"did not go together", Next: "combine both changes and remove the marks; merry settle"}
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(src, &doc); err != nil {
		return nil, syntaxError(src, err)
	}
	if len(doc.Content) == 0 {
		return nil, &ListError{Line: 1, Column: 1, Problem: "the packing list is empty",
			Next: "begin it with \"format: 1\", or remove it; merry start"}
	}
	root := doc.Content[0]
	if f := child(root, "format"); f != nil {
		if n, err := strconv.Atoi(f.Value); err == nil && n > Format {
			return nil, &ListError{Line: f.Line, Column: f.Column,
				Problem: fmt.Sprintf("format %d is newer than this program, which knows format %d", n, Format),
				Next:    "use the newer program that wrote it", newer: true}
		}
	}
	var list List
	if err := decode(root, &list, ""); err != nil {
		return nil, err
	}
	if list.Format != Format {
		return nil, &ListError{Line: root.Line, Column: root.Column, Problem: "the packing list has no format",
			Next: "write \"format: 1\" as its first line"}
	}
	list.lines = map[string]int{}
	for i := 0; i+1 < len(root.Content); i += 2 {
		list.lines[root.Content[i].Value] = root.Content[i].Line
	}
	return &list, list.validate(root)
}

// Line is the line of a top-level key in the file, from 1; of one that is not there, the first.
func (l *List) Line(key string) int { return max(1, l.lines[key]) }

func (l *List) validate(root *yaml.Node) error {
	oneOf := func(value, path string, allowed ...string) error {
		if value == "" || slices.Contains(allowed, value) {
			return nil
		}
		at := root
		for _, key := range strings.Split(path, "/") {
			if c := child(at, key); c != nil {
				at = c
			}
		}
		return &ListError{Line: at.Line, Column: at.Column, Problem: fmt.Sprintf("%q is not a value for %s", value,
			strings.ReplaceAll(path, "/", ".")),
			Next: "write " + strings.Join(allowed, " or ")}
	}
	errs := []error{oneOf(string(l.Names), "names", namesWords...), oneOf(string(l.Arrange), "arrange",
		arrangeWords...)}
	for _, lib := range l.Libraries {
		at := "libraries/" + lib.Name + "/"
		errs = append(errs, oneOf(string(lib.Names), at+"names", namesWords...), oneOf(string(lib.Arrange),
			at+"arrange", arrangeWords...),
			oneOf(string(lib.Serve), at+"serve", serveWords...), oneOf(string(lib.Build), at+"build", buildWords...),
			oneOf(string(lib.Only), at+"only", string(DevOnly)))
		if lib.Version != "" && !paths.IsVersion(lib.Version) {
			return &ListError{Line: lib.Line, Column: 3, Problem: fmt.Sprintf("%q, of the library %s, can't be "+
				"a version", lib.Version, lib.Name), Next: "write letters, digits, and . + - _ between them"}
		}
		if cdn.NamesUser(lib.From) {
			return &ListError{Line: lib.Line, Column: 3, Problem: fmt.Sprintf("from: of the library %s contains a "+
				"user name, a password or a token", lib.Name), Next: "remove it; for a registry, name the variable " +
				"that holds the token: merry sources set registry URL --token-from VARIABLE"}
		}
		for _, place := range append(slices.Sorted(maps.Values(lib.Places)), lib.Into) {
			if err := paths.Validate(strings.TrimSuffix(place, "/")); place != "" && err != nil {
				return &ListError{Line: lib.Line, Column: 3, Problem: fmt.Sprintf("%q, of the library %s, can't be a "+
					"path in the site: %v", place, lib.Name, err), Next: "write a path from the site's folder, such " +
					"as plugin/" + lib.Name}
			}
		}
	}
	for _, name := range l.Headers {
		if err := paths.Validate(name); err != nil {
			at := child(root, "headers")
			return &ListError{Line: at.Line, Column: at.Column, Problem: fmt.Sprintf("headers: %q can't be a file of "+
				"the project: %v", name, err), Next: "write a path from the project's root, such as public/_headers"}
		}
	}
	errs = append(errs, oneOf(string(l.Modules.Map), "modules/map", string(InlineMap), string(NoMap)))
	if _, err := support.Parse(l.Browsers); err != nil {
		at := child(root, "browsers")
		return &ListError{Line: at.Line, Column: at.Column, Problem: "browsers: " + err.Error()}
	}
	for name, p := range l.Profiles {
		errs = append(errs, oneOf(string(p.Serve), "profiles/"+name+"/serve", serveWords...),
			oneOf(string(p.Build), "profiles/"+name+"/build", buildWords...))
	}
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// twice is the error of a key that a merge left twice: it names both lines and both values.
func twice(what string, firstKey, firstValue, key, value *yaml.Node) error {
	return &ListError{Line: key.Line, Column: key.Column, Problem: fmt.Sprintf("%s twice, in lines %d and %d: %s, and "+
		"%s; two branches changed it", what, firstKey.Line, key.Line, inLine(firstValue), inLine(value)),
		Next: "remove one of the two lines, then: merry settle"}
}

// maxInLine is how many bytes of a value an error shows.
const maxInLine = 60

// inLine writes a value on one line, shortened.
func inLine(n *yaml.Node) string {
	b, err := yaml.Marshal(n)
	if err != nil {
		return n.Value
	}
	text := strings.Join(strings.Fields(string(b)), " ")
	if len(text) > maxInLine {
		text = strings.ToValidUTF8(text[:maxInLine], "") + "…"
	}
	return text
}

// conflict finds the first mark that git leaves where two changes did not go together, 0 if there is none.
func conflict(src []byte) int {
	line := 0
	for text := range strings.Lines(string(src)) {
		line++
		if strings.HasPrefix(text, "<<<<<<< ") || strings.HasPrefix(text, ">>>>>>> ") ||
			strings.TrimRight(text, "\r\n") == "=======" {
			return line
		}
	}
	return 0
}

func syntaxError(src []byte, err error) error {
	var own *ListError
	if errors.As(err, &own) {
		return own
	}
	e := &ListError{Line: 1, Column: 1, Problem: strings.TrimPrefix(err.Error(), "yaml: ")}
	if m := yamlLine().FindStringSubmatch(err.Error()); m != nil {
		e.Line, _ = strconv.Atoi(m[1])
		e.Problem = m[2]
	}
	if lines := strings.Split(string(src), "\n"); e.Line <= len(lines) {
		line := lines[e.Line-1]
		e.Column = 1 + len(line) - len(strings.TrimLeft(line, " \t"))
		if strings.Contains(line, "\t") && strings.TrimLeft(line, " ") != "" && strings.TrimLeft(line, " ")[0] == '\t' {
			e.Next = "YAML does not allow tabs for indentation; use spaces"
		}
	}
	return e
}

func child(n *yaml.Node, key string) *yaml.Node {
	if n.Kind == yaml.MappingNode {
		for i := 0; i+1 < len(n.Content); i += 2 {
			if n.Content[i].Value == key {
				return n.Content[i+1]
			}
		}
	}
	return nil
}

// decode fills a struct from a mapping and refuses keys that the struct does not have: a misspelt
// key that is passed over in silence is the worst kind of mistake.
func decode(n *yaml.Node, into any, at string) error {
	if n.Kind == yaml.AliasNode {
		n = n.Alias
	}
	if n.Kind != yaml.MappingNode {
		what := "the packing list"
		if at != "" {
			what = at
		}
		return &ListError{Line: n.Line, Column: n.Column, Problem: what + " must be a mapping of keys to values"}
	}
	v := reflect.ValueOf(into).Elem()
	known := map[string]int{}
	var keys []string
	for i := range v.NumField() {
		if key, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("yaml"), ","); key != "-" {
			known[key] = i
			keys = append(keys, key)
		}
	}
	said := map[string]int{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		if first, again := said[key.Value]; again {
			return twice(fmt.Sprintf("%q%s appears", key.Value, inside(at)), n.Content[first], n.Content[first+1], key,
				value)
		}
		said[key.Value] = i
		f, ok := known[key.Value]
		if !ok {
			return &ListError{Line: key.Line, Column: key.Column, Problem: fmt.Sprintf("there is no key %q%s",
				key.Value, inside(at)), Next: nearestKey(key.Value, keys)}
		}
		if value.Kind == yaml.ScalarNode && value.Tag == "!!null" {
			continue
		}
		if err := decodeField(value, v.Field(f), strings.TrimPrefix(at+"."+key.Value, ".")); err != nil {
			var own *ListError
			if errors.As(err, &own) {
				return own
			}
			return &ListError{Line: value.Line, Column: value.Column, Problem: fmt.Sprintf("%s%s has a value of the "+
				"wrong kind: %s", key.Value, inside(at), shape(v.Field(f)))}
		}
	}
	return nil
}

// decodeField decodes what is a mapping of known keys by the same rules, and all else as YAML does.
func decodeField(n *yaml.Node, v reflect.Value, at string) error {
	switch t := v.Type(); {
	case t.Kind() == reflect.Struct:
		return decode(n, v.Addr().Interface(), at)
	case t.Kind() == reflect.Pointer && t.Elem().Kind() == reflect.Struct:
		v.Set(reflect.New(t.Elem()))
		return decode(n, v.Interface(), at)
	case t.Kind() == reflect.Map && t.Elem().Kind() == reflect.Struct && n.Kind == yaml.MappingNode:
		v.Set(reflect.MakeMap(t))
		for i := 0; i+1 < len(n.Content); i += 2 {
			item := reflect.New(t.Elem())
			if err := decode(n.Content[i+1], item.Interface(), at+"."+n.Content[i].Value); err != nil {
				return err
			}
			v.SetMapIndex(reflect.ValueOf(n.Content[i].Value), item.Elem())
		}
		return nil
	}
	return n.Decode(v.Addr().Interface())
}

func inside(at string) string {
	if at == "" {
		return ""
	}
	return " in " + at
}

func shape(v reflect.Value) string {
	switch v.Kind() {
	case reflect.Int:
		return "it takes a number"
	case reflect.Bool:
		return "it takes true or false"
	case reflect.Slice:
		return "it takes a list, such as [a, b]"
	case reflect.Map, reflect.Struct, reflect.Pointer:
		return "it takes keys with values, such as {a: b}"
	}
	return "it takes text"
}

func nearestKey(key string, keys []string) string {
	best, score := "", 0.0
	for _, k := range keys {
		if s := levenshtein.Similarity(key, k, nil); s > score {
			best, score = k, s
		}
	}
	if score >= 0.5 {
		return fmt.Sprintf("did you mean %q?", best)
	}
	return "its keys are " + strings.Join(keys, ", ")
}

// FromRegistry begins the origin of a library that a registry delivered.
const FromRegistry = "registry:"

// Package returns the name of the library's package, and whether it came from a registry.
func (l *Library) Package() (string, bool) { return strings.CutPrefix(l.From, FromRegistry) }

// Usage returns how pages should use a library: its source and its build, explicitly.
func (l *Library) Usage() (Serve, Build) {
	return cmp.Or(l.Serve, Local), cmp.Or(l.Build, Minified)
}

// NameOnCDNs returns a library's name at CDNs: its name in its registry, or else in the crate.
func (l *Library) NameOnCDNs() string {
	if pkg, ok := l.Package(); ok {
		return pkg
	}
	return l.Name
}

// Address is where a CDN of a pattern has a file of the library in a version.
func (l *Library) Address(p cdn.Pattern, version string, f *File) string {
	return p.Address(cdn.File{Name: l.NameOnCDNs(), Version: version, Path: f.Path})
}

// Clone returns a deep copy, which can be planned on.
func (l *List) Clone() *List {
	out := *l
	out.Libraries = make(Libraries, len(l.Libraries))
	for i, lib := range l.Libraries {
		lib.Take, lib.Needs, lib.Rename = slices.Clone(lib.Take), slices.Clone(lib.Needs), maps.Clone(lib.Rename)
		lib.Keep, lib.Places = slices.Clone(lib.Keep), maps.Clone(lib.Places)
		if lib.Hold != nil {
			hold := *lib.Hold
			lib.Hold = &hold
		}
		out.Libraries[i] = lib
	}
	out.CDNs, out.Own.Order = maps.Clone(l.CDNs), slices.Clone(l.Own.Order)
	return &out
}

// Put writes an entry in the place of the one of its name, or behind the last.
func (l *List) Put(lib Library) *Library {
	if old := l.Library(lib.Name); old != nil {
		*old = lib
		return old
	}
	l.Libraries = append(l.Libraries, lib)
	return &l.Libraries[len(l.Libraries)-1]
}

// Remove takes an entry out.
func (l *List) Remove(name string) {
	l.Libraries = slices.DeleteFunc(l.Libraries, func(lib Library) bool { return lib.Name == name })
}

// CDNNames lists the names of the CDNs, sorted.
func (l *List) CDNNames() []string { return slices.Sorted(maps.Keys(l.CDNs)) }
