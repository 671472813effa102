package source

import (
	"compress/gzip"
	"context"
	"crypto/sha1"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"github.com/Masterminds/semver/v3"
	"github.com/hashicorp/go-retryablehttp"

	"merrycrate.example/merry/crate/integrity"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// A Registry is a package registry that speaks the common JavaScript registry protocol: a metadata
// document for each package, with versions, tags, tarball addresses and their digests.
type Registry struct {
	URL   string
	Scope string // "@x", or "" for all packages without a registry of their own
	Token string // a bearer token, never written anywhere
	// ArchivesOn are hosts, beside the registry's own, where the archives of its packages may lie.
	ArchivesOn []string
}

// maxMetadata is the largest metadata document, unpacked, that is read.
const maxMetadata = 40 << 20

// A Package is what a registry says of a package.
type Package struct {
	Name     string
	Tags     map[string]string // such as latest
	Versions map[string]*Version
	Times    map[string]time.Time // only in the full document
	// Revalidated says that the document came from the cache and the registry confirmed it; Stale, that
	// the registry was not asked.
	Revalidated, Stale bool

	sorted memo.Memo[int, []*Version] // by how many versions there were
}

// A Version is what a registry says of one version.
type Version struct {
	Version       string `json:"version"`
	Deprecated    text   `json:"deprecated"`
	Licence       text   `json:"license"`
	Dependencies  words  `json:"dependencies"`
	Peers         words  `json:"peerDependencies"`
	OptionalPeers marks  `json:"peerDependenciesMeta"` // those of the peers that it can do without
	Dist          struct {
		Tarball   string `json:"tarball"`
		Integrity string `json:"integrity"`
		Shasum    string `json:"shasum"`
		Unpacked  int64  `json:"unpackedSize"`
	} `json:"dist"`
}

// marks are names that a field marks as optional; fields of another shape mark none.
type marks map[string]bool

// UnmarshalJSON reads an object of objects.
func (m *marks) UnmarshalJSON(b []byte) error {
	var by map[string]struct {
		Optional bool `json:"optional"`
	}
	if json.Unmarshal(b, &by) != nil {
		return nil
	}
	*m = marks{}
	for name, x := range by {
		(*m)[name] = x.Optional
	}
	return nil
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

var packageName = memo.Regexp(`^(@[a-zA-Z0-9~-][a-zA-Z0-9._~-]*/)?[a-zA-Z0-9~-][a-zA-Z0-9._~-]*$`)

// ValidPackage reports whether a text can be a package's name.
func ValidPackage(name string) bool { return len(name) <= 214 && packageName().MatchString(name) }

// abbreviated is the media type of the protocol's shorter document, which has all that resolving needs.
const abbreviated = "application/vnd.npm.install-v1+json; q=1.0, application/json; q=0.8"

// Metadata reads a package's document, the full one where full is set. What the cache has is asked after
// with its ETag (RFC 9110, section 13.1.2); offline it serves as it is.
//
// It is longer than 80 lines because every answer of a registry is handled here.
func (c *Client) Metadata(ctx context.Context, reg Registry, name string, full, offline bool, cache *Cache) (*Package,
	error) {
	base, err := url.Parse(reg.URL)
	if err != nil || base.Host == "" {
		return nil, refuseAddress(reg.URL, "it is not the address of a registry", "set your registry: merry sources "+
			"set registry URL")
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
		return cache.staleDocument(address, kept, name)
	}
	var received atomic.Int64
	limited, end := c.untilTooSlow(c.guarded(ctx, Typed, base), base.Hostname(), received.Load)
	defer end()
	req, err := retryablehttp.NewRequestWithContext(limited, http.MethodGet, address, nil)
	if err != nil {
		return nil, refuseAddress(name, "its name can't be part of an address", "write the package's name as the "+
			"registry has it")
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
		if limited.Err() != nil {
			return nil, c.given(limited, base)
		}
		return nil, fetchError(ctx, req.URL, err)
	}
	defer resp.Body.Close()
	switch resp.StatusCode {
	case http.StatusNotModified:
		p, err := cache.readPackage(kept, name)
		if p != nil {
			p.Revalidated = true
		}
		return p, err
	case http.StatusOK:
	case http.StatusNotFound:
		return nil, problem.Refuse(problem.PackageUnknown, "check the name in the makers' documentation",
			"the registry %s has no package %s", public(base), name)
	default:
		return nil, unanswered(public(base), resp.StatusCode, statusWords(resp.StatusCode))
	}
	doc, err := cache.newDocument(key)
	if err != nil {
		return nil, err
	}
	defer doc.abandon()
	if err := c.copyDocument(doc, resp, &received); err != nil {
		if limited.Err() != nil {
			return nil, c.given(limited, base)
		}
		return nil, unanswered(public(base), 0, fmt.Sprintf("the metadata of %s: %v", name, err))
	}
	p, err := cache.readPackage(doc.unfinished, name)
	if err != nil {
		return nil, err
	}
	return p, doc.keep(resp.Header.Get("ETag"))
}

// staleDocument reads the document that the cache has of an address, in the wanted form or in the other one.
func (c *Cache) staleDocument(address, kept, name string) (*Package, error) {
	for _, other := range []string{" full", " short"} {
		if kept == "" {
			kept, _ = c.document(address + other)
		}
	}
	if kept == "" {
		return nil, ErrOffline
	}
	p, err := c.readPackage(kept, name)
	if p != nil {
		p.Stale = true
	}
	return p, err
}

// copyDocument takes an answer's body, unpacked, up to the limit.
func (c *Client) copyDocument(to io.Writer, resp *http.Response, received *atomic.Int64) error {
	var silent atomic.Bool
	timer := time.AfterFunc(c.stall(), func() { silent.Store(true); resp.Body.Close() })
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
		timer.Reset(c.stall())
		received.Add(int64(n))
		if size += n; size > maxMetadata {
			return fmt.Errorf("it is longer than %d bytes, the limit", maxMetadata)
		}
		if _, werr := to.Write(buf[:n]); werr != nil {
			return werr
		}
		if err == io.EOF {
			return nil
		}
		if silent.Load() {
			return &stalled{fmt.Sprintf("%s sent nothing for %v", resp.Request.URL.Hostname(), c.stall())}
		}
		if err != nil {
			return errors.New(faultWords(resp.Request.URL.Hostname(), err))
		}
	}
}

func (c *Cache) readPackage(document, name string) (*Package, error) {
	f, err := c.open(document)
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
		return unanswered(name, 0, "the registry's document can't be read: "+err.Error())
	}
	p := &Package{Tags: map[string]string{}, Versions: map[string]*Version{}, Times: map[string]time.Time{}}
	dec := json.NewDecoder(r)
	if t, err := dec.Token(); err != nil || t != json.Delim('{') {
		return nil, broken(errors.New("it is not a JSON object"))
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
			err = EachMember(dec, func(v string) error {
				d := &Version{}
				if err := dec.Decode(d); err != nil {
					return err
				}
				if _, err := semver.StrictNewVersion(v); err == nil && d.Version == v {
					p.Versions[v] = d
				}
				return nil
			})
		case "time":
			err = EachMember(dec, func(v string) error {
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
			err = Skip(dec)
		}
		if err != nil {
			return nil, broken(err)
		}
	}
	switch {
	case p.Name != name:
		return nil, broken(fmt.Errorf("it is about %q, not %q", texts.Text(p.Name), name))
	case len(p.Versions) == 0:
		return nil, broken(errors.New("it has no versions"))
	}
	return p, nil
}

// Tarball brings a version's tarball into the cache, from the network where it is not there, and opens
// it. Its bytes must have the registry's integrity or, failing that, its shasum; weak says that there was
// only the latter.
func (c *Client) Tarball(ctx context.Context, reg Registry, v *Version, name string, offline bool,
	cache *Cache) (t *Tree, weak bool, err error) {
	wanted, err := wantedOf(v, name)
	if err != nil {
		return nil, false, err
	}
	base := filepath.Base(strings.ReplaceAll(name, "/", "-")) + "-" + v.Version + ".tgz"
	if seen, ok := cache.Seen(v.Dist.Tarball); ok {
		if t, err := cache.OpenTree(seen.Integrity, base); err == nil {
			f, _ := t.File()
			if wanted.check(io.NewSectionReader(f, 0, t.Size), seen.Integrity) == nil {
				return t, wanted.meta == nil, nil
			}
			t.Close()
		}
	}
	if offline {
		return nil, wanted.meta == nil, ErrOffline
	}
	by, err := url.Parse(reg.URL)
	if err != nil {
		return nil, wanted.meta == nil, err
	}
	token := ""
	if from, err := url.Parse(v.Dist.Tarball); err == nil && from.Host == by.Host && from.Scheme == by.Scheme {
		token = reg.Token
	}
	got, err := c.fetch(ctx, v.Dist.Tarball, answered(by, reg.ArchivesOn), token, cache)
	if err != nil {
		return nil, wanted.meta == nil, err
	}
	defer got.Close()
	sums, err := got.Hash("sha384")
	if err != nil {
		return nil, wanted.meta == nil, err
	}
	integ := sums["sha384"]
	if err := wanted.check(io.NewSectionReader(got.File, 0, got.Size), integ); err != nil {
		return nil, wanted.meta == nil, err
	}
	if t, err = cache.TakeOver(got, integ, base); err != nil {
		return nil, wanted.meta == nil, err
	}
	return t, wanted.meta == nil, cache.PutSeen(Seen{URL: v.Dist.Tarball, Integrity: integ, Name: base})
}

// wanted is what a registry says of a tarball's bytes: an integrity, or nothing but a shasum.
type wanted struct {
	what   string // the package and its version
	meta   integrity.Metadata
	shasum string
}

func wantedOf(v *Version, name string) (*wanted, error) {
	w := &wanted{what: name + " " + v.Version}
	var err error
	if w.meta, err = integrity.Parse(v.Dist.Integrity); err == nil {
		return w, nil
	}
	w.meta = nil
	if w.shasum = strings.ToLower(v.Dist.Shasum); len(w.shasum) != 2*sha1.Size {
		return nil, refuseAddress(w.what, "the registry gives no digest for its tarball, so its bytes can't "+
			"be verified", "tell the registry's operator, or take the library as a download")
	}
	return w, nil
}

// check holds a tarball against what is wanted. Its sha384 integrity is known already.
func (w *wanted) check(r io.Reader, integ string) error {
	const next = "the same command again; if it fails again, tell the registry's operator"
	if w.meta == nil {
		h := sha1.New()
		if _, err := io.Copy(h, r); err != nil {
			return err
		}
		if sum := hex.EncodeToString(h.Sum(nil)); sum != w.shasum {
			return problem.Refuse(problem.NotTheBytes, next, "%s is refused and was not opened: its tarball does not "+
				"match the registry's shasum; expected %s, it has %s", w.what, w.shasum, sum)
		}
		return nil
	}
	if alg := w.meta.Algorithm(); alg != "sha384" {
		sums, err := integrity.OfReader(r, alg)
		if err != nil {
			return err
		}
		integ = sums[alg]
	}
	if !w.meta.Allows(integ) {
		return problem.Refuse(problem.NotTheBytes, next, "%s is refused and was not opened: its tarball does not "+
			"match the registry's digest; expected %s, it has %s", w.what, w.meta.Strongest()[0], integ)
	}
	return nil
}

// Ping asks whether a registry answers at all.
func (c *Client) Ping(ctx context.Context, reg Registry) error {
	u, err := url.Parse(reg.URL)
	if err != nil || u.Host == "" {
		return refuseAddress(reg.URL, "it is not the address of a registry", "set your registry: merry sources set "+
			"registry URL")
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
		return fetchError(ctx, u, err)
	}
	resp.Body.Close()
	if resp.StatusCode >= 500 {
		return unanswered(public(u), resp.StatusCode, statusWords(resp.StatusCode))
	}
	return nil
}
