package cli

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

func (a *app) adopt() *cobra.Command {
	var req crate.AdoptRequest
	var all bool
	var src sourceFlags
	c := &cobra.Command{
		Use:   "adopt PAGE… | --all | - --page PAGE",
		Short: "Record the libraries that pages already use",
		Long: `Adopt finds scripts and stylesheets that pages refer to but nobody recorded, or
tags copied from documentation and pasted on standard input. It reads or fetches
each file once, works out the library and version, says how sure it is and why,
and records it. Tags on pages stay as they are, where they are. Pasted tags go
where their library belongs. Adopt asks you to name what it does not recognise.`,
		Example: `  merry adopt index.html
  merry adopt --all --dry-run
  merry adopt - --page index.html < tag.txt
  merry adopt tides.html --tag chart.js --as tidechart@3.1.0`,
		RunE: func(cmd *cobra.Command, args []string) error {
			onto := req.Pages
			switch {
			case slices.Contains(args, "-"):
				if len(args) > 1 || all {
					return misuse("- means pasted tags only; name their pages with --page")
				}
				a.waits.end() // somebody may be typing
				b, err := io.ReadAll(io.LimitReader(a.in, 1<<20))
				if err != nil {
					return err
				}
				if req.Pasted = strings.TrimSpace(string(b)); req.Pasted == "" {
					return problem.Misuse("merry adopt - --page index.html < tag.txt", "standard input is empty, and "+
						"- means that tags are pasted there")
				}
			case len(onto) > 0:
				return problem.Misuse(fmt.Sprintf("merry adopt %s  # adopts what is on that page", show.Word(onto[0])),
					"--page is for pasted tags: merry adopt - --page %s", onto[0])
			case all && len(args) > 0:
				return misuse("--all means all pages; name some pages or use --all")
			case all:
				req.Pages = []string{"**"}
			case len(args) == 0:
				return problem.Misuse("merry adopt --all --dry-run", "name pages, or use --all")
			default:
				req.Pages = args
			}
			door, err := a.open(src)
			if err != nil {
				return err
			}
			defer door.Close()
			got, err := door.Adopt(cmd.Context(), req)
			if err != nil {
				return err
			}
			if err := a.answer(got, func() { a.printAdopted(got) }); err != nil {
				return err
			}
			for _, t := range got.Tags {
				if t.State == crate.StateAsked || t.State == crate.StateLeft {
					return quietStatus(problem.Refused)
				}
			}
			return nil
		},
	}
	f := c.Flags()
	f.BoolVar(&all, "all", false, "adopt from all pages")
	f.BoolVar(&req.OnlyThisPage, "only-this-page", false, "with --page, "+onlyThisPage)
	f.StringSliceVar(&req.Pages, "page", nil, "put pasted tags on the pages that match `GLOB` (repeatable)")
	f.StringVar(&req.Tag, "tag", "", "only tags whose reference contains `TEXT`")
	f.StringVar(&req.As, "as", "", "what the tag refers to: `NAME` or NAME@VERSION")
	f.StringVar(&req.From, "from", "", "search this `SOURCE` for the same bytes")
	f.BoolVar(&src.plain, "plain", false, "allow addresses without TLS")
	f.BoolVar(&src.fresh, "fresh", false, "fetch again what is in the cache")
	return a.changes(c)
}

func (a *app) printAdopted(got *crate.Adopted) {
	if len(got.Tags) == 0 && len(got.Pages) == 0 {
		a.printf("everything that the pages load is recorded or is the site's own\n")
		return
	}
	for _, t := range got.Tags {
		what := strings.TrimSpace(t.Library + " " + t.Version)
		switch t.State {
		case crate.StateOwn:
			continue
		case crate.StateAdopted:
			what = a.paint.Green(show.Text(what)) + "  " + show.Text(t.File) + ", " + string(t.Sure)
		case crate.StateDevOnly:
			what = a.paint.Yellow(show.Text(what)) + "  for development only"
		default:
			what = a.paint.Red("not adopted") + a.paint.Dim(strings.TrimRight("  "+show.Text(what), " "))
		}
		a.printf("%s  %s\n  %s\n", a.paint.Bold(show.Text(t.Ref)), a.paint.Dim(show.Text(t.At)+onPages(t.Pages)), what)
		if t.Why != "" {
			a.printf("  why:  %s\n", strings.ReplaceAll(t.Why, "\n", "\n      "))
		}
		if len(t.Because) > 0 {
			a.printf("  evidence: %s\n", show.Text(strings.Join(t.Because, "; ")))
		}
		if t.Next != "" {
			a.printf("%s", show.Steps("  next: ", t.Next))
		}
	}
	own := 0
	for _, t := range got.Tags {
		if t.State == crate.StateOwn {
			own++
			if own == 1 {
				a.printf("not recognised as a library, so left as the site's own:\n")
			}
			a.printf("  %s\n", show.Text(t.Ref))
		}
	}
	for _, p := range got.Pages {
		for _, ref := range p.Added {
			a.printf("put on %s: %s\n", show.Text(p.Page), show.Text(ref))
		}
		for _, ref := range p.Already {
			a.printf("already on %s: %s\n", show.Text(p.Page), show.Text(ref))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(got.CDNs)) {
		a.printf("CDN for the packing list: %s  %s\n", show.Text(name), show.Text(string(got.CDNs[name])))
	}
	a.remarks(got.Notes)
	if got.DryRun {
		a.printf("\n")
		a.touched(got.Result)
		return
	}
	if len(got.Files) > 0 {
		a.next("merry contents; merry check; merry undo  # reverts this")
	}
}

func onPages(n int) string {
	if n < 2 {
		return ""
	}
	return fmt.Sprintf(" and %s more", show.Count(n-1, "page", "pages"))
}
