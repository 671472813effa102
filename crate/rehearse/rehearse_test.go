package rehearse

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// run rehearses a page whose scripts are all inline.
func run(t *testing.T, page string, texts map[string]string) *Report {
	t.Helper()
	return runWith(t, page, &Request{Texts: texts})
}

// runWith is run with what else the request has.
func runWith(t *testing.T, page string, req *Request) *Report {
	t.Helper()
	req.HTML, req.Address, req.Browser = page, "https://club.example/tides/index.html", []string{"AudioContext", "Intl"}
	rest := page
	line := 1
	for {
		before, after, ok := strings.Cut(rest, "<script")
		if !ok {
			break
		}
		line += strings.Count(before, "\n")
		attrs, body, _ := strings.Cut(after, ">")
		text, tail, _ := strings.Cut(body, "</script>")
		sc := Script{Name: fmt.Sprint("inline ", len(req.Scripts)), Text: text, When: InPlace, Line: line, Column: 1}
		if strings.Contains(attrs, "defer") {
			sc.When = Deferred
		}
		if strings.Contains(attrs, "unknown") {
			sc.Skip, sc.Unknown = "of elsewhere", true
		}
		req.Scripts = append(req.Scripts, sc)
		line += strings.Count(after[:len(after)-len(tail)], "\n")
		rest = tail
	}
	stop := make(chan struct{})
	timer := time.AfterFunc(5*time.Second, func() { close(stop) })
	defer timer.Stop()
	return Run(req, stop)
}

func TestFaults(t *testing.T) {
	const page = "<!doctype html><body><p id=one class='a b' data-x=1>hello <b>there</b></p>\n%s\n" +
		"<ul id=late><li>x</ul>"
	for _, tt := range []struct{ name, script, want string }{
		{"nothing wrong", "<script>var a = 1; window.b = a + 1;</script><script>if (b !== 2) throw " +
			"Error('no')</script>", ""},
		{"a name that is not there", "<script>oarlock(1)</script>", "2: ReferenceError: oarlock is not defined " +
			"[oarlock]"},
		{"typeof is no use", "<script>if (typeof oarlock !== 'undefined') oarlock()</script>", ""},
		{"kept, and used at once", "<script>(function (o) { o.fn = 1 })(window.oarlock)</script>",
			"2: TypeError [oarlock]"},
		{"kept, and used when ready", "<script>var o = window.oarlock; document.addEventListener('DOMContentLoaded', " +
			"function () { o.fn = 1 })</script>", "ready TypeError [oarlock]"},
		{"an element before", "<script>document.getElementById('one').className += ' c'; document.querySelector('p.c " +
			"> b').textContent.length.toFixed()</script>", ""},
		{"an element behind", "<script>document.getElementById('late').className = 'x'</script>", "TypeError"},
		{"an element behind, when ready", "<script>addEventListener('load', function () { " +
			"document.querySelectorAll('#late li')[0].classList.add('y') })</script>", ""},
		{"an id is a global", "<script>one.classList.contains('a') || nothing()</script>", ""},
		{"deferred runs last", "<script defer>b()</script><script>function b() { document.getElementById('late').id " +
			"}</script>", ""},
		{"selectors", "<script>var q = function (s) { return document.querySelectorAll(s).length }; if " +
			"(q('p, b') !== " +
			"2 || q('body > p[data-x=\"1\"]:not(.c) b:first-child') !== 1 || q('p:nth-child(2n+1)') !== 1 || q('ul') " +
			"!== 0) throw new Error(q('p, b') + ' ' + q('p:nth-child(2n+1)'))</script>", ""},
		{"a selector that is none", "<script>document.querySelector('p[')</script>", "SyntaxError: 'p[' is not a " +
			"valid selector."},
		{"markup", "<script>var d = document.createElement('div'); d.innerHTML = '<i class=x>1</i><img src=a.png>'; " +
			"document.body.appendChild(d); if (d.firstChild.outerHTML !== '<i class=\"x\">1</i>' || " +
			"d.children.length " +
			"!== 2 || d.lastChild.src !== 'https://club.example/tides/a.png') throw new Error(d.innerHTML + " +
			"d.lastChild.src)</script>", ""},
		{"events", "<script>var n = 0, b = document.querySelector('b'); b.parentNode.addEventListener('click', " +
			"function (e) { if (e.target === b && this === b.parentNode) n++ }); b.click(); if (n !== 1) throw new " +
			"Error(n)</script>", ""},
		{"styles and data", "<script>var p = document.getElementById('one'); p.style.marginTop = '1px'; " +
			"p.dataset.tideHeight = 3; if (p.getAttribute('data-tide-height') !== '3' || p.style.cssText !== " +
			"'margin-top: 1px;' || p.dataset.x !== '1') throw new Error(p.style.cssText)</script>", ""},
		{"timers", "<script>setTimeout(function () { setTimeout(nothing, 5) }, 10)</script>",
			"ReferenceError: nothing is not defined [nothing]"},
		{"promises", "<script>Promise.resolve(1).then(function (n) { window.done = n " +
			"})</script><script>setTimeout(function () { if (done !== 1) throw new Error('no') })</script>", ""},
		{"the console", "<script>console.error('low', 'water')</script>", "error low water"},
		{"something written", "<script>document.write('<script>var w = 1<\\/script><em " +
			"id=written></em>')</script><script>if (w !== 1 || !document.getElementById('written')) throw new " +
			"Error('no')</script>", ""},
		{"a fallback", `<script>typeof oarlock==="undefined"&&document.write('<script src="../js/oarlock.js">` +
			`<\/script>')</script><script>oarlock()</script>`, ""},
	} {
		r := run(t, strings.Replace(page, "%s", tt.script, 1),
			map[string]string{"https://club.example/js/oarlock.js": "function oarlock() {}"})
		var got []string
		for _, f := range r.Faults {
			s := fmt.Sprintf("%d:%d %s %s", f.Line, f.Column, f.Message, f.Console+f.When)
			if f.Global != "" {
				s += " [" + f.Global + "]"
			}
			if !f.Sure {
				s += " unsure"
			}
			got = append(got, s)
		}
		text := strings.Join(got, "; ")
		ok := tt.want == "" && text == ""
		if tt.want != "" {
			ok = len(got) == 1 && !strings.Contains(text, "unsure")
			for _, w := range strings.Fields(tt.want) {
				ok = ok && strings.Contains(text, w)
			}
		}
		if !ok || r.Stopped != "" {
			t.Errorf("%s: %q, want %q (%s)", tt.name, text, tt.want, r.Stopped)
		}
	}
}

