package page

import (
	"strings"
	"testing"
)

func TestNames(t *testing.T) {
	const text = "<!-- <p class=no> --><BODY CLASS=\"a  b-c\n d\" id=x1><p class=e data-tide='1' " +
		"title='class=f'><script>'<p class=g>'</script><p class='h&amp;i j'></p class=k>"
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

// FuzzNames: every name is where it is said to be, and renaming each to itself gives the same bytes.
func FuzzNames(f *testing.F) {
	for _, s := range []string{"<p class='a b' id=c data-x>", "<p class=\"a\n\tb", "<svg class=x><p class='y'/>",
		"<!-- <p class=z> --><p CLASS=&amp;>", "<p class=''><p id=''>"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		b := []byte(text)
		var edits []Edit
		last := -1
		Names(b, func(n Name) {
			if n.Start < 0 || n.End > len(b) || n.Start > n.End {
				t.Fatalf("%+v of %d bytes", n, len(b))
			}
			if n.Kind != AttributeName && string(b[n.Start:n.End]) != n.Text || n.Kind == ClassName && n.Text == "" {
				t.Fatalf("%+v is %q", n, b[n.Start:n.End])
			}
			if n.Kind == ClassName {
				if n.Start < last {
					t.Fatalf("%+v overlaps what came before", n)
				}
				last = n.End
				edits = append(edits, Edit{Start: n.Start, End: n.End, Text: n.Text})
			}
		})
		if string(Apply(b, edits)) != text {
			t.Fatal("the same names give other bytes")
		}
	})
}
