package filled

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// A language is a way to write templates. The functions write a value, a condition with its alternative, a comment, and
// a helper's reference to a file.
type language struct {
	ending                    string
	value, comment, reference func(text string) string
	condition                 func(yes, no string) string
}

var languages = []language{
	{"html", around("{{ ", " }}"), around("{# ", " #}"), around("{{ url_for('static', filename='", "') }}"),
		func(yes, no string) string { return "{% if a %}" + yes + "{% else %}" + no + "{% endif %}" }},
	{"php", around("<?= $", " ?>"), around("<?php /* ", " */ ?>"), around("<?= $base ?>", ""),
		func(yes, no string) string {
			return "<?php if ($a): ?>" + yes + "<?php else: ?>" + no + "<?php endif; ?>"
		}},
	{"hbs", around("{{", "}}"), around("{{!-- ", " --}}"), around("{{asset '", "'}}"),
		func(yes, no string) string { return "{{#if a}}" + yes + "{{else}}" + no + "{{/if}}" }},
	{"ejs", around("<%= ", " %>"), around("<%# ", " %>"), around("<%= url('", "') %>"),
		func(yes, no string) string { return "<% if (a) { %>" + yes + "<% } else { %>" + no + "<% } %>" }},
	{"tmpl", around("{{ .", " }}"), around("{{/* ", " */}}"), around("{{ .Base }}/", ""),
		func(yes, no string) string { return "{{ if .A }}" + yes + "{{ else }}" + no + "{{ end }}" }},
	{"liquid", around("{{ ", " | escape }}"), around("{% comment %}", "{% endcomment %}"), around("{{ '/", "' | "+
		"asset }}"),
		func(yes, no string) string {
			return "{%- unless a -%}" + yes + "{%- else -%}" + no + "{%- endunless -%}"
		}},
}

func around(before, behind string) func(string) string {
	return func(text string) string { return before + text + behind }
}

// A written is a piece of a page, as a template has it and in two fillings.
type written struct {
	template string
	filled   [2]string
}

func same(text string) written { return written{text, [2]string{text, text}} }

// randomPiece makes a piece of a body.
func randomPiece(r *rand.Rand, l language) written {
	script := func(ref, a, b string) written {
		tag := around(`<script src="`, "\"></script>\n")
		return written{tag(ref), [2]string{tag(a), tag(b)}}
	}
	inline := func(text, a, b string) written {
		tag := around("<script>", "</script>\n")
		return written{tag(text), [2]string{tag(a), tag(b)}}
	}
	v := l.value("v")
	switch r.IntN(16) {
	case 0:
		return script("/js/plain.js?v="+v, "/js/plain.js?v=1", "/js/plain.js?v=b2")
	case 1:
		return script(l.reference("js/plain.js"), "/js/plain.js", "/js/plain.js")
	case 2:
		return script("/js/gone.js?v="+v, "/js/gone.js?v=1", "/js/gone.js?v=2")
	case 3:
		return inline("var n = "+v+";", "var n = 7;", "var n = \"x\";")
	case 4:
		return inline("var n = '"+v+"', m = ["+v+"];", "var n = 'a', m = [1, 2];", "var n = '', m = [\"b\"];")
	case 5:
		return inline(l.condition("var a1 = 1;", "var a1 = 2;"), "var a1 = 1;", "var a1 = 2;")
	case 6:
		return inline("var broken = ;\nvar n = "+v+";", "var broken = ;\nvar n = 1;", "var broken = ;\nvar n = 2;")
	case 7:
		return inline("plain.length;\nvar n = "+v+";", "plain.length;\nvar n = 1;", "plain.length;\nvar n = 2;")
	case 8:
		tag := "<script src=\"/js/other.js\"></script>"
		return written{l.condition(tag, "") + "\n", [2]string{tag + "\n", "\n"}}
	case 9:
		return written{l.comment("<script src=\"/js/none.js\"></script>") + "\n", [2]string{"\n", "\n"}}
	case 10:
		style := around("<style>p { color: ", "; }</style>\n")
		return written{style(v), [2]string{style("red"), style("#123")}}
	case 11:
		p := around("<p class=\"a ", "\">x</p>\n")
		return written{p(l.condition("b", "c")), [2]string{p("b"), p("c")}}
	case 12:
		return written{"<p " + l.condition("hidden", "lang=en") + ">" + v + "</p>\n", [2]string{"<p hidden>a</p>\n",
			"<p lang=en>b</p>\n"}}
	case 13:
		img := around("<img src=\"", "\" alt=\"\">\n")
		return written{img(l.reference("img/oar.svg")), [2]string{img("/img/oar.svg"), img("/img/oar.svg")}}
	case 14:
		return inline("var o = { a: "+v+", b: 1 };\nuse(o);\nfunction use() {}", "var o = { a: 1, b: 1 "+
			"};\nuse(o);\nfunction "+
			"use() {}", "var o = { a: {}, b: 1 };\nuse(o);\nfunction use() {}")
	}
	return same("<script src=\"/js/plain.js\"></script>\n")
}

