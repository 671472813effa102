package delivery

import (
	"encoding/json"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// analysed is the largest file whose text is read to tell what it is.
const analysed = 16 << 20

// parsedMost is the largest script that is parsed, parsedAll how much of scripts is parsed without
// regard to names.
const (
	parsedMost = 6 << 20
	parsedAll  = 8 << 20
)

// A Tree is what a delivery is read from: package source has one.
type Tree interface {
	ReadFile(name string) ([]byte, error)
	// ReadInto is ReadFile into a buffer where that is large enough.
	ReadInto(name string, buf []byte) ([]byte, error)
}

// An Item is one file's name and size, as a tree lists it.
type Item struct {
	Path         string
	Size, Packed int64
}

// A File is what was learned of one file.
type File struct {
	Path   string
	Size   int64
	Packed int64  // size as packed in the archive, 0 where unknown
	Kind   Kind   //
	Build  Build  // of scripts and stylesheets
	Aside  string // why it is not for a page: sources, tests, documentation, …
	Pair   string // the same thing in the other build
	Map    string // its source map
	MapOf  string // of a source map: the file it belongs to
	Banner Banner
	Refs   []Ref          // of a stylesheet: what it asks for; of an ES module: the modules beside it
	Script *script.Report // of a script that was looked into
}

// A Ref is one reference of a stylesheet to another file.
type Ref struct {
	URL    string
	Path   string // in the delivery, "" where the reference leads out of it
	There  bool
	Offset int
}

// A Delivery is what was learned about a library from its files.
type Delivery struct {
	Name, NameFrom       string // From says what told it
	Version, VersionFrom string
	Licence, LicenceFrom string
	Files                []File // sorted by path
	Manifest             Package

	index map[string]int
}

// Package is what a package manifest inside the delivery says. It hints; the files decide.
type Package struct {
	Name, Version, Licence string
	Main, Browser, Style   string
	Module, Exports        string // Exports is what the package's own name stands for
	Dependencies           map[string]string
	Peers                  map[string]string
}

// File returns the file of that path, or nil.
func (d *Delivery) File(name string) *File {
	if i, ok := d.index[name]; ok {
		return &d.Files[i]
	}
	return nil
}

// Describe learns what it can about a delivery. Name is the source's own file name. The workers
// bound how many files are read at once.
func Describe(name string, items []Item, tree Tree, workers int) (*Delivery, error) {
	d := &Delivery{index: map[string]int{}}
	for i, it := range items {
		f := File{Path: it.Path, Size: it.Size, Packed: it.Packed, Kind: KindOf(it.Path), Aside: asideOf(it.Path)}
		d.Files = append(d.Files, f)
		d.index[it.Path] = i
	}
	d.spareTheOnlyOnes()
	var wg sync.WaitGroup
	var mu sync.Mutex
	var failed error
	// Parsing is slow beside all else, so of a very large delivery only likely scripts are parsed.
	var scripts int64
	for _, f := range d.Files {
		if f.Kind == Script && f.Aside == "" {
			scripts += f.Size
		}
	}
	key := nameKey(d.likelyName(name))
	parsed := func(f *File) bool {
		return f.Size <= parsedMost && (scripts <= parsedAll || strings.HasPrefix(stemKey(f.Path), key))
	}
	next := make(chan int)
	for range max(1, workers) {
		wg.Go(func() {
			var buf []byte
			for i := range next {
				var err error
				if buf, err = d.read(&d.Files[i], tree, buf, parsed(&d.Files[i])); err != nil {
					mu.Lock()
					if failed == nil {
						failed = err
					}
					mu.Unlock()
				}
			}
		})
	}
	for i := range d.Files {
		if f := &d.Files[i]; f.Size <= analysed && f.Aside == "" && (f.Kind == Script || f.Kind == Stylesheet) {
			next <- i
		}
	}
	close(next)
	wg.Wait()
	if failed != nil {
		return nil, failed
	}
	d.pair()
	d.tieMaps()
	d.identify(name, tree)
	return d, nil
}

// likelyName is the library's name as far as it is known before any file was read.
func (d *Delivery) likelyName(source string) string {
	name, _ := NameVersion(source)
	return name
}

// spareTheOnlyOnes takes back the setting apart of folders where nothing else would be left: a
// library that keeps its one script in src/ means that one.
func (d *Delivery) spareTheOnlyOnes() {
	for _, kind := range []Kind{Script, Stylesheet} {
		if slices.ContainsFunc(d.Files, func(f File) bool { return f.Kind == kind && f.Aside == "" }) {
			return
		}
	}
	for i := range d.Files {
		if f := &d.Files[i]; (f.Kind == Script || f.Kind == Stylesheet) && (f.Aside == "sources" || f.Aside == "tools") && asideFile(path.Base(f.Path)) == "" {
			f.Aside = ""
		}
	}
}

// read learns what it can from a file's text. It returns the buffer, for the next one.
func (d *Delivery) read(f *File, tree Tree, buf []byte, parse bool) ([]byte, error) {
	b, err := tree.ReadInto(f.Path, buf)
	if err != nil {
		return buf, err
	}
	f.Build = BuildOf(b)
	f.Banner = BannerOf(b)
	if url := SourceMapOf(b); url != "" {
		if p, ok := resolve(f.Path, url); ok {
			f.Map = p
		}
	}
	if f.Kind == Script && parse {
		f.Script = script.Analyze(b)
		for _, from := range f.Script.ModuleImport {
			// A module's own parts come along as a stylesheet's files do; names of packages are somebody else's.
			if p, ok := resolve(f.Path, from); ok && strings.HasPrefix(from, ".") {
				_, there := d.index[p]
				f.Refs = append(f.Refs, Ref{URL: from, Path: p, There: there})
			}
		}
	}
	if f.Kind == Stylesheet {
		for _, r := range style.References(b) {
			ref := Ref{URL: r.URL, Offset: r.Offset}
			if p, ok := resolve(f.Path, r.URL); ok {
				ref.Path = p
				_, ref.There = d.index[p]
			}
			f.Refs = append(f.Refs, ref)
		}
	}
	return b, nil
}

// resolve finds the file in the tree that a relative address means; what has a scheme, a host or a
// leading slash means none.
func resolve(from, url string) (string, bool) {
	url, _, _ = strings.Cut(url, "#")
	url, _, _ = strings.Cut(url, "?")
	if url == "" || url[0] == '/' || strings.Contains(strings.SplitN(url, "/", 2)[0], ":") {
		return "", false
	}
	p := path.Join(path.Dir(from), unescapePath(url))
	return p, p != ".." && !strings.HasPrefix(p, "../")
}

func unescapePath(s string) string {
	if !strings.Contains(s, "%") {
		return s
	}
	var out strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '%' && i+2 < len(s) {
			if hi, lo := strings.IndexByte(hexDigits, s[i+1]|0x20), strings.IndexByte(hexDigits, s[i+2]|0x20); hi >= 0 && lo >= 0 {
				out.WriteByte(byte(hi<<4 | lo))
				i += 2
				continue
			}
		}
		out.WriteByte(s[i])
	}
	return out.String()
}

