package look

import (
	"bytes"
	"cmp"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/browser"
)

// A Difference lists the differences between two looks of a page.
type Difference struct {
	Share   float64  `json:"share"`   // of the picture, from 0 to 1
	Regions []Region `json:"regions"` // the parts of the screenshot that differ
	// Fonts are those that came (with a plus) or went (with a minus).
	Fonts []string `json:"fonts,omitempty"`
}

// A Region is a part of the picture that differs.
type Region struct {
	X        int       `json:"x"`        // in pixels, from the left
	Y        int       `json:"y"`        // in pixels, from the top
	W        int       `json:"w"`        // width in pixels
	H        int       `json:"h"`        // height in pixels
	Elements []Changed `json:"elements"` // that lie in it, the most telling first
}

// A Changed element is one in a region that differs.
type Changed struct {
	Path  string       `json:"path"`            // the element, such as body > nav#menu > a(2)
	How   string       `json:"how,omitempty"`   // it came, it went, it moved
	Rules []RuleChange `json:"rules,omitempty"` // CSS rules that changed for it
}

// A RuleChange is a rule that applies to an element otherwise than before.
type RuleChange struct {
	Selector string `json:"selector"`       // the rule's selector
	File     string `json:"file,omitempty"` // the stylesheet
	Was      string `json:"was,omitempty"`  // the declarations that are not there any more
	Now      string `json:"now,omitempty"`  // those that were not there
}

// tolerance is how far a colour may be off: what two runs of one browser differ by at the edges of letters.
const tolerance = 12

// maxElements is how many elements of a region are reported.
const maxElements = 4

// CompareShots returns the differences between two looks of one page, nil if they are the same. The error is that of a
// picture that can't be read.
func CompareShots(before, after *browser.Shot) (*Difference, error) {
	a, b, err := pictures(before, after)
	if err != nil {
		return nil, err
	}
	cells, share := differingPixels(a, b)
	d := &Difference{Share: share}
	for _, r := range regions(cells) {
		r = r.Intersect(a.Rect.Union(b.Rect))
		d.Regions = append(d.Regions, Region{X: r.Min.X, Y: r.Min.Y, W: r.Dx(), H: r.Dy(),
			Elements: changedIn(r, &before.State, &after.State)})
	}
	for _, f := range after.State.Fonts {
		if !slices.Contains(before.State.Fonts, f) {
			d.Fonts = append(d.Fonts, "+ "+f)
		}
	}
	for _, f := range before.State.Fonts {
		if !slices.Contains(after.State.Fonts, f) {
			d.Fonts = append(d.Fonts, "- "+f)
		}
	}
	if len(d.Regions) == 0 {
		return nil, nil
	}
	return d, nil
}

// pictures reads those of two looks.
func pictures(before, after *browser.Shot) (a, b *image.NRGBA, err error) {
	if a, err = decode(before.Picture); err == nil {
		b, err = decode(after.Picture)
	}
	return a, b, err
}

// decode reads a picture. One whose size no look has is refused before it is unpacked.
func decode(b []byte) (*image.NRGBA, error) {
	c, err := png.DecodeConfig(bytes.NewReader(b))
	if err != nil {
		return nil, err
	}
	if c.Width > 8000 || c.Height > browser.MaxHeight {
		return nil, fmt.Errorf("a picture of %d×%d is not a screenshot", c.Width, c.Height)
	}
	img, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		return nil, err
	}
	if n, ok := img.(*image.NRGBA); ok {
		return n, nil
	}
	n := image.NewNRGBA(img.Bounds())
	draw.Draw(n, n.Rect, img, img.Bounds().Min, draw.Src)
	return n, nil
}

// cell is the side of the squares in which differences are gathered, in pixels.
const cell = 8

// differingPixels marks the squares in which two pictures differ, and counts the share of pixels.
func differingPixels(a, b *image.NRGBA) (map[image.Point]bool, float64) {
	all := a.Rect.Union(b.Rect)
	cells, count := map[image.Point]bool{}, 0
	for y := all.Min.Y; y < all.Max.Y; y++ {
		if y < a.Rect.Max.Y && y < b.Rect.Max.Y && a.Rect == b.Rect && bytes.Equal(row(a, y), row(b, y)) {
			continue
		}
		for x := all.Min.X; x < all.Max.X; x++ {
			at := image.Pt(x, y)
			if at.In(a.Rect) && at.In(b.Rect) && alike(a.NRGBAAt(x, y), b.NRGBAAt(x, y)) {
				continue
			}
			count++
			cells[image.Pt(x/cell, y/cell)] = true
		}
	}
	if all.Empty() {
		return nil, 0
	}
	return cells, float64(count) / float64(all.Dx()*all.Dy())
}

func row(p *image.NRGBA, y int) []byte {
	i := p.PixOffset(p.Rect.Min.X, y)
	return p.Pix[i : i+4*p.Rect.Dx()]
}

