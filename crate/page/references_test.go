package page

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

const everyKind = `<!doctype html>
<html><head><base href="x/"><link rel=icon href=i.svg><link rel="stylesheet" href='css/club.css?v=1'>
<script type="importmap">{"imports": {"tide": "./js/tide.mjs", "lib/": "./lib/"}}</script>
<style>body { background: url( 'a b.png' ) } @import "part.css";</style>
<!--[if lt IE 9]><script src="js/old.js"></script><![endif]--></head>
<body style="background:url(sea.png)" background=b.png>
<a href="crews/#top">x</a><a href="#x">y</a><a href="?q">z</a><a href="{{ url }}">t</a><A HREF="Loud.html">l</A>
<img src="one.png" srcset="a.png 1x, b.png 2x,c.png" data-src="lazy.png" data-note="not a path">
<video poster=p.jpg><source src="v.mp4"></video><object data="o.svg"></object><form action="send.html"></form>
<svg><use href="sprite.svg#gull"/><image xlink:href="gull.png"/></svg>
<template><img src="t.png"></template>
<script type="module">import "./m.mjs"; import x from '../n.mjs'; import("./o.mjs"); new URL("./p.png", import.meta.url); import "bare";</script>
<script>load("js/text.js"); var s = 'no path';</script></body></html>`

// TestReferences: every reference is told, as a browser reads it, and writing it anew changes nothing else.
func TestReferences(t *testing.T) {
	var got []string
	References([]byte(everyKind), func(r Reference) {
		text := fmt.Sprintf("%s %s", r.Element, r.Ref)
		if r.Branch != "" {
			text += " if " + r.Branch
		}
		if r.Inert {
			text += " inert"
		}
		got = append(got, text)
		edited := string(Apply([]byte(everyKind), []Edit{r.Edit("NEW")}))
		if strings.Count(edited, "NEW") != 1 || len(edited) != len(everyKind)-(r.End-r.Start)+3 {
			t.Errorf("%s: edited to\n%s", text, edited)
		}
	})
	want := []string{"link i.svg", "link css/club.css?v=1", "importmap ./js/tide.mjs", "importmap ./lib/", "style a b.png", "style part.css", "script js/old.js if lt IE 9", "body sea.png", "body b.png",
		"a crews/#top", "a Loud.html", "img one.png", "img a.png", "img b.png", "img c.png", "img lazy.png", "video p.jpg", "source v.mp4", "object o.svg", "form send.html", "use sprite.svg#gull",
		"image gull.png", "img t.png inert", "script ./m.mjs", "script ../n.mjs", "script ./o.mjs", "script ./p.png", "script js/text.js"}
	for _, w := range want {
		if !slices.Contains(got, w) {
			t.Errorf("%q is not told", w)
		}
	}
	for _, g := range got {
		if !slices.Contains(want, g) {
			t.Errorf("%q is told", g)
		}
	}
}

// TestQuickReferences: of a page with nothing in comments and templates the quick way tells just what the thorough one tells.
func TestQuickReferences(t *testing.T) {
	const plain = `<!doctype html><html><head><title>Crew</title><link rel=icon href=i.svg><style>a { background: url(s.png) }</style></head>
<body background="sea.png"><p class=a STYLE="background: url(u.png)">a <b data-src="lazy.png">b</b> <a HREF="x.html" title=t>x</a></p>
<div srcset="no.png 2x"></div><img alt="" src = one.png srcset="a.png, b.png 2x"><li data-load='js/late.js'><p style='color: red'>text</p>
<video poster=p.jpg><source src=v.mp4></video><script>load("js/text.js")</script></body></html>`
	p, err := Read([]byte(plain))
	if err != nil || p.scattered {
		t.Fatal(p, err)
	}
	var quick, thorough []string
	p.References(func(r Reference) { quick = append(quick, fmt.Sprintf("%+v", r)) })
	References([]byte(plain), func(r Reference) { thorough = append(thorough, fmt.Sprintf("%+v", r)) })
	slices.Sort(quick)
	slices.Sort(thorough)
	if !slices.Equal(quick, thorough) {
		t.Errorf("quick\n%s\nthorough\n%s", strings.Join(quick, "\n"), strings.Join(thorough, "\n"))
	}
}

// FuzzReferences: places lie in the page, and the quick way tells what the thorough one tells.
func FuzzReferences(f *testing.F) {
	f.Add([]byte(everyKind))
	f.Add([]byte("<p style=url(a)><a href=x><img src=y srcset='a,b 2x'>"))
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Read(b)
		if err != nil {
			return
		}
		all := map[string]bool{}
		References(b, func(r Reference) {
			if r.Start < 0 || r.End < r.Start || r.End > len(b) {
				t.Fatalf("%q stands at %d to %d", r.Ref, r.Start, r.End)
			}
			all[fmt.Sprint(r.Start, " ", r.Ref)] = true
		})
		p.References(func(r Reference) {
			if !all[fmt.Sprint(r.Start, " ", r.Ref)] {
				t.Fatalf("%q at %d is told by the quick way alone", r.Ref, r.Start)
			}
		})
	})
}

// FuzzRegions: regions lie in the page, each with what is inside it.
func FuzzRegions(f *testing.F) {
	for _, s := range []string{"{% if x %}a{% endif %}", "{{#each x}}a{{/each}}", "<?php if (a): ?>b<?php endif; ?>", "<?php if (a) { ?>b<?php } ?>", "<% if a %>b<% end %>", "@if (a) { b }", "<c:if test=x>a</c:if>", "<!--#if expr=x -->a<!--#endif -->", "{{ range x }}a{{ end }}"} {
		if list := Regions([]byte(s)); len(list) != 1 || list[0].Block || list[0].Start != 0 || list[0].End != len(s) {
			f.Errorf("%s has %+v", s, list)
		}
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if list := directives(b); len(list) > 0 && !mayDirect(b) {
			t.Fatalf("%+v are not seen at a glance", list)
		}
		for _, r := range Regions(b) {
			if r.Start < 0 || r.InnerStart < r.Start || r.InnerEnd < r.InnerStart || r.End < r.InnerEnd || r.End > len(b) {
				t.Fatalf("%+v", r)
			}
		}
	})
}
