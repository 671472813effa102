package manifest

import (
	"strings"
	"testing"
)

// TestExamples: of a readme those pieces are examples of use that a page could run, with the markup before them, and
// elements for what they look up.
func TestExamples(t *testing.T) {
	text := "# winch\n\n```bash\nnpm install winch\n```\n\n```js\nimport winch from 'winch';\nwinch();\n```\n\n" +
		"```html\n<div id=\"pier\"></div>\n```\n\n```js\nwinch('#pier', '.rope', " +
		"document.getElementById('crew'));\n```\n\n" +
		"```js\nwinch({\n  ...\n});\n```\n\n```html\n<p>x</p>\n<script " +
		"src=\"winch.js\"></script>\n<script>\nwinch(1);\n" +
		"</script>\n```\n"
	list := Examples(text)
	if len(list) != 2 {
		t.Fatalf("%d examples: %q", len(list), list)
	}
	first := list[0].Page()
	for _, want := range []string{`<div id="pier">`, `class="rope"`, `id="crew"`} {
		if strings.Count(first, want) != 1 {
			t.Errorf("the page has %s %d times:\n%s", want, strings.Count(first, want), first)
		}
	}
	if list[1].Code != "winch(1);" || strings.Contains(list[1].Markup, "script") ||
		strings.Contains(list[1].Markup, "link") {
		t.Errorf("the second example is %q", list[1])
	}
}

// TestStartBlocks: another way, and what only some pages want, is left out.
func TestStartBlocks(t *testing.T) {
	blocks := StartBlocks("```html\n<!--[if lt IE 9]><script src=\"old.js\"></script><![endif]-->\n<script " +
		"src=\"a.js\">" +
		"</script>\n<!-- optional: sounds -->\n<script src=\"b.js\"></script>\n<!-- or all in one -->\n<script " +
		"src=\"c.js\"></script>\n```\n\n```js\nimport 'winch/d.css';\nimport 'winch/e.css';\n```\n")
	got := strings.Join(blocks, "|")
	for name, want := range map[string]bool{"a.js": true, "d.css": true, "e.css": true, "old.js": false, "b.js": false,
		"c.js": false} {
		if strings.Contains(got, name) != want {
			t.Errorf("%s: %v in %q", name, !want, got)
		}
	}
}

// FuzzExamples: no readme makes reading its examples fail.
func FuzzExamples(f *testing.F) {
	f.Add("```js\nwinch('#a');\n```\n")
	f.Add("    <script>winch()</script>\n")
	f.Fuzz(func(t *testing.T, text string) {
		for _, e := range Examples(text) {
			if e.Code == "" || len(e.Page()) < len(e.Markup) {
				t.Errorf("%q", e)
			}
		}
		StartBlocks(text)
	})
}
