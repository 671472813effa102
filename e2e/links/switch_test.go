package links

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
	"merrycrate.example/merry/standin"
)

func TestSwitchThereAndBack(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	local := s.Pages()
	out := s.Run("switch", "--cdn")
	crews := s.Read("crews/index.html")
	integrity, _, _ := strings.Cut(s.Run("seal", "js/oarlock.min.js"), " ")
	want := "\t<script src=\"http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js\" integrity=\"" +
		integrity + "\" crossorigin=\"anonymous\"></script>\r\n"
	if !strings.Contains(crews, want) || !strings.Contains(out, "→ http://cdn.harbour.example") {
		t.Errorf("the page is\n%s\nand switch said\n%s", crews, out)
	}
	if strings.Count(crews, "cdn.harbour.example") != 3 || !strings.Contains(crews, "href='../css/club.css'") {
		t.Errorf("more or less than the libraries was switched:\n%s", crews)
	}
	if !strings.Contains(s.Read("crate.yaml"), "serve: cdn") {
		t.Error("the packing list does not remember")
	}
	linkedPages := s.Pages()
	s.Run("include", "oarlock", "brinework", "--page", "**")
	if s.Pages() != linkedPages {
		t.Error("what is there by a link was included again")
	}
	s.Run("switch", "--cdn", "--readable")
	if page := s.Read("index.html"); !strings.Contains(page, "dist/oarlock.js\"") {
		t.Errorf("the readable build is not linked:\n%s", page)
	}
	s.Run("switch", "--minified")
	if s.Pages() != linkedPages {
		t.Error("readable and back is not the same")
	}
	s.Run("switch", "--local")
	if got := s.Pages(); got != local {
		t.Errorf("there and back is not the same:\n%s", got)
	}
	s.Run("check", "crews/index.html")
	// One library, one page: mixed pages are normal.
	s.Run("switch", "oarlock", "--cdn", "--page", "index.html")
	if page := s.Read("index.html"); strings.Count(page, "cdn.harbour.example") != 1 ||
		strings.Contains(s.Read("tides.html"), "cdn.harbour") {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("omit", "oarlock", "--page", "index.html")
	if strings.Contains(s.Read("index.html"), "oarlock.min.js") {
		t.Error("a linked library was not taken off")
	}
}

// TestSwitchBackPutsBack: pages don't refer to local copies that are not there; switch puts those back.
func TestSwitchBackPutsBack(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	before := s.Pages() + s.Read("js/oarlock.min.js")
	s.Run("switch", "--cdn")
	s.Remove("js/oarlock.min.js")
	s.Run("switch", "--local")
	if s.Pages()+s.Read("js/oarlock.min.js") != before {
		t.Error("pages or the copy are not as before")
	}
}

func TestSwitchOnlyForTheSameBytes(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	before := s.State()
	for host, words := range map[string][]string{
		"rewrites.harbour.example": {"has bytes other than the sealed ones", "sealed: sha384-", "there:  sha384-",
			"first differ at byte 3"},
		"other.harbour.example": {"has bytes other than", "first differ at byte"},
	} {
		s.Run("sources", "set", "cdn", "harbour", "http://"+host+"/lib/{name}/{version}/{path}")
		now := s.State()
		s.Fail(1, words, "switch", "--cdn")
		if s.State() != now {
			t.Errorf("%s: a refused switch changed something", host)
		}
		s.Run("undo")
	}
	if s.State() != before {
		t.Error("the site is not as before")
	}
	s.Run("sources", "set", "cdn", "shortened", "http://short.harbour.example/{name}@{version}/{file}")
	s.Fail(2, []string{"several CDNs", "harbour, shortened"}, "switch", "--cdn")
	s.Run("switch", "--cdn=shortened")
	if page := s.Read("index.html"); !strings.Contains(page,
		"http://short.harbour.example/oarlock@2.0.3/oarlock.min.js") {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("switch", "--cdn", "harbour")
	if page := s.Read("index.html"); !strings.Contains(page, "http://cdn.harbour.example") &&
		!strings.Contains(page, "harbour.example/lib/") {
		t.Errorf("--cdn harbour with a space: the page is\n%s", page)
	}
	s.Run("switch", "--local")
	c.Down()
	s.Run("switch", "--cdn=harbour") // compared before, so it is known
	s.Run("switch", "--local")
	s.Fail(3, []string{"cdn.harbour.example"}, "switch", "--cdn=harbour", "--fresh")
	s.Fail(1, []string{"no CDN lighthouse", "harbour, shortened"}, "switch", "--cdn=lighthouse")
	s.Fail(2, []string{"what to switch to"}, "switch")
	s.Fail(2, []string{"has no {version}"}, "sources", "set", "cdn", "x", "https://cdn.example/{path}")
	s.Fail(1, []string{"no profile live"}, "switch", "--profile", "live")
}

func TestReadableBuildFromTheCache(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "index.html")
	os.RemoveAll(filepath.Join(s.Dir, "../downloads"))
	if out := s.Run("switch", "--readable", "--offline"); !strings.Contains(out, "added for it: js/oarlock.js") {
		t.Errorf("switch printed\n%s", out)
	}
	if page := s.Read("index.html"); !strings.Contains(page, `src="js/oarlock.js"`) {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("check", "index.html")
	s.Write("crate.yaml", s.Read("crate.yaml")+"profiles:\n  live: {build: minified}\n")
	s.Run("switch", "--profile", "live")
	if page := s.Read("index.html"); !strings.Contains(page, `src="js/oarlock.min.js"`) {
		t.Errorf("the page is\n%s", page)
	}
}

func TestLinkFindings(t *testing.T) {
	t.Parallel()
	for name, edit := range map[string][2]string{
		"link-unsealed":       {` integrity="`, ` data-was="`},
		"link-stale":          {`integrity="sha384-Y`, `integrity="sha384-Z`},
		"link-no-crossorigin": {` crossorigin="anonymous"`, ``},
	} {
		s, _ := merrytest.Linked(t)
		s.Run("switch", "--cdn")
		s.Replace("index.html", edit[0], edit[1])
		s.Fail(1, []string{name, "index.html:", "merry switch oarlock --cdn --page index.html"}, "check", "index.html")
		s.Run("switch", "--local")
		s.Run("check")
	}
	s, _ := merrytest.Linked(t)
	s.Run("switch", "--cdn")
	s.Fail(1, []string{"link-plain", "without TLS"}, "check")
}

func TestLearnAPattern(t *testing.T) {
	t.Parallel()
	c, err := standin.NewCDN()
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	s := merrytest.Started(t)
	for _, h := range standin.Hosts {
		s.Run("sources", "set", "host", h, c.Addr)
	}
	for link, want := range map[string]string{
		"http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js": "harbour: http://cdn.harbour.example/lib/" +
			"{name}/{version}/{path}",
		"http://short.harbour.example/oarlock@2.0.3/oarlock.min.js": "harbour: http://short.harbour.example/" +
			"{name}@{version}/{short}",
	} {
		out := s.Run("sources", "learn", link)
		if !strings.Contains(s.Read("crate.yaml"), want) || !strings.Contains(out, "verified with") {
			t.Errorf("%s: learned\n%s\n%s", link, out, s.Read("crate.yaml"))
		}
		s.Run("switch", "--cdn")
		s.Run("switch", "--local")
	}
	before := s.State()
	s.Fail(1, []string{"no file of the crate has the bytes"}, "sources", "learn",
		"http://other.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js")
	if s.State() != before {
		t.Error("something changed")
	}
}

func TestCheckAgainstProfileAndOnline(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	s.Write("crate.yaml", s.Read("crate.yaml")+"profiles:\n  live: {serve: cdn, build: minified}\n"+
		"  desk: {serve: local, build: readable}\n")
	s.Fail(1, []string{"not-as-profile", "oarlock is not served as the profile live says: cdn",
		"merry switch oarlock --profile live"}, "check", "--profile", "live")
	s.Run("switch", "--profile", "desk")
	s.Run("check", "--profile", "desk")
	s.Run("switch", "--profile", "live")
	if r := s.Try("check", "--profile", "live"); strings.Contains(r.Out, "not-as-profile") {
		t.Errorf("after the switch check says\n%s", r.Out)
	}
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "    needs: [oarlock]\n", "    needs: [oarlock]\n"+
		"    only: desk\n", 1))
	s.Fail(1, []string{"desk-only-shipped", "brinework is for development only"}, "check", "--profile", "live")
	if r := s.Try("check", "--online"); strings.Contains(r.Out, "link-differs") {
		t.Errorf("--online finds fault with the same bytes:\n%s", r.Out)
	}
	c.Spoil("oarlock/2.0.3/dist/oarlock.min.js")
	s.Fail(1, []string{"link-differs", "sealed: sha384-", "crews/index.html:"}, "check", "--online")
	c.Down()
	s.Env = []string{"MERRY_PATIENCE=1s"}
	s.Fail(1, []string{"link-unreachable"}, "check", "--online")
	s.Fail(1, []string{"no profile holiday", "desk, live"}, "check", "--profile", "holiday")
	s.Replace("index.html", "</body>", "<script src=\"https://cdn.harbour.example/latest/oarlock.js\"></script></body>")
	s.Fail(1, []string{"link-unversioned"}, "check", "index.html")
}

