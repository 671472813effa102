package shown

import (
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// rigging are made-up libraries of modules: one that imports another by its name, and a file of it.
var rigging = map[string]map[string]string{
	"rig-2.0.0.zip": {"package.json": `{"name":"rig","version":"2.0.0","type":"module","exports":{".":{"import":"./` +
		`dist/rig.js","require":"./dist/rig.cjs"},"./mast":"./dist/mast.js","./sails/*":"./sails/*.js"}}`,
		"dist/rig.js":  "import { mast } from './mast.js';\nexport function rig() { return 'rig of ' + mast; }\n",
		"dist/mast.js": "export const mast = 'oak';\n", "dist/rig.cjs": "module.exports = {}"},
	"rig-3.0.0.zip": {"package.json": `{"name":"rig","version":"3.0.0","type":"module","exports":{".":"./dist/` +
		`rig.js","./mast":"./dist/mast.js"}}`,
		"dist/rig.js":  "import { mast } from './mast.js';\nexport function rig() { return 'new rig of ' + mast; }\n",
		"dist/mast.js": "export const mast = 'ash';\n"},
	"buoy-1.0.0.zip": {"package.json": `{"name":"buoy","version":"1.0.0","type":"module","module":"dist/buoy.js",` +
		`"dependencies":{"rig":"^2.0.0"}}`,
		"dist/buoy.js": "import { rig } from 'rig';\nimport { mast } from 'rig/mast';\nglobalThis.buoy = rig() + ' " +
			"and ' + mast;\nexport default globalThis.buoy;\n"},
}

// moored is a site with a page of its own, with these libraries taken.
func moored(t *testing.T) *merrytest.Site {
	t.Helper()
	s := merrytest.Club(t)
	for name, files := range rigging {
		s.Archive(name, files)
	}
	s.Write("log.html", "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n"+
		"  <meta name=\"viewport\" content=\"width=device-width\">\n  <title>Log</title>\n"+
		"  <link rel=\"icon\" href=\"img/gull.svg\">\n</head>\n<body>\n</body>\n</html>\n")
	s.Run("start")
	s.Run("take", "../downloads/rig-2.0.0.zip")
	return s
}

// fresh serves a site as it is, so that a browser keeps nothing.
func fresh(s *merrytest.Site) *httptest.Server {
	return httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
}

// TestImportMapsFollow: the page's import map leads to the crate's files through every command, and back; a browser
// imports what it should.
func TestImportMapsFollow(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := moored(t)
	cdn := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.Split(strings.TrimPrefix(r.URL.Path, "/"), "/")
		text := rigging[name[0]+"-"+name[1]+".zip"][strings.Join(name[2:], "/")]
		w.Header().Set("Access-Control-Allow-Origin", "*")
		w.Header().Set("Content-Type", "text/javascript")
		w.Write([]byte(text))
	}))
	defer cdn.Close()
	s.Run("sources", "set", "host", "quay.example", cdn.Listener.Addr().String())
	s.Run("sources", "set", "cdn", "quay", "http://quay.example/{name}/{version}/{path}")
	ctx = merrytest.Browser(t, merrytest.Hosts{"quay.example": cdn.Listener.Addr().String()})
	server := fresh(s)
	defer server.Close()
	works := func(when, want string) {
		t.Helper()
		console, failed, value := merrytest.Visit(t, ctx, server.URL+"/log.html", "globalThis.buoy")
		if value != want || len(console)+len(failed) > 0 {
			t.Errorf("%s: %v, want %s; console %q, failed %q\n%s", when, value, want, console, failed,
				s.Read("log.html"))
		}
		if r := s.Try("check", "log.html"); r.Status != 0 && !strings.Contains(r.Out, "1 page: 0 errors, 1 warning") {
			t.Errorf("%s check says\n%s", when, r.Out)
		}
	}
	bare := s.Read("log.html")
	s.Run("take", "../downloads/buoy-1.0.0.zip", "--page", "log.html")
	local := s.Read("log.html")
	if !strings.Contains(local, "  <script type=\"importmap\">\n  {\n    \"imports\": {\n"+
		"      \"rig\": \"./js/rig.js\",\n      \"rig/mast\": \"./js/mast.js\"\n    }\n  }\n  </script>\n") {
		t.Errorf("the page is\n%s", local)
	}
	works("taken", "rig of oak and oak")
	if out := s.Try("check").Out; strings.Contains(out, "rig") {
		t.Errorf("check says\n%s", out)
	}
	s.Run("switch", "--cdn")
	linked := s.Read("log.html")
	if strings.Count(linked, "http://quay.example/rig/2.0.0/dist/rig.js") != 2 ||
		!strings.Contains(linked, `"integrity": {`) || strings.Count(linked, "sha384-") != 3 {
		t.Errorf("the page is\n%s", linked)
	}
	works("linked", "rig of oak and oak")
	s.Run("switch", "--local")
	if got := s.Read("log.html"); got != local {
		t.Errorf("there and back is\n%s\nwant\n%s", got, local)
	}
	s.Run("move", "rig:dist", "vendor/rig")
	if got := s.Read("log.html"); !strings.Contains(got, `"rig": "./vendor/rig/rig.js"`) {
		t.Errorf("moved, the page is\n%s", got)
	}
	works("moved", "rig of oak and oak")
	s.Run("move", "log.html", "crews/log.html")
	if got := s.Read("crews/log.html"); !strings.Contains(got, `"rig": "../vendor/rig/rig.js"`) {
		t.Errorf("the page moved, it is\n%s", got)
	}
	s.Run("undo")
	s.Run("undo")
	s.Run("repin", "rig@3.0.0", "--from", "../downloads/rig-3.0.0.zip")
	works("up a version", "new rig of ash and ash")
	s.Run("undo")
	s.Run("omit", "buoy", "--page", "log.html")
	if got := s.Read("log.html"); got != bare {
		t.Errorf("omitted, the page is\n%s", got)
	}
	s.Run("undo")
	s.Run("drop", "buoy")
	s.Run("drop", "rig")
	if got := s.Read("log.html"); got != bare {
		t.Errorf("dropped, the page is\n%s", got)
	}
}

