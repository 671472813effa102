// Package serve is the server that shows a site while people work on it: on loopback, with index files, types, ranges,
// compression and the site's headers. It adds a small script to served pages, which reloads them when files change and
// reports what the console says. Nothing is written to disk.
package serve

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log"
	"mime"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/klauspost/compress/gzhttp"

	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/obtain"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// ours is where the server's own addresses begin. No file of a site is hidden by it: names with a dot are not served.
const ours = "/.merry/"

// Options say how a site is served.
type Options struct {
	Project *project.Project
	// Host is the address that is listened on; a browser may name it, and what stands for loopback.
	Host string
	// Cache is how long files may be kept by the browser: 0 has it ask each time.
	Cache time.Duration
	// Behind is the server requested pages and for what the site does not have, nil for none.
	Behind *url.URL
	// CDNFallback has links to other hosts answered from the cache, where the crate has their bytes.
	CDNFallback bool
	// Live has pages loaded again on changes, and their console told.
	Live bool
	// Policies are content security policies that pages are sent in place of those of the site's files of headers, by
	// address; nil for none.
	Policies map[string]string
	// OnMessage is reported what browsers say of the site's pages.
	OnMessage func(*console.Message)
}

// A Server answers requests for a site.
type Server struct {
	Options
	root    *os.Root
	handler http.Handler
	hub     hub
	origin  string // under which messages name the site's files, whatever the browser calls this server
	state   atomic.Pointer[state]
	states  atomic.Int64 // how many there were
	answers sync.Map     // what was sent last as a page that a server fills in, by its name
	told    sync.Map     // names of pages that are filled in, of which it was told
}

// A state is what is known of the site until something changes.
type state struct {
	p     *project.Project
	guard *csp.Index
	pages map[string][]byte // in the site: as a profile would have them
	// composed is how the pages are put together, once somebody asks.
	composed func() composed
}

// New makes the server of a project's site. Close ends it.
func New(ctx context.Context, o Options) (*Server, error) {
	root, err := os.OpenRoot(string(o.Project.Root.Join(o.Project.Site())))
	if err != nil {
		return nil, err
	}
	s := &Server{Options: o, root: root}
	s.hub.say = s.onMessage
	s.Update(ctx, o.Project, nil)
	var site http.Handler = http.HandlerFunc(s.file)
	if o.Behind != nil {
		site = s.before(o.Behind)
	}
	site = gzhttp.GzipHandler(site)
	mux := http.NewServeMux()
	mux.HandleFunc(ours+"desk.js", s.script)
	mux.HandleFunc(ours+"live", s.live)
	mux.HandleFunc(ours+"away/", s.away)
	mux.Handle("/", site)
	s.handler = s.guarded(s.unbroken(mux))
	return s, nil
}

// Close frees the server's resources.
func (s *Server) Close() error { return s.root.Close() }

// Update has the server know another state of the project, with the pages that are not served as they are on disk.
func (s *Server) Update(ctx context.Context, p *project.Project, pages map[string][]byte) {
	s.states.Add(1)
	s.state.Store(&state{p: p, guard: csp.New(p), pages: pages, composed: composedOf(ctx, p)})
}

// Listen begins to listen. A port of 0 is any that is free.
func Listen(host, port string) (net.Listener, error) {
	l, err := net.Listen("tcp", net.JoinHostPort(host, port))
	if err == nil {
		return l, nil
	}
	why, next := err, "merry serve  # on a free port"
	var call *os.SyscallError
	var name *net.DNSError
	switch {
	case errors.As(err, &call):
		why = call.Err
	case errors.As(err, &name):
		why, next = errors.New("there is no such host"), "merry serve  # for this machine only"
	}
	return nil, &problem.Problem{Code: problem.PortTaken, Class: problem.Outside, Err: err,
		What: fmt.Sprintf("merry can't serve on %s, port %s: %v", host, port, why), Next: []string{next}}
}

