package glyphs

import (
	"image"
	"image/draw"

	"golang.org/x/image/vector"
)

// filled is the drawing that a pen has outlined.
func filled(pen *vector.Rasterizer) *Drawing {
	mask := image.NewAlpha(image.Rect(0, 0, side, side))
	pen.DrawOp = draw.Src
	pen.Draw(mask, mask.Bounds(), image.Opaque, image.Point{})
	d := &Drawing{}
	ink := 0
	for i, v := range mask.Pix {
		d.ink[i] = v
		d.coarse[i/side/(side/4)*4+i%side/(side/4)] += int(v)
		ink += int(v)
	}
	if ink == 0 {
		return nil
	}
	for i := range d.coarse {
		d.coarse[i] /= side * side / 16
	}
	return d
}

// The bounds within which two drawings are the same, drawn again perhaps with other points, and beyond which they are
// not.
const (
	Same  = 0.88
	Other = 0.6
)

// Like returns how much two drawings have in common, from 0 to 1.
func (d *Drawing) Like(o *Drawing) float64 {
	apart, all := 0, 0
	for i, v := range d.ink {
		w := o.ink[i]
		apart += int(max(v, w) - min(v, w))
		all += int(max(v, w))
	}
	return 1 - float64(apart)/float64(all)
}

// maxCoarse is how much, of 255, the sixteenths of two drawings that are the same differ at most.
const maxCoarse = 40

// near tells without a close look whether two drawings may be the same.
func (d *Drawing) near(o *Drawing) bool {
	for i, v := range d.coarse {
		if w := o.coarse[i]; v-w > maxCoarse || w-v > maxCoarse {
			return false
		}
	}
	return true
}

// A Set holds the fonts of one version, which may draw a character in several styles.
type Set []*Font

// Draw draws a character in each font that has it.
func (s Set) Draw(r rune) []*Drawing {
	var list []*Drawing
	for _, f := range s {
		if d := f.Draw(r); d != nil {
			list = append(list, d)
		}
	}
	return list
}

// Like returns how alike two characters are, in the styles in which they are most alike. Ok is false if one of them is
// not drawn.
func Like(a, b []*Drawing) (like float64, known bool) {
	for _, d := range a {
		for _, o := range b {
			known = true
			if d.near(o) {
				like = max(like, d.Like(o))
			}
		}
	}
	return like, known
}