const hexDigits = "0123456789abcdef"

// stemOf is a file's name without ending and without the marks of builds, in lower case.
func stemOf(name string) string {
	base := path.Base(name)
	return strings.ToLower(trimBuild(strings.TrimSuffix(base, path.Ext(base))))
}

// pair finds the files that are the same thing in the two builds. Names bring two files together;
// which is which is told by their content.
func (d *Delivery) pair() {
	groups := map[string][]int{}
	for i, f := range d.Files {
		if f.Build != NoBuild {
			key := path.Dir(f.Path) + "/" + stemOf(f.Path) + path.Ext(f.Path)
			groups[key] = append(groups[key], i)
		}
	}
	for _, g := range groups {
		d.pairGroup(g)
	}
	// Some keep the two builds in folders of their own: min/x.js beside x.js, or debug/x.js.
	loose := map[string][]int{}
	for i, f := range d.Files {
		if f.Build == NoBuild || f.Pair != "" {
			continue
		}
		dir, base := path.Split(f.Path)
		var parts []string
		for _, p := range strings.Split(strings.Trim(dir, "/"), "/") {
			switch strings.ToLower(p) {
			case "min", "minified", "debug", "uncompressed", "compressed", "prod", "production", "dev", "development", "readable":
			default:
				parts = append(parts, p)
			}
		}
		key := strings.Join(parts, "/") + "/" + stemOf(base) + path.Ext(base)
		loose[key] = append(loose[key], i)
	}
	for _, g := range loose {
		d.pairGroup(g)
	}
}

func (d *Delivery) pairGroup(g []int) {
	var min, readable []int
	for _, i := range g {
		if d.Files[i].Build == Minified {
			min = append(min, i)
		} else {
			readable = append(readable, i)
		}
	}
	if len(min) == 0 && len(readable) == 2 {
		// Both look readable: then the smaller one that says so by its name is what the makers call
		// minified; its content says otherwise and stays the word that counts.
		return
	}
	if len(min) == 0 || len(readable) == 0 {
		return
	}
	slices.SortFunc(min, func(a, b int) int { return len(d.Files[a].Path) - len(d.Files[b].Path) })
	slices.SortFunc(readable, func(a, b int) int { return len(d.Files[a].Path) - len(d.Files[b].Path) })
	a, b := &d.Files[min[0]], &d.Files[readable[0]]
	a.Pair, b.Pair = b.Path, a.Path
}

