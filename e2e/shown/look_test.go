package shown

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
)

// browsed skips a test where the machine has no browser.
func browsed(t *testing.T) {
	t.Helper()
	merrytest.BrowserProgram(t)
}

// TestLook: the console, what failed and what was blocked, with places, causes and the exit status; from whom how much
// came.
func TestLook(t *testing.T) {
	t.Parallel()
	browsed(t)
	s, c := merrytest.Linked(t)
	if out := s.Run("look"); !strings.Contains(out, "index.html  1280  first paint after ") ||
		!strings.Contains(out, "3 pages: 0 errors, 0 warnings") || !strings.Contains(out, "from the site") {
		t.Errorf("look says\n%s", out)
	}
	s.Run("switch", "--cdn", "--page", "tides.html")
	if out := s.Run("look", "tides.html"); !strings.Contains(out, "from the site, ") ||
		!strings.Contains(out, "from cdn.harbour.example") {
		t.Errorf("look says\n%s", out)
	}
	before := c.Connections()
	if out := s.Run("look", "tides.html", "--offline"); strings.Contains(out, "harbour") || c.Connections() != before {
		t.Errorf("offline look says\n%s", out)
	}
	c.Spoil("oarlock/2.0.3/dist/oarlock.min.js")
	s.Replace("index.html", `<script src="js/oarlock.min.js"></script>`, "")
	s.Replace("index.html", "</body>", "<img src=gone.png><script>console.warn('low', 'water'); Promise.reject(new "+
		"Error('adrift')); alert('hello'); throw new TypeError('sunk')</script></body>")
	s.Write("js/slow.js", "")
	r := s.Try("look")
	for _, want := range []string{
		"blocked: its bytes do not match its integrity: " +
			"http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js",
		"failed: 404: gone.png\n    why:  there is no file gone.png\n", "warning: low water\n    at:   index.html:",
		"rejection: a promise was rejected, and nothing handles it: Error: adrift",
		"warning: the page opens a dialog (alert), which was dismissed: hello", "error: TypeError: sunk\n",
		"error: ReferenceError: oarlock is not defined\n    at:   js/club.js:2:1\n    why:  ",
	} {
		if !strings.Contains(r.Out, want) {
			t.Errorf("look does not say %q:\n%s", want, r.Out)
		}
	}
	if r.Status != 1 {
		t.Errorf("status %d", r.Status)
	}
	var seen struct {
		Browser string
		Pages   []struct {
			Page     string
			Width    int
			Messages []struct{ Kind, Text, File, Cause string }
			Bytes    map[string]int64
		}
		Differs []any
	}
	if err := json.Unmarshal([]byte(s.Try("look", "--json", "--widths", "360,800", "tides.html").Out),
		&seen); err != nil || len(seen.Pages) != 2 || seen.Pages[0].Width != 360 ||
		seen.Pages[0].Messages[0].Kind == "" || seen.Browser == "" {
		t.Errorf("%v %+v", err, seen)
	}
	if out := s.Try("look", "--sarif", "index.html").Out; !strings.Contains(out, `"browser-rejection"`) ||
		!strings.Contains(out, `"uri": "js/club.js"`) {
		t.Errorf("SARIF is\n%s", out)
	}
}

