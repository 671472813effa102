package standin

import (
	"net/http"
	"net/http/httptest"
	"path"
	"strings"
	"sync"

	"merrycrate.example/merry/demo"
)

// CDN is a simulated CDN. It answers under several host names, each with habits of its own:
//
//	cdn.harbour.example    /lib/NAME/VERSION/PATH, with CORS headers as real ones send
//	short.harbour.example  /NAME@VERSION/FILE, the path left out
//	bare.harbour.example   as the first, without CORS headers
//	rewrites.harbour.example  as the first, with a comment added to every file
//	other.harbour.example  as the first, with one byte changed
type CDN struct {
	Addr string // its address on loopback, with the port

	server *httptest.Server
	mu     sync.Mutex
	files  map[string][]byte // NAME/VERSION/PATH
	spoilt map[string]bool
	down   bool
}

// Hosts are the names under which a CDN answers.
var Hosts = []string{"cdn.harbour.example", "short.harbour.example", "bare.harbour.example", "rewrites.harbour.example", "other.harbour.example"}

// NewCDN starts a CDN with the made-up libraries on a loopback port.
func NewCDN() (*CDN, error) {
	c := &CDN{files: map[string][]byte{}, spoilt: map[string]bool{}}
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
	c.server = httptest.NewServer(c)
	c.Addr = c.server.Listener.Addr().String()
	return c, nil
}

// Close ends the CDN.
func (c *CDN) Close() { c.server.Close() }

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

func (c *CDN) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	host, _, _ := strings.Cut(r.Host, ":")
	name := strings.TrimPrefix(r.URL.Path, "/lib/")
	c.mu.Lock()
	down := c.down
	if host == "short.harbour.example" {
		name = c.short(strings.TrimPrefix(r.URL.Path, "/"))
	}
	b, ok := c.files[name]
	spoilt := c.spoilt[name]
	c.mu.Unlock()
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
	w.Header().Set("Content-Type", map[string]string{".js": "text/javascript", ".css": "text/css", ".map": "application/json"}[path.Ext(name)])
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
