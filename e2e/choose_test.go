package e2e

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/pem"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
)

// site of a habit, with both libraries on every page.
func habitual(t *testing.T, habit string) *merrytest.Site {
	s := merrytest.Empty(t)
	if err := demo.WriteSiteOf(s.Dir, habit); err != nil {
		t.Fatal(err)
	}
	if err := demo.WriteDownloads(filepath.Join(s.Dir, "../downloads")); err != nil {
		t.Fatal(err)
	}
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "**")
	return s
}

func TestHabits(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	for habit, file := range map[string]string{"kind": "js/oarlock.min.js", "together": "lib/oarlock/oarlock.min.js",
		"versioned": "scripts/oarlock-2.0.3.min.js"} {
		s := habitual(t, habit)
		if !strings.Contains(s.Read("index.html"), `src="`+file+`"`) {
			t.Errorf("%s: the page does not refer to %s", habit, file)
		}
		s.Run("check")
		s.Run("drop", "brinework")
		s.Run("drop", "oarlock")
		fresh := merrytest.Empty(t)
		demo.WriteSiteOf(fresh.Dir, habit)
		for _, page := range []string{"index.html", "tides.html", "crews/index.html"} {
			if s.Read(page) != fresh.Read(page) {
				t.Errorf("%s: %s did not come back", habit, page)
			}
		}
	}
	s := merrytest.Club(t)
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--names", "versioned")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--together")
	s.Read("js/oarlock-2.0.3.min.js")
	s.Read("lib/brinework/css/brinework.min.css")
	if list := s.Read("crate.yaml"); !strings.Contains(list, "names: versioned") ||
		!strings.Contains(list, "arrange: together") {
		t.Errorf("the packing list does not remember:\n%s", list)
	}
}

func TestRefillFromTheCacheAlone(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	whole := s.State()
	os.RemoveAll(filepath.Join(s.Dir, "../downloads"))
	for _, dir := range []string{"fonts"} {
		os.RemoveAll(filepath.Join(s.Dir, dir))
	}
	os.Remove(filepath.Join(s.Dir, "js/oarlock.min.js"))
	if out := s.Run("refill", "--offline"); !strings.Contains(out, "2 files as sealed, 3 restored") {
		t.Errorf("refill printed\n%s", out)
	}
	if s.State() != whole {
		t.Error("refill did not give back the state")
	}
	s.Write("js/oarlock.min.js", "mine")
	s.Fail(1, []string{"changed, left alone: js/oarlock.min.js", "--overwrite"}, "refill")
	if s.Read("js/oarlock.min.js") != "mine" {
		t.Error("refill wrote over a changed file")
	}
	s.Run("refill", "--overwrite")
	if s.State() != whole {
		t.Error("refill --overwrite did not give back the state")
	}
	// A damaged cache is no cache: the file is missing, never wrong.
	filepath.Walk(filepath.Join(s.Home, ".merry/cache"), func(name string, info os.FileInfo, err error) error {
		if err == nil && info.Mode().IsRegular() {
			b, _ := os.ReadFile(name)
			os.WriteFile(name, b[:len(b)/2], 0o644)
		}
		return nil
	})
	os.Remove(filepath.Join(s.Dir, "js/oarlock.min.js"))
	s.Fail(1, []string{"missing: oarlock: js/oarlock.min.js"}, "refill")
	// The source, put into the project, is as good.
	zip, err := demo.Library("oarlock", "2.0.3")
	if err != nil {
		t.Fatal(err)
	}
	b, _ := demo.Zip("oarlock-2.0.3", zip)
	s.Write("oarlock-2.0.3.zip", string(b))
	s.Run("refill")
	os.Remove(filepath.Join(s.Dir, "oarlock-2.0.3.zip"))
	if s.State() != whole {
		t.Error("refill from the source did not give back the state")
	}
}

