package page

import (
	"bytes"
	"errors"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"
)

// includeThenOmit puts a stylesheet and a script on a page and takes both off again.
func includeThenOmit(t *testing.T, doc []byte) {
	t.Helper()
	p, err := Read(doc)
	if err != nil {
		t.Fatalf("%q: %v", doc, err)
	}
	style, script := StyleTag("merry-style.css"), ScriptTag("merry-script.js", false)
	one, err := p.Insert(EndOfHead, []string{style})
	if err != nil {
		t.Errorf("%q: stylesheet: %v", doc, err)
		return
	}
	half := Apply(doc, []Edit{one})
	p2, _ := Read(half)
	two, err := p2.Insert(EndOfBody, []string{script})
	if err != nil {
		t.Errorf("%q: script: %v", half, err)
		return
	}
	full := Apply(half, []Edit{two})

	root, _ := html.Parse(bytes.NewReader(full))
	wanted := []string{`:link[{ href merry-style.css} { rel stylesheet}]`, `:script[{ src merry-script.js}]`}
	if n := take(root, wanted, true); n != 2 {
		t.Errorf("%q: %d of the two elements are in the tree of %q", doc, n, full)
	}
	before, _ := html.Parse(bytes.NewReader(doc))
	if old, now := outline(before, !unfinished(doc)), outline(root, !unfinished(doc)); now != old {
		t.Errorf("%q: the rest of the tree changed in %q:\n%s\n%s", doc, full, old, now)
	}
	if back := omitAll(full, "merry-"); !bytes.Equal(back, doc) {
		t.Errorf("%q: came back as %q from %q", doc, back, full)
	}
}

// unfinished reports whether a document ends inside a comment. Nothing can stand behind that, so it
// is the one thing that an include may push to another place in the tree.
func unfinished(doc []byte) bool {
	for _, mark := range []string{"<!--", "<!", "<?", "</"} {
		if i := bytes.LastIndex(doc, []byte(mark)); i >= 0 && !bytes.Contains(doc[i:], []byte(">")) {
			return true
		}
	}
	return bytes.HasSuffix(doc, []byte("--"))
}

func omitAll(b []byte, prefix string) []byte {
	p, _ := Read(b)
	var ours []int
	for i := range p.Includes {
		if strings.HasPrefix(p.Includes[i].Ref, prefix) {
			ours = append(ours, i)
		}
	}
	return Apply(b, p.Remove(ours...))
}

func TestIncludeThenOmitGivesBackTheBytes(t *testing.T) {
	docs := treeDocuments(t)
	for _, doc := range docs {
		includeThenOmit(t, []byte(doc))
	}
	t.Logf("%d documents", len(docs))
}

const clubPage = "<!DOCTYPE html>\r\n<html>\r\n<head>\r\n\t<title>Crews</title>\r\n\t<LINK HREF='own.css' " +
	"rel=StyleSheet>\r\n</head>\r\n<body>\r\n\t<main></main>\r\n\t<script src=own.js></script>\r\n</body>\r\n" +
	"</html>\r\n"

func TestInsertKeepsToThePagesWays(t *testing.T) {
	p, err := Read([]byte(clubPage))
	if err != nil {
		t.Fatal(err)
	}
	tests := []struct {
		spot Spot
		want string
	}{
		{Spot{Index: 0}, "\t<x>\r\n\t<LINK"},
		{Spot{Index: 0, After: true}, "StyleSheet>\r\n\t<x>\r\n</head>"},
		{EndOfHead, "StyleSheet>\r\n\t<x>\r\n</head>"},
		{Spot{Index: 1}, "</main>\r\n\t<x>\r\n\t<script"},
		{EndOfBody, "</script>\r\n\t<x>\r\n</body>"},
	}
	for _, tt := range tests {
		e, err := p.Insert(tt.spot, []string{"<x>"})
		if err != nil {
			t.Fatal(err)
		}
		if got := string(Apply(p.Bytes, []Edit{e})); !strings.Contains(got, tt.want) {
			t.Errorf("%+v: %q does not hold %q", tt.spot, got, tt.want)
		}
	}
	got := string(Apply(p.Bytes, append(p.Remove(1), p.Refer(0, "it's&.css"))))
	want := strings.Replace(strings.Replace(clubPage, "own.css", "it&#39;s&amp;.css", 1),
		"\t<script src=own.js></script>\r\n", "", 1)
	if got != want {
		t.Errorf("got %q\nwant %q", got, want)
	}
}

