package matrix

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// policies are values of the header, of which a page's own habits break some.
var policies = []string{
	"default-src 'self'", "script-src 'self'", "script-src 'none'", "script-src 'self' 'unsafe-inline'; " +
		"style-src 'self'", "style-src 'none'", "style-src 'self' 'unsafe-inline'",
	"default-src 'none'", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'", "font-src 'none'",
	"img-src 'none'", "default-src *", "default-src http: https:", "default-src * 'unsafe-inline' data:",
	"script-src 'self' INLINE", "script-src 'self' INLINE 'unsafe-hashes' CLICK",
	"script-src-elem 'self'; script-src 'none'", "script-src-attr 'none'", "script-src 'self' 'strict-dynamic' " +
		"'nonce-tide'",
	"script-src 'nonce-tide'; style-src 'nonce-tide'", "script-src /js/; style-src *", "style-src-attr 'none'",
	"style-src-elem 'self' STYLE; style-src 'none'", "style-src 'self' STYLE 'unsafe-hashes' STYLED",
	"connect-src 'none'; frame-src 'none'", "default-src 'self'; script-src 'self' 'unsafe-inline' INLINE",
	"upgrade-insecure", "sandbox allow-scripts", "object-src 'none'; base-uri 'none'", "media-src 'none'",
}

// habitsUnderPolicies are pages as people write them.
var habitsUnderPolicies = map[string]string{
	"plain": "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>x</title>META\n" +
		"<meta name=viewport content=\"width=device-width\">\n<link rel=stylesheet href=css/brinework.min.css>\n" +
		"<link rel=stylesheet href=css/club.css>\n</head><body><img src=img/gull.svg alt=gull>\n" +
		"<script src=js/oarlock.min.js></script>\n<script src=js/hello.js></script>\n</body></html>\n",
	"inline": "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>x</title>META\n" +
		"<link rel=stylesheet href=css/club.css>\n<style>p { color: navy; }</style>\n</head><body><p style=\"margin: " +
		"0\">Hello</p><button onclick=\"go()\">Go</button>\n" +
		"<script src=js/oarlock.min.js></script>\n<script>\r\n  function go() {}\r\n</script>\n</body></html>\n",
	"nonce": "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>x</title>META\n" +
		"<link rel=stylesheet href=css/club.css nonce=tide>\n<style nonce=tide>p { color: navy; }</style>\n" +
		"</head><body><p>Hello</p>\n<script nonce=tide src=js/oarlock.min.js></script>\n<script nonce=tide>var a = " +
		"1;</script>\n</body></html>\n",
	"text": "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>x</title>META\n" +
		"</head><body><p>Hello</p>\n<script src=js/evals.js></script>\n</body></html>\n",
	"rich": "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>x</title>META\n" +
		"<script type=importmap>{\"imports\": {\"boat\": \"./js/boat.js\"}}</script>\n" +
		"<link rel=icon href=\"data:,\"><link rel=stylesheet href=css/over.css>\n</head><body><p>Hello</p>\n" +
		"<video poster=img/gull.svg><source src=media/none.mp4 type=video/mp4></video>\n" +
		"<svg><use href=img/gull.svg#x></svg><object data=img/gull.svg type=image/svg+xml></object>\n" +
		"<script type=module src=js/row.js></script>\n</body></html>\n",
}

// writeRich writes the files of the habit that has the most kinds of files.
func writeRich(s *merrytest.Site) {
	s.Write("js/boat.js", "export function row() {}\n")
	s.Write("js/row.js", "import { row } from \"boat\";\nrow();\n")
	s.Write("css/over.css", "@import \"deep/under.css\";\n")
	s.Write("css/deep/under.css", "@font-face { font-family: tide; src: url(../../img/gull.svg) format(\"svg\"), "+
		"url(../../fonts/brinework.woff) format(\"woff\"); }\np { font-family: tide; }\n")
	s.Write("media/none.mp4", "none")
}

