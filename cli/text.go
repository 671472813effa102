package cli

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/charmbracelet/x/ansi"
	"github.com/dustin/go-humanize"
	"golang.org/x/term"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/printable"
	"merrycrate.example/merry/crate/record"
)

// paint colours text where it goes to a terminal that wants colour.
type paint bool

func paintFor(out io.Writer) paint {
	f, ok := out.(*os.File)
	_, no := os.LookupEnv("NO_COLOR")
	return paint(ok && !no && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(f.Fd())))
}

func (p paint) code(code, s string) string {
	if !p || s == "" {
		return s
	}
	return "\x1b[" + code + "m" + s + "\x1b[0m"
}

func (p paint) bold(s string) string   { return p.code("1", s) }
func (p paint) dim(s string) string    { return p.code("2", s) }
func (p paint) red(s string) string    { return p.code("31", s) }
func (p paint) green(s string) string  { return p.code("32", s) }
func (p paint) yellow(s string) string { return p.code("33", s) }

// table prints rows in aligned columns. A header in the first row is dim; columns named in right are
// aligned right.
type table struct {
	rows  [][]string
	right map[int]bool
}

func (t *table) add(cells ...string) { t.rows = append(t.rows, cells) }

func (t *table) print(a *app, indent string) {
	widths := map[int]int{}
	for _, r := range t.rows {
		for i, c := range r {
			widths[i] = max(widths[i], ansi.StringWidth(c))
		}
	}
	for n, r := range t.rows {
		var line strings.Builder
		line.WriteString(indent)
		for i, c := range r {
			pad := strings.Repeat(" ", widths[i]-ansi.StringWidth(c))
			switch {
			case t.right[i]:
				line.WriteString(pad + c)
			case i < len(r)-1:
				line.WriteString(c + pad)
			default:
				line.WriteString(c)
			}
			if i < len(r)-1 {
				line.WriteString("  ")
			}
		}
		text := strings.TrimRight(line.String(), " ")
		if n == 0 {
			text = a.paint.dim(text)
		}
		a.printf("%s\n", text)
	}
}

func bytesText(n int64) string {
	if n < 0 {
		return ""
	}
	return humanize.Bytes(uint64(n))
}

func clean(s string) string { return printable.Text(s) }

// cleanLines is clean for a text of several lines.
func cleanLines(s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		lines[i] = clean(l)
	}
	return strings.Join(lines, "\n")
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// touched prints the files of a change, and their diffs on a dry run.
func (a *app) touched(o crate.Outcome) {
	if o.DryRun {
		for _, f := range o.Files {
			mark := map[crate.Deed]string{crate.Added: "+", crate.Changed: "~", crate.Removed: "-"}[f.Do]
			a.printf("%s %s  %s\n", mark, clean(f.Path), a.paint.dim(bytesText(f.Size)))
		}
		for _, f := range o.Files {
			// The seal's lines say nothing to a reader that the list above does not; and the texts of a
			// library's files are its makers' affair.
			if f.Diff != "" && f.Path != record.SealFile && f.Library == "" {
				a.printf("\n%s", a.diff(f.Diff))
			}
		}
		if len(o.Files) == 0 {
			a.printf("nothing would change\n")
			return
		}
		a.next("the same command without --dry-run does it")
	}
}

func (a *app) diff(text string) string {
	if !a.paint {
		return text
	}
	var out strings.Builder
	for line := range strings.Lines(text) {
		body := strings.TrimRight(line, "\r\n")
		switch {
		case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"):
			out.WriteString(a.paint.bold(body) + "\n")
		case strings.HasPrefix(line, "+"):
			out.WriteString(a.paint.green(body) + "\n")
		case strings.HasPrefix(line, "-"):
			out.WriteString(a.paint.red(body) + "\n")
		case strings.HasPrefix(line, "@@"):
			out.WriteString(a.paint.dim(body) + "\n")
		default:
			out.WriteString(body + "\n")
		}
	}
	return out.String()
}

// parseBytes reads a size such as 500MB.
func parseBytes(s string) (int64, error) {
	n, err := humanize.ParseBytes(s)
	return int64(n), err
}

// remarks prints what a person should know beside the answer.
func (a *app) remarks(notes []string) {
	for _, n := range notes {
		a.printf("%s %s\n", a.paint.yellow("note:"), clean(n))
	}
}
