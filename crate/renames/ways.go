package renames

import (
	"fmt"
	"slices"
	"strings"

	"github.com/agext/levenshtein"
	"merrycrate.example/merry/crate/style"
)

// matcher are the evidence beyond a pair itself: the families that it belongs to, and the character that an icon is.
type matcher struct {
	of         map[string]map[string]*renamePattern // old name, new name, the best family with this pair
	reassigned bool                                 // icons got other characters
	drawings   bool                                 // and what they look like is known, and held
	icons      map[string]icon                      // names that are gone to those that put the same before an element
	old, new   *computedStyles
	known      map[[2]string][2]float64
	kept       []string            // names of both
	certain    map[string]string   // names that are gone with the only one that says just the same
	near       map[string][]string // old name, new names that mean much the same
	// old name, new names that mean somewhat the same: they may begin a family
	roots      map[string][]string
	declaredAs map[string][]string // a statement to the names that came whose class says it
	// a declaration of a class that is gone, as it is written, to the names of both that have it
	raw map[[3]string][]string
	// old name, new name to which a sheet of the new version leads it, with further classes
	aliased map[string]map[string][]string
	only    map[string]string   // the first word of names to the only name that came with it
	scoped  map[string]string   // names that are gone to those that took the name of what they stood in
	alone   map[string][]string // what new names say by themselves, and no more, to those names
}

// state counts, for each family, the pairs of which the library itself says so.
func (w *matcher) state(said map[string]map[string]string) {
	for o, news := range said {
		for n := range news {
			if f := w.of[o][n]; f != nil {
				f.stated++
			}
		}
	}
}

// both lists the classes that two sheets make.
func both(old, new *style.Sheet) []string {
	var list []string
	for class := range new.Decls {
		if _, had := old.Decls[class]; had {
			list = append(list, class)
		}
	}
	slices.Sort(list)
	return list
}

func newWays(old, new *style.Sheet, gone, come []string, one alone) *matcher {
	w := &matcher{of: map[string]map[string]*renamePattern{}, icons: map[string]icon{},
		known: map[[2]string][2]float64{}}
	all := countAll(old, new)
	w.old, w.new = newMeanings(old, all), newMeanings(new, all)
	w.near, w.roots = map[string][]string{}, map[string][]string{}
	w.kept = both(old, new)
	w.reassigned = w.newlyReassigned()
	w.certain = w.justTheSame(gone, come, one)
	w.index(gone, come)
	for _, f := range families(gone, come, w.kept, w.bases(gone), w.certain, func(o, n string) (share, said float64,
		fits bool) {
		share, said = w.alike(o, n)
		return share, said, w.old.of(o).widths() == w.new.of(n).widths()
	}) {
		for _, p := range f.pairs {
			if w.of[p[0]] == nil {
				w.of[p[0]] = map[string]*renamePattern{}
			}
			if w.of[p[0]][p[1]] == nil { // the best comes first
				w.of[p[0]][p[1]] = f
			}
		}
	}
	w.scoped = scoped(old, gone, come)
	w.only = map[string]string{}
	for _, n := range come {
		first := parts(n)[0]
		if _, another := w.only[first]; another {
			n = ""
		}
		w.only[first] = n
	}
	w.alone = map[string][]string{}
	isPartner := map[string]bool{}
	for _, n := range w.certain {
		isPartner[n] = true
	}
	for _, n := range come {
		if isPartner[n] {
			continue
		}
		if own := w.new.of(n).own(); own != "" && len(w.new.of(n)) == strings.Count(own, ";")+1 {
			w.alone[own] = append(w.alone[own], n)
		}
	}
	return w
}

// justTheSame are the names that are gone with the one that came and says just the same, where no other class of either
// sheet does.
func (w *matcher) justTheSame(gone, come []string, one alone) map[string]string {
	by := map[string]string{}
	for _, n := range come {
		if p := fingerprint(w.new.sheet.Rules[n]); one.new[p] == 1 && len(w.new.sheet.Rules[n]) > 1 {
			by[p] = n
		}
	}
	list := map[string]string{}
	for _, o := range gone {
		if p := fingerprint(w.old.sheet.Rules[o]); one.old[p] == 1 && by[p] != "" &&
			!(w.reassigned && w.old.glyph(o) != "") {
			list[o] = by[p]
		}
	}
	return list
}

// index finds what says what: the names that came by what they mean, and those of both, which are many, by what is
// written alone.
func (w *matcher) index(gone, come []string) {
	w.declaredAs, w.raw = map[string][]string{}, map[[3]string][]string{}
	partner := map[string]bool{}
	for _, n := range w.certain {
		partner[n] = true
	}
	for _, class := range come {
		if partner[class] {
			continue
		}
		for k, v := range w.new.of(class) {
			if strings.HasPrefix(k, "{.&") {
				w.declaredAs[k+":"+v.value] = append(w.declaredAs[k+":"+v.value], class)
			}
		}
		for k, v := range w.new.styled(class) {
			if strings.HasPrefix(k, "{self") {
				w.declaredAs[k+":"+v.value] = append(w.declaredAs[k+":"+v.value], class)
			}
		}
	}
	wanted := map[[3]string]bool{}
	for _, o := range gone {
		for _, d := range w.old.sheet.Decls[o] {
			wanted[[3]string{d.Shape, d.Property, d.Value}] = true
		}
	}
	for _, class := range w.kept {
		for _, d := range w.new.sheet.Decls[class] {
			if key := [3]string{d.Shape, d.Property, d.Value}; d.Context == "" && wanted[key] {
				w.raw[key] = append(w.raw[key], class)
			}
		}
	}
}