// TestCacheUnderManyProcesses: processes that share a cache, one of which trims it all the while, never get wrong
// bytes, and get the right ones again once the library is taken again.
func TestCacheUnderManyProcesses(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	first := merrytest.Club(t)
	first.Run("start")
	const many = 6
	sites := make([]*merrytest.Site, many)
	for i := range sites {
		sites[i] = merrytest.Club(t)
		sites[i].Home = first.Home
		sites[i].Run("start")
	}
	var wg sync.WaitGroup
	for i, s := range sites {
		wg.Go(func() {
			if r := s.Try("take", "../downloads/brinework-1.2.0.zip"); r.Status != 0 {
				t.Errorf("take said\n%s%s", r.Out, r.Err)
			}
			if i%2 == 0 {
				if r := s.Try("cache", "--trim", "5kB"); r.Status != 0 {
					t.Errorf("cache said\n%s%s", r.Out, r.Err)
				}
			}
			os.RemoveAll(filepath.Join(s.Dir, "fonts"))
			r := s.Try("refill")
			switch {
			case r.Status == 0 && strings.Contains(r.Out, "2 restored"):
			case r.Status == 1 && strings.Contains(r.Out, "missing: brinework"):
			default:
				t.Errorf("refill, status %d, said\n%s%s", r.Status, r.Out, r.Err)
			}
		})
	}
	wg.Wait()
	for _, s := range sites {
		s.Run("undo")
		s.Run("take", "../downloads/brinework-1.2.0.zip")
		os.RemoveAll(filepath.Join(s.Dir, "fonts"))
		if out := s.Run("refill"); !strings.Contains(out, "2 restored") {
			t.Errorf("refill said\n%s", out)
		}
	}
	if out := first.Run("cache", "--trim", "0"); !strings.Contains(out, "0 entries, 0 B") {
		t.Errorf("the cache was not emptied:\n%s", out)
	}
}

func TestDropSparesWhatIsNeededSharedOrChanged(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	before := s.State()
	s.Fail(1, []string{"brinework needs oarlock", "--even-if-needed"}, "drop", "oarlock")
	if s.State() != before {
		t.Error("a refused drop changed something")
	}
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--files", "css/brinework.min.css", "--as", "brine-look")
	s.Write("js/brinework.min.js", "mine")
	out := s.Run("drop", "brinework")
	if !strings.Contains(out, "brine-look has it too") ||
		!strings.Contains(out, "js/brinework.min.js: it was changed") {
		t.Errorf("drop printed\n%s", out)
	}
	s.Read("fonts/brinework.woff")
	if s.Read("js/brinework.min.js") != "mine" || strings.Contains(s.Read("index.html"), "brinework.min.js") {
		t.Error("drop took too much or too little")
	}
	s.Run("drop", "oarlock", "--even-if-needed")
	s.Run("undo")
	s.Run("undo")
}

// downloads is a download site with ways of its own.
func downloads(t *testing.T) (*httptest.Server, *atomic.Int64) {
	lib, err := demo.Library("oarlock", "2.0.3")
	if err != nil {
		t.Fatal(err)
	}
	b, err := demo.Zip("oarlock-2.0.3", lib)
	if err != nil {
		t.Fatal(err)
	}
	var asked atomic.Int64
	mux := http.NewServeMux()
	var srv *httptest.Server
	mux.HandleFunc("/oarlock-2.0.3.zip", func(w http.ResponseWriter, r *http.Request) { w.Write(b) })
	mux.HandleFunc("/get", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Disposition", `attachment; filename="../../oarlock-2.0.3.zip"`)
		w.Write(b)
	})
	mux.HandleFunc("/latest", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/oarlock-2.0.3.zip", http.StatusFound)
	})
	mux.HandleFunc("/circle", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/circle", http.StatusFound)
	})
	mux.HandleFunc("/plain", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "http://downloads.example/x.zip", http.StatusFound)
	})
	mux.HandleFunc("/busy/oarlock-2.0.3.zip", func(w http.ResponseWriter, r *http.Request) {
		if asked.Load()%3 != 0 {
			w.Header().Set("Retry-After", "0")
			w.WriteHeader(503)
			return
		}
		w.Write(b)
	})
	mux.HandleFunc("/cut/oarlock-2.0.3.zip", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("ETag", `"one"`)
		if from := r.Header.Get("Range"); from != "" && r.Header.Get("If-Range") == `"one"` {
			var n int
			fmt.Sscanf(from, "bytes=%d-", &n)
			w.Header().Set("Content-Range", fmt.Sprintf("bytes %d-%d/%d", n, len(b)-1, len(b)))
			w.WriteHeader(206)
			w.Write(b[n:])
			return
		}
		w.Header().Set("Content-Length", fmt.Sprint(len(b)))
		w.Write(b[:1000])
		w.(http.Flusher).Flush()
		panic(http.ErrAbortHandler)
	})
	mux.HandleFunc("/page.zip", func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, "<!doctype html>log in") })
	srv = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		mux.ServeHTTP(w, r)
	}))
	t.Cleanup(srv.Close)
	return srv, &asked
}

