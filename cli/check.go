package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
)

func (a *app) check() *cobra.Command {
	var req crate.CheckRequest
	c := &cobra.Command{
		Use:   "check [PAGE…]",
		Short: "Find what a browser, a server or a colleague would trip over",
		Long: `Check holds the crate's files against the seal, and the pages against what a browser will do with
them: references that lead nowhere, files whose case differs, libraries that come before what they
need, includes that stand there twice. Its exit status is 1 where it found something.`,
		Example: "  merry check\n  merry check 'crews/*.html' --json\n  merry check --profile live --online",
		RunE: func(_ *cobra.Command, args []string) error {
			p, err := a.open()
			if err != nil {
				return err
			}
			req.Pages, req.Dir = args, a.dir
			found, err := p.Check(req)
			if err != nil {
				return err
			}
			if found.Findings == nil {
				found.Findings = []check.Finding{}
			}
			if err := a.answer(found, func() { a.printFindings(found) }); err != nil {
				return err
			}
			for _, f := range found.Findings {
				if f.Severity != check.Note {
					return quietStatus(crate.Refused)
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&req.Profile, "profile", "", "hold the pages against the packing list's profile of this `NAME`, too")
	c.Flags().BoolVar(&req.Online, "online", false, "fetch each CDN link of the crate's libraries, and compare")
	return c
}

func (a *app) printFindings(c *crate.Checked) {
	if len(c.Findings) == 0 {
		a.printf("%s: nothing to find fault with\n", plural(c.Pages, "page", "pages"))
		return
	}
	counts := map[check.Severity]int{}
	for i, f := range c.Findings {
		counts[f.Severity]++
		if i > 0 {
			a.printf("\n")
		}
		place := f.File
		if f.Line > 0 {
			place = fmt.Sprintf("%s:%d:%d", f.File, f.Line, f.Column)
		}
		name := f.Name
		switch f.Severity {
		case check.Error:
			name = a.paint.red(name)
		case check.Warning:
			name = a.paint.yellow(name)
		}
		a.printf("%s  %s\n", a.paint.bold(clean(place)), name)
		a.printf("  %s\n", clean(f.Message))
		a.printf("  why:  %s\n", clean(f.Why))
		a.printf("  next: %s\n", clean(f.Next))
	}
	a.printf("\n%s: %s, %s", plural(c.Pages, "page", "pages"), plural(counts[check.Error], "error", "errors"), plural(counts[check.Warning], "warning", "warnings"))
	if n := counts[check.Note]; n > 0 {
		a.printf(", %s", plural(n, "note", "notes"))
	}
	a.printf("\n")
}
