package cli

import (
	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
)

func (a *app) settle() *cobra.Command {
	var req crate.SettleRequest
	c := &cobra.Command{
		Use:   "settle",
		Short: "Carry out what the packing list says after somebody edited it",
		Long: `Settle makes the files, the seal and the pages what crate.yaml says: another version, build or source,
other folders, places, names or files, an entry that was added, taken out or called otherwise. It also puts
the records right after a merge, follows what was moved by hand, and makes a lost seal anew: from the
sources, and where they are not to be had, from what lies on the site, which it says.

It is one change, whole or not at all; look at it first with --dry-run.`,
		Example: "  merry settle --dry-run\n  merry settle\n  merry settle --from ../downloads",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			if req.Sources, err = a.places(req.Sources); err != nil {
				return err
			}
			s, err := door.Settle(cmd.Context(), req)
			if err != nil {
				return err
			}
			return a.answer(s, func() { a.printSettled(s) })
		},
	}
	c.Flags().StringSliceVar(&req.Sources, "from", nil, "look in this `FOLDER` for archives that are not where they were (repeatable)")
	return a.changes(c)
}

func (a *app) printSettled(s *crate.Settled) {
	if len(s.Done) == 0 && len(s.Files) == 0 {
		a.printf("settled: files, seal and pages are what the packing list says\n")
		a.remarks(s.Notes)
		return
	}
	t := &show.Table{}
	for _, d := range s.Done {
		t.Add(show.Text(d.Library), show.Text(d.What))
	}
	if len(s.Done) > 0 {
		a.printf("%s", t.Text(a.paint, ""))
	}
	if s.DryRun {
		a.printf("\n")
		a.touched(s.Result)
		return
	}
	a.printPages(s.Pages)
	a.remarks(s.Notes)
	a.next("merry check; merry undo  # takes this back")
}
