package cli

import (
	"context"

	"github.com/spf13/cobra"
)

func (a *app) undo() *cobra.Command {
	var list, finish, abandon bool
	c := &cobra.Command{
		Use:     "undo",
		Short:   "Take back the last change",
		Long:    "Undo puts every file that the last command changed back as it was. Where one was changed since,\nnothing is done, so that nothing is lost. A change that was stopped in the middle can be finished or\ngiven up; the next command that changes something finishes it, too.",
		Example: "  merry undo --list\n  merry undo\n  merry undo --finish",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			switch {
			case list && finish, list && abandon, finish && abandon:
				return misuse("--list, --finish and --abandon exclude each other")
			case list:
				return a.undoList(cmd.Context())
			case finish:
				return a.undoFinish(cmd.Context())
			case abandon:
				return a.undoAbandon(cmd.Context())
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			u, err := door.Undo(cmd.Context())
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
	c.Flags().BoolVar(&finish, "finish", false, "finish a change that was stopped in the middle")
	c.Flags().BoolVar(&abandon, "abandon", false, "give a change up that was stopped in the middle: take back what was done of it")
	return a.changes(c)
}

func (a *app) undoFinish(ctx context.Context) error {
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	said, err := door.Finish(ctx)
	if err != nil {
		return err
	}
	return a.answer(map[string]any{"done": orNone(said)}, func() {
		if len(said) == 0 {
			a.printf("there is no unfinished change here\n")
		}
		for _, s := range said {
			a.printf("%s\n", clean(s))
		}
	})
}

func (a *app) undoAbandon(ctx context.Context) error {
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	list, err := door.Abandon(ctx)
	if err != nil {
		return err
	}
	return a.answer(orNone(list), func() {
		if len(list) == 0 {
			a.printf("there is no unfinished change here\n")
		}
		for _, e := range list {
			if e.Title == "" {
				a.printf("set aside, unread and without touching a file of the project: %s\n", clean(e.Kept))
				continue
			}
			a.printf("taken back: %s\n", clean(e.Title))
			for _, name := range e.Left {
				a.printf("  %s was changed by another program after the stop, and was left as it is\n", clean(name))
			}
			if e.Kept != "" {
				a.printf("  what those files were before is in %s\n", clean(e.Kept))
			}
		}
	})
}

// orNone makes a list that is written as a list where it is empty.
func orNone[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

func (a *app) undoList(ctx context.Context) error {
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	lines, err := door.History(ctx)
	if err != nil {
		return err
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
