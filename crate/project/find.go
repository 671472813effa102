package project

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// Bounds say how far a project is looked for above the folder that a command was given in, and whose it may be.
type Bounds struct {
	// Home is the user's home folder, above which no project is looked for; "" for none.
	Home string
	// Trusted are folders whose projects are used whoever owns them.
	Trusted []string
	// Named means that the user named the folder on the command line, so it is trusted.
	Named bool
	// Settings is the file that Trusted comes from, for advice.
	Settings string
}

// Find returns the root of the project that a folder is in: the nearest folder above with a packing list. The search
// ends at the user's home, at the border of a file system, and at a folder of another user. It refuses a project of
// another user.
func (b Bounds) Find(dir string) (paths.OnDisk, error) {
	at, err := b.upward(dir, record.ListFile)
	if err == nil && at == "" {
		err = problem.Refuse(problem.NotStarted, "merry start", "there is no %s in %s or in any folder above it, so "+
			"the site has not been started", record.ListFile, dir)
	}
	return at, err
}

// FindChanged is Find for the folder in which a change of this program was begun, "" if there is none. It goes by
// merry's own folder, since the change may be the very one that writes the packing list.
func (b Bounds) FindChanged(dir string) (paths.OnDisk, error) { return b.upward(dir, change.Folder) }

// InRepository reports whether a folder is in a repository of git.
func (b Bounds) InRepository(dir string) bool {
	for at := dir; ; at = filepath.Dir(at) {
		if _, err := os.Lstat(filepath.Join(at, ".git")); err == nil {
			return true
		}
		if at == b.Home || at == filepath.Dir(at) {
			return false
		}
	}
}

func (b Bounds) upward(dir, what string) (paths.OnDisk, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	first, err := os.Stat(dir)
	if err != nil {
		return "", err
	}
	for at := dir; ; at = filepath.Dir(at) {
		here, err := os.Stat(at)
		if err != nil || !disk.SameDevice(first, here) {
			return "", nil
		}
		if _, err := os.Lstat(filepath.Join(at, what)); err == nil {
			return paths.OnDisk(at), b.owned(at)
		} else if !errors.Is(err, fs.ErrNotExist) && at == dir {
			return "", err
		}
		if at != dir && !disk.Mine(here) || at == b.Home || at == filepath.Dir(at) {
			return "", nil
		}
	}
}

// owned refuses a project that is somebody else's: whoever wrote its records would decide what is written where, by
// whom.
func (b Bounds) owned(root string) error {
	if b.Named || slices.ContainsFunc(b.Trusted, func(t string) bool { return filepath.Clean(t) == root }) {
		return nil
	}
	for _, name := range []string{".", record.ListFile, record.SealFile, change.Folder} {
		full := filepath.Join(root, name)
		info, err := os.Lstat(full)
		if err != nil || disk.Mine(info) {
			continue
		}
		return &problem.Problem{Code: problem.NotYours, Class: problem.Refused, What: full + " belongs to another " +
			"user of this machine; merry trusts such files only if you say so",
			Next: []string{"the same command with --in " + root + ", for this time", "add " + root + " to trust: in " +
				b.Settings + ", permanently"}}
	}
	return nil
}

// Shared is what a packing list further up shares with the site in a folder, and that list's file; nil if none does.
// The list must be the user's own, and in the same repository, if the site is in one.
func (b Bounds) Shared(root string) (*record.Share, string, error) {
	inside := b.InRepository(root)
	for at := root; ; {
		if _, err := os.Lstat(filepath.Join(at, ".git")); err == nil && inside {
			return nil, "", nil
		}
		if at == filepath.Dir(at) || at == b.Home {
			return nil, "", nil
		}
		above, err := b.upward(filepath.Dir(at), record.ListFile)
		if err != nil || above == "" {
			return nil, "", nil // what is somebody else's is not this user's wish
		}
		on, err := disk.Open(above)
		if err != nil {
			return nil, "", nil
		}
		text, _, err := on.Read(record.ListFile, disk.MaxRecord, nil)
		on.Close()
		if err != nil {
			return nil, "", nil
		}
		file := above.Join(record.ListFile)
		list, err := record.ReadList(text)
		if err != nil {
			broken := problem.Of(listProblem(err))
			return nil, "", &problem.Problem{Code: broken.Code, Class: broken.Class, Err: err,
				Next: []string{"correct " + string(file)}, What: string(file) + ", which shares settings with " +
					"this site: " + broken.What}
		}
		if list.Share != nil {
			return list.Share, string(file), nil
		}
		if at = string(above); inside && !b.InRepository(at) {
			return nil, "", nil
		}
	}
}

// Sites are the folders with a packing list in a folder and below it, sorted. Links are not followed, and folders of
// version control, of this program and of installed packages not entered.
func Sites(ctx context.Context, dir string) ([]string, error) {
	var list []string
	err := filepath.WalkDir(dir, func(name string, e fs.DirEntry, err error) error {
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case err != nil && name == dir:
			return err
		case err != nil:
			return nil // what can't be read has no site of anybody's
		case e.IsDir() && name != dir && (strings.HasPrefix(e.Name(), ".") || e.Name() == "node_modules"):
			return filepath.SkipDir
		case e.Type().IsRegular() && e.Name() == record.ListFile:
			list = append(list, filepath.Dir(name))
		}
		return nil
	})
	if err == nil && len(list) == 0 {
		err = problem.Refuse(problem.NotStarted, "merry start", "there is no %s in %s or in any folder below it",
			record.ListFile, dir)
	}
	slices.Sort(list)
	return list, err
}
