package sources

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/internal/cratetest"
)

// served is a CDN that has one file of oarlock as it was sealed and another one otherwise.
func served(t *testing.T) *httptest.Server {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasSuffix(r.URL.Path, "oarlock.min.js"):
			w.Header().Set("Access-Control-Allow-Origin", "*")
			io.WriteString(w, "minified")
		case strings.HasSuffix(r.URL.Path, "oarlock.js"):
			io.WriteString(w, "other bytes")
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(s.Close)
	return s
}

// TestTry: a CDN has the very bytes of a file, or others, or refuses, or is not asked; each is reported apart.
func TestTry(t *testing.T) {
	s := served(t)
	list := "libraries:\n  oarlock: {version: 2.0.3, from: \"registry:oarlock\"}\ncdns: {quay: \"" + s.URL +
		"/{name}/{version}/{path}\"}\n"
	states := func(trusted []string, names ...string) map[string]string {
		p := cratetest.WithOarlock(t, list)
		p.Origin.Client = &source.Client{Trusted: trusted, Wait: time.Millisecond}
		files, err := Try(context.Background(), p, names)
		if err != nil {
			t.Fatal(err)
		}
		m := map[string]string{}
		for _, f := range files {
			m[f.File] = f.State
		}
		return m
	}
	if got := states([]string{"127.0.0.1"}); got["dist/oarlock.min.js"] != "same" ||
		got["dist/oarlock.js"] != "other bytes" {
		t.Errorf("%v", got)
	}
	if got := states(nil, "quay"); !strings.HasPrefix(got["dist/oarlock.min.js"], "refused: ") {
		t.Errorf("a host that nobody named is asked: %v", got)
	}
	p := cratetest.WithOarlock(t, list)
	if _, err := Try(context.Background(), p, []string{"pier"}); err == nil ||
		!strings.Contains(err.Error(), "no CDN pier") {
		t.Errorf("a CDN that there is not: %v", err)
	}
}

// TestMeasure: each host that pages link to is asked, and how it answers is reported.
func TestMeasure(t *testing.T) {
	s := served(t)
	link := `<!doctype html><script src="` + s.URL + `/oarlock/2.0.3/dist/oarlock.min.js"></script>`
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{"a.html": link, "b.html": link,
		"c.html": "<!doctype html>"})
	p.Origin.Client = &source.Client{Trusted: []string{"127.0.0.1"}, Wait: time.Millisecond}
	list, err := Measure(context.Background(), p)
	if err != nil || len(list) != 1 || list[0].Pages != 2 || list[0].Status != 200 || list[0].CORS != "*" ||
		list[0].Wire != int64(len("minified")) {
		t.Errorf("%+v, %v", list, err)
	}
	p.Origin.Offline = true
	if _, err := Measure(context.Background(), p); err == nil {
		t.Error("hosts are asked offline")
	}
}
