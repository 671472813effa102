package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/policy"
	"merrycrate.example/merry/internal/merrytest"
)

// hashOfMap is the source expression for the first import map of a page.
func hashOfMap(t *testing.T, s *merrytest.Site, name string) string {
	t.Helper()
	_, rest, has := strings.Cut(s.Read(name), `<script type="importmap">`)
	if !has {
		t.Fatalf("%s has no import map:\n%s", name, s.Read(name))
	}
	text, _, _ := strings.Cut(rest, "</script>")
	return policy.HashOf(text)
}

// TestHashesFollowMaps: what changes an import map writes its new hash into the page's policy and files of headers; the
// hash of a map that another page still has stays, and undo brings all back.
func TestHashesFollowMaps(t *testing.T) {
	t.Parallel()
	s := sailing(t)
	s.Write("jetty.html", s.Read("index.html"))
	s.Write("crate.yaml", s.Read("crate.yaml")+"headers: [_headers]\n")
	was := hashOfMap(t, s, "index.html")
	inline := policy.HashOf(strings.Split(strings.Split(s.Read("index.html"), `<script type="module">`)[1],
		"</script>")[0])
	s.Write("_headers", "/*\n  Content-Security-Policy: script-src 'self' "+was+" "+inline+"\n")
	s.Replace("jetty.html", "  <title>", "  <meta http-equiv=\"Content-Security-Policy\" content=\"script-src 'self' "+
		was+" "+inline+"\">\n  <title>")
	before := s.State()
	out := s.Run("repin", "sails@3.0.0", "--from", "../downloads/sails-3.0.0.zip")
	now := hashOfMap(t, s, "index.html")
	if now == was {
		t.Fatal("the map did not change")
	}
	if headers := s.Read("_headers"); strings.Contains(headers, was) || !strings.Contains(headers, now) ||
		!strings.Contains(headers, inline) {
		t.Errorf("the headers are\n%s", headers)
	}
	if !strings.Contains(out, "_headers") || strings.Contains(out, "forbids") {
		t.Errorf("repin says\n%s", out)
	}
	if page := s.Read("jetty.html"); strings.Contains(page, was) || !strings.Contains(page, now) {
		t.Errorf("the page with a policy is\n%s", page)
	}
	if r := s.Try("check", "--json"); strings.Contains(r.Out, "policy-forbids") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	if s.State() != before {
		t.Error("undo does not lead back")
	}

	// a page that no command changes keeps its map, so that both hashes are needed
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "format:", "exclude: [jetty.html]\nformat:", 1))
	s.Write("_headers", "/*\n  Content-Security-Policy: script-src 'self'\n")
	out = s.Run("repin", "sails@3.0.0", "--from", "../downloads/sails-3.0.0.zip")
	if now := hashOfMap(t, s, "index.html"); !strings.Contains(out, "add "+now+" to script-src") {
		t.Errorf("repin does not name the hash %s:\n%s", now, out)
	}
}

// demandsOf are ways in which pages demand the integrity of a script, a stylesheet and a module of their own.
var demandsOf = []string{`<script src="js/plain.js" integrity="PLAIN"></script>`,
	`<link rel="stylesheet" href="css/plain.css" integrity="SHEET">`,
	`<script type="module" src="js/part.js" integrity='PART'></script>`,
	`<link rel="modulepreload" href="js/part.js" integrity="PART"><script type="module" src="js/part.js"></script>`,
	`<link rel="preload" as="script" href="js/plain.js" integrity=PLAIN><script src="js/plain.js"></script>`,
	`<script type="importmap">{"imports": {"part": "./js/part.js"}, "integrity": {"./js/part.js": "PART"}}</script>` +
		`<script type="module">import "part";</script>`}

// TestFixRenewsIntegrity: check --fix writes right hashes in tags, hints and import maps, drops none, and leaves right
// ones as they are; check and seal --check say the same of every page before and after.
func TestFixRenewsIntegrity(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	files := map[string]string{"js/plain.js": "window.ran = 1;\n", "js/part.js": "export const a = 1;\n",
		"css/plain.css": "p { color: navy; }\n"}
	for name, text := range files {
		s.Write(name, text)
	}
	s.Run("start")
	right := map[string]string{}
	for _, algorithm := range integrity.Algorithms {
		for key, name := range map[string]string{"PLAIN": "js/plain.js", "PART": "js/part.js",
			"SHEET": "css/plain.css"} {
			right[algorithm+key] = integrity.Sum(algorithm, []byte(files[name]))
		}
	}
	wanted := map[string]string{}
	// what is written in the place of the right hash, and the algorithm of what is to come in its place
	for n, written := range []struct{ algorithm, value, as string }{
		{"sha384", "", "sha384"}, {"sha512", "", "sha512"}, {"sha384", "short", "sha384"}, {"sha256", "other",
			"sha256"},
		{"sha512", "other", "sha512"}, {"sha384", "SHA384-other", "sha384"}, {"sha384", "garbage", "sha384"}} {
		for m, markup := range demandsOf {
			name := fmt.Sprintf("demand-%d-%d.html", n, m)
			page := func(change func(hash string) string) string {
				for key := range map[string]bool{"PLAIN": true, "PART": true, "SHEET": true} {
					markup = strings.ReplaceAll(markup, key, change(right[written.as+key]))
				}
				return strings.Replace(merrytest.PlainPage, "</head>", markup+"</head>", 1)
			}
			keep := markup
			want := page(func(hash string) string { return hash })
			markup = keep
			s.Write(name, page(func(hash string) string {
				switch written.value {
				case "short":
					return hash[:30]
				case "other":
					return integrity.Sum(written.algorithm, []byte("other"))
				case "SHA384-other":
					return "SHA384" + hash[6:]
				case "garbage":
					return "garbage"
				}
				return hash
			}))
			wanted[name] = want
		}
	}
	if refused := agree(t, s, wanted); refused < 18 {
		t.Errorf("only %d pages are refused", refused)
	}
	s.Try("check", "demand-*.html", "--fix", "--no-rehearse")
	for name, want := range wanted {
		if now := s.Read(name); now != want {
			t.Errorf("%s is fixed as\n%s\nwant\n%s", name, now, want)
		}
	}
	if refused := agree(t, s, wanted); refused != 0 {
		t.Errorf("%d pages are refused", refused)
	}
}

// agree holds what check says of the integrity on pages against what seal --check says, and counts the refused.
func agree(t *testing.T, s *merrytest.Site, pages map[string]string) (refused int) {
	t.Helper()
	var answer struct{ Findings []struct{ Name, File string } }
	out := s.Try("check", "demand-*.html", "--no-rehearse", "--json", "--all").Out
	if err := json.Unmarshal([]byte(out), &answer); err != nil {
		t.Fatal(err)
	}
	stale := map[string]bool{}
	for _, f := range answer.Findings {
		stale[f.File] = stale[f.File] || f.Name == "link-stale"
	}
	for name := range pages {
		seal := s.Try("seal", "--check", name)
		if stale[name] {
			refused++
		}
		if stale[name] != (seal.Status != 0) {
			t.Errorf("%s\ncheck: stale %v, and seal --check (%d)\n%s", s.Read(name), stale[name], seal.Status, seal.Out)
		}
	}
	return refused
}
