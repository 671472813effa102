package check

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/script"
)

// crateOf is a project of two libraries and a few own files.
type crateOf struct {
	profile *Profile
	newest  int
}

var siteFiles = map[string]string{"js/oarlock.js": "oarlock", "js/brinework.js": "brinework",
	"css/brinework.css": "brinework", "js/club.js": "", "css/club.css": "", "js/Mixed.js": ""}

func (crateOf) Has(path string) bool { _, ok := siteFiles[path]; return ok }

func (crateOf) Near(path string) (string, bool) {
	for f := range siteFiles {
		if strings.EqualFold(f, path) {
			return f, true
		}
	}
	if strings.Contains(path, "oarlock") {
		return "js/oarlock.js", false
	}
	return "", false
}

func (crateOf) Needs(library string) []string {
	if library == "brinework" {
		return []string{"oarlock"}
	}
	return nil
}

func (crateOf) Wants(library string) Wants {
	return Wants{Doctype: library == "brinework", Charset: library == "oarlock", Viewport: library == "brinework"}
}

func (crateOf) Ref(_ *Page, path string) string  { return path }
func (crateOf) Matches(_, integrity string) bool { return integrity == right }
func (c crateOf) Newest() int                    { return c.newest }
func (crateOf) OwnOrder() []string               { return nil }
func (crateOf) LibraryOf(string) string          { return "" }

func (crateOf) Supplier(string) string { return "" }

func (crateOf) Provider(global string) (library, own string) {
	return map[string]string{"Oarlock": "oarlock"}[global], map[string]string{"CLUB": "js/config.js"}[global]
}
func (crateOf) Fails(_ *order.Item, global string) bool    { return global != "Dream" }
func (crateOf) Confirms(_ *order.Item, global string) bool { return global != "Dream" }
func (c crateOf) Profile() *Profile                        { return c.profile }

// The integrity strings of the sealed bytes and of others.
var right, wrong = integrity.Of([]byte("right")), integrity.Of([]byte("wrong"))

const harbour = "https://cdn.harbour.example/"

// findings reads a page whose references are paths in the site, or addresses of a CDN that has the same.
func findings(t *testing.T, text string, c crateOf) []Finding {
	t.Helper()
	pg, err := page.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	p := &Page{Page: pg, File: "page.html", Includes: make([]Include, len(pg.Includes))}
	for i := range pg.Includes {
		raw, in := &pg.Includes[i], &p.Includes[i]
		if raw.RefAttr.End == 0 {
			continue
		}
		in.Loads = raw.Inert == "" && (raw.Kind == page.Script || raw.Kind == page.Stylesheet)
		if name, ok := strings.CutPrefix(raw.Ref, harbour); ok || strings.Contains(raw.Ref, "://") {
			in.URL, in.Library = raw.Ref, siteFiles[name]
			in.Refused = in.Library != "" && strings.Contains(string(pg.Bytes[raw.Start:raw.End]), "integrity="+wrong)
		} else {
			in.Path, in.Library = raw.Ref, siteFiles[raw.Ref]
		}
		in.Build, in.HasOtherBuild = "minified", true
	}
	for i := range pg.Includes {
		raw, in := &pg.Includes[i], &p.Includes[i]
		it := order.Item{Name: in.Path + in.URL, Library: in.Library, Phase: order.Phase(raw.When),
			Style: raw.Kind == page.Stylesheet, Inline: raw.Kind == page.InlineScript,
			Inert: raw.Inert != "" || raw.Kind == page.Hint || raw.Kind == page.Other}
		if it.Library == "oarlock" {
			it.Defines = order.NamesOf("Oarlock")
		}
		// An inline script of the tests lists the globals that it reads.
		if it.Inline {
			it.Name = "inline"
			for _, g := range strings.Fields(string(pg.InlineText(raw))) {
				it.Needs = append(it.Needs, order.Need{Global: g, Where: "page.html:1:1"})
			}
		}
		it.Unread = in.URL != "" && in.Library == "" && !it.Style
		p.Items = append(p.Items, it)
	}
	return OnPage(p, c)
}

