package source

import (
	"compress/gzip"
	"context"
	"crypto/sha1"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"merrycrate.example/merry/crate/integrity"
)

// A Registry is a package registry that speaks the common JavaScript registry protocol: a metadata
// document for each package, with versions, tags, tarball addresses and their digests.
type Registry struct {
	URL   string
	Scope string // "@x", or "" for all packages without a registry of their own
	Token string // a bearer token, never written anywhere
}

// mostMetadata is the largest metadata document, unpacked, that is read.
const mostMetadata = 40 << 20

// A Package is what a registry says of a package.
type Package struct {
	Name     string
	Tags     map[string]string // such as latest
	Versions map[string]*Version
	Times    map[string]time.Time // only in the full document
	// Revalidated says that the document came from the cache and the registry confirmed it; Stale, that
	// the registry was not asked.
	Revalidated, Stale bool
}

// A Version is what a registry says of one version.
type Version struct {
	Version      string `json:"version"`
	Deprecated   text   `json:"deprecated"`
	Licence      text   `json:"license"`
	Dependencies words  `json:"dependencies"`
	Peers        words  `json:"peerDependencies"`
	Dist         struct {
		Tarball   string `json:"tarball"`
		Integrity string `json:"integrity"`
		Shasum    string `json:"shasum"`
		Unpacked  int64  `json:"unpackedSize"`
	} `json:"dist"`
}

// text is a field that should be a text, and in old documents is all kinds of things.
type text string

func (t *text) UnmarshalJSON(b []byte) error {
	var s string
	if json.Unmarshal(b, &s) == nil {
		*t = text(s)
		return nil
	}
	var old struct{ Type string }
	if json.Unmarshal(b, &old) == nil && old.Type != "" {
		*t = text(old.Type)
	} else if string(b) == "true" {
		*t = "deprecated"
	}
	return nil
}

// words is a field that should hold names with ranges, and in old documents may be anything.
type words map[string]string

func (w *words) UnmarshalJSON(b []byte) error {
	var m map[string]string
	if json.Unmarshal(b, &m) == nil {
		*w = m
	}
	return nil
}

var packageName = regexp.MustCompile(`^(@[a-zA-Z0-9~-][a-zA-Z0-9._~-]*/)?[a-zA-Z0-9~-][a-zA-Z0-9._~-]*$`)

// ValidPackage tells whether a text can be a package's name.
func ValidPackage(name string) bool { return len(name) <= 214 && packageName.MatchString(name) }

// abbreviated is the media type of the protocol's shorter document, which has all that resolving needs.
const abbreviated = "application/vnd.npm.install-v1+json; q=1.0, application/json; q=0.8"

// Metadata reads a package's document, the full one where full is set. What the cache has is asked after
// with its ETag (RFC 9110, section 13.1.2); offline it serves as it is.
func (c *Client) Metadata(ctx context.Context, reg Registry, name string, full, offline bool, cache *Cache) (*Package, error) {
	base, err := url.Parse(reg.URL)
	if err != nil || base.Host == "" {
		return nil, &Refusal{Source: reg.URL, Reason: "it is no address of a registry"}
	}
	if err := c.allowed(base); err != nil {
		return nil, err
	}
	address := strings.TrimSuffix(reg.URL, "/") + "/" + strings.Replace(url.PathEscape(name), "%40", "@", 1)
	key := address + " short"
	if full {
		key = address + " full"
	}
	kept, etag := cache.document(key)
	if offline {
		for _, other := range []string{" full", " short"} {
			if kept == "" {
				kept, _ = cache.document(address + other)
			}
		}
		if kept == "" {
			return nil, ErrOffline
		}
		p, err := readPackage(kept, name)
		if p != nil {
			p.Stale = true
		}
		return p, err
	}
	req, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, &Refusal{Source: name, Reason: "its name makes no address"}
	}
	req.Header.Set("User-Agent", "merry")
	req.Header.Set("Accept-Encoding", "gzip")
	if !full {
		req.Header.Set("Accept", abbreviated)
	}
	if etag != "" && kept != "" {
		req.Header.Set("If-None-Match", etag)
	}
	if reg.Token != "" {
		req.Header.Set("Authorization", "Bearer "+reg.Token)
	}
	h, err := c.client()
	if err != nil {
		return nil, err
	}
	resp, err := h.Do(req)
	if err != nil {
		return nil, fetchError(req.URL, err)
	}
	defer resp.Body.Close()
	switch resp.StatusCode {
	case http.StatusNotModified:
		p, err := readPackage(kept, name)
		if p != nil {
			p.Revalidated = true
		}
		return p, err
	case http.StatusOK:
	case http.StatusNotFound:
		return nil, &FetchError{URL: base.Redacted(), Status: 404, Reason: fmt.Sprintf("the registry has no package %s", name)}
	default:
		return nil, &FetchError{URL: base.Redacted(), Status: resp.StatusCode, Reason: statusWords(resp.StatusCode)}
	}
	doc, err := cache.newDocument(key)
	if err != nil {
		return nil, err
	}
	defer doc.abandon()
	if err := copyDocument(doc, resp, c.stall()); err != nil {
		return nil, &FetchError{URL: base.Redacted(), Reason: fmt.Sprintf("the metadata of %s: %v", name, err)}
	}
	p, err := readPackage(doc.file.Name(), name)
	if err != nil {
		return nil, err
	}
	return p, doc.keep(resp.Header.Get("ETag"))
}