// Run answers requests until the context ends.
func (s *Server) Run(ctx context.Context, l net.Listener) error {
	server := &http.Server{Handler: s.handler, ReadHeaderTimeout: 10 * time.Second, ErrorLog: log.New(io.Discard, "",
		0), BaseContext: func(net.Listener) context.Context { return ctx }}
	stop := context.AfterFunc(ctx, func() { server.Close() })
	defer stop()
	err := server.Serve(l)
	if errors.Is(err, http.ErrServerClosed) {
		return ctx.Err()
	}
	return err
}

// Handler answers a request.
func (s *Server) Handler() http.Handler { return s.handler }

// unbroken answers with an error page where this program itself fails at a request, and tells of it once.
func (s *Server) unbroken(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		err := parallel.Recover(func() error { next.ServeHTTP(w, r); return nil })
		if err != nil {
			s.trouble(w, r, http.StatusInternalServerError, "This is a bug in merry", err.Error())
		}
	})
}

// guarded answers only who asks this machine by a name that is its own, and no other site's scripts: a page from
// elsewhere could have its own name lead to loopback (DNS rebinding), or ask for files across sites.
func (s *Server) guarded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if name, _, err := net.SplitHostPort(host); err == nil {
			host = name
		}
		if !s.named(strings.Trim(host, "[]")) {
			http.Error(w, "merry serve answers only at the address that it printed, not as "+r.Host,
				http.StatusForbidden)
			return
		}
		origin := r.Header.Get("Origin")
		across := r.Header.Get("Sec-Fetch-Site") == "cross-site" && r.Header.Get("Sec-Fetch-Mode") != "navigate"
		if origin != "" && origin != "null" && origin != "http://"+r.Host || across {
			http.Error(w, "merry serve answers no pages of other sites", http.StatusForbidden)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// named reports whether a request's host is this server. On an address that is not loopback's, numbers are: a name is
// what leads elsewhere.
func (s *Server) named(host string) bool {
	ip := net.ParseIP(host)
	if own := net.ParseIP(s.Host); own != nil && !own.IsLoopback() && ip != nil {
		return true
	}
	return host == "localhost" || host == s.Host || ip != nil && ip.IsLoopback()
}

// before answers from the site what is no page and there, and has the rest answered by the server behind.
func (s *Server) before(behind *url.URL) http.Handler {
	proxy := &httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(behind)
			r.Out.Header.Del("Accept-Encoding") // its pages are read here
		},
		ModifyResponse: func(r *http.Response) error {
			if kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")); kind != "text/html" ||
				r.Request.Method != http.MethodGet {
				return nil
			}
			return s.pageBehind(r)
		},
		ErrorHandler: func(w http.ResponseWriter, r *http.Request, err error) {
			s.trouble(w, r, http.StatusBadGateway, "The server behind does not answer", behind.String()+": "+
				err.Error())
		},
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if name, ok := s.nameOf(r.URL.Path); ok && !s.isPage(name) && !s.forServer(name) &&
			(r.Method == http.MethodGet ||
				r.Method == http.MethodHead) {
			if info, err := s.stat(name); err == nil && info.Mode().IsRegular() {
				s.file(w, r)
				return
			}
		}
		proxy.ServeHTTP(w, r)
	})
}

// nameOf is the file of the site that a path means. What begins with a dot is not served: version control, and what
// merry keeps; but what servers are asked for by the standard (RFC 8615) is.
func (s *Server) nameOf(address string) (string, bool) {
	name := strings.TrimPrefix(path.Clean("/"+address), "/")
	if strings.ContainsAny(name, "\x00\\") {
		return "", false
	}
	for i, part := range strings.Split(name, "/") {
		if strings.HasPrefix(part, ".") && (i > 0 || part != ".well-known") {
			return "", false
		}
	}
	if name == "" {
		name = "."
	}
	return name, true
}

