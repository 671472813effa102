package renames

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"merrycrate.example/merry/crate/glyphs"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/style"
)

// An icon is a class of the new version that puts before an element what one of the old did, and how that is known:
// surely, or by a drawing that is only very like.
type icon struct {
	class, why string
	sure       bool
}

// theSame is how alike two drawings must be for nothing but the points to have changed.
const theSame = 0.95

// maxKept is how many names of both versions are asked whether drawings held.
const maxKept = 100

// draw finds what icons are called now: by the character that they are, unless characters were dealt again from one
// version to the next, and by the drawing, where fonts can be read and were not drawn again.
func (w *matcher) draw(gone []string, e Evidence) {
	gone = slices.DeleteFunc(slices.Clone(gone), func(o string) bool { return w.old.glyph(o) == "" })
	byGlyph := w.byGlyph()
	if len(byGlyph) == 0 || len(gone) == 0 {
		return
	}
	var olds, news glyphs.Set
	if e.Fonts != nil {
		olds, news = e.Fonts()
	}
	characters := slices.Sorted(maps.Keys(byGlyph))
	drawings := map[string][]*glyphs.Drawing{} // of the new version
	for _, g := range characters {
		drawings[g] = drawn(news, g)
	}
	alias := map[string][]string{} // of an old character, the names of both versions
	for _, class := range w.kept {
		if g := w.old.glyph(class); g != "" {
			alias[g] = append(alias[g], class)
		}
	}
	outlines := w.outlinesHold(olds, drawings)
	w.drawings = outlines && len(olds) > 0 && len(news) > 0
	for _, o := range gone {
		g := w.old.glyph(o)
		if n := nearestName(o, alias[g]); n != "" {
			w.icons[o] = icon{n, "it was the same character as " + n + ", which is still there", true}
			continue
		}
		was := drawn(olds, g)
		like, known := glyphs.Like(was, drawings[g])
		if n := nearestName(o, byGlyph[g]); n != "" && !w.reassigned && (!outlines || !known || like >= glyphs.Other) {
			w.icons[o] = icon{n, "it is the same character: " + g, true}
			continue
		}
		if !outlines {
			continue
		}
		best, same := glyphs.Same, []string(nil)
		for _, other := range characters {
			switch like, _ := glyphs.Like(was, drawings[other]); {
			case like > best+0.02:
				best, same = like, slices.Clone(byGlyph[other])
			case like >= best-0.02 && like >= glyphs.Same:
				best, same = max(best, like), append(same, byGlyph[other]...)
			}
		}
		if n := nearestName(o, same); n != "" {
			w.icons[o] = icon{n, fmt.Sprintf("it is the same drawing, to %d %%", int(100*best)), best >= theSame}
		}
	}
}

// newlyReassigned reports whether characters were dealt again from one version to the next: most names of both are
// another one now.
func (w *matcher) newlyReassigned() bool {
	asked, held := 0, 0
	for _, class := range w.kept {
		old, new := w.old.glyph(class), w.new.glyph(class)
		if old == "" || new == "" {
			continue
		}
		if asked++; old == new {
			held++
		}
	}
	return 2*held < asked
}

// outlinesHold reports whether the drawings are the same in both versions, by those of the names that both have.
func (w *matcher) outlinesHold(olds glyphs.Set, drawings map[string][]*glyphs.Drawing) bool {
	seen, same := 0, 0
	for _, class := range w.kept {
		old, new := w.old.glyph(class), w.new.glyph(class)
		if old == "" || new == "" {
			continue
		}
		if like, known := glyphs.Like(drawn(olds, old), drawings[new]); known {
			if seen++; like >= glyphs.Other {
				same++
			}
		}
		if seen == maxKept {
			break
		}
	}
	return 2*same >= seen
}

// sameIcon tells of two classes that are icons and nothing else whether they are the same, as alike does.
func (w *matcher) sameIcon(o, n string) (share, said float64) {
	if w.reassigned || w.old.glyph(o) != w.new.glyph(n) {
		return 0, 0
	}
	for _, v := range w.old.of(o) {
		said = v.weight
	}
	return 1, said
}

// otherIcon reports whether two classes that are the same character are known not to be the same icon: characters were
// dealt again, or it looks otherwise.
func (w *matcher) otherIcon(o, n string) bool {
	a, b := w.old.glyph(o), w.new.glyph(n)
	return a != "" && a == b && w.icons[o].class != n && (w.reassigned || w.drawings)
}

// drawn is a character in the fonts of a version.
func drawn(fonts glyphs.Set, glyph string) []*glyphs.Drawing {
	if r, ok := character(glyph); ok && len(fonts) > 0 {
		return fonts.Draw(r)
	}
	return nil
}

// character is the one that a quoted text of CSS is, escaped or not (CSS Syntax Module Level 3, section 4.3.7).
func character(text string) (rune, bool) {
	text = strings.Trim(text, `"'`)
	if hex, escaped := strings.CutPrefix(text, `\`); escaped {
		n, err := strconv.ParseUint(strings.TrimSpace(hex), 16, 21)
		return rune(n), err == nil
	}
	r, size := utf8.DecodeRuneInString(text)
	return r, size > 0 && size == len(text)
}

// nearestName is the one of several names that is most like another, "" of none.
func nearestName(o string, list []string) string {
	if len(list) == 0 {
		return ""
	}
	return slices.MaxFunc(list, func(a, b string) int {
		return cmp.Or(cmp.Compare(nameShare(o, a), nameShare(o, b)), cmp.Compare(b, a))
	})
}

// byGlyph are the new names by the character that they put before an element.
func (w *matcher) byGlyph() map[string][]string {
	list := map[string][]string{}
	for class, decls := range w.new.sheet.Decls {
		if !slices.ContainsFunc(decls, func(d style.Declaration) bool { return d.Property == "content" }) {
			continue
		}
		if g := w.new.glyph(class); g != "" {
			list[g] = append(list[g], class)
		}
	}
	return list
}

// style finds the class that gives an icon the weight and the face which a sheet gives an old name.
func (w *matcher) style(m declarations) []string {
	weight := m.value("font-weight")
	if weight == "" || weight == "900" {
		return nil
	}
	var list []string
	for class := range w.new.sheet.Decls {
		n := w.new.of(class)
		if n.value("font-weight") == weight && n.value("font-family") == m.value("font-family") &&
			w.new.glyph(class) == "" && len(n) <= 4 {
			list = append(list, class)
		}
	}
	slices.Sort(list)
	return list[:min(1, len(list))]
}

// glyph is the character that a class puts before an element, which of an icon is all that it is; several have blanks
// between them.
func (m *computedStyles) glyph(class string) string {
	g, done := m.glyphs[class]
	if !done {
		s := m.of(class)
		var list []string
		for _, k := range slices.Sorted(maps.Keys(s)) {
			if strings.HasSuffix(k, ":before{content") && private().MatchString(s[k].value) {
				list = append(list, s[k].value)
			}
		}
		g = strings.Join(list, " ")
		m.glyphs[class] = g
	}
	return g
}

// private is a text of one character that no keyboard has, as fonts of icons give them.
var private = memo.Regexp(`^["'](?:\\[0-9a-f]{3,6} ?|[^\x00-\x7f])["']$`)