// TestPoliciesAgainstABrowser holds what check says of pages under policies, in their heads and in a file of headers,
// against a browser's console. The smallest policies that it prints let the same pages work.
func TestPoliciesAgainstABrowser(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "brinework@1.2.0", "--with-needs")
	s.Write("js/evals.js", "var sum = new Function('a', 'b', 'return a + b')(1, 2);\n")
	s.Write("js/hello.js", "document.title = 'Hello';\n")
	writeRich(s)
	scripts, styles := hashesOf(t, s.Run("check", "--policy", "--json", writeHabit(s, "inline", "inline", "")))
	if len(scripts) != 2 || len(styles) != 2 {
		t.Fatalf("the smallest policy has the hashes %v and %v", scripts, styles)
	}
	hashes := strings.NewReplacer("INLINE", scripts[0], "CLICK", scripts[1], "STYLED", styles[1], "STYLE", styles[0])
	type variant struct{ file, what, header string }
	var list []variant
	headers := ""
	every := trials.Rounds(3, 1)
	for _, habit := range slices.Sorted(maps.Keys(habitsUnderPolicies)) {
		for n, p := range policies {
			if (n+len(habit))%every != 0 {
				continue
			}
			p = hashes.Replace(p)
			list = append(list, variant{writeHabit(s, fmt.Sprintf("%s-meta%02d", habit, n), habit,
				"<meta http-equiv=\"Content-Security-Policy\" content=\""+p+"\">"), habit + ", meta: " + p, ""})
			name := writeHabit(s, fmt.Sprintf("%s-head%02d", habit, n), habit, "")
			headers += fmt.Sprintf("/%s\n  Content-Security-Policy: %s\n", name, p)
			list = append(list, variant{name, habit + ", header: " + p, p})
		}
	}
	for n, tag := range []string{"<script src=js/hello.js></script>", "<script src=js/hello.js " +
		"integrity=SEAL></script>", "<script src=js/hello.js integrity=SEAL crossorigin></script>",
		"<script type=module src=js/hello.js integrity=SEAL></script>",
		"<script type=module src=js/hello.js></script>", "<script src=js/hello.js integrity=sha384-AAAA " +
			"crossorigin></script>", "<script>var a = 1;</script>", "<link rel=stylesheet href=css/club.css>",
		"<link rel=stylesheet href=css/club.css integrity=SEAL crossorigin>"} {
		for m, destinations := range []string{"script", "script style", "style"} {
			file := "css/club.css"
			if strings.Contains(tag, "js/") {
				file = "js/hello.js"
			}
			tag := strings.Replace(tag, "SEAL", strings.Fields(s.Run("seal", file))[0], 1)
			name := fmt.Sprintf("integrity-%d-%d.html", n, m)
			s.Write(name, "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>x</title>"+tag+
				"</head><body><p>Hello</p></body></html>\n")
			p := "blocked-destinations=(" + destinations + ")"
			headers += fmt.Sprintf("/%s\n  Integrity-Policy: %s\n", name, p)
			list = append(list, variant{name, tag + " under " + p, p})
		}
	}
	s.Write("_headers", headers)
	s.Write("crate.yaml", s.Read("crate.yaml")+"headers: [_headers]\n")
	var report struct {
		Findings []struct {
			Name, Severity, File, Message string
			Line                          int
		}
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--rehearse", "--json").Out), &report); err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(headers, "\n")
	said, errors := map[string][]string{}, map[string]bool{}
	for _, f := range report.Findings {
		if f.Severity == "error" || strings.HasPrefix(f.Name, "policy-") {
			said[f.File] = append(said[f.File], f.Name+": "+f.Message)
			errors[f.File] = true
			if f.File == "_headers" && f.Line > 1 {
				errors[strings.TrimPrefix(lines[f.Line-2], "/")] = true // the line above says whose header it is
			}
		}
	}
	list = trials.Sample(list)
	sent := map[string]string{}
	for _, v := range list {
		sent["/"+v.file] = v.header
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/favicon.ico" { // every browser asks for it once
			w.WriteHeader(http.StatusNoContent)
			return
		}
		if h := sent[r.URL.Path]; strings.HasPrefix(h, "blocked") {
			w.Header().Set("Integrity-Policy", h)
		} else if h != "" {
			w.Header().Set("Content-Security-Policy", h)
		}
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	ctx := merrytest.Browser(t)
	files := make([]string, len(list))
	for i, v := range list {
		files[i] = v.file
	}
	console := make([][]string, len(list))
	for i, seen := range merrytest.VisitAll(t, ctx, addressesOf(server.URL, files),
		"(document.querySelector('button') || document.body).click()") {
		console[i] = append(seen.Console, seen.Failed...)
	}
	wrong, missed, sound := 0, 0, map[string]int{}
	for i, v := range list {
		if len(console[i]) == 0 {
			sound[strings.SplitN(v.file, "-", 2)[0]]++
		}
		switch broken := len(console[i]) > 0; {
		case broken == errors[v.file]:
		case broken:
			missed++
			t.Logf("missed: %s\n  browser: %v", v.what, console[i])
		default:
			wrong++
			t.Logf("false: %s\n  check: %v", v.what, said[v.file])
		}
	}
	t.Logf("%d pages under policies: %d agree, %d false errors, %d missed", len(list), len(list)-wrong-missed, wrong,
		missed)
	for habit := range habitsUnderPolicies {
		if least := map[bool]int{true: 1, false: 6}[habit == "rich"]; sound[habit] < trials.Rounds(0, least) {
			t.Errorf("only %d pages with the habit %s are sound", sound[habit], habit)
		}
	}
	if wrong+missed > len(list)/50 { // a browser under load may not show one
		t.Errorf("%d of %d differ", wrong+missed, len(list))
	}
}

