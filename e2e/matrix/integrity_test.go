package matrix

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// hashesFor are values of integrity attributes, as people and tools write them, for some bytes.
func hashesFor(b []byte) []string {
	of := func(name string, b []byte) string {
		sum := map[string][]byte{"sha256": sum256(b), "sha384": sum384(b), "sha512": sum512(b)}[name]
		return name + "-" + base64.StdEncoding.EncodeToString(sum)
	}
	other := []byte("other")
	right, short := of("sha384", b), of("sha256", b)
	return []string{right, of("sha384", other), right[:40], strings.TrimRight(short, "="), short[:30],
		"sha256-" + strings.NewReplacer("+", "-", "/", "_").Replace(short[7:]), "SHA384-" + right[7:],
		"SHA384-" + of("sha384", other)[7:], "sha1-abc", "hello", of("sha384", other) + " " + right,
		of("sha512", other) + " " + right, of("sha512", b)[:50] + " " + right, "md5-abc " + of("sha384", other),
		"  " + right + "  ", right + " " + of("sha512", b)}
}

func sum256(b []byte) []byte { s := sha256.Sum256(b); return s[:] }
func sum384(b []byte) []byte { s := sha512.Sum384(b); return s[:] }
func sum512(b []byte) []byte { s := sha512.Sum512(b); return s[:] }

// TestIntegrityAgainstABrowser: check has an error exactly where a browser refuses a file, in tags, modules, hints and
// import maps; and a warning where a browser passes the value over.
func TestIntegrityAgainstABrowser(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	files := map[string]string{"js/plain.js": "window.ran = 1;\n", "js/part.js": "export const a = 1;\n",
		"css/plain.css": "p { color: navy; }\n"}
	s.Run("start")
	forms := []struct{ file, markup string }{
		{"js/plain.js", `<script src="FILE" integrity="HASH"></script>`},
		{"css/plain.css", `<link rel="stylesheet" href="FILE" integrity="HASH">`},
		{"js/part.js", `<script type="module" src="FILE" integrity="HASH"></script>`},
		{"js/part.js", `<script type="importmap">{"imports": {"part": "./FILE"}, "integrity": {"./FILE": ` +
			`"HASH"}}</script>` +
			`<script type="module">import "part";</script>`},
		{"js/part.js", `<link rel="modulepreload" href="FILE" integrity="HASH"><script type="module" ` +
			`src="FILE"></script>`},
		{"js/plain.js", `<link rel="preload" as="script" href="FILE" integrity="HASH"><script src="FILE"></script>`},
	}
	var pages, what []string
	for n, form := range forms {
		for m, hash := range hashesFor([]byte(files[form.file])) {
			name := fmt.Sprintf("hash-%d-%02d.html", n, m)
			// A browser keeps files for pages that are open beside each other, so each page has its own.
			file := strings.Replace(form.file, ".", fmt.Sprintf("-%d-%02d.", n, m), 1)
			s.Write(file, files[form.file])
			markup := strings.NewReplacer("HASH", hash, "FILE", file).Replace(form.markup)
			s.Write(name, strings.Replace(merrytest.PlainPage, "</head>", `<link rel="icon" href="data:,">`+
				markup+"</head>", 1))
			pages, what = append(pages, name), append(what, markup)
		}
	}
	var report struct {
		Findings []struct{ Name, Severity, File string }
	}
	if err := json.Unmarshal([]byte(s.Try("check", "hash-*.html", "--rehearse", "--json", "--all").Out),
		&report); err != nil {
		t.Fatal(err)
	}
	refused, passed := map[string]bool{}, map[string]bool{}
	for _, f := range report.Findings {
		refused[f.File] = refused[f.File] || f.Severity == "error"
		passed[f.File] = passed[f.File] || f.Name == "integrity-unheeded"
	}
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	wrong, broken := 0, 0
	for i, seen := range merrytest.VisitAll(t, merrytest.Browser(t), addressesOf(server.URL, pages), "1") {
		console := strings.Join(append(seen.Console, seen.Failed...), "; ")
		ignored := strings.Contains(console, "Error parsing 'integrity'")
		refuses := strings.Contains(console, "Failed to find a valid digest") || strings.Contains(console, "digest "+
			"in the")
		if refuses {
			broken++
		}
		if refuses != refused[pages[i]] || ignored && !refuses && !passed[pages[i]] &&
			!strings.Contains(what[i], "md5-abc") {
			wrong++
			t.Errorf("%s\nthe browser says %q\ncheck: error %v, passed over %v", what[i], console, refused[pages[i]],
				passed[pages[i]])
		}
	}
	t.Logf("%d pages with integrity, %d refused, %d differ", len(pages), broken, wrong)
	if broken < 20 {
		t.Errorf("the browser refused only %d", broken)
	}
}
