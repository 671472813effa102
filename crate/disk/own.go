package disk

import (
	"errors"
	"io/fs"
	"path/filepath"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

// ReadOwn reads a settings file of the user, nil if it does not exist. It refuses a file that belongs to another user,
// or that others may write to, because it says which servers are trusted.
func ReadOwn(name string) ([]byte, error) {
	on, err := Open(paths.OnDisk(filepath.Dir(name)))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer on.Close()
	info, err := on.Stat(filepath.Base(name))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if !Mine(info) || OthersMayWrite(info) {
		return nil, problem.Refuse(problem.SettingsBad, "chmod go-w "+name+", once you have read it",
			"%s belongs to another user, or others may write to it", name)
	}
	b, _, err := on.Read(filepath.Base(name), MaxRecord, nil)
	return b, err
}
