package matrix

import (
	"encoding/json"
	"fmt"
	"math/rand"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// A fleet is made-up libraries and files of which some need others: each defines a global, and reads those of others,
// or members that others gave to them, while it loads.
type fleet struct {
	s     *merrytest.Site
	r     *rand.Rand
	libs  []string
	own   []string
	pages []string
	cdn   *httptest.Server
}

// launch makes a site with pages of several shapes, libraries beside it in two versions, a CDN that has them, own
// scripts, and a library that nobody recorded.
func launch(t *testing.T, seed int64) *fleet {
	f := &fleet{s: merrytest.Empty(t), r: rand.New(rand.NewSource(seed)), pages: []string{"index.html",
		"crews/index.html"}}
	order := f.r.Perm(7) // who may need whom: the earlier
	globals, members := map[int]string{}, []string{}
	served := map[string]string{}
	for place, i := range order {
		name := fmt.Sprintf("%s%d", []string{"winch", "cleat", "bow", "stern", "keel", "rudder", "thwart"}[i], i)
		global := strings.ToUpper(name[:1]) + name[1:]
		gives := ""
		for _, version := range []string{"1.0.0", "1.1.0"} {
			var text strings.Builder
			text.WriteString("(function () {\n")
			n := 0
			for _, before := range order[:place] {
				if f.r.Intn(3) > 0 {
					continue
				}
				fmt.Fprintf(&text, "  var used%d = %s.turn(%d);\n", n, globals[before], n)
				if gives == "" && f.r.Intn(3) == 0 {
					gives = globals[before]
				}
				if gives == globals[before] {
					fmt.Fprintf(&text, "  %s.%s = {\n    at: used%d\n  };\n", gives, name, n)
				}
				n++
			}
			if len(members) > 0 && f.r.Intn(3) == 0 {
				fmt.Fprintf(&text, "  var part = %s.at + 1;\n", members[f.r.Intn(len(members))])
			}
			fmt.Fprintf(&text, "  window.%s = {\n    version: '%s',\n    turn: function (n) {\n      return n + 1;\n"+
				"    }\n  };\n})();\n", global, version)
			files := map[string]string{"package.json": `{"name": "` + name + `", "version": "` + version +
				`", "main": "` + name + `.js"}`, name + ".js": text.String(), name + ".css": "." + name +
				" {\n  color: red;\n}\n"}
			if place == 1 {
				f.s.Write("old/"+name+".js", text.String()) // a library that nobody recorded
				continue
			}
			f.s.Archive(name+"-"+version+".zip", files)
			for file, content := range files {
				served["/"+name+"/"+version+"/"+file] = content
			}
		}
		globals[i] = global
		if place == 1 {
			f.own = append(f.own, "old/"+name+".js")
		} else {
			f.libs = append(f.libs, name)
		}
		if gives != "" && place != 1 {
			members = append(members, gives+"."+name)
		}
	}
	for n := range 3 {
		g := globals[order[f.r.Intn(len(order))]]
		f.s.Write(fmt.Sprintf("js/own%d.js", n), fmt.Sprintf("var own%d = %s.turn(%d);\n", n, g, n))
		f.own = append(f.own, fmt.Sprintf("js/own%d.js", n))
	}
	head :=
		"<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n" +
			"  <link rel=\"icon\" href=\"data:,\">\n  <title>x</title>\n"
	shapes := []string{
		head + "</head>\n<body>\n  <p>Hello</p>\n</body>\n</html>\n",
		head + "  <script>var early = 1;</script>\n</head>\n<body>\n  <p>Hello</p>\n" +
			"  <script>var late = 1;</script>\n</body>\n</html>\n",
		head + "  <script src=\"/js/first.js\" defer></script>\n</head>\n<body>\n  <p>Hello</p>\n</body>\n</html>\n",
		head + "  <script src=\"/js/first.js\"></script>\n</head>\n<body>\n  <p>Hello</p>\n" +
			"<script src=\"/js/last.js\"></script>\n</body>\n</html>\n",
	}
	f.s.Write("js/first.js", "var first = 1;\n")
	f.s.Write("js/last.js", "var last = 1;\n")
	for _, p := range f.pages {
		f.s.Write(p, shapes[f.r.Intn(len(shapes))])
	}
	f.cdn = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		content, ok := served[r.URL.Path]
		if !ok {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Access-Control-Allow-Origin", "*")
		contentType := "text/javascript"
		if strings.HasSuffix(r.URL.Path, ".css") {
			contentType = "text/css"
		}
		w.Header().Set("Content-Type", contentType)
		fmt.Fprint(w, content)
	}))
	t.Cleanup(f.cdn.Close)
	f.s.Run("start")
	f.s.Run("sources", "set", "host", "cdn.harbour.example", strings.TrimPrefix(f.cdn.URL, "http://"))
	f.s.Run("sources", "set", "cdn", "harbour", "http://cdn.harbour.example/{name}/{version}/{path}")
	return f
}