// TestFourCombinationsInABrowser: local and linked, readable and minified, all run clean, with the
// integrity enforced: after one byte is changed at the CDN, the browser blocks the file.
func TestFourCombinationsInABrowser(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	for _, args := range [][]string{{"--local", "--minified"}, {"--local", "--readable"}, {"--cdn", "--readable"},
		{"--cdn", "--minified"}} {
		s.Run(append([]string{"switch"}, args...)...)
		console, failed, value := merrytest.Visit(t, ctx, server.URL+"/index.html", merrytest.State)
		if len(console)+len(failed) > 0 || !strings.Contains(fmt.Sprint(value), "display:flex") ||
			!strings.Contains(fmt.Sprint(value), "version:2.0.3") {
			t.Errorf("%v: console %q, failed %q, state %v", args, console, failed, value)
		}
	}
	c.Spoil("oarlock/2.0.3/dist/oarlock.min.js")
	console, _, _ := merrytest.Visit(t, ctx, server.URL+"/index.html", "1")
	if !strings.Contains(strings.Join(console, " "), "integrity") {
		t.Errorf("the browser takes other bytes: %q", console)
	}
}

// TestFactsInTheSeal: on a machine with no cache, no local copies and no network, pages whose libraries are linked are
// checked in full: nothing is said to be absent that is there, what comes too early is reported, and nobody calls out.
// An old seal is completed by the next command that writes.
func TestFactsInTheSeal(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	s.Run("switch", "--cdn")
	sealed := s.Read("crate.seal.json")
	if !strings.Contains(sealed, `"facts":{"form":`) || !strings.Contains(sealed, `"defines":["oarlock"]`) {
		t.Fatalf("the seal keeps no facts:\n%s", sealed)
	}
	before := s.Try("check").Out
	clone := s.Copy()
	clone.Home = t.TempDir()
	for _, name := range []string{"js/oarlock.min.js", "js/oarlock.js", "js/brinework.min.js", "js/brinework.js"} {
		os.Remove(filepath.Join(clone.Dir, name))
	}
	for _, f := range strings.Split(sealed, "\n") {
		if _, rest, ok := strings.Cut(f, `"at":"`); ok {
			at, _, _ := strings.Cut(rest, `"`)
			os.Remove(filepath.Join(clone.Dir, at))
		}
	}
	c.Down()
	asked := c.Connections()
	out := clone.Try("check").Out
	if c.Connections() != asked {
		t.Error("check calls out")
	}
	for _, word := range []string{"need-absent", "need-later", "is not on this page", "stops"} {
		if strings.Contains(out, word) && !strings.Contains(before, word) {
			t.Errorf("without the bytes check says\n%s", out)
		}
	}
	page := clone.Read("index.html")
	lines := strings.SplitAfter(page, "\n")
	var at []int
	for i, l := range lines {
		if strings.Contains(l, "oarlock.min.js") || strings.Contains(l, "js/club.js") {
			at = append(at, i)
		}
	}
	lines[at[0]], lines[at[len(at)-1]] = lines[at[len(at)-1]], lines[at[0]]
	clone.Write("index.html", strings.Join(lines, ""))
	if out := clone.Try("check", "index.html").Out; !strings.Contains(out, "need-later") {
		t.Errorf("what comes too early is not told:\n%s", out)
	}
	clone.Run("order", "index.html", "--fix")
	if clone.Read("index.html") == strings.Join(lines, "") {
		t.Error("the order was not mended")
	}
	// An old seal.
	old := regexp.MustCompile(`,"facts":\{[^}]*\}`).ReplaceAllString(s.Read("crate.seal.json"), "")
	s.Write("crate.seal.json", old)
	s.Run("omit", "js/club.js", "--page", "index.html")
	if strings.Contains(s.Read("crate.seal.json"), `"facts"`) == false {
		t.Errorf("the old seal was not completed:\n%s", s.Read("crate.seal.json"))
	}
}