const (
	top     = "<!doctype html><meta charset=utf-8><meta name=viewport content=x>"
	oarlock = "<script src=js/oarlock.js></script>"
	brine   = "<script src=js/brinework.js></script>"
	style   = "<link rel=stylesheet href=css/brinework.css>"
	own     = "<link rel=stylesheet href=css/club.css>"
)

func TestOnPage(t *testing.T) {
	tests := []struct{ name, page, want string }{
		{"sound", top + style + own + oarlock + brine + "<script src=js/club.js></script>", ""},
		{"empty", "", ""},
		{"missing", top + "<script src=js/none.js></script>", "file-missing"},
		{"missing, with a near one", top + "<script src=js/oarlock-2.js></script>", "file-missing"},
		{"case", top + "<script src=js/mixed.js></script>", "case-differs"},
		{"missing icon", top + "<link rel=icon href=icon.png>", "file-missing"},
		{"inert is not missed", top + "<template><script src=js/none.js></script></template>", ""},
		{"twice", top + oarlock + oarlock, "included-twice"},
		{"twice, the second one inert", top + oarlock + "<template>" + oarlock + "</template>", ""},
		{"need absent", top + brine, "need-absent"},
		{"need later", top + brine + oarlock, "need-later"},
		{"need in time, by defer", top + "<script defer src=js/brinework.js></script>" + oarlock, ""},
		{"need too late, by defer", top + "<script defer src=js/oarlock.js></script>" + brine, "need-later"},
		{"read too early", top + "<script>Oarlock</script>" + oarlock, "need-later"},
		{"read in time", top + oarlock + "<script>Oarlock</script>", ""},
		{"read and not there", top + "<script>Oarlock CLUB Nobody</script>", "need-absent need-absent need-absent"},
		{"not confirmed", top + "<script>Dream</script>", ""},
		{"the id of an element", top + "<p id=Nobody><script>Nobody</script>", ""},
		{"an id in an address names no element", top + "<a href=?id=Nobody>x</a><script>Nobody</script>",
			"need-absent"},
		{"anything may come from elsewhere", top + "<script src=https://else.example/x-1.2.js integrity=" + wrong +
			" crossorigin></script><script>Nobody</script>", ""},
		{"a race", top + "<script async src=js/oarlock.js></script><script>Oarlock</script>", "need-race"},
		{"a race of the other", top + oarlock + "<script async src=js/brinework.js></script>", ""},
		{"deferred and inline", top + "<script defer src=js/oarlock.js></script><script>Oarlock</script>",
			"need-later"},
		{"a picture without TLS", top + "<img src='http://else.example/x.png'>", "mixed-content"},
		{"a stylesheet alone needs its script's need too", top + style, "need-absent"},
		{"own style first", top + own + style + oarlock + brine, "own-style-first"},
		{"no doctype", "<meta charset=utf-8><meta name=viewport content=x><html>" + style + oarlock + brine,
			"no-doctype"},
		{"no charset", "<!doctype html>" + oarlock, "no-charset"},
		{"no viewport", "<!doctype html><meta charset=utf-8>" + oarlock + brine, "no-viewport"},
		{"a fragment has its head elsewhere", oarlock + brine, ""},
		{"link without integrity", top + "<script src=" + harbour + "js/oarlock.js></script>", "link-unsealed"},
		{"link with other integrity", top + "<script integrity=" + wrong + " crossorigin src=" + harbour +
			"js/oarlock.js></script>", "link-stale"},
		{"link without crossorigin", top + "<script integrity=" + right + " src=" + harbour + "js/oarlock.js></script>",
			"link-no-crossorigin"},
		{"several hashes, the strongest one right", top + "<script integrity='sha256-" + right[7:] + " " + right +
			"' crossorigin src=" + harbour + "js/oarlock.js></script>", ""},
		{"no hash in it", top + "<script integrity=nonsense crossorigin src=" + harbour + "js/oarlock.js></script>",
			"link-unsealed"},
		{"a link made local by hand", top + "<script integrity=" + wrong + " crossorigin src=js/oarlock.js></script>",
			"link-stale"},
		{"a local file with its hash", top + "<script integrity=" + right + " src=js/oarlock.js></script>",
			"local-integrity"},
		{"sound link", top + "<script integrity=" + right + " crossorigin src=" + harbour + "js/oarlock.js></script>" +
			brine, ""},
		{"plain link without version", top + "<script integrity=" + wrong +
			" crossorigin src=http://else.example/x.js></script>", "link-plain link-unversioned"},
		{"unknown link with version", top + "<script integrity=" + wrong +
			" crossorigin src=https://else.example/x-1.2.js></script>", ""},
		{"linked twice", top + strings.Repeat("<script integrity="+wrong+" crossorigin src=https://else.example/"+
			"x-1.2.js></script>", 2), "included-twice"},
	}
	for _, tt := range tests {
		var got []string
		list := findings(t, tt.page, crateOf{})
		for _, f := range list {
			got = append(got, f.Name)
			if f.Line < 1 || f.Column < 1 || f.Why == "" || f.Next == "" || f.Message == "" || f.File != "page.html" {
				t.Errorf("%s: %+v lacks something", tt.name, f)
			}
		}
		if strings.Join(got, " ") != tt.want {
			t.Errorf("%s: found %q, want %q", tt.name, got, tt.want)
		}
	}
}

