package shown

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// filledSite is a site of a page with a header, and a program that is no page.
func filledSite(t *testing.T) *merrytest.Site {
	t.Helper()
	s := merrytest.Empty(t)
	for name, text := range map[string]string{
		"index.php": "<?php\n$secret = 'x17';\ninclude 'inc/head.php';\n?>\n<main><?= $text ?></main>\n" +
			"<script>var rows = <?= json_encode($rows) ?>;</script>\n<script>missing();</script>\n</body>\n</html>\n",
		"inc/head.php": "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title><?= $title " +
			"?></title>\n" +
			"</head>\n<body>\n",
		"lib/mail.ejs": "<% const secret = 'x18'; %>\n", "js/own.js": "var own = 1;\n",
		"app.html": "<!doctype html>\n<title>{{ title }}</title>\n<p>{{ text }}</p>\n"} {
		s.Write(name, text)
	}
	s.Write("crate.yaml", "format: 1\npages: [\"*.php\", \"*.html\", \"inc/*.php\"]\n")
	return s
}

// TestServeSendsNoSource: a page that a server fills in is shown put together, with nothing in its holes; the source of
// a template or a program is never sent, and a page that a script fills in stays as it is.
func TestServeSendsNoSource(t *testing.T) {
	t.Parallel()
	v := serve(t, filledSite(t))
	status, page := statusOf(v, "/")
	for _, part := range []string{"<title></title>", "<main></main>", "var rows = void 0;"} {
		if status != 200 || !strings.Contains(page, part) {
			t.Errorf("status %d, no %s in\n%s", status, part, page)
		}
	}
	if strings.Contains(page, "x17") || strings.Contains(page, "<?") {
		t.Errorf("the source was sent:\n%s", page)
	}
	v.said("index.php is filled in by a server", "--behind URL")
	if status, text := statusOf(v, "/lib/mail.ejs"); status != 403 || strings.Contains(text, "x18") {
		t.Errorf("status %d:\n%s", status, text)
	}
	if _, page := statusOf(v, "/app.html"); !strings.Contains(page, "<p>{{ text }}</p>") {
		t.Errorf("what a script fills in was taken out:\n%s", page)
	}
}

// TestServeBehindAsksForTemplates: pages and programs are asked of the server behind, files are not.
func TestServeBehindAsksForTemplates(t *testing.T) {
	t.Parallel()
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		io.WriteString(w, "<!doctype html>\n<title>behind</title>\n"+r.URL.Path+"\n")
	}))
	t.Cleanup(behind.Close)
	v := serve(t, filledSite(t), "--behind", behind.URL)
	for _, at := range []string{"/", "/index.php", "/lib/mail.ejs", "/tides/today"} {
		if _, page := statusOf(v, at); !strings.Contains(page, "<title>behind</title>") || !strings.Contains(page,
			at) {
			t.Errorf("%s was not asked of the server:\n%s", at, page)
		}
	}
	if _, text := statusOf(v, "/js/own.js"); text != "var own = 1;\n" {
		t.Errorf("the script is %q", text)
	}
}

// TestLookAtFilledPages: a fault is placed in the template: by the page's parts, or by the text of the line that the
// server behind sent.
func TestLookAtFilledPages(t *testing.T) {
	t.Parallel()
	merrytest.BrowserProgram(t)
	s := filledSite(t)
	r := s.Try("look", "index.php")
	if !strings.Contains(r.Out, "at:   index.php:7:9") {
		t.Errorf("look says\n%s%s", r.Out, r.Err)
	}
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		io.WriteString(w, "<!doctype html>\n<html lang=en>\n<head>\n<title>x</title>\n<link rel=icon "+
			"href=data:,>\n</head>\n"+
			"<body>\n<p>many</p>\n<p>lines</p>\n<script>missing();</script>\n</body>\n</html>\n")
	}))
	t.Cleanup(behind.Close)
	if r := s.Try("look", "index.php", "--behind", behind.URL); !strings.Contains(r.Out, "at:   index.php:7:") {
		t.Errorf("look says\n%s%s", r.Out, r.Err)
	}
}