// TestSealKnowsWhatRunningMakes: globals that reading does not find are in the seal where running the script makes
// them, alone or with stand-ins for what it needs; nothing is then said to be absent that such a script makes, and what
// it does not make is.
func TestSealKnowsWhatRunningMakes(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	cove := s.Archive("cove.zip", map[string]string{"cove-1.0.0/cove.js": "(function (root, make) {\n" +
		"  var a = make(root.jib);\n  for (var i in a) { root[i] = a[i]; }\n})(window, function (jib) {\n" +
		"  var out = { Cove: 1 };\n  out['Cove' + 'Bay'] = jib.fn ? 1 : 2;\n  return out;\n});\n"})
	reef := s.Archive("reef.zip", map[string]string{"reef-1.0.0/reef.js": "(function () {\n" +
		"  Object.defineProperty(window, ['Re', 'ef'].join(''), { value: { sound: 1 } });\n})();\n"})
	s.Write("js/own.js", "var depth = CoveBay + Reef.sound;\n")
	s.Write("js/lost.js", "var none = CoveTown.name;\n")
	s.Write("index.html", "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>Cove</title>\n"+
		"<script>window.jib = { fn: {} };</script>\n</head><body><script src=\"js/own.js\"></script>\n"+
		"<script src=\"js/lost.js\"></script>\n</body></html>\n")
	s.Run("take", cove, "--page", "index.html")
	s.Run("take", reef, "--page", "index.html")
	sealed := s.Read("crate.seal.json")
	for _, want := range []string{`"CoveBay"`, `"Reef"`} {
		if !strings.Contains(sealed, want) {
			t.Errorf("the seal does not know %s:\n%s", want, sealed)
		}
	}
	if strings.Contains(sealed, `"opens":true`) {
		t.Errorf("it is not known to be all:\n%s", sealed)
	}
	out := s.Try("check", "--no-rehearse").Out
	if strings.Contains(out, "reads CoveBay") || strings.Contains(out, "reads Reef") ||
		!strings.Contains(out, "uses CoveTown, but no script on this page defines it") {
		t.Errorf("check says\n%s", out)
	}
}

