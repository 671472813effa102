// Package show is how things are shown on a terminal: colours, tables, sizes, numbers, and texts that others wrote.
package show

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"github.com/dustin/go-humanize"
	"golang.org/x/term"

	"merrycrate.example/merry/crate/texts"
)

// Paint colours text where it goes to a terminal that wants colour.
type Paint bool

// PaintFor returns the colours for an output: none if it is not a terminal, or if NO_COLOR is set.
func PaintFor(out io.Writer) Paint {
	f, ok := out.(*os.File)
	_, no := os.LookupEnv("NO_COLOR")
	return Paint(ok && !no && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(f.Fd())))
}

func (p Paint) code(code, s string) string {
	if !p || s == "" {
		return s
	}
	return "\x1b[" + code + "m" + s + "\x1b[0m"
}

// Bold is a text so shown.
func (p Paint) Bold(s string) string { return p.code("1", s) }

// Dim is a text so shown.
func (p Paint) Dim(s string) string { return p.code("2", s) }

// Red is a text so shown.
func (p Paint) Red(s string) string { return p.code("31", s) }

// Green is a text so shown.
func (p Paint) Green(s string) string { return p.code("32", s) }

// Yellow is a text so shown.
func (p Paint) Yellow(s string) string { return p.code("33", s) }

// Columns is the width of the terminal, 0 if the output is not a terminal.
var Columns int

// leastColumn is how narrow a column may be in which words are folded; a narrower one is left to the terminal.
const leastColumn = 16

// Folded returns prefix and text. On a terminal the text is folded between words, and continues below its beginning.
func Folded(prefix, text string) string {
	begin := ansi.StringWidth(prefix)
	if Columns == 0 || begin+ansi.StringWidth(text) <= Columns || Columns-begin < leastColumn {
		return prefix + text
	}
	return prefix + strings.ReplaceAll(ansi.Wrap(text, Columns-begin, ""), "\n", "\n"+strings.Repeat(" ", begin))
}

// Table prints rows in aligned columns; those named in Right are aligned right.
type Table struct {
	Rows  [][]string
	Right map[int]bool
	// Paths are columns whose cells are shortened in the middle if the terminal is too narrow for the table.
	Paths map[int]bool
}

// Add adds a row.
func (t *Table) Add(cells ...string) { t.Rows = append(t.Rows, cells) }

// Text returns the table as lines with an indent. The first row holds the headings, printed dim. If the terminal is too
// narrow, each row becomes a list with the headings before its cells.
func (t *Table) Text(paint Paint, indent string) string { return t.text(paint, indent, true) }

// Lines is Text for a table without heads.
func (t *Table) Lines(indent string) string { return t.text(false, indent, false) }

func (t *Table) text(paint Paint, indent string, heads bool) string {
	var all strings.Builder
	widths := map[int]int{}
	for _, r := range t.Rows {
		for i, c := range r {
			widths[i] = max(widths[i], ansi.StringWidth(c))
		}
	}
	wide := ansi.StringWidth(indent)
	for i := range len(widths) {
		if wide += 2; i < len(widths)-1 {
			wide += widths[i]
		} else {
			wide += min(widths[i], leastColumn)
		}
	}
	if Columns > 0 && wide-2 > Columns {
		wide = t.shorten(widths, wide, wide-2-Columns)
	}
	if heads && Columns > 0 && wide-2 > Columns && len(t.Rows) > 1 {
		return t.stacked(paint, indent)
	}
	for n, r := range t.Rows {
		var line strings.Builder
		line.WriteString(indent)
		for i, c := range r {
			pad := strings.Repeat(" ", widths[i]-ansi.StringWidth(c))
			switch {
			case t.Right[i]:
				line.WriteString(pad + c)
			case i < len(r)-1:
				line.WriteString(c + pad)
			default:
				before := line.String()
				line.Reset()
				line.WriteString(Folded(before, c))
			}
			if i < len(r)-1 {
				line.WriteString("  ")
			}
		}
		text := strings.TrimRight(line.String(), " ")
		if heads && n == 0 {
			text = paint.Dim(text)
		}
		all.WriteString(text + "\n")
	}
	return all.String()
}

// leastPath is the shortest that a path in a table may become, in columns of the terminal.
const leastPath = 12