func TestReadSeesWhatABrowserWouldLoad(t *testing.T) {
	p, err := Read([]byte(`<!doctype html><meta charset=utf-8><meta NAME=Viewport content=x><base href="/club/">
<!-- <script src=a.js></script> --><!--[if IE]><script src=b.js></script><![endif]-->
<template><script src=c.js></script></template><script type="text/template" src=d.js></script>
<script src="e.js?a=1&amp;b=2" defer></script><script type=module src=f.js></script><script async src=" g.js "></script>
<link rel="preload" href=h.woff><link rel="alternate stylesheet" href=i.css><script>let x = "<link rel=stylesheet href=j.css>"</script>
<noscript><link rel=stylesheet href=k.css></noscript><script src="{{ asset }}"></script>`))
	if err != nil {
		t.Fatal(err)
	}
	if !p.Doctype || !p.Charset || !p.Viewport || p.Base != "/club/" || p.Fragment {
		t.Errorf("read %+v", p)
	}
	var got []string
	for i := range p.Includes {
		in := &p.Includes[i]
		s := in.Kind.String() + " " + in.Ref
		if in.Inert != "" {
			s += " inert"
		}
		if in.When != Blocking {
			s += []string{"", " deferred", " async"}[in.When]
		}
		if in.Templated() {
			s += " templated"
		}
		got = append(got, s)
	}
	want :=
		`script c.js inert|script d.js inert|script e.js?a=1&b=2 deferred|script f.js deferred|script g.js ` +
			`async|hint ` +
			`h.woff|stylesheet i.css|inline script |script {{ asset }} templated`
	if strings.Join(got, "|") != want {
		t.Errorf("got  %s\nwant %s", strings.Join(got, "|"), want)
	}
}

// TestEncodings: a page whose bytes can't be edited is refused, and no other is.
func TestEncodings(t *testing.T) {
	for b, want := range map[string]string{
		"\xff\xfe<\x00": "UTF-16", "\xfe\xff\x00<": "UTF-16", "<\x00h\x00": "UTF-16", "\xff\xfe\x00\x00": "UTF-32",
		"+/v8-<p>": "UTF-7",
		`<!doctype html><meta charset="iso-2022-jp">`: "ISO-2022-JP", `<META http-equiv=content-type ` +
			`content="text/html; charset = HZ-GB-2312">`: "HZ-GB-2312",
		`<meta charset=utf-7>`: "UTF-7", `<?xml version="1.0" encoding='UTF-7'?>`: "UTF-7",
		"<p>\x1b$B$\x1b(B</p>":   "ISO-2022-JP",
		`<meta charset="utf-8">`: "", `<meta charset=shift_jis>`: "", `<meta charset="windows-1252">`: "",
		`<meta charset="gb18030">`: "", "\xef\xbb\xbf<meta charset=utf-7>": "",
		"<p>charset utf-7</p>": "", strings.Repeat(" ", prescan) + "<meta charset=utf-7>": "",
	} {
		_, err := Read([]byte(b))
		var encoding *EncodingError
		if errors.As(err, &encoding) != (want != "") || want != "" && encoding.Name != want {
			t.Errorf("%q: %v, want %q", b, err, want)
		}
	}
}

func FuzzIncludeThenOmit(f *testing.F) {
	f.Add([]byte(clubPage))
	for _, s := range scanSamples {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Read(b)
		if err != nil || bytes.Contains(b, []byte("merry-")) {
			return
		}
		for _, spot := range []Spot{EndOfHead, EndOfBody} {
			e, err := p.Insert(spot, []string{ScriptTag("merry-script.js", true)})
			if err != nil {
				continue // refused, which loses nothing
			}
			full := Apply(b, []Edit{e})
			if back := omitAll(full, "merry-"); !bytes.Equal(back, b) {
				t.Fatalf("%q came back as %q from %q", b, back, full)
			}
		}
	})
}

// FuzzSkimming: passing over the tags that do not matter must not change what is found.
func FuzzSkimming(f *testing.F) {
	f.Add([]byte(clubPage))
	for _, s := range scanSamples {
		f.Add([]byte("<body><p a='<script src=x>'>" + s + "<script src=y></script>"))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Read(b)
		if err != nil {
			return
		}
		var got, want []int
		for i := range p.Includes {
			if k := p.Includes[i].Kind; k != InlineStyle && k != Other && k != Hint && k != Stylesheet {
				got = append(got, p.Includes[i].Start)
			}
		}
		for s := NewScanner(b); ; {
			tok := s.Next()
			if tok == nil {
				break
			}
			if tok.Name == "script" && !tok.Closing {
				want = append(want, tok.Start)
			}
		}
		if !slices.Equal(got, want) {
			t.Fatalf("%q: scripts at %v, want %v", b, got, want)
		}
	})
}