// TestSwitchSaysWhatItCosts: bytes from the own server and from others, hosts, and what holds up rendering, before and
// after.
func TestSwitchSaysWhatItCosts(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	out := s.Run("switch", "--cdn", "--page", "index.html")
	if !strings.Contains(out, "others 0 B → ") || !strings.Contains(out, "other hosts: cdn.harbour.example; "+
		"render-blocking requests: ") || !strings.Contains(out, " as before") {
		t.Errorf("switch says\n%s", out)
	}
	var answer struct {
		Pages []struct {
			Before, After struct {
				Own, Others int64
				Hosts       []string
				Blocking    int
			}
		}
	}
	if err := json.Unmarshal([]byte(s.Run("switch", "--local", "--page", "index.html", "--json")),
		&answer); err != nil || len(answer.Pages) != 1 {
		t.Fatal(err)
	}
	if p := answer.Pages[0]; p.Before.Others == 0 || p.After.Others != 0 ||
		p.Before.Own+p.Before.Others != p.After.Own || len(p.After.Hosts) != 0 ||
		p.After.Blocking != p.Before.Blocking || p.After.Blocking == 0 {
		t.Errorf("the costs are %+v", p)
	}
}

// TestLearnedByOneFile: where the second file can't be asked, the pattern is kept as proved by one, and what is learned
// can be tried on all files of the crate.
func TestLearnedByOneFile(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	out := s.Run("sources", "learn", "http://short.harbour.example/oarlock@2.0.3/oarlock.min.js", "--name", "short")
	if !strings.Contains(out, "http://short.harbour.example/{name}@{version}/{short}") ||
		!strings.Contains(out, "merry sources try short") {
		t.Errorf("learn says\n%s", out)
	}
	r := s.Try("sources", "try", "harbour")
	if r.Status != 0 || strings.Count(r.Out, "same") < 3 {
		t.Errorf("try says\n%s%s", r.Out, r.Err)
	}
	s.Run("sources", "set", "cdn", "wrong", "http://other.harbour.example/lib/{name}/{version}/{path}")
	s.Run("sources", "set", "cdn", "gone", "http://cdn.harbour.example/elsewhere/{name}/{version}/{path}")
	if r := s.Try("sources", "try", "wrong"); r.Status != 1 || !strings.Contains(r.Out, "other bytes") {
		t.Errorf("try says\n%s%s", r.Out, r.Err)
	}
	if r := s.Try("sources", "try", "gone"); r.Status != 1 || strings.Contains(r.Out, "same") {
		t.Errorf("try says\n%s%s", r.Out, r.Err)
	}
	s.Fail(1, []string{"no CDN nowhere", "gone, harbour, short, wrong"}, "sources", "try", "nowhere")
	one := merrytest.Empty(t)
	one.Write("index.html", "<!doctype html><title>x</title>")
	one.Run("start")
	one.Write("../one.js", "/*! one 1.2.0 */\nwindow.one = {\n  at: 1\n};\n")
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/x/one-1.2.min.js" {
			http.NotFound(w, r)
			return
		}
		fmt.Fprint(w, "/*! one 1.2.0 */\nwindow.one = {\n  at: 1\n};\n")
	}))
	defer server.Close()
	one.Archive("one-1.2.0.zip", map[string]string{"package.json": `{"name": "one", "version": "1.2.0"}`,
		"one.min.js": "/*! one 1.2.0 */\nwindow.one = {\n  at: 1\n};\n"})
	one.Run("take", "../downloads/one-1.2.0.zip", "--page", "index.html")
	if out := one.Run("sources", "learn", server.URL+"/x/one-1.2.min.js"); !strings.Contains(out,
		"so the pattern of the CDN cdn is") || !strings.Contains(out, "{stem}-{brief}{ending}") ||
		!strings.Contains(out, "verified with one file only") {
		t.Errorf("learn says\n%s", out)
	}
	one.Run("switch", "--cdn")
	if page := one.Read("index.html"); !strings.Contains(page, server.URL+"/x/one-1.2.min.js") {
		t.Errorf("the page is\n%s", page)
	}
}

