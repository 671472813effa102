package cli

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/htmlpage"
	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
)

func (a *app) compare() *cobra.Command {
	var report, table string
	var all, looking, renameSure bool
	var src sourceFlags
	c := &cobra.Command{
		Use:   "compare LIB [OLD] NEW | compare SOURCE SOURCE",
		Short: "Show what another version would change on your pages",
		Long: `Compare shows how another version of a library differs from the one in use, or
how any two versions differ. It compares files, size on the wire, syntax, licence,
needs, globals and their members. It lists every class, id, attribute, custom
property, animation and font family that was removed. For each it shows where your
pages, stylesheets and scripts use it, and its probable new name. Compare changes
nothing.

OLD and NEW are versions, ranges or sources. --look opens the pages that use LIB
in this machine's browser, as they are and as repin would leave them, and reports
what looks different. With --report, it shows both side by side.`,
		Example: "  merry compare brinework 2.0.0\n  merry compare brinework ../downloads/brinework-2.0.0.zip " +
			"--report brinework.html\n  merry compare brinework 2.0.0 --look --rename-sure --report brinework.html\n" +
			"  merry compare oarlock 1.4.2 2.0.3",
		Args: cobra.RangeArgs(2, 3),
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case renameSure && !looking:
				return misuse("--rename-sure works with --look only: it changes how the pages would look")
			case looking && len(args) == 3:
				return misuse("--look compares the pages as they are with NEW; leave OLD out")
			}
			door, err := a.open(src)
			if err != nil {
				return err
			}
			defer door.Close()
			req := crate.CompareRequest{Library: args[0], New: args[len(args)-1]}
			if len(args) == 3 {
				req.First = args[1]
			}
			compared, err := door.Compare(cmd.Context(), req)
			if err != nil {
				return err
			}
			got := comparedLook{Compared: compared}
			if looking {
				if got.Look, err = door.LookAhead(cmd.Context(), compared, req, renameSure); err != nil {
					return err
				}
			}
			if report != "" {
				if err := a.writeCompared(report, got); err != nil {
					return err
				}
			}
			if table != "" {
				if err := a.writeRenames(table, compared); err != nil {
					return err
				}
			}
			return a.answer(got, func() { a.printComparedLook(got, all) })
		},
	}
	c.Flags().StringVar(&report, "report", "", "write the comparison to `FILE.html`")
	c.Flags().StringVar(&table, "renames-to", "", "write the renamed classes as a table to `FILE.md`, for repin "+
		"--renames")
	c.Flags().BoolVar(&all, "all", false, "also list removed names that the site does not use")
	c.Flags().BoolVar(&looking, "look", false, "open the pages as they are and as they would be, and report what "+
		"looks different")
	c.Flags().BoolVar(&renameSure, "rename-sure", false, "with --look: apply the renames that are certain")
	c.Flags().BoolVar(&src.fresh, "fresh", false, "fetch again what is in the cache")
	return c
}

// printComparedLook prints a comparison, how the pages look, and what repin would do.
func (a *app) printComparedLook(c comparedLook, all bool) {
	a.printCompared(c.Compared, all)
	if c.Look != nil {
		a.printf("\n")
		a.printLooks(c.Look, "the pages as they are, in "+c.Old)
	}
	switch {
	case c.Repin != nil && c.Repin.Refused != "":
	case slices.ContainsFunc(c.Removed, func(l crate.RemovedName) bool { return len(l.Uses) > 0 }):
		a.next("merry repin %s@%s --rename-sure --dry-run", show.Word(c.Library), show.Word(c.New))
	}
}

// A comparedLook is a comparison, with how the pages look in both versions where that was asked for.
type comparedLook struct {
	*crate.Compared
	Look *crate.Looked `json:"look,omitempty"` // how the pages look with the new version
}

// Looks are the pages that look different, drawn.
func (c comparedLook) Looks() ([]htmlpage.DrawnLook, error) { return htmlpage.Drawn(c.Look) }

func edition(year int) string {
	switch {
	case year == 0:
		return "none"
	case year == 2009:
		return "ES5"
	}
	return fmt.Sprintf("ES%d", year)
}

func fromTo(old, new string) string {
	if old == new {
		return orWord(old, "unknown") + ", as before"
	}
	return orWord(old, "unknown") + " → " + orWord(new, "unknown")
}

