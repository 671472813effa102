package links

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/standin"
)

// documented is the club's site with a page made from documentation's CDN tags, and stand-ins for a CDN and a
// registry.
func documented(t *testing.T) (*merrytest.Site, *standin.CDN) {
	t.Helper()
	c, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	r, err := standin.NewRegistry()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(r.Close)
	s := merrytest.Club(t)
	s.Run("start")
	for _, h := range standin.Hosts {
		s.Run("sources", "set", "host", h, c.Addr)
	}
	s.Run("sources", "set", "registry", r.URL)
	s.Write("regatta.html", `<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>Regatta</title>
  <link rel="icon" href="data:,">
  <link href="http://cdn.harbour.example/lib/brinework/1.2.0/css/brinework.css" rel="stylesheet">
  <link rel="stylesheet" href="css/club.css">
</head>
<body>
  <div class="bw-bar"><a class="bw-name" href="index.html">Club</a><button id="menu-button"><span class="bwi">menu</span></button></div><nav class="bw-menu" id="menu"></nav>
  <script crossorigin src="http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js"></script>
  <script src="http://cdn.harbour.example/lib/brinework/1.2.0/js/brinework.js" async="async"></script>
  <script src="http://cdn.harbour.example/latest/quickbrine.js"></script>
  <script src="js/config.js"></script>
  <script src="js/club.js"></script>
</body>
</html>
`)
	return s, c
}

func TestAdoptLinks(t *testing.T) {
	t.Parallel()
	s, _ := documented(t)
	before := s.Read("regatta.html")
	out := s.Run("adopt", "regatta.html")
	for _, want := range []string{"oarlock 2.0.3  dist/oarlock.js, sure", "the registry's brinework 1.2.0 has the " +
		"same bytes", "quickbrine  for development only",
		"the second request returned other bytes", "harbour  http://cdn.harbour.example/lib/{name}/{version}/{path}",
		"  js/club.js\n"} {
		if !strings.Contains(out, want) {
			t.Errorf("adopt does not say %q:\n%s", want, out)
		}
	}
	list := s.Read("crate.yaml")
	if s.Read("regatta.html") != before || !strings.Contains(list, "needs: [oarlock]") ||
		!strings.Contains(list, "only: desk") {
		t.Errorf("the page changed, or the packing list lacks something:\n%s", list)
	}
	if out := s.Run("contents"); !strings.Contains(out, "linked") ||
		!strings.Contains(out, "quickbrine: for development only") {
		t.Errorf("contents says\n%s", out)
	}
	if out := s.Try("check").Out; strings.Contains(out, "sealed-gone") || !strings.Contains(out, "link-unversioned") {
		t.Errorf("check says\n%s", out)
	}
	if out := s.Run("refill"); strings.Contains(out, "put back") {
		t.Errorf("refill puts files where only links are:\n%s", out)
	}
	s.Fail(1, []string{"link without a version"}, "switch", "quickbrine", "--local")
	s.Run("omit", "quickbrine")
	if strings.Contains(s.Read("regatta.html"), "quickbrine") {
		t.Error("the link without a version is still there")
	}
	s.Run("undo")

	s.Run("switch", "--local", "--minified")
	local := s.Read("regatta.html")
	if strings.Contains(local, "lib/") || !strings.Contains(local, `<script src="js/brinework.min.js" async="async">`+
		`</script>`) || !strings.Contains(s.Read("fonts/brinework.woff"), "wOFF") {
		t.Errorf("the page is not local:\n%s", local)
	}
	s.Run("include", "oarlock", "--page", "index.html")
	s.Run("check", "index.html")
	s.Run("undo")
	s.Run("switch", "--cdn", "--fallback", "--hints")
	live := s.Read("regatta.html")
	for _, want := range []string{`<link rel="preconnect" href="http://cdn.harbour.example" crossorigin>`,
		`as="font" type="font/woff" crossorigin>`,
		`document.write('<script src="js/oarlock.min.js"><\/script>')</script>` + "\n"} {
		if strings.Count(live, want) != 1 {
			t.Errorf("not once on the page: %s\n%s", want, live)
		}
	}
	s.Run("switch", "--cdn", "--fallback", "--hints")
	if s.Read("regatta.html") != live {
		t.Error("the same switch again changed the page")
	}
	s.Run("switch", "--local")
	if s.Read("regatta.html") != local {
		t.Errorf("something is left behind:\n%s", s.Read("regatta.html"))
	}
	s.Run("switch", "--cdn", "--fallback")
	s.Run("omit", "oarlock", "--page", "regatta.html")
	if page := s.Read("regatta.html"); strings.Contains(page, "typeof oarlock") ||
		strings.Count(page, "document.write") != 1 {
		t.Errorf("the fallback stayed:\n%s", page)
	}
}