func alike(p, q color.NRGBA) bool {
	return off(p.R, q.R) <= tolerance && off(p.G, q.G) <= tolerance && off(p.B, q.B) <= tolerance &&
		off(p.A, q.A) <= tolerance
}

func off(a, b uint8) int { return max(int(a)-int(b), int(b)-int(a)) }

// reach is how many squares may lie between two that belong together: letters of one line, lines of one text.
const reach = 3

// maxRegions is how many regions are reported apart; more are one.
const maxRegions = 40

// regions gathers squares that lie together, from the top of the page.
func regions(cells map[image.Point]bool) []image.Rectangle {
	var list []image.Rectangle
	left := make(map[image.Point]bool, len(cells))
	for c := range cells {
		left[c] = true
	}
	points := make([]image.Point, 0, len(cells))
	for c := range cells {
		points = append(points, c)
	}
	slices.SortFunc(points, func(p, q image.Point) int { return cmp.Or(cmp.Compare(p.Y, q.Y), cmp.Compare(p.X, q.X)) })
	for _, p := range points {
		if !left[p] {
			continue
		}
		delete(left, p)
		box, next := square(p), []image.Point{p}
		for len(next) > 0 {
			at := next[len(next)-1]
			next = next[:len(next)-1]
			box = box.Union(square(at))
			for dy := -reach; dy <= reach; dy++ {
				for dx := -reach; dx <= reach; dx++ {
					if q := at.Add(image.Pt(dx, dy)); left[q] {
						delete(left, q)
						next = append(next, q)
					}
				}
			}
		}
		list = append(list, box)
	}
	if len(list) > maxRegions {
		whole := list[0]
		for _, r := range list {
			whole = whole.Union(r)
		}
		return []image.Rectangle{whole}
	}
	return list
}

func square(p image.Point) image.Rectangle {
	return image.Rect(p.X*cell, p.Y*cell, (p.X+1)*cell, (p.Y+1)*cell)
}

// changedIn lists the elements of a region for which something changed: those whose rules did, then those that came,
// went or moved; where there is none of them, the smallest that lie there.
func changedIn(r image.Rectangle, before, after *browser.State) []Changed {
	was := map[string]*browser.Element{}
	for i := range before.Elements {
		was[before.Elements[i].Path] = &before.Elements[i]
	}
	there := map[string]bool{}
	type candidate struct {
		Changed
		weight, size int
	}
	var list []candidate
	for i := range after.Elements {
		e := &after.Elements[i]
		there[e.Path] = true
		old := was[e.Path]
		if !e.Box().Overlaps(r) && (old == nil || !old.Box().Overlaps(r)) {
			continue
		}
		c := candidate{Changed{Path: e.Path}, 3, e.W * e.H}
		switch {
		case old == nil:
			c.How, c.weight = "is new", 1
		default:
			if c.Rules = rulesOf(old, e, before, after); len(c.Rules) > 0 {
				c.weight = 0
			} else if old.Box() != e.Box() {
				c.How, c.weight = moved(old, e), 2
			}
		}
		list = append(list, c)
	}
	for i := range before.Elements {
		if e := &before.Elements[i]; !there[e.Path] && e.Box().Overlaps(r) {
			list = append(list, candidate{Changed{Path: e.Path, How: "was removed"}, 1, e.W * e.H})
		}
	}
	slices.SortStableFunc(list, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.weight, b.weight), cmp.Compare(a.size, b.size))
	})
	var out []Changed
	told := map[string]bool{} // the same rules for many elements are reported once
	for _, c := range list {
		key := fmt.Sprint(c.Rules)
		if len(c.Rules) > 0 && told[key] {
			continue
		}
		if c.weight == 3 && len(out) > 0 {
			break
		}
		told[key] = true
		if out = append(out, c.Changed); len(out) == maxElements || c.weight == 3 {
			break
		}
	}
	return out
}

func moved(old, e *browser.Element) string {
	if old.W == e.W && old.H == e.H {
		return fmt.Sprintf("moved from %d,%d to %d,%d", old.X, old.Y, e.X, e.Y)
	}
	return fmt.Sprintf("was %d×%d, and is %d×%d", old.W, old.H, e.W, e.H)
}

