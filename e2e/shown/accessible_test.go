package shown

import (
	"context"
	_ "embed"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/internal/merrytest"
)

//go:embed testdata/audit.js
var audit string

// otherAudit is the variable that names the file of the accessibility checker axe. The test runs that, too, if the
// variable is set. CI sets it.
const otherAudit = "MERRY_AXE"

// views are what reports are looked at in: a wide window, a narrow one, and in the dark.
var views = map[string][]chromedp.Action{"wide": {chromedp.EmulateViewport(1280, 800)},
	"narrow": {chromedp.EmulateViewport(400, 800)},
	"dark": {chromedp.EmulateViewport(1280, 800), emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{
		Name: "prefers-color-scheme", Value: "dark"}})}}

// audits are the faults that the audits find on the page of a tab.
func audits(t *testing.T, ctx context.Context) (faults []string) {
	t.Helper()
	if err := chromedp.Run(ctx, chromedp.Evaluate(audit, &faults)); err != nil {
		t.Fatal(err)
	}
	name := os.Getenv(otherAudit)
	if name == "" {
		return faults
	}
	script, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	var more []string
	waiting := func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
	if err := chromedp.Run(ctx, chromedp.Evaluate(string(script)+";0", nil),
		chromedp.Evaluate(`axe.run(document).then(`+
			`found => found.violations.map(v => v.id + ": " + v.nodes.map(n => n.html.slice(0, 120)).join(" ")))`,
			&more, waiting)); err != nil {
		t.Fatal(err)
	}
	return append(faults, more...)
}

// TestReportsAreForEverybody: what merry draws passes an audit of what keeps people from a page, in a wide window, in a
// narrow one and in the dark. So does the other checker, if there is one.
func TestReportsAreForEverybody(t *testing.T) {
	t.Parallel()
	ctx := merrytest.Browser(t)
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "brinework@1.2.0", "--with-needs", "--page", "**")
	s.Run("look", "--save", "before", "index.html")
	s.Run("compare", "brinework", "2.0.0", "--look", "--report", "../compared.html")
	s.Replace("index.html", "js/club.js", "js/Club.js")
	s.Replace("tides.html", "js/config.js", "js/nothing.js")
	s.Replace("css/club.css", "h1 {", "h1 { letter-spacing: 2px;")
	s.Try("check", "--report", "../checked.html")
	s.Try("look", "--against", "before", "--report", "../looked.html", "index.html")
	s.Replace("index.html", "js/Club.js", "js/club.js")
	s.Replace("tides.html", "js/nothing.js", "js/config.js")
	s.Run("check", "--report", "../sound.html")
	for _, name := range []string{"compared", "checked", "looked", "sound"} {
		for view, actions := range views {
			if err := chromedp.Run(ctx, actions...); err != nil {
				t.Fatal(err)
			}
			address := "file://" + filepath.ToSlash(filepath.Join(filepath.Dir(s.Dir), name+".html"))
			if err := chromedp.Run(ctx, chromedp.Navigate(address)); err != nil {
				t.Fatal(err)
			}
			if faults := audits(t, ctx); len(faults) > 0 {
				t.Errorf("%s.html, %s:\n%s", name, view, strings.Join(faults, "\n"))
			}
			if err := chromedp.Run(ctx, emulation.SetEmulatedMedia()); err != nil {
				t.Fatal(err)
			}
		}
	}
	// The pictures are in the report, which needs no script.
	var pictures string
	err := chromedp.Run(ctx, chromedp.Navigate("file://"+filepath.ToSlash(filepath.Join(filepath.Dir(s.Dir),
		"looked.html"))),
		chromedp.Evaluate(`[...document.images].map(i => i.naturalWidth + i.alt.slice(0, 10)).join() + "|" + `+
			`document.querySelectorAll("section").length + "|" + document.scripts.length`, &pictures))
	if err != nil || pictures != "1280index.html,1280index.html,1280the same, |1|0" {
		t.Errorf("%v: the report has %s", err, pictures)
	}
	// The audit itself finds what it is to find.
	s.Write("bad.html", `<body><h1>a</h1><h3></h3><img src=x><svg></svg><a href=x></a><table><tr><td>x</table><p `+
		`style="color:#ccc" id=a>pale<p id=a><div style="overflow:auto;height:9px">a<br>b</div><div `+
		`style="width:9999px">x</div>`)
	var faults []string
	if err := chromedp.Run(ctx, chromedp.Navigate("file://"+filepath.ToSlash(filepath.Join(s.Dir, "bad.html"))),
		chromedp.Evaluate(audit, &faults)); err != nil {
		t.Fatal(err)
	}
	said := strings.Join(faults, "\n")
	for _, want := range []string{"no language", "no title", "0 main parts", "leaves a level out", "heading is empty",
		"picture has no text", "drawing has no text", "control has no name", "no headings", "can't be reached by key",
		"two elements have the id a", "in no part of the page", "too little contrast", "wider than the window"} {
		if !strings.Contains(said, want) {
			t.Errorf("of a page that is for few the audit does not say %q:\n%s", want, said)
		}
	}
}
