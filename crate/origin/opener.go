// Package origin opens a source that a person names: a path, an address, or a package of a registry, through the user's
// cache.
package origin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"golang.org/x/sync/errgroup"

	"merrycrate.example/merry/crate/archive"
	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// An Opener opens sources: from the disk, the user's cache and, if allowed, the network. Its methods may be called from
// several goroutines. Close frees what it opened.
type Opener struct {
	Cache  *source.Cache
	Client *source.Client
	// Registries are the package registries in the user's settings. None is built in.
	Registries []source.Registry
	// Scripts reads scripts, and remembers; nil reads each again.
	Scripts packages.ScriptReader
	// Everything reads all scripts of a package, and not only those that decide what a page wants.
	Everything bool
	Offline    bool
	Fresh      bool // fetch again what was seen before

	documents memo.Memo[documentKey, *source.Package]
	packages  memo.Memo[string, *Opened]      // by name and version
	trees     memo.Memo[string, *source.Tree] // packages opened from the cache, by digest
	same      memo.Memo[string, bool]         // addresses with the integrity that they were found to have
}

// Close closes the packages and packages that were opened for the whole run.
func (r *Opener) Close() {
	r.packages.Each(func(_ string, o *Opened) { o.Tree.Close() })
	r.trees.Each(func(_ string, t *source.Tree) { t.Close() })
	if r.Cache != nil {
		r.Cache.Close()
	}
}

// An Opened is an opened source with its description.
type Opened struct {
	*packages.Package
	Tree *source.Tree
	// From is the source: a path on disk, an address, or a package as the packing list names it.
	From      string
	Spec      string // the source as it was named, for the next command
	Kind      Kind
	Dist      *source.Version // of a package: what the registry says of it
	Notes     []string        // what the taking person should know of the source
	FirstSeen bool            // nothing was known of these bytes before
	runs      bool            // it ends with the run
	// Asks says of a source on disk that what it needs may be looked up in registries.
	Asks bool
}

// InRegistry reports whether what the source needs is looked up in registries.
func (o *Opened) InRegistry() bool { return o.Kind == Package || o.Asks }

// Depends returns the packages that must be there with it, those that it depends on, each with a range, and those of
// the first that it can do without:
// as the registry says, else as its own manifest does.
func (o *Opened) Depends() (peers, dependencies map[string]string, optional map[string]bool) {
	if o.Dist != nil {
		return o.Dist.Peers, o.Dist.Dependencies, o.Dist.OptionalPeers
	}
	return o.Manifest.Peers, o.Manifest.Dependencies, nil
}

// A Kind is the kind of a source.
type Kind int

// The kinds of source.
const (
	Path    Kind = iota // an archive, a folder or a file on disk
	Address             // a download, by its address
	Package             // a package of a registry
)

// Close ends the source, unless others may have it open: then it ends with the run.
func (o *Opened) Close() {
	if !o.runs {
		o.Tree.Close()
	}
}

// For returns the source as the packing list records it: its path if it is inside the project, else its name only,
// because a path of one machine means nothing on another.
func (o *Opened) For(root string) string {
	if o.Kind != Path {
		return o.From
	}
	if rel, err := filepath.Rel(root, o.From); err == nil && filepath.IsLocal(rel) {
		return filepath.ToSlash(rel)
	}
	return filepath.Base(o.From)
}

// A Request names a source.
type Request struct {
	Name string // a path, an address, or a package
	Dir  string // where relative paths begin
	// Integrity is the required integrity of the source's bytes, "" for any.
	Integrity string
	// Recorded says that the name comes from a record of the project rather than from the user.
	Recorded bool
	// Allowed narrows the choice of a package's versions, nil for all.
	Allowed func(version string) bool
}

