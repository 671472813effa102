package template

import (
	"bytes"
	"strings"
	"testing"
)

// TestScriptsWithHoles: usual forms parse with something in their holes; what is wrong beside the holes stays wrong.
func TestScriptsWithHoles(t *testing.T) {
	for _, text := range []string{
		"var a = {{ a }};", "var a = {{ a | tojson }};\nvar b = '{{ b }}';", "var a = <?= json_encode($a) ?>;",
		"var a = <?php echo $a; ?>, b = 1;", "f({{ a }}, {{ b }});", "var o = { a: {{ a }}, {{ k }}: 1 };",
		"{% if a %}\nf();\n{% else %}\ng();\n{% endif %}", "var a = {% if b %}1{% else %}2{% endif %};",
		"var a = <% if (b) { %>1<% } else { %>2<% } %>;", "<?php if ($a): ?>\nf();\n<?php endif; ?>",
		"var list = [{% for a in b %}{{ a }},{% endfor %}];", "var list = [{{#each a}}\"{{ this }}\",{{/each}}];",
		"var data_{{ id }} = 1;", "var n = 1{{ zeros }};", "{{ scripts }}\nf();", "{{{ body }}}", "var a = " +
			"@Html.Raw(x);",
		"var a = @json($x);", "if ({{ a }}) { f(); }", "{% block scripts %}{% endblock %}", "var a = {{ a }} || {};",
		"window.a = {!! $a !!};", "let t = `${x} {{ y }}`;", "a.{{ name }}();", "var o = {\n{{#if a}}\n a: " +
			"1,\n{{/if}}\n b: 2\n};",
		"<%- include('x') %>\nf();", "var x = '<%= a %>' + <%= b %>;", "new {{ Class }}();", "return_({% if a %}a{% " +
			"endif %});",
		"var a = {{ a }}\nvar b = {{ b }}\n", "function {{ name }}() {}", "a {{ op }} b;", "/* {{ x */ y }} */ f();",
		"var a = <?php\n echo 1;\n?>;", "document.title = {{ page.title | jsonify }};", "f({ {{ extra }} });",
		"var map = {{ .Site.Params | jsonify | safeJS }};", "{{ range .A }}f({{ . }});{{ end }}", "f('<%= a(b,\n  " +
			"c) %>');",
		"var p = {{ with .P }}{{ . | jsonify }}{{ else }}{}{{- end }};",
	} {
		b := []byte(text)
		holes := HolesOf(b, append([]byte("@if(x) "), b...))
		if len(holes) == 0 {
			t.Errorf("%s has no hole", text)
		}
		s := FillScript(b, holes)
		if at := failsAt(s.Text); at >= 0 || s.Wrong || len(s.Text) != len(b) || !strings.Contains(text, "c) %>") &&
			bytes.Count(s.Text, []byte("\n")) != bytes.Count(b, []byte("\n")) {
			t.Errorf("%s\n%s\nfails at %d, wrong %v", text, s.Text, at, s.Wrong)
		}
	}
	for _, text := range []string{"var a = ;\nvar b = {{ b }};", "var a = {{ a }};\nfunction ( {", "f(;\n<?= a ?>"} {
		if s := FillScript([]byte(text), Holes([]byte(text))); !s.Wrong {
			t.Errorf("%s\nis not wrong: %s", text, s.Text)
		}
	}
	if s := FillScript([]byte("f({{ a }});"), Holes([]byte("f({{ a }});"))); s.Loose ||
		!strings.Contains(string(s.Text), "_$") {
		t.Errorf("%+v", s)
	}
	if s := FillScript([]byte("{{ a }}\nf();"), Holes([]byte("{{ a }}\nf();"))); !s.Loose {
		t.Errorf("%s is not loose", s.Text)
	}
}

// TestEmpty: nothing of a hole is left, of alternatives the first one, and each line stays one.
func TestEmpty(t *testing.T) {
	for _, tt := range []struct{ text, want string }{
		{"<?php\n$secret = 1;\n?>a<?= $b ?>", "\n\na"}, {"{% if a %}b{% else %}c{% endif %}d", "bd"},
		{"{{#if a}}b\n{{else}}\nc{{/if}}", "b\n\n"}, {"plain", "plain"},
	} {
		b := []byte(tt.text)
		if got := string(Empty(b, Holes(b))); got != tt.want {
			t.Errorf("%s is emptied to %q, not to %q", tt.text, got, tt.want)
		}
	}
}
