package show

import (
	"fmt"
	"hash/crc32"
	"html"
	"slices"
	"strings"
	"unicode"
)

// A Page is the order of one page, to be drawn.
type Page struct {
	Title  string
	Steps  []Step // in the order in which they take effect
	Arrows []Arrow
}

// A Step is one script or stylesheet.
type Step struct {
	Name    string
	When    string
	Style   bool
	Library string
	Verdict string // fine, or what is wrong
	From    string // local, or the host of a link
	Wire    int64  // bytes on the wire
}

// An Arrow leads from a step to one that must come after it.
type Arrow struct {
	From, To int
	Label    string
	State    string // kept, broken, race
}

// Order draws a page in one of the forms svg, dot and mermaid.
func Order(form string, p Page) (string, error) {
	switch form {
	case "svg":
		return SVG(p), nil
	case "dot":
		return dot(p), nil
	case "mermaid":
		return mermaid(p), nil
	}
	return "", fmt.Errorf("--graph %s: use svg, dot or mermaid", form)
}

func dot(p Page) string {
	var b strings.Builder
	fmt.Fprintf(&b, "digraph order {\n  rankdir=TB; node [shape=box, style=rounded]; label=%q;\n", p.Title)
	for i, s := range p.Steps {
		colour := ""
		if s.Verdict != "fine" {
			colour = ", color=red"
		}
		fmt.Fprintf(&b, "  s%d [label=%q%s];\n", i+1, fmt.Sprintf("%d. %s\n%s", i+1, s.Name, s.When), colour)
		if i > 0 {
			fmt.Fprintf(&b, "  s%d -> s%d [style=invis, weight=100];\n", i, i+1)
		}
	}
	for _, a := range p.Arrows {
		look := ""
		if a.State != "kept" {
			look = ", color=red, style=dashed"
		}
		fmt.Fprintf(&b, "  s%d -> s%d [constraint=false, label=%q%s];\n", a.From+1, a.To+1, a.Label, look)
	}
	b.WriteString("}\n")
	return b.String()
}

func mermaid(p Page) string {
	var b strings.Builder
	b.WriteString("flowchart TB\n")
	quote := func(s string) string { return `"` + numbered(s) + `"` }
	for i, s := range p.Steps {
		fmt.Fprintf(&b, "  s%d[%s]\n", i+1, quote(fmt.Sprintf("%d. %s · %s", i+1, s.Name, s.When)))
	}
	for i, a := range p.Arrows {
		arrow := "-->"
		if a.State != "kept" {
			arrow = "-.->"
		}
		label := ""
		if a.Label != "" {
			label = "|" + quote(a.Label) + "|"
		}
		fmt.Fprintf(&b, "  s%d %s%s s%d\n", a.From+1, arrow, label, a.To+1)
		if a.State != "kept" {
			fmt.Fprintf(&b, "  linkStyle %d stroke:#b3261e\n", i)
		}
	}
	return b.String()
}

// numbered writes all but letters, digits and a few signs by their numbers, as the language allows in a text: nothing
// of a name is read as markup.
func numbered(s string) string {
	var b strings.Builder
	for _, r := range s {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune(" ./-_·:,", r) {
			b.WriteRune(r)
		} else {
			fmt.Fprintf(&b, "#%d;", r)
		}
	}
	return b.String()
}

// The picture's measures, in CSS pixels.
const (
	rowHeight = 46
	boxHeight = 34
	boxLeft   = 56
	boxWidth  = 430
	top       = 64
	letter    = 7.1 // the width of a letter at 12 px
)

