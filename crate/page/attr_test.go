package page

import (
	"strings"
	"testing"
)

func TestDecode(t *testing.T) {
	for in, want := range map[string]string{
		"a": "a", "a&amp;b": "a&b", "?a=1&copy=2": "?a=1&copy=2", "&copy;": "©", "&copy": "©", "&copyx": "&copyx",
		"&#62;&#x3E": ">>", "&": "&", "&&amp;&": "&&&", "&unknown;": "&unknown;", "&lt": "<", "&lta": "&lta",
		"a&quot;b": `a"b`, "&notit;": "&notit;",
	} {
		if got := decode(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
	for _, text := range []string{"a&b", `a"b`, "a'b", "?a=1&copy=2", "&amp;", "a b", "ü"} {
		for _, quote := range []byte{'"', '\''} {
			if got := decode(encode(text, quote)); got != text || strings.IndexByte(encode(text, quote), quote) >= 0 {
				t.Errorf("%q between %c: %q", text, quote, encode(text, quote))
			}
		}
	}
}

func TestPosition(t *testing.T) {
	b := []byte("a\nbc\r\nd")
	for offset, want := range map[int][2]int{0: {1, 1}, 1: {1, 2}, 2: {2, 1}, 3: {2, 2}, 6: {3, 1}, 99: {3, 2}} {
		if line, col := Position(b, offset); line != want[0] || col != want[1] {
			t.Errorf("%d: %d:%d", offset, line, col)
		}
	}
}

func TestReferTo(t *testing.T) {
	names := []string{"integrity", "crossorigin"}
	full := map[string]string{"integrity": "sha384-x", "crossorigin": "anonymous"}
	tests := []struct {
		tag    string
		values map[string]string
		want   string
	}{
		{`<script src="a.js"></script>`, full, `<script src="b.js" integrity="sha384-x" crossorigin="anonymous">` +
			`</script>`},
		{`<script src="b.js" integrity="sha384-x" crossorigin="anonymous"></script>`, nil,
			`<script src="b.js"></script>`},
		{`<script defer src='a.js' data-x></script>`, full, `<script defer src='b.js' integrity="sha384-x" ` +
			`crossorigin="anonymous" data-x></script>`},
		{`<SCRIPT SRC=a.js></SCRIPT>`, full, `<SCRIPT SRC=b.js integrity="sha384-x" crossorigin="anonymous"></SCRIPT>`},
		{`<script integrity='old' src="a.js" crossorigin></script>`, full, `<script integrity='sha384-x' src="b.js" ` +
			`crossorigin="anonymous"></script>`},
		{`<script crossorigin integrity=old src="a.js"></script>`, nil, `<script src="b.js"></script>`},
		{"<link\n  rel=stylesheet\n  href=a.css\n  integrity=x>", nil, "<link\n  rel=stylesheet\n  href=b.js>"},
		{`<link rel=stylesheet href=a.css />`, full, `<link rel=stylesheet href=b.js integrity="sha384-x" ` +
			`crossorigin="anonymous" />`},
	}
	for _, tt := range tests {
		p, err := Read([]byte(tt.tag))
		if err != nil || len(p.Includes) != 1 {
			t.Fatal(tt.tag, err)
		}
		if got := string(Apply(p.Bytes, p.ReferTo(0, "b.js", names, tt.values))); got != tt.want {
			t.Errorf("%s became\n%s, want\n%s", tt.tag, got, tt.want)
		}
	}
	if got := With(ScriptTag("a.js", true), names, full); got != `<script src="a.js" integrity="sha384-x" `+
		`crossorigin="anonymous" defer></script>` {
		t.Errorf("With wrote %s", got)
	}
}

func TestRemoveTakesWholeLines(t *testing.T) {
	for in, want := range map[string]string{
		"a\n  <script src=x></script>\nb":                         "a\nb",
		"a\n  <script src=x></script> <script src=x></script>\nb": "a\nb",
		"a <script src=x></script> b":                             "a  b",
		"a\r\n\t<script src=x></script>\r\nb":                     "a\r\nb",
		"<script src=x></script>":                                 "",
		"a\n<script src=x></script><script src=y></script>\nb":    "a\n<script src=y></script>\nb",
		"a\n<script src=x></script>\n<script src=x></script>\nb":  "a\nb",
		"a\n<!-- lib --> <script src=x></script>\nb":              "a\n<!-- lib --> \nb",
	} {
		if got := string(omitAll([]byte(in), "x")); got != want {
			t.Errorf("%q became %q, want %q", in, got, want)
		}
	}
}

func TestTemplated(t *testing.T) {
	for ref, want := range map[string]bool{"{{ a }}": true, "{% static 'a' %}": true, "<%= a %>": true,
		"<?= $a ?>": true, "${a}": true, "~/a.js": true, "@Url.Content(a)": true, "@{a}": true, "[[a]]": true,
		"a.js": false, "a{b}.js": false, "a@2.js": false} {
		if in := (&Include{Ref: ref}); in.Templated() != want {
			t.Errorf("%s: %v", ref, !want)
		}
	}
}