// TestOnLoad: what the body's onload says runs when the page has loaded, unless something else took its place; and
// texts that timers run are those of who set them.
func TestOnLoad(t *testing.T) {
	const start = "<script>function start() { oarlock() }</script>"
	for _, tt := range []struct{ onload, page, want string }{
		{"oarlock()", "<body><p>x", "-2 3:9 ReferenceError: oarlock is not defined"},
		{"start()", "<head>" + start + "<body>", "0 1:27 ReferenceError: oarlock is not defined"},
		{"var a = 1;\n  a.b.c", "<body>", "-2 4:7 TypeError: Cannot read properties of undefined (reading 'c')"},
		{"this === window && event.type === 'load' || oarlock()", "<body>", ""},
		{"oarlock()", "<body><script>onload = null</script>", ""}, {"", "<head><script>onload = function () { " +
			"oarlock() }</script><body><script>1</script>", ""},
		{"a(", "<body>", "-2 0:0 SyntaxError: what it says is no script"},
		{"a(", "<body><script>onload = function () {}</script>", ""}, {"setTimeout('oarlock()', 9)", "<body>",
			"-2 0:0 ReferenceError: oarlock is not defined"},
		{"", "<body><script>setTimeout('oarlock()', 9)</script>", "0 0:0 ReferenceError: oarlock is not defined"},
		{"", "<body><script>var a = 0; setTimeout('a++', 9); setTimeout(function () { a === 1 || oarlock() }, " +
			"99)</script>", ""},
		{"if (window.opera || window.attachEvent) oarlock()", "<body>", ""},
	} {
		r := runWith(t, "<!doctype html>"+tt.page, &Request{OnLoad: &Script{Text: tt.onload, Line: 3, Column: 2}})
		got := ""
		for _, f := range r.Faults {
			if !f.Sure {
				got += "unsure "
			}
			got += fmt.Sprintf("%d %d:%d %s", f.Script, f.Line, f.Column, f.Message)
		}
		if got != tt.want {
			t.Errorf("%q on %s: %s, want %s", tt.onload, tt.page, got, tt.want)
		}
	}
}

// TestGuessedEnds: a loop that ends nowhere only because something stands in for what can't be simulated is no fault of
// the page, and who walks along such a thing comes to an end.
func TestGuessedEnds(t *testing.T) {
	if r := run(t, "<body><script>var walk = new XPathEvaluator().evaluate('x'), n; while (n = walk.iterateNext()) { "+
		"nothing() }</script>", nil); r.Stopped != "" || len(r.Faults) > 0 {
		t.Errorf("%+v", r)
	}
	for page, guessed := range map[string]bool{"<body><script>var n = new AudioContext().listener; while (n = " +
		"n.parentNode) " +
		"{}</script>": true, "<body><script>for (;;) {}</script>": false} {
		stop := make(chan struct{})
		timer := time.AfterFunc(time.Second, func() { close(stop) })
		text := page[len("<body><script>") : len(page)-len("</script>")]
		r := Run(&Request{HTML: page, Address: "https://club.example/", Browser: []string{"AudioContext"},
			Scripts: []Script{{Text: text, When: InPlace}}}, stop)
		if timer.Stop(); r.Stopped == "" || r.Guessed != guessed {
			t.Errorf("%s: %+v", page, r)
		}
	}
}

