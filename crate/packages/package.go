package packages

import (
	"bytes"
	"cmp"
	"context"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
)

// analysed is the largest file whose text is read to tell what it is.
const analysed = 16 << 20

// A Tree gives access to the files of a package. Package source has one.
type Tree interface {
	ReadFile(name string) ([]byte, error)
	// ReadInto is ReadFile into a buffer where that is large enough.
	ReadInto(name string, buf []byte) ([]byte, error)
}

// A Listed is one file's name and size, as a tree lists it.
type Listed struct {
	Path         string
	Size, Packed int64
}

// A File describes one file of a package.
type File struct {
	Path            string
	Size            int64
	Packed          int64        // size as packed in the archive, 0 if unknown
	Kind            Kind         //
	Build           record.Build // of scripts and stylesheets
	ExcludedBecause string       // why it is not for a page: sources, tests, documentation, …
	OtherBuild      string       // the same thing in the other build
	Map             string       // its source map
	MapOf           string       // of a source map: the file it belongs to
	Banner          manifest.Banner
	Refs            []Ref          // of a stylesheet: what it asks for; of an ES module: the modules beside it
	Script          *script.Report // of a script that was looked into
	ReadAs          string         // the minified build that was read in its place
	// Fetches are files of the package that a script fetches while it runs.
	Fetches []string
	// ForServer says that it is a program or settings for a server.
	ForServer bool

	// FindsItself says that a script asks where it was loaded from.
	FindsItself bool

	forBundler bool     // it may ask for what bundlers replace
	forLoader  bool     // its text is a module's, or a server's, as far as skimming tells
	names      []string // of files that its text may mean
}

// A Ref is one reference of a stylesheet to another file.
type Ref struct {
	URL    string
	Path   string // in the package, "" if the reference leads out of it
	There  bool
	Offset int
	Font   bool   // it is a font's face, whatever the file's name says
	By     string // a script that fetches it while it runs, where that is why it comes along
}

// A Package describes a library by its files.
type Package struct {
	Name, NameFrom       string // From says what told it
	Version, VersionFrom string
	Licence, LicenceFrom string
	Files                []File // sorted by path
	Manifest             manifest.Manifest
	Manifests            []manifest.Manifest // all of the first folder; Manifest says most
	Catalogues           []Catalogue
	AddOns               []string        // paths of modules among the examples that import the package by its own name
	Unstyled             map[string]bool // paths of stylesheets of which the script makes no use
	Reported             map[string]bool // paths of stylesheets that the script names as a look
	Shown                [][]string      // paths of files that the readme's pieces of code show, by piece
	ShownElsewhere       bool            // they show the library's script under a name that this package lacks
	Spoken               []string        // paths of stylesheets whose names the readme has anywhere
	SpokenGlobals        []string        // globals that its scripts read and the readme calls needed
	ShownFrom            []string        // addresses of other libraries' files, before its own
	Examples             []manifest.Example
	Collects             bool   // the manifest's main file does nothing but hand on several others
	WithFont             string // the stylesheet that has the font for the icons of the likeliest one, "" for none
	WritesLook           bool   // the script writes the stylesheet's rules itself
	DrawnByFont          bool   // the font draws the icons that the script would draw

	index   map[string]int
	byName  map[string][]string // paths by their last part, while it is described
	tree    Tree                // while it is described, nil afterwards
	mains   memo.Memo[Kind, candidate]
	ratings map[*File]rating // of scripts, while nothing changes but which of them were read
	scripts ScriptReader

	once     sync.Once
	referred map[string]bool // paths to which files refer
}

// File returns the file of that path, or nil.
func (d *Package) File(name string) *File {
	if i, ok := d.index[name]; ok {
		return &d.Files[i]
	}
	return nil
}

// Rebuilt makes a package whole that was written down and read again.
func (d *Package) Rebuilt() *Package {
	d.index = make(map[string]int, len(d.Files))
	for i, f := range d.Files {
		d.index[f.Path] = i
	}
	return d
}

// A ScriptReader reads scripts, and may remember the results.
type ScriptReader interface {
	Script(text []byte) *script.Report
}

// plainReader reads each script again.
type plainReader struct{}

// Script reads a script.
func (plainReader) Script(text []byte) *script.Report { return script.Analyze(text) }

// Describe describes a package. Name is the source's file name; scripts, if not nil, reads scripts. The error is the
// context's, or that of a file that can't be read.
func Describe(ctx context.Context, name string, items []Listed, tree Tree, scripts ScriptReader) (*Package, error) {
	return usual.describe(ctx, name, items, tree, scripts)
}

// DescribeAll is Describe that parses every script that is not excluded, whatever that takes.
func DescribeAll(ctx context.Context, name string, items []Listed, tree Tree, scripts ScriptReader) (*Package, error) {
	return everything.describe(ctx, name, items, tree, scripts)
}

