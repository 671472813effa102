package packages

import (
	"testing"

	"merrycrate.example/merry/crate/memo"
)

// moduleWord is what forLoader looks for, as one expression.
var moduleWord = memo.Regexp(`(?m)^\s*(?:import\b[^(\n]*["'{*]|export\s)|\bexports\.|\bmodule\.exports\b|\brequire\(`)

// FuzzForLoader: what the skim of a script finds is what one expression over the whole text finds.
func FuzzForLoader(f *testing.F) {
	for _, text := range []string{"import a from 'b'", "x\n  export default " +
		"1", "xexports.a", "$.exports.a", "module.exports",
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
		if len(b) > maxBlanks {
			return
		}
		if got, want := asksServer(b) || importsOrExports(b), moduleWord().Match(b); got != want {
			t.Errorf("%q: %v, not %v", text, got, want)
		}
	})
}
