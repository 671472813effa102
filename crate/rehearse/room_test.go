package rehearse

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
)

// TestRoom holds the stand-in for the document against what the DOM Standard and the HTML Standard say: each line is an
// expression and what it must be, written as text.
func TestRoom(t *testing.T) {
	const page = `<!doctype html><html lang=en><head><title>Tides</title><meta name=author content="Ada"></head><body class="home wide">
<form id=f name=search><input id=i name=q value=low><input type=checkbox checked id=c><select id=s><option value=1>one<option selected>two</select><textarea>words</textarea><button disabled>go</button></form>
<ul id=u><li class=a>1</li><li class="a b">2</li><li id=l3 data-tide-height=3>3</li></ul><a id=a href="crews/index.html?x=1#top">crews</a>
<svg id=v viewBox="0 0 1 1"><path d="M0 0"/></svg><template id=t><p>inside</p></template><p id=p>some <b>bold</b> words</p>`
	for _, line := range strings.Split(`
document.title → Tides
document.documentElement.lang → en
document.body.className → home wide
document.body.classList.contains("wide") → true
document.body.classList.length → 2
document.head.querySelector("meta").content → Ada
document.compatMode → CSS1Compat
document.getElementById("nowhere") → null
document.getElementsByTagName("LI").length → 3
document.getElementsByClassName("a b").length → 1
document.getElementsByName("q")[0].id → i
document.forms.length → 1
document.querySelectorAll("li.a, #l3").length → 3
document.querySelectorAll("ul > li:nth-child(2n)").length → 1
document.querySelectorAll("li:not(.a)").length → 1
document.querySelectorAll("li:first-child + li")[0].textContent → 2
document.querySelectorAll("li.a ~ li").length → 2
document.querySelectorAll('[data-tide-height="3"]').length → 1
document.querySelectorAll('a[href^="crews"]').length → 1
document.querySelectorAll('a[href$="top"], [class~=b]').length → 2
document.querySelectorAll("input:checked").length → 1
document.querySelectorAll("button:disabled").length → 1
document.querySelectorAll("form :enabled").length → 6
document.querySelector("#u").children.length → 3
document.querySelector("ul").lastElementChild.id → l3
document.querySelector("#l3").previousElementSibling.textContent → 2
document.querySelector("#l3").nextElementSibling → null
document.querySelector("b").closest("p").id → p
document.querySelector("b").matches("p > b") → true
document.querySelector("#p").textContent → some bold words
document.querySelector("#p").innerHTML → some <b>bold</b> words
document.querySelector("#p").firstChild.nodeType → 3
document.querySelector("#p").childNodes.length → 3
document.querySelector("#l3").dataset.tideHeight → 3
document.querySelector("#t").content.querySelector("p").textContent → inside
document.querySelectorAll("#t p").length → 0
document.querySelector("#v").namespaceURI → http://www.w3.org/2000/svg
document.querySelector("path").tagName → path
document.querySelector("#a").tagName → A
document.querySelector("#a").pathname → /tides/crews/index.html
document.querySelector("#a").hash → #top
document.querySelector("#a").getAttribute("href") → crews/index.html?x=1#top
document.querySelector("#i").value → low
document.querySelector("#i").type → text
document.querySelector("#c").checked → true
document.querySelector("textarea").value → words
document.querySelector("#i").form.id → f
document.querySelector("#i") instanceof HTMLInputElement → true
document.querySelector("#i") instanceof HTMLElement → true
document.querySelector("#u") instanceof HTMLInputElement → false
document instanceof Document → true
document.nodeType → 9
document.defaultView === window → true
window === self && window === top && window === globalThis → true
location.pathname → /tides/index.html
location.hostname → club.example
String(location) → https://club.example/tides/index.html
f.id → f
typeof nowhere → undefined
window.nowhere → undefined
"nowhere" in window → false
"l3" in window → true
(function () { var e = document.createElement("div"); e.className = "x"; e.id = "y"; return e.outerHTML })() → <div class="x" id="y"></div>
(function () { var e = document.createElement("div"); e.innerHTML = "<td>1</td>"; return e.innerHTML })() → 1
(function () { var e = document.createElement("tr"); e.innerHTML = "<td>1</td>"; return e.innerHTML })() → <td>1</td>
(function () { var e = document.createElement("p"); e.append("a", document.createElement("i")); e.prepend("b"); return e.innerHTML })() → ba<i></i>
(function () { var e = document.querySelector("#u").cloneNode(true); return e.children.length + e.id })() → 3u
(function () { var e = document.querySelector("#u").cloneNode(false); return e.children.length })() → 0
(function () { var e = document.createElement("a"); e.textContent = "<b>"; return e.innerHTML })() → &lt;b&gt;
(function () { var f = document.createDocumentFragment(); f.appendChild(document.createElement("i")); f.appendChild(document.createElement("b")); var e = document.createElement("p"); e.appendChild(f); return e.children.length + " " + f.childNodes.length })() → 2 0
(function () { var e = document.createElement("p"); e.insertAdjacentHTML("beforeend", "<i></i>"); e.insertAdjacentHTML("afterbegin", "<b></b>"); return e.innerHTML })() → <b></b><i></i>
(function () { var e = document.createElement("p"); e.style.cssText = "color: red; top: 1px"; e.style.marginTop = "2px"; return e.style.color + e.style.getPropertyValue("margin-top") })() → red2px
(function () { var e = document.createElement("p"); return [e.style.color, "flex" in e.style, e.style.OAnimation].join() })() → ,true,
(function () { var e = document.createElement("p"); return e.classList.toggle("x") + e.className + e.classList.toggle("x") + e.className })() → truexfalse
(function () { var e = document.createElement("p"); e.hidden = true; e.title = "t"; return e.getAttribute("title") + e.hasAttribute("hidden") })() → ttrue
(function () { var e = document.createElement("img"); e.src = "x.png"; return e.src })() → https://club.example/tides/x.png
(function () { try { document.createElement("<p>") } catch (e) { return e.name } })() → InvalidCharacterError
(function () { try { document.querySelector("p:nope") } catch (e) { return e.name } })() → SyntaxError
(function () { try { document.body.removeChild(document.head) } catch (e) { return e.name } })() → NotFoundError
(function () { try { document.body.appendChild(null) } catch (e) { return e.name } })() → TypeError
(function () { var n = 0, e = document.querySelector("#u"); e.addEventListener("x", function () { n++ }, { once: true }); e.dispatchEvent(new Event("x")); e.dispatchEvent(new Event("x")); return n })() → 1
(function () { var s = ""; document.addEventListener("y", function () { s += "d" }); window.addEventListener("y", function () { s += "w" }); document.querySelector("b").dispatchEvent(new CustomEvent("y", { bubbles: true, detail: 5 })); return s })() → dw
(function () { var s = "", e = document.querySelector("b"); e.addEventListener("z", function (v) { v.stopPropagation(); s += v.target.tagName + v.currentTarget.tagName }); document.body.addEventListener("z", function () { s += "no" }); e.dispatchEvent(new Event("z", { bubbles: true })); return s })() → BB
(function () { var e = document.querySelector("#a"), d; e.onclick = function (v) { v.preventDefault(); d = v.defaultPrevented }; e.click(); return d })() → true
(function () { var p = new DOMParser().parseFromString("<p id=q>x", "text/html"); return p.querySelector("#q").textContent })() → x
(function () { localStorage.setItem("a", 1); return localStorage.getItem("a") + localStorage.getItem("b") + localStorage.length })() → 1null1
atob(btoa("low water")) → low water
matchMedia("(min-width: 1px)").matches → false
getComputedStyle(document.body).display → 
document.querySelector("#l3").attributes.id.value → l3
document.querySelector("#l3").attributes.getNamedItem("data-tide-height").value → 3
document.querySelector("#l3").attributes.nowhere → undefined
document.querySelector("#l3").attributes.length → 2
"onsubmit" in window → true
"onfocusin" in window → false
"onclick" in document.createElement("p") → true
document.readyState → loading
document.currentScript.tagName → SCRIPT
document.contains(document.body) → true
document.body.compareDocumentPosition(document.head) & 2 → 2
new Image().tagName → IMG
new Option("t", "v").value → v
Array.from(document.querySelectorAll("li")).map(function (e) { return e.textContent }).join("") → 123
[].slice.call(document.getElementById("u").childNodes).length → 3
Object.keys(document.querySelector("#l3").dataset).join() → tideHeight
navigator.userAgent.indexOf("Mozilla") → 0
isNaN(document.body.offsetWidth) → false
document.implementation.createHTMLDocument("x").body.tagName → BODY
document.all.length > 10 → true
CSS.escape("a.b") → a\.b
typeof fetch("x").then → function
typeof requestAnimationFrame(function () {}) → number
new MutationObserver(function () {}).takeRecords().length → 0
`, "\n") {
		expression, want, ok := strings.Cut(line, " → ")
		if !ok {
			continue
		}
		script := fmt.Sprintf("try { console.error(String(%s)) } catch (e) { console.error('threw ' + e) }", expression)
		stop := make(chan struct{})
		timer := time.AfterFunc(5*time.Second, func() { close(stop) })
		r := Run(&Request{HTML: page + "<script></script>", Address: "https://club.example/tides/index.html",
			Scripts: []Script{{Text: script, When: InPlace}}}, stop)
		timer.Stop()
		if len(r.Faults) != 1 || r.Faults[0].Message != want || r.Stopped != "" {
			t.Errorf("%s is %+v, want %q", expression, r.Faults, want)
		} else if !r.Faults[0].Sure {
			t.Errorf("%s is unsure", expression)
		}
	}
}