// TestModulesWithTheirNeeds: what modules import by name comes from the registry, over several levels, without tags;
// the page works, and what is not there is reported before.
func TestModulesWithTheirNeeds(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := moored(t)
	r := s.Register()
	for name, files := range map[string]map[string]string{
		"@gull/hoist@1.2.0": {"package.json": `{"name":"@gull/hoist","version":"1.2.0","type":"module","exports":"./` +
			`hoist.js","dependencies":{"@gull/sheave":"^1.0.0","bollard":"1.x"}}`, "hoist.js": "import sheave from " +
			"'@gull/sheave';\nimport { bollard } from 'bollard/lib/bollard.js';\nglobalThis.buoy = sheave + " +
			"bollard;\n"},
		"@gull/sheave@1.0.4": {"package.json": `{"name":"@gull/sheave","version":"1.0.4","type":"module","module":` +
			`"src/index.js","dependencies":{"bollard":"^1.1.0"}}`, "src/index.js": "import { bollard } from " +
			"'bollard';\nimport './pin.js';\nexport default 'sheave on ' + bollard;\n", "src/pin.js": "export {}\n"},
		"bollard@1.1.3": {"package.json": `{"name":"bollard","version":"1.1.3","exports":{".":{"browser":` +
			`{"import":"./lib/bollard.js"},"default":"./lib/bollard.cjs"},"./lib/*":"./lib/*"}}`,
			"lib/bollard.js": "export const bollard = 'iron';\n", "lib/bollard.cjs": "exports.bollard = 1"},
	} {
		at := strings.LastIndexByte(name, '@')
		bytes := map[string][]byte{}
		for file, text := range files {
			bytes[file] = []byte(text)
		}
		if err := r.Publish(name[:at], name[at+1:], bytes); err != nil {
			t.Fatal(err)
		}
	}
	out := s.Run("take", "@gull/hoist", "--page", "log.html", "--dry-run")
	if !strings.Contains(out, "imports @gull/sheave by name") && !strings.Contains(out, "importmap") {
		t.Errorf("take says\n%s", out)
	}
	s.Run("take", "@gull/hoist", "--with-needs", "--page", "log.html")
	page := s.Read("log.html")
	if strings.Count(page, "<script src") != 1 ||
		!strings.Contains(page, `"bollard/lib/bollard.js": "./js/bollard.js"`) {
		t.Errorf("the page is\n%s", page)
	}
	server := fresh(s)
	defer server.Close()
	console, failed, value := merrytest.Visit(t, ctx, server.URL+"/log.html", "globalThis.buoy")
	if value != "sheave on ironiron" || len(console)+len(failed) > 0 {
		t.Errorf("%v, console %q, failed %q\n%s", value, console, failed, page)
	}
	if r := s.Try("check", "log.html"); r.Status != 0 {
		t.Errorf("check says\n%s", r.Out)
	}
}

