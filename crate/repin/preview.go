package repin

import (
	"context"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/upgrade"
)

// Preview adds to a comparison what repin would do, by the same plan: what it would refuse, with the way forward, or
// what it would change.
func Preview(ctx context.Context, p *project.Project, req Request, compared *upgrade.Compared) error {
	out, err := Try(ctx, p, req)
	if err == nil {
		compared.Repin = &upgrade.Plan{Pages: len(out.Pages), Dropped: out.Dropped, Notes: out.Notes}
		return nil
	}
	err = Forward(ctx, p, req, err)
	cause := problem.Of(err)
	if cause.Class != problem.Refused {
		return err
	}
	compared.Repin = &upgrade.Plan{Refused: cause.What, Code: string(cause.Code), Next: cause.Next}
	req.Modules, req.WithNeeds = true, true
	if out, err := Try(ctx, p, req); err == nil {
		compared.Repin.Modules = out.Modules
	}
	return ctx.Err()
}