// writeHabit writes a page with a meta element of its own.
func writeHabit(s *merrytest.Site, name, habit, meta string) string {
	s.Write(name+".html", strings.Replace(habitsUnderPolicies[habit], "META", meta, 1))
	return name + ".html"
}

// hashesOf reads the hashes of scripts and styles off a smallest policy.
func hashesOf(t *testing.T, out string) (scripts, styles []string) {
	t.Helper()
	var answer struct{ Policies []struct{ Policy string } }
	if err := json.Unmarshal([]byte(out), &answer); err != nil || len(answer.Policies) != 1 {
		t.Fatal(err, out)
	}
	for part := range strings.SplitSeq(answer.Policies[0].Policy, ";") {
		words := strings.Fields(part)
		for _, w := range words {
			switch {
			case !strings.HasPrefix(w, "'sha"):
			case words[0] == "script-src":
				scripts = append(scripts, w)
			case words[0] == "style-src":
				styles = append(styles, w)
			}
		}
	}
	return scripts, styles
}

// TestSmallestPolicyLetsPagesWork: with the policy that check --policy prints, sent as a header, the club's pages stay
// clean in a browser, linked with fallbacks and local alike; and check has nothing to say of them under it.
func TestSmallestPolicyLetsPagesWork(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	s.Register()
	s.Run("take", "tidechart", "--page", "tides.html")
	sent := map[string]string{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Security-Policy", sent[r.URL.Path])
		w.Header().Set("Cache-Control", "no-store")
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
	list := s.Read("crate.yaml")
	for _, how := range [][]string{{"--local"}, {"--cdn", "--fallback"}} {
		s.Write("crate.yaml", list)
		s.Run(append([]string{"switch"}, how...)...)
		var answer struct {
			Policies []struct {
				Pages  []string
				Policy string
			}
		}
		if err := json.Unmarshal([]byte(s.Run("check", "--policy", "--json")), &answer); err != nil {
			t.Fatal(err)
		}
		headers, n := "", 0
		for _, p := range answer.Policies {
			for _, name := range p.Pages {
				sent["/"+name] = p.Policy
				headers += "/" + name + "\n  Content-Security-Policy: " + p.Policy + "\n"
				n++
			}
		}
		if n != 3 {
			t.Fatalf("%d pages have policies", n)
		}
		s.Write("_headers", headers)
		list = s.Read("crate.yaml")
		s.Write("crate.yaml", list+"headers: [_headers]\n")
		if r := s.Try("check", "--json"); strings.Contains(r.Out, "policy-") ||
			strings.Contains(r.Out, "script-fails") {
			t.Errorf("%v: check says\n%s", how, r.Out)
		}
		for name, p := range sent {
			if console, failed, _ := merrytest.Visit(t, ctx, server.URL+name, "1"); len(console)+len(failed) > 0 {
				t.Errorf("%v: under %s\n%s says %q, %q", how, p, name, console, failed)
			}
		}
		s.Write("crate.yaml", list)
	}
}

// TestAPolicyInTheWay: a command that puts on a page what its policy forbids says so, and check does.
func TestAPolicyInTheWay(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Replace("index.html", "<title>", "<meta http-equiv=\"Content-Security-Policy\" content=\"script-src 'self'; "+
		"style-src 'self'\">\n    <title>")
	if out := s.Run("switch", "--cdn", "--fallback"); !strings.Contains(out, "its policy (line 6) forbids") {
		t.Errorf("switch says\n%s", out)
	}
	r := s.Try("check", "index.html")
	for _, want := range []string{"policy-forbids", "add http://cdn.harbour.example to script-src",
		"add http://cdn.harbour.example to style-src"} {
		if !strings.Contains(r.Out, want) {
			t.Errorf("check does not say %q:\n%s", want, r.Out)
		}
	}
	s.Run("switch", "--local")
	s.Write("crate.yaml", s.Read("crate.yaml")+"headers: [nowhere]\n")
	s.Fail(1, []string{"headers: names nowhere"}, "check", "index.html")
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "[nowhere]", "[../outside]", 1))
	s.Fail(1, []string{"can't be a file of the project"}, "check", "index.html")
}

