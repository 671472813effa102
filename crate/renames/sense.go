package renames

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/style"
)

// A declarations is what a class means for an element that has it: the value of each property, by where it counts
// (media query, shape of the selector) and the property's name, as far as it can be known without a page. Shorthands
// are taken apart, lengths are in pixels, colours in one notation, custom properties have their values; logical
// properties are those of a page that is written from left to right (CSS Logical Properties Level 1). What is for one
// maker's engine is left out.
type declarations map[string]evidenceItem

// A evidenceItem is a property's value, and how much that says: what many classes say tells little, as does what a
// class says together with others, of another element or under a condition.
type evidenceItem struct {
	value  string
	weight float64
}

// computedStyles are what the classes of a sheet mean, each determined when it is asked for.
type computedStyles struct {
	sheet  *style.Sheet
	counts occurrences
	known  map[string]declarations
	wide   map[string]declarations // of a class, without the widths at which it says something
	on     map[string]declarations // of a class, put on
	glyphs map[string]string
	plain  map[string]string // values in the one notation
}

// occurrences are how many classes of both sheets have a declaration.
type occurrences map[[2]string]int

func countAll(sheets ...*style.Sheet) occurrences {
	c := occurrences{}
	for _, s := range sheets {
		for _, list := range s.Decls {
			for _, d := range list {
				c[[2]string{d.Property, d.Value}]++
			}
		}
	}
	return c
}

func newMeanings(s *style.Sheet, c occurrences) *computedStyles {
	return &computedStyles{sheet: s, counts: c, known: map[string]declarations{}, wide: map[string]declarations{},
		on: map[string]declarations{}, plain: map[string]string{}, glyphs: map[string]string{}}
}

// of is what a class means.
func (m *computedStyles) of(class string) declarations {
	if s, done := m.known[class]; done {
		return s
	}
	s := declarations{}
	for _, d := range m.sheet.Decls[class] {
		m.add(s, d)
	}
	m.known[class] = s
	return s
}

// conditional reports whether a class says anything under a condition, of the window's width say.
func (m *computedStyles) conditional(class string) bool {
	return slices.ContainsFunc(m.sheet.Decls[class], func(d style.Declaration) bool { return d.Context != "" })
}

// anywhere is what a class means without the conditions under which it says so.
func (m *computedStyles) anywhere(class string) declarations {
	if s, done := m.wide[class]; done {
		return s
	}
	s := m.of(class)
	if m.conditional(class) {
		all := make(declarations, len(s))
		for k, v := range s {
			all[k[strings.IndexByte(k, '{'):]] = v
		}
		s = all
	}
	m.wide[class] = s
	return s
}

// beside is how much a statement counts that a class makes together with others.
const beside = 0.2

// valueOf is a value in the one notation, "" if it is for one maker's engine.
func (m *computedStyles) valueOf(value string) string {
	one, done := m.plain[value]
	if !done {
		one = plain(m.sheet, value)
		if strings.HasPrefix(one, "-webkit-") || strings.HasPrefix(one, "-moz-") || strings.HasPrefix(one, "-ms-") {
			one = ""
		}
		m.plain[value] = one
	}
	return one
}

// add adds what a declaration says.
func (m *computedStyles) add(s declarations, d style.Declaration) {
	if strings.HasPrefix(d.Property, "-") {
		return // one maker's, or a custom property, which counts where it is used
	}
	value := m.valueOf(d.Value)
	if value == "" {
		return
	}
	shape := strings.ReplaceAll(d.Shape, "::", ":")
	weight := 1 / (1 + math.Log(float64(max(1, m.counts[[2]string{d.Property, d.Value}])))/2)
	if shape != ".&" && shape != ".&:before" {
		weight *= beside
	}
	at := contextOf(d.Context) + "{" + shape + "{"
	for _, p := range longhands(d.Property, value) {
		s[at+p[0]] = evidenceItem{p[1], weight}
	}
}

var (
	layer  = memo.Regexp(`\|@(?:layer|supports|scope)[^|]*`)
	blanks = memo.Regexp(`\s+`)
)

// contextOf is where a declaration counts, without what makes no difference to a browser of today.
func contextOf(context string) string {
	if context == "" {
		return ""
	}
	return blanks().ReplaceAllString(layer().ReplaceAllString(context, ""), "")
}

// maxVariables is how deep custom properties are followed.
const maxVariables = 8