// randomPage makes a template and its two fillings.
func randomPage(r *rand.Rand, l language) written {
	page := same("<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>x</title>\n" +
		"<link rel=\"icon\" href=\"/img/oar.svg\">\n<link rel=\"stylesheet\" href=\"/css/own.css\">\n</head>\n<body>\n")
	for range 1 + r.IntN(6) {
		p := randomPiece(r, l)
		page.template += p.template
		page.filled[0] += p.filled[0]
		page.filled[1] += p.filled[1]
	}
	const end = "</body>\n</html>\n"
	page.template, page.filled = page.template+end, [2]string{page.filled[0] + end, page.filled[1] + end}
	return page
}

// TestRandomTemplates: what check says of a template agrees with the browser on every filling: an error is one in each
// of them, and what is wrong in all of them is an error. Commands that write lead there and back to the same bytes.
func TestRandomTemplates(t *testing.T) {
	merrytest.Long(t)
	r := rand.New(rand.NewPCG(31, 1))
	s := merrytest.Club(t)
	for _, name := range []string{"index.html", "tides.html", "crews/index.html", "js/club.js", "js/config.js",
		"css/club.css"} {
		s.Remove(name)
	}
	files := map[string]string{"css/own.css": "a {\n}\n", "js/plain.js": "var plain = 'x';\n", "js/other.js": "var " +
		"other;\n",
		"img/oar.svg": "<svg xmlns=\"http://www.w3.org/2000/svg\"></svg>\n"}
	filled := t.TempDir()
	for name, text := range files {
		s.Write(name, text)
		full := filepath.Join(filled, filepath.FromSlash(name))
		os.MkdirAll(filepath.Dir(full), 0o755)
		if err := os.WriteFile(full, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	server := httptest.NewServer(http.FileServer(http.Dir(filled)))
	defer server.Close()
	pages, names := map[string]written{}, []string{}
	var addresses []string
	for n := range trials.Rounds(90, 2000) {
		l := languages[n%len(languages)]
		page, name := randomPage(r, l), fmt.Sprintf("t%d.%s", n, l.ending)
		pages[name], names = page, append(names, name)
		s.Write(name, page.template)
		for i, text := range page.filled {
			at := fmt.Sprintf("t%d-%d.html", n, i)
			if err := os.WriteFile(filepath.Join(filled, at), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
			addresses = append(addresses, server.URL+"/"+at)
		}
	}
	s.Run("start")
	var checked struct {
		Findings []struct{ Name, Severity, File, Message string }
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--rehearse", "--json").Out), &checked); err != nil {
		t.Fatal(err)
	}
	errors := map[string][]string{}
	for _, f := range checked.Findings {
		if f.Severity == "error" {
			errors[f.File] = append(errors[f.File], f.Name+": "+f.Message)
		}
	}
	seen := merrytest.VisitAll(t, merrytest.BrowserFor(t, 30*time.Minute), addresses, "1")
	for n, name := range names {
		wrong := 0
		var console []string
		for i := range 2 {
			one := seen[2*n+i]
			if len(one.Console)+len(one.Failed) > 0 {
				wrong++
				console = append(console, fmt.Sprint(one.Console, one.Failed))
			}
		}
		if found := errors[name]; len(found) > 0 && wrong < 2 || len(found) == 0 && wrong == 2 {
			t.Errorf("%s: check says %q, and of two fillings %d are wrong: %s\n%s", name, found, wrong, console,
				pages[name].template)
		}
	}
	s.Untyped = true
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	s.Run("switch", "--readable")
	s.Run("move", "js/plain.js", "js/sub/plain.js")
	s.Run("order", "**", "--fix", "--dry-run")
	s.Run("switch", "--minified")
	s.Run("move", "js/sub/plain.js", "js/plain.js")
	s.Run("omit", "oarlock")
	for _, name := range names {
		if got := s.Read(name); got != pages[name].template {
			t.Errorf("%s is not as before:\n%s\n%s", name, got, pages[name].template)
		}
	}
	if strings.Contains(s.State(), "oarlock.min.js\"></script>") {
		t.Error("a tag is left")
	}
}
