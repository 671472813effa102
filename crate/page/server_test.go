package page

import "testing"

// TestPlacesOfTemplates: a tag goes out of a condition or a loop, into a block of what extends another template, and
// stays where its neighbour stands only if requested.
func TestPlacesOfTemplates(t *testing.T) {
	const tag = "<script src=\"n.js\"></script>"
	for _, tt := range []struct {
		name, page, want string
		spot             Spot
	}{
		{"the end of the body is in no condition", "<html><head></head><body>\n{% if x %}\n<p>a</p>\n{% endif %}\n" +
			"</body></html>\n", "<html><head></head><body>\n{% if x %}\n<p>a</p>\n{% endif %}\n" + tag +
			"\n</body></html>\n", EndOfBody},
		{"behind a condition", "<html><head></head><body>\n{% if x %}\n<script src=\"a.js\"></script>\n{% endif %}\n" +
			"</body></html>\n", "<html><head></head><body>\n{% if x %}\n<script src=\"a.js\"></script>\n" +
			"{% endif %}\n" + tag + "\n</body></html>\n", Spot{Index: 0, After: true, Outside: true}},
		{"before a loop", "<html><head></head><body>\n<?php foreach ($a as $b): ?>\n<script src=\"a.js\"></script>\n" +
			"<?php endforeach; ?>\n</body></html>\n", "<html><head></head><body>\n" + tag + "\n" +
			"<?php foreach ($a as $b): ?>\n<script src=\"a.js\"></script>\n<?php endforeach; ?>\n</body></html>\n",
			Spot{Index: 0, Outside: true}},
		{"beside the neighbour", "<html><head></head><body>\n{{#if x}}\n<script src=\"a.js\"></script>\n{{/if}}\n" +
			"</body></html>\n", "<html><head></head><body>\n{{#if x}}\n<script src=\"a.js\"></script>\n" + tag +
			"\n{{/if}}\n</body></html>\n", Spot{Index: 0, After: true}},
		{"into the block", "{% extends \"base\" %}\n{% block scripts %}\n<script src=\"a.js\"></script>\n" +
			"{% endblock %}\n", "{% extends \"base\" %}\n{% block scripts %}\n<script src=\"a.js\"></script>\n" + tag +
			"\n{% endblock %}\n", EndOfBody},
		{"a whole page in a condition", "<% if user %>\n<html><head></head><body>\n<p>a</p>\n</body></html>\n" +
			"<% end %>\n", "<% if user %>\n<html><head></head><body>\n<p>a</p>\n" + tag +
			"\n</body></html>\n<% end %>\n", EndOfBody},
	} {
		p, err := Read([]byte(tt.page))
		if err != nil {
			t.Fatal(err)
		}
		edit, err := p.Insert(tt.spot, []string{tag})
		if got := string(Apply(p.Bytes, []Edit{edit})); err != nil || got != tt.want {
			t.Errorf("%s: %v\n%s", tt.name, err, got)
		}
	}
	p, _ := Read([]byte("<body>{% for a in b %}<script src=x></script>{% endfor %}<script src=y></script></body>"))
	if p.EnclosingBlock(0) != "{% for a in b %}" || p.EnclosingBlock(1) != "" {
		t.Errorf("guards are %q and %q", p.EnclosingBlock(0), p.EnclosingBlock(1))
	}
}

// TestWhoFillsIn: values between braces in a page's texts may be a script's affair; all else that is filled in is a
// server's.
func TestWhoFillsIn(t *testing.T) {
	const head = "<!doctype html><html><head><title>x</title></head><body>"
	for _, tt := range []struct {
		page   string
		server bool
	}{
		{head + "<p>{{ text }}</p><img src=\"{{ photo }}\"></body></html>", false},
		{head + "<div id=app>{{ count() }}</div><script>start({ template: '<p>{{ text }}</p>' });</script>" +
			"</body></html>", false},
		{head + "<p>{{ text }}</p><script>var a = {{ a }};</script></body></html>", true},
		{head + "<p>{{ text }}</p><script src=\"{{ asset('a.js') }}\"></script></body></html>", true},
		{"<html><head><title>{{ title }}</title></head><body></body></html>", true},
		{head + "{% if a %}<p>{{ text }}</p>{% endif %}</body></html>", true},
		{head + "{{#if a}}<p>x</p>{{/if}}</body></html>", true}, {head + "<p>{{ .Text }}</p></body></html>", true},
		{head + "<p><?= $text ?></p></body></html>", true}, {"<p>{{ text }}</p>", true},
	} {
		p, err := Read([]byte(tt.page))
		if err != nil {
			t.Fatal(err)
		}
		if got := len(p.Holes()) > 0; got != tt.server {
			t.Errorf("a server fills in %s: %v", tt.page, got)
		}
	}
}