func TestForms(t *testing.T) {
	plain, module := "<script src=js/club.js></script>", "<script type=module src=js/club.js></script>"
	for _, tt := range []struct{ text, tag, want string }{
		{"var a = 1;", plain, ""},
		{"export const a = 1;", plain, "module-as-classic"},
		{"export const a = 1;", module, ""},
		{"window.a = 1;", module, "classic-as-module"},
		{"(function (r, f) { typeof define === 'function' && define.amd ? define(f) : r.x = f() })(this, function () " +
			"{ return 1 })", module, "classic-as-module"},
		{"module.exports = require('x');", plain, "wrong-build"},
		{"define(['x'], function () {});", plain, "wrong-build"},
		{"define(['x'], function () {});", "<script>define = 1</script>" + plain, ""},
		{"var = 1", plain, "syntax-error"},
		{"const f = () => 1;", plain, "syntax-newer"},
	} {
		pg, err := page.Read([]byte(top + tt.tag))
		if err != nil {
			t.Fatal(err)
		}
		p := &Page{Page: pg, File: "page.html", Includes: make([]Include, len(pg.Includes)), Items: make([]order.Item,
			len(pg.Includes))}
		for i := range pg.Includes {
			switch pg.Includes[i].Kind {
			case page.Script:
				p.Includes[i] = Include{Path: "js/club.js", Loads: true, Script: script.Analyze([]byte(tt.text))}
			case page.InlineScript:
				p.Items[i].Defines = order.NamesOf("define")
			}
		}
		newest := 0
		if strings.Contains(tt.text, "=>") {
			newest = 2009
		}
		var got []string
		for _, f := range OnPage(p, crateOf{newest: newest}) {
			got = append(got, f.Name)
		}
		if strings.Join(got, " ") != tt.want {
			t.Errorf("%s in %s: %q, want %q", tt.text, tt.tag, got, tt.want)
		}
	}
}

// TestEveryFindingIsExplained holds the pages of documentation against the names in the source.
func TestEveryFindingIsExplained(t *testing.T) {
	source, err := os.ReadFile("check.go")
	if err != nil {
		t.Fatal(err)
	}
	names := 0
	for _, m := range regexp.MustCompile(`= "([a-z]+(?:-[a-z]+)+)"`).FindAllStringSubmatch(string(source), -1) {
		names++
		if text := Explain(m[1]); !strings.Contains(text, "\n\n") || len(text) < 120 {
			t.Errorf("%s is explained by %q", m[1], text)
		}
	}
	if names < 30 || len(Names()) != names {
		t.Errorf("%d names in the source, %d explained", names, len(Names()))
	}
}