// stat looks at a file of the site. The error of one that a link, or a link to its folder, leads to a hidden name is
// fs.ErrNotExist: what begins with a dot is served by no name.
func (s *Server) stat(name string) (fs.FileInfo, error) {
	info, err := s.root.Stat(name)
	if err != nil {
		return nil, err
	}
	base, err := filepath.EvalSymlinks(s.root.Name())
	if err != nil {
		return nil, err
	}
	target, err := filepath.EvalSymlinks(filepath.Join(base, filepath.FromSlash(name)))
	if err != nil {
		return nil, err
	}
	at, err := filepath.Rel(base, target)
	if err != nil {
		return nil, err
	}
	if _, ok := s.nameOf(filepath.ToSlash(at)); !ok {
		return nil, fs.ErrNotExist
	}
	return info, nil
}

func (s *Server) open(name string) (*os.File, error) {
	if _, err := s.stat(name); err != nil {
		return nil, err
	}
	return s.root.Open(name)
}

func (s *Server) readFile(name string) ([]byte, error) {
	if _, err := s.stat(name); err != nil {
		return nil, err
	}
	return s.root.ReadFile(name)
}

func isHTML(name string) bool {
	return slices.Contains([]string{".html", ".htm", ".xhtml"}, strings.ToLower(path.Ext(name)))
}

// file answers with a file of the site.
func (s *Server) file(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		w.Header().Set("Allow", "GET, HEAD")
		http.Error(w, "a static site answers GET and HEAD", http.StatusMethodNotAllowed)
		return
	}
	name, ok := s.nameOf(r.URL.Path)
	if !ok {
		s.missing(w, r)
		return
	}
	info, err := s.stat(name)
	if err == nil && info.IsDir() {
		if !strings.HasSuffix(r.URL.Path, "/") {
			to := url.URL{Path: path.Base(r.URL.Path) + "/", RawQuery: r.URL.RawQuery}
			w.Header().Set("Location", to.String())
			w.WriteHeader(http.StatusMovedPermanently)
			return
		}
		dir := name
		name = path.Join(dir, "index.html")
		if info, err = s.stat(name); err != nil {
			if other := s.indexOf(dir); other != "" {
				name = other
				info, err = s.stat(name)
			}
		}
	}
	if _, planned := s.state.Load().pages[name]; err != nil && !planned {
		// Servers of files find a page without its ending, too.
		if plain, perr := s.stat(name + ".html"); perr == nil && path.Ext(name) == "" {
			name, info, err = name+".html", plain, nil
		}
	}
	planned, isPlanned := s.state.Load().pages[name]
	switch {
	case isPlanned && !s.isPage(name):
		s.headers(w, "/"+name)
		setType(w, name)
		http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(planned))
		return
	case err != nil && !isPlanned:
		if escapes := !errors.Is(err, fs.ErrNotExist); escapes {
			s.trouble(w, r, http.StatusForbidden, "This file is not served", name+" leads out of the site, or "+
				"can't be read")
			return
		}
		s.missing(w, r)
		return
	case err == nil && !info.Mode().IsRegular():
		s.trouble(w, r, http.StatusForbidden, "This is not a plain file", name)
		return
	case s.isPage(name):
		s.page(w, r, name)
		return
	case s.forServer(name):
		s.trouble(w, r, http.StatusForbidden, "This file is for a server", name+" is a program or a template; its "+
			"source is not sent. merry serve --behind URL asks the server")
		return
	}
	f, err := s.open(name)
	if err != nil {
		s.missing(w, r)
		return
	}
	defer f.Close()
	s.headers(w, "/"+name)
	setType(w, name)
	http.ServeContent(w, r, name, info.ModTime(), f)
}