// rulesOf lists the rules that apply to an element otherwise than before. A rule is known by its selector; whichever
// file it comes from.
func rulesOf(old, now *browser.Element, before, after *browser.State) []RuleChange {
	a, b := gathered(old, before), gathered(now, after)
	var list []RuleChange
	for selector, was := range a {
		is, ok := b[selector]
		if ok && is.Text == was.Text {
			continue
		}
		gone, come := apart(was.Text, is.Text)
		if gone != "" || come != "" {
			list = append(list, RuleChange{selector, cmp.Or(fileOf(now, after, selector, come),
				fileOf(old, before, selector, gone)), gone, come})
		}
	}
	for selector, is := range b {
		if _, ok := a[selector]; !ok {
			list = append(list, RuleChange{Selector: selector, File: is.File, Now: is.Text})
		}
	}
	slices.SortFunc(list, func(a, b RuleChange) int { return cmp.Compare(a.Selector, b.Selector) })
	return slices.DeleteFunc(slices.Clone(list), func(c RuleChange) bool {
		return slices.ContainsFunc(list, func(d RuleChange) bool { return renamed(c, d) || renamed(d, c) })
	})
}

// renamed reports whether a rule has only another selector than before, as where a class is called otherwise.
func renamed(gone, come RuleChange) bool {
	return gone.Now == "" && come.Was == "" && slices.Equal(declarations(gone.Was), declarations(come.Now))
}

// gathered are an element's rules by their selector, with the declarations of all that have the same.
func gathered(e *browser.Element, s *browser.State) map[string]browser.Rule {
	m := map[string]browser.Rule{}
	for _, i := range e.Rules {
		if i < 0 || i >= len(s.Rules) {
			continue
		}
		r := s.Rules[i]
		if r.Text == "" {
			continue
		}
		if had, ok := m[r.Selector]; ok {
			r.Text = had.Text + " " + r.Text
		}
		m[r.Selector] = r
	}
	return m
}

// fileOf is the file with an element's rule of a selector that has one of the declarations: several files may have
// rules for it. "" is none.
func fileOf(e *browser.Element, s *browser.State, selector, text string) string {
	wanted := declarations(text)
	for _, i := range e.Rules {
		if i >= 0 && i < len(s.Rules) && s.Rules[i].Selector == selector &&
			slices.ContainsFunc(declarations(s.Rules[i].Text), func(d string) bool {
				return slices.Contains(wanted, d)
			}) {
			return s.Rules[i].File
		}
	}
	return ""
}

// apart are the declarations of one text that the other has not, both ways.
func apart(was, now string) (gone, come string) {
	a, b := declarations(was), declarations(now)
	var less, more []string
	for _, d := range a {
		if !slices.Contains(b, d) {
			less = append(less, d)
		}
	}
	for _, d := range b {
		if !slices.Contains(a, d) {
			more = append(more, d)
		}
	}
	return strings.Join(less, "; "), strings.Join(more, "; ")
}

// declarations takes a text as the browser writes it apart.
func declarations(text string) []string {
	var list []string
	depth, from := 0, 0
	quote := byte(0)
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case quote != 0:
			if c == '\\' {
				i++
			} else if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '(':
			depth++
		case c == ')':
			depth--
		case c == ';' && depth <= 0:
			if d := strings.TrimSpace(text[from:i]); d != "" {
				list = append(list, d)
			}
			from = i + 1
		}
	}
	if d := strings.TrimSpace(text[min(from, len(text)):]); d != "" {
		list = append(list, d)
	}
	return list
}

// Marked returns the second look in pale colours, with the differences framed in full colour.
func Marked(before, after *browser.Shot, d *Difference) ([]byte, error) {
	a, b, err := pictures(before, after)
	if err != nil {
		return nil, err
	}
	out := image.NewNRGBA(a.Rect.Union(b.Rect))
	mark := color.NRGBA{179, 38, 30, 255}
	for y := range out.Rect.Max.Y {
		for x := range out.Rect.Max.X {
			at := image.Pt(x, y)
			switch {
			case !at.In(b.Rect):
				out.SetNRGBA(x, y, color.NRGBA{230, 214, 212, 255})
			case at.In(a.Rect) && alike(a.NRGBAAt(x, y), b.NRGBAAt(x, y)):
				p := b.NRGBAAt(x, y)
				out.SetNRGBA(x, y, color.NRGBA{pale(p.R), pale(p.G), pale(p.B), 255})
			default:
				out.SetNRGBA(x, y, mark)
			}
		}
	}
	for _, r := range d.Regions {
		frame(out, image.Rect(r.X-3, r.Y-3, r.X+r.W+3, r.Y+r.H+3), mark)
	}
	var buf bytes.Buffer
	err = png.Encode(&buf, out)
	return buf.Bytes(), err
}

func pale(c uint8) uint8 { return uint8(255 - (255-int(c))/4) }

func frame(p *image.NRGBA, r image.Rectangle, c color.NRGBA) {
	r = r.Intersect(p.Rect)
	for x := r.Min.X; x < r.Max.X; x++ {
		p.SetNRGBA(x, r.Min.Y, c)
		p.SetNRGBA(x, r.Max.Y-1, c)
	}
	for y := r.Min.Y; y < r.Max.Y; y++ {
		p.SetNRGBA(r.Min.X, y, c)
		p.SetNRGBA(r.Max.X-1, y, c)
	}
}
