package show

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
	"testing"
)

func sample(n int) Page {
	p := Page{Title: `tides & "crews" <index>.html`}
	for i := range n {
		p.Steps = append(p.Steps, Step{Name: fmt.Sprintf("js/<part>%d.js", i), When: "in place",
			Library: []string{"", "oarlock"}[i%2], Style: i%3 == 0, Verdict: "fine", Wire: int64(i * 700)})
	}
	for i := range n - 1 {
		p.Arrows = append(p.Arrows, Arrow{From: i, To: n - 1, Label: `o"a&<rlock`, State: "kept"})
	}
	if n > 3 {
		p.Arrows = append(p.Arrows, Arrow{From: 3, To: 1, Label: "late", State: "broken"})
		p.Steps[1].Verdict = "too early"
	}
	return p
}

// TestSVGIsWellFormed: whatever names hold, the picture is XML, with a box for each step and a line for each arrow.
func TestSVGIsWellFormed(t *testing.T) {
	for _, n := range []int{0, 1, 5, 30} {
		p := sample(max(n, 1))
		if n == 0 {
			p = Page{}
		}
		text := SVG(p)
		d := xml.NewDecoder(strings.NewReader(text))
		boxes, lines, dashed := 0, 0, 0
		for {
			tok, err := d.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%d steps: %v\n%s", n, err, text)
			}
			if e, ok := tok.(xml.StartElement); ok {
				for _, a := range e.Attr {
					if a.Name.Local == "rx" {
						boxes++
					}
					if a.Name.Local == "marker-end" {
						lines++
					}
					if a.Name.Local == "stroke-dasharray" {
						dashed++
					}
				}
			}
		}
		if boxes != len(p.Steps) || lines != len(p.Arrows) {
			t.Errorf("%d steps, %d arrows: %d boxes, %d lines", len(p.Steps), len(p.Arrows), boxes, lines)
		}
		if n > 3 && (dashed != 1 || !strings.Contains(text, "too early")) {
			t.Errorf("the broken one does not show: %d dashed", dashed)
		}
	}
}

// TestArrowsDoNotLieOnEachOther: two arrows whose spans meet have lanes of their own.
func TestArrowsDoNotLieOnEachOther(t *testing.T) {
	text := SVG(sample(8))
	seen := map[string]bool{}
	for _, part := range strings.Split(text, "<path d=\"M")[2:] {
		d, _, _ := strings.Cut(part, "\"")
		if seen[d] {
			t.Errorf("two arrows take the same way: %s", d)
		}
		seen[d] = true
	}
}

func TestTextForms(t *testing.T) {
	p := sample(5)
	for form, words := range map[string][]string{
		"mermaid": {"flowchart TB\n", `s1["1. js/#60;part#62;0.js · in place"]`, "s4 -.->|\"late\"| s2", "#34;",
			"linkStyle 4 stroke"},
		"dot": {"digraph order {", `s4 -> s2 [constraint=false, label="late", color=red, style=dashed]`,
			`label="tides & \"crews\" <index>.html"`},
	} {
		text, err := Order(form, p)
		if err != nil {
			t.Fatal(err)
		}
		for _, w := range words {
			if !strings.Contains(text, w) {
				t.Errorf("%s lacks %q:\n%s", form, w, text)
			}
		}
	}
	if _, err := Order("jpeg", p); err == nil {
		t.Error("a form that there is not was drawn")
	}
}

func TestWords(t *testing.T) {
	for n, want := range map[int64]string{0: "0 B", 999: "999 B", 1500: "1.5 kB", 2_500_000: "2.5 MB"} {
		if got := bytesText(n); got != want {
			t.Errorf("%d is %s", n, got)
		}
	}
	if got := cut("abcdefghijklmnop", 9); len([]rune(got)) != 9 || !strings.HasPrefix(got, "abc…") ||
		!strings.HasSuffix(got, "p") {
		t.Errorf("cut to %q", got)
	}
	if cut("short", 9) != "short" {
		t.Error("what fits was cut")
	}
}