func TestAddresses(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	srv, asked := downloads(t)
	for _, path := range []string{"/oarlock-2.0.3.zip", "/get", "/latest", "/cut/oarlock-2.0.3.zip"} {
		s := merrytest.Club(t)
		s.Run("start")
		out := s.Run("take", srv.URL+path)
		if !strings.Contains(out, "took oarlock 2.0.3") || !strings.Contains(out, "first download") {
			t.Errorf("%s printed\n%s", path, out)
		}
		n := asked.Load()
		os.RemoveAll(filepath.Join(s.Dir, "js", "oarlock.js"))
		s.Run("refill", "--offline")
		s.Run("peek", srv.URL+path, "--offline")
		if asked.Load() != n {
			t.Errorf("%s: what was seen was asked for again", path)
		}
		integrity := out[strings.Index(out, "--integrity ")+12:]
		integrity = integrity[:strings.IndexByte(integrity, '\n')]
		s2 := merrytest.Club(t)
		s2.Run("start")
		if out := s2.Run("take", srv.URL+path, "--integrity", integrity); strings.Contains(out, "first download") {
			t.Errorf("%s is called a first download, with its integrity given:\n%s", path, out)
		}
		s2.Fail(1, []string{"does not have the required bytes", "required:", "it has:"}, "take",
			"../downloads/oarlock-1.4.2.zip", "--as", "old", "--integrity", integrity)
	}
	s := merrytest.Club(t)
	s.Run("start")
	before := s.State()
	for _, tt := range []struct {
		status int
		words  []string
		args   []string
	}{
		{3, []string{"circle"}, []string{"take", srv.URL + "/circle"}},
		{1, []string{"no TLS", "--plain"}, []string{"take", srv.URL + "/plain"}},
		{1, []string{"no TLS"}, []string{"take", "http://downloads.example/oarlock.zip"}},
		{3, []string{"nothing at this address (404)"}, []string{"take", srv.URL + "/nowhere.zip"}},
		{1, []string{"does not begin like a zip"}, []string{"take", srv.URL + "/page.zip"}},
		{3, []string{"--offline"}, []string{"take", srv.URL + "/oarlock-2.0.3.zip", "--offline"}},
		{2, []string{"not an integrity value"}, []string{"take", srv.URL + "/get", "--integrity", "md5-x"}},
	} {
		s.Fail(tt.status, tt.words, tt.args...)
		if s.State() != before {
			t.Fatalf("%v changed something", tt.args)
		}
	}
	asked.Store(0)
	s.Run("take", srv.URL+"/busy/oarlock-2.0.3.zip")
}

// TestOwnCertificates: a server whose certificate nobody here knows is refused, until its authority is in
// the user's settings.
func TestOwnCertificates(t *testing.T) {
	t.Parallel()
	plain, _ := downloads(t)
	srv := httptest.NewTLSServer(plain.Config.Handler)
	defer srv.Close()
	s := merrytest.Club(t)
	s.Run("start")
	s.Env = []string{"MERRY_PATIENCE=1s"}
	s.Fail(3, []string{"certificate"}, "take", srv.URL+"/oarlock-2.0.3.zip")
	var b bytes.Buffer
	pem.Encode(&b, &pem.Block{Type: "CERTIFICATE", Bytes: srv.Certificate().Raw})
	s.Write("harbour.pem", b.String())
	s.Run("sources", "set", "certificates", "harbour.pem")
	s.Run("take", srv.URL+"/oarlock-2.0.3.zip")
}

func TestNotesAreSafeToPrint(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, text := range map[string]string{"x.js": "var x = 1;\n", "README.md": "# x\x1b[2J\n\n```html\n" +
		"<script src=\"x.js\"></script>\n```\n", "LICENSE": "MIT\x07\n"} {
		f, _ := w.Create("x-1.0.0/" + name)
		f.Write([]byte(text))
	}
	w.Close()
	s.Write("x-1.0.0.zip", b.String())
	out := s.Run("peek", "x-1.0.0.zip", "--notes")
	if strings.ContainsAny(out, "\x1b\x07") || !strings.Contains(out, `\u001b[2J`) ||
		!strings.Contains(out, "LICENSE") {
		t.Errorf("notes printed %q", out)
	}
	if out := s.Run("peek", "x-1.0.0.zip", "--start"); !strings.Contains(out, `<script src="x.js">`) ||
		strings.Contains(out, "# x") {
		t.Errorf("start printed %q", out)
	}
	s.Fail(1, []string{"no readme"}, "peek", "js/club.js", "--notes")
}