// TestFallbackUnderAPolicy: where a policy forbids inline scripts, a small script of the site's own loads the local
// copies, with the CDN down as well; there and back gives the same pages.
func TestFallbackUnderAPolicy(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	meta :=
		"<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'self'; script-src 'self' " +
			"http://cdn.harbour.example; style-src 'self' http://cdn.harbour.example; font-src 'self' " +
			"http://cdn.harbour.example\">"
	s.Replace("tides.html", "<title>", meta+"\n    <title>")
	before := s.Pages()
	out := s.Run("switch", "--cdn", "--fallback", "--page", "tides.html")
	page := s.Read("tides.html")
	if !strings.Contains(out, "added for it: js/local-copy.js") ||
		strings.Count(page, `<script src="js/local-copy.js" `) != 3 || strings.Contains(page, "document.write") {
		t.Fatalf("switch says\n%s\nand the page is\n%s", out, page)
	}
	if out := s.Try("check", "tides.html").Out; strings.Contains(out, "policy-") ||
		strings.Contains(out, "included-twice") || strings.Contains(out, "error") &&
		!strings.Contains(out, "0 errors") {
		t.Errorf("check says\n%s", out)
	}
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	const working = `[typeof oarlock, document.documentElement.dataset.brinework, ` +
		`getComputedStyle(document.querySelector(".bw-bar")).display].join()`
	if console, failed, value := merrytest.Visit(t, ctx, server.URL+"/tides.html", working); len(console)+
		len(failed) > 0 || value != "function,1.2.0,flex" {
		t.Errorf("with the CDN: console %q, failed %q, state %v", console, failed, value)
	}
	c.Down()
	if console, _, value := merrytest.Visit(t, ctx, server.URL+"/tides.html",
		working); value != "function,1.2.0,flex" || strings.Contains(strings.Join(console, " "),
		"Content Security Policy") {
		t.Errorf("without the CDN: console %q, state %v", console, value)
	}
	s.Run("switch", "--local", "--page", "tides.html")
	if s.Pages() != before {
		t.Errorf("there and back is not the same:\n%s", s.Read("tides.html"))
	}
	s.Run("undo")
	s.Run("undo")
	if s.Pages() != before {
		t.Error("undo does not lead back")
	}
	s.Write("js/local-copy.js", "var mine;\n")
	s.Fail(1, []string{"js/local-copy.js exists already"}, "switch", "--cdn", "--fallback", "--page", "tides.html")
}

// TestFallbackUnderAPolicyLives: the fallbacks of a page whose policy forbids inline scripts stay what they are when
// libraries move up a version, files and the page itself move, and the same is asked for again; and they still load the
// copies.
func TestFallbackUnderAPolicyLives(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	s.Register()
	meta :=
		"<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'self'; script-src 'self' " +
			"http://cdn.harbour.example; style-src 'self' http://cdn.harbour.example; font-src 'self' " +
			"http://cdn.harbour.example\">"
	s.Replace("tides.html", "<title>", meta+"\n    <link rel=\"stylesheet\" media=\"print\" "+
		"href=\"css/brinework.min.css\">\n    <title>")
	s.Run("switch", "--cdn", "--fallback", "--page", "tides.html")
	page := s.Read("tides.html")
	s.Run("switch", "--cdn", "--fallback", "--page", "tides.html")
	if s.Read("tides.html") != page {
		t.Errorf("the same again changed the page:\n%s", s.Read("tides.html"))
	}
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	at := "tides.html"
	for _, command := range []string{"repin oarlock@2.1.0", "move js scripts", "move oarlock vendor/oarlock",
		"move tides.html pages/tides.html", "move scripts js", "move pages/tides.html tides.html"} {
		s.Run(strings.Fields(command)...)
		if args := strings.Fields(command); args[0] == "move" && strings.HasSuffix(args[2], ".html") {
			at = args[2]
		}
		page := s.Read(at)
		if strings.Count(page, "local-copy.js\" data-") != 3 || strings.Contains(page, "document.write") {
			t.Fatalf("after %s the page is\n%s", command, page)
		}
		if out := s.Try("check", at, "--no-rehearse").Out; strings.Contains(out, "file-missing") ||
			strings.Contains(out, "policy-") || strings.Contains(out, "leads-nowhere") {
			t.Fatalf("after %s check says\n%s\n%s", command, out, page)
		}
		for part := range strings.SplitSeq(page, "data-copy=\"") {
			if ref, _, quoted := strings.Cut(part, "\""); quoted && (strings.HasSuffix(ref, ".js") ||
				strings.HasSuffix(ref, ".css")) {
				if _, err := os.Stat(filepath.Join(s.Dir, filepath.Dir(at), ref)); err != nil {
					t.Errorf("after %s a fallback leads to %s:\n%s", command, ref, page)
				}
			}
		}
	}
	c.Down()
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
	if _, _, value := merrytest.Visit(t, ctx, server.URL+"/tides.html",
		`[oarlock.version, document.documentElement.dataset.brinework, `+
			`getComputedStyle(document.querySelector(".bw-bar")).display].join()`); value != "2.1.0,1.2.0,flex" {
		t.Errorf("with the CDN down the page's state is %v", value)
	}
}
