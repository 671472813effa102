package cli

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/renames"
)

func printed(work func(a *app)) string {
	var b bytes.Buffer
	work(&app{out: &b, err: &b})
	return b.String()
}

// TestNothingFromOutsideReachesTheTerminal: names and texts with terminal escapes are printed harmless.
func TestNothingFromOutsideReachesTheTerminal(t *testing.T) {
	const evil = "\x1b]0;x\x07\x1b[2Jname\u202e"
	finding := check.Finding{Name: "need-later", Severity: check.Error, File: evil, Line: 1, Column: 1, Message: evil,
		Why: evil, Next: evil}
	rename := &renames.Rename{Old: evil, New: evil, Because: []string{evil}}
	for name, text := range map[string]string{
		"findings": printed(func(a *app) {
			a.printFindings(&crate.Checked{Pages: 1, Findings: []check.Finding{finding}, Unsure: []string{evil}}, false)
		}),
		"adopted": printed(func(a *app) {
			a.printAdopted(&crate.Adopted{Tags: []crate.AdoptedTag{{Ref: evil, At: evil, Library: evil, Version: evil,
				File: evil, Because: []string{evil}, State: crate.StateAdopted, Next: evil},
				{Ref: evil, State: crate.StateOwn}},
				CDNs: map[string]cdn.Pattern{evil: evil}, Notes: []string{evil}})
		}),
		"order": printed(func(a *app) {
			a.printOrder(&crate.Ordered{Page: evil, Steps: []crate.Step{{Name: evil, Defines: []string{evil},
				Needs: []string{evil}, Verdict: "fine", Looks: []crate.Look{{Selector: evil}}}},
				Constraints: []crate.OrderConstraint{{Reason: evil, State: order.Broken}}, Cycle: []string{evil},
				Stuck: []string{evil}})
		}),
		"compare": printed(func(a *app) {
			a.printCompared(&crate.Compared{Library: evil, Old: evil, New: evil, Licence: [2]string{evil, "x"},
				Removed: []crate.RemovedName{{Kind: "class", Name: evil, Uses: []crate.Occurrence{{At: evil}},
					Rename: rename}}, FilesAdded: []crate.FileSize{{Path: evil}}}, true)
		}),
		"bill": printed(func(a *app) {
			a.printBill(&crate.Bill{Libraries: []crate.BillLine{{Name: evil, Version: evil, Licence: evil, Origin: evil,
				Needs: []string{evil}}}, Advisories: 1, Warnings: []crate.Warning{{ID: evil, Library: evil,
				Summary: evil, Fixed: []string{evil}}}, Notes: []string{evil}})
		}),
		"newer": printed(func(a *app) {
			a.printNewer([]crate.UpgradeLine{{Library: evil, Here: evil, Allowed: evil, Newest: evil, Effect: evil,
				Hold: &record.Hold{Below: evil, Because: evil}}})
		}),
		"repin": printed(func(a *app) {
			a.printRepin(&crate.Repinned{Libraries: []crate.RepinnedLibrary{{Library: evil, Old: evil, New: "x"}},
				Renames: []crate.DoneRename{{Old: evil, New: evil}}, Notes: []string{evil}})
		}),
		"mended": printed(func(a *app) {
			a.printMended(&crate.Mended{Pages: []crate.MendedPage{{Page: evil, Did: []string{evil}}}})
		}),
	} {
		if strings.ContainsAny(text, "\x1b\x07\u202e") || !strings.Contains(text, "name") {
			t.Errorf("%s prints %q", name, text)
		}
	}
}

func TestWords(t *testing.T) {
	if got := short("https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js", 30); len([]rune(got)) != 30 ||
		!strings.HasSuffix(got, "oarlock.min.js") || !strings.HasPrefix(got, "https") {
		t.Errorf("cut to %q", got)
	}
	if got := some([]string{"a", "b", "c", "d", "e"}); got != "a b c +2" {
		t.Errorf("%q", got)
	}
	for year, want := range map[int]string{0: "none", 2009: "ES5", 2015: "ES2015"} {
		if got := edition(year); got != want {
			t.Errorf("%d is %s", year, got)
		}
	}
	for pair, want := range map[[2]string]string{{"MIT", "MIT"}: "MIT, as before", {"MIT", ""}: "MIT → unknown",
		{"", "MIT"}: "unknown → MIT"} {
		if got := fromTo(pair[0], pair[1]); got != want {
			t.Errorf("%v: %q", pair, got)
		}
	}
	if got := signed(crate.Difference{Added: []string{"a"}, Removed: []string{"b"}}); got != "+a -b" {
		t.Errorf("%q", got)
	}
	if got := rehearsed(&crate.Checked{Pages: 3, Rehearsed: 2}); got != "; 2 rehearsed" {
		t.Errorf("%q", got)
	}
}

// TestSarifOf: every finding has its rule, its level and its place.
func TestSarifOf(t *testing.T) {
	c := &crate.Checked{Findings: []check.Finding{
		{Name: "need-later", Severity: check.Error, File: "crews/a b.html", Line: 3, Column: 7, Message: "m", Why: "w",
			Next: "n"},
		{Name: "on-no-page", Severity: check.Note, File: "js/x.js"},
		{Name: "need-later", Severity: check.Error, File: "a:b.html", Line: 1, Column: 1},
		{Name: "need-later", Severity: check.Error, File: "x.html", Line: 9, Column: 10, Message: "in line 9 " +
			"(x.html:9:10)"},
		{Name: "need-later", Severity: check.Error, File: "x.html", Line: 12, Column: 12, Message: "in line 12 " +
			"(x.html:12:12)"},
	}}
	line := "<p>ü𝛼</p>  <script>"
	log := check.Log{Line: func(string, int) []byte { return []byte(line) }}
	b, err := json.Marshal(log.SARIF(c.Findings))
	if err != nil {
		t.Fatal(err)
	}
	text := string(b)
	for _, want := range []string{`"uri":"crews/a%20b.html"`, `"region":{"startLine":3,"startColumn":6}`,
		`"uri":"./a:b.html"`, `"columnKind":"utf16CodeUnits"`, `"startLine":9,"startColumn":7`, `:1"}`, `:2"}`,
		`"shortDescription":{"text":"`, `"fullDescription":{"text":"`,
		`"level":"note"`, `"ruleIndex":1`, `"text":"m. Why: w. Next: n"`} {
		if !strings.Contains(text, want) {
			t.Errorf("the log lacks %s:\n%s", want, text)
		}
	}
	if strings.Count(text, `"id":"need-later"`) != 1 {
		t.Error("a rule stands there twice")
	}
	if b, _ := json.Marshal(check.Log{}.SARIF(nil)); !strings.Contains(string(b), `"results":[]`) ||
		!strings.Contains(string(b), `"rules":[]`) {
		t.Errorf("nothing found is %s", b)
	}
}

// TestSandboxRefusesNonsense: the room answers requests alone.
func TestSandboxRefusesNonsense(t *testing.T) {
	if _, err := crate.ServeSandbox([]byte("no request"), nil); err == nil {
		t.Error("nonsense was rehearsed")
	}
	b,
		err := crate.ServeSandbox([]byte(`{"html":"<script></script>","address":"https://x.example/","scripts":`+
		`[{"text":"nothing()","when":"in place"}]}`), nil)
	if err != nil || !strings.Contains(string(b), "nothing is not defined") {
		t.Errorf("%v: %s", err, b)
	}
}