// copyDocument takes an answer's body, unpacked, up to the limit.
func copyDocument(to io.Writer, resp *http.Response, stall time.Duration) error {
	timer := time.AfterFunc(stall, func() { resp.Body.Close() })
	defer timer.Stop()
	var in io.Reader = resp.Body
	if resp.Header.Get("Content-Encoding") == "gzip" {
		z, err := gzip.NewReader(in)
		if err != nil {
			return err
		}
		in = z
	}
	buf := make([]byte, 64<<10)
	for size := 0; ; {
		n, err := in.Read(buf)
		timer.Reset(stall)
		if size += n; size > mostMetadata {
			return fmt.Errorf("it goes on after %d bytes, the most that is read", mostMetadata)
		}
		if _, werr := to.Write(buf[:n]); werr != nil {
			return werr
		}
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

func readPackage(file, name string) (*Package, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return parsePackage(f, name)
}

// parsePackage reads a document value by value: most of a large one is of no use here, and is never held
// in memory.
func parsePackage(r io.Reader, name string) (*Package, error) {
	broken := func(err error) error {
		return &FetchError{URL: name, Reason: "the registry's document can't be read: " + err.Error()}
	}
	p := &Package{Tags: map[string]string{}, Versions: map[string]*Version{}, Times: map[string]time.Time{}}
	dec := json.NewDecoder(r)
	if t, err := dec.Token(); err != nil || t != json.Delim('{') {
		return nil, broken(errors.New("it is no JSON object"))
	}
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return nil, broken(err)
		}
		switch key {
		case "name":
			err = dec.Decode(&p.Name)
		case "dist-tags":
			err = dec.Decode(&p.Tags)
		case "versions":
			err = eachMember(dec, func(v string) error {
				d := &Version{}
				if err := dec.Decode(d); err != nil {
					return err
				}
				if d.Version == v && Printable(v) == v {
					p.Versions[v] = d
				}
				return nil
			})
		case "time":
			err = eachMember(dec, func(v string) error {
				var text json.RawMessage
				if err := dec.Decode(&text); err != nil {
					return err
				}
				var t time.Time
				if json.Unmarshal(text, &t) == nil {
					p.Times[v] = t
				}
				return nil
			})
		default:
			err = skipValue(dec)
		}
		if err != nil {
			return nil, broken(err)
		}
	}
	switch {
	case p.Name != name:
		return nil, broken(fmt.Errorf("it is about %q, not %q", Printable(p.Name), name))
	case len(p.Versions) == 0:
		return nil, broken(errors.New("it has no versions"))
	}
	return p, nil
}

// eachMember calls value for each member of an object, with the decoder in front of its value.
func eachMember(dec *json.Decoder, value func(key string) error) error {
	if t, err := dec.Token(); err != nil || t != json.Delim('{') {
		return errors.Join(err, errors.New("an object was expected"))
	}
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return err
		}
		if err := value(fmt.Sprint(key)); err != nil {
			return err
		}
	}
	_, err := dec.Token()
	return err
}

func skipValue(dec *json.Decoder) error {
	for depth := 0; ; {
		t, err := dec.Token()
		if err != nil {
			return err
		}
		switch t {
		case json.Delim('{'), json.Delim('['):
			depth++
		case json.Delim('}'), json.Delim(']'):
			depth--
		}
		if depth == 0 {
			return nil
		}
	}
}