var (
	variable = memo.Regexp(`var\(\s*(--[\w-]+)\s*(?:,((?:[^()]|\([^()]*\))*))?\)`)
	number   = memo.Regexp(`(^|[\s,(+*/-])(\d*\.?\d+)(rem|px|pt|%|em|s|ms)?`)
	shortHex = memo.Regexp(`#([0-9a-f])([0-9a-f])([0-9a-f])\b`)
	rgb      = memo.Regexp(`rgba?\(\s*(\d+)\s*,?\s*(\d+)\s*,?\s*(\d+)\s*(?:[,/]\s*1(?:\.0)?\s*)?\)`)
)

var colours = map[string]string{"white": "#ffffff", "black": "#000000", "red": "#ff0000", "transparent": "#0000"}

// plain is a value in the one notation.
func plain(s *style.Sheet, value string) string {
	value = strings.TrimSpace(strings.ReplaceAll(strings.ReplaceAll(value, "!important", ""), "! important", ""))
	for range maxVariables {
		if !strings.Contains(value, "var(") {
			break
		}
		before := value
		value = variable().ReplaceAllStringFunc(value, func(use string) string {
			m := variable().FindStringSubmatch(use)
			if v, ok := s.Vars[m[1]]; ok {
				return v
			}
			return strings.TrimSpace(m[2])
		})
		if value == before || len(value) > 1000 {
			break
		}
	}
	value = strings.TrimSpace(blanks().ReplaceAllString(strings.ToLower(value), " "))
	value = shortHex().ReplaceAllString(value, "#$1$1$2$2$3$3")
	value = rgb().ReplaceAllStringFunc(value, func(use string) string {
		m := rgb().FindStringSubmatch(use)
		hex := "#"
		for _, n := range m[1:] {
			v, _ := strconv.Atoi(n)
			hex += fmt.Sprintf("%02x", min(v, 255))
		}
		return hex
	})
	if hex := colours[value]; hex != "" {
		return hex
	}
	if strings.ContainsAny(value, `"'`) || strings.Contains(value, "url(") {
		return value
	}
	return number().ReplaceAllStringFunc(value, func(use string) string {
		m := number().FindStringSubmatch(use)
		v, err := strconv.ParseFloat(m[2], 64)
		if err != nil {
			return use
		}
		unit := m[3]
		switch unit {
		case "rem":
			v, unit = v*16, "px"
		case "ms":
			v, unit = v/1000, "s"
		}
		if v == 0 {
			unit = ""
		}
		return m[1] + strconv.FormatFloat(math.Round(v*1000)/1000, 'f', -1, 64) + unit
	})
}

var sides = []string{"top", "right", "bottom", "left"}

// flow are the sides at which a line begins and ends.
var flow = map[string]string{"start": "left", "end": "right", "inline-start": "left", "inline-end": "right"}

// physical are logical properties as those of a page that is written from left to right.
var physical = strings.NewReplacer("-inline-start", "-left", "-inline-end", "-right", "-block-start", "-top",
	"-block-end", "-bottom")

// longhands takes a declaration apart. Its value is not empty.
func longhands(property, value string) [][2]string {
	switch {
	case property == "margin-inline" || property == "padding-inline" || property == "margin-block" ||
		property == "padding-block":
		v := strings.Fields(value)
		if len(v) > 2 || strings.Contains(value, "(") {
			break
		}
		base, _, _ := strings.Cut(property, "-")
		ends := [2]string{"-left", "-right"}
		if strings.HasSuffix(property, "-block") {
			ends = [2]string{"-top", "-bottom"}
		}
		return [][2]string{{base + ends[0], v[0]}, {base + ends[1], v[len(v)-1]}}
	case property == "margin" || property == "padding" || property == "inset" || property == "border-width" ||
		property == "border-style" || property == "border-color" && !strings.Contains(value, "("):
		v := strings.Fields(value)
		if len(v) == 0 || len(v) > 4 || strings.Contains(value, "(") {
			break
		}
		var list [][2]string
		for i, side := range sides {
			name := property + "-" + side
			if property == "inset" {
				name = side
			} else if kind, isBorder := strings.CutPrefix(property, "border-"); isBorder {
				name = "border-" + side + "-" + kind
			}
			list = append(list,
				[2]string{name, v[[4][4]int{{0, 0, 0, 0}, {0, 1, 0, 1}, {0, 1, 2, 1}, {0, 1, 2, 3}}[len(v)-1][i]]})
		}
		return list
	case property == "border-radius":
		v := strings.Fields(value)
		if len(v) == 1 {
			return [][2]string{{"border-top-left-radius", value}, {"border-top-right-radius", value},
				{"border-bottom-right-radius", value}, {"border-bottom-left-radius", value}}
		}
	case strings.HasPrefix(property, "border-start-") || strings.HasPrefix(property, "border-end-"):
		return [][2]string{{strings.NewReplacer("border-start-start", "border-top-left", "border-start-end",
			"border-top-right", "border-end-start", "border-bottom-left", "border-end-end",
			"border-bottom-right").Replace(property), value}}
	case property == "background" && strings.HasPrefix(value, "#") && !strings.Contains(value, " "):
		return [][2]string{{"background-color", value}}
	case property == "inset-inline-start":
		return [][2]string{{"left", value}}
	case property == "inset-inline-end":
		return [][2]string{{"right", value}}
	case property == "text-align" || property == "float" || property == "clear":
		if side := flow[value]; side != "" {
			return [][2]string{{property, side}}
		}
	}
	return [][2]string{{physical.Replace(property), value}}
}