func (much reading) describe(ctx context.Context, name string, items []Listed, tree Tree, scripts ScriptReader) (
	*Package, error) {
	if scripts == nil {
		scripts = plainReader{}
	}
	d := &Package{index: map[string]int{}, tree: tree, scripts: scripts}
	for i, it := range items {
		f := File{Path: it.Path, Size: it.Size, Packed: it.Packed, Kind: KindOf(it.Path),
			ExcludedBecause: excludedBecause(it.Path)}
		d.Files = append(d.Files, f)
		d.index[it.Path] = i
	}
	d.indexNames()
	d.installed(tree)
	d.readManifest(tree)
	if err := d.followMain(); err != nil {
		return nil, err
	}
	for i := range d.Manifests {
		if d.Manifests[i].File == d.Manifest.File {
			d.Manifests[i] = d.Manifest
		}
	}
	d.includeNamed(name)
	d.keepOnlyFolders()
	small, err := d.readFiles(ctx, much)
	if err != nil {
		return nil, err
	}
	if d.nothingLeft() {
		if err := d.readIncluded(ctx); err != nil {
			return nil, err
		}
	}
	if err := d.readModules(ctx); err != nil {
		return nil, err
	}
	if err := d.findPrograms(); err != nil {
		return nil, err
	}
	d.recogniseFonts()
	d.linkBuilds()
	d.tieMaps()
	d.identify(name, tree)
	d.readReadme()
	if !small {
		if err := d.lookAtLikely(ctx, much.likely); err != nil {
			return nil, err
		}
	}
	if err := d.relate(ctx); err != nil {
		return nil, err
	}
	d.tree, d.scripts = nil, nil
	return d, nil
}

// relate finds what the files mean to each other, once each was read.
func (d *Package) relate(ctx context.Context) error {
	if err := d.parseNamed(ctx); err != nil {
		return err
	}
	if err := d.readStyled(); err != nil {
		return err
	}
	d.tieFetched()
	if err := d.tieComposed(); err != nil {
		return err
	}
	if err := d.readStylesheets(); err != nil {
		return err
	}
	if err := d.readDoubled(); err != nil {
		return err
	}
	d.Catalogues = d.catalogues()
	return d.readAddOns(ctx)
}

// likelyName is the library's name as far as it is known before any file was read.
func (d *Package) likelyName(source string) string {
	name, _ := manifest.NameVersion(source)
	return name
}

// includeNamed reverts the setting apart of scripts and stylesheets that the manifest names, or that have the library's
// own name: what a folder is called weighs less.
func (d *Package) includeNamed(source string) {
	named := map[string]bool{}
	m := d.Manifest
	for _, name := range []string{m.Main, m.Browser, m.Style, m.Module, m.Exports} {
		named[path.Clean(name)] = true
	}
	for _, name := range m.Named {
		named[path.Clean(name)] = true
	}
	name := manifest.NameKey(cmp.Or(m.Name, d.likelyName(source)))
	elsewhere := map[Kind]bool{} // kinds of which another file has the library's name, or begins with it and is named
	own := func(f *File) bool { return name != "" && stemKey(f.Path) == name }
	for i := range d.Files {
		f := &d.Files[i]
		elsewhere[f.Kind] = elsewhere[f.Kind] || f.ExcludedBecause == "" && (own(f) || name != "" && named[f.Path] &&
			strings.HasPrefix(stemKey(f.Path), name))
	}
	for i := range d.Files {
		f := &d.Files[i]
		if f.Kind != Script && f.Kind != Stylesheet || f.ExcludedBecause == "" || f.ExcludedBecause == "tests" ||
			f.ExcludedBecause == otherPackages || f.ExcludedBecause == "sources" ||
			excludedFile(path.Base(f.Path)) != "" {
			continue
		}
		if named[f.Path] || own(f) && !elsewhere[f.Kind] {
			f.ExcludedBecause = ""
		}
	}
}

// keepOnlyFolders reverts the setting apart of folders where nothing else would be left: a
// library that keeps its one script in src/ means that one.
func (d *Package) keepOnlyFolders() {
	for _, kind := range []Kind{Script, Stylesheet} {
		if slices.ContainsFunc(d.Files, func(f File) bool { return f.Kind == kind && f.ExcludedBecause == "" }) {
			return
		}
	}
	for i := range d.Files {
		if f := &d.Files[i]; (f.Kind == Script || f.Kind == Stylesheet) && (f.ExcludedBecause == "sources" ||
			f.ExcludedBecause == "tools" || f.ExcludedBecause == "documentation" && inMedia(f.Path)) &&
			excludedFile(path.Base(f.Path)) == "" {
			f.ExcludedBecause = ""
		}
	}
}

// inMedia tells a file below a folder called media, which some use for what pages load, and others for pictures of
// their documentation.
func inMedia(name string) bool {
	return strings.HasPrefix(name, "media/") || strings.Contains(name, "/media/")
}