// Tarball brings a version's tarball into the cache, from the network where it is not there, and opens
// it. Its bytes must have the registry's integrity or, failing that, its shasum; weak says that there was
// only the latter.
func (c *Client) Tarball(ctx context.Context, reg Registry, v *Version, name string, offline bool, cache *Cache) (t *Tree, weak bool, err error) {
	meta, err := integrity.Parse(v.Dist.Integrity)
	weak = err != nil
	if weak && len(v.Dist.Shasum) != 2*sha1.Size {
		return nil, false, &Refusal{Source: name + " " + v.Version, Reason: "the registry gives no digest for its tarball, so what comes could not be checked"}
	}
	check := func(b []byte) error {
		if !weak && !meta.Match(b) {
			return &Refusal{Source: name + " " + v.Version, Reason: fmt.Sprintf("its tarball does not have the digest that the registry gives, and nothing of it was opened; wanted %s, it is %s", meta.Strongest()[0], integrity.Sum(algorithmOf(meta), b))}
		}
		if weak {
			if sum := sha1.Sum(b); hex.EncodeToString(sum[:]) != strings.ToLower(v.Dist.Shasum) {
				return &Refusal{Source: name + " " + v.Version, Reason: fmt.Sprintf("its tarball does not have the shasum that the registry gives, and nothing of it was opened; wanted %s, it is %x", v.Dist.Shasum, sum)}
			}
		}
		return nil
	}
	base := filepath.Base(strings.ReplaceAll(name, "/", "-")) + "-" + v.Version + ".tgz"
	if seen, ok := cache.Recall(v.Dist.Tarball); ok {
		if b, err := cache.Get(seen.Integrity); err == nil && check(b) == nil {
			t, err := cache.OpenTree(seen.Integrity, base)
			return t, weak, err
		}
	}
	if offline {
		return nil, weak, ErrOffline
	}
	token := ""
	if from, err := url.Parse(v.Dist.Tarball); err == nil {
		if to, err := url.Parse(reg.URL); err == nil && from.Host == to.Host && from.Scheme == to.Scheme {
			token = reg.Token
		}
	}
	got, err := c.fetch(ctx, v.Dist.Tarball, token, cache.Dir())
	if err != nil {
		return nil, weak, err
	}
	defer os.Remove(got.File.Name())
	defer got.File.Close()
	b := make([]byte, got.Size)
	if _, err := got.File.ReadAt(b, 0); err != nil && err != io.EOF {
		return nil, weak, err
	}
	if err := check(b); err != nil {
		return nil, weak, err
	}
	integ := integrity.Of(b)
	if err := cache.Put(integ, b); err != nil {
		return nil, weak, err
	}
	if t, err = cache.OpenTree(integ, base); err != nil {
		return nil, weak, err
	}
	return t, weak, cache.Remember(Seen{URL: v.Dist.Tarball, Integrity: integ, Name: base})
}

func algorithmOf(m integrity.Metadata) string {
	alg, _, _ := strings.Cut(m.Strongest()[0], "-")
	return alg
}

// document returns the file of a kept document, and its ETag. A document that was torn is told by its
// checksum, and is not there.
func (c *Cache) document(key string) (file, etag string) {
	name := c.documentFile(key)
	b, err := os.ReadFile(name + ".head")
	if err != nil {
		return "", ""
	}
	var head documentHead
	if json.Unmarshal(b, &head) != nil || head.Key != key {
		return "", ""
	}
	f, err := os.Open(name)
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
	return filepath.Join(c.dir, "documents", hex.EncodeToString(sum[:20]))
}

// newDocument is a document being written.
type newDocument struct {
	key, name string
	file      *os.File
	hash      hash.Hash
}

func (c *Cache) newDocument(key string) (*newDocument, error) {
	name := c.documentFile(key)
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".new-")
	if err != nil {
		return nil, err
	}
	return &newDocument{key, name, f, sha256.New()}, nil
}

func (d *newDocument) Write(b []byte) (int, error) {
	d.hash.Write(b)
	return d.file.Write(b)
}

func (d *newDocument) abandon() {
	d.file.Close()
	os.Remove(d.file.Name())
}

func (d *newDocument) keep(etag string) error {
	head, err := json.Marshal(documentHead{d.key, etag, hex.EncodeToString(d.hash.Sum(nil))})
	if err != nil {
		return err
	}
	if err := errors.Join(d.file.Close(), os.Rename(d.file.Name(), d.name)); err != nil {
		return err
	}
	return writeWhole(d.name+".head", head)
}

// writeWhole writes a file under another name and renames it, so that nobody ever reads half of it.
func writeWhole(name string, parts ...[]byte) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	tmp, err := os.CreateTemp(filepath.Dir(name), ".new-")
	if err != nil {
		return err
	}
	for _, p := range parts {
		if err == nil {
			_, err = tmp.Write(p)
		}
	}
	if err = errors.Join(err, tmp.Close()); err == nil {
		err = os.Rename(tmp.Name(), name)
	}
	if err != nil {
		os.Remove(tmp.Name())
	}
	return err
}

// Ping asks whether a registry answers at all.
func (c *Client) Ping(ctx context.Context, reg Registry) error {
	u, err := url.Parse(reg.URL)
	if err != nil || u.Host == "" {
		return &Refusal{Source: reg.URL, Reason: "it is no address of a registry"}
	}
	if err := c.allowed(u); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodHead, reg.URL+"/", nil)
	if err != nil {
		return err
	}
	req.Header.Set("User-Agent", "merry")
	h, err := c.client()
	if err != nil {
		return err
	}
	resp, err := h.HTTPClient.Do(req)
	if err != nil {
		return fetchError(u, err)
	}
	resp.Body.Close()
	if resp.StatusCode >= 500 {
		return &FetchError{URL: u.Redacted(), Status: resp.StatusCode, Reason: statusWords(resp.StatusCode)}
	}
	return nil
}
