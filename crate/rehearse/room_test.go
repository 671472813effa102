package rehearse

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/script"
)

// TestRoom holds the stand-in for the document against what a browser answers (e2e/matrix asks it): each line of the
// file is an expression and its value, written as text. What the room does not simulate it is not sure of.
func TestRoom(t *testing.T) {
	page, err := os.ReadFile("testdata/room.html")
	if err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile("testdata/room.txt")
	if err != nil {
		t.Fatal(err)
	}
	var scripts []Script
	html := strings.Replace(string(page), "</body>", "", 1)
	var want []string
	for line := range strings.Lines(string(text)) {
		expression, value, _ := strings.Cut(strings.TrimSuffix(line, "\n"), " → ")
		script, _ := json.Marshal(expression)
		scripts = append(scripts, Script{When: InPlace, Text: "try { console.error(String((0, eval)(" + string(script) +
			")).replace(/\\n/g, \"\\\\n\") + \"|\") } catch (x) { console.error(\"threw \" + x.name + \"|\" + x) }"})
		html += "<script></script>"
		want = append(want, value)
	}
	const perPage = 100 // a page holds not more faults than that
	agree, unsure := 0, 0
	for at := 0; at < len(scripts); at += perPage {
		some := scripts[at:min(at+perPage, len(scripts))]
		r := Run(&Request{HTML: strings.Replace(string(page), "</body>", strings.Repeat("<script></script>", len(some)),
			1),
			Address: "http://club.example/tides/index.html", Scripts: some, Steps: 1, Browser: script.BrowserNames()},
			nil)
		said := map[int]Fault{}
		for _, f := range r.Faults {
			if strings.Contains(f.Message, "|") {
				said[f.Script] = f
			}
		}
		for i := range some {
			f := said[i]
			got, _, _ := strings.Cut(f.Message, "|")
			if last := strings.LastIndex(f.Message, "|"); last == len(f.Message)-1 && last >= 0 {
				got = f.Message[:last]
			}
			switch {
			case got == want[at+i]:
				agree++
			case f.Message != "" && !f.Sure:
				unsure++
			default:
				t.Errorf("%s is %q, want %q", strings.SplitN(some[i].Text, "(0, eval)(", 2)[1], f.Message, want[at+i])
			}
		}
	}
	t.Logf("%d agree, %d are not sure", agree, unsure)
	if agree < 1200 {
		t.Errorf("only %d of %d agree", agree, len(scripts))
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

// TestDeepMembers: members that are inherited or mixed in are members, those of namespaces and classes are listed where
// that is asked for, and so is what kind of thing each is.
func TestDeepMembers(t *testing.T) {
	const text = `class Hull { row() {} } class Boat extends Hull { steer() {} } const f = () => 1;
		window.fleet = Object.assign(Object.create({ base() {} }), { Boat, tide: { high: 1, low() {} }, f,
		g: function () {} }); Object.defineProperty(fleet, 'own', { get() { throw 1 } }); window.armada = fleet;`
	r := Run(&Request{HTML: "<script></script>", Address: "https://x.example/", Members: true, Deep: true,
		Scripts: []Script{{Text: text, When: InPlace}}}, nil)
	want := "Boat Boat.prototype.row Boat.prototype.steer base f g own tide tide.high tide.low"
	if got := strings.Join(r.Members["fleet"], " "); got != want {
		t.Errorf("members are %s, not %s", got, want)
	}
	for name, form := range map[string]string{"fleet": "object", "fleet.Boat": "class", "fleet.f": "method",
		"fleet.g": "function", "fleet.tide.high": "value", "fleet.tide": "object"} {
		if r.Forms[name] != form {
			t.Errorf("%s is %q, not %q", name, r.Forms[name], form)
		}
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