// command is one of a person's commands, with what is pasted into it.
func (f *fleet) command() (args []string, input string) {
	pick := func(list []string) string { return list[f.r.Intn(len(list))] }
	archive := func(lib string) string {
		return "../downloads/" + lib + pick([]string{"-1.0.0.zip", "-1.0.0.zip", "-1.1.0.zip"})
	}
	page, lib := pick(f.pages), pick(f.libs)
	switch f.r.Intn(18) {
	case 0, 1, 2:
		return []string{"take", archive(lib), "--page", page}, ""
	case 3:
		return []string{"take", archive(pick(f.libs)), archive(pick(f.libs)), archive(pick(f.libs)), "--page", page}, ""
	case 4:
		return []string{"include", lib, "--page", page}, ""
	case 5:
		return []string{"include", pick(f.libs), pick(f.libs), pick(f.own), "--page", page}, ""
	case 6, 7:
		return []string{"include", pick(f.own), "--page", page}, ""
	case 8:
		return []string{"omit", pick(append(f.own, f.libs...)), "--page", page}, ""
	case 9:
		return []string{"include", "js/" + lib + ".js", "--page", page}, ""
	case 10:
		return []string{"move", pick([]string{"js", "vendor", "js/own1.js", "vendor/js/own1.js"}),
			pick([]string{"vendor", "js"})}, ""
	case 11:
		return []string{"switch", lib, pick([]string{"--cdn", "--local"})}, ""
	case 12:
		return []string{"switch", pick([]string{"--cdn", "--local"}), "--page", page}, ""
	case 13:
		return []string{"switch", "--cdn", pick([]string{"--fallback", "--hints"})}, ""
	case 14:
		version := pick([]string{"1.0.0", "1.1.0"})
		return []string{"repin", lib + "@" + version, "--from", "../downloads/" + lib + "-" + version + ".zip"}, ""
	case 15:
		version := pick([]string{"1.0.0", "1.1.0"})
		return []string{"adopt", "-", "--page", page, "--plain"},
			fmt.Sprintf("<script src=\"http://cdn.harbour.example/%s/%s/%s.js\"></script>\n", lib, version, lib)
	case 16:
		return []string{"order", "**", "--fix"}, ""
	}
	return []string{"include", pick(f.own), pick(f.own), "--page", "**"}, ""
}

// scramble swaps two script tags of a page by hand, as somebody does who thinks that it makes no difference.
func (f *fleet) scramble() string {
	name := f.pages[f.r.Intn(len(f.pages))]
	lines := strings.SplitAfter(f.s.Read(name), "\n")
	var at []int
	for i, l := range lines {
		if strings.Contains(l, "<script") && strings.Contains(l, "src=") && !strings.Contains(l, "document.write") {
			at = append(at, i)
		}
	}
	if len(at) < 2 {
		return ""
	}
	i, j := at[f.r.Intn(len(at))], at[f.r.Intn(len(at))]
	lines[i], lines[j] = lines[j], lines[i]
	f.s.Write(name, strings.Join(lines, ""))
	return fmt.Sprintf("lines %d and %d of %s changed places; order --fix", i+1, j+1, name)
}

