package style

import (
	"slices"
	"testing"
)

// TestClasses: skimming a stylesheet for its classes finds those that reading it finds.
func TestClasses(t *testing.T) {
	for _, text := range []string{
		".a.b > .c:not(.d) { color: red; background: url(x.png) } " +
			"/* .e {} */ @media print { .f, #g .h { top: 1.5em } }",
		"@import url('a.b.css'); @font-face { src: url(a.woff) } .i::before { content: \".j{\" } " +
			"a[href='.k{'] .l { x: y }",
		".m { .n { top: 1px } &.o { top: 2px } } @supports selector(.z1) { .p { } } .q{}.r{} .1s {}",
		"@keyframes t { 0.5% { top: 0 } } .u /* .v */ .w { } .x\n,\n.y { }",
	} {
		var want []string
		for _, m := range Read([]byte(text)).Makes() {
			if m.Kind == Class {
				want = append(want, m.Name)
			}
		}
		if got := Classes([]byte(text)); !slices.Equal(got, want) {
			t.Errorf("%s: %v, not %v", text, got, want)
		}
	}
}