// TestLookAgainst: a look that was kept and one afterwards: nothing differs when nothing looks different, wherever
// files come from and whatever moves; a class that lost its rule is found, with the element, the rule and its file.
func TestLookAgainst(t *testing.T) {
	t.Parallel()
	browsed(t)
	s, _ := merrytest.Linked(t)
	s.Replace("index.html", "</main>",
		`<p id="clock"></p><p id="dice"></p><input autofocus><style>@keyframes bob{to{transform:translateX(80px)}}#boat{animation:bob 1s infinite alternate}</style><p id="boat">boat</p>
<script>setInterval(function(){document.querySelector("#clock").textContent=new Date().toISOString()},10);document.querySelector("#dice").textContent=Math.random();</script><p class="never">none</p></main>`)
	out := s.Run("look", "index.html", "--save", "before", "--widths", "360,1280")
	if !strings.Contains(out, "no stylesheet has a rule for: never") ||
		!strings.Contains(out, "merry look --against before") {
		t.Errorf("look says\n%s", out)
	}
	state := s.State()
	for _, changes := range [][][]string{{{"switch", "--cdn"}}, {{"switch", "--local"}, {"switch", "--readable"},
		{"move", "css/brinework.css", "style/brine.css"}}} {
		for _, change := range changes {
			s.Run(change...)
		}
		if out := s.Run("look", "index.html", "--against", "before", "--widths", "360,1280"); !strings.Contains(out,
			"nothing looks different from before") {
			t.Errorf("after %v look says\n%s", changes, out)
		}
	}
	for range 4 {
		s.Run("undo")
	}
	if s.State() != state {
		t.Error("looking changes the site")
	}
	s.Write("css/brinework.min.css", strings.Replace(s.Read("css/brinework.min.css"), ".bw-note{", ".bw-nota{", 1))
	r := s.Try("look", "--against", "before", "index.html", "--report", "looks.html")
	for _, want := range []string{"different: ", "body > main > p(1)\n", ".bw-note  removed: ", "css/brinework.min.css",
		"1 page: 0 errors, 0 warnings; one screenshot looks different from before"} {
		if !strings.Contains(r.Out, want) || r.Status != 1 {
			t.Errorf("look does not say %q, status %d:\n%s", want, r.Status, r.Out)
		}
	}
	report := s.Read("looks.html")
	if strings.Count(report, "<img src=\"data:image/png;base64,") != 3 || !strings.Contains(report, ".bw-note") ||
		strings.Contains(report, "<script") {
		t.Errorf("the report is\n%.2000s", report)
	}
	s.Replace("tides.html", "</main>", `<p id="stamp">high at 06:12</p></main>`)
	s.Run("look", "--save", "masked", "tides.html", "--mask", "#stamp")
	s.Replace("tides.html", "06:12", "07:55")
	if out := s.Run("look", "--against", "masked", "tides.html", "--mask", "#stamp"); !strings.Contains(out,
		"nothing looks different") {
		t.Errorf("masked, look says\n%s", out)
	}
	index := ".merry/looks/before/look.json"
	s.Write(index, strings.Replace(s.Read(index), `"browser":"`, `"browser":"Old`, 1))
	if out := s.Run("look", "--against", "before", "index.html", "--widths", "500"); !strings.Contains(out,
		"was taken with Old") || !strings.Contains(out, "index.html (500) is not in the look before") {
		t.Errorf("of another browser, and a width that was not kept, look says\n%s", out)
	}
	for _, broken := range []string{"{", `{"format":9}`,
		`{"format":1,"shots":[{"page":"index.html","width":1280,"picture":"../../../crate.yaml"}]}`,
		`{"format":1,"shots":[{"page":"index.html","width":1280,"picture":"look.json"}]}`} {
		s.Write(".merry/looks/broken/look.json", broken)
		if r := s.Try("look", "--against", "broken", "index.html"); r.Status == 0 || r.Status == 4 ||
			!strings.Contains(r.Err, "next:") {
			t.Errorf("%s: status %d\n%s%s", broken, r.Status, r.Out, r.Err)
		}
	}
	s.Fail(1, []string{"no look is saved as never"}, "look", "--against", "never")
	s.Fail(2, []string{"can't be the name of a look"}, "look", "--save", "../x")
	s.Fail(2, []string{"--mask ..x is not a CSS selector"}, "look", "index.html", "--against", "before", "--mask",
		"..x")
	s.Fail(2, []string{"--limit must be one second"}, "look", "index.html", "--limit", "-3s")
	s.Fail(2, []string{"--limit soon: write a time, such as 30s"}, "look", "index.html", "--limit", "soon")
	s.Fail(2, []string{"--widths abc: write numbers separated by commas"}, "look", "--widths", "abc")
}