func TestDownloadsByNumber(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Write("../downloads/holiday.zip", "not a library")
	out := s.Run("peek", "--downloads", "../downloads")
	if !strings.Contains(out, "oarlock-2.0.3.zip") || strings.Contains(out, "holiday") {
		t.Errorf("peek listed\n%s", out)
	}
	var number string
	for line := range strings.Lines(out) {
		if f := strings.Fields(line); len(f) > 1 && f[1] == "brinework-1.2.0.zip" {
			number = f[0]
		}
	}
	s.Env = []string{"XDG_DOWNLOAD_DIR=" + filepath.Join(s.Dir, "../downloads")}
	if out := s.Run("take", number); !strings.Contains(out, "took brinework 1.2.0") {
		t.Errorf("take %s printed\n%s", number, out)
	}
	s.Fail(2, []string{"no download 9"}, "take", "9")
}

// TestOptions: a core with parts and a slim build beside it.
func TestOptions(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	core := "(function () {\n  window.chart = {\n    draw: function () {\n      return 1;\n    }\n  };\n})();\n"
	for name, text := range map[string]string{
		"dist/chart.js":        strings.Repeat("// drawing\n", 30) + core + strings.Repeat("var a = 1;\n", 30),
		"dist/chart.slim.js":   core,
		"dist/chart-legend.js": "chart.legend = function () {\n  return 2;\n};\n",
		"dist/chart.cjs.js":    "module.exports = require('./x');\n",
		"dist/chart.esm.js":    "export const chart = 1;\n",
		"dist/chart.css":       ".chart {\n  color: red;\n}\n",
		"dist/themes/dark.css": ".chart {\n  color: black;\n}\n",
		"src/chart.js":         "export const x = 1;\n",
		"test/chart.test.js":   "chart.draw();\n",
		"package.json":         `{"name":"chart","version":"1.0.0","main":"dist/chart.cjs.js"}`,
	} {
		s.Write("chart/"+name, text)
	}
	out := s.Run("peek", "chart")
	for _, want := range []string{"slim    instead", "legend  with it", "dark    theme",
		"for chart.js: it needs chart"} {
		if !strings.Contains(out, want) {
			t.Errorf("peek does not say %q:\n%s", want, out)
		}
	}
	s.Run("take", "chart", "--part", "legend", "--part", "slim", "--page", "index.html")
	page := s.Read("index.html")
	if !strings.Contains(page, "js/chart.slim.js\"></script>\n  <script src=\"js/chart-legend.js") ||
		strings.Contains(page, "chart.js\"") {
		t.Errorf("the page is\n%s", page)
	}
	s.Fail(1, []string{"no such part", "legend, slim, dark"}, "take", "chart", "--part", "nothing")
}

// TestRememberedIsTheSame: what is remembered of an archive says the same as looking into it: all rows, the suggestion,
// the reasons, the options, and what take brings.
func TestRememberedIsTheSame(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, r := merrytest.Registered(t)
	var long strings.Builder // what does not compress, to make the archive worth remembering
	for i := range 6000 {
		sum := sha256.Sum256([]byte{byte(i), byte(i >> 8)})
		fmt.Fprintf(&long, "// %x\n", sum)
	}
	files := map[string][]byte{
		"package.json": []byte(`{"name": "bollard", "version": "1.0.0", "license": "MIT", "devDependencies": ` +
			`{"oarlock": "^2.0.0"}}`),
		"README.md": []byte("# bollard\n\n```html\n<link href=\"dist/harbour.css\">\n" +
			"<script src=\"dist/quay.js\"></script>\n```\n"),
		"dist/quay.js": []byte("window.quay = { icon: 'pin.png' };\n"), "dist/jetty.js": []byte("window.jetty = 1;\n" +
			"window.larger = 'than the other by far';\n"), "dist/quay.min.js": []byte("window.quay={icon:'pin.png'};"),
		"dist/harbour.css": []byte("a {\n  background: url(images/layer.png);\n}\n"), "dist/wharf.css": []byte("a {\n" +
			"  color: red;\n}\n\nb {\n  color: blue;\n}\n"), "dist/images/layer.png": []byte("x"),
		"dist/images/pin.png": []byte("x"),
		"dist/quay.js.map":    []byte(`{"version":3}`), "src/parts.js": []byte(long.String()),
		"dist/plugin.js": []byte("quay.fn = { turn: 1 };\n"), "dist/module.mjs": []byte("export const quay = 1;\n"),
	}
	if err := r.Publish("bollard", "1.0.0", files); err != nil {
		t.Fatal(err)
	}
	zipped := map[string]string{}
	for name, b := range files {
		zipped["bollard/"+name] = string(b)
	}
	sources := []string{"bollard", s.Archive("bollard-1.0.0.zip", zipped)}
	for _, source := range sources {
		for _, command := range [][]string{{"peek", source, "--json"}, {"peek", source, "--all"},
			{"take", source, "--dry-run", "--json", "--page", "tides.html"}} {
			os.RemoveAll(filepath.Join(s.Home, ".merry/cache"))
			first := s.Run(command...)
			for range 2 {
				if again := s.Run(command...); again != first {
					t.Fatalf("%v says\n%s\nand again\n%s", command, first, again)
				}
			}
		}
		if out := s.Run("peek", source); !strings.Contains(out, "dist/images/pin.png") ||
			!strings.Contains(out, "its readme shows it") {
			t.Errorf("peek %s says\n%s", source, out)
		}
	}
}