func (a *app) printCompared(c *crate.Compared, all bool) {
	a.printf("%s  %s → %s\n", a.paint.Bold(show.Text(c.Library)), show.Text(c.Old), show.Text(c.New))
	if c.Repin != nil && c.Repin.Refused != "" {
		a.printf("  %s %s\n", a.paint.Red("repin would refuse:"), show.Text(c.Repin.Refused))
		for _, next := range c.Repin.Next {
			a.printf("  the way forward:    %s\n", show.Text(next))
		}
		if len(c.Repin.Modules) > 0 {
			a.printf("  pages would need an import map, and a module in the place of the plain script:\n")
			for _, line := range c.Repin.Modules {
				a.printf("      %s\n", show.Text(line))
			}
		}
		a.printf("\n")
	}
	t := &show.Table{}
	t.Add("", "")
	row := func(what, how string) { t.Add(what, show.Text(how)) }
	row("on the wire", fromTo(show.Bytes(c.Wire[0]), show.Bytes(c.Wire[1])))
	row("syntax", fromTo(edition(c.Syntax[0]), edition(c.Syntax[1])))
	row("licence", fromTo(c.Licence[0], c.Licence[1]))
	for _, d := range []struct {
		what string
		d    crate.Difference
	}{{"needs", c.Needs}, {"globals", c.Defines}, {"exports", c.Exports}} {
		if len(d.d.Added)+len(d.d.Removed) > 0 {
			row(d.what, signed(d.d))
		}
	}
	row("files", filesText(c))
	for _, r := range t.Rows[1:] {
		a.printf("  %s %s\n", a.paint.Dim(fmt.Sprintf("%-12s", r[0])), r[1])
	}
	if c.Repin != nil && c.Repin.Refused == "" && len(c.Repin.Dropped) > 0 {
		a.printf("\n  repin would drop:\n")
		for _, part := range c.Repin.Dropped {
			a.printf("      %s\n", show.Text(part))
		}
	}
	used, unused := 0, 0
	for _, l := range c.Removed {
		if len(l.Uses) == 0 {
			unused++
			continue
		}
		if used++; used == 1 {
			a.printf("\n  removed, and used here:\n")
		}
		a.printf("  %s %s  %s%s\n", l.Kind, a.paint.Red(show.Text(lostName(l))), show.Count(len(l.Uses), "use", "uses"),
			a.renameText(l))
		const most = 6
		for i, u := range l.Uses {
			if i == most && !all {
				a.printf("      … and %d more; --all lists them\n", len(l.Uses)-most)
				break
			}
			a.printf("      %s  %s\n", show.Text(u.At), a.paint.Dim(string(u.How)))
		}
	}
	switch {
	case len(c.Removed) == 0:
		a.printf("\n  nothing was removed\n")
	case used == 0:
		a.printf("\n  nothing that was removed is used here\n")
	}
	if unused > 0 {
		a.printf("\n  removed, and not used here: %s\n", show.Count(unused, "name", "names"))
		for _, l := range c.Removed {
			if all && len(l.Uses) == 0 {
				a.printf("    %s %s%s\n", l.Kind, show.Text(lostName(l)), a.renameText(l))
			}
		}
	}
	a.remarks(c.Notes)
	if c.Repin != nil {
		a.remarks(c.Repin.Notes)
	}
}

func signed(d crate.Difference) string {
	const most = 12
	var words []string
	for _, n := range d.Added {
		words = append(words, "+"+n)
	}
	for _, n := range d.Removed {
		words = append(words, "-"+n)
	}
	if len(words) > most {
		return strings.Join(words[:most], " ") + fmt.Sprintf(" and %d more", len(words)-most)
	}
	return strings.Join(words, " ")
}

func filesText(c *crate.Compared) string {
	if len(c.FilesAdded)+len(c.FilesRemoved) == 0 {
		return "the same"
	}
	var words []string
	for _, f := range c.FilesAdded {
		words = append(words, "+"+f.Path)
	}
	for _, f := range c.FilesRemoved {
		words = append(words, "-"+f.Path)
	}
	const most = 6
	if len(words) > most {
		return strings.Join(words[:most], " ") + fmt.Sprintf(" and %d more", len(words)-most)
	}
	return strings.Join(words, " ")
}

// lostName is a name with what it was of.
func lostName(l crate.RemovedName) string {
	if l.Of != "" {
		return l.Name + " of " + l.Of
	}
	return l.Name
}

func (a *app) renameText(l crate.RemovedName) string {
	if l.Kind == "signature" {
		return "; the notes say: " + show.Text(l.Now)
	}
	if l.Now != "" {
		return "; it is " + l.Now + " now"
	}
	if l.Rename == nil {
		return ""
	}
	how := "probably renamed to"
	if l.Rename.Sure {
		how = "renamed to"
	}
	return fmt.Sprintf("; %s %s (confidence %.2f): %s", how,
		a.paint.Green(show.Text(strings.Join(append([]string{l.Rename.New}, l.Rename.And...), " and "))),
		l.Rename.Score, show.Text(strings.Join(l.Rename.Because, ", ")))
}

//go:embed compare.html
var comparedText string

var comparedPage = sync.OnceValue(func() *template.Template {
	return template.Must(template.Must(template.New("compare").Funcs(template.FuncMap{"share": show.Share,
		"rule":   htmlpage.Rule,
		"plural": show.Count, "bytes": show.Bytes, "edition": edition, "change": fromTo, "signed": signed,
		"files": filesText, "lost": lostName, "join": func(list []string) string {
			return strings.Join(list, ", ")
		}}).Parse(comparedText)).Parse(htmlpage.LookedText))
})

// writeCompared writes the comparison as a page: self-contained, and readable without scripts.
func (a *app) writeCompared(name string, c comparedLook) error {
	var b bytes.Buffer
	if err := comparedPage().Execute(&b, c); err != nil {
		return err
	}
	return a.writeOut(name, b.Bytes())
}
