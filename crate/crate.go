package crate

import (
	"context"
	"errors"
	"io/fs"
	"path"
	"path/filepath"
	"slices"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"
)

// A Crate is the front door to the project that a folder is in. Its methods are the commands.
type Crate struct {
	Dir    string // where the command was given, absolute
	Origin *origin.Opener
	Facts  *facts.Reader
	Dry    bool // show what would change, and change nothing
	// Notify gets messages for a person: that an interrupted change was completed, or that the command waits for
	// another.
	Notify func(note string)

	settings *record.Settings
	unsaved  map[string][]byte                 // texts that are not saved, by absolute paths
	keep     func(name string, content []byte) // where a dry run's files go
	bounds   project.Bounds
	key      change.Key
	window   *look.Window
	opened   []*disk.Folder
	notified []string
	requires *requirements.Resolver // shared by all snapshots of the project that the command reads
}

// A Result lists the changes of a command, or on a dry run the planned ones.
type Result = reconcile.Result

// A PageChange lists what changed on one page.
type PageChange = reconcile.PageChange

func (c *Crate) options() change.Options {
	return change.Options{Dry: c.Dry, Keep: c.keep, Key: c.key, Notify: c.Notify,
		Beside: map[string][]byte{path.Base(record.SchemaFile): record.Schema()}}
}

// notify tells each note once: a command may read the project twice.
func (c *Crate) notify(note string) {
	if c.Notify != nil && note != "" && !slices.Contains(c.notified, note) {
		c.notified = append(c.notified, note)
		c.Notify(note)
	}
}

// disk opens a project's folder; Close closes it.
func (c *Crate) disk(root paths.OnDisk) (*disk.Folder, error) {
	on, err := disk.Open(root)
	if err != nil {
		return nil, err
	}
	c.opened = append(c.opened, on)
	return on.With(c.unsavedBelow(root)), nil
}

// unsavedBelow are the texts of a project's files that are not saved, by their paths in it.
func (c *Crate) unsavedBelow(root paths.OnDisk) map[string][]byte {
	var texts map[string][]byte
	for at, text := range c.unsaved {
		if rel, err := filepath.Rel(string(root), at); err == nil && filepath.IsLocal(rel) {
			if texts == nil {
				texts = map[string][]byte{}
			}
			texts[filepath.ToSlash(rel)] = text
		}
	}
	return texts
}

// find opens the folder of the project that the command was given in. Of a project whose very start was stopped in the
// middle there is no packing list yet.
func (c *Crate) find() (*disk.Folder, error) {
	root, err := c.bounds.Find(c.Dir)
	if err != nil && problem.Of(err).Code == problem.NotStarted {
		if begun, berr := c.bounds.FindChanged(c.Dir); berr == nil && begun != "" {
			return c.disk(begun)
		}
	}
	if err != nil {
		return nil, err
	}
	return c.disk(root)
}

// read reads the project. Of a change that was stopped in the middle it reads the outcome, and says so.
func (c *Crate) read(ctx context.Context) (*project.Project, error) {
	on, err := c.find()
	if err != nil {
		return nil, err
	}
	on, note, err := change.View(ctx, on, c.key, c.Notify)
	if err != nil {
		return nil, err
	}
	c.notify(note)
	return c.project(on)
}

func (c *Crate) project(on *disk.Folder) (*project.Project, error) {
	p, err := project.Read(on, c.Origin, c.Facts)
	if errors.Is(err, fs.ErrNotExist) {
		if _, ferr := c.bounds.Find(c.Dir); ferr != nil {
			return nil, ferr // it says that the site has not been started
		}
		err = problem.Refuse(problem.RecordBroken, "remove it, and restore the file from version control; "+
			"merry start  "+
			"# makes a new one", "%s is a link that leads nowhere", record.ListFile)
	}
	if err != nil {
		return nil, err
	}
	p.Notify = c.notify
	if c.requires == nil {
		c.requires = p.Requirements
	}
	p.Requirements = c.requires
	share, from, err := c.bounds.Shared(string(p.Root))
	if err != nil {
		return nil, err
	}
	if share != nil {
		p.List.Inherit(share, from)
	}
	return p, nil
}

// plan takes the project's lock, reads the project, and begins a plan. The caller closes the set.
func (c *Crate) plan(ctx context.Context, title string) (*reconcile.Plan, *change.Set, error) {
	on, err := c.find()
	if err != nil {
		return nil, nil, err
	}
	set, err := c.begin(ctx, on, title)
	if err != nil {
		return nil, nil, err
	}
	if c.Dry {
		var note string
		if on, note, err = change.View(ctx, on, c.key, c.Notify); err != nil {
			return nil, nil, err
		}
		c.notify(note)
	}
	p, err := c.project(on)
	if err != nil {
		set.Close()
		return nil, nil, err
	}
	d := reconcile.New(p, set)
	d.Repository = c.bounds.InRepository(string(p.Root))
	return d, set, nil
}

// begin begins a change. An earlier one that was stopped in the middle is brought to its end first.
func (c *Crate) begin(ctx context.Context, on *disk.Folder, title string) (*change.Set, error) {
	set, err := change.Begin(ctx, on, title, c.options())
	if err != nil {
		return nil, err
	}
	for _, n := range set.Recovered {
		c.notify("completed: " + n)
	}
	return set, nil
}

// Cost is what a first visit to a page loads.
type Cost = reconcile.Cost

// An Action is what a change does to a file.
type Action = reconcile.Action

// The deeds.
const (
	Added   = reconcile.Add
	Changed = reconcile.Change
	Removed = reconcile.Remove
)

// Sites are the folders of all sites in a folder and below it, sorted.
func Sites(ctx context.Context, dir string) ([]string, error) { return project.Sites(ctx, dir) }

// Root returns the root of the project, "" if there is none.
func (c *Crate) Root() string {
	root, err := c.bounds.Find(c.Dir)
	if err != nil {
		return ""
	}
	return string(root)
}
