package standin

import (
	"bytes"
	"html/template"
	"net"
	"net/http"
	"path/filepath"
	"strings"
)

// Filled is a server that fills in the templates of the club's second site: the layout with a page's part in it.
type Filled struct {
	URL    string
	server *http.Server
}

// A filledPage is what a template of the site knows.
type filledPage struct {
	Title, Version, Spring string
	Tides, Crews           []string
	Pages                  []struct{ Address, Title string }
}

// filledTitles are the pages by their addresses.
var filledTitles = []struct{ Address, Title string }{{"/", "Home"}, {"/tides", "Tides"}, {"/crews", "Crews"}}

// NewFilled begins to serve the site in a folder on loopback. Close ends it.
func NewFilled(dir string) (*Filled, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.Handle("/static/", http.StripPrefix("/static/", http.FileServer(http.Dir(filepath.Join(dir, "static")))))
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) { answerFilled(w, r, dir) })
	f := &Filled{URL: "http://" + l.Addr().String(), server: &http.Server{Handler: mux}}
	go f.server.Serve(l)
	return f, nil
}

// Close ends the server.
func (f *Filled) Close() { f.server.Close() }

// answerFilled reads the templates anew for each request, as a server in development does.
func answerFilled(w http.ResponseWriter, r *http.Request, dir string) {
	page := filledPage{Version: "12", Spring: "27th", Tides: []string{"05:12", "17:40"},
		Crews: []string{"Eight", "Four", "Sculls"}, Pages: filledTitles}
	name := "index"
	if at := strings.Trim(r.URL.Path, "/"); at != "" {
		name = at
	}
	for _, p := range filledTitles {
		if p.Address == r.URL.Path {
			page.Title = p.Title
		}
	}
	if page.Title == "" {
		http.NotFound(w, r)
		return
	}
	asset := func(name string) string { return "/static/" + name }
	var files []string
	for _, part := range []string{"layout", "menu", "scripts", name} {
		files = append(files, filepath.Join(dir, "templates", part+".html"))
	}
	t, err := template.New("layout.html").Funcs(template.FuncMap{"asset": asset}).ParseFiles(files...)
	var out bytes.Buffer
	if err == nil {
		err = t.Execute(&out, page)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Write(out.Bytes())
}