// TestTakenAddress: switch links to where a single file was taken from, and its folder tells a CDN's pattern.
func TestTakenAddress(t *testing.T) {
	t.Parallel()
	s, _ := merrytest.Linked(t)
	s.Run("drop", "brinework")
	s.Run("drop", "oarlock")
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"),
		"cdns:\n  harbour: http://cdn.harbour.example/lib/{name}/{version}/{path}\n", "", 1))
	const address = "http://cdn.harbour.example/lib/tidechart/3.1.0/dist/tidechart.min.js"
	if out := s.Run("take", address, "--page", "tides.html"); !strings.Contains(out, "a new CDN, harbour: "+
		"http://cdn.harbour.example/lib/{name}/{version}/{path}") {
		t.Errorf("take says\n%s", out)
	}
	s.Run("switch", "--cdn")
	if page := s.Read("tides.html"); !strings.Contains(page, `src="`+address+`" integrity="sha384-`) {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("drop", "tidechart")
	const short = "http://short.harbour.example/oarlock@2.0.3/oarlock.min.js"
	if out := s.Run("take", short, "--page", "tides.html"); strings.Contains(out, "a new CDN") {
		t.Errorf("take says\n%s", out)
	}
	s.Run("switch", "--cdn")
	if page := s.Read("tides.html"); !strings.Contains(page, `src="`+short+`" integrity="sha384-`) {
		t.Errorf("the page is\n%s", page)
	}
}

