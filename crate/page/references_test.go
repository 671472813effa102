package page

import (
	"fmt"
	"regexp"
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

// TestReferences: every reference is reported, as a browser reads it, and writing it again changes nothing else.
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
	want := []string{"link i.svg", "link css/club.css?v=1", "importmap ./js/tide.mjs", "importmap ./lib/",
		"style a b.png", "style part.css", "script js/old.js if lt IE 9", "body sea.png", "body b.png",
		"a crews/#top", "a {{ url }}",
		"a Loud.html", "img one.png", "img a.png", "img b.png", "img c.png", "img lazy.png",
		"video p.jpg", "source v.mp4", "object o.svg", "form send.html", "use sprite.svg#gull",
		"image gull.png", "img t.png inert", "script ./m.mjs", "script ../n.mjs", "script ./o.mjs", "script ./p.png",
		"script js/text.js"}
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

// TestQuickReferences: of a page with nothing in comments and templates the quick way tells just what the thorough one
// tells.
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

// FuzzReferences: places lie in the page; the quick way tells the attributes that the thorough one tells, and of the
// rest nothing else; a reader that has read another page reads this one no differently.
func FuzzReferences(f *testing.F) {
	for _, s := range []string{everyKind, "<p style=url(a)><a href=x><img src=y srcset='a,b 2x'>",
		"<body><p/href=a href=\"b\"/ DATA-x='c.js' src = d\ta href><b id=\"<a href=e>\"><x-y href=f></p " +
			"href=g><i src=\"h",
		"<body><a href><a =href=i><a href=\"\"><a  href = \"j\"k=l src=m.png><svg><use href=n></svg><p " +
			"imagesrcset=\"o, p 2x\" action=q formaction=\"r\"longdesc=s>"} {
		f.Add([]byte(s))
	}
	var used Reader
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Read(b)
		if err != nil {
			return
		}
		all, attributes := map[string]bool{}, map[string]bool{}
		References(b, func(r Reference) {
			if r.Start < 0 || r.End < r.Start || r.End > len(b) {
				t.Fatalf("%q stands at %d to %d", r.Ref, r.Start, r.End)
			}
			key := fmt.Sprint(r.Start, " ", r.Ref, " ", r.Element)
			if all[key] = true; r.Attribute != "" {
				attributes[key] = true
			}
		})
		p.References(func(r Reference) {
			key := fmt.Sprint(r.Start, " ", r.Ref, " ", r.Element)
			if delete(attributes, key); !all[key] {
				t.Fatalf("%q is told by the quick way alone", key)
			}
		})
		if len(attributes) > 0 {
			t.Fatalf("told by the thorough way alone: %v", attributes)
		}
		again, err := used.Read(b)
		if err != nil {
			t.Fatal(err)
		}
		if fresh, used := allOf(p), allOf(again); fresh != used {
			t.Fatalf("read anew %s\nread again %s", fresh, used)
		}
	})
}

// allOf is all that was read off a page, in words.
func allOf(p *Page) string {
	of := *p
	of.Bytes, of.lines = nil, nil
	return fmt.Sprintf("%+v", of)
}

// FuzzQuotedTexts: texts between quotes are those that the expression matches.
func FuzzQuotedTexts(f *testing.F) {
	expression := regexp.MustCompile("[\"'`]([^\"'`\\\\\\s<>{}]+)[\"'`]")
	for _, s := range []string{`load("js/a.js", 'b', ` + "`c`" + `)`, `"" 'a"b' "c`, `"a b" "c\"d" '<e>' "f"g"h"`,
		"'a\n'b'", "\"\xff\"'é'"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		var got, want [][]int
		quotedTexts(text, func(start, end int) { got = append(got, []int{start, end}) })
		for _, m := range expression.FindAllSubmatchIndex(text, -1) {
			want = append(want, m[2:4])
		}
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("%q: %v, not %v", text, got, want)
		}
	})
}

// TestReferencesBeside: what tags for scripts, stylesheets and links refer to is left out, and what is known.
func TestReferencesBeside(t *testing.T) {
	const plain = `<!doctype html><html><head><link rel=icon href=i.svg><link rel=stylesheet href=" a.css "></head><body><script src=b.js data-map="b.json"></script>
<script>load("c.js")</script><a href=known.html>k</a><a href=" other.html ">o</a><img src="known.png" srcset="known.png 2x"></body></html>`
	for text, want := range map[string]string{plain: "b.json c.js known.png other.html", strings.Replace(plain, "<a",
		"<!--[if IE]><img src=old.png><![endif]--><template></template><a", 1): "b.json c.js known.html known.png " +
		"known.png old.png other.html"} {
		p, err := Read([]byte(text))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		p.ReferencesBeside(func(value []byte) bool { return strings.HasPrefix(string(value), "known") },
			func(r Reference) { got = append(got, r.Ref) })
		if slices.Sort(got); strings.Join(got, " ") != want {
			t.Errorf("told are %s, not %s", strings.Join(got, " "), want)
		}
	}
}
