package compose

import (
	"context"
	"io/fs"
	"sort"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/paths"
)

// site makes a site of files by their paths.
func site(files map[string]string) (*Site, []paths.InSite) {
	var names []string
	for n := range files {
		names = append(names, n)
	}
	sort.Strings(names)
	var list []paths.InSite
	for _, n := range names {
		list = append(list, paths.Found(n))
	}
	s := New(func(name paths.InSite) ([]byte, error) {
		if text, ok := files[name.String()]; ok {
			return []byte(text), nil
		}
		return nil, fs.ErrNotExist
	}, func(name paths.InSite) bool { _, ok := files[name.String()]; return ok }, func(end string) []paths.InSite {
		var found []paths.InSite
		for _, n := range list {
			if n.String() == end || strings.HasSuffix(n.String(), "/"+end) {
				found = append(found, n)
			}
		}
		return found
	})
	s.Learn(context.Background(), list)
	return s, list
}

// TestCompose: a page has its parts, and its layout, in all the ways in which templates are put together.
func TestCompose(t *testing.T) {
	for _, tt := range []struct {
		name  string
		files map[string]string
		page  string
		want  string
		parts string // files that are parts
	}{
		{"a header and a footer", map[string]string{"index.php": "<?php $t = 1;\ninclude 'inc/head.php'; ?>a<?php " +
			"require " +
			"__DIR__ . '/inc/foot.php';", "inc/head.php": "<html><body>", "inc/foot.php": "</body></html>"},
			"index.php",
			"<html><body>a</body></html>", "inc/foot.php inc/head.php"},
		{"from another folder", map[string]string{"crews/index.php": "<?php include '../inc/head.php' ?>a",
			"inc/head.php": "<html><?php include 'inc/nav.php' ?>", "inc/nav.php": "n"}, "crews/index.php", "<html>na",
			"inc/head.php inc/nav.php"},
		{"blocks", map[string]string{"templates/base.html": "<html>{% block a %}x{% endblock %}|{% block b %}y{% " +
			"endblock %}",
			"templates/page.html": "{% extends \"base.html\" %}\n{% block b %}z{% endblock %}\n"},
			"templates/page.html",
			"<html>{% block a %}x{% endblock %}|z", "templates/base.html"},
		{"two layouts", map[string]string{"base.html": "<html>{% block a %}x{% endblock %}",
			"mid.html":  "{% extends 'base.html' %}{% block a %}m{% block c %}{% endblock %}{% endblock %}",
			"page.html": "{% extends 'mid.html' %}{% block c %}p{% endblock %}"}, "page.html", "<html>mp",
			"base.html mid.html"},
		{"settings with a layout", map[string]string{"_layouts/default.html": "<html>{% include nav.html %}{{ " +
			"content }}</html>",
			"_includes/nav.html": "n", "index.html": "---\nlayout: default\n---\n<p>a</p>\n"}, "index.html",
			"<html>n<p>a</p>\n</html>", "_includes/nav.html _layouts/default.html"},
		{"partials", map[string]string{"views/a.hbs": "{{> head}}a{{> foot x=1}}", "views/partials/head.hbs": "<html>",
			"views/partials/foot.hbs": "</html>"}, "views/a.hbs", "<html>a</html>",
			"views/partials/foot.hbs views/partials/head.hbs"},
		{"a layout that nobody names", map[string]string{"views/layout.hbs": "<html>{{{body}}}</html>",
			"views/a.hbs": "a",
			"views/b.hbs": "b"}, "views/a.hbs", "<html>a</html>", "views/layout.hbs"},
		{"defined parts", map[string]string{"base.html": "<html>{{ template \"main\" . }}</html>",
			"a.html": "{{ define \"main\" }}a{{ end }}", "b.html": "{{ define \"main\" }}b{{ end }}"}, "b.html",
			"<html>b</html>", "base.html"},
		{"named parts", map[string]string{"index.html": "<html>{{ template \"nav\" . }}", "parts.html": "{{ define " +
			"\"nav\" }}n" +
			"{{ end }}"}, "index.html", "<html>n", "parts.html"},
		{"called includes", map[string]string{"views/index.ejs": "<%- include('partials/head', {a: 1}) %>x<%- " +
			"include(" +
			"\"partials/foot\") %>", "views/partials/head.ejs": "<html>", "views/partials/foot.ejs": "</html>"},
			"views/index.ejs", "<html>x</html>", "views/partials/foot.ejs views/partials/head.ejs"},
		{"sections and yields", map[string]string{"resources/views/layouts/app.blade.php": "<html>@yield('content')" +
			"@stack('scripts')</html>",
			"resources/views/home.blade.php": "@extends('layouts.app')\n@section('content')\n" +
				"@include('parts.nav')a\n@endsection\n@push('scripts')\ns\n@endpush\n",
			"resources/views/parts/nav.blade.php": "n"},
			"resources/views/home.blade.php", "<html>\nna\n\ns\n</html>",
			"resources/views/layouts/app.blade.php resources/views/parts/nav.blade.php"},
		{"a body and sections", map[string]string{"Views/Shared/_Layout.cshtml": "<html>@RenderBody()|" +
			"@RenderSection(\"Scripts\"" +
			", required: false)</html>", "Views/Home/Index.cshtml": "@{\n    Layout = \"_Layout\";\n}\n<p>a</p>\n" +
			"@section Scripts {<b></b>}"}, "Views/Home/Index.cshtml", "<html>@{\n    Layout = " +
			"\"_Layout\";\n}\n<p>a</p>\n|" +
			"<b></b></html>", "Views/Shared/_Layout.cshtml"},
		{"the server's own", map[string]string{"a.shtml": "<!--#include virtual=\"/inc/n.html\" -->a",
			"inc/n.html": "n"},
			"a.shtml", "na", "inc/n.html"},
		{"what is computed stays", map[string]string{"a.php": "<?php include $x; include 'b.php'; ?>a", "b.php": "b"},
			"a.php",
			"ba", "b.php"},
		{"a circle ends", map[string]string{"a.html": "{% include 'b.html' %}a", "b.html": "{% include 'a.html' %}b"},
			"a.html",
			"", ""},
	} {
		s, list := site(tt.files)
		p := s.Compose(paths.Found(tt.page))
		if tt.want == "" {
			continue // that it ends is enough
		}
		if p == nil || string(p.Bytes) != tt.want {
			t.Errorf("%s: %+v", tt.name, p)
			if p != nil {
				t.Errorf("got  %q\nwant %q", p.Bytes, tt.want)
			}
			continue
		}
		var parts []string
		for _, n := range list {
			if s.IsPart(n) {
				parts = append(parts, n.String())
			}
		}
		if got := strings.Join(parts, " "); got != tt.parts {
			t.Errorf("%s: the parts are %s", tt.name, got)
		}
		for at := range p.Bytes {
			name, offset := p.Locate(at)
			if tt.files[name.String()][offset] != p.Bytes[at] {
				t.Fatalf("%s: byte %d is not that of %s at %d", tt.name, at, name, offset)
			}
		}
		for _, part := range parts {
			if with := s.PagesWith(paths.Found(part)); len(with) == 0 {
				t.Errorf("%s: %s is on no page", tt.name, part)
			}
		}
	}
}
