package manifest

import "testing"

func TestStartExamples(t *testing.T) {
	for text, want := range map[string]string{
		"# x\n```html\n<script src=a.js></script>\n```\n":     "<script src=a.js></script>",
		"```js\nimport x\n```\n```\n<link href=a.css>\n```\n": "<link href=a.css>",
		"Put\n<script src=a.js></script>\nat the end.":        "<script src=a.js></script>",
		"Nothing here.": "",
	} {
		if got := StartExamples(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