// TestLinksKeepTheirForm: a link whose attributes stand otherwise than this product writes them is the same again
// after a time as a local copy, and several hashes are heeded as the standard has it.
func TestLinksKeepTheirForm(t *testing.T) {
	t.Parallel()
	s, _ := documented(t)
	sum := func(algorithm string) string {
		b, err := demo.Library("oarlock", "2.0.3")
		if err != nil {
			t.Fatal(err)
		}
		return integrity.Sum(algorithm, b["dist/oarlock.js"])
	}
	for _, tag := range []string{
		"<script integrity='" + sum("sha384") + "' CrossOrigin SRC='http://cdn.harbour.example/lib/oarlock/2.0.3/" +
			"dist/oarlock.js' defer></script>",
		"<script defer src=http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js crossorigin=use-credentials " +
			"integrity='sha256-" + strings.Repeat("A", 43) + "= " + sum("sha384") + "'></script>",
		"<script src=http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js crossorigin integrity='" +
			sum("sha512") + "'></script>",
		"<script src=http://named.harbour.example/oarlock-2.0.3.js integrity=" + sum("sha384") +
			" crossorigin=anonymous></script>",
		"<script src=http://named.harbour.example/oarlock/oarlock.js?v=2.0.3 crossorigin=anonymous integrity=" +
			sum("sha384") + "></script>",
	} {
		page := "<!doctype html><meta charset=utf-8><title>t</title>\n" + tag +
			"\n<script defer src=js/club.js></script>\n"
		s.Write("regatta.html", page)
		s.Run("adopt", "regatta.html")
		if r := s.Try("check", "regatta.html", "--json"); strings.Contains(r.Out, "link-stale") ||
			strings.Contains(r.Out, "link-unsealed") || !strings.Contains(r.Out, "link-plain") {
			t.Errorf("check says\n%s", r.Out)
		}
		s.Run("switch", "--local")
		if local := s.Read("regatta.html"); strings.Contains(local, "integrity") || strings.Contains(local, "://") {
			t.Errorf("not local: %s", local)
		}
		s.Run("switch", "--cdn")
		if s.Read("regatta.html") != page {
			t.Errorf("there and back:\n%s\nwas\n%s", s.Read("regatta.html"), page)
		}
		for range 3 {
			s.Run("undo")
		}
	}
	wrong := "<script src=http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js integrity='" + sum("sha256") +
		" sha512-" + strings.Repeat("A", 86) + "==' crossorigin></script>"
	before := s.State()
	if r := s.TryWith(wrong, "adopt", "-", "--page", "index.html"); r.Status != 1 ||
		!strings.Contains(r.Err, "its integrity does not match the bytes") || !strings.Contains(r.Err, "sha512-AAAA") {
		t.Errorf("a wrong integrity: %+v", r)
	}
	if s.State() != before {
		t.Error("a refused tag left something")
	}
}

