package change

import (
	"bytes"
	"context"
	"errors"
	"io/fs"
	"os"
	"time"

	"github.com/gofrs/flock"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
)

// patience is how long a command waits for another one to end.
const patience = 10 * time.Second

// lockProject takes the project's lock. Who waits for longer than a moment is reported.
func lockProject(ctx context.Context, on *disk.Folder, tell func(string)) (*flock.Flock, error) {
	if err := OwnFolder(on); err != nil {
		return nil, err
	}
	name := string(on.Path().Join(Folder, "lock"))
	l := flock.New(name, flock.SetFlag(os.O_CREATE|os.O_RDONLY|noFollow))
	const moment, pause = 500 * time.Millisecond, 10 * time.Millisecond
	for begun, told := time.Now(), false; ; {
		ok, err := l.TryLock()
		waited := time.Since(begun)
		switch {
		case ok:
			return l, nil
		case err != nil:
			return nil, problem.Fault(problem.Locked, "check that "+name+" is a plain file that you can write to",
				"can't lock the project: %w", err)
		case waited > patience:
			return nil, problem.Refuse(problem.Locked, "wait for it to end, then the same command again",
				"another command has been changing this project for %d seconds", int(patience.Seconds()))
		case waited > moment && !told && tell != nil:
			tell("another command is changing this project; waiting for it to end")
			told = true
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(pause):
		}
	}
}

// OwnFolder makes merry's own folder, or verifies that the existing one is a folder of this user.
func OwnFolder(on *disk.Folder) error {
	top, err := on.Enter(".")
	if err != nil {
		return err
	}
	defer top.Close()
	if err := top.MakeFolder(Folder); err != nil {
		return problem.Fault(problem.Locked, "check that "+string(on.Path())+" can be written to",
			"can't lock the project: %w", err)
	}
	own, err := on.Enter(Folder)
	if err != nil {
		return err
	}
	defer own.Close()
	if _, err := own.Stat(ignoreFile); errors.Is(err, fs.ErrNotExist) {
		own.Create(ignoreFile, []byte("*\n"), 0o644) // it is for this machine alone; without that, start tells git
	}
	lock, err := own.Stat("lock")
	if err == nil && !lock.Mode().IsRegular() {
		return problem.Refuse(problem.FileInTheWay, "remove it", "%s/lock is not a plain file", Folder)
	}
	return nil
}

// layBeside puts files of the program's own beside the changes, where they are not there as they should be. Without
// them nothing is wrong.
func layBeside(on *disk.Folder, files map[string][]byte) {
	own, err := on.Enter(Folder)
	if err != nil {
		return
	}
	defer own.Close()
	for name, content := range files {
		if is, _, err := own.Read(name, disk.MaxFile); err != nil || !bytes.Equal(is, content) {
			own.Remove(name)
			own.Create(name, content, 0o644)
		}
	}
}