func TestProfile(t *testing.T) {
	live, desk := &Profile{Name: "live", Serve: "cdn", Build: "minified"}, &Profile{Name: "desk", Serve: "local",
		Build: "readable"}
	link := top + "<script integrity=" + right + " crossorigin src=" + harbour + "js/oarlock.js></script>"
	for _, tt := range []struct {
		name, page string
		profile    *Profile
		want       string
	}{
		{"local where a link is wanted", top + oarlock, live, "not served as the profile live says: cdn"},
		{"link as wanted", link, live, ""},
		{"link where a local copy is wanted", link, desk, "not served as the profile desk says: local"},
		{"the other build", top + oarlock, desk, "minified build, but the profile desk says readable"},
		{"own files are nobody's", top + own, live, ""},
	} {
		list := findings(t, tt.page, crateOf{profile: tt.profile})
		switch {
		case tt.want == "" && len(list) > 0:
			t.Errorf("%s: %+v", tt.name, list)
		case tt.want != "" && (len(list) != 1 || list[0].Name != NotAsProfile ||
			!strings.Contains(list[0].Message, tt.want)):
			t.Errorf("%s: %+v", tt.name, list)
		}
	}
}

// TestDeskOnly: a library for development must not ship, and may be on the page at the desk.
func TestDeskOnly(t *testing.T) {
	for _, tt := range []struct {
		profile string
		want    bool
	}{{"live", true}, {"desk", false}} {
		pg, err := page.Read([]byte(top + oarlock))
		if err != nil {
			t.Fatal(err)
		}
		p := &Page{Page: pg, File: "index.html", Includes: make([]Include, len(pg.Includes))}
		p.Includes[len(p.Includes)-1] = Include{Path: "js/oarlock.js", Library: "oarlock", Loads: true, DevOnly: true}
		k := &pageCheck{p: p, c: crateOf{profile: &Profile{Name: tt.profile}}}
		k.profile()
		if got := len(k.found) == 1 && k.found[0].Name == DevOnlyShipped &&
			k.found[0].Severity == Error; got != tt.want {
			t.Errorf("under %s: %+v", tt.profile, k.found)
		}
	}
}

// TestWhatAProfileIsWithout: libraries by name, addresses and paths by patterns.
func TestWhatAProfileIsWithout(t *testing.T) {
	for _, tt := range []struct {
		without string
		in      Include
		want    bool
	}{
		{"quickbrine", Include{Library: "quickbrine", URL: "https://x.example/q.js"}, true},
		{"quickbrine", Include{Library: "quickbrine2", URL: "https://x.example/quickbrine"}, false},
		{"https://*.else.example/*", Include{URL: "https://cdn.else.example/a/b.js"}, true},
		{"https://*.else.example/*", Include{URL: "https://else.example.org/b.js"}, false},
		{"js/debug*", Include{Path: "js/debug-panel.js"}, true},
		{"js/debug*", Include{Path: "old/js/debug.js"}, false},
		{"*.dev.js", Include{Path: "js/club.dev.js"}, true},
		{"*.dev.js", Include{Path: "js/club.dev.json"}, false},
		{"js/club.js", Include{Path: "js/club.js"}, true},
	} {
		if got := unwanted([]string{"nothing", tt.without}, &tt.in) != ""; got != tt.want {
			t.Errorf("%s, %s%s: %v", tt.without, tt.in.Path, tt.in.URL, got)
		}
	}
}

