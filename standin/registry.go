// Package standin simulates the outside world over HTTP on loopback, for the demo and for tests. Its servers speak the
// open protocols that the product speaks, and fail in every way requested.
package standin

import (
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"merrycrate.example/merry/demo"
)

// A Fault is a way in which the registry fails for one package.
type Fault string

// The faults.
const (
	Slow         Fault = "slow"          // the body comes, and then stands still
	Truncated    Fault = "truncated"     // the tarball ends in the middle
	WrongDigest  Fault = "wrong digest"  // the tarball has other bytes than the metadata says
	Missing      Fault = "404"           //
	Busy         Fault = "429"           // the first two times, with Retry-After
	Failing      Fault = "500"           // always
	Elsewhere    Fault = "elsewhere"     // the tarball is redirected to another host
	Circle       Fault = "circle"        // a redirect loop
	Endless      Fault = "endless"       // metadata that never ends
	Huge         Fault = "huge"          // metadata of 50 MB
	OtherVersion Fault = "other version" // the tarball says that it is another version
	Escapes      Fault = "escapes"       // versions and notes with terminal escapes
	OnlyShasum   Fault = "only shasum"   // no integrity
	NoDigest     Fault = "no digest"     // neither
	AnotherName  Fault = "another name"  // the document is about another package
	NotAnObject  Fault = "not an object" // the document is no such document
)

// Registry is a simulated package registry.
type Registry struct {
	URL string

	server   *httptest.Server
	requests atomic.Int64
	bodies   atomic.Int64
	opened   atomic.Int64
	waiting  atomic.Int64 // requests that are being answered, and the most that were at once
	peak     atomic.Int64

	mu        sync.Mutex // for what is below, and for the maps of documents
	token     string
	delay     time.Duration
	elsewhere string
	faults    map[string]Fault
	asked     map[string]int
	packages  map[string]*document
}

type document struct {
	name     string
	tags     map[string]string
	versions map[string]map[string]any
	times    map[string]string
	tarballs map[string][]byte
}

// copy returns a document that Publish doesn't change any more: nil for nil. What its maps lead to never changes.
func (d *document) copy() *document {
	if d == nil {
		return nil
	}
	return &document{name: d.name, tags: maps.Clone(d.tags), versions: maps.Clone(d.versions),
		times: maps.Clone(d.times), tarballs: maps.Clone(d.tarballs)}
}

// published are the dates of the demo's versions; what is not here came out in between.
var published = map[string]string{"1.0.0": "2014-05-03", "1.3.0": "2016-02-11", "1.4.0": "2018-08-20",
	"1.4.2": "2019-05-04", "2.0.0": "2021-03-15", "2.0.3": "2022-06-21",
	"2.1.0": "2024-01-30", "3.0.0": "2023-04-12", "3.1.0": "2024-09-09", "1.2.0": "2020-10-10", "1.1.0": "2021-07-07",
	"3.0.0-beta.1": "2025-02-02", "4.0.0": "2025-06-01"}

// NewRegistry starts a registry with the made-up libraries on a loopback port.
func NewRegistry() (*Registry, error) {
	r := &Registry{faults: map[string]Fault{}, asked: map[string]int{}, packages: map[string]*document{}}
	r.server = httptest.NewUnstartedServer(r)
	r.server.Config.ConnState = r.count
	r.server.Start()
	r.URL = r.server.URL
	r.mu.Lock()
	defer r.mu.Unlock()
	for library, versions := range demo.Published() {
		for _, v := range versions {
			files, err := demo.Library(library, v)
			if err != nil {
				return nil, err
			}
			if err := r.publish(demo.PackageName(library), v, files); err != nil {
				return nil, err
			}
		}
	}
	for name, tags := range map[string]map[string]string{"oarlock": {"latest": "2.1.0", "next": "3.0.0-beta.1",
		"old": "1.4.2"},
		"brinework": {"latest": "1.2.0", "next": "2.0.0"}, "tidechart": {"latest": "3.1.0", "next": "4.0.0"}} {
		for tag, v := range tags {
			r.packages[name].tags[tag] = v
		}
	}
	r.packages["oarlock"].versions["1.3.0"]["deprecated"] = "it forgets listeners; use 1.4.2"
	return r, nil
}

