package source

import (
	"cmp"
	"crypto/rand"
	"crypto/sha512"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/problem"
)

// A Cache keeps every package and file that was ever seen, addressed by its sha384, for all projects
// of a user.
//
// An entry is written under a name of its own and renamed when it is whole; a rename is atomic, so
// many processes can share the cache without a lock. Nothing is synced: what a power cut tears is
// told by its hash, which is checked whenever an entry is read, and then is no entry.
type Cache struct {
	dir  string
	root func() (*os.Root, error)

	opened atomic.Pointer[os.Root]
}

// NewCache uses a folder, which is made when something is put into it. All in it is read and written without leaving
// it, whatever links are put there.
func NewCache(dir string) *Cache {
	c := &Cache{dir: dir}
	c.root = sync.OnceValues(func() (*os.Root, error) {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return nil, err
		}
		root, err := os.OpenRoot(dir)
		if err != nil {
			return nil, err
		}
		info, err := root.Stat(".")
		if err == nil && (!disk.Mine(info) || disk.OthersMayWrite(info)) {
			err = problem.Refuse(problem.SettingsBad, "chmod go-w "+dir+", or set MERRY_HOME to a folder of your own",
				"the cache in %s belongs to another user, or others may write to it", dir)
		}
		if err != nil {
			return nil, err
		}
		clearOld(root)
		c.opened.Store(root)
		return root, nil
	})
	return c
}

// Close frees the folder. The cache is of no use after that.
func (c *Cache) Close() error {
	if root := c.opened.Swap(nil); root != nil {
		return root.Close()
	}
	return nil
}

// Dir is the cache's folder.
func (c *Cache) Dir() string { return c.dir }

// unfinished is the folder of the files that are being written. A rename puts each into its place.
const unfinished = "new"

// clearOld removes what killed commands left unfinished, a day ago or longer.
func clearOld(root *os.Root) {
	list, err := fs.ReadDir(root.FS(), unfinished)
	for _, e := range list {
		if info, ierr := e.Info(); err == nil && ierr == nil && time.Since(info.ModTime()) > 24*time.Hour {
			root.Remove(path.Join(unfinished, e.Name()))
		}
	}
}

// newFile makes a file to be filled and renamed.
func (c *Cache) newFile() (f *os.File, name string, err error) {
	root, err := c.root()
	if err != nil {
		return nil, "", err
	}
	if err := root.MkdirAll(unfinished, 0o755); err != nil {
		return nil, "", err
	}
	name = path.Join(unfinished, rand.Text())
	f, err = root.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o644)
	return f, name, err
}

// shelve gives a file that newFile made its name; one that can't be closed whole goes.
func (c *Cache) shelve(f *os.File, from, name string, err error) error {
	root, rerr := c.root()
	if rerr != nil {
		return rerr
	}
	err = errors.Join(err, f.Close())
	if err == nil {
		err = root.MkdirAll(path.Dir(name), 0o755)
	}
	if err == nil {
		err = root.Rename(from, name)
	}
	if err != nil {
		root.Remove(from)
	}
	return err
}

// open opens an entry.
func (c *Cache) open(name string) (*os.File, error) {
	root, err := c.root()
	if err != nil {
		return nil, err
	}
	return root.Open(name)
}

func (c *Cache) readFile(name string) ([]byte, error) {
	root, err := c.root()
	if err != nil {
		return nil, err
	}
	return root.ReadFile(name)
}

// touch says that an entry is in use: what is not goes first. It reports whether there is one.
func (c *Cache) touch(name string) bool {
	root, err := c.root()
	if err != nil {
		return false
	}
	now := time.Now()
	return root.Chtimes(name, now, now) == nil
}

func (c *Cache) remove(name string) {
	if root, err := c.root(); err == nil {
		root.Remove(name)
	}
}

// blob is the place of an entry: the digest in hexadecimal, since file names have no room for base64.
func (c *Cache) blob(integ string) (string, error) {
	sum, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(integ, "sha384-"))
	if err != nil || len(sum) != sha512.Size384 {
		return "", fmt.Errorf("%q is not a sha384 integrity value", integ)
	}
	name := hex.EncodeToString(sum)
	return path.Join("blobs", name[:2], name[2:]), nil
}

// Put keeps bytes whose integrity string the caller has just computed.
func (c *Cache) Put(integ string, b []byte) error {
	return c.put(integ, func(w io.Writer) error { _, err := w.Write(b); return err })
}

// PutFile keeps a copy of a file.
func (c *Cache) PutFile(integ string, f io.ReaderAt, size int64) error {
	return c.put(integ, func(w io.Writer) error {
		_, err := io.Copy(w, io.NewSectionReader(f, 0, size))
		return err
	})
}

func (c *Cache) put(integ string, write func(io.Writer) error) error {
	name, err := c.blob(integ)
	if err != nil {
		return err
	}
	if c.touch(name) {
		return nil
	}
	f, from, err := c.newFile()
	if err != nil {
		return err
	}
	return c.shelve(f, from, name, write(f))
}

// Get returns an entry, or fs.ErrNotExist. A damaged entry is removed and is not there.
func (c *Cache) Get(integ string) ([]byte, error) {
	name, err := c.blob(integ)
	if err != nil {
		return nil, err
	}
	b, err := c.readFile(name)
	if err != nil {
		return nil, err
	}
	if integrity.Of(b) != integ {
		c.remove(name)
		return nil, &fs.PathError{Op: "read", Path: name, Err: fs.ErrNotExist}
	}
	c.touch(name)
	return b, nil
}

