package crate

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"sync"

	"golang.org/x/sync/singleflight"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Reach is what a command can get at outside of the project: the user's cache and, where it is allowed,
// the network.
type Reach struct {
	Cache  *source.Cache
	Client *source.Client
	// Registries are the package registries that the user has set; there is none by itself.
	Registries []source.Registry
	Room       Room // for rehearsals; without one there are none
	Offline    bool
	Fresh      bool // fetch again what was seen before

	flights  singleflight.Group
	mu       sync.Mutex
	packages map[string]*source.Package
	opens    map[string]*opened      // packages, by name and version
	trees    map[string]*source.Tree // deliveries opened from the cache, by digest
}

// opened is a source with what was learned about it.
type opened struct {
	tree *source.Tree
	*delivery.Delivery
	from      string // a path, or an address
	address   bool
	registry  bool
	shared    bool            // others may have it open; it ends with the run
	version   *source.Version // of a package
	remarks   []string        // what the taking person should know of the source
	firstSeen bool            // nothing was known of these bytes before
}

func (o *opened) close() {
	if !o.shared {
		o.tree.Close()
	}
}

// open opens what a person named. Relative paths begin at dir. Where wanted is not empty, the source's
// own bytes must have that integrity before any of it is looked at.
func (r *Reach) open(name, dir, wanted string) (*opened, error) {
	return r.openAllowed(name, dir, wanted, nil)
}

func (r *Reach) openAllowed(name, dir, wanted string, allowed func(version string) bool) (*opened, error) {
	var meta integrity.Metadata
	if wanted != "" {
		var err error
		if meta, err = integrity.Parse(wanted); err != nil {
			return nil, usage("", "--integrity: %v", err)
		}
	}
	o := &opened{from: name}
	var err error
	if pkg, ok := strings.CutPrefix(name, fromRegistry); ok || !source.IsAddress(name) && !there(dir, name) && looksLikePackage(name) {
		if wanted != "" {
			return nil, usage("", "--integrity is of a download; a registry gives the digest of a package itself")
		}
		pkg, wish := splitPackage(pkg)
		return r.openPackage(pkg, wish, allowed)
	}
	if source.IsAddress(name) {
		o.address = true
		o.tree, o.firstSeen, err = r.openAddress(name, meta)
	} else {
		o.from = name
		if !filepath.IsAbs(name) {
			o.from = filepath.Join(dir, name)
		}
		o.firstSeen = meta == nil
		o.tree, err = openPath(o.from, name, meta)
	}
	if err != nil {
		return nil, err
	}
	return describe(o)
}

func there(dir, name string) bool {
	if !filepath.IsAbs(name) {
		name = filepath.Join(dir, name)
	}
	_, err := os.Stat(name)
	return err == nil
}

// describe learns what is in an opened tree.
func describe(o *opened) (*opened, error) {
	go o.tree.Digest() // it is asked for in the end, and takes as long as the rest
	items := make([]delivery.Item, len(o.tree.Entries))
	for i, e := range o.tree.Entries {
		items[i] = delivery.Item(e)
	}
	hint := o.tree.Name
	if n, v := delivery.NameVersion(hint); v == "" && n != "" && o.tree.Top != "" {
		if _, topVersion := delivery.NameVersion(o.tree.Top); topVersion != "" {
			hint = o.tree.Top
		}
	}
	var err error
	if o.Delivery, err = delivery.Describe(hint, items, o.tree, workers()); err != nil {
		o.tree.Close()
		return nil, err
	}
	return o, nil
}

func openPath(full, said string, meta integrity.Metadata) (*source.Tree, error) {
	info, err := os.Stat(full)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, refused("", "there is no file or folder %s", said)
	}
	if err != nil {
		return nil, err
	}
	if meta != nil {
		if info.IsDir() {
			return nil, usage("", "--integrity is of one file; %s is a folder", said)
		}
		b, err := os.ReadFile(full)
		if err != nil {
			return nil, err
		}
		if err := demand(meta, b, said); err != nil {
			return nil, err
		}
	}
	return source.OpenPath(full)
}

