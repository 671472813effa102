package template

import "testing"

// TestReferences: a reference is taken apart at its query, outside of holes; what it may spell is found.
func TestReferences(t *testing.T) {
	for _, tt := range []struct {
		ref, path, tail, literal string
		hidden                   bool
	}{
		{"css/site.css?v=<?= V ?>", "css/site.css", "?v=<?= V ?>", "", false},
		{"css/site.css?v={{ v }}#x", "css/site.css", "?v={{ v }}#x", "", false},
		{"{{ url_for('static', filename='css/own.css') }}", "{{ url_for('static', filename='css/own.css') }}", "",
			"css/own.css", true},
		{"{{ asset('css/own.css') }}?v={{ v }}", "{{ asset('css/own.css') }}", "?v={{ v }}", "css/own.css", true},
		{"{% static 'css/own.css' %}", "{% static 'css/own.css' %}", "", "css/own.css", true},
		{"{{ '/assets/js/x.js' | relative_url }}", "{{ '/assets/js/x.js' | relative_url }}", "", "assets/js/x.js",
			true},
		{"<?= $base ?>js/own.js", "<?= $base ?>js/own.js", "", "js/own.js", true},
		{"<?= $a ? 'x' : 'y' ?>/js/own.js", "<?= $a ? 'x' : 'y' ?>/js/own.js", "", "js/own.js", true},
		{"{{ site.baseurl }}/css/own.css", "{{ site.baseurl }}/css/own.css", "", "css/own.css", true},
		{"@Url.Content(\"~/css/own.css\")", "@Url.Content(\"~/css/own.css\")", "", "css/own.css", true},
		{"~/css/own.css", "~/css/own.css", "", "css/own.css", true},
		{"${pageContext.request.contextPath}/js/own.js", "${pageContext.request.contextPath}/js/own.js", "",
			"js/own.js",
			true},
		{"js/{{ name }}.js", "js/{{ name }}.js", "", "", true},
		{"{{ script }}", "{{ script }}", "", "", true},
		{"lib/@gull/x.js", "lib/@gull/x.js", "", "", false},
		{"https://cdn.example/x@1.0.0/a.js", "https://cdn.example/x@1.0.0/a.js", "", "", false},
	} {
		w := Reference(tt.ref)
		literal := ""
		if len(w.Literals) > 0 {
			literal = w.Path[w.Literals[0].Start:w.Literals[0].End]
		}
		if w.Path != tt.path || w.Tail != tt.tail || literal != tt.literal || w.Hidden != tt.hidden {
			t.Errorf("%s: %+v, literal %q", tt.ref, w, literal)
		}
	}
	for _, tt := range []struct {
		pattern, file string
		want          bool
	}{{"*", "js/a.js", true}, {"js/*.js", "static/js/a.js", true}, {"js/*.js", "static/ajs/a.js", false},
		{"/js/*-*.js", "js/a-b.js", true}, {"js/*.css", "js/a.js", false}, {"*/own.css", "css/own.css", true}} {
		if got := MayBe(tt.pattern, tt.file); got != tt.want {
			t.Errorf("%s may be %s: %v", tt.pattern, tt.file, got)
		}
	}
	w := Reference("{% static 'css/own.css' %}")
	if got, ok := w.Respell("static/css/own.css", "static/js/a.js"); !ok || got != "{% static 'js/a.js' %}" {
		t.Errorf("%q %v", got, ok)
	}
	if got, ok := w.Respell("static/css/own.css", "other/js/a.js"); ok {
		t.Errorf("%q", got)
	}
	if p := Reference("js/{{ a }}-{{ b }}.js?x"); p.Pattern() != "js/*-*.js" {
		t.Error(p.Pattern())
	}
}