// broken lists what order says against the pages.
func (f *fleet) broken(t *testing.T) string {
	t.Helper()
	var answer struct {
		Pages []struct {
			Page        string
			Constraints []struct{ State, Reason string }
		}
	}
	if err := json.Unmarshal([]byte(f.s.Run("order", "**", "--json")), &answer); err != nil {
		t.Fatal(err)
	}
	for _, p := range answer.Pages {
		for _, c := range p.Constraints {
			if c.State != "kept" {
				return fmt.Sprintf("%s: %s: %s\n%s", p.Page, c.State, c.Reason, f.s.Read(p.Page))
			}
		}
	}
	return ""
}

// TestRandomNeeds: whatever is taken, included, switched, moved up, adopted or repaired in whichever sequence, order
// has nothing to say of the pages afterwards; and a page of which check has nothing to say either is clean in a
// browser.
func TestRandomNeeds(t *testing.T) {
	t.Parallel()
	seeds, pages := int64(trials.Rounds(1, 10)), 0
	fleets := make([]*fleet, seeds)
	for seed := range seeds {
		fleets[seed] = launch(t, seed)
	}
	t.Run("order", func(t *testing.T) {
		for seed := range seeds {
			t.Run(fmt.Sprint(seed), func(t *testing.T) {
				t.Parallel()
				fleets[seed].sail(t)
			})
		}
	})
	if t.Failed() || testing.Short() {
		return
	}
	for _, f := range fleets {
		f.looks(t, &pages)
	}
	t.Logf("%d pages are clean in a browser", pages)
}

// sail runs some commands, and holds the pages against order after each.
func (f *fleet) sail(t *testing.T) {
	var done []string
	for range 12 {
		args, input := f.command()
		what := strings.Join(args, " ")
		if f.r.Intn(10) == 0 {
			if what = f.scramble(); what == "" {
				continue
			}
			args = []string{"order", "**", "--fix"}
		}
		result := f.s.TryWith(input, args...)
		done = append(done, fmt.Sprintf("%s %s(%d)", what, input, result.Status))
		if strings.Contains(result.Err, "bug in merry") {
			t.Fatalf("%s\n%s", strings.Join(done, "\n"), result.Err)
		}
		if said := f.broken(t); said != "" {
			t.Fatalf("after\n%s\n%s", strings.Join(done, "\n"), said)
		}
	}
}

// looks opens those pages in a browser that have no error.
func (f *fleet) looks(t *testing.T, pages *int) {
	var checked struct {
		Findings []struct{ Name, Severity, File, Message string }
	}
	if err := json.Unmarshal([]byte(f.s.Try("check", "--json").Out), &checked); err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(http.FileServer(http.Dir(f.s.Dir)))
	defer server.Close()
	ctx := merrytest.Browser(t, merrytest.Hosts{"cdn.harbour.example": strings.TrimPrefix(f.cdn.URL, "http://")})
	for _, name := range f.pages {
		said := slices.ContainsFunc(checked.Findings, func(fi struct{ Name, Severity, File, Message string }) bool {
			return fi.File == name && fi.Severity == "error"
		})
		console, failed, _ := merrytest.Visit(t, ctx, server.URL+"/"+name, "1")
		broken := len(console)+len(failed) > 0
		if broken != said { // a browser under load may not load all of a page
			console, failed, _ = merrytest.Visit(t, ctx, server.URL+"/"+name, "1")
			broken = len(console)+len(failed) > 0
		}
		if broken != said {
			t.Errorf("%s: check finds an error: %v, and a browser says %q, %q\n%s", name, said, console, failed,
				f.s.Read(name))
		}
		*pages++
	}
}
