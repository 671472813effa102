package renames

import (
	"testing"

	"merrycrate.example/merry/crate/style"
)

func TestFitOf(t *testing.T) {
	for shape, want := range map[string]fit{
		".&":                   {"self", 11, 1},
		".* .&":                {"self", 22, around},
		".*>.&::before":        {"self:before", 22, around},
		".&.*":                 {"self", 21, together},
		".&>*":                 {"child", 12, below},
		".& .*:after":          {"child:after", 22, below},
		".&:not(:first-child)": {"self", 11, 1},
		"#deck .&":             {"self", 112, around},
	} {
		if got, ok := fitOf(shape); !ok || got != want {
			t.Errorf("%s fits %+v (%v), not %+v", shape, got, ok, want)
		}
	}
	for _, shape := range []string{".&:hover", ".&:hover>.*", ".&+.*", ".& ~ .*", ".*", ".&[open]", ".& .* .*", ""} {
		if got, ok := fitOf(shape); ok {
			t.Errorf("%s fits %+v", shape, got)
		}
	}
}

// What is put on looks the same however its maker wrote it.
func TestWorn(t *testing.T) {
	for _, pair := range [][2]string{
		{".menu .line{height:1px;overflow:hidden}", ".line{height:1px;overflow:hidden}"},
		{".line{top:1px!important}.x .line{top:2px}", ".line{top:2px}.x .line{top:1px!important}"},
		{".x .line{top:1px}.line{top:2px}", ".line{top:2px}.x .line{top:1px}"},
		{".line:before{padding-top:50%}", ".line{--share:50%}.frame:before{padding-top:var(--share)}"},
		{".line{color:#102030}", ".line{--ink:#102030}.frame{color:var(--ink, red)}"},
	} {
		var looks [2]declarations
		for i, css := range pair {
			s := style.Read([]byte(css))
			looks[i] = newMeanings(s, countAll(s)).styled("line")
		}
		for k, v := range looks[0] {
			if looks[1][k].value != v.value {
				t.Errorf("%s: %s is %q, and %q as %s", pair[0], k, v.value, looks[1][k].value, pair[1])
			}
		}
		if len(looks[0]) == 0 || len(looks[0]) != len(looks[1]) {
			t.Errorf("%s: %v and %v", pair[0], looks[0], looks[1])
		}
	}
}

// Names that say nothing by themselves are reported by what stood with them, by what follows the whole of which they
// are, and never against a window's width.
func TestNamesByTheirCompany(t *testing.T) {
	for _, c := range []struct{ about, old, new, was, is string }{
		{"the element that it was in", ".deck .plank{height:1px}",
			".deck{}.deck-plank{height:2px}.rail-plank{height:2px}", "plank", "deck-plank"},
		{"the shortest", ".deck-inner .plank{height:1px}.deck-inner .plank.next{top:0}",
			".deck-plank{height:2px}.deck-plank-next{top:1px}", "plank", "deck-plank"},
		{"a whole that followed", ".crew-seat{top:1px}.crew-hull{top:2px}.crew-oars{top:3px}",
			".boat-seat{left:1px}.boat-hull{left:2px}.boat-oars{left:3px}.tide-low{left:4px}", "crew-seat",
			"boat-seat"},
		{"an end that is nearly the same", ".crew-seat{top:1px}.crew-hull{top:2px}.crew-heading{top:3px}",
			".boat-seat{left:1px}.boat-hull{left:2px}.boat-header{left:3px}", "crew-heading", "boat-header"},
		{"narrow windows", "@media(max-width:9px){.see-low{display:block!important}}",
			"@media(min-width:9px){.look-low{display:block!important}}", "see-low", ""},
	} {
		got := ""
		for _, r := range Classes(style.Read([]byte(c.old)), style.Read([]byte(c.new)), Evidence{}) {
			if r.Old == c.was {
				got = r.New
			}
		}
		if got != c.is {
			t.Errorf("%s: %s is said to be %q now, not %q", c.about, c.was, got, c.is)
		}
	}
}
