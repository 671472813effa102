// Package glyphs reports whether two characters of fonts are the same drawing, wherever and in whatever container the
// fonts have them: icons that were called otherwise, or got another character, are still drawn as before.
package glyphs

import (
	"math"
	"sync"

	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// A Font draws characters. It may be used by several goroutines at once.
type Font struct {
	font  *sfnt.Font
	mu    sync.Mutex
	buf   sfnt.Buffer
	drawn map[rune]*Drawing
}

// side is the length of a drawing's sides, in cells.
const side = 24

// A Drawing is how a character looks: its outline filled, as large as a square takes it.
type Drawing struct {
	ink    [side * side]uint8
	coarse [16]int // of each sixteenth of the square, how much is ink, of 255
}

// Read reads a font: TrueType or OpenType, as it is, as WOFF 1.0 or as WOFF 2.0. The error says why it can't be read.
func Read(b []byte) (*Font, error) {
	t, err := tablesOf(b)
	if err != nil {
		return nil, err
	}
	plain, err := t.sfnt()
	if err != nil {
		return nil, err
	}
	f, err := sfnt.Parse(plain)
	if err != nil {
		return nil, err
	}
	return &Font{font: f, drawn: map[rune]*Drawing{}}, nil
}

// Draw draws a character. It returns nothing if the font lacks the character, or if the character is blank.
func (f *Font) Draw(r rune) *Drawing {
	f.mu.Lock()
	defer f.mu.Unlock()
	d, done := f.drawn[r]
	if !done {
		d = f.draw(r)
		f.drawn[r] = d
	}
	return d
}

// size is how large outlines are asked for, in units of which fonts have some thousands to a character.
const size = 1024

func (f *Font) draw(r rune) *Drawing {
	index, err := f.font.GlyphIndex(&f.buf, r)
	if err != nil || index == 0 {
		return nil
	}
	segments, err := f.font.LoadGlyph(&f.buf, index, fixed.I(size), nil)
	if err != nil || len(segments) == 0 {
		return nil
	}
	left, top, right, bottom := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	at := func(p fixed.Point26_6) (x, y float64) { return float64(p.X) / 64, float64(p.Y) / 64 }
	for _, s := range segments {
		for _, p := range s.Args[:arguments(s.Op)] {
			x, y := at(p)
			left, right, top, bottom = min(left, x), max(right, x), min(top, y), max(bottom, y)
		}
	}
	extent := max(right-left, bottom-top)
	if extent <= 0 {
		return nil
	}
	scale := side / extent
	dx, dy := (extent-(right-left))/2-left, (extent-(bottom-top))/2-top // in the middle
	pen := vector.NewRasterizer(side, side)
	point := func(p fixed.Point26_6) (x, y float32) {
		px, py := at(p)
		return float32((px + dx) * scale), float32((py + dy) * scale)
	}
	for _, s := range segments {
		x, y := point(s.Args[0])
		switch s.Op {
		case sfnt.SegmentOpMoveTo:
			pen.ClosePath()
			pen.MoveTo(x, y)
		case sfnt.SegmentOpLineTo:
			pen.LineTo(x, y)
		case sfnt.SegmentOpQuadTo:
			x1, y1 := point(s.Args[1])
			pen.QuadTo(x, y, x1, y1)
		case sfnt.SegmentOpCubeTo:
			x1, y1 := point(s.Args[1])
			x2, y2 := point(s.Args[2])
			pen.CubeTo(x, y, x1, y1, x2, y2)
		}
	}
	pen.ClosePath()
	return filled(pen)
}

// arguments is how many points a part of an outline has.
func arguments(op sfnt.SegmentOp) int {
	switch op {
	case sfnt.SegmentOpQuadTo:
		return 2
	case sfnt.SegmentOpCubeTo:
		return 3
	}
	return 1
}
