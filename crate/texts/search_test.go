package texts

import (
	"bytes"
	"maps"
	"testing"
)

// FuzzContained: the names that one pass finds are those that a search for each finds.
func FuzzContained(f *testing.F) {
	f.Add("a.gull-mast{} b('gull-mast__top') gu gull", "gull-mast gull-mast__top gull gu xy mast__top mast__tops")
	f.Add("mastheads0 mastheads1 mastheads3", "mastheads1 mastheads2 mastheads3 mastheads4")
	f.Add("aaaaaaaaaaaaaaaa", "aaaa aaaaaaaa aaaaaaaaaaaaaaaaa a")
	f.Fuzz(func(t *testing.T, text, list string) {
		names, want := map[string]bool{}, map[string]bool{}
		for _, name := range bytes.Fields([]byte(list)) {
			if names[string(name)] = true; bytes.Contains([]byte(text), name) {
				want[string(name)] = true
			}
		}
		if got := Contained([]byte(text), names); !maps.Equal(got, want) {
			t.Errorf("of %v in %q: %v, not %v", names, text, got, want)
		}
	})
}

// TestQuotedNames: names between quotes, slashes, or a quote and a slash.
func TestQuotedNames(t *testing.T) {
	said, whole := QuotedNames([]byte(`a = "themes/" + x + '/icons/' + 'flag.css'; y = "it's/mast`+"`"+`"; z = 'sail"`),
		map[string]bool{"themes": true, "icons": true, "flag.css": true, "mast": true, "sail": true, "x": true})
	if !maps.Equal(said, map[string]bool{"themes": true, "icons": true, "flag.css": true, "mast": true}) ||
		!maps.Equal(whole, map[string]bool{"flag.css": true}) {
		t.Errorf("said %v, whole %v", said, whole)
	}
}

func TestHasValueOf(t *testing.T) {
	for text, want := range map[string]bool{
		`<iframe srcdoc="x">`: true, `<iframe SrcDoc = "x">`: true, "<iframe a=b srcdoc\n=x>": true,
		`<iframe srcdoc>`: false, `<p title="srcdoc">`: false, `<p>a = b`: false, ``: false,
	} {
		if got := HasValueOf([]byte(text), "srcdoc"); got != want {
			t.Errorf("%q: %v", text, got)
		}
	}
}
