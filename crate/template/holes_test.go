package template

import (
	"bytes"
	"strings"
	"testing"
)

// kindNames are the letters by which a test writes the kinds of holes down.
var kindNames = map[Kind]string{Value: "v", Statement: "s", Remark: "r"}

// written writes the holes of a text down, each with its kind before it, with bars between them.
func written(text string) string {
	var list []string
	for _, h := range Holes([]byte(text)) {
		list = append(list, kindNames[h.Kind]+text[h.Start:h.End])
	}
	return strings.Join(list, "|")
}

// TestHoles: each kind of hole is found whole, with what comes of it; what only looks like one is none.
func TestHoles(t *testing.T) {
	for _, tt := range []struct{ text, want string }{
		{`a<?php if ($x): ?>b<?= $y ?>c<?php echo "?>"; ?>`, `s<?php if ($x): ?>|v<?= $y ?>|v<?php echo "?>"; ?>`},
		{"<?php\n// don't\nheader('x');", "v<?php\n// don't\nheader('x');"},
		{"<?php /* ?> */ ?>x", "v<?php /* ?> */ ?>"},
		{`<?xml version="1.0"?><p>`, ""},
		{`<% if a %><%= b %><%- c %><%# d %><%-- e --%><% end %>`,
			`s<% if a %>|v<%= b %>|v<%- c %>|r<%# d %>|r<%-- e --%>|s<% end %>`},
		{`{{ a }}{{{ b }}}{!! c !!}{% if d %}{# e %}` + "\n" + `#}{%- endif -%}{%= f %}`,
			`v{{ a }}|v{{{ b }}}|v{!! c !!}|s{% if d %}|r{# e %}` + "\n" + `#}|s{%- endif -%}|v{%= f %}`},
		{`{{!-- a }} --}}{{! b }}{{/* c }} */}}{{- /* d */ -}}{{-- e --}}`,
			`r{{!-- a }} --}}|r{{! b }}|r{{/* c }} */}}|r{{- /* d */ -}}|r{{-- e --}}`},
		{`{{/* a -*/ -}}{{- /* b */}}`, `r{{/* a -*/ -}}|r{{- /* b */}}`}, {`<?js= a ?>`, `v<?js= a ?>`},
		{`{{#if a}}b{{else}}c{{/if}}{{> part}}{{range .X}}{{.Y}}{{end}}`,
			`s{{#if a}}|s{{else}}|s{{/if}}|v{{> part}}|s{{range .X}}|v{{.Y}}|s{{end}}`},
		{`{% raw %}{{ a }}{% endraw %}{{ b }}`, `s{% raw %}|s{% endraw %}|v{{ b }}`},
		{`{% verbatim %}{{ a }}{% endverbatim %}`, `s{% verbatim %}|s{% endverbatim %}`},
		{`{% comment %}<script src=x></script>{% endcomment %}b`, `r{% comment %}<script src=x></script>{% ` +
			`endcomment %}`},
		{`{{{{raw}}}}{{ a }}{{{{/raw}}}}`, `s{{{{raw}}}}|s{{{{/raw}}}}`},
		{"---\ntitle: x\n---\n{{ content }}", "r---\ntitle: x\n---\n|v{{ content }}"},
		{"+++\ntitle = 1\n+++\nx", "r+++\ntitle = 1\n+++\n"},
		{"a\n---\nb\n---\n", ""},
		{`@if ($a) b @endif {{ c }} @json($d) me@if.example @{{ e }}`, `s@if ($a)|s@endif|v{{ c }}|v@json($d)`},
		{"@model Club\n@foreach (var b in Model.Boats) { <li>@b.Name</li> } @section Scripts { <p>@(1 + 2)</p> }",
			"s@model Club|s@foreach (var b in Model.Boats) {|v@b.Name|s}|s@section Scripts {|v@(1 + 2)|s}"},
		{"@if (a) { <b></b> } else if (b) { <i></i> } else { c }@Html.Raw(Json.Serialize(x))",
			"s@if (a) {|s} else if (b) {|s} else {|s}|v@Html.Raw(Json.Serialize(x))"},
		{"<style>@media (min-width: 1px) { a { b: c } }</style>", ""},
		{"<%@ page %><a href=\"${ctx}/a\">", "s<%@ page %>|v${ctx}"},
		{"<script>var a = `${b}`;</script>", ""},
		{"function(){{a();b()}}", ""},
		{"if(a){{b()}}", ""},
		{"x=>{{y}}", ""},
		{"class A{#x=1;f(){return this.#x}}", ""},
		{`\{{ a }} {{ {a: {b: 1}} | json }}`, `v{{ {a: {b: 1}} | json }}`},
		{`{{ dict "a" (dict "b" 1) }}`, `v{{ dict "a" (dict "b" 1) }}`},
		{"<%% literal %>", ""},
		{"{{ a", ""}, {"<% a", ""}, {"{% a", ""}, {"{# a", ""}, {"@(a", ""},
	} {
		if got := written(tt.text); got != tt.want {
			t.Errorf("%s\n has %s\nwant %s", tt.text, got, tt.want)
		}
	}
}

// TestMaskKeepsPlaces: a masked text has the same length, and the same lines outside of values.
func TestMaskKeepsPlaces(t *testing.T) {
	text := []byte("<a {% if\nx %}href={{ y }}{% endif %}>")
	masked := string(Mask(text, Holes(text)))
	if want := "<a      \n    href=" + strings.Repeat("\x01", 7) + "           >"; masked != want {
		t.Errorf("%q", masked)
	}
}

// TestHolesOfHostileTexts: what opens holes and never closes them costs about its length, so that this test ends.
func TestHolesOfHostileTexts(t *testing.T) {
	for _, part := range []string{"{{", "{{{", "{%", "{#", "<%", "<?php \"\\\"", "@if(", "@(", "@foreach (x) {", "${",
		"{% raw %}", "{{{{raw}}}}", "{{ { ", "}}", "@section(\"", "{{a;b}}"} {
		Holes(bytes.Repeat([]byte("<%@ "+part), 1000000/len(part)))
		Holes([]byte("@if(a)" + strings.Repeat(part, 1000000/len(part))))
	}
}
