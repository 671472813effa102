package crate

import (
	"context"
	"errors"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
)

// Undone is the result of undo.
type Undone struct {
	Result
	Title string `json:"title"` // the command that made the change
}

func noChange() error {
	return problem.Refuse(problem.NothingThere, "merry undo --list  # shows what can be undone",
		"there is no change to undo here")
}

// changedHere opens the folder of the project, or of the one whose very start was the last change.
func (c *Crate) changedHere() (*disk.Folder, error) {
	on, err := c.find()
	if err != nil && problem.Of(err).Code == problem.NotStarted {
		return nil, noChange()
	}
	return on, err
}

// Undo reverts the project's last change.
func (c *Crate) Undo(ctx context.Context) (*Undone, error) {
	return c.step(ctx, (*change.Set).Undo, "undone", noChange())
}

// Redo makes the change that was undone last once more.
func (c *Crate) Redo(ctx context.Context) (*Undone, error) {
	return c.step(ctx, (*change.Set).Again, "applied again",
		problem.Refuse(problem.NothingThere, "merry undo --list  # shows what can be undone", "there is nothing to "+
			"apply again: no change was undone since the last one was made"))
}

func (c *Crate) step(ctx context.Context, revert func(*change.Set) (change.Done, error), word string,
	nothing error) (*Undone, error) {
	on, err := c.changedHere()
	if err != nil {
		return nil, err
	}
	set, err := c.begin(ctx, on, "")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	last, err := revert(set)
	var changed *change.ChangedError
	switch {
	case errors.Is(err, change.ErrNothing):
		return nil, nothing
	case errors.As(err, &changed):
		return nil, problem.Refuse(problem.FileChanged, "put those files aside, type the same again, then merge your "+
			"changes back",
			"%q can't be %s: %s changed since, and the changes would be lost", last.Title, word,
			project.Abbreviate(changed.Paths, 6))
	case err != nil:
		return nil, err
	}
	if err := set.Commit(ctx); err != nil {
		return nil, err
	}
	return &Undone{Result: *reconcile.ResultOf(set), Title: last.Title}, nil
}

// A PastChange is a change that can be undone, or done again.
type PastChange = change.Done

// An AbandonedChange is an interrupted change that was reverted.
type AbandonedChange = change.Ending

// History lists the changes that can be undone, the last first, and then those that can be applied again, the next
// first.
func (c *Crate) History(ctx context.Context) ([]PastChange, error) {
	on, err := c.changedHere()
	if err != nil && problem.Of(err).Code == problem.NothingThere {
		return []PastChange{}, nil // nothing was ever changed here
	}
	if err != nil {
		return nil, err
	}
	list, err := change.History(on, c.key)
	if err != nil {
		return nil, err
	}
	again, err := change.Undoings(on, c.key)
	return append(list, again...), err
}

// Finish completes an interrupted change. It returns what it did, a line each.
func (c *Crate) Finish(ctx context.Context) ([]string, error) {
	on, err := c.changedHere()
	if err != nil {
		return nil, err
	}
	return change.Finish(ctx, on, c.options())
}

// Abandon takes a change back that was stopped in the middle; one that is not the user's own is set aside.
func (c *Crate) Abandon(ctx context.Context) ([]change.Ending, error) {
	on, err := c.changedHere()
	if err != nil {
		return nil, err
	}
	return change.Abandon(ctx, on, c.options())
}
