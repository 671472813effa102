package parallel

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"testing"
)

func TestMapKeepsTheOrder(t *testing.T) {
	items := make([]int, 1000)
	for i := range items {
		items[i] = i
	}
	got, err := Map(context.Background(), items, func(_ context.Context, i int) (string, error) {
		return fmt.Sprint(i), nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for i, s := range got {
		if s != fmt.Sprint(i) {
			t.Fatalf("%d is %s", i, s)
		}
	}
}

func TestTheFirstErrorStops(t *testing.T) {
	wrong := errors.New("wrong")
	var begun atomic.Int64
	err := Each(context.Background(), make([]int, 100_000), func(inner context.Context, _ int) error {
		if n := begun.Add(1); n == 10 {
			return wrong
		} else if n > 10 {
			<-inner.Done() // so that no item ends before the end is known
		}
		return nil
	})
	if most := int64(10 + Width()); !errors.Is(err, wrong) || begun.Load() > most {
		t.Errorf("%v, and %d were begun, at most %d wanted", err, begun.Load(), most)
	}
}

func TestACancelledContextStops(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	var begun atomic.Int64
	err := Each(ctx, make([]int, 100_000), func(inner context.Context, _ int) error {
		if begun.Add(1) >= 10 {
			cancel()
			<-inner.Done() // so that no item ends before the end is known
		}
		return nil
	})
	if most := int64(10 + Width()); !errors.Is(err, context.Canceled) || begun.Load() > most {
		t.Errorf("%v, and %d were begun, at most %d wanted", err, begun.Load(), most)
	}
}

// TestSpreadReachesAll: what is handed on is worked on, once, and so is what that hands on; an error ends it.
func TestSpreadReachesAll(t *testing.T) {
	var seen [1 << 12]atomic.Int64
	work := func(_ context.Context, i int, more func(int)) error {
		seen[i].Add(1)
		for _, next := range []int{2 * i, 2*i + 1} {
			if next < len(seen) {
				more(next)
			}
		}
		return nil
	}
	if err := Spread(context.Background(), 1, work); err != nil {
		t.Fatal(err)
	}
	for i := range seen[1:] {
		if n := seen[1:][i].Load(); n != 1 {
			t.Fatalf("%d was worked on %d times", i+1, n)
		}
	}
	wrong := errors.New("wrong")
	ctx, cancel := context.WithCancel(context.Background())
	var done atomic.Int64
	for _, end := range []func() error{func() error { return wrong }, func() error { cancel(); return nil }} {
		err := Spread(ctx, 0, func(_ context.Context, i int, more func(int)) error {
			more(i + 1)
			if done.Add(1)%10 == 0 {
				return end()
			}
			return nil
		})
		if !errors.Is(err, wrong) && !errors.Is(err, context.Canceled) {
			t.Errorf("it ended with %v", err)
		}
	}
}
