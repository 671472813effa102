package crate

import (
	"context"
	"path"
	"strings"
	"time"

	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/watch"
)

// How long it must be quiet before a burst of changes is over: for who works at a check, and for who waits for a page.
const (
	Unhurried = 80 * time.Millisecond
	Swift     = 20 * time.Millisecond
)

// Watch calls changed after each burst of changes to files of the project, until the context ends, with their names,
// none where they can't be told. What version control, this tool and package managers keep for themselves is no part of
// it.
func (c *Crate) Watch(ctx context.Context, quiet time.Duration, changed func(names []string)) error {
	p, err := c.read(ctx)
	if err != nil {
		return err
	}
	err = watch.Folder(ctx, string(p.Root), quiet, func(dir string) bool {
		return paths.Hidden(dir) && !strings.HasPrefix(path.Base(dir), ".ht") || path.Base(dir) == "node_modules"
	}, changed)
	if err != nil && ctx.Err() == nil {
		return &problem.Problem{Code: problem.WatchFailed, Class: problem.Outside, Err: err,
			What: "the system can't report changes to files: " + err.Error(), Next: []string{"merry check"}}
	}
	return nil
}
