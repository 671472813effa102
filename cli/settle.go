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
		Short: "Apply an edited packing list to files, seal and pages",
		Long: `Settle makes the files, the seal and the pages match crate.yaml after you edited
it. You can change versions, builds, sources, folders, paths, names and files, and
add, remove or rename entries. It also repairs the records after a merge, follows
what was moved by hand, and rebuilds a lost seal. It rebuilds the seal from the
sources. If a source is missing, it uses the files in the site and says so.

It is one change, applied completely or not at all. Preview it with --dry-run.`,
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
	c.Flags().StringSliceVar(&req.Sources, "from", nil, "search this `FOLDER` for archives that were moved "+
		"(repeatable)")
	return a.changes(c)
}

func (a *app) printSettled(s *crate.Settled) {
	if len(s.Done) == 0 && len(s.Files) == 0 {
		a.printf("settled: files, seal and pages match the packing list\n")
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
	a.next("merry check; merry undo  # reverts this")
}
