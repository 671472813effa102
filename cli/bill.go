package cli

import (
	"cmp"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

func (a *app) bill() *cobra.Command {
	var form, advisories string
	c := &cobra.Command{
		Use:   "bill",
		Short: "List the third-party libraries that the site ships",
		Long: `Bill lists the third-party libraries that the site ships: as a table, as a
CycloneDX document, or as a notice with the licence texts. --advisories compares
them with advisories in the OSV format, from a folder or an archive. Bill opens no
connection. The exit status is 1 if an advisory affects the crate.`,
		Example: "  merry bill\n  merry bill --form cyclonedx > bill.json\n  merry bill --form notice > NOTICE.txt\n" +
			"  merry bill --advisories ../advisories.zip",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			if advisories != "" {
				advisories = a.full(advisories)
			}
			b, err := door.Bill(cmd.Context(), advisories)
			if err != nil {
				return err
			}
			switch form {
			case "table":
				err = a.answer(b, func() { a.printBill(b) })
			case "cyclonedx":
				made, unset := buildTime()
				document, unwritten := b.DocumentText(made, program())
				if err = cmp.Or(unset, unwritten); err == nil {
					a.write(document)
				}
			case "notice":
				a.verbatim(b.NoticeText())
				for _, n := range b.Notes {
					fmt.Fprintln(a.err, "note:", show.Text(n))
				}
			default:
				return misuse("--form %s: use table, cyclonedx or notice", form)
			}
			if err == nil && len(b.Warnings) > 0 {
				err = quietStatus(problem.Refused)
			}
			return err
		},
	}
	c.Flags().StringVar(&form, "form", "table", "`FORM` of the output: table, cyclonedx or notice (default: table)")
	c.Flags().StringVar(&advisories, "advisories", "", "`PATH` of a folder, archive or file of advisories in the "+
		"OSV format")
	return c
}

// epochVariable fixes the time of documents, so that the same crate gives the same bytes (Reproducible Builds,
// SOURCE_DATE_EPOCH).
const epochVariable = "SOURCE_DATE_EPOCH"

// buildTime is the time that documents are made at.
func buildTime() (time.Time, error) {
	fixed := os.Getenv(epochVariable)
	if fixed == "" {
		return time.Now(), nil
	}
	seconds, err := strconv.ParseInt(fixed, 10, 64)
	if err != nil || seconds < 0 {
		return time.Time{}, problem.Misuse("set it to seconds since 1970, or to nothing", "%s=%s is not a time",
			epochVariable, fixed)
	}
	return time.Unix(seconds, 0), nil
}

func (a *app) printBill(b *crate.Bill) {
	if len(b.Libraries) == 0 {
		a.printf("the site ships no third-party libraries\n")
		return
	}
	t := &show.Table{Right: map[int]bool{3: true, 4: true}}
	t.Add("library", "version", "licence", "files", "pages", "needs", "from")
	for _, l := range b.Libraries {
		from := l.Origin
		if l.Only != "" {
			from += " (for development only)"
		}
		t.Add(show.Text(l.Name), show.Text(l.Version), show.Text(orWord(l.Licence, "unknown")), plain(len(l.Files)),
			plain(l.Pages), show.Text(strings.Join(l.Needs, ", ")), show.Text(from))
	}
	a.printf("%s", t.Text(a.paint, ""))
	if b.Advisories > 0 {
		a.printf("\n%s read; %s\n", show.Count(b.Advisories, "advisory", "advisories"),
			orWord(concern(b), "none affects the crate"))
	}
	for _, w := range b.Warnings {
		a.printf("%s  %s %s\n  %s\n", a.paint.Red(show.Text(strings.Join(append([]string{w.ID}, w.Aliases...), ", "))),
			show.Text(w.Library), show.Text(w.Version), show.Text(w.Summary))
		if len(w.Fixed) > 0 {
			a.printf("  next: merry versions %s  # lists its versions; fixed in %s\n", show.Word(w.Library),
				show.Text(w.Fixed[0]))
		}
	}
	a.remarks(b.Notes)
}

func concern(b *crate.Bill) string {
	if len(b.Warnings) == 0 {
		return ""
	}
	return show.Count(len(b.Warnings), "affects the crate", "affect the crate")
}
