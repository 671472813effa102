package cli

import (
	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

func (a *app) undo() *cobra.Command {
	var list bool
	c := &cobra.Command{
		Use:     "undo",
		Short:   "Take back the last change",
		Long:    "Undo puts every file that the last command changed back as it was. Where one was changed since,\nnothing is done, so that nothing is lost.",
		Example: "  merry undo --list\n  merry undo",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if list {
				return a.undoList()
			}
			u, err := crate.Undo(a.dir, a.options())
			if err != nil {
				return err
			}
			return a.answer(u, func() {
				if u.DryRun {
					a.printf("would undo: %s\n\n", clean(u.Title))
					a.touched(u.Outcome)
					return
				}
				a.printf("undid: %s (%s)\n", clean(u.Title), plural(len(u.Files), "file", "files"))
			})
		},
	}
	c.Flags().BoolVar(&list, "list", false, "list the changes that can be undone, the last one first")
	return a.changes(c)
}

func (a *app) undoList() error {
	history, err := crate.History(a.dir)
	if err != nil {
		return err
	}
	type line struct {
		Title string   `json:"title"`
		Files []string `json:"files"`
	}
	lines := []line{}
	for _, h := range history {
		l := line{Title: h.Title}
		for _, e := range h.Entries {
			l.Files = append(l.Files, e.Path)
		}
		lines = append(lines, l)
	}
	return a.answer(lines, func() {
		if len(lines) == 0 {
			a.printf("there is no change to undo\n")
			return
		}
		t := &table{right: map[int]bool{0: true}}
		t.add("", "change", "files")
		for i, l := range lines {
			t.add(plain(i+1), clean(l.Title), plain(len(l.Files)))
		}
		t.print(a, "")
	})
}