// Connections is how many connections were opened to it so far.
func (r *Registry) Connections() int64 { return r.opened.Load() }

func (r *Registry) count(_ net.Conn, state http.ConnState) {
	if state == http.StateNew {
		r.opened.Add(1)
	}
}

// Close ends the registry.
func (r *Registry) Close() { r.server.Close() }

// Publish adds a version of a package of a test's own.
func (r *Registry) Publish(name, version string, files map[string][]byte) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.publish(name, version, files)
}

func (r *Registry) publish(name, version string, files map[string][]byte) error {
	d := r.packages[name]
	if d == nil {
		d = &document{name: name, tags: map[string]string{}, versions: map[string]map[string]any{},
			times: map[string]string{}, tarballs: map[string][]byte{}}
		r.packages[name] = d
	}
	b, err := demo.Tarball(files)
	if err != nil {
		return err
	}
	var manifest map[string]any
	if json.Unmarshal(files["package.json"], &manifest) != nil {
		manifest = map[string]any{"license": "MIT"}
	}
	manifest["name"], manifest["version"] = name, version
	size := 0
	for _, f := range files {
		size += len(f)
	}
	sum, old := sha512.Sum512(b), sha1.Sum(b)
	manifest["dist"] = map[string]any{
		"tarball": r.URL + "/-/" + url.PathEscape(name) + "/" + version + ".tgz", "unpackedSize": size,
		"integrity": "sha512-" + base64.StdEncoding.EncodeToString(sum[:]), "shasum": hex.EncodeToString(old[:]),
	}
	d.versions[version], d.tarballs[version] = manifest, b
	day := published[version]
	if day == "" {
		day = "2020-01-01"
	}
	d.times[version] = day + "T06:00:00.000Z"
	if !strings.Contains(version, "-") {
		d.tags["latest"] = version
	}
	return nil
}

// Demand makes the registry want a token for scoped packages.
func (r *Registry) Demand(token string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.token = token
}

// Delay makes every answer take so long.
func (r *Registry) Delay(d time.Duration) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.delay = d
}

// Redirect says to which address the tarballs of a package with the fault Elsewhere are redirected.
func (r *Registry) Redirect(address string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.elsewhere = address
}

// Fail makes a package fail from now on; no fault makes it well again.
func (r *Registry) Fail(name string, f Fault) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.faults[name] = f
}

// Requests counts all requests, Bodies those that were answered with more than "not modified".
func (r *Registry) Requests() int64 { return r.requests.Load() }

// Bodies counts the answers that had a body.
func (r *Registry) Bodies() int64 { return r.bodies.Load() }

// AtOnce is the largest number of requests that waited for their answers at one time so far.
func (r *Registry) AtOnce() int64 { return r.peak.Load() }

