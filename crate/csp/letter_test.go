package csp

import (
	"strings"
	"testing"

	"merrycrate.example/merry/internal/cratetest"
	"merrycrate.example/merry/internal/tagstest"
)

// TestByTheLetter: what a detail of the standard decides is decided so, as a browser was seen to do.
func TestByTheLetter(t *testing.T) {
	for _, tt := range []struct{ header, markup, says string }{
		{"script-src https://cdn.example; upgrade-insecure-requests", `<script src="http://cdn.example/a.js"></script>`,
			""},
		{"script-src https://cdn.example", `<script src="http://cdn.example/a.js"></script>`,
			"http://cdn.example/a.js"},
		{"base-uri 'none'", `<base href="deep/"><script src="js/own.js"></script>`, "the base deep/"},
		{"base-uri 'self'", `<base href="js/"><script src="own.js"></script>`, ""},
		{"script-src 'nonce-tide'", `<script nonce="tide" data-x="<script">a()</script>`, "the inline script"},
		{"script-src 'nonce-tide'", `<script nonce="tide" id="a" id="b">a()</script>`, "the inline script"},
		{"script-src 'nonce-tide'", `<script nonce="tide" data-x="script">a()</script>`, ""},
		{"script-src 'self'", `<iframe srcdoc="&lt;script>a()&lt;/script>"></iframe>`, "in the document of this frame"},
		{"script-src 'self'", `<iframe sandbox srcdoc="&lt;script>a()&lt;/script>"></iframe>`, ""},
		{"script-src 'self'", `<template><iframe srcdoc="&lt;script>a()&lt;/script>"></iframe></template>`, ""},
		{"img-src *", `<iframe srcdoc="&lt;meta http-equiv=content-security-policy content=&quot;script-src ` +
			`'none'&quot;>` +
			`&lt;script>a()&lt;/script>"></iframe>`, "the frame's document"},
		{"default-src 'none'", `<link rel="prefetch" href="js/own.js">`, "the prefetch of js/own.js"},
		{"default-src 'none'; img-src 'self'", `<link rel="prefetch" href="js/own.js">`, ""},
		{"script-src 'self'", `<a href="java&#10;script:a()">x</a>`, "link to javascript:"},
		{"script-src 'self'", `<iframe src="javascript:a()"></iframe>`, "javascript: address of this frame"},
		{"style-src 'self'", `<template><p style="color: red"></p></template>`, "style attribute"},
		{"form-action 'none'", `<form action="send"></form>`, "sending this form"},
		{"script-src http://cdn.example/a.js?v=1", `<script src="http://cdn.example/a.js"></script>`, ""},
		{"script-src 'SHA384-" + strings.Repeat("A", 64) + "'", `<script src="js/own.js" integrity="sha384-` +
			strings.Repeat("A", 64) + `"></script>`, ""},
	} {
		p := cratetest.WithPages(t, cratetest.Harbour+"headers: [_headers]\n",
			map[string]string{"index.html": "<!doctype " +
				"html><head></head><body>" + tt.markup, "js/own.js": "var own", "_headers": "/*\n  " +
				"Content-Security-Policy: " + tt.header + "\n"})
		v := tagstest.Page(t, p, "index.html")
		said := ""
		for _, f := range New(p).Findings(v, "index.html") {
			said += f.Message + "; "
		}
		if (said == "") != (tt.says == "") || !strings.Contains(said, tt.says) {
			t.Errorf("%s under %s: %q, want %q", tt.markup, tt.header, said, tt.says)
		}
	}
}

// TestIgnoredBase: a base that a policy forbids leads nowhere, and addresses lead from the page.
func TestIgnoredBase(t *testing.T) {
	p := cratetest.WithPages(t, cratetest.Harbour, map[string]string{"index.html": "<!doctype html><head><meta " +
		"http-equiv=content-security-policy content=\"base-uri 'none'\"><base href=deep/></head><script " +
		"src=js/own.js></script>", "js/own.js": "var own"})
	v := tagstest.Page(t, p, "index.html")
	if v.Base != "" || v.Ignored != "deep/" || v.Targets[len(v.Targets)-1].Path.String() != "js/own.js" {
		t.Errorf("the base is %q, %q is ignored, and the targets are %v", v.Base, v.Ignored, v.Targets)
	}

}