// maxSaying is how many classes may say something for it to point to one of them.
const maxSaying = 40

// saying finds the classes of the new version that say some of what an old one does, and that few say.
func (w *matcher) saying(o string) []string {
	if list, done := w.near[o]; done || w.certain[o] != "" {
		return list
	}
	count := map[string]float64{}
	for _, s := range []declarations{w.old.of(o), w.old.styled(o)} {
		for k, v := range s {
			if list := w.declaredAs[k+":"+v.value]; len(list) <= maxSaying {
				for _, class := range list {
					count[class] = max(count[class], v.weight) + numbers.Second*min(count[class], v.weight)
				}
			}
		}
	}
	for _, d := range w.old.sheet.Decls[o] {
		if list := w.raw[[3]string{d.Shape, d.Property, d.Value}]; d.Context == "" && len(list) <= maxSaying {
			for _, class := range list {
				count[class] += w.old.of(o)["{"+d.Shape+"{"+d.Property].weight
			}
		}
	}
	var list []string
	for class, said := range count {
		share, _ := w.alike(o, class)
		if _, had := w.old.sheet.Decls[class]; said > numbers.Near && share > numbers.Near && !had ||
			share > 2*numbers.Near {
			list = append(list, class)
		}
		if said > numbers.Root && share > numbers.Root {
			w.roots[o] = append(w.roots[o], class)
		}
	}
	w.near[o] = list
	return list
}

// bases are, of names that are gone, the new ones that mean much the same.
func (w *matcher) bases(gone []string) map[string][]string {
	list := map[string][]string{}
	for _, o := range gone {
		w.saying(o)
		list[o] = w.roots[o]
	}
	return list
}

// alias reads sheets of the new version that alias old names on: a rule of theirs for a name that is gone says what a
// class of the new version says, and what is over another one.
func (w *matcher) alias(gone []string, compat []*style.Sheet) {
	w.aliased = map[string]map[string][]string{}
	if len(compat) == 0 {
		return
	}
	byGlyph, byOwn := w.byGlyph(), map[string][]string{}
	for class := range w.new.sheet.Decls {
		if own := w.new.of(class).own(); own != "" {
			byOwn[own] = append(byOwn[own], class)
		}
	}
	for _, sheet := range compat {
		led := newMeanings(sheet, w.new.counts)
		for _, o := range gone {
			if sheet.Decls[o] == nil {
				continue
			}
			m := led.of(o)
			found := byGlyph[led.glyph(o)]
			if led.glyph(o) == "" {
				found = byOwn[m.own()]
			}
			if len(found) == 0 || len(found) > 6 {
				continue
			}
			n := nearestName(o, found)
			var and []string
			if led.glyph(o) != "" {
				and = w.style(m)
			}
			w.aliased[o] = map[string][]string{n: and}
		}
	}
}

// value is what a sense says of a property of the element itself, whatever else must be.
func (m declarations) value(property string) string {
	for _, k := range []string{"{.&{" + property, "{.*.&{" + property} {
		if v := m[k].value; v != "" {
			return v
		}
	}
	return ""
}

// alike tells of an old and a new class how alike they are, and how much that says. What counts at another width counts
// somewhat less.
func (w *matcher) alike(o, n string) (share, said float64) {
	if w.old.glyph(o) != "" && w.new.glyph(n) != "" && len(w.old.of(o)) == 1 && len(w.new.of(n)) == 1 {
		return w.sameIcon(o, n)
	}
	if k, ok := w.known[[2]string{o, n}]; ok {
		return k[0], k[1]
	}
	_, kept := w.old.sheet.Decls[n]
	share, said = alike(w.old.of(o), w.new.of(n), !kept)
	if share < 1 && (w.old.conditional(o) || w.new.conditional(n)) {
		anywhere, more := alike(w.old.anywhere(o), w.new.anywhere(n), !kept)
		if w.old.of(o).ends() && w.new.of(n).begins() || w.old.of(o).begins() && w.new.of(n).ends() {
			anywhere *= numbers.Opposite // one is for narrow windows, the other for wide ones
		}
		if numbers.Anywhere*anywhere > share {
			share, said = numbers.Anywhere*anywhere, more
		}
	}
	if share < numbers.WornBelow && !kept {
		if worn, more := alike(w.old.styled(o), w.new.styled(n), true); numbers.Worn*worn > share {
			share, said = numbers.Worn*worn, more
		}
	}
	w.known[[2]string{o, n}] = [2]float64{share, said}
	return share, said
}

