package editing

import (
	"strings"
	"testing"
)

// TestTagAt: the place in a start tag is told, finished or not: | marks it.
func TestTagAt(t *testing.T) {
	for _, tt := range []struct{ text, element, attribute, value string }{
		{`<p class="a |b">`, "p", "class", "a b"},
		{`<script src="|">`, "script", "src", ""},
		{`<script src="js/|` + "\n</script>", "script", "src", "js/"},
		{`<img src=gull|.svg alt=x>`, "img", "src", "gull.svg"},
		{`<a href='|x' class="y">`, "a", "href", "x"},
		{`<img alt="a > b" src="|g">`, "img", "src", "g"},
		{`<p title="<b" class="|c">`, "p", "class", "c"},
	} {
		at := strings.IndexByte(tt.text, '|')
		text := tt.text[:at] + tt.text[at+1:]
		got, ok := tagAt([]byte(text), at)
		if !ok || !got.inValue || got.element != tt.element || got.attribute != tt.attribute ||
			text[got.start0:got.end] != tt.value {
			t.Errorf("%s: %+v, %v", tt.text, got, ok)
		}
	}
	for _, text := range []string{"<p>a |b</p>", "|<p>", "a | b"} {
		at := strings.IndexByte(text, '|')
		if got, ok := tagAt([]byte(text[:at]+text[at+1:]), at); ok {
			t.Errorf("%s: %+v", text, got)
		}
	}
	for text, attribute := range map[string]string{"<p dat|a-x>": "data-x", "<p |>": "", "<p a=b |c>": "c"} {
		at := strings.IndexByte(text, '|')
		if got, ok := tagAt([]byte(text[:at]+text[at+1:]), at); !ok || got.inValue || got.attribute != attribute {
			t.Errorf("%s: %+v, %v", text, got, ok)
		}
	}
}

func TestQuotedAt(t *testing.T) {
	for text, want := range map[string]string{`find(".bo|at")`: ".boat", `x = 'a' + "b|"`: "b",
		`'it\'s |here'`: `it\'s here`} {
		at := strings.IndexByte(text, '|')
		whole := text[:at] + text[at+1:]
		from, to, ok := quotedAt([]byte(whole), at)
		if !ok || whole[from:to] != want {
			t.Errorf("%s: %q, %v", text, whole[from:to], ok)
		}
	}
	if _, _, ok := quotedAt([]byte(`"a" + b`), 5); ok {
		t.Error("a place between texts is in one")
	}
}

// FuzzPlaces: no text makes the readers of places fail, and what they tell is in the text.
func FuzzPlaces(f *testing.F) {
	for _, s := range []string{`<p class="a">`, "<script src=", "<<a b='", "a.b{", "import x from './"} {
		f.Add(s, len(s))
	}
	f.Fuzz(func(t *testing.T, s string, at int) {
		if at < 0 || at > len(s) {
			return
		}
		b := []byte(s)
		if p, ok := tagAt(b, at); ok && (p.start0 < 0 || p.start0 > p.end || p.end > len(b)) {
			t.Errorf("%q at %d: %+v", s, at, p)
		}
		if from, to, ok := quotedAt(b, at); ok && (from > at || to < at || to > len(b)) {
			t.Errorf("%q at %d: %d to %d", s, at, from, to)
		}
		if from, to := ruleAround(b, at); from > to || to > len(b) {
			t.Errorf("%q at %d: the rule is %d to %d", s, at, from, to)
		}
		insideRule(b, at)
	})
}
