package policy

import (
	"strings"
	"testing"
)

// TestJudge holds verdicts against what Content Security Policy Level 3 has browsers say.
func TestJudge(t *testing.T) {
	hash := HashOf("go()")
	script := func(url string) Use { return Use{Directive: "script-src-elem", URL: url} }
	own := Use{Directive: "script-src-elem", Path: "/js/club.js"}
	inline := Use{Directive: "script-src-elem", Inline: true, Text: "go()"}
	handler := Use{Directive: "script-src-attr", Inline: true, Text: "go()"}
	with := func(u Use, change func(*Use)) Use { change(&u); return u }
	for _, tt := range []struct {
		policy string
		use    Use
		want   Verdict
		by     string
	}{
		{"", own, Allowed, ""},
		{"default-src 'none'", own, Forbidden, "default-src"},
		{"script-src 'self'; default-src 'none'", own, Allowed, "script-src"},
		{"script-src 'self'; script-src 'none'", own, Allowed, "script-src"},
		{"SCRIPT-SRC 'SELF'", own, Allowed, "script-src"},
		{"script-src *", own, Allowed, "script-src"},
		{"script-src club.example", own, Unclear, "script-src"},
		{"script-src self", own, Forbidden, "script-src"},
		{"script-src https://cdn.harbour.example", with(own, func(u *Use) {
			u.Foreign = func(h string) bool {
				return h == "cdn.harbour.example"
			}
		}), Forbidden, "script-src"},
		{"script-src cdn.harbour.example", script("https://cdn.harbour.example/a.js"), Allowed, "script-src"},
		{"script-src *.harbour.example", script("https://cdn.harbour.example/a.js"), Allowed, "script-src"},
		{"script-src *.harbour.example", script("https://harbour.example/a.js"), Forbidden, "script-src"},
		{"script-src http://cdn.harbour.example", script("https://cdn.harbour.example/a.js"), Allowed, "script-src"},
		{"script-src https://cdn.harbour.example", script("http://cdn.harbour.example/a.js"), Forbidden, "script-src"},
		{"script-src cdn.harbour.example:8443", script("https://cdn.harbour.example/a.js"), Forbidden, "script-src"},
		{"script-src cdn.harbour.example:*", script("https://cdn.harbour.example:8443/a.js"), Allowed, "script-src"},
		{"script-src cdn.harbour.example/lib/", script("https://cdn.harbour.example/lib/a.js"), Allowed, "script-src"},
		{"script-src cdn.harbour.example/lib", script("https://cdn.harbour.example/lib/a.js"), Forbidden, "script-src"},
		{"script-src https:", script("https://cdn.harbour.example/a.js"), Allowed, "script-src"},
		{"script-src *", script("data:text/javascript,1"), Forbidden, "script-src"},
		{"script-src data:", script("data:text/javascript,1"), Allowed, "script-src"},
		{"script-src 'strict-dynamic' *", script("https://cdn.harbour.example/a.js"), Forbidden, "script-src"},
		{"script-src 'nonce-tide'", with(own, func(u *Use) { u.Nonce = "tide" }), Allowed, "script-src"},
		{"script-src 'nonce-tide'", with(own, func(u *Use) { u.Nonce = "Tide" }), Forbidden, "script-src"},
		{"script-src 'nonce-", with(own, func(u *Use) { u.Nonce = "tide" }), Forbidden, "script-src"},
		{"script-src 'nonce-", with(inline, func(u *Use) { u.Nonce = "tide" }), Forbidden, "script-src"},
		{"script-src 'sha384-AAAA'", with(own, func(u *Use) { u.Integrity = []string{"sha384-AAAA"} }), Allowed,
			"script-src"},
		{"script-src 'unsafe-inline'", inline, Allowed, "script-src"},
		{"script-src 'unsafe-inline' 'nonce-x'", inline, Forbidden, "script-src"},
		{"script-src " + hash, inline, Allowed, "script-src"},
		{"script-src " + hash, handler, Forbidden, "script-src"},
		{"script-src 'unsafe-hashes' " + hash, handler, Allowed, "script-src"},
		{"script-src-attr 'none'", inline, Allowed, ""},
		{"script-src 'nonce-{{nonce}}'", inline, Unclear, "script-src"},
		{"sandbox", own, Forbidden, "sandbox"},
		{"sandbox allow-scripts", own, Allowed, ""},
		{"sandbox allow-scripts", with(own, func(u *Use) { u.CORS = true }), Forbidden, "sandbox"},
		{"sandbox allow-scripts allow-same-origin", with(own, func(u *Use) { u.CORS = true }), Allowed, ""},
		{"child-src 'none'", Use{Directive: "frame-src", URL: "https://x.example/"}, Forbidden, "child-src"},
	} {
		if got, by := Parse(tt.policy).Judge(tt.use); got != tt.want || by != tt.by {
			t.Errorf("%q judges %+v as %v by %q, want %v by %q", tt.policy, tt.use, got, by, tt.want, tt.by)
		}
	}
}

func TestEvals(t *testing.T) {
	for text, want := range map[string]bool{"": true, "script-src 'self'": false,
		"default-src 'self' 'unsafe-eval'": true, "script-src 'unsafe-eval'; default-src 'none'": true,
		"img-src 'none'": true} {
		if Parse(text).Evals() != want {
			t.Errorf("%q: evals is %v", text, !want)
		}
	}
}