// TestNoWayOut: nothing that a script can reach leads out of the room.
func TestNoWayOut(t *testing.T) {
	for _, name := range []string{"require", "process", "module", "Deno", "host", "room", "importScripts", "os", "fs"} {
		r := Run(&Request{HTML: "<script></script>", Address: "https://x.example/",
			Scripts: []Script{{Text: "console.error(typeof " + name + ")", When: InPlace}}}, nil)
		if len(r.Faults) != 1 || r.Faults[0].Message != "undefined" {
			t.Errorf("%s: %+v", name, r.Faults)
		}
	}
	r := Run(&Request{HTML: "<script></script>", Address: "https://x.example/",
		Scripts: []Script{{Text: "console.error(new Function('return typeof require')() + (function () { return this " +
			"=== window })())", When: InPlace}}}, nil)
	if len(r.Faults) != 1 || r.Faults[0].Message != "undefinedtrue" {
		t.Errorf("%+v", r.Faults)
	}
}

// TestMembers lists what a script's globals have, for comparing two versions.
func TestMembers(t *testing.T) {
	const text = `window.oarlock = function () {}; oarlock.fn = oarlock.prototype = { each: 1, on: function () {} }; ` +
		`oarlock.version = "1"; oarlock._own = 1; var club = "x";`
	r := Run(&Request{HTML: "<script></script>", Address: "https://x.example/", Members: true,
		Scripts: []Script{{Text: text, When: InPlace}}}, nil)
	if got := fmt.Sprint(r.Members); got != "map[oarlock:[prototype.each prototype.on version]]" {
		t.Errorf("members: %s", got)
	}
	if strings.Join(r.Defined, " ") != "oarlock club" && strings.Join(r.Defined, " ") != "club oarlock" {
		t.Errorf("defined: %v", r.Defined)
	}
}

