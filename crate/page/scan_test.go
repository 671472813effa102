package page

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	xhtml "golang.org/x/net/html"
)

// tagsByScanner and tagsByTokenizer write down a document's tags in one form, so that our scanner
// can be checked against the word of another tokenizer.
func tagsByScanner(b []byte) []string {
	s := &Scanner{b: b, flat: true}
	var out []string
	for {
		t := s.Next()
		if t == nil {
			return out
		}
		if t.Closing {
			out = append(out, "/"+t.Name)
			continue
		}
		line := t.Name
		for _, a := range s.Attrs(t) {
			line += fmt.Sprintf(" %s=%q", a.Name, decode(string(b[a.ValueStart:a.ValueEnd])))
		}
		out = append(out, line)
	}
}

func tagsByTokenizer(b []byte) []string {
	z := xhtml.NewTokenizer(bytes.NewReader(b))
	var out []string
	for {
		switch z.Next() {
		case xhtml.ErrorToken:
			return out
		case xhtml.EndTagToken:
			t := z.Token()
			out = append(out, "/"+t.Data)
		case xhtml.StartTagToken, xhtml.SelfClosingTagToken:
			out = append(out, startTag(z.Token()))
		}
	}
}

func startTag(t xhtml.Token) string {
	line := t.Data
	for _, a := range t.Attr {
		line += fmt.Sprintf(" %s=%q", a.Key, a.Val)
	}
	return line
}

var scanSamples = []string{
	`<!doctype html><html><head><title>a <b> c</title></head><body class='x' ID=y>`,
	`<a title="1 > 0" b'c' =d e= f / g=h/><br/><br / >`,
	`<!--><p>--><!---><p><!-- a -- b --!><p><!-- <p> -->`,
	`<script><!-- <script> </script> --> </script><p>`,
	`<script>if (a<b) "</scriptx>"</script ><p>`,
	`<style>a > b{}</style><textarea><p></textarea><xmp><p></xmp><noscript><p></noscript>`,
	`<plaintext><p></plaintext>`, `<p`, `<p a="`, `</`, `</>`, `< p>`, `<?php a ?><p>`, `<P A=1 a=2 A="3">`,
	"<p\r\na\t=\n'b'\f>", `<p a=b/>`, `<title/><p></title>`, `<!x><p>`, `<![CDATA[<p>]]>`,
}

func TestScannerAgreesWithTokenizer(t *testing.T) {
	for _, doc := range append(scanSamples, treeDocuments(t)...) {
		if skipForTokenizer(doc) {
			continue
		}
		got, want := tagsByScanner([]byte(doc)), tagsByTokenizer([]byte(doc))
		if strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Errorf("%q:\n got %q\nwant %q", doc, got, want)
		}
	}
}

// skipForTokenizer leaves out the inputs on which the comparison itself is at fault: carriage
// returns and NULs are rewritten by the other side before it compares.
func skipForTokenizer(doc string) bool { return strings.ContainsAny(doc, "\x00\r") }

func FuzzScanner(f *testing.F) {
	for _, s := range scanSamples {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if skipForTokenizer(string(b)) {
			return
		}
		got, want := tagsByScanner(b), tagsByTokenizer(b)
		for i := range want {
			if i >= len(got) {
				t.Fatalf("%q: got %q, want %q", b, got, want)
			}
			// Names and values in broken UTF-8 are repaired by the other side alone.
			if strings.ToValidUTF8(got[i], "") != strings.ToValidUTF8(want[i], "") &&
				!strings.ContainsAny(want[i], "\ufffd\\") {
				t.Fatalf("%q: got %q, want %q", b, got, want)
			}
		}
		if len(got) != len(want) {
			t.Fatalf("%q: got %q, want %q", b, got, want)
		}
	})
}

func TestForeignContentHasNoRawText(t *testing.T) {
	for doc, want := range map[string]string{
		`<svg><title><g></title></svg><p>`:                   "svg title g /title /svg p",
		`<svg><style><a></style><p><style><b></style>`:       "svg style a /style p style /style",
		`<svg><![CDATA[<p>]]><g></svg>`:                      "svg g /svg",
		`<svg><foreignObject><textarea><p></textarea></svg>`: "svg foreignobject textarea /textarea /svg",
		`<svg/><title><g></title>`:                           "svg title /title",
	} {
		s := NewScanner([]byte(doc))
		var got []string
		for {
			tok := s.Next()
			if tok == nil {
				break
			}
			name := tok.Name
			if tok.Closing {
				name = "/" + name
			}
			got = append(got, name)
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: got %s, want %s", doc, strings.Join(got, " "), want)
		}
	}
}
