package change

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
)

func foreign(set string) error {
	return problem.Refuse(problem.NotYours, "merry undo --abandon  # puts it aside and touches no file of the project",
		"%s/%s asks merry to complete a change, but you did not write it on this machine, so merry ignores it", changes,
		set)
}

// recoverLocked clears away what a stop left before a change began, and finishes what a stop interrupted. It returns
// what it corrected, one line each.
func recoverLocked(on *disk.Folder, key Key) (said []string, err error) {
	all, err := on.Enter(changes)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer all.Close()
	for _, state := range []string{gone, drafted} {
		left, err := sets(on, state)
		if err != nil {
			return nil, err
		}
		for _, set := range left {
			if err := forget(all, set); err != nil {
				return said, err
			}
			if state == drafted {
				said = append(said, "a command was interrupted before its change began; its temporary files were "+
					"removed, and no file of yours was touched")
			}
		}
	}
	unfinished, err := sets(on, going)
	if err != nil {
		return said, err
	}
	for _, set := range unfinished {
		j, err := readJournal(on, set, key)
		if errors.Is(err, errForeign) || errors.Is(err, fs.ErrNotExist) {
			return said, foreign(set)
		}
		if err != nil {
			return said, err
		}
		c := executor{on: on, all: all, id: strings.TrimSuffix(set, going), j: j}
		left, err := c.finish()
		c.close()
		if err != nil {
			return said, problem.Fault(problem.Unfinished, "correct that, then: merry undo --finish; or: merry undo "+
				"--abandon  # reverts the change",
				"a command was interrupted during its change (%s), which can't be completed: %w", j.Title, err)
		}
		said = append(said, fmt.Sprintf("a command was interrupted during its change (%s); the change is now complete",
			j.Title))
		for _, name := range left {
			said = append(said, name+" was changed by another program after the interruption, and was left as it is")
		}
	}
	return said, nil
}

// View returns a project as an unfinished change will leave it, and says so; nothing is changed. Where there is no such
// change it returns the folder itself and no note.
func View(ctx context.Context, on *disk.Folder, key Key, tell func(string)) (*disk.Folder, string, error) {
	unfinished, err := sets(on, going)
	var strange *problem.Problem
	if errors.As(err, &strange) {
		return on, strange.What, nil // merry's own folder is none; a command that changes something says what to do
	}
	if err != nil || len(unfinished) == 0 {
		return on, "", err
	}
	// It may be a command that is at work this very moment.
	if l, err := lockProject(ctx, on, tell); err == nil {
		unfinished, err = sets(on, going)
		l.Unlock()
		if err != nil || len(unfinished) == 0 {
			return on, "", err
		}
	} else if ctx.Err() != nil {
		return nil, "", ctx.Err()
	}
	j, err := readJournal(on, unfinished[0], key)
	if errors.Is(err, errForeign) || errors.Is(err, fs.ErrNotExist) {
		return on, problem.Of(foreign(unfinished[0])).What + "; merry undo --abandon puts it aside", nil
	}
	if err != nil {
		return nil, "", err
	}
	view := map[string]string{}
	c := executor{on: on, id: strings.TrimSuffix(unfinished[0], going), j: j}
	defer c.close()
	for _, e := range j.Entries {
		now := asBefore
		if set, dir, base, err := c.at(e); err == nil {
			if now, err = c.stateOf(e, set, dir, base); err != nil {
				return nil, "", err
			}
		} else if !errors.Is(err, fs.ErrNotExist) {
			return nil, "", err
		}
		switch {
		case now != asBefore:
		case e.Remove:
			view[e.Path] = ""
		default:
			view[e.Path] = changes + "/" + unfinished[0] + "/" + e.Staged
		}
	}
	return on.Through(view), fmt.Sprintf("a command was interrupted during its change (%s); this answer shows the "+
		"project as if it were complete. The next command that changes something completes it, as does merry "+
		"undo --finish", j.Title), nil
}

// An Ending is the result of completing or reverting an interrupted change.
type Ending struct {
	Title string `json:"title,omitempty"` // the command that was interrupted
	// Left are files that another program changed after the stop; they are as they were found.
	Left []string `json:"left,omitempty"`
	// Kept is the folder with the old content of those, or with all of a change that was not the user's own.
	Kept string `json:"kept,omitempty"`
}

// Finish finishes the changes that a stop interrupted.
func Finish(ctx context.Context, on *disk.Folder, opt Options) ([]string, error) {
	return ended(ctx, on, opt, func() ([]string, error) { return recoverLocked(on, opt.Key) })
}

// Abandon reverts what was applied of interrupted changes. It puts a change that is not the user's own aside, unread.
func Abandon(ctx context.Context, on *disk.Folder, opt Options) ([]Ending, error) {
	return ended(ctx, on, opt, func() ([]Ending, error) {
		unfinished, err := sets(on, going)
		if err != nil || len(unfinished) == 0 {
			return nil, err
		}
		all, err := on.Enter(changes)
		if err != nil {
			return nil, err
		}
		defer all.Close()
		var list []Ending
		for _, set := range unfinished {
			id := strings.TrimSuffix(set, going)
			j, err := readJournal(on, set, opt.Key)
			if errors.Is(err, errForeign) || errors.Is(err, fs.ErrNotExist) {
				kept := id + aside
				for n := 2; ; n++ {
					if _, err := all.Stat(kept); errors.Is(err, fs.ErrNotExist) {
						break
					}
					kept = fmt.Sprintf("%s-%d%s", id, n, aside)
				}
				if err := all.Move(set, all, kept); err != nil {
					return list, err
				}
				list = append(list, Ending{Kept: changes + "/" + kept})
				continue
			}
			if err != nil {
				return list, err
			}
			c := executor{on: on, all: all, id: id, j: j}
			left, kept, err := c.revert()
			c.close()
			if err != nil {
				return list, err
			}
			list = append(list, Ending{j.Title, left, kept})
		}
		return list, nil
	})
}

// ended runs f under the project's lock.
func ended[T any](ctx context.Context, on *disk.Folder, opt Options, f func() ([]T, error)) ([]T, error) {
	l, err := lockProject(ctx, on, opt.Notify)
	if err != nil {
		return nil, err
	}
	defer l.Unlock()
	return f()
}