// Has reports whether there is an entry, without checking it.
func (c *Cache) Has(integ string) bool {
	name, err := c.blob(integ)
	if err != nil {
		return false
	}
	root, err := c.root()
	if err != nil {
		return false
	}
	_, err = root.Stat(name)
	return err == nil
}

// OpenTree opens a package that the cache has, checked.
func (c *Cache) OpenTree(integ, name string) (*Tree, error) {
	full, err := c.blob(integ)
	if err != nil {
		return nil, err
	}
	f, err := c.open(full)
	if err != nil {
		return nil, err
	}
	sums, err := integrity.OfReader(f, "sha384")
	if err != nil || sums["sha384"] != integ {
		f.Close()
		c.remove(full)
		return nil, &fs.PathError{Op: "open", Path: full, Err: fs.ErrNotExist}
	}
	return c.OpenKnown(name, f, integ)
}

// TakeOver moves a download into the cache and opens it. The caller has just verified its integrity.
func (c *Cache) TakeOver(got *Fetched, integ, name string) (*Tree, error) {
	full, err := c.blob(integ)
	if err != nil {
		return nil, err
	}
	// Only what can be opened is kept.
	f, err := c.open(got.name)
	if err != nil {
		return nil, err
	}
	t, err := c.OpenKnown(name, f, integ)
	if err != nil {
		return nil, err
	}
	root, err := c.root()
	if err == nil {
		err = root.MkdirAll(path.Dir(full), 0o755)
	}
	if err == nil && root.Rename(got.name, full) != nil {
		err = c.PutFile(integ, got.File, got.Size) // some systems do not move a file that is open
	}
	if err != nil {
		t.Close()
		return nil, err
	}
	return t, nil
}

// A Seen is what the cache knows of an address that was fetched before.
type Seen struct {
	URL       string `json:"url"`
	Integrity string `json:"integrity"`
	Name      string `json:"name"`
}

func (c *Cache) seenFile(url string) string {
	sum := sha512.Sum384([]byte(url))
	return path.Join("addresses", hex.EncodeToString(sum[:20]))
}

// PutSeen keeps what an address gave.
func (c *Cache) PutSeen(s Seen) error {
	b, _ := json.Marshal(s) // of texts alone
	return c.writeWhole(c.seenFile(s.URL), b)
}

// Seen returns what an address gave before, and whether that is still in the cache.
func (c *Cache) Seen(url string) (Seen, bool) {
	var s Seen
	b, err := c.readFile(c.seenFile(url))
	if err != nil || json.Unmarshal(b, &s) != nil || s.URL != url {
		return Seen{}, false
	}
	return s, c.Has(s.Integrity)
}

// worked is the place of something that was determined: its kind, and what it was determined of.
func (c *Cache) worked(kind, of string) string {
	sum := sha512.Sum384([]byte(kind + "\x00" + of))
	name := hex.EncodeToString(sum[:20])
	return path.Join("findings", name[:2], name[2:])
}

// PutResult keeps what was determined of something, such as what a script defines. Its kind says what it is, with the
// number of the way in which it was determined; of is what it was determined of, or its hash.
func (c *Cache) PutResult(kind, of string, b []byte) error {
	return c.writeWhole(c.worked(kind, of), binary.BigEndian.AppendUint64(slices.Clip(b), xxhash.Sum64(b)))
}

// Result returns what was determined of something before.
func (c *Cache) Result(kind, of string) ([]byte, bool) {
	name := c.worked(kind, of)
	b, err := c.readFile(name)
	if err != nil || len(b) < 8 {
		return nil, false
	}
	b, sum := b[:len(b)-8], b[len(b)-8:]
	return b, binary.BigEndian.Uint64(sum) == xxhash.Sum64(b)
}

// ResultSince is Result for what was determined after a time; older results are gone.
func (c *Cache) ResultSince(kind, of string, since time.Time) ([]byte, bool) {
	f, err := c.open(c.worked(kind, of))
	if err != nil {
		return nil, false
	}
	defer f.Close()
	if info, err := f.Stat(); err != nil || info.ModTime().Before(since) {
		return nil, false
	}
	return c.Result(kind, of)
}

// Use counts the cache's entries and their size in bytes.
func (c *Cache) Use() (entries int, size int64, err error) {
	list, err := c.list()
	for _, e := range list {
		size += e.size
	}
	return len(list), size, err
}

type cacheEntry struct {
	name string
	size int64
	used time.Time
}

func (c *Cache) list() ([]cacheEntry, error) {
	root, err := c.root()
	if err != nil {
		return nil, err
	}
	var list []cacheEntry
	err = fs.WalkDir(root.FS(), ".", func(name string, e fs.DirEntry, err error) error {
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil // another command removed it
		case err != nil:
			return err
		case name == unfinished:
			return fs.SkipDir // it belongs to commands that are at work
		case e.IsDir():
			return nil
		}
		if info, err := e.Info(); err == nil {
			list = append(list, cacheEntry{name, info.Size(), info.ModTime()})
		}
		return nil
	})
	return list, err
}

// Trim removes the entries that were not used for longest until the rest has at most size bytes. It
// returns how many went, and how many bytes.
func (c *Cache) Trim(size int64) (entries int, freed int64, err error) {
	list, err := c.list()
	if err != nil {
		return 0, 0, err
	}
	root, _ := c.root() // list has had it
	slices.SortFunc(list, func(a, b cacheEntry) int {
		return cmp.Or(a.used.Compare(b.used), cmp.Compare(a.name, b.name))
	})
	var total int64
	for _, e := range list {
		total += e.size
	}
	for _, e := range list {
		if total <= size {
			break
		}
		if err := root.Remove(e.name); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return entries, freed, err
		}
		total -= e.size
		freed += e.size
		entries++
	}
	return entries, freed, nil
}
