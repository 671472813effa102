package texts

import (
	"strings"
	"testing"
)

func TestText(t *testing.T) {
	for in, want := range map[string]string{
		"plain é ü 漢": "plain é ü 漢", "a\x1b[2Jb": `a\u001b[2Jb`, "a\nb": `a\u000ab`, "a\u202eb": `a\u202eb`,
		"\x7f": `\u007f`, "a\x00": `a\u0000`, "\u0085": `\u0085`,
	} {
		if got := Text(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
	if got := Text(strings.Repeat("a", 1000)); len(got) > 450 {
		t.Errorf("a long text stays %d long", len(got))
	}
}