func TestAdoptPasted(t *testing.T) {
	t.Parallel()
	s, _ := documented(t)
	tag :=
		"<script src='http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js' crossorigin></script>\n" +
			"<link rel=stylesheet href=http://cdn.harbour.example/lib/brinework/1.2.0/css/brinework.css>"
	r := s.TryWith(tag, "adopt", "-", "--page", "crews/index.html", "--page", "index.html")
	if r.Status != 0 {
		t.Fatalf("%+v", r)
	}
	crews := s.Read("crews/index.html")
	script, style := strings.Index(crews, strings.Split(tag, "\n")[0]),
		strings.Index(crews, strings.Split(tag, "\n")[1])
	if style < 0 || script < 0 || style > strings.Index(crews, "club.css") ||
		script > strings.Index(crews, "club.js") || strings.Count(crews, "\r\n") != strings.Count(crews, "\n") {
		t.Errorf("the tags are not where they belong:\n%s", crews)
	}
	if r := s.TryWith(tag, "adopt", "-", "--page", "index.html"); r.Status != 0 ||
		!strings.Contains(r.Out, "already on index.html") {
		t.Errorf("pasted again: %+v", r)
	}
	state := s.State()
	for input, words := range map[string][]string{
		"":                           {"standard input is empty"},
		"just words":                 {"no script or stylesheet tag"},
		"<script src=x.js></script>": {"there is no file x.js"},
		"<script src=http://cdn.harbour.example/lib/oarlock/1.4.2/dist/oarlock.js></script>": {
			"the crate has oarlock 2.0.3"},
		"<script src=http://down.harbour.example/oarlock@2.0.3/oarlock.js></script>": {"does not answer"},
		"<script src=js/club.js></script>": {
			"nothing shows that it is a library"},
	} {
		s.Env = []string{"MERRY_PATIENCE=1s"}
		r := s.TryWith(input, "adopt", "-", "--page", "index.html")
		for _, w := range words {
			if r.Status == 0 || !strings.Contains(r.Err, w) {
				t.Errorf("%q: %+v, want %q", input, r, w)
			}
		}
	}
	if s.State() != state {
		t.Error("a refused tag left something")
	}
	s.Fail(2, []string{"--page is for pasted tags"}, "adopt", "--page", "index.html")
	s.Fail(2, []string{"name pages, or use --all"}, "adopt")
}

func TestAdoptLocalFiles(t *testing.T) {
	t.Parallel()
	s, _ := documented(t)
	old, err := demo.Library("oarlock", "1.4.2")
	if err != nil {
		t.Fatal(err)
	}
	brine, err := demo.Library("brinework", "1.2.0")
	if err != nil {
		t.Fatal(err)
	}
	s.Write("js/vendor/oarlock-1.4.2.min.js", string(old["dist/oarlock.min.js"]))
	for name, b := range brine {
		s.Write("parcels/brinework/"+name, string(b))
	}
	s.Write("parcels/brinework/about.json", `{"name": "brinework", "version": "1.2.0"}`)
	s.Write("js/chart.js", "/* Chart of the tides */ window.tideTable = 1;")
	s.Write("js/gauge.js", "/*! gauge v0.9.1 | (c) the harbour */ window.gauge = function () {};")
	s.Replace("index.html", "</body>", "<script src='js/vendor/oarlock-1.4.2.min.js'></script><script "+
		"src=js/chart.js></script><script src=js/gauge.js></script></body>")
	s.Replace("index.html", "<link rel=\"stylesheet\" href=\"css/club.css\">", "<link rel=stylesheet "+
		"href=/parcels/brinework/css/brinework.min.css><link rel=\"stylesheet\" href=\"css/club.css\">")
	before := s.Read("index.html")
	if r := s.Try("check", "index.html"); strings.Contains(r.Out, "file-missing") {
		t.Errorf("check says\n%s", r.Out)
	} // a folder of installed packages is there
	out := s.Run("adopt", "index.html")
	for _, want := range []string{"oarlock 1.4.2  dist/oarlock.min.js, sure",
		"brinework 1.2.0  css/brinework.min.css, sure", "the manifest in parcels/brinework: brinework 1.2.0",
		"gauge 0.9.1  gauge.js, likely", "its banner: gauge 0.9.1", "  js/chart.js\n"} {
		if !strings.Contains(out, want) {
			t.Errorf("adopt does not say %q:\n%s", want, out)
		}
	}
	if s.Read("index.html") != before {
		t.Error("adopt changed the page")
	}
	sealed := func() int { return strings.Count(s.Try("check", "index.html").Out, "sealed-gone") }
	if sealed() != 0 {
		t.Error("what is there is said to be gone")
	}
	os.Remove(filepath.Join(s.Dir, "js/gauge.js"))
	os.Remove(filepath.Join(s.Dir, "js/vendor/oarlock-1.4.2.min.js"))
	if sealed() != 2 {
		t.Error("two files are gone, and check does not say so")
	}
	s.Run("refill")
	if sealed() != 0 {
		t.Error("refill did not put them back")
	}
	s.Run("adopt", "index.html", "--tag", "chart.js", "--as", "tidetable@1.0.0")
	if !strings.Contains(s.Read("crate.yaml"), "tidetable:\n    version: 1.0.0") {
		t.Errorf("the user's word was not taken:\n%s", s.Read("crate.yaml"))
	}
	s.Fail(1, []string{"no unrecorded tag has a reference with nowhere"}, "adopt", "index.html", "--tag", "nowhere")
	s.Fail(2, []string{"--as names one library"}, "adopt", "index.html", "tides.html", "--as", "x@1")
	if out := s.Run("adopt", "regatta.html"); !strings.Contains(out, "oarlock-2 2.0.3") {
		t.Errorf("the other version has no record of its own:\n%s", out)
	}
	// Other bytes than the registry has are said to be so, and still recorded as they are.
	s.Write("js/pennants.js", "/*! tidechart v3.1.0 */ window.tidechart = {changed: true};")
	s.Replace("tides.html", "</body>", "<script src=js/pennants.js></script></body>")
	if out := s.Run("adopt", "tides.html"); !strings.Contains(out, "the registry's tidechart 3.1.0 has other bytes") {
		t.Errorf("adopt says\n%s", out)
	}
}