// TestChangesThatAreLookedAt: switch and repin say what looks different afterwards, and revert what should not.
func TestChangesThatAreLookedAt(t *testing.T) {
	t.Parallel()
	browsed(t)
	s, c := merrytest.Linked(t)
	if out := s.Run("switch", "--cdn", "--page", "index.html", "--look"); !strings.Contains(out,
		"nothing looks different from before the change") {
		t.Errorf("switch says\n%s", out)
	}
	s.Run("undo")
	before := s.Pages()
	s.Run("switch", "--cdn") // its bytes are known from here on
	s.Run("switch", "--local")
	c.Down()
	r := s.Try("switch", "--cdn", "--only-if-same", "--page", "index.html")
	if r.Status != 1 || !strings.Contains(r.Out, "reverted, because something looks different or is wrong") ||
		s.Pages() != before {
		t.Errorf("with the CDN down switch says, status %d\n%s%s", r.Status, r.Out, r.Err)
	}
	s.Fail(2, []string{"--dry-run changes nothing"}, "switch", "--cdn", "--look", "--dry-run")
	var answer struct {
		Change struct{ Pages []any }
		Look   struct{ Pages []any }
		Back   bool `json:"reverted"`
	}
	if err := json.Unmarshal([]byte(s.Try("switch", "--readable", "--look", "--page", "index.html", "--json").Out),
		&answer); err != nil || len(answer.Look.Pages) != 1 || len(answer.Change.Pages) != 1 || answer.Back {
		t.Errorf("%v %+v", err, answer)
	}
	s.Register()
	if r := s.Try("repin", "brinework@2.0.0", "--look"); !strings.Contains(r.Out,
		"look different from before the change") || !strings.Contains(r.Out, "merry undo  # reverts the change") {
		t.Errorf("repin says, status %d\n%s%s", r.Status, r.Out, r.Err)
	}
}

