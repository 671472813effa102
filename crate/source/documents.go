package source

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"hash"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path"
	"slices"
	"strings"
)

// document returns the name of a kept document, and its ETag. A document that was torn is reported by its checksum, and
// is not there.
func (c *Cache) document(key string) (name, etag string) {
	name = c.documentFile(key)
	b, err := c.readFile(name + ".head")
	if err != nil {
		return "", ""
	}
	var head documentHead
	if json.Unmarshal(b, &head) != nil || head.Key != key {
		return "", ""
	}
	f, err := c.open(name)
	if err != nil {
		return "", ""
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil || hex.EncodeToString(h.Sum(nil)) != head.Sum {
		return "", ""
	}
	return name, head.ETag
}

type documentHead struct{ Key, ETag, Sum string }

func (c *Cache) documentFile(key string) string {
	sum := sha256.Sum256([]byte(key))
	return path.Join("documents", hex.EncodeToString(sum[:20]))
}

// newDocument is a document being written.
type newDocument struct {
	cache      *Cache
	key        string
	file       *os.File
	unfinished string // the file's name so far
	hash       hash.Hash
}

func (c *Cache) newDocument(key string) (*newDocument, error) {
	f, name, err := c.newFile()
	if err != nil {
		return nil, err
	}
	return &newDocument{c, key, f, name, sha256.New()}, nil
}

func (d *newDocument) Write(b []byte) (int, error) {
	d.hash.Write(b)
	return d.file.Write(b)
}

func (d *newDocument) abandon() {
	d.file.Close()
	d.cache.remove(d.unfinished)
}

func (d *newDocument) keep(etag string) error {
	head, err := json.Marshal(documentHead{d.key, etag, hex.EncodeToString(d.hash.Sum(nil))})
	if err != nil {
		return err
	}
	name := d.cache.documentFile(d.key)
	if err := d.cache.shelve(d.file, d.unfinished, name, nil); err != nil {
		return err
	}
	return d.cache.writeWhole(name+".head", head)
}

// writeWhole writes an entry under another name and renames it, so that nobody ever reads half of it.
func (c *Cache) writeWhole(name string, b []byte) error {
	f, from, err := c.newFile()
	if err != nil {
		return err
	}
	_, err = f.Write(b)
	return c.shelve(f, from, name, err)
}

// PackageNames lists the packages whose documents the cache has, by their names.
func (c *Cache) PackageNames() []string {
	root, err := c.root()
	if err != nil {
		return nil
	}
	heads, err := fs.Glob(root.FS(), "documents/*.head")
	if err != nil {
		return nil
	}
	var names []string
	for _, file := range heads {
		var head documentHead
		b, err := c.readFile(file)
		if err != nil || json.Unmarshal(b, &head) != nil {
			continue
		}
		address, _, _ := strings.Cut(head.Key, " ")
		parts := strings.Split(address, "/")
		if name, err := url.PathUnescape(parts[len(parts)-1]); err == nil && ValidPackage(name) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return slices.Compact(names)
}
