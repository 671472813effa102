package crate

import (
	"context"
	"path"
	"strings"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/watch"
)

// Watch calls changed after each burst of changes to files of the project, until the context ends. What version control, this tool and
// package managers keep for themselves is no part of it.
func (c *Crate) Watch(ctx context.Context, changed func()) error {
	p, err := c.read(ctx)
	if err != nil {
		return err
	}
	err = watch.Folder(ctx, string(p.Root), func(dir string) bool {
		return paths.Hidden(dir) && !strings.HasPrefix(path.Base(dir), ".ht") || path.Base(dir) == "node_modules"
	}, changed)
	if err != nil && ctx.Err() == nil {
		return &problem.Problem{Code: problem.WatchFailed, Class: problem.Outside, Err: err, What: "the system does not tell of changes to files: " + err.Error(), Next: []string{"merry check"}}
	}
	return nil
}
