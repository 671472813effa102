package cli

import (
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/problem"
)

func plain(n int) string { return strconv.Itoa(n) }

func (a *app) seal() *cobra.Command {
	var algorithm string
	var html, look, plainHTTP bool
	c := &cobra.Command{
		Use:   "seal FILE|URL…",
		Short: "Print integrity hashes for files and addresses",
		Long: `Seal prints the integrity value of each file, as an integrity attribute takes it.
For a folder it covers all files in it, for an address the bytes there; - means
standard input. --html prints complete tags.

--check verifies a page instead, in a project or not. It reports tags whose
integrity does not match their file, and tags without integrity for another host.
The exit status is then 1. Root-relative references are looked up from the current
folder.`,
		Example: "  merry seal js/oarlock.min.js\n  merry seal css fonts --algorithm sha512\n" +
			"  merry seal - < js/club.js\n  merry seal --html js/oarlock.min.js\n  merry seal --check index.html\n" +
			"  merry seal --check - < index.html",
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if !slices.Contains(integrity.Algorithms, algorithm) {
				return misuse("--algorithm %s: Subresource Integrity allows %s", algorithm,
					strings.Join(integrity.Algorithms, ", "))
			}
			switch {
			case html && look:
				return misuse("--html writes tags and --check reads them; use one")
			case html && slices.Contains(args, "-"):
				return misuse("a tag needs a file name or an address, and standard input has neither")
			}
			door, err := a.open(sourceFlags{plain: plainHTTP})
			if err != nil {
				return err
			}
			defer door.Close()
			if look {
				return a.sealedPages(cmd, door, args)
			}
			var lines []crate.SealLine
			if i := slices.Index(args, "-"); i >= 0 {
				a.waits.end() // somebody may be typing
				line, err := crate.SealRead("-", a.in, algorithm)
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
			if html {
				return a.sealedTags(cmd, door, lines)
			}
			return a.answer(sealAnswer{lines}, func() {
				for _, l := range lines {
					a.printf("%s  %s\n", l.Integrity, show.Text(l.File))
				}
			})
		},
	}
	c.Flags().StringVar(&algorithm, "algorithm", "sha384", "the `HASH`: sha256, sha384 or sha512 (default: sha384)")
	c.Flags().BoolVar(&html, "html", false, "print complete tags")
	c.Flags().BoolVar(&look, "check", false, "report tags on pages with a wrong integrity, or with none")
	c.Flags().BoolVar(&plainHTTP, "plain", false, "allow addresses without TLS")
	return c
}

// sealedTags prints a tag for each file.
func (a *app) sealedTags(cmd *cobra.Command, door *crate.Crate, lines []crate.SealLine) error {
	tags := make([]sealedTag, len(lines))
	for i, l := range lines {
		text, err := door.SealText(cmd.Context(), l.File)
		if err != nil {
			return err
		}
		tags[i] = sealedTag{l.File, crate.SealTag(l, text)}
	}
	return a.answer(sealTagsAnswer{tags}, func() {
		for _, t := range tags {
			a.verbatim(show.Text(t.Tag) + "\n")
		}
	})
}

// sealedPages looks at what pages demand.
func (a *app) sealedPages(cmd *cobra.Command, door *crate.Crate, pages []string) error {
	all := []sealedPage{}
	bad := 0
	for _, name := range pages {
		var b []byte
		var err error
		if name == "-" {
			a.waits.end() // somebody may be typing
			b, err = io.ReadAll(io.LimitReader(a.in, 64<<20))
		} else if b, err = os.ReadFile(a.full(name)); err != nil {
			err = problem.Refuse(problem.FileUnknown, "name pages, or use - for standard input", "there is no file %s",
				name)
		}
		if err != nil {
			return err
		}
		list, err := door.SealPage(cmd.Context(), b, name)
		if err != nil {
			return err
		}
		all = append(all, sealedPage{name, list})
		for _, d := range list {
			if d.State != crate.SealRight && d.State != crate.SealLocal {
				bad++
			}
		}
	}
	err := a.answer(sealCheckAnswer{all}, func() {
		for _, p := range all {
			for _, d := range p.Tags {
				a.printf("%s:%d:%d  %s  %s\n", show.Text(p.Page), d.Line, d.Column, a.paint.Bold(string(d.State)),
					show.Text(d.Ref))
				if d.State == crate.SealRight || d.State == crate.SealLocal {
					continue
				}
				if d.Declared != "" {
					a.printf("  says: %s\n", show.Text(d.Declared))
				}
				if d.Is != "" {
					a.printf("  is:   %s\n", d.Is)
				}
				if d.Problem != "" {
					a.printf("  why:  %s\n", show.Text(d.Problem))
				}
			}
		}
		a.printf("%s to correct\n", show.Count(bad, "tag", "tags"))
	})
	if err == nil && bad > 0 {
		return quietStatus(problem.Refused)
	}
	return err
}