// read learns what it can from a file's text. It returns the buffer, for the next one.
func (d *Package) read(f *File, tree Tree, buf []byte, parse bool) ([]byte, error) {
	b, err := tree.ReadInto(f.Path, buf)
	if err != nil {
		return buf, err
	}
	f.ForServer = ForServer(f.Path, b[:min(len(b), headSize)])
	f.Build = manifest.BuildOf(b)
	f.Banner = manifest.BannerOf(b)
	if url := manifest.SourceMapOf(b); url != "" {
		if p, ok := resolve(f.Path, url); ok {
			f.Map = p
		}
	}
	if f.Kind == Script {
		f.forLoader, f.forBundler = forLoader(b), bytes.Contains(b, []byte("process."))
		switch {
		case !parse:
		case serverByName(f.Path) && asksServer(b) && !importsOrExports(b) && f.forLoader:
			f.Script = &script.Report{Form: script.Server} // no page has it, so no more is asked
		default:
			d.look(f, b)
		}
	}
	if f.Kind == Stylesheet {
		for _, r := range style.References(b) {
			ref := Ref{URL: r.URL, Offset: r.Offset, Font: r.Font}
			if p, ok := resolve(f.Path, r.URL); ok {
				ref.Path = p
				_, ref.There = d.index[p]
			}
			f.Refs = append(f.Refs, ref)
		}
	}
	return b, nil
}

// recogniseFonts makes fonts of the drawings (.svg) that stylesheets ask for as a font's face.
func (d *Package) recogniseFonts() {
	for i := range d.Files {
		for _, r := range d.Files[i].Refs {
			if f := d.File(r.Path); r.Font && f != nil && f.Kind == Image {
				f.Kind = Font
			}
		}
	}
}

// resolve finds the file in the tree that a relative address means; what has a scheme, a host or a
// leading slash means none.
func resolve(from, url string) (string, bool) {
	way := PathOf(url)
	if way == "" || way[0] == '/' || hasScheme(url) {
		return "", false
	}
	p := path.Join(path.Dir(from), way)
	return p, p != ".." && !strings.HasPrefix(p, "../")
}

// hasScheme reports whether an address begins with a scheme (RFC 3986, section 3.1).
func hasScheme(url string) bool {
	for i := range len(url) {
		switch c := url[i]; {
		case c == ':':
			return i > 0
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
		case i > 0 && (c >= '0' && c <= '9' || c == '+' || c == '-' || c == '.'):
		default:
			return false
		}
	}
	return false
}

// PathOf is the path of a relative address, less its query and its fragment, as it is on disk.
func PathOf(url string) string {
	url, _, _ = strings.Cut(url, "#")
	url, _, _ = strings.Cut(url, "?")
	return unescapePath(url)
}

func unescapePath(s string) string {
	if !strings.Contains(s, "%") {
		return s
	}
	var out strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '%' && i+2 < len(s) {
			if hi, lo := strings.IndexByte(hexDigits, s[i+1]|0x20), strings.IndexByte(hexDigits,
				s[i+2]|0x20); hi >= 0 && lo >= 0 {
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

// identify finds name, version and licence: from a manifest, else from the source's file name, else
// from a banner.
func (d *Package) identify(source string, tree Tree) {
	say := func(value, from string, to, toFrom *string) {
		if *to == "" && value != "" {
			*to, *toFrom = value, from
		}
	}
	m := d.Manifest
	say(m.Name, m.File, &d.Name, &d.NameFrom)
	say(m.Version, m.File, &d.Version, &d.VersionFrom)
	say(m.Licence, m.File, &d.Licence, &d.LicenceFrom)
	name, version := manifest.NameVersion(source)
	say(version, "the file name", &d.Version, &d.VersionFrom)
	if version != "" {
		say(strings.ToLower(name), "the file name", &d.Name, &d.NameFrom)
	}
	for _, f := range d.Files {
		if f.ExcludedBecause != "" || f.Banner == (manifest.Banner{}) {
			continue
		}
		if len(d.Files) == 1 || d.Name == "" || stemOf(f.Path) == strings.ToLower(d.Name) ||
			stemOf(f.Path) == strings.ToLower(name) {
			say(f.Banner.Version, "the banner of "+f.Path, &d.Version, &d.VersionFrom)
			if stemOf(f.Path) == f.Banner.Name {
				say(f.Banner.Name, "the banner of "+f.Path, &d.Name, &d.NameFrom)
			}
			say(f.Banner.Licence, "the banner of "+f.Path, &d.Licence, &d.LicenceFrom)
		}
	}
	say(strings.ToLower(name), "the file name", &d.Name, &d.NameFrom)
	for _, f := range d.Files {
		if d.Licence == "" && f.Kind == Licence && f.Size < 1<<20 && !strings.Contains(f.Path, "/") {
			if b, err := tree.ReadFile(f.Path); err == nil {
				say(manifest.LicenceOf(string(b)), f.Path, &d.Licence, &d.LicenceFrom)
			}
		}
	}
}