// demand refuses bytes that are not what was asked for.
func demand(meta integrity.Metadata, b []byte, what string) error {
	if meta.Match(b) {
		return nil
	}
	return refused("fetch it again, or ask whoever gave you the integrity", "%s is not what was asked for, and nothing of it was opened\n  wanted: %s\n  it is:  %s", what, meta.Strongest()[0], integrity.Of(b))
}

// openAddress takes an address from the cache where it was seen before, else from the network.
func (r *Reach) openAddress(address string, meta integrity.Metadata) (*source.Tree, bool, error) {
	if seen, ok := r.Cache.Recall(address); ok && !r.Fresh {
		if b, err := r.Cache.Get(seen.Integrity); err == nil {
			if meta != nil {
				if err := demand(meta, b, address); err != nil {
					return nil, false, err
				}
			}
			t, err := r.Cache.OpenTree(seen.Integrity, seen.Name)
			return t, false, err
		}
	}
	if r.Offline {
		return nil, false, &Problem{Class: Outside, What: address + " was never fetched before, and --offline allows no network", Next: []string{"the same command without --offline"}}
	}
	got, err := r.Client.Fetch(context.Background(), address, r.Cache.Dir())
	if err != nil {
		return nil, false, err
	}
	defer os.Remove(got.File.Name())
	defer got.File.Close()
	b, err := os.ReadFile(got.File.Name())
	if err != nil {
		return nil, false, err
	}
	if meta != nil {
		if err := demand(meta, b, address); err != nil {
			return nil, false, err
		}
	}
	known, sameAsBefore := r.Cache.Recall(address)
	integ := integrity.Of(b)
	if sameAsBefore && known.Integrity != integ {
		return nil, false, refused("if that is right, say --integrity "+integ, "%s gives other bytes than it gave before\n  before: %s\n  now:    %s", address, known.Integrity, integ)
	}
	// Only what can be opened is kept.
	if err := r.Cache.Put(integ, b); err != nil {
		return nil, false, err
	}
	t, err := r.Cache.OpenTree(integ, got.Name)
	if err != nil {
		return nil, false, err
	}
	return t, meta == nil && !sameAsBefore, r.Cache.Remember(source.Seen{URL: address, Integrity: integ, Name: got.Name})
}

// keptFileByFile is how large a taken set may be to be kept in the cache file by file, beside the
// delivery that it came from: for refill that is quicker than unpacking.
const keptFileByFile = 24 << 20

// keep puts what was taken into the cache, so that it never has to be fetched or found again.
func (r *Reach) keep(o *opened, sealed *record.Sealed) error {
	if sealed.Digest != "" {
		if f, ok := o.tree.File(); ok {
			if err := r.Cache.PutFile(sealed.Digest, f, o.tree.Size); err != nil {
				return err
			}
		}
	}
	var total int64
	for _, f := range sealed.Files {
		total += f.Size
	}
	if sealed.Digest != "" && total > keptFileByFile {
		return nil
	}
	_, err := forEach(sealed.Files, func(f record.File) (struct{}, error) {
		b, err := o.tree.ReadFile(f.Path)
		if err != nil {
			return struct{}{}, err
		}
		return struct{}{}, r.Cache.Put(f.Integrity, b)
	})
	return err
}

// file returns the bytes of a sealed file from the cache: kept as they are, or inside the delivery
// that they came from. The error of a file that is in neither is fs.ErrNotExist.
func (r *Reach) file(sealed *record.Sealed, f *record.File) ([]byte, error) {
	b, err := r.Cache.Get(f.Integrity)
	if err == nil || sealed.Digest == "" {
		return b, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	t, ok := r.trees[sealed.Digest]
	if !ok {
		if t, err = r.Cache.OpenTree(sealed.Digest, path.Base(sealed.Origin)); err != nil {
			return nil, err
		}
		if r.trees == nil {
			r.trees = map[string]*source.Tree{}
		}
		r.trees[sealed.Digest] = t
	}
	if b, err = t.ReadFile(f.Path); err != nil {
		return nil, err
	}
	if integrity.Of(b) != f.Integrity {
		return nil, fs.ErrNotExist
	}
	return b, nil
}
