package cli

import (
	"context"
	_ "embed"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/htmlpage"
	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
)

func (a *app) look() *cobra.Command {
	var req crate.LookRequest
	var profile, report string
	var sarif bool
	c := &cobra.Command{
		Use:   "look [PAGE…]",
		Short: "Open pages in this machine's browser and report what it says",
		Long: `Look serves the site on loopback and opens its pages in this machine's browser,
without a window. For each page it reports console messages, failed and blocked
requests, time to first paint, and bytes per host. If check knows the cause of a
message, look prints it. If check and the browser disagree, look says so.

--save keeps how the pages look. --against reports what looks different now: the
regions, the elements in them, and the CSS rules that changed. For that,
animations, carets, videos, dates and random numbers stand still; --mask hides
other changing elements. The exit status is 1 if something is wrong or looks
different.`,
		Example: "  merry look\n  merry look 'crews/*.html' --widths 360,1280\n  merry look --save before\n" +
			"  merry look --against before --report looks.html\n  merry look --dark --no-scripts --wait " +
			"'.crew-list li'",
		RunE: func(cmd *cobra.Command, args []string) error {
			req.Pages = args
			if report != "" && req.Baseline == "" {
				return misuse("--report shows what looks different; name the saved look with --against NAME")
			}
			if slices.ContainsFunc(req.Widths, func(w int) bool { return w < 100 || w > 8000 }) {
				return misuse("--widths must be from 100 to 8000 pixels")
			}
			if len(req.Masks) > 0 && req.Save == "" && req.Baseline == "" {
				return misuse("--mask hides elements in screenshots, which only --save and --against take")
			}
			if cmd.Flags().Changed("limit") && req.Timeout < time.Second {
				return misuse("--limit must be one second or more, such as 30s")
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			seen, err := door.Look(cmd.Context(), req, profile)
			if err != nil {
				return err
			}
			if report != "" {
				b, err := htmlpage.Looks(filepath.Base(a.dir), req.Baseline, seen)
				if err == nil {
					err = a.writeOut(report, b)
				}
				if err != nil {
					return err
				}
			}
			return a.answerLooks(seen, req.Baseline, sarif)
		},
	}
	f := c.Flags()
	f.StringVar(&req.Behind, "behind", "", "the `URL` of a server that fills in the pages' templates")
	f.IntSliceVar(&req.Widths, "widths", nil, "viewport `WIDTHS` in pixels (default: 1280)")
	f.BoolVar(&req.Dark, "dark", false, "emulate prefers-color-scheme: dark")
	f.BoolVar(&req.NoScripts, "no-scripts", false, "turn scripts off")
	f.StringVar(&req.Wait, "wait", "", "wait until an element matches this `SELECTOR`")
	f.StringSliceVar(&req.Masks, "mask", nil, "hide elements that match this `SELECTOR` in screenshots (repeatable)")
	f.DurationVar(&req.Timeout, "limit", 0, "stop waiting for a page after `TIME` (default: 20s)")
	f.StringVar(&req.Save, "save", "", "save how the pages look under this `NAME`")
	f.StringVar(&req.Baseline, "against", "", "report what looks different from the look saved under this `NAME`")
	f.StringVar(&profile, "profile", "", "show the pages as this `NAME`d profile of the packing list would leave them")
	f.StringVar(&report, "report", "", "write both looks and their differences to `FILE.html`")
	f.BoolVar(&sarif, "sarif", false, "print what the browser said as SARIF 2.1.0")
	return c
}

// answerLooks prints what was seen, and returns the exit status for it.
func (a *app) answerLooks(seen *crate.Looked, against string, sarif bool) (err error) {
	if sarif {
		err = a.printJSON(seen.SARIF(program()))
	} else {
		err = a.answer(seen, func() { a.printLooks(seen, against) })
	}
	if err == nil && (!seen.Clean() || !seen.Same()) {
		return quietStatus(problem.Refused)
	}
	return err
}

// printLooks prints what was seen, page by page.
func (a *app) printLooks(seen *crate.Looked, against string) {
	errors, warnings, different := 0, 0, 0
	pages := map[string]bool{}
	for _, p := range seen.Pages {
		pages[p.Page] = true
		a.printf("%s  %s  %s\n", a.paint.Bold(show.Text(p.Page)), p.View, a.paint.Dim(trafficOf(p)))
		for i, m := range p.Messages {
			if m.Wrong() {
				errors++
			} else {
				warnings++
			}
			if i >= maxShown {
				continue
			}
			at := ""
			if m.Line > 0 {
				at = "at:   " + m.Place()
			}
			a.printMessage("  ", "", at, m)
		}
		if n := len(p.Messages) - maxShown; n > 0 {
			a.printf("  %s\n", a.paint.Dim(fmt.Sprintf("%d more (--json has them)", n)))
		}
		if p.More > 0 {
			a.printf("  %s\n", a.paint.Dim(show.Count(p.More, "more console line was", "more console lines were")+
				" counted but not kept"))
		}
		if len(p.UnstyledClasses) > 0 {
			a.printf("  %s\n", a.paint.Dim("no stylesheet has a rule for: "+show.Text(few(p.UnstyledClasses))))
		}
		if p.Different != nil {
			different++
			a.printDifference(p.Different)
		}
	}
	for i, d := range seen.Disagreements {
		if i == maxDiffers {
			a.printf("\n%s\n", a.paint.Dim(fmt.Sprintf("… and on %d more; --json lists them",
				len(seen.Disagreements)-i)))
			break
		}
		a.printf("\n%s  %s\n", a.paint.Yellow("check and the browser disagree on "+show.Text(d.Page)),
			show.Text(d.What))
	}
	for _, n := range seen.Notes {
		a.printf("%s\n", a.paint.Dim("note: "+show.Text(n)))
	}
	a.printf("\n%s: %s, %s", show.Count(len(pages), "page", "pages"), show.Count(errors, "error", "errors"),
		show.Count(warnings, "warning", "warnings"))
	if against != "" {
		a.printf("; %s", differently(different, against))
	}
	a.printf(" (%s)\n", show.Text(seen.Browser))
	if seen.Saved != "" {
		a.next("merry look --against %s", seen.Saved)
	}
}

// few lists the first of many.
func few(list []string) string {
	const most = 8
	if len(list) > most {
		return strings.Join(list[:most], ", ") + fmt.Sprintf(" and %d more", len(list)-most)
	}
	return strings.Join(list, ", ")
}

func differently(different int, against string) string {
	switch different {
	case 0:
		return "nothing looks different from " + show.Text(against)
	case 1:
		return "one screenshot looks different from " + show.Text(against)
	}
	return fmt.Sprintf("%d screenshots look different from %s", different, show.Text(against))
}

// trafficOf sums up what a page asked for.
func trafficOf(p *crate.LookedPage) string {
	var list []string
	if p.FirstPaint > 0 {
		list = append(list, fmt.Sprintf("first paint after %v", time.Duration(p.FirstPaint)*time.Millisecond))
	}
	list = append(list, show.Count(p.Requests, "request", "requests"))
	for _, host := range p.Hosts() {
		from := show.Text(host)
		if host == "" {
			from = "the site"
		}
		list = append(list, show.Bytes(p.Bytes[host])+" from "+from)
	}
	return strings.Join(list, ", ")
}

// How much is printed of what may be long; JSON and the report have it all.
const (
	maxDiffers = 5
	maxRegions = 6
	maxRules   = 4
)

func (a *app) printDifference(d *crate.LookDifference) {
	a.printf("  %s: %s of the screenshot, in %s\n", a.paint.Red("different"), show.Share(d.Share),
		show.Count(len(d.Regions),
			"place", "places"))
	for i, r := range d.Regions {
		if i == maxRegions {
			a.printf("    %s\n", a.paint.Dim(fmt.Sprintf("… and %d more; --report shows them", len(d.Regions)-i)))
			break
		}
		a.printf("    %d×%d at %d,%d\n", r.W, r.H, r.X, r.Y)
		for _, e := range r.Elements {
			a.printf("      %s%s\n", show.Text(e.Path), show.Before(": ", show.Text(e.How)))
			for n, rule := range e.Rules {
				if n == maxRules {
					a.printf("        %s\n", a.paint.Dim(fmt.Sprintf("… and %d more rules", len(e.Rules)-n)))
					break
				}
				a.printf("        %s\n", show.Text(htmlpage.Rule(rule.Selector, rule.Was, rule.Now, rule.File)))
			}
		}
	}
	if len(d.Fonts) > 0 {
		a.printf("    fonts: %s\n", show.Text(strings.Join(d.Fonts, ", ")))
	}
}

// A watched change is one that is looked at before and after, where flags ask for that.
type watched struct {
	look bool // say what looks different
	back bool // and take the change back where something does
	// behind is a server that fills the pages in, and addresses are those of it to open in place of the pages' own
	behind    string
	addresses []string
}

func (w *watched) add(c *cobra.Command) {
	f := c.Flags()
	f.BoolVar(&w.look, "look", false, "open the pages before and after the change, and report what looks different")
	f.BoolVar(&w.back, "only-if-same", false, "revert the change if a page looks different or is wrong after it")
	f.StringVar(&w.behind, "behind", "", "with --look: the `URL` of a server that fills in the pages' templates")
	f.StringSliceVar(&w.addresses, "address", nil, "with --behind: open `PATHS` of that server, such as /tides")
}

// around makes a change, and answers with it. Where that was asked for, pages are looked at before and after.
func (a *app) around(ctx context.Context, w watched, pages []string, change func() (answer any, text func(),
	err error)) error {
	if !w.look && !w.back || a.dry {
		if w.look || w.back {
			return misuse("--dry-run changes nothing, so there is nothing to look at")
		}
		if w.behind != "" || len(w.addresses) > 0 {
			return misuse("--behind and --address go with --look or --only-if-same")
		}
		answer, text, err := change()
		if err != nil {
			return err
		}
		return a.answer(answer, text)
	}
	for _, at := range w.addresses {
		if w.behind == "" || !strings.HasPrefix(at, "/") {
			return misuse("--address goes with --behind and begins with /, as in --address /tides")
		}
	}
	if len(w.addresses) > 0 {
		pages = w.addresses
	}
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	look := func() (*crate.Looked, error) {
		return door.Look(ctx, crate.LookRequest{Pages: pages, Screenshots: true, Behind: w.behind}, "")
	}
	was, err := look()
	if err != nil {
		return err
	}
	answer, text, err := change()
	if err != nil {
		return err
	}
	now, err := look()
	if err == nil {
		err = crate.CompareLooks(was, now)
	}
	if err != nil {
		a.answer(answer, text)
		return err
	}
	fine := now.Same() && (now.Clean() || !was.Clean())
	if moved, is := answer.(*crate.Repinned); is && len(moved.Faults) > 0 {
		fine = false
	}
	undone := w.back && !fine
	if undone {
		if _, err := door.Undo(ctx); err != nil {
			return err
		}
	}
	err = a.answer(lookedChange{answer, now, undone}, func() {
		text()
		a.printf("\n")
		a.printLooks(now, "before the change")
		switch {
		case undone:
			a.printf("reverted, because something looks different or is wrong\n")
		case !fine:
			a.next("merry undo  # reverts the change")
		}
	})
	if err == nil && !fine {
		return quietStatus(problem.Refused)
	}
	return err
}