// weigh adds to the evidence for a pair what the two mean, and what the family of the old name says: for the pair, or
// for another one.
func (w *matcher) weigh(r Rename) Rename {
	share, said := w.alike(r.Old, r.New)
	names := nameShare(r.Old, r.New)
	score := numbers.Share*share*(numbers.ShareSaid+(1-numbers.ShareSaid)*min(1, 2*said)) + numbers.Words*names
	if share > 0.5 && w.only[parts(r.New)[0]] == r.New && parts(r.Old)[0] == parts(r.New)[0] {
		score += numbers.Only // no other name came that begins so
	}
	if score > r.Score {
		r.Score = score
		if share > 0.3 {
			r.Because = append(r.Because, fmt.Sprintf("%d %% of their declarations are the same", int(100*share)))
		}
	}
	if most := numbers.StrangeMost * (1 + said); names < numbers.Strange && !r.stated && w.of[r.Old][r.New] == nil {
		r.Score = min(r.Score, most) // what they have in common, many classes say, and the names have nothing in common
	}
	r.And = w.rest(r.Old, r.New)
	if own := w.old.of(r.Old).own(); own != "" && len(w.alone[own]) == 1 && w.alone[own][0] == r.New && share > 0.95 {
		score := min(0.95, numbers.Exact+numbers.ExactEach*float64(w.written(r.Old)-1)+numbers.ExactWords*names)
		if names < numbers.ExactStrange {
			score = min(score, numbers.Sure-0.05) // another name altogether
		}
		if score > r.Score {
			r.Score = score
			r.Because = append(r.Because, "it has exactly these declarations, and no other new class has")
		}
	}
	if w.scoped[r.Old] == r.New {
		if score := numbers.Scoped + numbers.ScopedShare*share; score > r.Score {
			r.Score = score
		}
		r.Because = append([]string{"it has the name of the element that it was in"}, r.Because...)
	}
	if f := w.of[r.Old][r.New]; f != nil {
		if score := f.score * (numbers.Family + (1-numbers.Family)*share); score > r.Score {
			r.Score = score
		}
		as := ""
		if f.stated > 0 && !r.stated {
			as = ", several of them in the changelog"
			if f.stated == 1 {
				as = ", one of them in the changelog"
			}
		}
		if f.holds() {
			r.Score = max(r.Score, numbers.Holds+0.1*share)
		}
		r.Because = append([]string{fmt.Sprintf("%d names follow this pattern%s: %s", len(f.pairs), as, f)},
			r.Because...)
	} else if f := w.strongest(r.Old); f != nil {
		r.Score *= 1 - numbers.Rival*f.score
	}
	if w.otherIcon(r.Old, r.New) {
		r.Score = min(r.Score, numbers.OtherIcon*names)
	}
	if is := w.icons[r.Old]; is.class == r.New {
		score := numbers.Icon + numbers.IconWords*names
		if !is.sure {
			score = min(score, numbers.Sure-0.02)
		}
		r.Score, r.stated = max(r.Score, score), is.sure
		r.Because = append([]string{is.why}, r.Because...)
	}
	if and, led := w.aliased[r.Old][r.New]; led {
		r.Score, r.stated, r.And = numbers.Alias, true, and
		r.Because = append([]string{"the library's stylesheet for old names gives this one"}, r.Because...)
	}
	return r
}

// written is how many declarations an old class has as they are written: a padding is one, whatever its sides.
func (w *matcher) written(o string) int {
	n := 0
	for _, d := range w.old.sheet.Decls[o] {
		if d.Context == "" && d.Shape == ".&" {
			n++
		}
	}
	return max(1, n)
}

// rest finds the class that says what an old one says of its element and the new one does not: of one that is two now.
func (w *matcher) rest(o, n string) []string {
	var left []string
	for k, v := range w.old.of(o) {
		if property, own := strings.CutPrefix(k, "{.&{"); own && w.new.of(n)[k].value != v.value {
			left = append(left, property+":"+v.value)
		}
	}
	slices.Sort(left)
	if also := w.alone[strings.Join(left, ";")]; len(left) > 0 && len(also) == 1 && also[0] != n {
		return also
	}
	return nil
}

// strongest is the best family that an old name belongs to, of those with several names.
func (w *matcher) strongest(old string) *renamePattern {
	var best *renamePattern
	for _, f := range w.of[old] {
		if len(f.pairs) > 3 && f.score > numbers.Strong && f.alike > 0.1 && (best == nil || f.score > best.score) {
			best = f
		}
	}
	return best
}

// nameShare is how much of two names is the same: their words, and their letters.
func nameShare(a, b string) float64 {
	x, y := parts(a), parts(b)
	same := 0
	for _, w := range x {
		if slices.Contains(y, w) {
			same++
		}
	}
	return 0.5*float64(same)/float64(max(len(x), len(y))) + 0.5*levenshtein.Similarity(a, b, nil)
}
