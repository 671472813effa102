package page

import "testing"

// TestSpecial: feeds, mails and pages without scripts of their own are recognised by content, and usual pages are not.
func TestSpecial(t *testing.T) {
	for _, tt := range []struct {
		page string
		want bool
	}{
		{"<?xml version=\"1.0\"?>\n<rss version=\"2.0\"><channel></channel></rss>", true},
		{"<html ⚡ lang=en><head></head><body></body></html>", true},
		{"<!doctype html><html amp><head></head></html>", true},
		{"<!doctype html><html><head><!--[if mso]><style></style><![endif]--></head><body></body></html>", true},
		{"<html><body><table cellpadding=0><tr><td style=\"a\">x</td><td style=\"a\">y</td><td " +
			"style=\"b\">z</td></tr>" +
			"</table></body></html>", true},
		{"<!doctype html><html><body><table><tr><td>x</td><td>y</td><td>z</td></tr></table></body></html>", false},
		{"<!doctype html><html><body><table cellpadding=0><tr><td style=\"a\">x</td><td " +
			"style=\"a\">y</td><td>z</td></tr>" +
			"</table><script src=a.js></script></body></html>", false},
		{"<!doctype html><html lang=en data-amp><body>amp</body></html>", false},
	} {
		p, err := Read([]byte(tt.page))
		if err != nil {
			t.Fatal(err)
		}
		if got := p.Special(); (got != "") != tt.want {
			t.Errorf("%s is %q", tt.page, got)
		}
	}
}
