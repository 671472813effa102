package packages

import (
	"bytes"
	"maps"
	"testing"

	"merrycrate.example/merry/crate/memo"
)

// moduleWord is what forLoader looks for, as one expression.
var moduleWord = memo.Regexp(`(?m)^\s*(?:import\b[^(\n]*["'{*]|export\s)|\bexports\.|\bmodule\.exports\b|\brequire\(`)

// FuzzContained: the names that one pass finds are those that a search for each finds.
func FuzzContained(f *testing.F) {
	f.Add("a.gull-mast{} b('gull-mast__top') gu gull", "gull-mast gull-mast__top gull gu xy mast__top mast__tops")
	f.Add("aaaaaaaaaaaaaaaa", "aaaa aaaaaaaa aaaaaaaaaaaaaaaaa a")
	f.Fuzz(func(t *testing.T, text, list string) {
		names, want := map[string]bool{}, map[string]bool{}
		for _, name := range bytes.Fields([]byte(list)) {
			if names[string(name)] = true; bytes.Contains([]byte(text), name) {
				want[string(name)] = true
			}
		}
		if got := contained([]byte(text), names); !maps.Equal(got, want) {
			t.Errorf("of %v in %q: %v, not %v", names, text, got, want)
		}
	})
}

// FuzzForLoader: what the skim of a script finds is what one expression over the whole text finds.
func FuzzForLoader(f *testing.F) {
	for _, text := range []string{"import a from 'b'", "x\n  export default 1", "xexports.a", "$.exports.a", "module.exports",
		"module.exportsx", "require(", "xrequire(", "import(", "\n\timport {a}", "//import x from 'y'", "a-exports.b"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		b := []byte(text)
		for _, c := range b {
			if c >= 0x80 || c == '\r' || c == '\v' || c == '\f' {
				return // other words, and other blanks, for the expression
			}
		}
		if len(b) > longestWord {
			return
		}
		if got, want := asksServer(b) || importsOrExports(b), moduleWord().Match(b); got != want {
			t.Errorf("%q: %v, not %v", text, got, want)
		}
	})
}

// TestQuotedNames: names between quotes, slashes, or a quote and a slash.
func TestQuotedNames(t *testing.T) {
	said, whole := quotedNames([]byte(`a = "themes/" + x + '/icons/' + 'flag.css'; y = "it's/mast`+"`"+`"; z = 'sail"`),
		map[string]bool{"themes": true, "icons": true, "flag.css": true, "mast": true, "sail": true, "x": true})
	if !maps.Equal(said, map[string]bool{"themes": true, "icons": true, "flag.css": true, "mast": true}) ||
		!maps.Equal(whole, map[string]bool{"flag.css": true}) {
		t.Errorf("said %v, whole %v", said, whole)
	}
}
