package look

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path"

	"merrycrate.example/merry/crate/browser"
	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/problem"
)

// Folder is where looks are kept, in merry's own folder: for each a folder with an index and a picture a page.
const Folder = change.Folder + "/looks"

// index is the file that says which picture is of what.
const index = "look.json"

// format is that of the index.
const format = 1

// maxPicture is how large a picture or an index may be, in bytes.
const maxPicture = 256 << 20

// A store is a look that was kept.
type store struct {
	Format  int      `json:"format"`
	Browser string   `json:"browser"`
	Shots   []stored `json:"shots"`

	on   *disk.Folder
	name string
}

// A stored shot is one page in one view.
type stored struct {
	Page string `json:"page"`
	browser.View
	Picture string        `json:"picture"` // its file
	State   browser.State `json:"state"`
}

var plainName = memo.Regexp(`^[A-Za-z0-9][A-Za-z0-9._-]{0,60}$`)

// named refuses a name that can't be a folder's.
func named(name string) error {
	if name != "" && !plainName().MatchString(name) {
		return problem.Misuse("use letters, digits, dots and dashes, such as before", "%q can't be the name of a look",
			name)
	}
	return nil
}

// write keeps a look under a name, in the place of one that has it.
func write(ctx context.Context, on *disk.Folder, name string, l *Report) error {
	if err := change.OwnFolder(on); err != nil {
		return err
	}
	own, err := on.Enter(change.Folder)
	if err != nil {
		return err
	}
	defer own.Close()
	if err := own.MakeFolder(path.Base(Folder)); err != nil {
		return err
	}
	all, err := on.Enter(Folder)
	if err != nil {
		return err
	}
	defer all.Close()
	unfinished := name + ".draft"
	if err := all.RemoveAll(unfinished); err != nil {
		return err
	}
	if err := all.MakeFolder(unfinished); err != nil {
		return err
	}
	into, err := on.Enter(Folder + "/" + unfinished)
	if err != nil {
		return err
	}
	defer into.Close()
	s := store{Format: format, Browser: l.Browser}
	for i, p := range l.Pages {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if p.After == nil {
			continue
		}
		file := fmt.Sprintf("%04d.png", i+1)
		if err := into.Create(file, p.After.Picture, 0o644); err != nil {
			return err
		}
		s.Shots = append(s.Shots, stored{p.Page, p.View, file, p.After.State})
	}
	b, err := json.Marshal(s)
	if err != nil {
		return err
	}
	if err := into.Create(index, b, 0o644); err != nil {
		return err
	}
	if err := all.RemoveAll(name); err != nil {
		return err
	}
	return all.Move(unfinished, all, name)
}

// read reads the index of a look.
func read(on *disk.Folder, name string) (*store, error) {
	b, _, err := on.Read(path.Join(Folder, name, index), maxPicture, nil)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, problem.Refuse(problem.FileUnknown, "merry look --save "+name, "no look is saved as %s", name)
	}
	if err != nil {
		return nil, err
	}
	s := &store{on: on, name: name}
	if err := json.Unmarshal(b, s); err != nil {
		return nil, problem.Refuse(problem.RecordBroken, "merry look --save "+name+"  # takes it again",
			"the look %s can't be read: %v", name, err)
	}
	if s.Format > format {
		return nil, problem.Refuse(problem.RecordNewer, "merry look --save "+name+"  # takes it again",
			"the look %s was saved by a newer merry", name)
	}
	return s, nil
}

// shot reads what was kept of a page in a view, nil if nothing was.
func (s *store) shot(page string, v browser.View) (*browser.Shot, error) {
	for _, at := range s.Shots {
		if at.Page != page || at.View != v {
			continue
		}
		if path.Base(at.Picture) != at.Picture {
			return nil, problem.Refuse(problem.RecordBroken, "merry look --save "+s.name+"  # takes it again",
				"the look %s names a screenshot outside its folder", s.name)
		}
		b, _, err := s.on.Read(path.Join(Folder, s.name, at.Picture), maxPicture, nil)
		if err != nil {
			return nil, err
		}
		return &browser.Shot{View: v, Picture: b, State: at.State}, nil
	}
	return nil, nil
}

// lacking says which pages can't be compared with what was kept.
func (s *store) lacking(pages []*Page) []string {
	var list []string
	for _, p := range pages {
		if p.Before == nil && p.After != nil {
			list = append(list, fmt.Sprintf("%s (%s) is not in the look %s", p.Page, p.View, s.name))
		}
	}
	return list
}
