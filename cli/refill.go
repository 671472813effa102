package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"

	"merrycrate.example/merry/crate"
)

func (a *app) refill() *cobra.Command {
	var overwrite bool
	var from []string
	c := &cobra.Command{
		Use:   "refill [LIB…]",
		Short: "Put missing library files back, verified against the seal",
		Long: `Refill puts back the library files that are in the seal but not on disk, for
example after a checkout. It gets them from the cache, from archives in --from or
in the download folder, from the source in the project, or from its address. It
verifies every file against the seal. A file with other bytes is reported and left
alone. The exit status is 1 if a file is still missing or different.`,
		Example: "  merry refill\n  merry refill oarlock --overwrite\n  merry refill --from ../downloads",
		RunE: func(cmd *cobra.Command, args []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			in, err := a.places(from)
			if err != nil {
				return err
			}
			r, err := door.Refill(cmd.Context(), args, overwrite, in)
			if err != nil {
				return err
			}
			if err := a.answer(r, func() { a.printRefill(r) }); err != nil {
				return err
			}
			if len(r.Changed)+len(r.Missing) > 0 {
				return quietStatus(problem.Refused)
			}
			return nil
		},
	}
	c.Flags().StringSliceVar(&from, "from", nil, "search this `ARCHIVE`, or a folder of archives (repeatable)")
	c.Flags().BoolVar(&overwrite, "overwrite", false, "also replace files that were changed")
	return a.changes(c)
}

func (a *app) printRefill(r *crate.Refilled) {
	const most = 12
	list := func(word string, files []string) {
		for i, f := range files {
			if i == most {
				a.printf("  … and %d more\n", len(files)-most)
				break
			}
			a.printf("  %s %s\n", word, show.Text(f))
		}
	}
	for _, f := range r.Fetched {
		a.printf("fetched %s\n", show.Text(f))
	}
	word := "restored"
	if r.DryRun {
		word = "would restore"
	}
	list(word, r.Restored)
	list("changed, left alone:", r.Changed)
	list("missing:", r.Missing)
	list("moved by hand:", r.Moved)
	a.printf("%s as sealed, %d restored", show.Count(r.Whole, "file", "files"), len(r.Restored))
	if len(r.Changed) > 0 {
		a.printf(", %d changed", len(r.Changed))
	}
	if len(r.Missing) > 0 {
		a.printf(", %d missing", len(r.Missing))
	}
	a.printf("\n")
	switch {
	case len(r.Moved) > 0:
		a.next("merry move --found  # the records follow")
	case len(r.Missing) > 0:
		a.next("take the missing library's source again, or fetch it if it is recorded by address")
	case len(r.Changed) > 0:
		a.next("move your change into a file of your own; merry refill --overwrite  # restores the sealed bytes")
	}
}

func (a *app) drop() *cobra.Command {
	var even bool
	var files, parts []string
	c := &cobra.Command{
		Use:   "drop LIB",
		Short: "Drop a library, or a part of it, from the project",
		Long: `Drop removes a library's tags from all pages, its files, and its entries in both
records, in one change. Files that another library shares or that somebody changed
stay. It refuses while another library needs this one. With --part or --files it
removes only that much, and what nothing else in the library uses.`,
		Example: "  merry drop brinework\n  merry drop tidechart --part grid\n  merry drop oarlock --even-if-needed " +
			"--dry-run",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			var d *crate.Dropped
			if len(files)+len(parts) > 0 {
				d, err = door.DropPart(cmd.Context(), args[0], files, parts)
			} else {
				d, err = door.Drop(cmd.Context(), args[0], even)
			}
			if err != nil {
				return err
			}
			return a.answer(d, func() {
				if d.DryRun {
					a.touched(d.Result)
					return
				}
				word := "dropped"
				if d.Part {
					word = "dropped a part of"
				}
				a.printf("%s %s\n", word, a.paint.Bold(show.Text(d.Library)))
				a.printPages(d.Pages)
				for _, f := range d.Files {
					if f.Do == crate.Removed {
						a.printf("  removed %s\n", show.Text(f.Path))
					}
				}
				for _, k := range d.Kept {
					a.printf("  kept %s\n", show.Text(k))
				}
				if len(d.References) > 0 {
					a.printf("its files are used elsewhere, which will get \"not found\": %s\n",
						show.Text(strings.Join(d.References[:min(6, len(d.References))], ", ")))
				}
				a.printNamed(d.Result)
				a.next("merry check; merry undo  # reverts this")
			})
		},
	}
	c.Flags().StringSliceVar(&files, "files", nil, "only the files that match `GLOB`, by their paths in the source or "+
		"the site (repeatable)")
	c.Flags().StringSliceVar(&parts, "part", nil, "only the part `NAME` (repeatable)")
	c.Flags().BoolVar(&even, "even-if-needed", false, "drop it although another library needs it")
	return a.changes(c)
}