// setType sets the type of a file by the standards' names, whatever this machine's own table says.
func setType(w http.ResponseWriter, name string) {
	types := map[string]string{".js": "text/javascript; charset=utf-8", ".mjs": "text/javascript; charset=utf-8",
		".cjs": "text/javascript; charset=utf-8",
		".css": "text/css; charset=utf-8", ".json": "application/json", ".map": "application/json",
		".webmanifest": "application/manifest+json",
		".svg":         "image/svg+xml", ".woff": "font/woff", ".woff2": "font/woff2", ".ttf": "font/ttf",
		".otf":  "font/otf",
		".wasm": "application/wasm",
		".txt":  "text/plain; charset=utf-8", ".md": "text/plain; charset=utf-8", ".xml": "application/xml",
		".avif": "image/avif", ".webp": "image/webp", ".ico": "image/x-icon"}
	if t := types[strings.ToLower(path.Ext(name))]; t != "" {
		w.Header().Set("Content-Type", t)
	}
}

// headers sets what the site's files of headers give an address, and how long it may be kept.
func (s *Server) headers(w http.ResponseWriter, address string) {
	w.Header().Set("Cache-Control", "no-cache")
	if s.Cache > 0 && !isHTML(address) {
		w.Header().Set("Cache-Control", "max-age="+seconds(s.Cache))
	}
	if tried := s.Policies[address]; tried != "" {
		w.Header().Set("Content-Security-Policy", tried)
	}
	for _, h := range s.state.Load().guard.HeadersOf(address) {
		if h.Name == "content-security-policy" && s.Policies[address] != "" {
			continue
		}
		switch h.Name {
		case "content-type", "content-length", "content-encoding", "transfer-encoding", "location",
			"strict-transport-security":
		case "cache-control":
			if s.Cache > 0 {
				w.Header().Set("Cache-Control", h.Value)
			}
		default:
			w.Header().Add(h.Name, h.Value)
		}
	}
}

// missing answers that there is no such file, with the site's own page for that where it has one.
func (s *Server) missing(w http.ResponseWriter, r *http.Request) {
	s.notifyMissing(r)
	if b, err := s.readFile("404.html"); err == nil {
		s.headers(w, "/404.html")
		s.write(w, r, "404.html", b, http.StatusNotFound)
		return
	}
	s.trouble(w, r, http.StatusNotFound, "There is no such file", strings.TrimPrefix(r.URL.Path, "/"))
}

// notifyMissing tells of a file that a page asked for and that is not there.
func (s *Server) notifyMissing(r *http.Request) {
	from, err := url.Parse(r.Referer())
	if err != nil || from.Host != r.Host || r.URL.Path == "/favicon.ico" || !s.Live {
		return
	}
	s.notify(&console.Message{Kind: console.Failed, Page: s.pageName(from.Path), Text: "404, there is no such file: " +
		strings.TrimPrefix(r.URL.Path, "/"), URL: s.origin + r.URL.Path})
}

// pageName is the page of the site that a path shows.
func (s *Server) pageName(address string) string {
	name, ok := s.nameOf(address)
	if !ok {
		return strings.TrimPrefix(address, "/")
	}
	if info, err := s.stat(name); err == nil && info.IsDir() {
		return path.Join(name, "index.html")
	}
	if _, err := s.stat(name + ".html"); path.Ext(name) == "" && err == nil {
		return name + ".html"
	}
	return name
}

// away answers with the crate's copy of a file of another host.
func (s *Server) away(w http.ResponseWriter, r *http.Request) {
	address := awayAddress(r.URL)
	p := s.state.Load().p
	of := p.AtAddress(address)
	if of.File == nil {
		of = tags.FileOf(p, tags.Target{URL: strings.TrimSuffix(address, "?"+r.URL.RawQuery)})
	}
	if of.File == nil {
		s.trouble(w, r, http.StatusNotFound, "The crate has no file from there", address)
		return
	}
	b, err := obtain.Bytes(r.Context(), p, of)
	if err != nil {
		s.trouble(w, r, http.StatusBadGateway, "The cache does not have that file", address)
		return
	}
	setType(w, of.File.Path)
	w.Header().Set("Cache-Control", "no-cache")
	w.Header().Set("Access-Control-Allow-Origin", "*")
	w.Write(b)
}