// Open opens a source.
func (r *Opener) Open(ctx context.Context, req Request) (opened *Opened, err error) {
	var meta integrity.Metadata
	if req.Integrity != "" {
		if meta, err = integrity.Parse(req.Integrity); err != nil {
			return nil, problem.Misuse("print the integrity of a file that you trust: merry seal FILE",
				"--integrity: %w", err)
		}
	}
	pkg, said := strings.CutPrefix(req.Name, record.FromRegistry)
	if said || !source.IsAddress(req.Name) && !There(req.Dir, req.Name) && LooksLikePackage(req.Name) {
		if meta != nil {
			return nil, problem.Misuse("leave --integrity out", "--integrity is for downloads; a registry gives a "+
				"package's digest itself")
		}
		name, wish := SplitPackage(pkg)
		return r.OpenPackage(ctx, name, wish, req.Allowed)
	}
	if err := source.RefuseUser(req.Name); err != nil && source.IsAddress(req.Name) {
		return nil, err
	}
	address := req.Name // with what fetching it needs
	if source.IsAddress(address) {
		var hidden []string
		if req.Name, hidden = cdn.WithoutSecrets(address); len(hidden) > 0 {
			defer func() {
				if opened != nil {
					opened.Notes = append(opened.Notes, secretNote(hidden))
				}
			}()
		}
	}
	o := &Opened{From: req.Name, Kind: Address}
	if source.IsAddress(req.Name) {
		o.Tree, o.FirstSeen, err = r.openAddress(ctx, address, req.Recorded, meta)
	} else {
		o.Kind = Path
		if !filepath.IsAbs(o.From) {
			o.From = filepath.Join(req.Dir, o.From)
		}
		o.FirstSeen = meta == nil
		o.Tree, err = r.openPath(o.From, req.Name, meta)
	}
	if err != nil {
		return nil, err
	}
	if o, err = r.Describe(ctx, o); err == nil && o.Kind == Address {
		o.nameByAddress(req.Name)
	}
	if err == nil {
		o.Spec = req.Name
	}
	return o, err
}

// secretNote says what of an address is not recorded, and what that means elsewhere.
func secretNote(hidden []string) string {
	return fmt.Sprintf("not recorded: the address's %s, which looks like a credential; on another machine, fetch the "+
		"download with its whole address first (merry peek ADDRESS), then merry refill", strings.Join(hidden, ", "))
}

// nameByAddress names a library by the address that it was opened from, where its own files say less: one script alone
// has a name such as index.global, and its address the package's and the version.
func (o *Opened) nameByAddress(address string) {
	said := ReadAddress(address)
	if said.Version == "" || o.Version != "" && o.VersionFrom != "the file name" && o.Version != said.Version {
		return
	}
	if o.Manifest.Name == "" && source.ValidPackage(said.Name) {
		o.Name, o.NameFrom = said.Name, "the address"
	}
	if o.Version == "" {
		o.Version, o.VersionFrom = said.Version, "the address"
	}
}

// There reports whether a name is that of a file or folder, seen from dir.
func There(dir, name string) bool {
	if !filepath.IsAbs(name) {
		name = filepath.Join(dir, name)
	}
	_, err := os.Stat(name)
	return err == nil
}

// Describe describes the files of an opened tree. It hashes the tree meanwhile, because its digest is needed in the end
// and takes as long.
func (r *Opener) Describe(ctx context.Context, o *Opened) (*Opened, error) {
	items := make([]packages.Listed, len(o.Tree.Entries))
	for i, e := range o.Tree.Entries {
		items[i] = packages.Listed(e)
	}
	hint := o.Tree.Name
	if n, v := manifest.NameVersion(hint); v == "" && n != "" && o.Tree.Top != "" {
		if _, topVersion := manifest.NameVersion(o.Tree.Top); topVersion != "" {
			hint = o.Tree.Top
		}
	}
	// What was learned of the same bytes before is true still.
	remembered := ""
	if _, ok := o.Tree.File(); ok && r.Cache != nil && o.Tree.Size >= rememberFrom {
		if digest, err := o.Tree.Digest(); err == nil {
			if remembered = digest + " " + hint; r.Everything {
				remembered += " everything"
			}
			if b, ok := r.Cache.Result(packageResult, remembered); ok {
				var d packages.Package
				if json.Unmarshal(b, &d) == nil {
					o.Package = d.Rebuilt()
					return o, nil
				}
			}
		}
	}
	g, inner := errgroup.WithContext(ctx)
	g.Go(func() error {
		_, err := o.Tree.Digest()
		return err
	})
	g.Go(func() error {
		return parallel.Recover(func() (err error) {
			describe := packages.Describe
			if r.Everything {
				describe = packages.DescribeAll
			}
			o.Package, err = describe(inner, hint, items, o.Tree, r.Scripts)
			return err
		})
	})
	if err := g.Wait(); err != nil {
		o.Tree.Close()
		return nil, err
	}
	if remembered != "" {
		if b, err := json.Marshal(o.Package); err == nil && len(b) <= maxRemembered {
			r.Cache.PutResult(packageResult, remembered, b) // a cache that can't be written to is no reason to fail
		}
	}
	return o, nil
}

// packageResult is the kind of package descriptions in the cache. They depend on the reports on scripts.
const packageResult = "package " + packageSources + " " + facts.ScriptResult

// Of a small package nothing is kept, since it is read as quickly as looked up; nor is an account that is itself large.
// In bytes.
const (
	rememberFrom  = 100 << 10
	maxRemembered = 16 << 20
)

