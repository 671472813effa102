package style

import (
	"strings"
	"testing"
)

func TestReferences(t *testing.T) {
	tests := []struct{ css, want string }{
		{`@import "base.css"; @import url(print.css) print; a{}`, "base.css print.css"},
		{`@font-face{font-family:"x";src:url('f.eot?#iefix') format("eot"),url( "f.woff2" ) format("woff2")}`,
			"f.eot?#iefix f.woff2"},
		{`a{background:URL(img/a\ b.png), url(data:image/png;base64,AAA=); mask:url(#m)}`, "img/a b.png"},
		{`/* url(no.png) */ a::before{content:"url(no.png)"} b{background:image-set("a.png" 1x, url(b.png) 2x)}`,
			"a.png b.png"},
		{`a{background:url(\69mg.png)} b{x: url()}`, "img.png"},
		{`@charset "utf-8"; @supports (x:"y") { a{background:url(c.png)}`, "c.png"},
		{`a{background:url(unclosed.png`, "unclosed.png"},
		{"\xff\xfe{}", ""},
	}
	for _, tt := range tests {
		var got []string
		for _, r := range References([]byte(tt.css)) {
			got = append(got, r.URL)
		}
		if strings.Join(got, " ") != tt.want {
			t.Errorf("%s: got %q, want %q", tt.css, got, tt.want)
		}
	}
}

func FuzzReferences(f *testing.F) {
	f.Add([]byte(`@import "a"; b{c:url(d)}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, r := range References(b) {
			if r.Offset < 0 || r.Offset >= len(b) || r.URL == "" {
				t.Fatalf("%q: %+v", b, r)
			}
		}
	})
}
