package crate

import (
	"context"
	"errors"
	"sync"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// SourceState is a registry and how it answered.
type SourceState struct {
	record.Registry
	State string `json:"state"`
}

// TrySources asks every registry whether it answers. Set tells whether an environment variable is.
func TrySources(reach *Reach, list []record.Registry, set func(name string) bool) []SourceState {
	out := make([]SourceState, len(list))
	var wg sync.WaitGroup
	for i, r := range list {
		out[i] = SourceState{Registry: r}
		wg.Go(func() {
			switch {
			case r.TokenFrom != "" && !set(r.TokenFrom):
				out[i].State = "its token is missing: the environment has no " + r.TokenFrom
			case reach.Offline:
				out[i].State = "not asked: offline"
			default:
				out[i].State = "answers"
				if err := reach.Client.Ping(context.Background(), source.Registry{URL: r.URL, Scope: r.Scope}); err != nil {
					out[i].State = err.Error()
					var f *source.FetchError
					if errors.As(err, &f) {
						out[i].State = f.Reason
					}
				}
			}
		})
	}
	wg.Wait()
	return out
}
