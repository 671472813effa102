package style

import (
	"strings"
	"testing"
)

func TestRead(t *testing.T) {
	const text = `@charset "utf-8"; /* .not-a-class */
@font-face { font-family: "Sea Icons"; src: url(a.woff) }
:root { --ink: #123; --bw-foam: var(--ink) }
.bar, nav.menu:not(.is-open) > a#home[data-tide]::before { color: var(--ink, red); content: ".no { } ; .this"; animation: wave 2s linear }
@media (min-width: 40rem) { .bar { .inner & { margin: 0 } padding: 0 } }
@keyframes wave { from { top: 0 } to { top: 1px } }
@layer base { p.note\:big { font-family: "Sea Icons", serif } }
.broken { color: red`
	var got []string
	for _, m := range Read([]byte(text)).Mentions {
		if !strings.HasPrefix(text[m.Offset:], m.Name[:1]) && !strings.HasPrefix(text[m.Offset:], `"`) &&
			text[m.Offset] != '#' {
			t.Errorf("%+v is not at %d", m, m.Offset)
		}
		mark := ""
		if !m.Makes {
			mark = "?"
		}
		got = append(got, string(m.Kind[:2])+" "+m.Name+mark)
	}
	want :=
		"fo Sea Icons; cu --ink; cu --bw-foam; cu --ink?; cl bar; cl menu; cl is-open; id home; at data-tide; cu " +
			"--ink?; ke wave?; ke linear?; cl bar; cl inner; ke wave; cl note:big; fo Sea Icons?; fo serif?; cl broken"
	if s := strings.Join(got, "; "); s != want {
		t.Errorf("read\n%s, want\n%s", s, want)
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{".bw-note > p { margin: 0 }", "@media{.a{", "}}}.x{--y:(;", ".a\\"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, m := range Read([]byte(text)).Mentions {
			if m.Offset < 0 || m.Offset > len(text) {
				t.Fatalf("%+v", m)
			}
		}
	})
}
