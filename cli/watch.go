package cli

import (
	"context"
	"fmt"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/problem"
)

// watch checks, and checks again whenever files change, until it is interrupted. It prints what came and what went,
// with --json a line for each check. Each check opens the project again, since anything may have changed.
func (a *app) watch(ctx context.Context, req crate.CheckRequest) error {
	var last *crate.Checked
	look := func(ctx context.Context) error {
		door, err := a.open(sourceFlags{})
		if err != nil {
			return err
		}
		defer door.Close()
		found, err := door.Check(ctx, req)
		if err != nil {
			return err
		}
		a.answerChanges(last, found)
		a.flush()
		last = found
		return nil
	}
	if err := look(ctx); err != nil {
		return err
	}
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	err = door.Watch(ctx, crate.Unhurried, func([]string) {
		if err := look(ctx); err != nil && ctx.Err() == nil {
			// a file that is half written: the next change tells more
			fmt.Fprintf(a.err, "merry: %s\n", show.Lines(problem.Of(err).What))
		}
	})
	if ctx.Err() != nil {
		return statusOf(last)
	}
	return err
}

// answerChanges prints what a check found that the one before did not, and the other way round.
func (a *app) answerChanges(before, now *crate.Checked) {
	was := &crate.Checked{}
	if before != nil {
		was = before
	}
	came, went := check.Changes(was.Findings, now.Findings)
	if a.json {
		line, err := encode(map[string]any{"pages": now.Pages, "findings": len(now.Findings), "came": came,
			"went": went})
		if err == nil {
			a.printf("%s\n", line)
		}
		return
	}
	if before != nil && len(came)+len(went) == 0 {
		return
	}
	for _, f := range went {
		a.printf("gone  %s  %s: %s\n", show.Text(f.File), f.Name, show.Text(f.Message))
	}
	for _, f := range check.Causes(came) {
		a.printf("new   %s  %s: %s\n", a.paint.Bold(show.Text(f.Place())), a.severely(f.Finding), show.Text(f.Message))
		if len(f.Places) > 0 {
			a.printf("      also: %s\n", show.Text(placesOf(f.Places)))
		}
		a.printf("%s", show.Steps("      next: ", f.Next))
	}
	a.printf("%s; watching\n", total(now, len(now.Findings)))
}