// TestRandomModules: whatever commands come in whatever sequence, every name that a page's modules import and that the
// crate has leads to a file of it, check says nothing of maps, and undo leads back to the first byte.
func TestRandomModules(t *testing.T) {
	t.Parallel()
	for seed := range trials.Rounds(3, 60) {
		r := rand.New(rand.NewPCG(uint64(seed), 18))
		s := moored(t)
		cdn := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			name := strings.Split(strings.TrimPrefix(r.URL.Path, "/"), "/")
			w.Write([]byte(rigging[name[0]+"-"+name[1]+".zip"][strings.Join(name[2:], "/")]))
		}))
		s.Run("sources", "set", "host", "quay.example", cdn.Listener.Addr().String())
		s.Run("sources", "set", "cdn", "quay", "http://quay.example/{name}/{version}/{path}")
		s.Write("js/own.js", "import { rig } from 'rig';\nexport default rig;\n")
		s.Replace("log.html", "</body>", "<script type=\"module\" src=\"js/own.js\"></script>\n</body>")
		s.Run("include", "rig", "--page", "log.html")
		states := []string{s.State()}
		var done []string
		commands := []string{"take ../downloads/buoy-1.0.0.zip --page log.html", "include rig --page log.html",
			"include buoy --page log.html", "omit buoy --page log.html", "omit rig --page log.html", "switch --cdn",
			"switch --local",
			"switch rig --cdn", "switch buoy --local", "switch --cdn --page log.html", "move rig:dist vendor/rig",
			"move vendor/rig lib/rig", "move js/own.js js/own/own.js", "move log.html crews/log.html",
			"move crews/log.html log.html",
			"repin rig@3.0.0 --from ../downloads/rig-3.0.0.zip", "repin rig@2.0.0 --from ../downloads/rig-2.0.0.zip",
			"drop buoy", "order ** --fix", "check --fix", "settle", "refill"}
		for range 12 {
			command := commands[r.IntN(len(commands))]
			if out := s.Try(strings.Fields(command)...); out.Status > 3 {
				t.Fatalf("seed %d: merry %s after %q: status %d\n%s%s", seed, command, done, out.Status, out.Out,
					out.Err)
			}
			done = append(done, command)
			if now := s.State(); now != states[len(states)-1] {
				states = append(states, now)
			}
			out := s.Try("check", "--no-rehearse").Out
			for _, wrong := range []string{"import-", "leads-nowhere", "file-missing", "sealed-", "link-unsealed",
				"link-stale"} {
				if strings.Contains(out, wrong) {
					t.Fatalf("seed %d: after %q check says\n%s\n%s", seed, done, out, page(s))
				}
			}
		}
		for i := len(states) - 2; i >= 0; i-- {
			s.Run("undo")
			if s.State() != states[i] {
				t.Fatalf("seed %d: after %q undo does not lead back at step %d", seed, done, i)
			}
		}
		cdn.Close()
	}
}

// page is the page of the log, wherever it lies.
func page(s *merrytest.Site) string {
	for _, name := range []string{"log.html", "crews/log.html"} {
		if b, err := os.ReadFile(filepath.Join(s.Dir, name)); err == nil {
			return string(b)
		}
	}
	return ""
}