// statusOf asks the server, and returns the status and the body of its answer.
func statusOf(v *desk, path string) (int, string) {
	r, body := v.ask(path)
	return r.StatusCode, body
}

// TestOldCopies: a page that a service worker answers from its cache is told of, after the worker was asked to update.
func TestOldCopies(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := merrytest.Empty(t)
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>old</title>\n"+
		"<link rel=\"icon\" "+
		"href=\"data:,\">\n<script>navigator.serviceWorker.register('/sw.js')</script>\n</head>\n<body>\n"+
		"</body>\n</html>\n")
	s.Write("sw.js", "self.addEventListener('install', e => e.waitUntil(caches.open('a').then(c => "+
		"c.add('/')).then(() => "+
		"self.skipWaiting())));\nself.addEventListener('activate', e => e.waitUntil(clients.claim()));\n"+
		"self.addEventListener('fetch', e => e.respondWith(caches.match(e.request).then(r => r || "+
		"fetch(e.request))));\n")
	s.Run("start")
	v := serve(t, s)
	ready := "new Promise(r => { let n = 0, t = setInterval(() => { if (navigator.serviceWorker.controller || ++n > " +
		"400) " +
		"{ clearInterval(t); r(!!navigator.serviceWorker.controller) } }, 50) })"
	if _, _, value := merrytest.Visit(t, ctx, v.Addr+"/", ready); value != true {
		t.Fatalf("the worker controls the page: %v", value)
	}
	s.Replace("index.html", "<title>old", "<title>new")
	v.said("the browser shows an old copy of this page")
}

// TestChangesWatchedBehindAServer: switch and repin look at what the server sends before and after, at the addresses
// that are named. An address that the server does not have is an error and no page that looks the same.
func TestChangesWatchedBehindAServer(t *testing.T) {
	t.Parallel()
	merrytest.BrowserProgram(t)
	s := merrytest.Empty(t)
	if err := demo.WriteFilled(s.Dir); err != nil {
		t.Fatal(err)
	}
	server, err := standin.NewFilled(s.Dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Close)
	cdn, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(cdn.Close)
	s.Run("start")
	s.Register()
	s.Run("take", "oarlock@2.0.0", "--suggested", "--page", "**")
	state := s.State()
	for _, at := range [][]string{nil, {"--address", "/nowhere"}} {
		r := s.Try(append([]string{"repin", "oarlock@2.0.3", "--look", "--behind", server.URL}, at...)...)
		if r.Status == 0 || !strings.Contains(r.Err, "404") || !strings.Contains(r.Err, "--address") {
			t.Errorf("repin behind a server that has no such address says\n%s%s", r.Out, r.Err)
		}
		if s.State() != state {
			t.Fatal("a repin that could not look changed something")
		}
	}
	r := s.Try("repin", "oarlock@2.0.3", "--only-if-same", "--behind", server.URL, "--address", "/,/tides")
	if r.Status != 0 || !strings.Contains(r.Out, "2 pages: 0 errors, 0 warnings; nothing looks different") {
		t.Errorf("repin says\n%s%s", r.Out, r.Err)
	}
	// What a script writes into the page looks different, so the change is taken back.
	s.Replace("templates/scripts.html", "</script>\n{{ end", "</script>\n<script>document.body.append("+
		"oarlock.version)</script>\n{{ end")
	state = s.State()
	r = s.Try("repin", "oarlock@2.0.0", "--only-if-same", "--behind", server.URL, "--address", "/tides")
	if r.Status == 0 || s.State() != state {
		t.Errorf("repin says\n%s%s", r.Out, r.Err)
	}
	for _, h := range standin.Hosts {
		s.Run("sources", "set", "host", h, cdn.Addr)
	}
	s.Run("sources", "set", "cdn", "harbour", "http://cdn.harbour.example/lib/{name}/{version}/{path}")
	r = s.Try("switch", "--cdn", "oarlock", "--look", "--behind", server.URL, "--address", "/tides")
	if r.Status != 0 || !strings.Contains(r.Out, "from cdn.harbour.example") || !strings.Contains(r.Out, "nothing "+
		"looks") {
		t.Errorf("switch says\n%s%s", r.Out, r.Err)
	}
}
