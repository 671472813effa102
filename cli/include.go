package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
)

func (a *app) include() *cobra.Command {
	var req crate.IncludeRequest
	var minified, readable bool
	c := &cobra.Command{
		Use:   "include LIB|FILE…",
		Short: "Put libraries or own files on pages",
		Long: `Include puts the tags of libraries, or of own scripts and stylesheets, on pages.
Stylesheets go into the head: after those they need, before the site's own.
Scripts go where the page keeps its scripts: after those they need, before the
page's own. Everything else on the page stays identical. Nothing is included
twice.`,
		Example: "  merry include brinework --page '**'\n  merry include oarlock brinework --page crews/index.html " +
			"--readable\n  merry include 'js/*.js' --page index.html",
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			req.Names = args
			var err error
			if req.Build, err = buildFlag(minified, readable); err != nil {
				return err
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			in, err := door.Include(cmd.Context(), req)
			if err != nil {
				return err
			}
			return a.answer(in, func() { a.printIncluded(in) })
		},
	}
	f := c.Flags()
	f.StringSliceVar(&req.Pages, "page", nil, "the pages, by name or `GLOB` (default: the only page; repeatable)")
	f.StringSliceVar(&req.Only, "only", nil, "only this `FILE` of the library, which gets a tag if it had none "+
		"(repeatable)")
	f.BoolVar(&minified, "minified", false, "use the minified build on these pages")
	f.BoolVar(&readable, "readable", false, "use the readable build on these pages")
	f.BoolVar(&req.Fragments, "fragments", false, "also put tags on parts of pages")
	f.BoolVar(&req.OnlyThisPage, "only-this-page", false, onlyThisPage)
	return a.changes(c)
}

// onlyThisPage is the help of the flag of that name.
const onlyThisPage = "change the page's own file, and no part that other pages have, too"

func (a *app) omit() *cobra.Command {
	var req crate.IncludeRequest
	c := &cobra.Command{
		Use:   "omit LIB|FILE…",
		Short: "Take libraries or own files off pages",
		Long: `Omit removes the tags of libraries, or of own scripts and stylesheets, from pages.
Without --page, it removes them from all pages. The files stay.`,
		Example: "  merry omit brinework --page index.html\n  merry omit oarlock",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			req.Names = args
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			out, err := door.Omit(cmd.Context(), req)
			if err != nil {
				return err
			}
			return a.answer(out, func() { a.printIncluded(out) })
		},
	}
	c.Flags().StringSliceVar(&req.Only, "only", nil, "only this `FILE` of the library (repeatable)")
	c.Flags().StringSliceVar(&req.Pages, "page", nil, "only the pages that match `GLOB` (default: all pages; "+
		"repeatable)")
	return a.changes(c)
}

func (a *app) printIncluded(in *crate.Included) {
	if in.DryRun {
		a.printShared(in.Pages)
		a.touched(in.Result)
		return
	}
	a.printPages(in.Pages)
	if len(in.Files) == 0 {
		a.printf("nothing changed\n")
	}
	a.printMissing(in.Missing)
	if step := adoptStep(in.Pages); step != "" {
		a.next("%s", step)
	} else if len(in.Files) > 0 {
		a.next("%s", missingSteps(in.Missing)+"merry check; merry undo  # reverts this")
	}
}

// adoptStep returns the command that records tags which load a library already, or "" if no page has such a tag.
func adoptStep(pages []crate.PageChange) string {
	var names []string
	for _, p := range pages {
		if len(p.Unrecorded) > 0 && len(names) < maxNamedPages {
			names = append(names, show.Word(p.Page))
		}
	}
	if len(names) == 0 {
		return ""
	}
	return "merry adopt " + strings.Join(names, " ") + "  # records the tag that is there"
}

// maxNamedPages is how many pages a next step names.
const maxNamedPages = 6

// printMissing prints which needs pages have not.
func (a *app) printMissing(list []crate.MissingNeed) {
	for _, l := range list {
		a.remarks([]string{fmt.Sprintf("%s needs %s, which is not on %s", l.Library, l.Need, abbreviated(l.Pages, 4))})
	}
}

// missingSteps are the steps that bring needs onto pages, each with the separator of steps after it.
func missingSteps(list []crate.MissingNeed) string {
	steps := ""
	for _, l := range list {
		if !l.Crate {
			continue
		}
		words := []string{"merry", "include", l.Need}
		for _, p := range l.Pages {
			words = append(words, "--page", p)
		}
		steps += show.Command(words) + "; "
	}
	return steps
}

// printShared lists the parts that change, with the pages that they are on.
func (a *app) printShared(pages []crate.PageChange) {
	for _, p := range pages {
		if n := show.Count(len(p.On), "page", "pages"); len(p.On) > 0 {
			a.remarks([]string{fmt.Sprintf("%s is part of %s: %s", p.Page, n, abbreviated(p.On, 6))})
		}
	}
}

// printPages lists what was done to pages, many pages of one kind as a number.
func (a *app) printPages(pages []crate.PageChange) {
	const most = 12
	shown, changed, same := 0, 0, 0
	t := &show.Table{}
	t.Add("page", "", "")
	for _, p := range pages {
		if len(p.Added)+len(p.Removed)+len(p.Also)+len(p.Unrecorded) > 0 {
			changed++
		} else if p.Note == "" {
			same++
		}
		if shown == most {
			continue
		}
		row := func(word string, files []string) {
			if len(files) > 0 {
				shown++
				t.Add(show.Text(p.Page), word, show.Text(strings.Join(files, ", ")))
			}
		}
		row("added", p.Added)
		row("removed", p.Removed)
		row("already there", p.Already)
		row("also", p.Also)
		row("not added", p.Unrecorded)
		if len(p.On) > 0 {
			row("part of", []string{abbreviated(p.On, 6)})
		}
		if p.Note != "" {
			row("note", []string{strings.TrimPrefix(p.Note, "note: ")})
		}
	}
	if len(t.Rows) > 1 {
		t.Rows = t.Rows[1:]
		a.printf("%s", t.Lines("  "))
	}
	if len(pages) > most {
		a.printf("  … %s changed, %d not\n", show.Count(changed, "page", "pages"), same)
	}
}