// TestLookEndures: pages that do what they should not, and browsers that are not there or do not last.
func TestLookEndures(t *testing.T) {
	t.Parallel()
	browsed(t)
	s := merrytest.Started(t)
	head :=
		`<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" ` +
			`content="width=device-width"><title>x</title></head><body>`
	ending := map[string]string{
		"dialogs": `<script>for(let i=0;i<300;i++)alert(i)</script>`, "download": `<a id=a href="js/club.js" ` +
			`download>x</a><script>document.querySelector("#a").click()</script>`,
		"popup":  `<script>for(let i=0;i<20;i++)window.open("index.html")</script>`,
		"unload": `<script>onbeforeunload=()=>"stay"</script>`,
		"many":   `<script>for(let i=0;i<5000;i++)console.error("line " + i)</script>`,
		"leaves": `<meta http-equiv="refresh" content="0;url=index.html">`,
	}
	endless := map[string]string{
		"loop": `<script>for(;;){}</script>`, "again": `<script>location.replace("again.html?" + ` +
			`Math.random())</script>`,
		"memory": `<script>const all=[];for(;;)all.push(new Array(1e6).fill({}).map(x=>({...x, y: [1,2,3]})))</script>`,
	}
	for folder, pages := range map[string]map[string]string{"odd": ending, "endless": endless} {
		for name, body := range pages {
			s.Write(folder+"/"+name+".html", head+body+"</body></html>")
		}
	}
	from := time.Now()
	looked := s.Try("look", "endless/*.html", "--limit", "3s").Out
	if took := time.Since(from); took > 5*time.Minute {
		t.Errorf("it took %v", took)
	}
	looked += "\n" + s.Try("look", "odd/*.html", "--limit", "2m").Out
	for page, want := range map[string]string{"endless/loop": "did not finish loading within 3s",
		"endless/again": "first paint|did not finish loading|can't be read|requests", "endless/memory": "error:",
		"odd/dialogs": "opens a dialog (alert)", "odd/many": "4000 more console lines", "odd/leaves": "request",
		"odd/unload": "request", "odd/popup": "request", "odd/download": "request"} {
		_, of, _ := strings.Cut(looked, page+".html  ")
		of, _, _ = strings.Cut(of, ".html  1280")
		if ok := regexp.MustCompile(strings.NewReplacer("(", `\(`, ")", `\)`).Replace(want)).MatchString(of); !ok {
			t.Errorf("of %s look says\n%.600s", page, of)
		}
	}
	if left, _ := filepath.Glob(filepath.Join(s.Home, "*", "club*.js")); len(left) > 0 {
		t.Errorf("a page could leave a file: %v", left)
	}
	dies := filepath.Join(s.Home, "dies")
	if err := os.WriteFile(dies, []byte("#!/bin/sh\necho I will not >&2\nexit 3\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	s.Run("sources", "set", "browser", dies)
	s.Fail(3, []string{"does not start"}, "look", "index.html")
	os.Remove(dies)
	s.Fail(3, []string{"there is no browser at " + dies, "merry sources set browser FILE"}, "look", "index.html")
}

// TestCheckAndLookDiffer: if check and the browser disagree, the answer says so.
func TestCheckAndLookDiffer(t *testing.T) {
	t.Parallel()
	browsed(t)
	s := merrytest.Started(t)
	s.Write("js/late.js", "var asks = new XMLHttpRequest();\n"+
		"asks.onload = function () { secretWords('of the club') };\n"+
		"asks.open('GET', 'tides.html');\nasks.send();\n")
	s.Replace("index.html", "</body>", `<script src="js/late.js"></script></body>`)
	r := s.Try("look", "index.html")
	if !strings.Contains(r.Out, "check and the browser disagree on index.html  the browser reports, but check does "+
		"not: ReferenceError: secretWords is not defined") {
		t.Errorf("look says\n%s%s", r.Out, r.Err)
	}
}

// TestLookAtManyPages: pages are rehearsed when they are looked at, however many they are; what comes of a script that
// does not run is explained by that; and what one page's tab was refused is not said of the pages that come after it.
func TestLookAtManyPages(t *testing.T) {
	t.Parallel()
	browsed(t)
	s := merrytest.Empty(t)
	const page = "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>x</title><link " +
		"rel=\"icon\" " +
		"href=\"data:,\"></head>\n<body>\n<script src=\"js/winch.js\"></script>\nMORE\n</body></html>\n"
	s.Write("js/winch.js", "window.winch = { turn: function () {} };\n")
	s.Write("js/lamp.js", "winch.lamp = 1;\n")
	for n := range 40 { // more than check rehearses alone
		s.Write(fmt.Sprintf("p%02d.html", n), strings.Replace(page, "MORE", "<script>winch.turn()</script>", 1))
	}
	s.Run("start")
	const tag = `<script src="js/winch.js"></script>`
	s.Write("p03.html", strings.NewReplacer(tag, strings.Replace(tag, "<script", `<script integrity="sha384-`+
		strings.Repeat("A", 64)+`"`, 1), "MORE", `<script src="js/lamp.js"></script>`).Replace(page))
	s.Write("p05.html", strings.Replace(page, "MORE", "<script>document.addEventListener('DOMContentLoaded', function "+
		"() { bollard(); });</script>", 1))
	s.Write("p07.html", strings.NewReplacer(tag, "", "MORE", `<script src="js/lamp.js"></script>`).Replace(page))
	var seen struct {
		Pages []struct {
			Page     string
			Messages []struct{ Text, Cause string }
		}
		Differs []struct{ Page, What string }
	}
	r := s.Try("look", "--json")
	if err := json.Unmarshal([]byte(r.Out), &seen); err != nil || len(seen.Pages) != 40 {
		t.Fatal(err, r.Out, r.Err)
	}
	if len(seen.Differs) > 0 {
		t.Errorf("check and the browser differ: %+v", seen.Differs)
	}
	for _, p := range seen.Pages {
		ill := p.Page == "p03.html" || p.Page == "p05.html" || p.Page == "p07.html"
		if len(p.Messages) > 0 != ill {
			t.Errorf("of %s is said %+v", p.Page, p.Messages)
		}
		for _, m := range p.Messages {
			if m.Cause == "" {
				t.Errorf("of %s the cause is not known: %+v", p.Page, m)
			}
		}
	}
}

// TestServedBySlowHosts: a host that answers late is waited for, and one that never does is given up.
func TestLookWaits(t *testing.T) {
	t.Parallel()
	browsed(t)
	s := merrytest.Started(t)
	host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/never.js" {
			<-r.Context().Done()
			return
		}
		time.Sleep(600 * time.Millisecond)
		fmt.Fprint(w, "console.error('late')")
	}))
	defer host.Close()
	s.Run("sources", "set", "host", "slow.example", host.Listener.Addr().(*net.TCPAddr).String())
	s.Replace("index.html", "</body>", `<script src="http://slow.example/late.js"></script></body>`)
	s.Replace("tides.html", "</body>", `<script src="http://slow.example/never.js"></script></body>`)
	r := s.Try("look", "--limit", "5s", "index.html", "tides.html", "--wait", "main")
	if !strings.Contains(r.Out, "error: late") || !strings.Contains(r.Out, "did not finish loading within 5s") {
		t.Errorf("look says\n%s%s", r.Out, r.Err)
	}
}

