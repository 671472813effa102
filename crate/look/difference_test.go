package look

import (
	"bytes"
	"cmp"
	"image"
	"image/color"
	"image/png"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/browser"
)

// painted is a picture of rectangles on white.
func painted(t testing.TB, w, h int, boxes ...image.Rectangle) []byte {
	t.Helper()
	p := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range p.Pix {
		p.Pix[i] = 255
	}
	for n, b := range boxes {
		for y := b.Min.Y; y < b.Max.Y; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				p.SetNRGBA(x, y, color.NRGBA{uint8(40 * n), 60, 90, 255})
			}
		}
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, p); err != nil {
		t.Fatal(err)
	}
	return buf.Bytes()
}

// TestCompare: nothing differs between equal pictures, whatever the rules say; a box that changed is a region, with the
// element whose rule changed before the one that only moved, and with the declarations that came and went.
func TestCompare(t *testing.T) {
	box := image.Rect(100, 100, 140, 120)
	rules := []browser.Rule{{Selector: ".berth", Text: "color: red; padding: 3px;", File: "css/a.css"},
		{Selector: "p", Text: "margin: 0px;", File: "css/a.css"},
		{Selector: ".berth", Text: "color: blue; padding: 3px;", File: "css/b.css"}}
	elements := func(rules ...int) []browser.Element {
		return []browser.Element{{Path: "body", W: 400, H: 400}, {Path: "body > p", X: 100, Y: 100, W: 40, H: 30,
			Rules: rules}, {Path: "body > i", X: 300, Y: 300, W: 5, H: 5, Rules: []int{1}}}
	}
	before := &browser.Shot{Picture: painted(t, 400, 400, box), State: browser.State{Rules: rules,
		Elements: elements(0, 1), Fonts: []string{"Tide 400 normal"}}}
	same := &browser.Shot{Picture: painted(t, 400, 400, box), State: browser.State{Rules: rules,
		Elements: elements(2, 1)}}
	if d, err := CompareShots(before, same); err != nil || d != nil {
		t.Errorf("equal pictures differ: %+v %v", d, err)
	}
	after := &browser.Shot{Picture: painted(t, 400, 400, image.Rect(100, 100, 140, 130)),
		State: browser.State{Rules: rules, Elements: elements(2, 1)}}
	d, err := CompareShots(before, after)
	if err != nil || d == nil || len(d.Regions) != 1 || len(d.Regions[0].Elements) == 0 {
		t.Fatalf("%+v %v", d, err)
	}
	r, e := d.Regions[0], d.Regions[0].Elements[0]
	if r.X > 100 || r.Y > 120 || r.X+r.W < 140 || r.Y+r.H < 130 || d.Share != 400.0/160000 {
		t.Errorf("the region is %+v, the share %v", r, d.Share)
	}
	if e.Path != "body > p" && len(r.Elements) < 2 {
		t.Errorf("the elements are %+v", r.Elements)
	}
	taller := &browser.Shot{Picture: painted(t, 400, 420, box), State: before.State}
	if d, err := CompareShots(before, taller); err != nil || d == nil || d.Regions[0].Y != 400 {
		t.Errorf("a longer page: %+v %v", d, err)
	}
	if _, err := CompareShots(before, &browser.Shot{Picture: painted(t, 9000, 10)}); err == nil ||
		!strings.Contains(err.Error(), "is not a screenshot") {
		t.Errorf("a picture without end: %v", err)
	}
	if b, err := Marked(before, after, d); err != nil || len(b) == 0 {
		t.Errorf("%v", err)
	}
}

// TestRules: by what an element's rules differ: whatever the file, and whatever the order.
func TestRules(t *testing.T) {
	s := &browser.State{Rules: []browser.Rule{{Selector: ".a", Text: `background: url("x;y.png"); color: red;`,
		File: "a.css"}, {Selector: ".a", Text: "color: red;", File: "b.css"}, {Selector: ".b", Text: "top: 1px;",
		File: "a.css"}, {Selector: ".a", Text: `color: red; background: url("x;y.png");`, File: "b.css"},
		{Selector: ".c", Text: "top: 1px;", File: "a.css"}, {Selector: ".a", Text: "left: 1px;", File: "c.css"}}}
	for _, tt := range []struct {
		old, now []int
		want     string
	}{
		{[]int{0}, []int{3}, ""}, {[]int{0}, []int{1}, `.a|background: url("x;y.png")|`},
		{[]int{1}, []int{0}, `.a||background: url("x;y.png")`}, {[]int{2}, nil, ".b|top: 1px|"},
		{nil, []int{2}, ".b||top: 1px;"}, {[]int{0, 99, -1}, []int{0}, ""},
		{[]int{2}, []int{4}, ""}, {[]int{2, 4}, []int{4}, ".b|top: 1px|"}, {[]int{1, 5}, []int{5}, ".a|color: red|"},
	} {
		got := ""
		for _, c := range rulesOf(&browser.Element{Rules: tt.old}, &browser.Element{Rules: tt.now}, s, s) {
			got += c.Selector + "|" + c.Was + "|" + c.Now
			if from := cmp.Or(c.Was, c.Now); !strings.Contains(s.Rules[slices.IndexFunc(s.Rules,
				func(r browser.Rule) bool { return r.Selector == c.Selector && r.File == c.File })].Text,
				strings.TrimSuffix(from, ";")) {
				t.Errorf("%v to %v: %s is told of %s, which does not say so", tt.old, tt.now, from, c.File)
			}
		}
		if got != tt.want {
			t.Errorf("%v to %v: %s, want %s", tt.old, tt.now, got, tt.want)
		}
	}
}

// FuzzCompare: whatever is in a folder of looks, comparing it ends, and what differs is in the picture.
func FuzzCompare(f *testing.F) {
	f.Add(painted(f, 20, 20), painted(f, 20, 30, image.Rect(1, 1, 5, 5)), "color: red; x: url(a;b)")
	f.Fuzz(func(t *testing.T, a, b []byte, text string) {
		if c, err := png.DecodeConfig(bytes.NewReader(a)); err == nil && c.Width*c.Height > 1<<20 {
			return
		}
		if c, err := png.DecodeConfig(bytes.NewReader(b)); err == nil && c.Width*c.Height > 1<<20 {
			return
		}
		d, err := CompareShots(&browser.Shot{Picture: a}, &browser.Shot{Picture: b})
		if err == nil && d != nil && (d.Share <= 0 || d.Share > 1) {
			t.Errorf("the share is %v", d.Share)
		}
		if all := strings.Join(declarations(text), ""); len(all) > len(text) {
			t.Errorf("%q has more in it than there is: %q", text, all)
		}
	})
}
