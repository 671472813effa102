package serve

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"fmt"
	"html"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"merrycrate.example/merry/crate/page"
)

//go:embed desk.js
var deskScript []byte

// deskHash is the hash of that script, by which policies let it in.
var deskHash = sync.OnceValue(func() string {
	sum := sha256.Sum256(deskScript)
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
})

// deskTag is the tag that is added to pages, with the number of the site's state. It has the same length for each.
func deskTag(state int64) string {
	return fmt.Sprintf(`<script src="%sdesk.js" integrity="%s" data-state="%08d"></script>`, ours, deskHash(),
		state%100_000_000)
}

// script answers with the script that is added.
func (s *Server) script(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
	w.Header().Set("Cache-Control", "no-cache")
	w.Write(deskScript)
}

// Page returns a page as it is served, without the added script: as a profile would leave it, or as it is on disk.
func (s *Server) Page(name string) ([]byte, error) {
	if b, ok := s.state.Load().pages[name]; ok {
		return s.emptied(name, b), nil
	}
	b, err := s.readFile(name)
	if err != nil {
		return nil, err
	}
	return s.emptied(name, b), nil
}

// page answers with a page of the site.
func (s *Server) page(w http.ResponseWriter, r *http.Request, name string) {
	b, err := s.Page(name)
	if err != nil {
		s.missing(w, r)
		return
	}
	s.headers(w, "/"+name)
	s.write(w, r, name, b, http.StatusOK)
}

// write sends a page with what is added to it.
func (s *Server) write(w http.ResponseWriter, r *http.Request, name string, b []byte, status int) {
	if strings.HasSuffix(name, ".xhtml") {
		w.Header().Set("Content-Type", "application/xhtml+xml")
	} else if w.Header().Get("Content-Type") == "" {
		w.Header().Set("Content-Type", typeOf(b))
	}
	if s.Live && !strings.HasSuffix(name, ".xhtml") {
		s.admit(w.Header(), r.Host)
	}
	b = s.added(name, b, shown(r))
	if status == http.StatusOK {
		http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(b))
		return
	}
	w.WriteHeader(status)
	w.Write(b)
}

// typeOf is the type of a page. One that does not say its charset is sent as the most servers send it: in UTF-8, unless
// its bytes say that it is something else.
func typeOf(b []byte) string {
	if pg, err := page.Read(b); err == nil && pg.Charset {
		return "text/html"
	}
	return "text/html; charset=utf-8"
}

// shown reports whether a page is asked for to be shown, and not as a piece by a script, which gets it as it is.
func shown(r *http.Request) bool {
	switch r.Header.Get("Sec-Fetch-Dest") {
	case "", "document", "iframe", "frame", "embed", "object":
		return true
	}
	// a worker fetches it, whose own file is a script: it keeps the page, to show it later
	from, err := url.Parse(r.Referer())
	return err == nil && (strings.HasSuffix(from.Path, ".js") || strings.HasSuffix(from.Path, ".mjs"))
}

// added is a page with the tag of our script before all others, and with links to other hosts led here, where that is
// wanted.
func (s *Server) added(name string, b []byte, shown bool) []byte {
	if s.CDNFallback {
		b = s.homeward(name, b)
	}
	if !s.Live || !shown || strings.HasSuffix(name, ".xhtml") {
		return b
	}
	pg, err := page.Read(b)
	if err != nil {
		return b // of a page in UTF-16 no byte is touched
	}
	at := pg.First()
	return append(append(append(make([]byte, 0, len(b)+len(deskTag(0))), b[:at]...),
		deskTag(s.states.Load())...), b[at:]...)
}

// Shift is how many columns of a page's line are there for what was added before a place of it.
func (s *Server) Shift(name string, line, column int) int {
	b, err := s.Page(name)
	if err != nil || !s.Live {
		return 0
	}
	pg, err := page.Read(b)
	if err != nil {
		return 0
	}
	if l, c := pg.Position(pg.First()); l != line || column < c+len(deskTag(0)) {
		return 0
	}
	return len(deskTag(0))
}

// homeward leads links to files of the crate on other hosts to this server's copies.
func (s *Server) homeward(name string, b []byte) []byte {
	p := s.state.Load().p
	var edits []page.Edit
	page.References(b, func(ref page.Reference) {
		if ref.In == page.InText {
			return
		}
		at, err := url.Parse(ref.Ref)
		if err != nil || at.Host == "" {
			return
		}
		if at.Scheme == "" {
			at.Scheme = "https"
		}
		if p.AtAddress(at.String()).File != nil {
			edits = append(edits, ref.Edit(awayPath(at)))
		}
	})
	return page.Apply(b, edits)
}

// awayPath is where this server has what another host has at an address.
func awayPath(at *url.URL) string {
	to := url.URL{Path: ours + "away/" + at.Scheme + "/" + at.Host + at.Path, RawQuery: at.RawQuery}
	return to.String()
}

// awayAddress is the address that such a path stands for.
func awayAddress(at *url.URL) string {
	scheme, rest, _ := strings.Cut(strings.TrimPrefix(at.EscapedPath(), ours+"away/"), "/")
	if at.RawQuery != "" {
		rest += "?" + at.RawQuery
	}
	return scheme + "://" + rest
}

// pageBehind reads the page that the server behind answers with, and adds to it.
func (s *Server) pageBehind(r *http.Response) error {
	const most = 32 << 20
	b, err := io.ReadAll(io.LimitReader(r.Body, most+1))
	if err != nil || len(b) > most {
		return fmt.Errorf("its page can't be read, or has more than %d bytes", most)
	}
	r.Body.Close()
	s.answers.Store(s.pageName(r.Request.URL.Path), answer{sent: bytes.Clone(b)})
	b = s.added(s.pageName(r.Request.URL.Path), b, shown(r.Request))
	if s.Live {
		s.admit(r.Header, r.Request.Host)
	}
	r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(b)), int64(len(b))
	r.Header.Set("Content-Length", strconv.Itoa(len(b)))
	r.Header.Del("Etag")
	return nil
}

// trouble answers with a page of our own that says what is wrong; it is loaded again like any other.
func (s *Server) trouble(w http.ResponseWriter, r *http.Request, status int, what, about string) {
	text := fmt.Sprintf("<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"+
		"<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>%s</title>\n"+
		"<style>body { max-width: 40rem; margin: 12vh auto; padding: 0 1rem; font: 16px/1.5 system-ui, sans-serif; "+
		"color: #22303a; background: #fbfaf7 } code { overflow-wrap: anywhere }</style>\n</head>\n<body>\n"+
		"<h1>%s</h1>\n<p><code>%s</code></p>\n<p>merry serve, %d</p>\n</body>\n</html>\n",
		html.EscapeString(what), html.EscapeString(what), html.EscapeString(about), status)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	w.Write(s.added("", []byte(text), shown(r)))
}

// seconds writes a time as headers do.
func seconds(d time.Duration) string { return strconv.Itoa(int(d / time.Second)) }
