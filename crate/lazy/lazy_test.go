package lazy

import "testing"

// TestRegexp: an expression is compiled once, and one that is none panics only when it is asked for.
func TestRegexp(t *testing.T) {
	oar := Regexp(`^oar`)
	first, again := oar(), oar()
	if !first.MatchString("oarlock") || first != again {
		t.Error("it is compiled anew each time")
	}
	broken := Regexp(`(`)
	defer func() {
		if recover() == nil {
			t.Error("a broken expression is none to it")
		}
	}()
	broken()
}
