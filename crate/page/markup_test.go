package page

import (
	"strings"
	"testing"
)

func TestNames(t *testing.T) {
	const text = "<!-- <p class=no> --><BODY CLASS=\"a  b-c\n d\" id=x1><p class=e data-tide='1' title='class=f'><script>'<p class=g>'</script><p class='h&amp;i j'></p class=k>"
	var got []string
	Names([]byte(text), func(n Name) {
		if text[n.Start:n.End] != n.Text {
			t.Errorf("%+v is %q", n, text[n.Start:n.End])
		}
		got = append(got, string(n.Kind[:1])+" "+n.Text)
	})
	if s := strings.Join(got, ", "); s != "c a, c b-c, c d, i x1, c e, a data-tide, c j" {
		t.Errorf("names: %s", s)
	}
}
