package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

func (a *app) undo() *cobra.Command {
	var list, finish, abandon, again bool
	c := &cobra.Command{
		Use:   "undo [N]",
		Short: "Revert the last change, or the last N",
		Long: `Undo restores every file that the last command changed. With a number from --list,
it reverts all changes back to that one, one after the other. --again applies the
change that was undone last, step by step, until something new is changed. If a
file was changed since, undo stops before that step, so nothing is lost.

A change that was interrupted can be completed with --finish or reverted with
--abandon. The next command that changes something also completes it.`,
		Example: "  merry undo --list\n  merry undo\n  merry undo 3\n  merry undo --again\n  merry undo --finish",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			switch said := count(list, finish, abandon, again); {
			case said > 1:
				return misuse("--list, --again, --finish and --abandon exclude each other")
			case len(args) > 0 && said > 0:
				return misuse("a number of steps can't be used with --list, --again, --finish or --abandon")
			case list:
				return a.undoList(cmd.Context())
			case finish:
				return a.undoFinish(cmd.Context())
			case abandon:
				return a.undoAbandon(cmd.Context())
			}
			steps := 1
			if len(args) > 0 {
				var err error
				if steps, err = strconv.Atoi(args[0]); err != nil || steps < 1 {
					return problem.Misuse("merry undo --list  # numbers the changes",
						"%s is not the number of a change", args[0])
				}
			}
			return a.undoSteps(cmd.Context(), steps, again)
		},
	}
	c.Flags().BoolVar(&again, "again", false, "apply the change that was undone last")
	c.Flags().BoolVar(&list, "list", false, "list the changes that can be undone, newest first")
	c.Flags().BoolVar(&finish, "finish", false, "complete an interrupted change")
	c.Flags().BoolVar(&abandon, "abandon", false, "revert an interrupted change")
	return a.changes(c)
}

// count is how many of some are true.
func count(of ...bool) (n int) {
	for _, b := range of {
		if b {
			n++
		}
	}
	return n
}

// undoSteps reverts some changes, one after the other, or makes one again.
func (a *app) undoSteps(ctx context.Context, steps int, again bool) error {
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	if steps > 1 {
		all, err := door.History(ctx)
		if err != nil {
			return err
		}
		all = slices.DeleteFunc(all, func(c crate.PastChange) bool { return c.Undone })
		if len(all) < steps {
			return problem.Refuse(problem.NothingThere, "merry undo --list  # numbers the changes",
				"there is no change %d: the numbers go from 1 to %d", steps, len(all))
		}
		if a.dry {
			return a.answer(changesAnswer{all[:steps]}, func() {
				a.printf("would undo:\n")
				a.printChanges(all[:steps])
			})
		}
	}
	step, would, did := door.Undo, "would undo", "undid"
	if again {
		step, would, did = door.Redo, "would apply again", "applied again"
	}
	var taken []*crate.Undone
	for range steps {
		u, err := step(ctx)
		if err != nil {
			p := problem.Of(err)
			if len(taken) > 0 {
				p.What = fmt.Sprintf("%d of %d steps are undone; the next one is not: %s", len(taken), steps, p.What)
			}
			return p
		}
		taken = append(taken, u)
	}
	tell := func() {
		for _, u := range taken {
			if u.DryRun {
				a.printf("%s: %s\n\n", would, show.Text(u.Title))
				a.touched(u.Result)
				return
			}
			a.printf("%s: %s (%s)\n", did, show.Text(u.Title), show.Count(len(u.Files), "file", "files"))
		}
	}
	if steps == 1 {
		return a.answer(taken[0], tell)
	}
	return a.answer(undoneAnswer{taken}, tell)
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
	return a.answer(finishedAnswer{said}, func() {
		if len(said) == 0 {
			a.printf("there is no interrupted change here\n")
		}
		for _, s := range said {
			a.printf("%s\n", show.Text(s))
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
	return a.answer(abandonedAnswer{list}, func() {
		if len(list) == 0 {
			a.printf("there is no interrupted change here\n")
		}
		for _, e := range list {
			if e.Title == "" {
				a.printf("put aside without reading it or touching the project's files: %s\n", show.Text(e.Kept))
				continue
			}
			a.printf("reverted: %s\n", show.Text(e.Title))
			for _, name := range e.Left {
				a.printf("  %s was changed by another program after the interruption, and was left as it is\n",
					show.Text(name))
			}
			if e.Kept != "" {
				a.printf("  the earlier contents of those files are in %s\n", show.Text(e.Kept))
			}
		}
	})
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
	return a.answer(changesAnswer{lines}, func() {
		if len(lines) == 0 {
			a.printf("there is no change to undo\n")
			return
		}
		a.printChanges(lines)
	})
}

// recordsLast puts the two records, which nearly every change touches, behind the files that tell more of it.
func recordsLast(files []string) []string {
	isRecord := func(f string) bool { return f == record.ListFile || f == record.SealFile }
	list := slices.DeleteFunc(slices.Clone(files), isRecord)
	return append(list, slices.DeleteFunc(slices.Clone(files), func(f string) bool { return !isRecord(f) })...)
}

// printChanges prints a table of changes: those that can be undone with their numbers, then those that can be done
// again.
func (a *app) printChanges(lines []crate.PastChange) {
	t := &show.Table{Right: map[int]bool{0: true}}
	t.Add("", "change", "when", "files")
	for i, l := range lines {
		number, title, when := plain(i+1), show.Text(l.Title), ""
		if l.Undone {
			number, title = "", "undone: "+title
		}
		if !l.When.IsZero() {
			when = l.When.Local().Format("2006-01-02 15:04")
		}
		t.Add(number, title, when, show.Text(abbreviated(recordsLast(l.Files), 3)))
	}
	a.printf("%s", t.Text(a.paint, ""))
	if lines[len(lines)-1].Undone {
		a.next("merry undo --again")
	}
}