// TestLargeDeliveries: of a package of many megabytes not every script is read, but what is suggested always is.
func TestLargeDeliveries(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Club(t)
	files := map[string]string{}
	for _, name := range []string{"bow", "mid", "tail"} {
		files["hull/parts/"+name+".js"] = strings.Repeat("// a line of a long comment\n", 130_000) + "window." + name +
			" = 1;\n"
	}
	for i := range 20 {
		files[fmt.Sprintf("hull/es/m%02d.js", i)] = "export const m = 1;\n"
		files[fmt.Sprintf("hull/lib/m%02d.js", i)] = "exports.m = require('./x');\n"
		files[fmt.Sprintf("hull/tongues/m%02d.js", i)] = "window.bow = 1; window.m = 1;\n"
	}
	out := s.Run("peek", s.Archive("hull-1.0.0.zip", files))
	if _, offered, _ := strings.Cut(out, "--part NAME"); !strings.Contains(offered, "tongues") ||
		strings.Count(offered, " many ") != 1 {
		t.Errorf("it offers\n%s", offered)
	}
	if !strings.Contains(out, "defines") {
		t.Errorf("what is suggested was not read:\n%s", out)
	}
}

// TestCatalogues: a folder of a dozen languages and more is one choice. Taken whole its files are kept, from the script
// as the makers have them, and without tags; one of them is taken with its tag.
func TestCatalogues(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Write("log.html", merrytest.PlainPage)
	build := func(version string) string {
		files := map[string]string{"logline/dist/logline.js": "var logline = {\n  tongues: {},\n" +
			"  version: '" + version + "'\n};\n", "logline/dist/logline-extra.js": "logline.extra = 1;\n",
			"logline/dist/tongues/deep/ex.js": "logline.tongues.ex = {};\n"}
		for i := range 20 {
			files[fmt.Sprintf("logline/dist/tongues/t%02d.js", i)] = fmt.Sprintf(
				"logline.tongues.t%d = {yes: 'y%d'};\n", i, i)
		}
		return s.Archive("logline-"+version+".zip", files)
	}
	source := build("1.0.0")
	out := s.Run("peek", source)
	_, offered, _ := strings.Cut(out, "or, with --part NAME")
	if strings.Count(offered, "t0") > 2 || !strings.Contains(offered, "tongues") ||
		!strings.Contains(offered, "21 files for logline.js") || !strings.Contains(offered, "extra") {
		t.Errorf("peek says\n%s", out)
	}
	if strings.Contains(out, "t07.js") || !strings.Contains(out, "and 20 more") ||
		!strings.Contains(s.Run("peek", source, "--all"), "t07.js") ||
		!strings.Contains(s.Run("peek", source, "--json"), "t07.js") {
		t.Errorf("the rows of a catalogue are\n%s", out)
	}
	before := s.State()
	s.Run("take", source, "--part", "tongues", "--page", "log.html")
	s.Read("js/tongues/t07.js")
	s.Read("js/tongues/deep/ex.js")
	if page := s.Read("log.html"); strings.Contains(page, "tongues") || !strings.Contains(page, "js/logline.js") {
		t.Errorf("the page is\n%s", page)
	}
	if list := s.Read("crate.yaml"); !strings.Contains(list, "dist/tongues/**") || strings.Contains(list, "t07") {
		t.Errorf("the packing list is\n%s", list)
	}
	s.Run("check", "log.html")
	s.Run("repin", "logline", "--from", build("1.0.1"))
	if page := s.Read("log.html"); strings.Contains(page, "tongues") || !strings.Contains(s.Read("js/logline.js"),
		"1.0.1") {
		t.Errorf("after repin the page is\n%s", page)
	}
	s.Read("js/tongues/t19.js")
	s.Run("undo")
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}
	s.Run("take", source, "--part", "tongues/t03", "--page", "log.html")
	if page := s.Read("log.html"); !strings.Contains(page, "t03.js") || strings.Contains(page, "t04") {
		t.Errorf("the page is\n%s", page)
	}
	s.Run("check", "log.html")
}