func TestFallbackOfAProfile(t *testing.T) {
	live := &Profile{Name: "live", Serve: "cdn", Fallback: true}
	for _, tt := range []struct {
		has, can bool
		want     int
	}{{true, true, 0}, {false, true, 1}, {false, false, 0}} {
		pg, err := page.Read([]byte(top + "<script integrity=" + right + " crossorigin src=" + harbour +
			"js/oarlock.js></script>"))
		if err != nil {
			t.Fatal(err)
		}
		p := &Page{Page: pg, Includes: make([]Include, len(pg.Includes)), Items: make([]order.Item, len(pg.Includes))}
		last := len(pg.Includes) - 1
		p.Includes[last] = Include{URL: harbour + "js/oarlock.js", Library: "oarlock", Loads: true,
			Fallback: tt.has, CanFallBack: tt.can}
		if list := OnPage(p, crateOf{profile: live}); len(list) != tt.want {
			t.Errorf("%+v: %+v", tt, list)
		}
	}
}

func TestSort(t *testing.T) {
	list := []Finding{{Name: "b", File: "b.html", Line: 1}, {Name: "z", File: "a.html", Line: 9},
		{Name: "a", File: "a.html", Line: 9}, {Name: "x", File: "a.html", Line: 2, Column: 5},
		{Name: "y", File: "a.html", Line: 2, Column: 1}}
	Sort(list)
	var got string
	for _, f := range list {
		got += f.Name
	}
	if got != "yxazb" {
		t.Errorf("sorted as %s", got)
	}
}

// TestCauses: what several places have in common is reported once, with what to type for all of their pages.
func TestCauses(t *testing.T) {
	list := Causes([]Finding{
		{Name: NeedLater, Severity: Error, File: "a.html", Line: 3, Column: 1, Message: "m",
			Next: "merry order a.html --fix"},
		{Name: FileMissing, Severity: Error, File: "a.html", Line: 9, Column: 2, Message: "gone", Next: "put it there"},
		{Name: NeedLater, Severity: Error, File: "b.html", Line: 4, Column: 1, Message: "m",
			Next: "merry order b.html --fix"},
		{Name: NeedLater, Severity: Warning, File: "b.html", Line: 5, Column: 1, Message: "m"},
	})
	if len(list) != 3 || len(list[0].Places) != 1 || list[0].Places[0] != "b.html:4:1" ||
		list[0].Next != "merry order a.html b.html --fix" || list[1].Next != "put it there" {
		t.Errorf("the causes are %+v", list)
	}
	if next := forAll("merry switch x --cdn --page a.html",
		[]string{"a.html", "b.html"}); next != "merry switch x --cdn --page a.html,b.html" {
		t.Errorf("next is %q", next)
	}
}

// TestChanges: a finding that only stands in another line neither came nor went.
func TestChanges(t *testing.T) {
	of := func(lines ...int) (list []Finding) {
		for _, l := range lines {
			list = append(list, Finding{Name: FileMissing, File: "a.html", Line: l, Message: "gone"})
		}
		return list
	}
	if came, went := Changes(of(1, 2), of(3)); len(came) != 0 || len(went) != 1 {
		t.Errorf("%v came, %v went", came, went)
	}
	if came, went := Changes(of(1), append(of(1, 2), Finding{Name: NeedLater, File: "b.html"})); len(came) != 2 ||
		len(went) != 0 {
		t.Errorf("%v came, %v went", came, went)
	}
}

// TestNewer: findings are the same wherever their lines moved to, and as many as there were.
func TestNewer(t *testing.T) {
	f := func(name, file string, line int) Finding {
		return Finding{Name: name, File: file, Line: line, Message: "m"}
	}
	before := []Finding{f("a", "x", 1), f("a", "x", 9), f("b", "x", 2), f("c", "y", 3)}
	list, mended := Newer(before, []Finding{f("a", "x", 5), f("a", "x", 6), f("a", "x", 7), f("b", "y", 2)})
	if len(list) != 2 || list[0].Line != 7 || list[1].File != "y" || mended != 2 {
		t.Errorf("new are %+v, and %d mended", list, mended)
	}
	if list, mended := Newer(before, before); list == nil || len(list) != 0 || mended != 0 {
		t.Errorf("of the same, new are %v, and %d mended", list, mended)
	}
}
