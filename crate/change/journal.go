package change

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/cespare/xxhash/v2"
)

// keep is how many changes can be undone; older ones are forgotten.
const keep = 20

// sets lists the set folders whose name ends in state, oldest first.
func sets(root, state string) ([]string, error) {
	entries, err := os.ReadDir(filepath.Join(root, Folder, "changes"))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	var list []string
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), state) {
			list = append(list, filepath.Join(root, Folder, "changes", e.Name()))
		}
	}
	slices.Sort(list)
	return list, nil
}

func nextID(root string) (string, error) {
	all, err := sets(root, "")
	if err != nil {
		return "", err
	}
	highest := 0
	for _, name := range all {
		id, _, _ := strings.Cut(filepath.Base(name), ".")
		if n, err := strconv.Atoi(id); err == nil {
			highest = max(highest, n)
		}
	}
	return fmt.Sprintf("%06d", highest+1), nil
}

func readJournal(folder string) (*journal, error) {
	b, err := os.ReadFile(filepath.Join(folder, "journal.json"))
	if err != nil {
		return nil, err
	}
	var j journal
	if err := json.Unmarshal(b, &j); err != nil {
		return nil, fmt.Errorf("%s: %w", folder, err)
	}
	if j.Format != journalFormat {
		return nil, fmt.Errorf("%s has format %d, and this program knows %d; use the newer program that wrote it", folder, j.Format, journalFormat)
	}
	return &j, nil
}

// Recover finishes what a crash interrupted and says what it put right, one line each. It does
// nothing, and takes no lock, where there is nothing to put right.
func Recover(root string) ([]string, error) {
	for _, state := range []string{".going", ".draft"} {
		if left, err := sets(root, state); err != nil {
			return nil, err
		} else if len(left) > 0 {
			l, said, err := lockAndRecover(root)
			if l != nil {
				l.Unlock()
			}
			return said, err
		}
	}
	return nil, nil
}

func recoverLocked(root string) (said []string, err error) {
	drafts, err := sets(root, ".draft")
	if err != nil {
		return nil, err
	}
	for _, d := range drafts {
		if err := os.RemoveAll(d); err != nil {
			return said, err
		}
		said = append(said, "a command was stopped before its change began; its draft was cleared away, and no file of yours was touched")
	}
	going, err := sets(root, ".going")
	if err != nil {
		return said, err
	}
	for _, g := range going {
		j, err := readJournal(g)
		if err != nil {
			return said, err
		}
		left, err := carryOut(root, g, j, disk{}, true)
		if err != nil {
			return said, err
		}
		said = append(said, fmt.Sprintf("a command was stopped in the middle of its change (%s); the change is finished now", j.Title))
		for _, name := range left {
			said = append(said, name+" was changed by another program after the stop, and was left as it is")
		}
	}
	return said, nil
}

// carryOut exchanges every file of a committed set for its draft and marks the set done. It can be
// repeated after a stop at any point. With again set it first looks what is done already, and
// returns the files that somebody else changed since, which it leaves alone.
func carryOut(root, folder string, j *journal, d disk, again bool) (left []string, err error) {
	for _, dir := range j.Folders {
		if err := d.mkdir(filepath.Join(root, filepath.FromSlash(dir))); err != nil {
			return nil, err
		}
	}
	for _, e := range j.Entries {
		target := filepath.Join(root, filepath.FromSlash(e.Path))
		draft := filepath.Join(folder, e.Draft)
		if again {
			done, changed, err := stateOf(target, draft, e)
			if err != nil {
				return nil, err
			}
			if changed {
				left = append(left, e.Path)
			}
			if done || changed {
				continue
			}
		}
		switch {
		case e.Remove:
			err = d.rename(target, draft)
		case e.Create:
			err = d.rename(draft, target)
		default:
			err = d.exchange(draft, target)
		}
		if err != nil {
			return nil, err
		}
	}
	if err := d.barrier(folder); err != nil {
		return nil, err
	}
	done := strings.TrimSuffix(folder, ".going") + ".done"
	if j.Undoes != "" {
		// An undone change and its undoing are both over: neither can be undone.
		if err := d.removeAll(filepath.Join(filepath.Dir(folder), j.Undoes+".done")); err != nil {
			return nil, err
		}
		for i := len(j.Folders) - 1; i >= 0; i-- {
			os.Remove(filepath.Join(root, filepath.FromSlash(j.Folders[i])))
		}
		return left, d.removeAll(folder)
	}
	if err := d.rename(folder, done); err != nil {
		return nil, err
	}
	return left, forget(root, d)
}

// stateOf tells whether an entry was carried out already, and whether its file is neither the old
// one nor the new.
func stateOf(target, draft string, e Entry) (done, changed bool, err error) {
	info, err := os.Lstat(target)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return e.Remove, !e.Remove && !e.Create, nil
	case err != nil:
		return false, false, err
	case e.Remove:
		return false, StampOf(info) != e.Seen, nil
	}
	hash, err := hashFile(target)
	if err != nil {
		return false, false, err
	}
	if hash == e.Hash && info.Size() == e.Size {
		// Without an atomic exchange the old content may still wait under its second name.
		if _, err := os.Lstat(draft + ".old"); err == nil {
			return true, false, os.Rename(draft+".old", draft)
		}
		return true, false, nil
	}
	return false, StampOf(info) != e.Seen, nil
}

func hashFile(name string) (uint64, error) {
	b, err := os.ReadFile(name)
	return xxhash.Sum64(b), err
}

func forget(root string, d disk) error {
	done, err := sets(root, ".done")
	if err != nil {
		return err
	}
	for len(done) > keep {
		if err := d.removeAll(done[0]); err != nil {
			return err
		}
		done = done[1:]
	}
	return nil
}
