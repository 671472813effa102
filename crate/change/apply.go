package change

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"

	"github.com/cespare/xxhash/v2"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
)

// A executor carries a committed set out, or takes it back. Either can be repeated after a stop at any point.
type executor struct {
	on  *disk.Folder
	all *disk.Entry // the folder of all sets
	id  string
	j   *journal

	set *disk.Entry
	dir *disk.Entry // the folder of the last entry: they come sorted
}

func (c *executor) close() {
	for _, p := range []*disk.Entry{c.set, c.dir} {
		if p != nil {
			p.Close()
		}
	}
}

// at enters the set's folder and that of an entry.
func (c *executor) at(e Entry) (set, dir *disk.Entry, base string, err error) {
	if c.set == nil {
		if c.set, err = c.on.Enter(changes + "/" + c.id + going); err != nil {
			return nil, nil, "", err
		}
	}
	name, base := path.Dir(e.Path), path.Base(e.Path)
	if c.dir == nil || c.dir.Name() != name {
		if c.dir != nil {
			c.dir.Close()
			c.dir = nil
		}
		if c.dir, err = c.on.Enter(name); err != nil {
			return nil, nil, "", err
		}
	}
	return c.set, c.dir, base, nil
}

// apply exchanges every file of the set for its plan and marks the set done. What came back in exchange must be what
// was seen when the change was planned.
func (c *executor) apply() error {
	if err := c.makeFolders(c.j.Folders); err != nil {
		return err
	}
	for _, e := range c.j.Entries {
		set, dir, base, err := c.at(e)
		if err != nil {
			return err
		}
		switch {
		case e.Remove:
			err = dir.Move(base, set, e.Staged)
		case e.Create:
			err = set.Move(e.Staged, dir, base)
			if errors.Is(err, fs.ErrExist) {
				err = inTheMeantime(e.Path)
			}
		default:
			err = set.Exchange(e.Staged, dir, base)
		}
		if err == nil && !e.Create {
			var old fs.FileInfo
			if old, err = set.Stat(e.Staged); err == nil && !disk.StampOf(old).Equal(e.Seen) {
				err = inTheMeantime(e.Path)
			}
		}
		if errors.Is(err, fs.ErrNotExist) && !e.Create {
			err = inTheMeantime(e.Path)
		}
		if err != nil {
			return err
		}
	}
	return c.conclude()
}

func (c *executor) makeFolders(list []string) error {
	for _, name := range list {
		above, err := c.on.Enter(path.Dir(name))
		if err != nil {
			return err
		}
		err = above.MakeFolder(path.Base(name))
		above.Close()
		if err != nil {
			return err
		}
	}
	return nil
}

// conclude marks a set done whose files all are in their places.
func (c *executor) conclude() error {
	if c.set == nil {
		var err error
		if c.set, err = c.on.Enter(changes + "/" + c.id + going); err != nil {
			return err
		}
	}
	c.removeFolders(c.j.Emptied)
	if err := c.set.Sync(); err != nil {
		return err
	}
	// Each step may have been made before a stop: all of them can be made again.
	if c.j.Undoes != "" {
		if err := forget(c.all, c.j.Undoes+done); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return c.all.Move(c.id+going, c.all, c.id+undone)
	}
	if err := c.endUndoings(); err != nil {
		return err
	}
	if err := c.all.Move(c.id+going, c.all, c.id+done); err != nil {
		return err
	}
	c.trim()
	return nil
}

