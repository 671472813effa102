package cli

import (
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/integrity"
)

func plain(n int) string { return strconv.Itoa(n) }

func (a *app) seal() *cobra.Command {
	var algorithm string
	c := &cobra.Command{
		Use:     "seal FILE…",
		Short:   "Print integrity strings, for use anywhere",
		Long:    "Seal prints the integrity string of each file, as an integrity attribute takes it. A folder means\nall the files in it, and - standard input.",
		Example: "  merry seal js/oarlock.min.js\n  merry seal css fonts --algorithm sha512\n  merry seal - < js/club.js",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(integrity.Algorithms, algorithm) {
				return misuse("--algorithm %s: Subresource Integrity knows %s", algorithm, strings.Join(integrity.Algorithms, ", "))
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			var lines []crate.SealLine
			if i := slices.Index(args, "-"); i >= 0 {
				line, err := crate.SealReader("-", a.in, algorithm)
				if err != nil {
					return err
				}
				lines = append(lines, line)
				args = slices.Delete(args, i, i+1)
			}
			more, err := door.SealFiles(cmd.Context(), args, algorithm)
			if err != nil {
				return err
			}
			lines = append(lines, more...)
			return a.answer(lines, func() {
				for _, l := range lines {
					a.printf("%s  %s\n", l.Integrity, clean(l.File))
				}
			})
		},
	}
	c.Flags().StringVar(&algorithm, "algorithm", "sha384", "sha256, sha384 or sha512")
	return c
}