// TestStyleFallbackInABrowser: where the CDN answers 503, gives other bytes, or answers nothing, the local stylesheets
// and scripts stand in, fonts and all; where it answers, nothing local is fetched. There and back gives the same bytes.
func TestStyleFallbackInABrowser(t *testing.T) {
	t.Parallel()
	for _, fault := range []string{"none", "busy", "spoilt", "down"} {
		t.Run(fault, func(t *testing.T) {
			s, c := merrytest.Linked(t)
			before := s.Pages()
			ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
			local := []string{}
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				w.Header().Set("Cache-Control", "no-store")
				local = append(local, r.URL.Path)
				http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
			}))
			defer server.Close()
			s.Run("switch", "--cdn", "--fallback")
			if n := strings.Count(s.Read("index.html"), "document.write"); n != 3 {
				t.Errorf("%d fallbacks stand on the page\n%s", n, s.Read("index.html"))
			}
			if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, "policy") ||
				strings.Contains(out, "included-twice") {
				t.Errorf("check says\n%s", out)
			}
			switch fault {
			case "busy":
				c.Busy()
			case "spoilt":
				c.Spoil("brinework/1.2.0/css/brinework.min.css")
			case "down":
				c.Down()
			}
			_, _, value := merrytest.Visit(t, ctx, server.URL+"/index.html", merrytest.State)
			if got := fmt.Sprint(value); !strings.Contains(got, "display:flex") ||
				!strings.Contains(got, "version:2.0.3") || !strings.Contains(got, "font:brinework icons loaded") {
				t.Errorf("the page's state is %s", got)
			}
			if asked := slices.Contains(local, "/css/brinework.min.css"); asked != (fault != "none") {
				t.Errorf("the local stylesheet was fetched: %v", asked)
			}
			if fault == "none" || fault == "spoilt" {
				s.Run("switch", "--local")
				if s.Pages() != before {
					t.Error("there and back is not the same")
				}
			}
		})
	}
}