// shorten shortens the cells of columns with paths by excess columns in all, if that is possible. It corrects widths,
// and returns the width of the whole table.
func (t *Table) shorten(widths map[int]int, wide, excess int) int {
	spare := 0
	for i := range t.Paths {
		spare += max(0, widths[i]-leastPath)
	}
	if spare < excess {
		return wide
	}
	for i := range len(widths) {
		if !t.Paths[i] || excess <= 0 || widths[i] <= leastPath {
			continue
		}
		to := max(leastPath, widths[i]-excess)
		for _, r := range t.Rows {
			if i < len(r) {
				r[i] = Middle(r[i], to)
			}
		}
		excess -= widths[i] - to
		wide -= widths[i] - to
		widths[i] = to
	}
	return wide
}

// Middle shortens a text without colours to a width, by leaving out its middle.
func Middle(s string, width int) string {
	if ansi.StringWidth(s) <= width {
		return s
	}
	runes := []rune(s)
	before := (width - 1) / 3 // a path tells more at its end
	for after := width - 1 - before; after >= 0; after-- {
		if cut := string(runes[:before]) + "…" + string(runes[len(runes)-min(after, len(runes)):]); ansi.StringWidth(
			cut) <= width {
			return cut
		}
	}
	return "…"
}

// FoldLine folds a line, without its end, between words for the terminal. What follows is indented below the line's
// text, after a label such as "next:" if it has one. No word is broken.
func FoldLine(line string) string {
	if Columns == 0 || ansi.StringWidth(line) <= Columns {
		return line
	}
	plain := ansi.Strip(line)
	indent := len(plain) - len(strings.TrimLeft(plain, " "))
	if label, rest, ok := strings.Cut(plain[indent:], ": "); ok && len(label) <= maxLabel &&
		!strings.Contains(label, " ") {
		indent += len(label) + 2 + len(rest) - len(strings.TrimLeft(rest, " "))
	} else {
		indent += 2
	}
	if indent > Columns/2 {
		indent = 2
	}
	var out, words strings.Builder
	width, first := 0, true
	for _, word := range strings.SplitAfter(line, " ") {
		w := ansi.StringWidth(strings.TrimRight(word, " "))
		if width+w > Columns && !first && width > indent {
			out.WriteString(strings.TrimRight(words.String(), " ") + "\n")
			words.Reset()
			words.WriteString(strings.Repeat(" ", indent))
			width = indent
		}
		first = first && strings.TrimSpace(word) == ""
		words.WriteString(word)
		width += ansi.StringWidth(word)
	}
	return out.String() + words.String()
}

// maxLabel is the longest label, in letters, below whose text a folded line goes on.
const maxLabel = 8

// stacked is the table for a narrow terminal: each row's first cell, and below it what else there is, with the heads
// before it.
func (t *Table) stacked(paint Paint, indent string) string {
	var all strings.Builder
	heads := t.Rows[0]
	width := 0
	for _, h := range heads {
		width = max(width, ansi.StringWidth(h))
	}
	for _, r := range t.Rows[1:] {
		all.WriteString(indent + r[0] + "\n")
		for i := 1; i < len(r); i++ {
			if r[i] == "" {
				continue
			}
			head := ""
			if i < len(heads) {
				head = heads[i]
			}
			all.WriteString(Folded(indent+"  "+paint.Dim(head)+strings.Repeat(" ", width-ansi.StringWidth(head))+"  ",
				r[i]) + "\n")
		}
	}
	return all.String()
}

// Bytes is a size, "" if it is not known.
func Bytes(n int64) string {
	if n < 0 {
		return ""
	}
	return humanize.Bytes(uint64(n))
}

// Text returns a foreign text on one line, without control characters.
func Text(s string) string { return texts.Text(s) }

// Lines is Text for a text of several lines.
func Lines(s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		lines[i] = Text(l)
	}
	return strings.Join(lines, "\n")
}

// Count is a number of things.
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// ParseBytes reads a size such as 500MB.
func ParseBytes(s string) (int64, error) {
	n, err := humanize.ParseBytes(s)
	return int64(n), err
}

// Word is a word as one types it for a POSIX shell, and Command are several; with nothing in them that a terminal would
// obey.
func Word(w string) string { return Text(texts.Word(w)) }

// Command is a command, word by word, as one types it.
func Command(words []string) string { return Text(texts.Command(words)) }

// Steps returns the steps of a next text, each on a line after label.
func Steps(label, text string) string {
	var lines strings.Builder
	for _, step := range texts.Steps(text) {
		lines.WriteString(label + Text(step) + "\n")
	}
	return lines.String()
}

// Share writes a share as percents, and never as none where there is some.
func Share(s float64) string {
	if s < 0.0005 {
		return "less than 0.1%"
	}
	return fmt.Sprintf("%.1f%%", 100*s)
}

// Before is a text with something before it, "" for no text.
func Before(prefix, text string) string {
	if text == "" {
		return ""
	}
	return prefix + text
}
