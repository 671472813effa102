package shown

import (
	_ "embed"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"merrycrate.example/merry/internal/merrytest"
)

//go:embed testdata/audit.js
var audit string

// TestReportsAreForEverybody: what merry draws passes an audit of what keeps people from a page, in a wide window and
// in a narrow one.
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
		for _, width := range []int64{1280, 400} {
			if err := chromedp.Run(ctx, chromedp.EmulateViewport(width, 800)); err != nil {
				t.Fatal(err)
			}
			address := "file://" + filepath.ToSlash(filepath.Join(filepath.Dir(s.Dir), name+".html"))
			var faults []string
			if err := chromedp.Run(ctx, chromedp.Navigate(address), chromedp.Evaluate(audit, &faults)); err != nil {
				t.Fatal(err)
			}
			if len(faults) > 0 {
				t.Errorf("%s.html in a window of %d:\n%s", name, width, strings.Join(faults, "\n"))
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