// TestCompareThatLooksAhead: compare shows the pages as they are and as another version would have them, and changes
// nothing.
func TestCompareThatLooksAhead(t *testing.T) {
	t.Parallel()
	browsed(t)
	s := merrytest.Started(t)
	s.Register()
	s.Run("take", "brinework@1.2.0", "--with-needs", "--page", "**")
	s.Run("omit", "brinework", "--page", "crews/index.html")
	before := s.State()
	var answer struct {
		Old, New string
		On       []string
		Look     struct {
			Pages []struct {
				Page      string
				Messages  []struct{ Text string }
				Different *struct{ Regions []any }
			}
		}
	}
	plainly := s.Run("compare", "brinework", "2.0.0", "--look", "--report", "ahead.html")
	for _, words := range []string{".bw-table th, .bw-table td  removed:", "look different from the pages as they " +
		"are, in 1.2.0", "repin brinework@2.0.0"} {
		if !strings.Contains(plainly, words) {
			t.Errorf("compare does not say %q:\n%s", words, plainly)
		}
	}
	if report := s.Read("ahead.html"); strings.Count(report, "<figure>") != 6 ||
		!strings.Contains(report, "<h2>How the pages look</h2>") {
		t.Errorf("the report has %d pictures", strings.Count(report, "<figure>"))
	}
	s.Remove("ahead.html")
	renamed := s.Run("compare", "brinework", "2.0.0", "--look", "--rename-sure", "--json")
	if err := json.Unmarshal([]byte(renamed), &answer); err != nil || answer.Old != "1.2.0" || answer.New != "2.0.0" ||
		len(answer.On) != 2 || len(answer.Look.Pages) != 2 {
		t.Fatalf("%v %+v", err, answer)
	}
	for _, p := range answer.Look.Pages {
		if p.Different == nil || len(p.Messages) > 0 || strings.Contains(fmt.Sprint(p.Different), ".bw-table") {
			t.Errorf("of %s, with what is surely renamed, compare says %+v", p.Page, p)
		}
	}
	if s.State() != before {
		t.Error("compare changes the site")
	}
	// The same version looks the same.
	if out := s.Run("compare", "brinework", "1.2.0", "--look"); !strings.Contains(out, "nothing looks different") {
		t.Errorf("of the same version it says\n%s", out)
	}
	s.Fail(2, []string{"leave OLD out"}, "compare", "brinework", "1.2.0", "2.0.0", "--look")
	s.Fail(2, []string{"--rename-sure works with --look only"}, "compare", "brinework", "2.0.0", "--rename-sure")
	s.Run("omit", "brinework")
	s.Fail(2, []string{"is on no page of this project"}, "compare", "brinework", "2.0.0", "--look")
}
