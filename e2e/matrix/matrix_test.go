package matrix

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// variant is one of the demo's pages with one thing done to one of its tags.
type variant struct {
	page, what string // what was done, and to which tag
	done       string // the kind of thing
	text       string
}

// variants makes pages from a page: every tag of a script or stylesheet missing, twice, moved, async, deferred, a
// module, in other case, led elsewhere, or in the wrong build.
func variants(name, text string) []variant {
	var lines []string
	var tags []int
	for _, l := range strings.SplitAfter(text, "\n") {
		if low := strings.ToLower(l); strings.Contains(low, "<script ") ||
			strings.Contains(low, "rel=\"stylesheet\"") || strings.Contains(low, "rel='stylesheet'") {
			tags = append(tags, len(lines))
		}
		lines = append(lines, l)
	}
	var list []variant
	add := func(done string, at int, edit func(l []string) []string) {
		list = append(list, variant{name, fmt.Sprintf("%s: %s", done, strings.TrimSpace(lines[at])), done,
			strings.Join(edit(slices.Clone(lines)), "")})
	}
	list = append(list, variant{name, "sound", "sound", text})
	for n, at := range tags {
		script := strings.Contains(strings.ToLower(lines[at]), "<script")
		replace := func(old, new string) func([]string) []string {
			return func(l []string) []string {
				i := strings.Index(strings.ToLower(l[at]), old)
				if i < 0 {
					return l // a tag of another make
				}
				l[at] = l[at][:i] + new + l[at][i+len(old):]
				return l
			}
		}
		add("missing", at, func(l []string) []string { return slices.Delete(l, at, at+1) })
		add("twice", at, func(l []string) []string { return slices.Insert(l, at, l[at]) })
		add("moved down", at, func(l []string) []string {
			tag := l[at]
			return slices.Delete(slices.Insert(l, tags[len(tags)-1]+1, tag), at, at+1)
		})
		if n > 0 {
			add("swapped", at, func(l []string) []string { l[at], l[tags[n-1]] = l[tags[n-1]], l[at]; return l })
		}
		folder := "css/"
		if script {
			folder = "js/"
		}
		add("other case", at, replace(folder, strings.ToUpper(folder)))
		add("led elsewhere", at, replace(folder, "old/"+folder))
		if !script {
			continue
		}
		add("to the head", at, func(l []string) []string {
			tag := l[at]
			return slices.Insert(slices.Delete(l, at, at+1), tags[0], tag)
		})
		add("async", at, replace("<script ", "<script async "))
		add("deferred", at, replace("<script ", "<script defer "))
		add("module", at, replace("<script ", "<script type=module "))
		for _, build := range []string{"foghorn.js", "server.js"} {
			add("wrong build "+build, at, func(l []string) []string {
				from := strings.LastIndex(l[at], "js/") + 3
				if from < 3 {
					return l
				}
				to := from + strings.IndexAny(l[at][from:], "'\"")
				l[at] = l[at][:from] + build + l[at][to:]
				return l
			})
		}
	}
	return list
}

// matrixSite is the club's site with three libraries on its pages, and builds beside them that no plain tag can load.
func matrixSite(t *testing.T) *merrytest.Site {
	t.Helper()
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "tidechart", "--page", "tides.html")
	s.Write("js/chart.js", "// Draws the tide of today.\nvar today = tidechart('#tide-curve', [1, 3, 5, 4, 2, 1]);\n")
	s.Replace("tides.html", "<script src=\"js/club.js\"></script>", "<script src=\"js/club.js\"></script>\n"+
		"    <script src=\"js/chart.js\"></script>")
	s.Write("js/foghorn.js", "export function foghorn() {\n  return 'low';\n}\nexport default foghorn;\n")
	s.Write("js/server.js", "var fs = require('fs');\nmodule.exports = function () {\n  return fs;\n};\n")
	return s
}

// TestMatrix holds what check says of a few hundred broken and sound pages against what a browser's console says of
// them. Run with -v it prints the agreement and every difference.
func TestMatrix(t *testing.T) {
	t.Parallel()
	s := matrixSite(t)
	var list []variant
	for _, name := range []string{"index.html", "tides.html", "crews/index.html"} {
		list = append(list, variants(name, s.Read(name))...)
	}
	if len(list) < 200 {
		t.Fatalf("only %d variants", len(list))
	}
	list = trials.Sample(list)
	files := make([]string, len(list))
	for i, v := range list {
		dir := strings.TrimSuffix(v.page, "index.html")
		if v.page == "tides.html" {
			dir = ""
		}
		files[i] = fmt.Sprintf("%sv%03d.html", dir, i)
		s.Write(files[i], v.text)
	}
	var report struct {
		Findings []struct{ Name, Severity, File, Message string }
		Unsure   []string
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--rehearse", "--json").Out), &report); err != nil {
		t.Fatal(err)
	}
	said := map[string][]string{}
	errors := map[string]bool{}
	races := map[string]bool{}
	for _, f := range report.Findings {
		if f.Severity == "note" {
			continue
		}
		said[f.File] = append(said[f.File], f.Name)
		errors[f.File] = errors[f.File] || f.Severity == "error"
		races[f.File] = races[f.File] || f.Name == "need-race"
	}
	server := httptest.NewServer(http.FileServer(http.Dir(s.Dir)))
	defer server.Close()
	ctx := merrytest.Browser(t) // only now, since its time runs
	saw := merrytest.VisitAll(t, ctx, addressesOf(server.URL, files), "1")
	agree, race := 0, 0
	for i, v := range list {
		console, failed := saw[i].Console, saw[i].Failed
		broken := len(console)+len(failed) > 0
		switch {
		case broken == errors[files[i]]:
			agree++
		case races[files[i]]:
			race++ // said to depend on the network, which it does
		default:
			t.Logf("differs: %s, %s\n  check:   %v\n  browser: %v %v", v.page, v.what, said[files[i]], console, failed)
		}
	}
	t.Logf("%d variants: %d agree, %d are races and said to be, %d differ; not sure of %d", len(list), agree, race,
		len(list)-agree-race, len(report.Unsure))
	if differ := len(list) - agree - race; differ > len(list)/20 {
		t.Errorf("%d of %d differ", differ, len(list))
	}
}