// TestAdoptWhatTheCrateHas: bytes that the crate has are known without a registry; a second copy is said to be one.
func TestAdoptWhatTheCrateHas(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Write("js/old/page-helper.js", s.Read("js/oarlock.min.js"))
	s.Replace("index.html", "</body>", "<script src=js/old/page-helper.js></script></body>")
	s.Replace("tides.html", `src="js/oarlock.min.js"`,
		`src="http://short.harbour.example/oarlock@2.0.3/oarlock.min.js"`)
	r := s.Fail(1, []string{"a second copy of js/oarlock.min.js of oarlock", "refer to js/oarlock.min.js instead",
		"the crate has the same bytes", "oarlock 2.0.3  dist/oarlock.min.js, sure"}, "adopt", "--all")
	if !strings.Contains(s.Read("crate.yaml"), "harbour2: http://short.harbour.example/{name}@{version}/{short}") {
		t.Errorf("the pattern was not learned:\n%s\n%s", r.Out, s.Read("crate.yaml"))
	}
	s.Run("switch", "--local")
	if !strings.Contains(s.Read("tides.html"), `src="js/oarlock.min.js"`) {
		t.Errorf("the page is\n%s", s.Read("tides.html"))
	}
	if !strings.Contains(s.Read("crate.seal.json"), `"path":"dist/oarlock.min.js","at":"js/oarlock.min.js"`) {
		t.Errorf("the seal is\n%s", s.Read("crate.seal.json"))
	}
}