// alike tells how alike two senses are, from 0 to 1, and how much what they have in common says. A property of both
// with another value is little in common; lengths that were tuned are more, where they are of several kinds and came
// with a new name.
func alike(a, b declarations, came bool) (share, said float64) {
	if len(a) == 0 || len(b) == 0 {
		return 0, 0
	}
	whole, common := 0.0, 0.0
	kinds, tuned := map[string]bool{}, 0.0 // of tuned lengths: what they are of, and their weight
	for k, v := range a {
		whole += v.weight
		switch u, has := b[k]; {
		case has && u.value == v.value:
			common, said = common+v.weight, said+v.weight
		case has && strings.HasPrefix(u.value, "#") && strings.HasPrefix(v.value, "#"):
			// another colour: each version has its palette
			common, said = common+numbers.Colour*v.weight, said+numbers.ColourSaid*v.weight
		case has:
			common += numbers.Value * v.weight
			if came && near(u.value, v.value) {
				kind, _, _ := strings.Cut(k[strings.LastIndexByte(k, '{')+1:], "-")
				kinds[kind] = true
				tuned += v.weight
			}
		}
	}
	if len(kinds) > 1 {
		common, said = common+numbers.Tuned*tuned, said+numbers.TunedSaid*tuned
	}
	for k, v := range b {
		if _, has := a[k]; !has {
			whole += v.weight
		}
	}
	if whole == 0 {
		return 0, 0
	}
	return common / whole, said
}

// near reports whether two values are lengths of which one is the other, tuned: ten pixels that are nine now. Shares of
// a whole are not, since the steps of a scale lie as near to each other.
func near(a, b string) bool {
	x, y := strings.Fields(a), strings.Fields(b)
	if len(x) != len(y) {
		return false
	}
	for i := range x {
		v, ok := strings.CutSuffix(x[i], "px")
		w, also := strings.CutSuffix(y[i], "px")
		if !ok || !also {
			return false
		}
		m, err := strconv.ParseFloat(v, 64)
		n, err2 := strconv.ParseFloat(w, 64)
		if err != nil || err2 != nil || m*n <= 0 || math.Abs(m-n) > tuning*max(math.Abs(m), math.Abs(n)) {
			return false
		}
	}
	return true
}

// tuning is by how much of itself a length may differ from another for the two to be near.
const tuning = 0.21

// own is what a class says of its element alone, wherever it stands and at every width, as one text.
func (m declarations) own() string {
	var list []string
	for k, v := range m {
		if property, ok := strings.CutPrefix(k, "{.&{"); ok {
			list = append(list, property+":"+v.value)
		}
	}
	slices.Sort(list)
	return strings.Join(list, ";")
}

// widths reports whether much of what a class says counts at some width of the window only.
func (m declarations) widths() bool {
	always, only := 0.0, 0.0
	for k, v := range m {
		switch context, shape, _ := strings.Cut(k, "{"); {
		case !strings.HasPrefix(shape, ".&{"):
		case strings.Contains(context, "width"):
			only += v.weight
		default:
			always += v.weight
		}
	}
	return only > 0.5*always
}

// begins reports whether what a class says at some widths of the window alone counts from a width on, without an end,
// and ends the reverse.
func (m declarations) begins() bool { return m.bounded("min-width", "max-width") }
func (m declarations) ends() bool   { return m.bounded("max-width", "min-width") }

func (m declarations) bounded(by, not string) bool {
	some := false
	for k := range m {
		context, _, _ := strings.Cut(k, "{")
		if strings.Contains(context, not) {
			return false
		}
		some = some || strings.Contains(context, by)
	}
	return some
}
