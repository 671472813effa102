package cli

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"

	"github.com/charmbracelet/x/ansi"
	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"

	"merrycrate.example/merry/crate/order"
)

func (a *app) order() *cobra.Command {
	var fix bool
	var graph string
	c := &cobra.Command{
		Use:   "order [PAGE…]",
		Short: "Show or fix the order in which scripts and stylesheets run",
		Long: `Order shows when each script and stylesheet of a page takes effect, what it defines
and needs, and whether that is there in time. It gives a reason for every
constraint. --fix corrects the order with the fewest moves; each tag keeps its
bytes.`,
		Example: "  merry order index.html\n  merry order index.html --fix --dry-run\n  merry order tides.html " +
			"--graph svg > tides.svg",
		RunE: func(cmd *cobra.Command, args []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			if fix {
				if graph != "" {
					return misuse("--graph draws the page as it is; --fix changes it")
				}
				fixed, err := door.FixOrder(cmd.Context(), args)
				if err != nil {
					return err
				}
				return a.printFixed(fixed)
			}
			if len(args) == 0 {
				args = []string{"**"}
			}
			pages, err := door.Order(cmd.Context(), args)
			if err != nil {
				return err
			}
			if graph != "" {
				if len(pages) != 1 {
					return problem.Misuse(fmt.Sprintf("merry order %s --graph %s", show.Word(pages[0].Page),
						show.Word(graph)), "--graph draws one page, and %d match", len(pages))
				}
				text, err := show.Order(graph, drawing(&pages[0]))
				if err != nil {
					return misuse("%w", err)
				}
				return a.answer(drawingAnswer{pages[0].Page, graph, text}, func() { a.verbatim(text) })
			}
			return a.answer(orderAnswer{pages}, func() {
				for i := range pages {
					if i > 0 {
						a.printf("\n")
					}
					a.printOrder(&pages[i])
				}
			})
		},
	}
	c.Flags().BoolVar(&fix, "fix", false, "correct the order with the fewest moves")
	c.Flags().StringVar(&graph, "graph", "", "draw the order as `FORM`: svg, dot or mermaid")
	return a.changes(c)
}

func (a *app) printOrder(o *crate.Ordered) {
	a.printf("%s\n", a.paint.Bold(show.Text(o.Page)))
	if len(o.Steps) == 0 {
		a.printf("  it has no scripts or stylesheets\n")
		return
	}
	t := &show.Table{Right: map[int]bool{0: true, 2: true}, Paths: map[int]bool{1: true, 4: true, 5: true}}
	t.Add("step", "what", "line", "when", "defines", "needs", "verdict")
	for i, s := range o.Steps {
		verdict := string(s.Verdict)
		switch {
		case s.Verdict == crate.Fine:
		case strings.HasPrefix(verdict, string(crate.Unknown)), s.Verdict == crate.Racing:
			verdict = a.paint.Yellow(verdict)
		default:
			verdict = a.paint.Red(verdict)
		}
		line := ""
		if s.Line > 0 {
			line = plain(s.Line)
			if s.In != "" {
				line = s.In + ":" + line
			}
		}
		t.Add(plain(i+1), show.Text(short(s.Name, 44)), line, strings.TrimSuffix(s.When, "; scripts after it wait"),
			show.Text(some(s.Defines)), show.Text(some(s.Needs)), verdict)
	}
	a.printf("%s", t.Text(a.paint, "  "))
	if len(o.Constraints) > 0 {
		a.printf("\n")
	}
	for _, c := range o.Constraints {
		mark := a.paint.Dim("kept   ")
		switch c.State {
		case order.Broken:
			mark = a.paint.Red("broken ")
		case order.Race:
			mark = a.paint.Yellow("a race ")
		}
		a.printf("  %s %d before %d: %s\n", mark, c.Before+1, c.After+1, show.Text(c.Reason))
	}
	for i, s := range o.Steps {
		var here, not []string
		for _, l := range s.Looks {
			if l.Here {
				here = append(here, l.Selector)
			} else {
				not = append(not, l.Selector)
			}
		}
		if len(here) > 0 {
			a.printf("  %s looks up %s\n", a.paint.Dim(fmt.Sprintf("%d", i+1)), show.Text(strings.Join(here, " ")))
		}
		if len(not) > 0 {
			a.printf("  %s looks up %s, which this page does not have in its HTML\n",
				a.paint.Dim(fmt.Sprintf("%d", i+1)), show.Text(strings.Join(not, " ")))
		}
	}
	a.printCan(o.Cycle, o.Stuck)
	for _, s := range o.Shared {
		a.printf("  %s\n", show.Text(s))
	}
	for _, c := range o.Constraints {
		if c.State == order.Broken && o.Cycle == nil && o.Shared == nil {
			a.next("merry order %s --fix --dry-run", show.Word(o.Page))
			return
		}
	}
}