// TestFallbackInABrowser: the CDN answers nothing, and the pages work anyway, with blocking scripts and with
// deferred ones.
func TestFallbackInABrowser(t *testing.T) {
	t.Parallel()
	s, c := documented(t)
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	page := strings.Replace(strings.Replace(s.Read("regatta.html"), " async=\"async\"", "", 1),
		`  <script src="http://cdn.harbour.example/latest/quickbrine.js"></script>`+"\n", "", 1)
	s.Write("regatta.html", page)
	s.Write("deferred.html", strings.ReplaceAll(page, "<script ", "<script defer "))
	s.Run("adopt", "regatta.html")
	s.Run("switch", "--local")
	s.Run("switch", "--cdn", "--minified", "--fallback", "--hints")
	const working = `[typeof oarlock, document.documentElement.dataset.brinework, ` +
		`document.documentElement.dataset.club].join()`
	for _, name := range []string{"regatta.html", "deferred.html"} {
		console, failed, value := merrytest.Visit(t, ctx, server.URL+"/"+name, working)
		if len(console)+len(failed) > 0 || value != "function,1.2.0,Gull Point Rowing Club" {
			t.Errorf("%s: console %q, failed %q, state %v", name, console, failed, value)
		}
	}
	c.Spoil("oarlock/2.0.3/dist/oarlock.min.js")
	for _, name := range []string{"regatta.html", "deferred.html"} {
		console, _, value := merrytest.Visit(t, ctx, server.URL+"/"+name, working)
		if !strings.Contains(strings.Join(console, " "), "integrity") ||
			value != "function,1.2.0,Gull Point Rowing Club" {
			t.Errorf("%s: one byte changed: console %q, state %v", name, console, value)
		}
	}
	s.Fail(1, []string{"link-differs"}, "check", "--online")
	c.Down()
	for _, name := range []string{"regatta.html", "deferred.html"} {
		_, failed, value := merrytest.Visit(t, ctx, server.URL+"/"+name, working)
		if len(failed) == 0 || !strings.HasPrefix(fmt.Sprint(value), "function,1.2.0") {
			t.Errorf("%s: the CDN is down: failed %q, state %v", name, failed, value)
		}
	}
}

// TestBranches: a link to a branch is reported, is never given an integrity, and becomes the exact one when its library
// is switched, there and back; once adopted, the advice works.
func TestBranches(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	page := s.Read("tides.html")
	local := `<script src="js/oarlock.min.js"></script>`
	for _, branch := range []string{"@2.0", "@latest", "@2"} {
		address := "http://branch.harbour.example/oarlock" + branch + "/dist/oarlock.min.js"
		s.Write("tides.html", strings.Replace(page, local, `<script src="`+address+`"></script>`, 1))
		out := s.Try("check", "tides.html", "--no-rehearse").Out
		if !strings.Contains(out, "link-branch") || strings.Contains(out, "link-unsealed") {
			t.Errorf("%s: check says\n%s", branch, out)
		}
		s.Write("tides.html", strings.Replace(page, local, `<script src="`+address+
			`" integrity="sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC" crossorigin>`+
			`</script>`, 1))
		if out := s.Try("check", "tides.html", "--no-rehearse").Out; !strings.Contains(out,
			"browsers will block the file") {
			t.Errorf("%s, with an integrity: check says\n%s", branch, out)
		}
		s.Write("tides.html", strings.Replace(page, local, `<script src="`+address+`"></script>`, 1))
		if branch != "@2.0" {
			s.Fail(1, []string{"the address names "}, "adopt", "tides.html", "--plain") // of another version today
			continue
		}
		before := s.State()
		if out := s.Run("adopt", "tides.html", "--plain"); !strings.Contains(out, "merry switch oarlock --cdn  # "+
			"writes the exact address") || !strings.Contains(out, "branch") {
			t.Errorf("%s: adopt says\n%s", branch, out)
		}
		s.Run("switch", "oarlock", "--cdn=harbour", "--page", "tides.html")
		if now := s.Read("tides.html"); !strings.Contains(now, `oarlock/2.0.3/dist/oarlock.min.js" `+
			`integrity="sha384-`) || strings.Contains(now, "branch.harbour") {
			t.Errorf("%s: the page is\n%s", branch, now)
		}
		s.Run("switch", "oarlock", "--local", "--page", "tides.html")
		if now := s.Read("tides.html"); now != page {
			t.Errorf("%s: local again, the page is\n%s", branch, now)
		}
		for s.State() != before {
			s.Run("undo")
		}
	}
	s.Write("crate.yaml", s.Read("crate.yaml")+"profiles:\n  live: {serve: local}\n")
	s.Write("tides.html", strings.Replace(page, local,
		`<script src="//branch.harbour.example/oarlock.js?utm_source=x"></script>`, 1))
	r := s.Fail(1, []string{"link-schemeless", "link-tracking", "link-unversioned", "5 errors"}, "check", "tides.html",
		"--no-rehearse", "--profile", "live")
	if !strings.Contains(r.Out, "write https://branch.harbour.example/oarlock.js") {
		t.Errorf("check says\n%s", r.Out)
	}
}