// endUndoings forgets the undoing that the set reverts, or all of them where it is a new change: what they took back
// was of files that are others now.
func (c *executor) endUndoings() error {
	over := []string{c.j.Again + undone}
	if c.j.Again == "" {
		var err error
		if over, err = sets(c.on, undone); err != nil {
			return err
		}
	}
	for _, set := range over {
		if err := forget(c.all, set); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// trim forgets the changes that are too old to be undone. It is no reason to fail that it can't be: the next one does.
func (c *executor) trim() {
	old, err := sets(c.on, done)
	for err == nil && len(old) > maxUndone {
		err = forget(c.all, old[0])
		old = old[1:]
	}
}

// removeFolders removes folders, unless something is in them.
func (c *executor) removeFolders(list []string) {
	if len(list) > 0 && c.dir != nil {
		c.dir.Close() // an open folder can't be removed everywhere
		c.dir = nil
	}
	for _, name := range slices.Backward(list) {
		if above, err := c.on.Enter(path.Dir(name)); err == nil {
			above.Remove(path.Base(name))
			above.Close()
		}
	}
}

// finish applies what a stop left of a set. It returns the files that somebody else changed since, which it leaves
// alone.
func (c *executor) finish() (left []string, err error) {
	if err := c.makeFolders(c.j.Folders); err != nil {
		return nil, err
	}
	for _, e := range c.j.Entries {
		set, dir, base, err := c.at(e)
		if e.Remove && c.set != nil && errors.Is(err, fs.ErrNotExist) {
			continue // it is gone, and its folder after it
		}
		if err != nil {
			return nil, err
		}
		now, err := c.stateOf(e, set, dir, base)
		switch {
		case err != nil:
		case now == asAfter:
			err = c.keepOld(set, e)
		case now == otherwise:
			left = append(left, e.Path)
		case e.Remove:
			err = dir.Move(base, set, e.Staged)
		case e.Create:
			err = set.Move(e.Staged, dir, base)
		default:
			err = set.Exchange(e.Staged, dir, base)
		}
		if err != nil {
			return nil, err
		}
	}
	return left, c.conclude()
}

// keepOld puts the old content in its place where a stop left it under its second name.
func (c *executor) keepOld(set *disk.Entry, e Entry) error {
	if _, err := set.Stat(e.Staged + disk.Backup); err != nil {
		return nil
	}
	return set.Replace(e.Staged+disk.Backup, set, e.Staged)
}

// state is what a file is, compared with an entry.
type state int

const (
	asBefore state = iota
	asAfter
	otherwise // somebody else changed it
)

// stateOf reports whether an entry was applied.
func (c *executor) stateOf(e Entry, set, dir *disk.Entry, base string) (state, error) {
	info, err := dir.Stat(base)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		switch {
		case e.Remove:
			return asAfter, nil
		case e.Create:
			return asBefore, nil
		}
		return otherwise, nil
	case err != nil:
		return 0, err
	case !info.Mode().IsRegular():
		return otherwise, nil
	case !e.Remove && info.Size() == e.Size:
		b, _, err := dir.Read(base, disk.MaxFile)
		if err != nil {
			return 0, err
		}
		if xxhash.Sum64(b) == e.Hash {
			return asAfter, nil
		}
	}
	if e.Create || !disk.StampOf(info).Equal(e.Seen) {
		return otherwise, nil
	}
	return asBefore, nil
}

// revert puts everything back that was applied of a set, and gives the set up. It returns the files that somebody
// else changed since, which it leaves alone, and the folder in which their old content is kept then.
func (c *executor) revert() (left []string, kept string, err error) {
	c.makeFolders(c.j.Emptied) // where something else is there now, that is reported below, file by file
	for _, e := range slices.Backward(c.j.Entries) {
		set, dir, base, err := c.at(e)
		if err != nil && c.set != nil {
			// Its folder was not made yet, or something else is there now.
			if c.applied(e) {
				left = append(left, e.Path)
			}
			continue
		}
		var now state
		if err == nil {
			now, err = c.stateOf(e, set, dir, base)
		}
		if err == nil && now == asAfter {
			err = c.keepOld(set, e)
		}
		var old fs.FileInfo
		if err == nil {
			old, err = set.Stat(e.Staged)
		}
		carried := !errors.Is(err, fs.ErrNotExist) // its old content, or its plan, is there
		if !carried {
			err = nil
		}
		switch {
		case err != nil:
		case e.Create:
			switch {
			case now == asAfter && !carried:
				err = dir.Move(base, set, e.Staged)
			case now == otherwise && !carried:
				left = append(left, e.Path)
			}
		case e.Remove && !carried: // it was not removed yet
		case e.Remove && now == asAfter:
			err = set.Move(e.Staged, dir, base)
		case e.Remove:
			left = append(left, e.Path)
		case now == asAfter && (c.isStaged(e, set, old)):
			// Its plan had the same content as the file: nothing to revert.
		case now == asAfter:
			err = set.Exchange(e.Staged, dir, base)
		case now == otherwise && !c.isStaged(e, set, old):
			left = append(left, e.Path)
		}
		if err != nil {
			return nil, "", err
		}
	}
	c.removeFolders(c.j.Folders)
	if len(left) > 0 {
		kept = changes + "/" + c.id + aside
		return left, kept, c.all.Move(c.id+going, c.all, c.id+aside)
	}
	return nil, "", forget(c.all, c.id+going)
}

// applied reports whether an entry was applied out, as far as the set's own folder shows.
func (c *executor) applied(e Entry) bool {
	info, err := c.set.Stat(e.Staged)
	switch {
	case e.Create:
		return err != nil
	case e.Remove:
		return err == nil
	}
	return err == nil && !c.isStaged(e, c.set, info)
}

// isStaged reports whether the file in the set's folder is still the plan of an entry, rather than the old content that
// came back in exchange for it.
func (c *executor) isStaged(e Entry, set *disk.Entry, info fs.FileInfo) bool {
	if info.Size() != e.Size || disk.StampOf(info).Equal(e.Seen) {
		return false
	}
	b, _, err := set.Read(e.Staged, disk.MaxFile)
	return err == nil && xxhash.Sum64(b) == e.Hash
}

// rollBack takes a set back that could not be applied, because of a reason. Its error says what has become of it.
func (c *executor) rollBack(reason error) error {
	left, kept, err := c.revert()
	switch {
	case err != nil:
		const way = "correct that, then: merry undo --finish; or: merry undo --abandon  # reverts the change"
		return problem.Fault(problem.Unfinished, way, "%w\nthe change is recorded, but could not be reverted "+
			"either (%v)", reason, err)
	case len(left) > 0:
		p := problem.Of(reason)
		return &problem.Problem{Code: p.Code, Class: p.Class, Err: reason, Next: p.Next,
			What: fmt.Sprintf("%s\nthe change was reverted, except for files that another program changed meanwhile: "+
				"%v; their old content is in %s", p.What, left, kept)}
	}
	p := problem.Of(reason)
	return &problem.Problem{Code: p.Code, Class: p.Class, Err: reason, Next: p.Next, What: p.What + "\n" +
		"the change was reverted, so nothing has changed"}
}
