package shown

import (
	"bufio"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/internal/merrytest"
)

// A desk is a site that merry serve shows, with what it prints.
type desk struct {
	Addr string // http://127.0.0.1:PORT, without a slash at its end
	t    *testing.T
	mu   sync.Mutex
	out  strings.Builder
}

// serve starts merry serve on a site until the test ends.
func serve(t *testing.T, s *merrytest.Site, args ...string) *desk {
	t.Helper()
	cmd := s.Command(append([]string{"serve"}, args...)...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	v := &desk{t: t}
	cmd.Stderr = &v.out
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	r := bufio.NewReader(out)
	line, err := r.ReadString('\n')
	if err != nil {
		t.Fatalf("%v: %s%s", err, line, v.out.String())
	}
	v.Addr, _, _ = strings.Cut(line, "/  ")
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for {
			line, err := r.ReadString('\n')
			v.mu.Lock()
			v.out.WriteString(line)
			v.mu.Unlock()
			if err != nil {
				return
			}
		}
	}()
	t.Cleanup(func() {
		cmd.Process.Signal(os.Interrupt)
		select {
		case <-ended:
		case <-time.After(10 * time.Second):
			t.Error("serve does not end when it is asked to")
			cmd.Process.Kill()
		}
		if err := cmd.Wait(); err != nil {
			t.Errorf("serve ended with %v", err)
		}
	})
	return v
}

// said waits until the terminal says words, and returns all that it said.
func (v *desk) said(words ...string) string {
	v.t.Helper()
	text := ""
	for end := time.Now().Add(time.Minute); time.Now().Before(end); {
		v.mu.Lock()
		text = v.out.String()
		v.mu.Unlock()
		missing := ""
		for _, w := range words {
			if !strings.Contains(text, w) {
				missing = w
			}
		}
		if missing == "" {
			return text
		}
		time.Sleep(50 * time.Millisecond)
	}
	v.t.Errorf("serve does not say %q, but\n%s", words, text)
	return text
}