func TestUnsure(t *testing.T) {
	for _, page := range []string{
		"<script>new AudioContext().createGain().gain.value.foo.bar(); Intl.x().y.z; var u; u.v</script>",
		"<script unknown></script><script>whatever()</script>",
		"<script>var s = document.createElement('script'); s.src = 'x.js'; " +
			"document.body.appendChild(s)</script><script>var u; u.v</script>",
	} {
		r := run(t, "<body>"+page, nil)
		if len(r.Faults) != 1 || r.Faults[0].Sure {
			t.Errorf("%s: %+v", page, r)
		}
	}
}

func TestReads(t *testing.T) {
	r := run(t, "<body><script>\n  var later = window.tidechart;\n  if (typeof pennants === 'function') pennants();\n"+
		"  'brinework' in window;\n</script>", nil)
	var got []string
	for _, read := range r.Reads {
		got = append(got, fmt.Sprintf("%s %d:%d", read.Global, read.Line, read.Column))
	}
	if s := strings.Join(got, ", "); s != "tidechart 2:22, pennants 3:14, brinework 4:3" || len(r.Faults) > 0 {
		t.Errorf("reads %s, faults %v", s, r.Faults)
	}
	if strings.Join(r.Defined, " ") != "later" {
		t.Errorf("defined: %v", r.Defined)
	}
}

// TestSurplusArguments: variables begin undefined, whatever was passed beyond the parameters.
func TestSurplusArguments(t *testing.T) {
	r := run(t, `<!doctype html><script>
var told = [];
function plain(a) { "use strict"; var g, b, c = 1, inner; g = arguments.length; told.push((function () {
	return this === undefined && g + "/" + b + "/" + c; })(), typeof inner); function inner() { return g; } }
plain(1, true, 2, 3, 4);
var of = { m: function () { var one, two; arguments; return function () { return [one, two]; }; } };
told.push(of.m(5, 6)().join());
(function (a, b) { var b, k; arguments; told.push((function () { return b + "/" + k; })()); })(1, 2, 3);
(() => { (function () { for (var i = 0, later; i < 1; i++) { var deep; } told.push([arguments.length, later, deep,
	(function () { return [i, later, deep]; })()].join()); })(7, 8, 9); })();
if (told.join(" ") !== "5/undefined/1 function , 2/undefined 3,,,1,,") { throw new Error(told.join(" ")); }
</script>`, nil)
	if len(r.Faults) > 0 || !r.Ran[0] {
		t.Errorf("%+v", r.Faults)
	}
}

// TestWasteful: a script that never ends is ended.
func TestWasteful(t *testing.T) {
	for _, script := range []string{"for (;;) {}", "(function f() { f() })()", "var s = 'x'; try { for (;;) f() } " +
		"catch (e) { for (;;) { s = s + 1; s = 'y' } }"} {
		stop := make(chan struct{})
		time.AfterFunc(200*time.Millisecond, func() { close(stop) })
		from := time.Now()
		r := Run(&Request{HTML: "<script></script>", Address: "https://x.example/",
			Scripts: []Script{{Text: script, When: InPlace}}}, stop)
		if time.Since(from) > time.Minute || r.Stopped == "" && len(r.Faults) == 0 {
			t.Errorf("%s: after %v: %+v", script, time.Since(from), r)
		}
	}
}

func FuzzRun(f *testing.F) {
	f.Add("<p>x", "document.body.innerHTML = '<b>'")
	f.Add("<table><script></script>", "document.querySelector(location)")
	f.Fuzz(func(t *testing.T, page, script string) {
		stop := make(chan struct{})
		timer := time.AfterFunc(time.Second, func() { close(stop) })
		defer timer.Stop()
		r := Run(&Request{HTML: page, Address: "https://x.example/", Scripts: []Script{{Text: script, When: InPlace}}},
			stop)
		if strings.HasPrefix(r.Stopped, "the engine gave up") {
			t.Fatalf("%q on %q: %s", script, page, r.Stopped)
		}
	})
}

// TestStandIns: of what is not simulated, a member that no browser has is a fault of the page, and one that browsers
// have makes what follows unsure; files are read and texts encoded.
func TestStandIns(t *testing.T) {
	for text, want := range map[string]string{
		"new AudioContext().createGian()": "sure", "new AudioContext().createGain().x.y(); none()": "sure",
		"new AudioContext().createGain().x.y(); null.x": "unsure", "AudioContext.none()": "sure",
		"var r = new FileReader(); r.onload = function () { none(r.result) }; r.readAsText(new Blob(['a']))": "sure",
		"if (new TextDecoder().decode(new TextEncoder().encode('ä')) === 'ä') none()":                        "sure",
		"new Blob(['ä', new Blob(['b'])]).text().then(function (s) { if (s === 'äb') none() })":              "sure",
		"var i = new Image(); i.onload = function () { none() }; i.src = 'data:image/gif;base64,R0lGOD'":     "sure",
	} {
		r := run(t, "<body><script>"+text+"</script>", nil)
		got := ""
		for _, f := range r.Faults {
			if got = "unsure"; f.Sure {
				got = "sure"
			}
		}
		if got != want {
			t.Errorf("%s: %q, want %q: %+v", text, got, want, r.Faults)
		}
	}
}