func TestIgnored(t *testing.T) {
	parts := func(text string, meta bool) string {
		var list []string
		for _, f := range Parse(text).Ignored(meta) {
			list = append(list, f.Part)
		}
		return strings.Join(list, ", ")
	}
	for _, tt := range []struct {
		text string
		meta bool
		want string
	}{
		{"frame-ancestors 'none'; sandbox; default-src 'self'", true, "frame-ancestors, sandbox"},
		{"frame-ancestors 'none'; sandbox; default-src 'self'", false, ""},
		{"scripts-src 'self'", false, "scripts-src"},
		{"script-src self nonce-tide sha256-AAAA; default-src NONE", false, "self in script-src, nonce-tide in " +
			"script-src, sha256-AAAA in script-src, NONE in default-src"},
		{"script-src /js/ self.example 'slef' cdn.harbour.example/lib 'nonce-a'", false, "/js/ in script-src, 'slef' " +
			"in script-src"},
	} {
		if got := parts(tt.text, tt.meta); got != tt.want {
			t.Errorf("%q: %q is passed over, want %q", tt.text, got, tt.want)
		}
	}
}

// TestDemands reads headers of Integrity-Policy as dictionaries.
func TestDemands(t *testing.T) {
	for _, tt := range []struct {
		header, want string
		ignored      int
	}{
		{"blocked-destinations=(script style), endpoints=(a)", "script", 1},
		{"blocked-destinations=(script), sources=()", "", 1},
		{"blocked-destinations=(script), sources=(inline)", "script", 0},
		{"blocked-destinations=(script), sources=(inline other)", "script", 1},
		{"blocked-destinations=(SCRIPT)", "", 1},
		{"blocked-destinations=(\"script\")", "", 1},
		{"blocked-destinations=script", "", 1},
		{"blocked-destinations = (script)", "", 1},
		{"Blocked-Destinations=(script)", "", 1},
		{"endpoints=(a)", "", 1},
	} {
		list, ignored := Demands(tt.header)
		if strings.Join(list, " ") != tt.want || len(ignored) != tt.ignored {
			t.Errorf("%s demands %v, and browsers ignore %v of it", tt.header, list, ignored)
		}
	}
}

// TestReadHeaders reads the three ways in which files of headers are written.
func TestReadHeaders(t *testing.T) {
	for _, tt := range []struct{ name, text, address, want string }{
		{"plain", "# for all\nContent-Security-Policy: default-src 'self'\nX-Other: 1\n", "/crews/index.html",
			"content-security-policy=default-src 'self'; x-other=1"},
		{"addresses", "/*\n  X-All: 1\n/crews/*\n  Content-Security-Policy: img-src 'self'\n/tides\n  X-Tides: 1\n",
			"/crews/index.html", "x-all=1; content-security-policy=img-src 'self'"},
		{"addresses", "https://club.example/tides\n\tX-Tides: 1\n/:folder/index.html\n  X-Deep: 1\n", "/tides.html",
			"x-tides=1"},
		{"directives", "<IfModule mod_headers.c>\nHeader always set Content-Security-Policy \"default-src 'self'; " +
			"\\\nimg-src *\"\nHeader unset X-Powered-By\n</IfModule>\n<FilesMatch \"^tides\">\n" +
			"Header set X-Tides \"1\"\n</FilesMatch>\n<Files \"*.html\">\nHeader set X-Html 1\n</Files>\n",
			"/index.html",
			"content-security-policy=default-src 'self'; img-src *; x-html=1"},
		{"overruled", "Header set X-A 1\nHeader set X-A 2\n", "/index.html", "x-a=2"},
	} {
		var got []string
		for _, h := range ReadHeaders([]byte(tt.text)) {
			if h.Applies(tt.address) {
				got = append(got, h.Name+"="+h.Value)
			}
		}
		if strings.Join(got, "; ") != tt.want {
			t.Errorf("%s: %s gets %q, want %q", tt.name, tt.address, got, tt.want)
		}
	}
}

// FuzzPolicies: no text of a policy or a file of headers makes reading or judging fail.
func FuzzPolicies(f *testing.F) {
	for _, s := range []string{"default-src 'self'", "script-src 'nonce-' 'sha256-' https://[::1", "script-src 'nonce-",
		"sandbox", ";;;", "Header set A \"b", "/\x83\n A: b", "<Files \x83>\n", "/x\n  A: b\n<Files ~ \"(\">\n",
		"script-src https://*:*/"} {
		f.Add(s, "https://cdn.harbour.example/a.js")
	}
	f.Fuzz(func(t *testing.T, text, url string) {
		for _, u := range []Use{{Directive: "script-src-elem", URL: url, Nonce: "tide"}, {Directive: "script-src-elem",
			Inline: true, Text: url, Nonce: url}, {Directive: "style-src-attr", Inline: true, Text: url},
			{Directive: "img-src", Path: "/" + url, Nonce: url}} {
			for _, p := range ParseHeader(text) {
				p.Judge(u)
				p.Ignored(true)
			}
		}
		for _, h := range ReadHeaders([]byte(text)) {
			h.Applies("/" + url)
		}
	})
}