// ask asks the server, with headers in pairs of name and value.
func (v *desk) ask(path string, headers ...string) (*http.Response, string) {
	v.t.Helper()
	r, err := http.NewRequest(http.MethodGet, v.Addr+path, nil)
	if err != nil {
		v.t.Fatal(err)
	}
	for i := 0; i < len(headers); i += 2 {
		if r.Header.Set(headers[i], headers[i+1]); headers[i] == "Host" {
			r.Host = headers[i+1]
		}
	}
	client := http.Client{Transport: &http.Transport{DisableCompression: true}, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}
	resp, err := client.Do(r)
	if err != nil {
		v.t.Fatal(err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		v.t.Fatal(err)
	}
	return resp, string(b)
}

// tab opens a page and keeps it open; the function returned evaluates an expression on it.
func tab(t *testing.T, ctx context.Context, address string) func(expression string) string {
	t.Helper()
	tab, stop := chromedp.NewContext(ctx)
	t.Cleanup(stop)
	if err := chromedp.Run(tab, chromedp.Navigate(address)); err != nil {
		t.Fatal(err)
	}
	return func(expression string) string {
		var value any
		if err := chromedp.Run(tab, chromedp.Evaluate(expression, &value)); err != nil {
			return err.Error() // the page is being loaded again
		}
		return fmt.Sprint(value)
	}
}

// until evaluates an expression until it is as wanted.
func until(t *testing.T, what string, eval func(string) string, expression, want string) {
	t.Helper()
	got := ""
	for end := time.Now().Add(time.Minute); time.Now().Before(end); {
		if got = eval(expression); got == want {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Errorf("%s: %s is %s, want %s", what, expression, got, want)
}

// TestServeShowsChanges: stylesheets are swapped in place, everything else loads the page again, in two browsers at
// once and scrolled as it was; no byte of the site is touched.
func TestServeShowsChanges(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("take", s.Archive("buoy-1.0.0.zip", map[string]string{"buoy.js": "window.buoy = 1"}), "--page", "index.html")
	s.Replace("index.html", "</main>", strings.Repeat("<p>We row.</p>\n", 300)+"</main>")
	v := serve(t, s)
	state := s.State()
	one, two := tab(t, merrytest.Browser(t), v.Addr+"/"), tab(t, merrytest.Browser(t), v.Addr+"/index.html")
	for _, eval := range []func(string) string{one, two} {
		until(t, "the page", eval, "document.querySelectorAll('script').length",
			fmt.Sprint(strings.Count(s.Read("index.html"), "<script")))
		eval("window.kept = 'yes'; scrollTo(0, 900)")
	}
	if s.State() != state {
		t.Error("serving changes the site")
	}
	s.Write("css/club.css", s.Read("css/club.css")+"\nbody { accent-color: rgb(1, 2, 3) }\n")
	for _, eval := range []func(string) string{one, two} {
		until(t, "a stylesheet", eval, "getComputedStyle(document.body).accentColor", "rgb(1, 2, 3)")
		until(t, "in place", eval, "window.kept + Math.round(scrollY)", "yes900")
		until(t, "the old one", eval, "document.querySelectorAll('link[href*=club]').length", "1")
	}
	s.Replace("index.html", "<h1>", "<h1>New: ")
	for _, eval := range []func(string) string{one, two} {
		until(t, "a page", eval, "document.querySelector('h1').textContent.slice(0, 4) + window.kept", "New:undefined")
		until(t, "scrolled", eval, "String(Math.round(scrollY))", "900")
	}
	v.said("changed, and reloaded: css/club.css", "and reloaded: index.html")
	// Two thousand changes at once are few: as many as there can be pauses while they are made and told.
	one("window.kept = 'yes'; sessionStorage.loads = 0; addEventListener('pagehide', () => sessionStorage.loads++)")
	begun := time.Now()
	for i := range 2000 {
		s.Write(fmt.Sprintf("img/many-%d.svg", i%500), fmt.Sprint("<svg/>", i))
	}
	until(t, "many", one, "String(window.kept)", "undefined")
	time.Sleep(time.Second)
	most := 6 + int(time.Since(begun)/(200*time.Millisecond))
	if n := strings.Count(v.said("many-"), "and reloaded"); n > most {
		t.Errorf("2,000 changes at once showed the page again %d times, at most %d expected", n-2, most)
	}
}

// TestServeTellsTheConsole: each line once, with its place, what check knows of it, and what to type.
func TestServeTellsTheConsole(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Replace("index.html", `<script src="js/club.js"></script>`, "")
	s.Replace("index.html", `<script src="js/oarlock.min.js"></script>`, `<script src="js/club.js"></script><script `+
		`src="js/oarlock.min.js"></script>`)
	s.Replace("index.html", "</body>",
		`<img src="img/none.png"><script>console.warn("low water", {metres: 1}); console.error("aground"); Promise.reject(new Error("adrift"));</script>
<script src="js/built.js"></script><script src="js/oarlock.min.js" integrity="sha384-OLBgp1GsljhM2TJ+sbHjaiH9txEUvgdDTAzHv2P24donTt6/529l+9Ua0vFImLlb"></script></body>`)
	s.Write("js/built.js", "function row(){throw new Error('sunk')}row();\n//# sourceMappingURL=built.js.map\n")
	// row throws at line 7, column 3 of what it was built from.
	s.Write("js/built.js.map", `{"version":3,"sources":["../src/row.ts"],"names":[],"mappings":"AAAA,cAME",`+
		`"sourcesContent":null}`)
	v := serve(t, s)
	for range 2 {
		merrytest.Visit(t, merrytest.Browser(t), v.Addr+"/", "1")
	}
	text := v.said("aground", "adrift", "low water", "sunk", "img/none.png", "its bytes do not match its integrity")
	for _, want := range []string{
		"js/club.js:2:1  error: ReferenceError: oarlock is not defined\n  on:   index.html\n  why:  js/club.js uses " +
			"oarlock, and js/oarlock.min.js, which defines it, comes one tag later\n" +
			"  next: merry order index.html --fix\n",
		"index.html  failed: 404, there is no such file: img/none.png\n  why:  there is no file img/none.png\n",
		`warning: low water {"metres":1}`, "rejection: a promise was rejected, and nothing handles it: Error: adrift",
		"error: aground", "src/row.ts:7:", "blocked: its bytes do not match its integrity: js/oarlock.min.js",
	} {
		if strings.Count(text, want) != 1 {
			t.Errorf("serve says %q %d times:\n%s", want, strings.Count(text, want), text)
		}
	}
	// The place is that on disk, without what was added to the page.
	line, column := 0, 0
	for n, l := range strings.Split(s.Read("index.html"), "\n") {
		if at := strings.Index(l, `console.warn("low`); at >= 0 {
			line, column = n+1, at+1+len("console.")
		}
	}
	if want := fmt.Sprintf("index.html:%d:", line); !strings.Contains(text, want) || column == 0 {
		t.Errorf("low water is not said to be in %s:\n%s", want, text)
	}
}

// TestServePlaceInTheFirstLine: of a page that is one line columns are those on disk.
func TestServePlaceInTheFirstLine(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	page :=
		`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>One line</title></head><body>` +
			`<script>nowhere()</script></body></html>`
	s.Write("line.html", page)
	v := serve(t, s)
	merrytest.Visit(t, merrytest.Browser(t), strings.Replace(v.Addr, "127.0.0.1", "localhost", 1)+"/line.html", "1")
	v.said(fmt.Sprintf("line.html:1:%d  error: ReferenceError: nowhere is not defined",
		strings.Index(page, "nowhere()")+1))
}

// TestServeAnswersAsServersDo: index files, types, ranges, compression, headers, the site's own page for what is not
// there; and what it never answers: other names, other sites, what is outside, what is nobody's business.
func TestServeAnswersAsServersDo(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("404.html", "<!doctype html><title>Lost</title><p>Nobody rows here</p>")
	s.Write("_headers", "/*\n  X-Club: gull point\n/crews/*\n  X-Crews: eight\n")
	s.Write("crate.yaml", s.Read("crate.yaml")+"headers: [_headers]\n")
	s.Write(".hidden/key.txt", "secret")
	s.Write("css/long.css", strings.Repeat("a { color: red }\n", 500))
	if err := os.WriteFile(filepath.Join(filepath.Dir(s.Dir), "outside.txt"), []byte("outside"), 0o644); err != nil {
		t.Fatal(err)
	}
	os.Symlink("../outside.txt", filepath.Join(s.Dir, "leak.txt"))
	os.Symlink("css/club.css", filepath.Join(s.Dir, "inside.css"))
	v := serve(t, s, "--cache", "1h")
	for _, tt := range []struct {
		path    string
		headers []string
		status  int
		want    string // in the answer
		header  string // name=value, such as the answer has it
	}{
		{"/", nil, 200, "Gull Point", "Content-Type=text/html"},
		{"/crews", nil, 301, "", "Location=crews/"},
		{"/crews/", nil, 200, "Crews", "X-Crews=eight"},
		{"/tides", nil, 200, "Tides", "X-Club=gull point"},
		{"/css/club.css", nil, 200, "", "Content-Type=text/css; charset=utf-8"},
		{"/css/club.css", nil, 200, "", "Cache-Control=max-age=3600"},
		{"/js/club.js", []string{"Range", "bytes=0-3"}, 206, "", "Content-Length=4"},
		{"/css/long.css", []string{"Accept-Encoding", "gzip"}, 200, "", "Content-Encoding=gzip"},
		{"/img/gull.svg", nil, 200, "<svg", "Content-Type=image/svg+xml"},
		{"/none.html", nil, 404, "Nobody rows here", ""},
		{"/inside.css", nil, 200, "", "Content-Type=text/css; charset=utf-8"},
		{"/leak.txt", nil, 403, "not served", ""},
		{"/../outside.txt", nil, 307, "", ""},
		{"/%2e%2e/outside.txt", nil, 404, "", ""},
		{"/..%5coutside.txt", nil, 404, "", ""},
		{"/.hidden/key.txt", nil, 404, "", ""},
		{"/.merry/", nil, 404, "", ""},
		{"/.git/config", nil, 404, "", ""},
		{"/", []string{"Host", "evil.example"}, 403, "not as evil.example", ""},
		{"/", []string{"Host", "localhost:1"}, 200, "Gull Point", ""},
		{"/js/club.js", []string{"Origin", "http://evil.example"}, 403, "no pages of other sites", ""},
		{"/js/club.js", []string{"Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", "no-cors"}, 403,
			"no pages of other sites", ""},
		{"/", []string{"Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", "navigate"}, 200, "Gull Point", ""},
		{"/.merry/live", []string{"Origin", "http://evil.example", "Connection", "Upgrade", "Upgrade", "websocket",
			"Sec-WebSocket-Version", "13", "Sec-WebSocket-Key", "AAAAAAAAAAAAAAAAAAAAAA=="}, 403, "", ""},
	} {
		resp, body := v.ask(tt.path, tt.headers...)
		name, value, _ := strings.Cut(tt.header, "=")
		if resp.StatusCode != tt.status || !strings.Contains(body, tt.want) || tt.header != "" &&
			!strings.HasPrefix(resp.Header.Get(name), value) || strings.Contains(body, "secret") || body == "outside" {
			t.Errorf("%s %v: %d %v\n%.300s", tt.path, tt.headers, resp.StatusCode, resp.Header, body)
		}
	}
	if _, body := v.ask("/tides.html", "Sec-Fetch-Dest", "empty"); body != s.Read("tides.html") {
		t.Errorf("a script that asks for a page gets\n%.400s", body)
	}
	if _, body := v.ask("/tides.html", "Sec-Fetch-Dest", "document"); !strings.Contains(body, "desk.js") {
		t.Errorf("who opens a page gets\n%.400s", body)
	}
	if resp, body := v.ask("/css/long.css", "Accept-Encoding", "gzip"); resp.Header.Get("Vary") == "" {
		t.Errorf("%v", resp.Header)
	} else if z, err := gzip.NewReader(strings.NewReader(body)); err != nil {
		t.Error(err)
	} else if b, err := io.ReadAll(z); string(b) != s.Read("css/long.css") || err != nil {
		t.Errorf("what was compressed is not what it was: %v", err)
	}
	_, port, _ := strings.Cut(v.Addr, "127.0.0.1:")
	s.Fail(3, []string{"merry can't serve on 127.0.0.1, port " + port, "next:  merry serve  # on a free port"}, "serve",
		"--port", port)
	s.Fail(2, []string{"--port 99999 is not a port", "merry serve --port 8000"}, "serve", "--port", "99999")
	s.Fail(2, []string{"--behind nowhere is not the address"}, "serve", "--behind", "nowhere")
	s.Fail(1, []string{"no profile"}, "serve", "--profile", "nowhere")
}

// TestServeUnderAPolicy: the headers' policies are sent, what they forbid is reported, and what serve adds works under
// all of them.
func TestServeUnderAPolicy(t *testing.T) {
	t.Parallel()
	for _, policy := range []string{"default-src 'self'", "default-src 'none'; script-src 'self'; style-src 'self'; " +
		"img-src 'self'; font-src 'self'", "script-src 'nonce-abc' 'strict-dynamic'; default-src 'self'"} {
		t.Run(policy, func(t *testing.T) {
			s := merrytest.Started(t)
			s.Write("_headers", "/*\n  Content-Security-Policy: "+policy+"; upgrade-insecure-requests\n"+
				"  Integrity-Policy: blocked-destinations=()\n")
			s.Write("crate.yaml", s.Read("crate.yaml")+"headers: [_headers]\n")
			s.Replace("index.html", "</body>", "<script>window.inline = 1</script></body>")
			v := serve(t, s)
			eval := tab(t, merrytest.Browser(t), v.Addr+"/")
			text := v.said("blocked: the policy forbids inline code (script-src-elem)", "next:")
			if !strings.Contains(text, "forbids") || !strings.Contains(text, "next:") {
				t.Errorf("serve says\n%s", text)
			}
			if got := eval("String(window.inline)"); got != "undefined" {
				t.Errorf("the policy does not hold: %s", got)
			}
			s.Replace("index.html", "<h1>", "<h1>New: ")
			until(t, "the page", eval, "document.querySelector('h1').textContent.slice(0, 4)", "New:")
		})
	}
}

// TestServeProfileAndOffline: pages as a profile would have them, without a byte written; links to other hosts from the
// cache.
func TestServeProfileAndOffline(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	s.Write("crate.yaml", s.Read("crate.yaml")+"profiles:\n  live: {serve: cdn, build: readable}\n")
	site := s.State()
	v := serve(t, s, "--profile", "live")
	if _, body := v.ask("/index.html"); !strings.Contains(body,
		"cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js") || strings.Contains(body, "oarlock.min.js") {
		t.Errorf("the page is\n%s", body)
	}
	s.Replace("index.html", "<h1>", "<h1>New: ")
	v.said("and reloaded: index.html")
	if _, body := v.ask("/index.html"); !strings.Contains(body, "<h1>New: ") ||
		!strings.Contains(body, "cdn.harbour.example") {
		t.Errorf("after a change the page is\n%s", body)
	}
	s.Replace("index.html", "<h1>New: ", "<h1>")
	if s.State() != site {
		t.Error("serving a profile changes the site")
	}
	s.Run("switch", "--cdn")
	c.Down()
	before := c.Connections()
	off := serve(t, s, "--offline")
	_, _, value := merrytest.Visit(t, merrytest.Browser(t, merrytest.Hosts{}), off.Addr+"/index.html", merrytest.State)
	if got := fmt.Sprint(value); !strings.Contains(got, "display:flex") || !strings.Contains(got, "version:2.0.3") ||
		!strings.Contains(got, "font:brinework icons loaded") {
		t.Errorf("without the network the page's state is %s", got)
	}
	if c.Connections() != before {
		t.Error("serve --offline opened a connection")
	}
}

// TestServeBehind: pages come from the server that fills them in, files from the site.
func TestServeBehind(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprintf(w, "<!doctype html><html lang=en><head><title>Filled</title></head><body><p id=who>%s "+
			"%s</p><script>away()</script></body></html>", r.Method, r.URL)
	}))
	v := serve(t, s, "--behind", behind.URL)
	if _, body := v.ask("/js/club.js"); body != s.Read("js/club.js") {
		t.Errorf("the site's script is\n%s", body)
	}
	eval := tab(t, merrytest.Browser(t), v.Addr+"/crew?boat=8")
	until(t, "what the server filled in", eval, "document.querySelector('#who').textContent", "GET /crew?boat=8")
	v.said("away is not defined")
	eval("window.kept = 1")
	s.Write("css/new.js", "x")
	until(t, "a change", eval, "String(window.kept)", "undefined")
	behind.Close()
	if resp, body := v.ask("/crew"); resp.StatusCode != 502 || !strings.Contains(body, "does not answer") {
		t.Errorf("with the server gone: %d %s", resp.StatusCode, body)
	}
}

// TestServeJSON: each event is a line.
func TestServeJSON(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	cmd := s.Command("serve", "--json")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	defer cmd.Wait()
	defer cmd.Process.Kill()
	var event struct{ Event, Address string }
	if err := json.NewDecoder(out).Decode(&event); err != nil || event.Event != "address" ||
		!strings.HasPrefix(event.Address, "http://127.0.0.1:") {
		t.Errorf("%+v %v", event, err)
	}
	if _, err := net.Dial("tcp", strings.TrimPrefix(event.Address, "http://")); err != nil {
		t.Error(err)
	}
}
