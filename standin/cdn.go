package standin

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"path"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"merrycrate.example/merry/demo"
)

// CDN is a simulated CDN. It answers under several host names, each with habits of its own:
//
//	cdn.harbour.example    /lib/NAME/VERSION/PATH, with CORS headers as real ones send
//	short.harbour.example  /NAME@VERSION/FILE, the path left out
//	bare.harbour.example   as the first, without CORS headers
//	rewrites.harbour.example  as the first, with a comment added to every file
//	other.harbour.example  as the first, with one byte changed
//	named.harbour.example  /STEM-VERSION.ENDING, and /NAME/FILE?v=VERSION
//	branch.harbour.example /NAME@BRANCH/PATH, with latest, 2, or 2.0 for the newest version of it
//	down.harbour.example   answers nothing
//
// The first also has /latest/NAME.js, of which every answer differs.
type CDN struct {
	Addr        string // its address on loopback, with the port
	Secure      string // the same over TLS
	Certificate []byte // of the authority behind that, in PEM

	server *httptest.Server
	secure *httptest.Server
	opened atomic.Int64
	mu     sync.Mutex
	files  map[string][]byte // NAME/VERSION/PATH
	spoilt map[string]bool
	down   bool
	busy   bool
	silent map[string]bool          // hosts that answer nothing any more
	slow   map[string]time.Duration // how long hosts take to answer
	asked  int                      // how often something without a version was asked for
}

// Hosts are the names under which a CDN answers.
var Hosts = []string{"cdn.harbour.example", "short.harbour.example", "bare.harbour.example", "rewrites.harbour.example",
	"other.harbour.example", "named.harbour.example", "branch.harbour.example", "down.harbour.example"}

// NewCDN starts a CDN with the made-up libraries on a loopback port.
func NewCDN() (*CDN, error) {
	c := &CDN{files: map[string][]byte{}, spoilt: map[string]bool{}, silent: map[string]bool{},
		slow: map[string]time.Duration{}}
	for library, versions := range demo.Published() {
		for _, v := range versions {
			files, err := demo.Library(library, v)
			if err != nil {
				return nil, err
			}
			for name, b := range files {
				c.files[path.Join(demo.PackageName(library), v, name)] = b
			}
		}
	}
	c.server = httptest.NewUnstartedServer(c)
	c.server.Config.ConnState = c.count
	c.server.Start()
	c.Addr = c.server.Listener.Addr().String()
	pair, authority, err := certificate("harbour.example", "*.harbour.example")
	if err != nil {
		c.server.Close()
		return nil, err
	}
	c.secure = httptest.NewUnstartedServer(c)
	c.secure.Config.ConnState = c.count
	c.secure.TLS = &tls.Config{Certificates: []tls.Certificate{pair}}
	c.secure.StartTLS()
	c.Secure, c.Certificate = c.secure.Listener.Addr().String(), authority
	return c, nil
}

// certificate makes a certificate for hosts that is its own authority, also in PEM.
func certificate(hosts ...string) (tls.Certificate, []byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, nil, err
	}
	form := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: hosts[0]}, DNSNames: hosts,
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature}
	der, err := x509.CreateCertificate(rand.Reader, form, form, &key.PublicKey, key)
	if err != nil {
		return tls.Certificate{}, nil, err
	}
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key},
		pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), nil
}

// Close ends the CDN.
func (c *CDN) Close() {
	c.server.Close()
	c.secure.Close()
}

// Connections is how many connections were opened to it so far.
func (c *CDN) Connections() int64 { return c.opened.Load() }

func (c *CDN) count(_ net.Conn, state http.ConnState) {
	if state == http.StateNew {
		c.opened.Add(1)
	}
}

// Spoil makes a file have another byte from now on: NAME/VERSION/PATH.
func (c *CDN) Spoil(file string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.spoilt[file] = true
}

// Down makes the CDN answer nothing any more.
func (c *CDN) Down() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.down = true
}

// Busy makes the CDN answer every request with the status 503 from now on.
func (c *CDN) Busy() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.busy = true
}

// Silence makes one host answer nothing any more.
func (c *CDN) Silence(host string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.silent[host] = true
}

// Slow makes one host take its time with every answer from now on.
func (c *CDN) Slow(host string, by time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.slow[host] = by
}

// ServeHTTP answers a request.
func (c *CDN) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	host, _, _ := strings.Cut(r.Host, ":")
	name := strings.TrimPrefix(r.URL.Path, "/lib/")
	c.mu.Lock()
	down, busy, wait := c.down || c.silent[host], c.busy, c.slow[host]
	switch host {
	case "short.harbour.example":
		name = c.short(strings.TrimPrefix(r.URL.Path, "/"))
	case "named.harbour.example":
		name = c.named(strings.TrimPrefix(r.URL.Path, "/"), r.URL.Query().Get("v"))
	case "branch.harbour.example":
		name = c.branch(strings.TrimPrefix(r.URL.Path, "/"))
	case "down.harbour.example":
		down = true
	}
	b, ok := c.files[name]
	if of, is := strings.CutPrefix(r.URL.Path, "/latest/"); is && demo.Loose[of] != nil {
		c.asked++
		b, ok = fmt.Appendf(nil, "%s\n// build %d\n", demo.Loose[of], c.asked), true
	}
	spoilt := c.spoilt[name]
	c.mu.Unlock()
	time.Sleep(wait)
	if busy && !down {
		http.Error(w, "busy", http.StatusServiceUnavailable)
		return
	}
	if down {
		panic(http.ErrAbortHandler)
	}
	if host != "bare.harbour.example" {
		w.Header().Set("Access-Control-Allow-Origin", "*")
	}
	if !ok {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", map[string]string{".js": "text/javascript", ".css": "text/css",
		".map": "application/json"}[path.Ext(name)])
	w.Header().Set("Cache-Control", "no-store")
	switch {
	case host == "rewrites.harbour.example":
		b = append([]byte("/* served by harbour */\n"), b...)
	case host == "other.harbour.example", spoilt:
		b = append([]byte(nil), b...)
		b[len(b)/2] ^= 1
	}
	w.Write(b)
}

// short finds the file that NAME@VERSION/FILE means.
func (c *CDN) short(name string) string {
	lib, file, _ := strings.Cut(name, "/")
	lib = strings.Replace(lib, "@", "/", 1)
	for known := range c.files {
		if strings.HasPrefix(known, lib+"/") && path.Base(known) == file {
			return known
		}
	}
	return name
}

// branch finds the file that NAME@BRANCH/PATH means, of the newest version of the branch.
func (c *CDN) branch(name string) string {
	lib, file, _ := strings.Cut(name, "/")
	lib, branch, _ := strings.Cut(lib, "@")
	best := name
	for known := range c.files {
		of, rest, _ := strings.Cut(known, "/")
		v, path, _ := strings.Cut(rest, "/")
		if of == lib && path == file && (branch == "latest" || v == branch || strings.HasPrefix(v, branch+".")) &&
			(best == name || known > best) {
			best = known
		}
	}
	return best
}

// named finds the file that a name with a version in it means, or a name with the version beside it.
func (c *CDN) named(name, version string) string {
	for known := range c.files {
		lib, rest, _ := strings.Cut(known, "/")
		v, file, _ := strings.Cut(rest, "/")
		stem, ending, _ := strings.Cut(path.Base(file), ".")
		if name == stem+"-"+v+"."+ending || version == v && name == lib+"/"+path.Base(file) {
			return known
		}
	}
	return name
}
