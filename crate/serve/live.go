package serve

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/coder/websocket"

	"merrycrate.example/merry/crate/console"
)

// A hub has the sockets of the pages that are open in browsers.
type hub struct {
	say func(host string, m *message)

	mu      sync.Mutex
	sockets map[*websocket.Conn]bool
}

// message is what our script sends: what the browser message of its page.
type message struct {
	Kind         console.Kind
	Page         string // the path of its address
	Text, URL    string
	Line, Column int
}

// order is what is sent to our script: to load the page again, or the stylesheets with these paths.
type order struct {
	Do    string   `json:"do"` // hello, reload, or styles
	Paths []string `json:"paths,omitempty"`
	// State is the number of the site's state, with hello: a page of an older one does not come from here.
	State int64 `json:"state,omitempty"`
}

// maxSaid is how much a page may send at once, in bytes.
const maxSaid = 64 << 10

// live is the socket of one open page.
func (s *Server) live(w http.ResponseWriter, r *http.Request) {
	c, err := websocket.Accept(w, r, nil) // it holds Origin against Host, too
	if err != nil {
		return
	}
	defer c.CloseNow()
	c.SetReadLimit(maxSaid)
	s.hub.add(c)
	defer s.hub.remove(c)
	if b, err := json.Marshal(order{Do: "hello", State: s.states.Load()}); err == nil {
		c.Write(r.Context(), websocket.MessageText, b) // a page that does not take it is gone
	}
	for {
		_, b, err := c.Read(r.Context())
		if err != nil {
			return
		}
		var m message
		if json.Unmarshal(b, &m) == nil {
			s.hub.say(r.Host, &m)
		}
	}
}

func (h *hub) add(c *websocket.Conn) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.sockets == nil {
		h.sockets = map[*websocket.Conn]bool{}
	}
	h.sockets[c] = true
}

func (h *hub) remove(c *websocket.Conn) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.sockets, c)
}

// send sends an order to all pages; one that does not take it is left.
func (h *hub) send(ctx context.Context, o order) {
	b, err := json.Marshal(o)
	if err != nil {
		return
	}
	h.mu.Lock()
	list := make([]*websocket.Conn, 0, len(h.sockets))
	for c := range h.sockets {
		list = append(list, c)
	}
	h.mu.Unlock()
	for _, c := range list {
		go func() {
			ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
			defer cancel()
			c.Write(ctx, websocket.MessageText, b)
		}()
	}
}

// Changed has the open pages show what changed: the names of files in the site, none for anything. Stylesheets are
// swapped in place; all else loads the pages again.
func (s *Server) Changed(ctx context.Context, names []string) {
	o := order{Do: "styles"}
	for _, name := range names {
		if path.Ext(name) != ".css" {
			o = order{Do: "reload"}
			break
		}
		o.Paths = append(o.Paths, "/"+name)
	}
	if len(names) == 0 {
		o = order{Do: "reload"}
	}
	s.hub.send(ctx, o)
}

// onMessage takes what a page's script sent.
func (s *Server) onMessage(host string, m *message) {
	at, err := url.Parse(m.Page)
	if err != nil {
		return
	}
	switch m.Kind {
	case console.Error, console.Warning, console.Rejection, console.Failed, console.Blocked:
	default:
		return
	}
	if strings.Contains(m.URL, ours+"desk.js") {
		m.URL, m.Line, m.Column = "", 0, 0
	}
	if o, err := url.Parse(m.URL); err == nil && o.Host == host && m.Kind == console.Failed {
		return // the server said so itself
	}
	own := "http://" + host + "/"
	m.Text = strings.ReplaceAll(m.Text, own, s.origin+"/")
	if rest, is := strings.CutPrefix(m.URL, own); is {
		m.URL = s.origin + "/" + rest
	}
	s.notify(&console.Message{Kind: m.Kind, Page: s.pageName(at.Path), Text: m.Text, URL: m.URL, Line: max(m.Line, 0),
		Column: max(m.Column, 0)})
}

func (s *Server) notify(m *console.Message) {
	if s.OnMessage != nil {
		s.OnMessage(m)
	}
}
