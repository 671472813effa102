package renames

import (
	"testing"

	"merrycrate.example/merry/crate/style"
)

// meaningOf is what the class a says of its element in a stylesheet.
func meaningOf(css string) string {
	s := style.Read([]byte(css))
	return newMeanings(s, countAll(s)).of("a").own()
}

// TestSameMeaning: ways to say one thing are one thing, in the notation that reads plainest.
func TestSameMeaning(t *testing.T) {
	for _, tt := range []struct{ css, want string }{
		{".a{margin:0}", "margin-bottom:0;margin-left:0;margin-right:0;margin-top:0"},
		{".a{margin:1rem 8px}", "margin-bottom:16px;margin-left:8px;margin-right:8px;margin-top:16px"},
		{".a{padding:1px 2px 3px}", "padding-bottom:3px;padding-left:2px;padding-right:2px;padding-top:1px"},
		{".a{margin-inline:4px 8px}", "margin-left:4px;margin-right:8px"},
		{".a{padding-inline:.5rem}", "padding-left:8px;padding-right:8px"},
		{".a{margin-block:4px}", "margin-bottom:4px;margin-top:4px"},
		{".a{padding-block:0px 2px}", "padding-bottom:2px;padding-top:0"},
		{".a{margin-inline-start:1px;padding-block-end:2px}", "margin-left:1px;padding-bottom:2px"},
		{".a{inset:0}", "bottom:0;left:0;right:0;top:0"},
		{".a{inset-inline-start:1px;inset-inline-end:2px}", "left:1px;right:2px"},
		{".a{border-width:1px 2px}", "border-bottom-width:1px;border-left-width:2px;border-right-width:2px;" +
			"border-top-width:1px"},
		{".a{border-radius:4px}",
			"border-bottom-left-radius:4px;border-bottom-right-radius:4px;border-top-left-radius:4px;" +
				"border-top-right-radius:4px"},
		{".a{border-start-start-radius:4px}", "border-top-left-radius:4px"},
		{".a{text-align:start}", "text-align:left"},
		{".a{float:inline-end}", "float:right"},
		{".a{color:#FFF}", "color:#ffffff"},
		{".a{color:rgb(255, 0, 16)}", "color:#ff0010"},
		{".a{color:rgba(255,0,16,1)}", "color:#ff0010"},
		{".a{color:rgb(255 0 16 / 1)}", "color:#ff0010"},
		{".a{color:rgba(0,0,0,.5)}", "color:rgba(0,0,0,0.5)"},
		{".a{color:white !important}", "color:#ffffff"},
		{".a{background:black}", "background-color:#000000"},
		{".a{transition:opacity 150ms}", "transition:opacity 0.15s"},
		{":root{--hull:#123}.a{color:var(--hull)}", "color:#112233"},
		{":root{--hull:var(--keel);--keel:oak}.a{content:var(--hull)}", "content:oak"},
		{".a{color:var(--none, var(--no, #0f0))}", "color:#00ff00"},
		{":root{--round:var(--round)}.a{color:var(--round)}", "color:var(--round)"},
		{":root{--x: ;--y: ;}.a{margin-inline:var(--x) var(--y)}", ""},
		{":root{--x: ;--y: ;}.a{margin:var(--x) var(--y)}", ""},
		{".a{display:-webkit-box;display:flex}", "display:flex"},
		{".a{width:calc(100% - 1rem)}", "width:calc(100% - 16px)"},
		{".a{content:\"1rem\"}", "content:\"1rem\""},
		{"@layer x{.a{top:0}}", "top:0"},
		{"@supports (display:grid){.a{top:0}}", "top:0"},
		{".a:hover{top:0}.b .a{left:0}", ""}, // of its element in some state or place alone
		{".b,.a{top:0}", "top:0"},
	} {
		if got := meaningOf(tt.css); got != tt.want {
			t.Errorf("%s means %q, wanted %q", tt.css, got, tt.want)
		}
	}
}

// TestAlikeIsLessForLess: what is said of two classes is weighed by what they share.
func TestAlikeIsLessForLess(t *testing.T) {
	last := 1.1
	for _, css := range []string{".b{top:0;left:0;color:red}", ".b{top:0;left:0;color:black}", ".b{top:0;left:0}",
		".b{top:0;left:2px}", ".b{top:0}", ".b{top:1px}", ".b{float:left}"} {
		s := style.Read([]byte(".a{top:0;left:0;color:red}" + css))
		m := newMeanings(s, countAll(s))
		share, said := alike(m.of("a"), m.of("b"), true)
		if share >= last || share < 0 || said < 0 || (share == 0) != (said == 0) && css != ".b{top:1px}" {
			t.Errorf("%s is alike by %.2f, said %.2f; the one before by %.2f", css, share, said, last)
		}
		last = share
	}
	if share, said := alike(nil, declarations{"x": {value: "1", weight: 1}}, true); share != 0 || said != 0 {
		t.Error("nothing is like something")
	}
}

// FuzzMeanings reads any stylesheet, which must not end the program, and weighs each of its classes against another.
func FuzzMeanings(f *testing.F) {
	for _, css := range []string{":root{--x: ;}.a{margin-inline:var(--x) var(--x)}", ".a{margin:1px 2px 3px 4px " +
		"5px}.b{inset:calc(1px + (2px))}", ".a{color:rgb(999 0 0)}.b{color:#12}",
		"@media (min-width:1px){.a{top:1e9px}}.b{border-color:red blue}"} {
		f.Add([]byte(css))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		s := style.Read(b)
		m := newMeanings(s, countAll(s))
		for _, class := range []string{"a", "b"} {
			m.of(class).own()
			m.anywhere(class)
			m.glyph(class)
			m.styled(class).begins()
		}
		if share, _ := alike(m.of("a"), m.of("b"), true); share < 0 || share > 1.000001 {
			t.Errorf("%q: alike by %v", b, share)
		}
	})
}
