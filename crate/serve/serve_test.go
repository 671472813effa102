package serve

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/internal/cratetest"
)

// TestAdmit: under every policy what is added to pages may run and connect, and nothing that was forbidden is allowed
// by it.
func TestAdmit(t *testing.T) {
	const host = "127.0.0.1:8000"
	mine := policy.Use{Directive: "script-src-elem", URL: "http://" + host + ours + "desk.js",
		Integrity: []string{deskHash()}, Foreign: func(string) bool { return true }}
	socket := policy.Use{Directive: "connect-src", URL: "ws://" + host + ours + "live", Foreign: func(string) bool {
		return true
	}}
	other := policy.Use{Directive: "script-src-elem", URL: "https://cdn.harbour.example/a.js",
		Foreign: func(string) bool {
			return true
		}}
	inline := policy.Use{Directive: "script-src-elem", Inline: true, Text: "x()"}
	picture := policy.Use{Directive: "img-src", URL: "https://cdn.harbour.example/a.png", Foreign: func(string) bool {
		return true
	}}
	for _, text := range []string{
		"default-src 'self'", "default-src 'none'", "script-src 'none'; connect-src 'none'",
		"script-src 'nonce-abc' 'strict-dynamic'", "script-src-elem https://a.example; default-src *", "img-src 'self'",
		"",
		"DEFAULT-SRC 'NONE'; upgrade-insecure-requests", "script-src 'unsafe-inline'", "; ;;script-src",
	} {
		before, after := policy.Parse(text), policy.Parse(admitting(text, host))
		for _, u := range []policy.Use{mine, socket} {
			if verdict, by := after.Judge(u); verdict == policy.Forbidden {
				t.Errorf("%q becomes %q, and forbids %s by %s", text, admitting(text, host), u.URL, by)
			}
		}
		for _, u := range []policy.Use{other, inline, picture} {
			was, _ := before.Judge(u)
			is, _ := after.Judge(u)
			if was != is {
				t.Errorf("%q becomes %q: %s%s was %v, and is %v", text, admitting(text, host), u.URL, u.Text, was, is)
			}
		}
		if strings.Contains(strings.ToLower(admitting(text, host)), "upgrade-insecure") {
			t.Errorf("%q has loopback asked for TLS", text)
		}
	}
}

// FuzzNames: whatever is asked for, what is opened is in the site, and is nobody's secret.
func FuzzNames(f *testing.F) {
	for _, s := range []string{"/", "/../x", "/a/./b//c", "/.git/config", "/.well-known/x", "/a\\..\\b", "/%2e%2e/x",
		"/a/.b/c", "//host/x"} {
		f.Add(s)
	}
	s := &Server{}
	f.Fuzz(func(t *testing.T, asked string) {
		at, err := url.Parse("http://127.0.0.1" + asked)
		if err != nil {
			return
		}
		name, ok := s.nameOf(at.Path)
		if ok && name != "." && (name != path.Clean(name) || strings.HasPrefix(name, "/") ||
			strings.HasPrefix(name, "..") || strings.Contains(name, "/.") || strings.ContainsAny(name, "\\\x00") ||
			name[0] == '.' && !strings.HasPrefix(name, ".well-known")) {
			t.Errorf("%q opens %q", asked, name)
		}
	})
}

// TestAway: an address of another host and the path that stands for it lead to each other.
func TestAway(t *testing.T) {
	for _, address := range []string{"https://cdn.harbour.example/lib/oarlock@2.0.3/dist/a.js",
		"http://cdn.harbour.example/a%20b.js?v=1.2&x", "https://cdn.harbour.example/"} {
		at, err := url.Parse(address)
		if err != nil {
			t.Fatal(err)
		}
		back, err := url.Parse(awayPath(at))
		if err != nil || awayAddress(back) != address {
			t.Errorf("%s becomes %s, and that %s", address, awayPath(at), awayAddress(back))
		}
	}
}

// TestWhoIsAnswered: a page from elsewhere, by whatever name, gets no answer; a hidden name is served by no link; a
// fault of this program is an answer like others.
func TestWhoIsAnswered(t *testing.T) {
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{"index.html": "<!doctype html>", ".env": "secret",
		".well-known/x.txt": "known", "img/a.txt": "a"})
	for link, to := range map[string]string{"shown.txt": ".env", "folder": ".well-known", "near.txt": "img/a.txt",
		"inner": "."} {
		if err := os.Symlink(to, string(p.Root.Join(link))); err != nil {
			t.Skip("this system cannot make links")
		}
	}
	s, err := New(context.Background(), Options{Project: p, Host: "127.0.0.1"})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, tt := range []struct {
		path, host, origin, site string
		want                     int
	}{
		{"/index.html", "127.0.0.1:8000", "", "", 200}, {"/index.html", "localhost:8000", "http://localhost:8000",
			"same-origin", 200}, {"/near.txt", "127.0.0.1", "", "", 200}, {"/.well-known/x.txt", "127.0.0.1", "", "",
			200},
		{"/index.html", "evil.example", "", "", 403}, {"/index.html", "127.0.0.1:8000", "https://evil.example", "",
			403}, {"/index.html", "127.0.0.1:8000", "", "cross-site", 403},
		{"/.env", "127.0.0.1", "", "", 404}, {"/shown.txt", "127.0.0.1", "", "", 404}, {"/inner/.env", "127.0.0.1", "",
			"", 404}, {"/inner/shown.txt", "127.0.0.1", "", "", 404},
	} {
		r := httptest.NewRequest(http.MethodGet, tt.path, nil)
		r.Host = tt.host
		r.Header.Set("Origin", tt.origin)
		r.Header.Set("Sec-Fetch-Site", tt.site)
		if tt.origin == "" {
			r.Header.Del("Origin")
		}
		w := httptest.NewRecorder()
		s.Handler().ServeHTTP(w, r)
		if w.Code != tt.want || strings.Contains(w.Body.String(), "secret") {
			t.Errorf("%s as %s from %s %s: %d, want %d\n%s", tt.path, tt.host, tt.origin, tt.site, w.Code, tt.want,
				w.Body)
		}
	}
	w := httptest.NewRecorder()
	s.unbroken(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { panic("low water") })).ServeHTTP(w,
		httptest.NewRequest(http.MethodGet, "/", nil))
	if w.Code != http.StatusInternalServerError || !strings.Contains(w.Body.String(), "low water") ||
		strings.Contains(w.Body.String(), "goroutine") {
		t.Errorf("a fault is answered with %d %s", w.Code, w.Body)
	}
}
