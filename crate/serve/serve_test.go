package serve

import (
	"net/url"
	"path"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/policy"
)

// TestAdmit: under every policy what is added to pages may run and connect, and nothing that was forbidden is allowed by it.
func TestAdmit(t *testing.T) {
	const host = "127.0.0.1:8000"
	mine := policy.Use{Directive: "script-src-elem", URL: "http://" + host + ours + "desk.js", Integrity: []string{deskHash()}, Foreign: func(string) bool { return true }}
	socket := policy.Use{Directive: "connect-src", URL: "ws://" + host + ours + "live", Foreign: func(string) bool { return true }}
	other := policy.Use{Directive: "script-src-elem", URL: "https://cdn.harbour.example/a.js", Foreign: func(string) bool { return true }}
	inline := policy.Use{Directive: "script-src-elem", Inline: true, Text: "x()"}
	picture := policy.Use{Directive: "img-src", URL: "https://cdn.harbour.example/a.png", Foreign: func(string) bool { return true }}
	for _, text := range []string{
		"default-src 'self'", "default-src 'none'", "script-src 'none'; connect-src 'none'", "script-src 'nonce-abc' 'strict-dynamic'", "script-src-elem https://a.example; default-src *", "img-src 'self'", "",
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

// FuzzNames: whatever is asked for, what is opened lies in the site, and is nobody's secret.
func FuzzNames(f *testing.F) {
	for _, s := range []string{"/", "/../x", "/a/./b//c", "/.git/config", "/.well-known/x", "/a\\..\\b", "/%2e%2e/x", "/a/.b/c", "//host/x"} {
		f.Add(s)
	}
	s := &Server{}
	f.Fuzz(func(t *testing.T, asked string) {
		at, err := url.Parse("http://127.0.0.1" + asked)
		if err != nil {
			return
		}
		name, ok := s.nameOf(at.Path)
		if ok && name != "." && (name != path.Clean(name) || strings.HasPrefix(name, "/") || strings.HasPrefix(name, "..") || strings.Contains(name, "/.") || strings.ContainsAny(name, "\\\x00") || name[0] == '.' && !strings.HasPrefix(name, ".well-known")) {
			t.Errorf("%q opens %q", asked, name)
		}
	})
}

// TestAway: an address of another host and the path that stands for it lead to each other.
func TestAway(t *testing.T) {
	for _, address := range []string{"https://cdn.harbour.example/lib/oarlock@2.0.3/dist/a.js", "http://cdn.harbour.example/a%20b.js?v=1.2&x", "https://cdn.harbour.example/"} {
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