// printCan prints what no order can fix.
func (a *app) printCan(cycle, stuck []string) {
	if len(cycle) > 0 {
		a.printf("\n  %s\n", a.paint.Red("no order satisfies all of these; they form a circle:"))
		for _, r := range cycle {
			a.printf("    %s\n", show.Text(r))
		}
	}
	for _, r := range stuck {
		a.printf("  %s %s\n", a.paint.Yellow("no move fixes this:"), show.Text(r))
	}
}

func (a *app) printFixed(f *crate.OrderFixed) error {
	left := false
	if err := a.answer(f, func() {
		moved := 0
		for _, p := range f.Pages {
			if len(p.Moves)+len(p.Cycle)+len(p.Stuck) == 0 {
				continue
			}
			a.printf("%s\n", a.paint.Bold(show.Text(p.Page)))
			for _, m := range p.Moves {
				moved++
				a.printf("  %s\n", show.Text(m))
			}
			for _, w := range p.Why {
				a.printf("    %s\n", a.paint.Dim(show.Text(w)))
			}
			if p.NotProvedFewest {
				a.printf("  %s\n", crate.NotProvedFewest)
			}
			a.printCan(p.Cycle, p.Stuck)
		}
		switch {
		case f.DryRun && moved > 0:
			a.printf("\n")
			a.touched(f.Result)
		case moved > 0:
			a.next("merry check; merry undo  # reverts this")
		default:
			a.printf("%s: no tag had to move\n", show.Count(len(f.Pages), "page", "pages"))
		}
	}); err != nil {
		return err
	}
	for _, p := range f.Pages {
		left = left || len(p.Cycle)+len(p.Stuck) > 0
	}
	if left {
		return quietStatus(problem.Refused)
	}
	return nil
}

// drawing turns a page's order into what package draw draws.
func drawing(o *crate.Ordered) show.Page {
	d := show.Page{Title: o.Page}
	for _, s := range o.Steps {
		d.Steps = append(d.Steps, show.Step{Name: s.Name, When: s.When, Style: strings.Contains(s.Kind, "style"),
			Library: s.Library, Verdict: string(s.Verdict), From: s.From, Wire: s.Wire})
	}
	for _, c := range o.Constraints {
		d.Arrows = append(d.Arrows, show.Arrow{From: c.Before, To: c.After, Label: c.Global, State: string(c.State)})
	}
	return d
}

// some abbreviates a list of names.
func some(list []string) string {
	const most = 3
	if len(list) > most {
		return strings.Join(list[:most], " ") + fmt.Sprintf(" +%d", len(list)-most)
	}
	return strings.Join(list, " ")
}

// short cuts a long name in its middle, where addresses say least.
func short(s string, most int) string {
	width := ansi.StringWidth(s)
	if width <= most {
		return s
	}
	return ansi.Truncate(s, most/3, "") + "…" + ansi.TruncateLeft(s, width-(most-most/3-1), "")
}