// TestAdoptedLinksAreSealed: what adopt and check advise of a link without integrity works: switch --cdn gives it one,
// and nothing else on the page changes.
func TestAdoptedLinksAreSealed(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	page := s.Read("tides.html")
	link := `<script src="http://cdn.harbour.example/lib/tidechart/3.1.0/dist/tidechart.min.js"></script>`
	s.Write("tides.html", strings.Replace(page, "</body>", link+"</body>", 1))
	s.Run("adopt", "tides.html", "--plain")
	if out := s.Try("check", "tides.html", "--no-rehearse").Out; !strings.Contains(out, "next: merry switch tidechart "+
		"--cdn --page tides.html") {
		t.Errorf("check says\n%s", out)
	}
	if out := s.Run("switch", "tidechart", "--cdn", "--page", "tides.html"); strings.Contains(out, "nothing") ||
		strings.Contains(out, "no page had") {
		t.Errorf("switch says\n%s", out)
	}
	now := s.Read("tides.html")
	if !strings.Contains(now, link[:len(link)-len("></script>")]+` integrity="sha384-`) ||
		!strings.Contains(now, `crossorigin="anonymous"></script></body>`) {
		t.Errorf("the page is\n%s", now)
	}
	if out := s.Try("check", "tides.html", "--no-rehearse").Out; strings.Contains(out, "link-unsealed") {
		t.Errorf("check still says\n%s", out)
	}
	if out := s.Run("switch", "tidechart", "--cdn", "--page", "tides.html"); !strings.Contains(out,
		"no page had anything to switch") {
		t.Errorf("the second time switch says\n%s", out)
	}
}

// TestAdoptTwoVersions: two versions of one library in two parts of a site are both recorded, and what stands on them
// needs the one on its own page.
func TestAdoptTwoVersions(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Register()
	s.Run("start")
	for page, version := range map[string]string{"log.html": "2.0.3", "old/log.html": "1.4.2"} {
		s.Write(page, strings.Replace(merrytest.PlainPage, "</body>", "<script src=js/oarlock.js></script>\n"+
			"<script src=js/addon.js></script>\n</body>", 1))
		dir := strings.TrimSuffix(page, "log.html")
		s.Write(dir+"js/oarlock.js", "/*! oarlock v"+version+" */\nwindow.oarlock = {version: \""+version+"\", fn: "+
			"{}};\n")
		s.Write(dir+"js/addon.js", "/*! gauge v1.0."+version[:1]+" */\noarlock.fn.gauge = 1;\n")
	}
	out := s.Run("adopt", "log.html", "old/log.html")
	list := s.Read("crate.yaml")
	for _, want := range []string{"  oarlock:\n    version: 2.0.3", "  oarlock-1:\n    version: 1.4.2", "needs: " +
		"[oarlock]",
		"needs: [oarlock-1]"} {
		if !strings.Contains(list, want) {
			t.Errorf("the records do not say %q:\n%s\n%s", want, list, out)
		}
	}
	if out := s.Try("check", "log.html", "old/log.html").Out; !strings.Contains(out, "no findings") {
		t.Errorf("check says\n%s", out)
	}
	// The bases first, and in another run what stands on them.
	s.Run("undo")
	for _, page := range []string{"log.html", "old/log.html"} {
		s.Run("adopt", page, "--tag", "oarlock")
	}
	s.Run("adopt", "old/log.html")
	if list := s.Read("crate.yaml"); !strings.Contains(list, "needs: [oarlock-1]") {
		t.Errorf("what is adopted later needs another page's base:\n%s", list)
	}
	s.Run("undo")
	s.Run("undo")
	s.Run("undo")
	s.Run("adopt", "log.html", "old/log.html")
	s.Replace("log.html", "<script src=js/addon.js>", "<script src=old/js/oarlock.js></script><script src=js/addon.js>")
	s.Run("undo")
	s.Fail(1, []string{"a page has oarlock", "it would run twice there"}, "adopt", "log.html")
}