// Has reports whether the cache has the package of a library.
func (r *Opener) Has(sealed *record.Sealed) bool {
	return sealed.Digest != "" && r.Cache.Has(sealed.Digest)
}

// OpenKept opens the package of a library as the cache has it. The error of one that is not there is fs.ErrNotExist.
func (r *Opener) OpenKept(ctx context.Context, digest, origin string) (*Opened, error) {
	if digest == "" {
		return nil, fs.ErrNotExist
	}
	t, err := r.Cache.OpenTree(digest, path.Base(origin))
	if err != nil {
		return nil, err
	}
	return r.Describe(ctx, &Opened{Tree: t, From: origin})
}

func (r *Opener) openPath(full, said string, meta integrity.Metadata) (*source.Tree, error) {
	info, err := os.Stat(full)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, problem.Refuse(problem.FileUnknown, "name an archive, a folder, a file, an address, or "+
			"NAME@VERSION of a registry", "there is no file or folder %s", said)
	}
	if err != nil {
		return nil, err
	}
	if !info.IsDir() && !info.Mode().IsRegular() {
		return nil, problem.Refuse(problem.SourceRefused, "name an archive, a folder or a file",
			"%s is refused: it is not a plain file", said)
	}
	if info.IsDir() {
		if meta != nil {
			return nil, problem.Misuse("leave --integrity out", "--integrity is for one file, and %s is a folder", said)
		}
		return archive.OpenPath(full)
	}
	f, err := os.Open(full)
	if err != nil {
		return nil, err
	}
	t, err := r.openFile(f, said, meta)
	if err != nil {
		f.Close()
	}
	return t, err
}

// openFile opens an archive or a single file that the caller opened: what is checked is what is read.
func (r *Opener) openFile(f *os.File, said string, meta integrity.Metadata) (*source.Tree, error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if meta != nil {
		if err := demand(meta, io.NewSectionReader(f, 0, info.Size()), said); err != nil {
			return nil, err
		}
	}
	name := filepath.Base(f.Name())
	if r.Cache == nil || !packedTar(name) {
		return archive.OpenReader(name, f)
	}
	// What is in it may be remembered by its digest; unpacking takes ten times as long as hashing.
	sums, err := integrity.OfReader(io.NewSectionReader(f, 0, info.Size()), "sha384")
	if err != nil {
		return nil, err
	}
	return r.Cache.OpenKnown(name, f, sums["sha384"])
}

// packedTar tells the names of archives that must be unpacked whole to see what is in them.
func packedTar(name string) bool {
	name = strings.ToLower(name)
	return strings.HasSuffix(name, ".tgz") || strings.Contains(path.Base(name), ".tar.")
}

// demand refuses bytes that are not what was asked for.
func demand(meta integrity.Metadata, r io.Reader, what string) error {
	sums, err := integrity.OfReader(r, "sha384", meta.Algorithm())
	if err != nil || meta.Allows(sums[meta.Algorithm()]) {
		return err
	}
	return problem.Refuse(problem.NotTheBytes, "fetch it again, or check where the integrity came from",
		"%s does not have the required bytes, so it was not opened\n  required: %s\n  it has:   %s", what,
		meta.Strongest()[0], sums["sha384"])
}

// openAddress takes an address from the cache where it was seen before, else from the network.
func (r *Opener) openAddress(ctx context.Context, whole string, recorded bool, meta integrity.Metadata) (*source.Tree,
	bool, error) {
	address, _ := cdn.WithoutSecrets(whole)
	if seen, ok := r.Cache.Seen(address); ok && !r.Fresh {
		if t, err := r.Cache.OpenTree(seen.Integrity, seen.Name); err == nil {
			if meta != nil {
				f, _ := t.File()
				if err := demand(meta, io.NewSectionReader(f, 0, t.Size), address); err != nil {
					t.Close()
					return nil, false, err
				}
			}
			return t, false, nil
		} else if !errors.Is(err, fs.ErrNotExist) {
			return nil, false, err
		}
	}
	got, integ, err := r.fetch(ctx, whole, recorded, meta)
	if err != nil {
		return nil, false, err
	}
	defer got.Close()
	known, before := r.Cache.Seen(address)
	if before && known.Integrity != integ {
		return nil, false, problem.Refuse(problem.NotTheBytes, "if that is right, add --integrity "+integ,
			"%s has other bytes than before\n  before: %s\n  now:    %s", address, known.Integrity, integ)
	}
	t, err := r.Cache.TakeOver(got, integ, got.Name)
	if err != nil {
		return nil, false, err
	}
	return t, meta == nil && !before, r.Cache.PutSeen(source.Seen{URL: address, Integrity: integ, Name: got.Name})
}