// TestFallbacksInTurn: where the first host answers nothing, a second gives scripts and styles, checked against their
// integrity; where that gives other bytes or nothing, the site's own do; a host that takes its time is waited for.
// There and back gives the same bytes.
func TestFallbacksInTurn(t *testing.T) {
	t.Parallel()
	slow := time.Duration(trials.Rounds(1, 30)) * time.Second
	for fault, local := range map[string]bool{"none": false, "first": false, "spoilt": true, "both": true,
		"slow": false} {
		t.Run(fault, func(t *testing.T) {
			s, c := merrytest.Linked(t)
			s.Run("sources", "set", "cdn", "quay", "http://named.harbour.example/{name}/{file}?v={version}")
			before := s.Pages()
			ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": c.Addr})
			asked := []string{}
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				asked = append(asked, r.URL.Path)
				http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
			}))
			defer server.Close()
			s.Run("switch", "--cdn=harbour", "--then", "quay")
			page := s.Read("index.html")
			if strings.Count(page, "document.write") != 5 || strings.Count(page, "named.harbour.example") != 3 {
				t.Errorf("the page is\n%s", page)
			}
			if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, "included-twice") ||
				strings.Contains(out, "leftover") {
				t.Errorf("check says\n%s", out)
			}
			switch fault {
			case "both":
				c.Silence("named.harbour.example")
				fallthrough
			case "first":
				c.Silence("cdn.harbour.example")
			case "spoilt":
				c.Spoil("brinework/1.2.0/css/brinework.min.css")
			case "slow":
				c.Slow("cdn.harbour.example", slow)
			}
			_, _, value := merrytest.Visit(t, ctx, server.URL+"/index.html", merrytest.State)
			if got := fmt.Sprint(value); !strings.Contains(got, "display:flex") ||
				!strings.Contains(got, "version:2.0.3") {
				t.Errorf("the page's state is %s", got)
			}
			if own := slices.Contains(asked, "/css/brinework.min.css"); own != local {
				t.Errorf("the local stylesheet was fetched: %v", own)
			}
			if fault == "none" {
				s.Run("move", "js/oarlock.min.js", "vendor/oarlock.min.js")
				if page := s.Read("index.html"); strings.Count(page, "named.harbour.example") != 3 ||
					!strings.Contains(page, `vendor/oarlock.min.js"><\\/script>`) {
					t.Errorf("after the move the page is\n%s", page)
				}
				s.Run("undo")
				s.Run("switch", "--readable")
				if page := s.Read("index.html"); strings.Count(page, "named.harbour.example") != 3 ||
					strings.Contains(page, "oarlock.min.js") {
					t.Errorf("after the switch of builds the page is\n%s", page)
				}
				s.Run("undo")
				s.Register()
				s.Run("repin", "brinework@2.0.0")
				if page := s.Read("index.html"); strings.Count(page,
					"named.harbour.example/brinework/brinework.min.css?v=2.0.0") != 1 ||
					strings.Count(page, "v=1.2.0") != 0 || strings.Count(page, "lib/brinework/2.0.0/") != 2 {
					t.Errorf("up a version the page is\n%s", page)
				}
				s.Run("undo")
				s.Run("switch", "--local")
				if s.Pages() != before {
					t.Error("there and back is not the same")
				}
				s.Replace("index.html", `<script src="js/oarlock`, `<script defer src="js/oarlock`)
				if out := s.Run("switch", "--cdn=harbour", "--then", "quay", "--page", "index.html"); !strings.Contains(
					out, "oarlock.min.js falls back to its local copy directly: it is deferred") {
					t.Errorf("of a deferred script switch says\n%s", out)
				}
			}
		})
	}
}

