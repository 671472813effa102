package source

import (
	"cmp"
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
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/integrity"
)

// A Cache keeps every delivery and file that was ever seen, addressed by its sha384, for all projects
// of a user.
//
// An entry is written under a name of its own and renamed when it is whole; a rename is atomic, so
// many processes can share the cache without a lock. Nothing is synced: what a power cut tears is
// told by its hash, which is checked whenever an entry is read, and then is no entry.
type Cache struct{ dir string }

// NewCache uses a folder, which is made when something is put into it.
func NewCache(dir string) *Cache { return &Cache{dir} }

// Dir is the cache's folder.
func (c *Cache) Dir() string { return c.dir }

// blob is the place of an entry: the digest in hexadecimal, since file names have no room for base64.
func (c *Cache) blob(integ string) (string, error) {
	sum, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(integ, "sha384-"))
	if err != nil || len(sum) != sha512.Size384 {
		return "", fmt.Errorf("%q is no sha384 integrity string", integ)
	}
	name := hex.EncodeToString(sum)
	return filepath.Join(c.dir, "blobs", name[:2], name[2:]), nil
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
	if _, err := os.Stat(name); err == nil {
		now := time.Now()
		os.Chtimes(name, now, now)
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	tmp, err := os.CreateTemp(filepath.Dir(name), ".new-")
	if err != nil {
		return err
	}
	err = errors.Join(write(tmp), tmp.Close())
	if err == nil {
		err = os.Rename(tmp.Name(), name)
	}
	if err != nil {
		os.Remove(tmp.Name())
	}
	return err
}

// Get returns an entry, or fs.ErrNotExist. A damaged entry is removed and is not there.
func (c *Cache) Get(integ string) ([]byte, error) {
	name, err := c.blob(integ)
	if err != nil {
		return nil, err
	}
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	if integrity.Of(b) != integ {
		os.Remove(name)
		return nil, &fs.PathError{Op: "read", Path: name, Err: fs.ErrNotExist}
	}
	now := time.Now()
	os.Chtimes(name, now, now) // what is in use is trimmed last
	return b, nil
}

// Has tells whether there is an entry, without checking it.
func (c *Cache) Has(integ string) bool {
	name, err := c.blob(integ)
	if err != nil {
		return false
	}
	_, err = os.Stat(name)
	return err == nil
}

// OpenTree opens a delivery that the cache has, checked.
func (c *Cache) OpenTree(integ, name string) (*Tree, error) {
	full, err := c.blob(integ)
	if err != nil {
		return nil, err
	}
	f, err := os.Open(full)
	if err != nil {
		return nil, err
	}
	h := integrity.New("sha384")
	if _, err := io.Copy(h, f); err != nil || integrity.Text("sha384", h) != integ {
		f.Close()
		os.Remove(full)
		return nil, &fs.PathError{Op: "open", Path: full, Err: fs.ErrNotExist}
	}
	t, err := OpenReader(name, f)
	if err != nil {
		f.Close()
		return nil, err
	}
	t.digest = func() (string, error) { return integ, nil }
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
	return filepath.Join(c.dir, "addresses", hex.EncodeToString(sum[:20]))
}

// Remember keeps what an address gave.
func (c *Cache) Remember(s Seen) error {
	b, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return writeWhole(c.seenFile(s.URL), b)
}

// Recall returns what an address gave, and whether it is still there.
func (c *Cache) Recall(url string) (Seen, bool) {
	var s Seen
	b, err := os.ReadFile(c.seenFile(url))
	if err != nil || json.Unmarshal(b, &s) != nil || s.URL != url {
		return Seen{}, false
	}
	return s, c.Has(s.Integrity)
}

// worked is the place of something that was worked out: its kind, and what it was worked out of.
func (c *Cache) worked(kind, of string) string {
	sum := sha512.Sum384([]byte(kind + "\x00" + of))
	name := hex.EncodeToString(sum[:20])
	return filepath.Join(c.dir, "findings", name[:2], name[2:])
}

// Keep keeps what was worked out of something, such as what a script defines. Its kind says what it is, with the
// number of the way in which it was worked out; of is what it was worked out of, or its hash.
func (c *Cache) Keep(kind, of string, b []byte) error {
	return writeWhole(c.worked(kind, of), binary.BigEndian.AppendUint64(slices.Clip(b), xxhash.Sum64(b)))
}

// Kept returns what was worked out of something before.
func (c *Cache) Kept(kind, of string) ([]byte, bool) {
	name := c.worked(kind, of)
	b, err := os.ReadFile(name)
	if err != nil || len(b) < 8 {
		return nil, false
	}
	b, sum := b[:len(b)-8], b[len(b)-8:]
	return b, binary.BigEndian.Uint64(sum) == xxhash.Sum64(b)
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
	var list []cacheEntry
	for _, part := range []string{"blobs", "findings"} {
		err := filepath.WalkDir(filepath.Join(c.dir, part), func(name string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() {
				if errors.Is(err, fs.ErrNotExist) {
					return nil
				}
				return err
			}
			if info, err := e.Info(); err == nil {
				list = append(list, cacheEntry{name, info.Size(), info.ModTime()})
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}

// Trim removes the entries that were not used for longest until the rest has at most size bytes. It
// returns how many went, and how many bytes.
func (c *Cache) Trim(size int64) (entries int, freed int64, err error) {
	list, err := c.list()
	if err != nil {
		return 0, 0, err
	}
	slices.SortFunc(list, func(a, b cacheEntry) int { return cmp.Or(a.used.Compare(b.used), cmp.Compare(a.name, b.name)) })
	var total int64
	for _, e := range list {
		total += e.size
	}
	for _, e := range list {
		if total <= size {
			break
		}
		if err := os.Remove(e.name); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return entries, freed, err
		}
		total -= e.size
		freed += e.size
		entries++
	}
	return entries, freed, nil
}
