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

// Undone says what undo took back.
type Undone struct {
	Outcome
	Title string `json:"title"`
}

func noChange() error {
	return problem.Refuse(problem.NothingThere, "merry undo --list shows what can be undone", "there is no change to undo here")
}

// changedHere opens the folder of the project, or of the one whose very start was the last change.
func (c *Crate) changedHere() (*disk.Folder, error) {
	on, err := c.find()
	if err != nil && problem.Of(err).Code == problem.NotStarted {
		return nil, noChange()
	}
	return on, err
}

// Undo takes back the project's last change.
func (c *Crate) Undo(ctx context.Context) (*Undone, error) {
	on, err := c.changedHere()
	if err != nil {
		return nil, err
	}
	set, err := c.begin(ctx, on, "")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	last, err := set.Undo()
	var changed *change.ChangedError
	switch {
	case errors.Is(err, change.ErrNothing):
		return nil, noChange()
	case errors.As(err, &changed):
		return nil, problem.Refuse(problem.FileChanged, "put those files aside, run merry undo, and put your changes in again",
			"%q can't be undone: %s changed since, and undoing would lose that", last.Title, project.Abbreviate(changed.Paths, 6))
	case err != nil:
		return nil, err
	}
	if err := set.Commit(ctx); err != nil {
		return nil, err
	}
	return &Undone{Outcome: *reconcile.OutcomeOf(set), Title: last.Title}, nil
}

// A PastChange is a change that can be undone.
type PastChange struct {
	Title string   `json:"title"`
	Files []string `json:"files"`
}

// History lists what can be undone, the last change first.
func (c *Crate) History(ctx context.Context) ([]PastChange, error) {
	on, err := c.changedHere()
	if err != nil {
		return nil, err
	}
	done, err := change.History(on, c.key)
	list := []PastChange{}
	for _, d := range done {
		p := PastChange{Title: d.Title}
		for _, e := range d.Entries {
			p.Files = append(p.Files, e.Path)
		}
		list = append(list, p)
	}
	return list, err
}

// Finish finishes a change that was stopped in the middle. It returns what it did, a line each, none where there was
// nothing to finish.
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
