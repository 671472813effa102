package crate

import (
	"context"
	"os"
	"path/filepath"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/start"
	"merrycrate.example/merry/crate/walk"
)

// Request and result of Start.
type (
	StartRequest = start.Request
	Started      = start.Started
	LeftOut      = walk.LeftOut
)

// Start learns a site's folders and pages and writes its packing list.
func (c *Crate) Start(ctx context.Context, req StartRequest) (*Started, error) {
	abs, err := filepath.Abs(c.Dir)
	if err != nil {
		return nil, err
	}
	root := paths.OnDisk(abs)
	if info, err := os.Stat(abs); err != nil || !info.IsDir() {
		return nil, problem.Refuse(problem.FileUnknown, "create the folder first", "%s is not a folder", c.Dir)
	}
	if above, err := c.bounds.Find(abs); err == nil && above != root {
		return nil, problem.Refuse(problem.InsideAnother, "work from there, or remove that file",
			"%s is inside a project: %s is in %s", root, record.ListFile, above)
	}
	on, err := c.disk(root)
	if err != nil {
		return nil, err
	}
	set, err := c.begin(ctx, on, "start")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	read := func() (*project.Project, error) { return project.Read(on, c.Origin, c.Facts) }
	return start.Start(ctx, set, on, req, c.Dry, read, c.notify)
}