// TestModuleFallbackInABrowser: a module whose host answers nothing, or other bytes, is imported from the site.
func TestModuleFallbackInABrowser(t *testing.T) {
	t.Parallel()
	buoy := "export function mark() {}\nglobalThis.buoy = 'afloat';\n"
	for _, fault := range []string{"none", "down", "spoilt"} {
		t.Run(fault, func(t *testing.T) {
			ailing := ""
			cdn := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				w.Header().Set("Access-Control-Allow-Origin", "*")
				w.Header().Set("Content-Type", "text/javascript")
				switch ailing {
				case "down":
					panic(http.ErrAbortHandler)
				case "spoilt":
					fmt.Fprint(w, "/* changed */", buoy)
				default:
					fmt.Fprint(w, buoy)
				}
			}))
			defer cdn.Close()
			s := merrytest.Started(t)
			s.Archive("buoy-1.0.0.zip",
				map[string]string{"package.json": `{"name":"buoy","version":"1.0.0","type":"module","module":"dist/` +
					`buoy.js"}`, "dist/buoy.js": buoy})
			s.Run("take", "../downloads/buoy-1.0.0.zip", "--page", "index.html")
			before := s.Read("index.html")
			s.Untyped = true // its CDN has this library alone
			s.Run("sources", "set", "host", "quay.example", cdn.Listener.Addr().String())
			s.Run("sources", "set", "cdn", "quay", "http://quay.example/{name}/{version}/{path}")
			s.Run("switch", "buoy", "--cdn=quay", "--fallback", "--page", "index.html")
			if page := s.Read("index.html"); strings.Count(page, `onerror="import('./js/buoy.js')"`) != 1 {
				t.Errorf("the page is\n%s", page)
			}
			if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, "unused") ||
				strings.Contains(out, "leftover") {
				t.Errorf("check says\n%s", out)
			}
			ailing = fault
			server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
			defer server.Close()
			_, _, value := merrytest.Visit(t,
				merrytest.Browser(t, merrytest.Hosts{"quay.example": cdn.Listener.Addr().String()}),
				server.URL+"/index.html", "new Promise(r => { let n = 0, t = setInterval(() => { if "+
					"(globalThis.buoy || "+
					"++n > 200) { clearInterval(t); r(globalThis.buoy) } }, 50) })")
			if value != "afloat" {
				t.Errorf("the module is %v", value)
			}
			ailing = ""
			s.Archive("buoy-1.1.0.zip",
				map[string]string{"package.json": `{"name":"buoy","version":"1.1.0","type":"module","module":"dist/` +
					`buoy.js"}`, "dist/buoy.js": buoy})
			s.Run("repin", "buoy@1.1.0", "--from", "../downloads/buoy-1.1.0.zip")
			if page := s.Read("index.html"); !strings.Contains(page, "quay.example/buoy/1.1.0/") ||
				strings.Count(page, `onerror="import('./js/buoy.js')"`) != 1 {
				t.Errorf("up a version the page is\n%s", page)
			}
			s.Run("undo")
			s.Run("move", "js/buoy.js", "vendor/buoy.js")
			if page := s.Read("index.html"); !strings.Contains(page, `onerror="import('./vendor/buoy.js')"`) {
				t.Errorf("after the move the page is\n%s", page)
			}
			s.Run("undo")
			s.Run("switch", "buoy", "--local", "--page", "index.html")
			if got := s.Read("index.html"); got != before {
				t.Errorf("there and back is\n%s", got)
			}
		})
	}
}

// TestSourcesMeasure: how the hosts answer that pages link to, on request only.
func TestSourcesMeasure(t *testing.T) {
	t.Parallel()
	s, c := merrytest.Linked(t)
	if out := s.Run("sources", "--measure"); !strings.Contains(out, "no page links to another host") {
		t.Errorf("measure says\n%s", out)
	}
	s.Run("switch", "--cdn")
	s.Replace("tides.html", "</body>", `<script src="http://bare.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js">`+
		`</script><script src="http://down.harbour.example/x.js"></script></body>`)
	before := c.Connections()
	s.Run("sources")
	if c.Connections() != before {
		t.Error("hosts are asked without being measured")
	}
	var answer struct {
		Hosts []struct {
			Host, Protocol, Caching, CORS, Failure string
			Status, Pages                          int
			Wire                                   int64
		}
	}
	if err := json.Unmarshal([]byte(s.Run("sources", "--measure", "--json")), &answer); err != nil ||
		len(answer.Hosts) != 3 {
		t.Fatal(err, answer)
	}
	hosts := answer.Hosts
	if h := hosts[1]; h.Host != "cdn.harbour.example" || h.Status != 200 || h.Protocol != "HTTP/1.1" ||
		h.Caching != "no-store" || h.CORS != "*" || h.Pages != 3 || h.Wire == 0 {
		t.Errorf("the CDN is %+v", h)
	}
	if hosts[0].CORS != "" || hosts[2].Failure == "" {
		t.Errorf("the others are %+v and %+v", hosts[0], hosts[2])
	}
	out := s.Run("sources", "--measure")
	for _, want := range []string{"first byte", "no-store", "cdn.harbour.example", " ms"} {
		if !strings.Contains(out, want) {
			t.Errorf("measure does not say %q:\n%s", want, out)
		}
	}
	s.Fail(3, []string{"--offline allows no"}, "sources", "--measure", "--offline")
}