// tieMaps ties each source map to its file: by what the file names, else by the map's own name.
func (d *Delivery) tieMaps() {
	for i := range d.Files {
		f := &d.Files[i]
		if f.Map != "" {
			if m := d.File(f.Map); m != nil {
				m.MapOf = f.Path
			}
		}
	}
	for i := range d.Files {
		m := &d.Files[i]
		if m.Kind != Map || m.MapOf != "" {
			continue
		}
		if f := d.File(strings.TrimSuffix(m.Path, ".map")); f != nil {
			m.MapOf = f.Path
			if f.Map == "" {
				f.Map = m.Path
			}
		}
	}
}

// identify finds name, version and licence: from a manifest, else from the source's file name, else
// from a banner.
func (d *Delivery) identify(source string, tree Tree) {
	d.readManifest(tree)
	say := func(value, from string, to, toFrom *string) {
		if *to == "" && value != "" {
			*to, *toFrom = value, from
		}
	}
	m := d.Manifest
	say(m.Name, "package.json", &d.Name, &d.NameFrom)
	say(m.Version, "package.json", &d.Version, &d.VersionFrom)
	say(m.Licence, "package.json", &d.Licence, &d.LicenceFrom)
	name, version := NameVersion(source)
	say(version, "the file name", &d.Version, &d.VersionFrom)
	if version != "" {
		say(strings.ToLower(name), "the file name", &d.Name, &d.NameFrom)
	}
	for _, f := range d.Files {
		if f.Aside != "" || f.Banner == (Banner{}) {
			continue
		}
		if len(d.Files) == 1 || d.Name == "" || stemOf(f.Path) == strings.ToLower(d.Name) || stemOf(f.Path) == strings.ToLower(name) {
			say(f.Banner.Version, "the banner of "+f.Path, &d.Version, &d.VersionFrom)
			if stemOf(f.Path) == f.Banner.Name {
				say(f.Banner.Name, "the banner of "+f.Path, &d.Name, &d.NameFrom)
			}
			say(f.Banner.Licence, "the banner of "+f.Path, &d.Licence, &d.LicenceFrom)
		}
	}
	say(strings.ToLower(name), "the file name", &d.Name, &d.NameFrom)
	for _, f := range d.Files {
		if f.Kind == Licence && f.Size < 1<<20 && !strings.Contains(f.Path, "/") {
			if b, err := tree.ReadFile(f.Path); err == nil {
				say(LicenceOf(string(b)), f.Path, &d.Licence, &d.LicenceFrom)
			}
		}
	}
}

// exported finds the file that a manifest's exports name for the package itself, on a page if they tell.
func exported(raw json.RawMessage) string {
	var file string
	if json.Unmarshal(raw, &file) == nil {
		return file
	}
	var by map[string]json.RawMessage
	if json.Unmarshal(raw, &by) != nil {
		return ""
	}
	for _, key := range []string{".", "browser", "script", "default", "import"} {
		if sub, ok := by[key]; ok {
			if file := exported(sub); file != "" {
				return file
			}
		}
	}
	return ""
}

func (d *Delivery) readManifest(tree Tree) {
	for _, name := range []string{"package.json", "bower.json", "component.json"} {
		f := d.File(name)
		if f == nil || f.Size > 4<<20 {
			continue
		}
		b, err := tree.ReadFile(name)
		if err != nil {
			continue
		}
		// Each field on its own: hand-written manifests have all kinds of values in them.
		var raw map[string]json.RawMessage
		if json.Unmarshal(b, &raw) != nil {
			continue
		}
		text := func(key string) string {
			var s string
			json.Unmarshal(raw[key], &s)
			return s
		}
		words := func(key string) map[string]string {
			var m map[string]string
			json.Unmarshal(raw[key], &m)
			return m
		}
		d.Manifest = Package{Name: text("name"), Version: text("version"), Licence: text("license"), Main: text("main"),
			Browser: text("browser"), Style: text("style"), Module: text("module"), Exports: exported(raw["exports"]), Dependencies: words("dependencies"), Peers: words("peerDependencies")}
		if d.Manifest.Licence == "" {
			var old struct{ Type string }
			json.Unmarshal(raw["license"], &old)
			d.Manifest.Licence = old.Type
		}
		return
	}
}