// SVG draws the steps from top to bottom in time, and the arrows at their right. Each arrow leads from the definition
// of a global down to its use. A red dashed arrow that leads up is a need that comes too late.
func SVG(p Page) string {
	arrows := slices.Clone(p.Arrows)
	slices.SortStableFunc(arrows, func(a, b Arrow) int { return span(a) - span(b) })
	lanes, most := lanesOf(arrows)
	labels := 0
	for _, a := range arrows {
		labels = max(labels, len([]rune(a.Label)))
	}
	lane := max(34, int(float64(labels)*letter)+14)
	right := boxLeft + boxWidth
	width := right + (most+1)*lane + 24 + int(float64(labels)*letter)
	height := top + len(p.Steps)*rowHeight + 20
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %d %d" `+
		`font-family="system-ui, sans-serif" font-size="12" role="img" aria-label="%s">`+"\n",
		width, height, width, height, html.EscapeString("The order in which the scripts and stylesheets of "+p.Title+
			" take effect"))
	tip := fmt.Sprintf("tip-%08x", crc32.ChecksumIEEE([]byte(p.Title))) // one document may have several drawings
	b.WriteString(`<defs><marker id="` + tip + `" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" ` +
		`markerHeight="7" orient="auto-start-reverse"><path d="M0 0 8 4 0 8z" fill="context-stroke"/></marker></defs>` +
		"\n")
	fmt.Fprintf(&b, `<rect width="%d" height="%d" fill="#fbfaf7"/><text x="%d" y="26" font-size="16" `+
		`font-weight="600" fill="#22303a">%s</text>`+"\n", width, height, boxLeft, html.EscapeString(p.Title))
	fmt.Fprintf(&b, `<text x="%d" y="46" fill="#5d6b74">from top to bottom in time; an arrow leads from what is `+
		`needed to what needs it</text>`+"\n", boxLeft)
	for i, s := range p.Steps {
		drawStep(&b, i, s)
	}
	var words strings.Builder // over all lines
	ends := map[int]int{}     // how many arrows touch a step, so that they do not lie on each other
	for i, a := range arrows {
		x := right + (lanes[i]+1)*lane - 10
		y1, y2 := top+a.From*rowHeight+boxHeight/2+4, top+a.To*rowHeight+boxHeight/2-4
		y2 += 6 * (ends[a.To] % 2)
		ends[a.To]++
		colour, dash := "#4a6572", ""
		if a.State != "kept" {
			colour, dash = "#b3261e", ` stroke-dasharray="5 3"`
		}
		fmt.Fprintf(&b, `<path d="M%d %dH%dQ%d %d %d %dV%dQ%d %d %d %dH%d" fill="none" stroke="%s" `+
			`stroke-width="1.4"%s marker-end="url(#%s)"/>`,
			right, y1, x-6, x, y1, x, y1+sign(y2-y1)*6, y2-sign(y2-y1)*6, x, y2, x-6, y2, right+2, colour, dash, tip)
		if a.Label != "" {
			fmt.Fprintf(&words, `<text x="%d" y="%d" fill="%s" paint-order="stroke" stroke="#fbfaf7" `+
				`stroke-width="4">%s</text>`, x+5, (y1+y2)/2+4, colour, html.EscapeString(a.Label))
		}
		b.WriteString("\n")
	}
	b.WriteString(words.String() + "</svg>\n")
	return b.String()
}

// lanesOf gives each arrow the lane nearest to the steps that no arrow before it takes on its way; most is the
// farthest.
func lanesOf(arrows []Arrow) (lanes []int, most int) {
	lanes = make([]int, len(arrows))
	for i, a := range arrows {
		for taken := true; taken; {
			taken = false
			for j := range i {
				if lanes[j] == lanes[i] && low(arrows[j]) <= high(a) && low(a) <= high(arrows[j]) {
					taken = true
				}
			}
			if taken {
				lanes[i]++
			}
		}
		most = max(most, lanes[i])
	}
	return lanes, most
}

// drawStep draws the step at a place from the top: its number, its box, and what is in it.
func drawStep(b *strings.Builder, i int, s Step) {
	y := top + i*rowHeight
	fill, edge, word := "#e7eef2", "#7c95a3", "script"
	switch {
	case s.Style:
		fill, edge, word = "#efe9f5", "#8f7ba8", "style"
	case s.Library == "":
		fill, edge, word = "#f4efdf", "#b09a5b", "own"
	}
	if s.Library != "" {
		word = s.Library
	}
	if bad(s.Verdict) {
		edge = "#b3261e"
	}
	fmt.Fprintf(b, `<text x="%d" y="%d" text-anchor="end" fill="#5d6b74">%d</text>`, boxLeft-12, y+22, i+1)
	edgeWidth := 1
	if bad(s.Verdict) {
		edgeWidth = 2
	}
	fmt.Fprintf(b, `<rect x="%d" y="%d" width="%d" height="%d" rx="5" fill="%s" stroke="%s" stroke-width="%d"/>`,
		boxLeft, y, boxWidth, boxHeight, fill, edge, edgeWidth)
	fmt.Fprintf(b, `<text x="%d" y="%d" font-weight="600" fill="#22303a">%s</text>`, boxLeft+10, y+15,
		html.EscapeString(cut(s.Name, 56)))
	small := word + " · " + s.When
	if s.Wire > 0 {
		small += " · " + bytesText(s.Wire)
	}
	if s.From != "" && s.From != "local" {
		small += " · " + strings.TrimPrefix(strings.TrimPrefix(s.From, "https://"), "http://")
	}
	fmt.Fprintf(b, `<text x="%d" y="%d" font-size="11" fill="#5d6b74">%s</text>`, boxLeft+10, y+29,
		html.EscapeString(cut(small, 66)))
	if bad(s.Verdict) {
		fmt.Fprintf(b, `<text x="%d" y="%d" text-anchor="end" font-size="11" font-weight="600" `+
			`fill="#b3261e">%s</text>`, boxLeft+boxWidth-10, y+15, html.EscapeString(cut(s.Verdict, 24)))
	}
	b.WriteString("\n")
}

func bad(verdict string) bool { return verdict != "fine" && !strings.HasPrefix(verdict, "unknown") }

func low(a Arrow) int  { return min(a.From, a.To) }
func high(a Arrow) int { return max(a.From, a.To) }
func span(a Arrow) int { return high(a) - low(a) }

func sign(n int) int {
	if n < 0 {
		return -1
	}
	return 1
}

func cut(s string, most int) string {
	r := []rune(s)
	if len(r) <= most {
		return s
	}
	return string(r[:most/3]) + "…" + string(r[len(r)-(most-most/3-1):])
}

func bytesText(n int64) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d B", n)
	case n < 1000_000:
		return fmt.Sprintf("%.1f kB", float64(n)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