// fetch downloads an address and tells its integrity, which must be what meta allows.
func (r *Opener) fetch(ctx context.Context, whole string, recorded bool, meta integrity.Metadata) (*source.Fetched,
	string, error) {
	address, _ := cdn.WithoutSecrets(whole)
	if r.Offline {
		return nil, "", problem.Fault(problem.Offline, "the same command without --offline", "%s must be fetched, and "+
			"--offline allows no connection", address)
	}
	from := source.Typed
	if _, known := r.Cache.Seen(address); recorded && !known {
		from = source.Recorded
	}
	got, err := r.Client.Fetch(ctx, whole, from, r.Cache)
	if err != nil {
		return nil, "", err
	}
	if meta != nil {
		if err := demand(meta, io.NewSectionReader(got.File, 0, got.Size), address); err != nil {
			got.Close()
			return nil, "", err
		}
	}
	sums, err := got.Hash("sha384")
	if err != nil {
		got.Close()
	}
	return got, sums["sha384"], err
}

// Fetch downloads an address that a page or a record has, and returns its bytes.
func (r *Opener) Fetch(ctx context.Context, address string) ([]byte, error) {
	got, _, err := r.fetch(ctx, address, true, nil)
	if err != nil {
		return nil, err
	}
	defer got.Close()
	return got.Bytes()
}

// FetchAsked fetches an address that the user typed, which may lead into the user's own network. The answer is
// remembered.
func (r *Opener) FetchAsked(ctx context.Context, address string) ([]byte, error) {
	got, _, err := r.fetch(ctx, address, false, nil)
	if err != nil {
		return nil, err
	}
	defer got.Close()
	b, err := got.Bytes()
	if err != nil {
		return nil, err
	}
	return b, r.remember(address, b)
}

// remember keeps what an address gave.
func (r *Opener) remember(address string, b []byte) error {
	integ := integrity.Of(b)
	address, _ = cdn.WithoutSecrets(address)
	if err := r.Cache.Put(integ, b); err != nil {
		return err
	}
	return r.Cache.PutSeen(source.Seen{URL: address, Integrity: integ, Name: path.Base(address)})
}

// FetchOnce is Fetch, or what the address gave before.
func (r *Opener) FetchOnce(ctx context.Context, address string) ([]byte, error) {
	public, _ := cdn.WithoutSecrets(address)
	if seen, ok := r.Cache.Seen(public); ok && !r.Fresh {
		if b, err := r.Cache.Get(seen.Integrity); err == nil {
			return b, nil
		}
	}
	b, err := r.Fetch(ctx, address)
	if err != nil {
		return nil, err
	}
	return b, r.remember(address, b)
}

// keptFileByFile is how large a taken set may be, in bytes, to be kept in the cache file by file, beside the package
// that it came from: for refill that is quicker than unpacking.
const keptFileByFile = 24 << 20

// Store stores the taken files in the cache, so that they never have to be fetched again.
func (r *Opener) Store(ctx context.Context, o *Opened, sealed *record.Sealed) error {
	if f, ok := o.Tree.File(); ok && sealed.Digest != "" {
		if err := r.Cache.PutFile(sealed.Digest, f, o.Tree.Size); err != nil {
			return err
		}
	}
	var total int64
	for _, f := range sealed.Files {
		total += f.Size
	}
	if sealed.Digest != "" && total > keptFileByFile {
		return nil
	}
	return parallel.Each(ctx, sealed.Files, func(_ context.Context, f record.File) error {
		if r.Cache.Has(f.Integrity) {
			return nil
		}
		b, err := o.Tree.ReadFile(f.Path)
		if err != nil {
			return err
		}
		return r.Cache.Put(f.Integrity, b)
	})
}

// Kept returns the bytes of a sealed file from the cache: kept as they are, or inside the package that they came from.
// The error of a file that is in neither is fs.ErrNotExist.
func (r *Opener) Kept(sealed *record.Sealed, f *record.File) ([]byte, error) {
	b, err := r.Cache.Get(f.Integrity)
	if err == nil || sealed.Digest == "" {
		return b, err
	}
	t, err := r.trees.Get(sealed.Digest, func() (*source.Tree, error) {
		return r.Cache.OpenTree(sealed.Digest, path.Base(sealed.Origin))
	})
	if err != nil {
		return nil, err
	}
	if b, err = t.ReadFile(f.Path); err != nil {
		return nil, err
	}
	if integrity.Of(b) != f.Integrity {
		return nil, fs.ErrNotExist
	}
	return b, nil
}
