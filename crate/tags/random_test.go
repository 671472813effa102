package tags

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/internal/cratetest"
	"merrycrate.example/merry/internal/trials"
)

// TestRandomPlaces: libraries and own files with any needs, given members and declared needs, come onto pages of any
// shape and go off again, in any sequence: no constraint is ever broken.
func TestRandomPlaces(t *testing.T) {
	cases := trials.Rounds(1000, 40000)
	base := cratetest.WithOarlock(t, "")
	for seed := range cases {
		shore(t, base, rand.New(rand.NewSource(int64(seed))), seed)
	}
}

// shore tries one page.
func shore(t *testing.T, base *project.Project, r *rand.Rand, seed int) {
	const files = 8
	list, seal := *base.List, record.NewSeal()
	list.Libraries = nil
	var all []project.TaggedFile
	reports := map[string]*script.Report{}
	rank := r.Perm(files) // who may need whom: a lower rank comes first
	for i := range files {
		name := fmt.Sprintf("boat%d", i)
		report := &script.Report{Form: script.Classic, Syntax: 2009, Defines: []script.Global{{Name: "G" + name}}}
		var needs []string
		for j := range files {
			if rank[j] >= rank[i] || r.Intn(3) > 0 {
				continue
			}
			of := fmt.Sprintf("boat%d", j)
			switch r.Intn(4) {
			case 0, 1:
				report.Needs = append(report.Needs, script.Need{Global: script.Global{Name: "G" + of},
					Strength: script.Hard})
			case 2:
				needs = append(needs, of)
			case 3:
				report.PartNeeds = append(report.PartNeeds, script.Global{Name: "Shared." + of})
			}
		}
		report.Parts = append(report.Parts, script.Global{Name: "Shared." + name})
		at := paths.FoundInProject("js/" + name + ".js")
		f := project.TaggedFile{At: paths.Found("js/" + name + ".js")}
		if i < files-2 { // the last ones are the site's own
			seal.Libraries[name] = &record.Sealed{Version: "1.0.0",
				Files: []record.File{{Path: name + ".js", At: at, Role: record.Tagged, Integrity: "sha384-" + name}}}
			list.Libraries = append(list.Libraries, record.Library{Name: name, Version: "1.0.0", Needs: needs})
			f.Library, f.File = name, &seal.Libraries[name].Files[0]
		}
		all = append(all, f)
		reports[f.At.String()] = report
	}
	p := base.With(&list, seal)
	for i := range all {
		if sealed := p.Seal.Libraries[all[i].Library]; sealed != nil {
			all[i].File = &sealed.Files[0]
		}
	}
	scripts := NewScripts(p)
	for at, report := range reports {
		scripts.Learn(Target{Path: paths.Found(at)}, &Script{Report: report, Name: at})
	}
	for _, own := range []string{"js/head.js", "js/tail.js"} {
		scripts.Learn(Target{Path: paths.Found(own)}, &Script{Report: &script.Report{Form: script.Classic}, Name: own})
	}
	shapes := []string{
		"<!doctype html>\n<html>\n<head>\n<title>x</title>\n</head>\n<body>\n<p>x</p>\n</body>\n</html>\n",
		"<!doctype html>\n<html>\n<head>\n<title>x</title>\n<script src=\"/js/head.js\" defer></script>\n</head>\n" +
			"<body>\n<p>x</p>\n</body>\n</html>\n",
		"<!doctype html>\n<html>\n<head>\n<title>x</title>\n<script>var a;</script>\n</head>\n<body>\n<p>x</p>\n" +
			"<script src=\"js/tail.js\"></script>\n<script>var b;</script>\n</body>\n</html>\n",
		"<p>x</p>\n<script src=js/tail.js></script>\n",
		"<!doctype html><title>x</title><script src=js/head.js></script><p>x</p>",
	}
	text := shapes[r.Intn(len(shapes))]
	var done []string
	for range 10 {
		e := NewEditor(p, scripts, read(t, p, "index.html", text))
		for range 1 + r.Intn(3) {
			f := all[r.Intn(files)]
			if n := slices.IndexFunc(e.Targets, func(to Target) bool { return to.Path == f.At }); n >= 0 &&
				!e.Removed(n) && r.Intn(3) == 0 {
				e.Remove(n)
				done = append(done, "omit "+f.At.String())
			} else if e.Find(f) == "" {
				if err := e.Include(f, ""); err != nil {
					t.Fatal(err)
				}
				done = append(done, "include "+f.At.String())
			}
		}
		e.Finish(t.Context())
		b, err := e.Bytes()
		if err != nil {
			t.Fatalf("%d: %v after\n%s\n%s", seed, err, strings.Join(done, "\n"), text)
		}
		text = string(b)
		items := scripts.Items(read(t, p, "index.html", text))
		list, _ := order.Find(items, Rules(p))
		for _, c := range list {
			if order.StateOf(items, c) == order.Broken {
				t.Fatalf("%d: after\n%s\n%s\n%s", seed, strings.Join(done, "\n"), c.Reason(items), text)
			}
		}
	}
}