// TestImportMapsOfOthers: of a map that somebody wrote only the crate's names are touched, in its own layout; own
// modules' names are met; a map that is none is reported and left alone.
func TestImportMapsOfOthers(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := moored(t)
	const own = "<script type=\"importmap\">{\"imports\" : {\"chart\": \"./js/chart.js\" ,\n" +
		"\t\"helm/\": \"/js/helm/\"}, \"scopes\": {\"/old/\": {\"rig\": \"./js/old.js\"}}}</script>"
	s.Write("js/chart.js", "export const chart = 1;\n")
	s.Write("js/log.js", "import { rig } from 'rig';\nimport { chart } from 'chart';\nglobalThis.buoy = rig() "+
		"+ chart;\n")
	s.Replace("log.html", "</head>", own+"\n</head>")
	s.Replace("log.html", "</body>", "<script type=\"module\" src=\"js/log.js\"></script>\n</body>")
	if r := s.Try("check", "log.html"); !strings.Contains(r.Out, `no import map on log.html resolves "rig"`) {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("include", "rig", "--page", "log.html")
	want := strings.Replace(own, "\"/js/helm/\"}", "\"/js/helm/\",\n\t\"rig\": \"./js/rig.js\"}", 1)
	if got := s.Read("log.html"); !strings.Contains(got, want) {
		t.Errorf("the map is\n%s\nwant\n%s", got, want)
	}
	server := fresh(s)
	defer server.Close()
	console, failed, value := merrytest.Visit(t, ctx, server.URL+"/log.html", "globalThis.buoy")
	if value != "rig of oak1" || len(console)+len(failed) > 0 {
		t.Errorf("%v %q %q", value, console, failed)
	}
	s.Replace("log.html", "\"/js/helm/\"", "\"/js/helm/\",\n\t\"mine\": \"./js/rig.js\"")
	want = strings.Replace(want, "\"/js/helm/\"", "\"/js/helm/\",\n\t\"mine\": \"./js/rig.js\"", 1)
	s.Run("omit", "rig", "--page", "log.html")
	if got := s.Read("log.html"); !strings.Contains(got, want) {
		t.Errorf("a name that is still imported was taken off:\n%s", got)
	}
	s.Run("undo")
	s.Replace("log.html", ",\n\t\"mine\": \"./js/rig.js\"", "")
	s.Run("undo")
	if got := s.Read("log.html"); !strings.Contains(got, own) {
		t.Errorf("undone, the map is\n%s", got)
	}
	s.Replace("log.html", "\"/js/helm/\"}", "\"/js/helm/\",}")
	before := s.Read("log.html")
	r := s.Try("check", "log.html")
	if !strings.Contains(r.Out, "import-map-broken") || !strings.Contains(r.Out, "log.html:9:") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("include", "rig", "--page", "log.html")
	s.Run("omit", "rig", "--page", "log.html")
	if s.Read("log.html") != before {
		t.Errorf("a map that is none was edited:\n%s", s.Read("log.html"))
	}
	if b, err := os.ReadFile(filepath.Join(s.Dir, "crate.seal.json")); err != nil ||
		!strings.Contains(string(b), `"imports": {"rig":"dist/rig.js","rig/mast":"dist/mast.js"}`) {
		t.Errorf("%v: the seal is\n%s", err, b)
	}
}

// TestTwoVersionsOfOnePackage: where the ranges of two libraries allow no version for both, each imports its own, local
// and linked, and everything leads back.
func TestTwoVersionsOfOnePackage(t *testing.T) {
	t.Parallel()
	merrytest.Browser(t)
	s := moored(t)
	packages := map[string]map[string]string{
		"winch@1.4.0": {"package.json": `{"name":"winch","version":"1.4.0","type":"module","exports":{".":"./` +
			`winch.js","./drum":"./drum.js"}}`, "winch.js": "import drum from './drum.js';\n" +
			"export default 'old winch " +
			"with ' + drum;\n", "drum.js": "export default 'old drum';\n"},
		"winch@2.1.0": {"package.json": `{"name":"winch","version":"2.1.0","type":"module","exports":{".":"./` +
			`winch.js","./drum":"./drum.js"}}`, "winch.js": "import drum from './drum.js';\n" +
			"export default 'new winch " +
			"with ' + drum;\n", "drum.js": "export default 'new drum';\n"},
		"hoist@1.0.0": {"package.json": `{"name":"hoist","version":"1.0.0","type":"module","exports":"./hoist.js",` +
			`"dependencies":{"winch":"^2.0.0"}}`, "hoist.js": "import winch from 'winch';\n" +
			"globalThis.buoy = [winch];\n"},
		"gaff@1.0.0": {"package.json": `{"name":"gaff","version":"1.0.0","type":"module","exports":"./gaff.js",` +
			`"dependencies":{"winch":"~1.4.0"}}`, "gaff.js": "import winch from 'winch';\n" +
			"import drum from 'winch/drum';\nglobalThis.buoy.push(winch, drum);\n"},
	}
	r := s.Register()
	for name, files := range packages {
		bytes := map[string][]byte{}
		for file, text := range files {
			bytes[file] = []byte(text)
		}
		at := strings.LastIndexByte(name, '@')
		if err := r.Publish(name[:at], name[at+1:], bytes); err != nil {
			t.Fatal(err)
		}
	}
	cdn := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := strings.Split(strings.TrimPrefix(r.URL.Path, "/"), "/")
		w.Header().Set("Access-Control-Allow-Origin", "*")
		w.Header().Set("Content-Type", "text/javascript")
		w.Write([]byte(packages[name[0]+"@"+name[1]][strings.Join(name[2:], "/")]))
	}))
	defer cdn.Close()
	s.Run("sources", "set", "host", "quay.example", cdn.Listener.Addr().String())
	s.Run("sources", "set", "cdn", "quay", "http://quay.example/{name}/{version}/{path}")
	ctx := merrytest.Browser(t, merrytest.Hosts{"quay.example": cdn.Listener.Addr().String()})
	server := fresh(s)
	defer server.Close()
	works := func(when string) {
		t.Helper()
		console, failed, value := merrytest.Visit(t, ctx, server.URL+"/log.html", "globalThis.buoy?.join(', ')")
		if value != "new winch with new drum, old winch with old drum, old drum" || len(console)+len(failed) > 0 {
			t.Errorf("%s: %v; console %q, failed %q\n%s", when, value, console, failed, s.Read("log.html"))
		}
		if r := s.Try("check", "log.html"); strings.Contains(r.Out, "error  ") || strings.Contains(r.Out, "import-") {
			t.Errorf("%s check says\n%s", when, r.Out)
		}
	}
	bare := s.Read("log.html")
	s.Run("take", "hoist", "--with-needs", "--page", "log.html")
	s.Run("take", "gaff", "--with-needs", "--page", "log.html")
	if list := s.Read("crate.yaml"); !strings.Contains(list, "winch-1:") || !strings.Contains(list, "winch:") {
		t.Errorf("the packing list is\n%s", list)
	}
	local := s.Read("log.html")
	if !strings.Contains(local, "\"scopes\": {\n      \"./js/gaff.js\": { \"winch\": ") {
		t.Errorf("the page is\n%s", local)
	}
	works("local")
	s.Run("switch", "--cdn")
	if strings.Contains(s.Read("log.html"), "\"./js/gaff.js\"") {
		t.Errorf("linked, the page is\n%s", s.Read("log.html"))
	}
	works("linked")
	s.Run("switch", "--local")
	if got := s.Read("log.html"); got != local {
		t.Errorf("there and back is\n%s\nwant\n%s", got, local)
	}
	s.Run("move", "gaff", "lib/gaff")
	works("moved")
	s.Run("undo")
	for _, name := range []string{"gaff", "winch-1", "hoist", "winch"} {
		s.Run("drop", name)
	}
	if got := s.Read("log.html"); got != bare {
		t.Errorf("dropped, the page is\n%s", got)
	}
}
