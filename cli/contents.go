package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/record"
)

func (a *app) contents() *cobra.Command {
	return &cobra.Command{
		Use:   "contents",
		Short: "List the libraries of the crate",
		Long: `Contents lists the libraries of the crate: version, licence, files and pages. It
says whether the files on disk are the sealed ones.`,
		Example: "  merry contents",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			c, err := door.Contents(cmd.Context())
			if err != nil {
				return err
			}
			return a.answer(c, func() { a.printContents(c) })
		},
	}
}

func (a *app) printContents(c *crate.Contents) {
	if len(c.Libraries) == 0 {
		a.printf("the crate is empty\n")
		a.printLeftOut(c.LeftOut)
		a.next("merry peek  # lists your downloads; then: merry take DOWNLOAD")
		return
	}
	t := &show.Table{Right: map[int]bool{3: true, 4: true, 5: true, 6: true}}
	t.Add("library", "version", "licence", "files", "size", "on the wire", "pages", "state", "needs")
	for _, l := range c.Libraries {
		t.Add(show.Text(l.Name), show.Text(l.Version), show.Text(l.Licence), plain(l.Files), show.Bytes(l.Size),
			show.Bytes(l.Wire), plain(l.Pages), show.Text(l.State), strings.Join(l.Needs, ", "))
	}
	a.printf("%s", t.Text(a.paint, ""))
	if len(c.Pages) > 0 {
		const most = 10
		a.printf("\n")
		t = &show.Table{Right: map[int]bool{1: true, 2: true, 3: true}}
		head := "page"
		if c.Site != "." {
			head = "page, in " + show.Text(c.Site)
		}
		t.Add(head, "scripts and styles", "size", "on the wire")
		for i, p := range c.Pages {
			if i == most && len(c.Pages) > most+1 {
				t.Add(fmt.Sprintf("… and %d more", len(c.Pages)-most), "", "", "")
				break
			}
			t.Add(show.Text(p.Page), plain(p.Files), show.Bytes(p.Size), show.Bytes(p.Wire))
		}
		a.printf("%s", t.Text(a.paint, ""))
	}
	if len(c.LeftOut) > 0 {
		a.printf("\n")
		a.printLeftOut(c.LeftOut)
	}
	said := false
	for _, l := range c.Libraries {
		for _, note := range []string{l.Because, heldNote(l.Hold), devOnlyNote(l.Only)} {
			if note == "" {
				continue
			}
			if !said {
				a.printf("\n")
				said = true
			}
			a.printf("%s: %s\n", strings.TrimSpace(show.Text(l.Name)+" "+show.Text(l.Version)), show.Text(note))
		}
	}
}

func heldNote(h *record.Hold) string {
	if h == nil {
		return ""
	}
	return "held " + h.Reason() + ": " + h.Because
}

func devOnlyNote(only record.Only) string {
	if only != record.DevOnly {
		return ""
	}
	return "for development only; it must not ship"
}
