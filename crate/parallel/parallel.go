// Package parallel runs the same work on many items concurrently. All goroutines end before a call returns. The first
// error, or a cancelled context, stops the work that has not begun.
package parallel

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Width is how many pieces of work for the processor are done at once.
func Width() int { return max(2, runtime.GOMAXPROCS(0)) }

// Connections is how many requests to servers are under way at once.
const Connections = 32

// Map runs work on every item, as many at once as the processor is good for. The results keep the order of the items.
// Of several errors, the one of the first item is returned.
func Map[T, R any](ctx context.Context, items []T, work func(context.Context, T) (R, error)) ([]R, error) {
	return MapWide(ctx, Width(), items, work)
}

// MapWide is Map with so many at once.
func MapWide[T, R any](ctx context.Context, width int, items []T, work func(context.Context, T) (R, error)) ([]R,
	error) {
	results := make([]R, len(items))
	errs := make([]error, len(items))
	g, inner := errgroup.WithContext(ctx)
	var next atomic.Int64
	for range min(width, len(items)) {
		g.Go(func() error {
			for i := next.Add(1) - 1; i < int64(len(items)); i = next.Add(1) - 1 {
				if err := inner.Err(); err != nil {
					return err
				}
				errs[i] = Recover(func() (err error) {
					results[i], err = work(inner, items[i])
					return err
				})
				if errs[i] != nil {
					return errs[i]
				}
			}
			return nil
		})
	}
	err := g.Wait()
	if ctx.Err() != nil {
		return results, ctx.Err()
	}
	for _, e := range errs {
		if e != nil && !errors.Is(e, context.Canceled) {
			return results, e
		}
	}
	return results, err
}

// Each is Map for work without results.
func Each[T any](ctx context.Context, items []T, work func(context.Context, T) error) error {
	return EachWide(ctx, Width(), items, work)
}

// EachWide is Each with so many at once.
func EachWide[T any](ctx context.Context, width int, items []T, work func(context.Context, T) error) error {
	_, err := MapWide(ctx, width, items, func(ctx context.Context, item T) (struct{}, error) {
		return struct{}{}, work(ctx, item)
	})
	return err
}

// Spread runs work on a first item, and on those that work hands on with more while it runs, as many at once as the
// processor is good for. It returns when nothing is left, or with the first error.
func Spread[T any](ctx context.Context, first T, work func(ctx context.Context, item T, more func(T)) error) error {
	var mu sync.Mutex
	changed := sync.NewCond(&mu)
	waiting, busy, stopped := []T{first}, 0, false
	more := func(item T) {
		mu.Lock()
		waiting = append(waiting, item)
		mu.Unlock()
		changed.Signal()
	}
	g, inner := errgroup.WithContext(ctx)
	for range Width() {
		g.Go(func() error {
			mu.Lock()
			defer mu.Unlock()
			for {
				for len(waiting) == 0 && busy > 0 && !stopped {
					changed.Wait()
				}
				if len(waiting) == 0 || stopped {
					changed.Broadcast()
					return nil
				}
				last := len(waiting) - 1
				item := waiting[last]
				waiting = waiting[:last]
				busy++
				mu.Unlock()
				err := inner.Err()
				if err == nil {
					err = Recover(func() error { return work(inner, item, more) })
				}
				mu.Lock()
				if busy--; err != nil {
					stopped = true
					changed.Broadcast()
					return err
				}
			}
		})
	}
	err := g.Wait()
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return err
}
