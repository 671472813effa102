package memo

import "testing"

// TestRegexp: an expression is compiled once; a faulty one panics only when it is first used.
func TestRegexp(t *testing.T) {
	oar := Regexp(`^oar`)
	first, again := oar(), oar()
	if !first.MatchString("oarlock") || first != again {
		t.Error("the expression is compiled again at each use")
	}
	broken := Regexp(`(`)
	defer func() {
		if recover() == nil {
			t.Error("a faulty expression does not panic")
		}
	}()
	broken()
}