// ServeHTTP answers a request.
func (r *Registry) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	r.requests.Add(1)
	now := r.waiting.Add(1)
	defer r.waiting.Add(-1)
	for most := r.peak.Load(); now > most && !r.peak.CompareAndSwap(most, now); most = r.peak.Load() {
	}
	path := strings.TrimPrefix(req.URL.EscapedPath(), "/")
	if path == "" {
		return
	}
	tarball := strings.HasPrefix(path, "-/")
	name, version := path, ""
	if tarball {
		name, version, _ = strings.Cut(path[2:], "/")
		version = strings.TrimSuffix(version, ".tgz")
	}
	name, err := url.PathUnescape(name)
	r.mu.Lock()
	d := r.packages[name].copy()
	fault, token, delay, elsewhere := r.faults[name], r.token, r.delay, r.elsewhere
	r.asked[path]++
	times := r.asked[path]
	r.mu.Unlock()
	time.Sleep(delay)
	switch {
	case err != nil || d == nil || fault == Missing || tarball && d.tarballs[version] == nil:
		http.Error(w, `{"error":"not found"}`, http.StatusNotFound)
		return
	case strings.HasPrefix(name, "@") && token != "" && req.Header.Get("Authorization") != "Bearer "+token:
		http.Error(w, `{"error":"no token"}`, http.StatusUnauthorized)
		return
	case fault == Failing:
		http.Error(w, "out of order", http.StatusInternalServerError)
		return
	case fault == Busy && times <= 2:
		w.Header().Set("Retry-After", "0")
		http.Error(w, "busy", http.StatusTooManyRequests)
		return
	case fault == Circle:
		http.Redirect(w, req, req.URL.Path, http.StatusFound)
		return
	case tarball:
		if fault == Elsewhere {
			http.Redirect(w, req, elsewhere+req.URL.Path, http.StatusFound)
			return
		}
		r.tarball(w, d.tarballs[version], fault)
		return
	}
	r.metadata(w, req, d, fault)
}

func (r *Registry) metadata(w http.ResponseWriter, req *http.Request, d *document, fault Fault) {
	doc := map[string]any{"name": d.name, "dist-tags": d.tags}
	versions := map[string]map[string]any{}
	short := strings.Contains(req.Header.Get("Accept"), "install-v1+json")
	for v, m := range d.versions {
		c := map[string]any{}
		for k, x := range m {
			if !short || k == "name" || k == "version" || k == "dist" || k == "dependencies" ||
				k == "peerDependencies" || k == "deprecated" {
				c[k] = x
			}
		}
		versions[v] = c
	}
	if !short {
		doc["time"] = d.times
		doc["readme"] = strings.Repeat("All about "+d.name+". ", 200)
	}
	for v, c := range versions {
		dist := map[string]any{}
		for k, x := range c["dist"].(map[string]any) {
			dist[k] = x
		}
		switch fault {
		case OnlyShasum:
			delete(dist, "integrity")
		case NoDigest:
			delete(dist, "integrity")
			delete(dist, "shasum")
		case Escapes:
			c["deprecated"] = "\x1b[2J\x1b]0;pwned\x07gone"
			versions["9.9.9-\x1b[31m"] = map[string]any{"version": "9.9.9-\x1b[31m"}
		}
		c["dist"] = dist
		versions[v] = c
	}
	doc["versions"] = versions
	switch fault {
	case AnotherName:
		doc["name"] = "somebody-else"
	case Huge:
		doc["readme"] = strings.Repeat("a", 50<<20)
	}
	b, _ := json.Marshal(doc)
	if fault == NotAnObject {
		b = []byte("[]")
	}
	sum := sha256.Sum256(b)
	etag := `"` + hex.EncodeToString(sum[:8]) + `"`
	w.Header().Set("ETag", etag)
	w.Header().Set("Content-Type", "application/json")
	if req.Header.Get("If-None-Match") == etag && fault != Endless && fault != Slow {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	r.bodies.Add(1)
	switch fault {
	case Endless:
		for req.Context().Err() == nil {
			if _, err := w.Write(make([]byte, 1<<20)); err != nil {
				return
			}
		}
	case Slow:
		w.Write(b[:len(b)/2])
		w.(http.Flusher).Flush()
		<-req.Context().Done()
	default:
		w.Write(b)
	}
}

func (r *Registry) tarball(w http.ResponseWriter, b []byte, fault Fault) {
	r.bodies.Add(1)
	switch fault {
	case Truncated:
		w.Header().Set("Content-Length", fmt.Sprint(len(b)))
		w.Write(b[:len(b)/2])
		w.(http.Flusher).Flush()
		panic(http.ErrAbortHandler)
	case WrongDigest:
		b = append(append([]byte{}, b...), 0)
	}
	w.Write(b)
}
