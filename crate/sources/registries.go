package sources

import (
	"context"
	"errors"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// RegistryState is a registry and how it answered.
type RegistryState struct {
	record.Registry
	State string `json:"state"` // whether it answers, or why not
}

// TryRegistries asks every registry whether it answers. Set reports whether an environment variable is.
func TryRegistries(ctx context.Context, opener *origin.Opener, list []record.Registry,
	set func(name string) bool) ([]RegistryState, error) {
	return parallel.MapWide(ctx, parallel.Connections, list, func(ctx context.Context,
		r record.Registry) (RegistryState, error) {
		out := RegistryState{Registry: r, State: "answers"}
		switch {
		case r.TokenFrom != "" && !set(r.TokenFrom):
			out.State = "its token is missing: there is no environment variable " + r.TokenFrom
		case opener.Offline:
			out.State = "not asked: --offline"
		default:
			if err := opener.Client.Ping(ctx, source.Registry{URL: r.URL, Scope: r.Scope}); err != nil {
				var f *source.FetchError
				if out.State = err.Error(); errors.As(err, &f) {
					out.State = f.Reason
				}
			}
		}
		return out, ctx.Err()
	})
}