// TestLate: an async script is rehearsed early and late.
func TestLate(t *testing.T) {
	req := &Request{HTML: "<script async></script><script></script>", Address: "https://x.example/",
		Scripts: []Script{{Text: "var CLUB = 1", When: AnyTime}, {Text: "addEventListener('load', function () " +
			"{ CLUB })", When: InPlace}}}
	if r := Run(req, nil); len(r.Faults) != 0 {
		t.Errorf("early: %+v", r.Faults)
	}
	req.Late = true
	if r := Run(req, nil); len(r.Faults) != 1 || r.Faults[0].Global != "CLUB" || !r.Faults[0].Sure {
		t.Errorf("late: %+v", r.Faults)
	}
}

// TestScriptsMustMatch: where the page's elements and the scripts do not go together, nothing is run.
func TestScriptsMustMatch(t *testing.T) {
	r := Run(&Request{HTML: "<script></script><template><script></script></template>", Address: "https://x.example/",
		Scripts: []Script{{Text: "nothing()", When: InPlace}, {Text: "nothing()", When: InPlace}}}, nil)
	if !strings.Contains(r.Stopped, "1 elements, 2 includes") || len(r.Faults) > 0 {
		t.Errorf("%+v", r)
	}
}

// TestReportsAreBounded: whatever a script makes and says, a report stays small.
func TestReportsAreBounded(t *testing.T) {
	r := run(t, "<!doctype html><script>var long = new Array(5000).join('x'); for (var i = 0; i < 30000; i++) { "+
		"window['g' + i] = 1; } window[long] = 1; for (i = 0; i < 2000; i++) { console.error(long); } throw new "+
		"Error(long);</script>", nil)
	if len(r.Defined) > maxNames || len(r.Faults) > maxFaults || slices.ContainsFunc(r.Faults, func(f Fault) bool {
		return len(f.Message) > maxText+10
	}) || slices.ContainsFunc(r.Defined, func(n string) bool { return len(n) > maxText }) {
		t.Errorf("%d globals, %d faults", len(r.Defined), len(r.Faults))
	}
}