// TestRandomThereAndBack: whatever way a page's tags are written, links with integrity, fallbacks and hints and then
// local copies again give the page's own bytes.
func TestRandomThereAndBack(t *testing.T) {
	cases := trials.Rounds(750, 30000)
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	address := "https://cdn.harbour.example/oarlock/2.0.3/dist/oarlock.min.js"
	right := integrity.Of([]byte("minified"))
	values := map[string]string{"integrity": right, "crossorigin": "anonymous"}
	for seed := range cases {
		r := rand.New(rand.NewSource(int64(seed)))
		text := roughPage(r)
		fallback, hint := r.Intn(2) == 0, r.Intn(2) == 0
		memory := NewHistory(nil)
		serve := func(text string, m *History, ref string, values map[string]string, linked bool) string {
			e := NewEditor(p, NewScripts(p), read(t, p, "crews/index.html", text))
			for i := range e.Includes {
				if !e.Runs(i) || e.Library(i) != "oarlock" {
					continue
				}
				tag := ""
				if linked && fallback {
					tag = FallbackTag(&e.Includes[i], "oarlock", Copy{Ref: "../js/oarlock.min.js"})
				}
				e.SetFallback(i, tag)
				if e.Includes[i].Ref != ref {
					m.Refer(e, i, ref, values)
				}
			}
			if e.Edits() || hint {
				e.Hint(linked && hint)
			}
			b, err := e.Bytes()
			if err != nil {
				t.Fatalf("%d: %v\n%s", seed, err, text)
			}
			return string(b)
		}
		linked := serve(text, memory, address, values, true)
		again := NewHistory(memory.Tags(true))
		if back := serve(linked, again, "../js/oarlock.min.js", nil, false); back != text {
			t.Fatalf("%d: there and back\n%s\nis\n%s\nby\n%s", seed, text, back, linked)
		}
	}
}

// roughPage writes a page as somebody writes one: quotes, case, order of attributes, line endings and indentation of
// any kind.
func roughPage(r *rand.Rand) string {
	pick := func(list ...string) string { return list[r.Intn(len(list))] }
	line := pick("\n", "\r\n", "\n\n", "")
	quote := func(value string) string {
		q := pick(`"`, `'`, "")
		return q + value + q
	}
	tag := func(ref string) string {
		attributes := []string{pick("src", "SRC", "Src") + pick("=", " = ", "=") + quote(ref)}
		for _, a := range []string{`type="text/javascript"`, "defer", "async", "charset=utf-8", `data-club="gull"`,
			`id='helper'`, "nomodule"} {
			if r.Intn(5) == 0 {
				attributes = append(attributes, a)
			}
		}
		r.Shuffle(len(attributes), func(i, j int) { attributes[i], attributes[j] = attributes[j], attributes[i] })
		name := pick("script", "SCRIPT", "Script")
		return pick("", "  ", "\t") + "<" + name + " " + strings.Join(attributes, pick(" ", "  ", "\n\t")) + " ></" +
			name + ">" + line
	}
	var s strings.Builder
	s.WriteString(pick("<!doctype html>", "<!DOCTYPE HTML>", "", "\ufeff<!doctype html>") + line)
	if r.Intn(2) == 0 {
		s.WriteString("<html><head>" + line + "<title>x</title>" + line)
	}
	for range r.Intn(3) {
		s.WriteString(tag(pick("../js/oarlock.min.js", "../js/club.js")))
	}
	s.WriteString(pick("<link rel=stylesheet href=../css/club.css>", "<style>p{}</style>", "") + line)
	if strings.Contains(s.String(), "<head>") {
		s.WriteString("</head><body>" + line)
	}
	s.WriteString("<p>The tide</p>" + line)
	for range 1 + r.Intn(3) {
		s.WriteString(tag(pick("../js/oarlock.min.js", "../js/club.js")))
	}
	if strings.Contains(s.String(), "<body>") {
		s.WriteString("</body></html>" + line)
	}
	return s.String()
}
