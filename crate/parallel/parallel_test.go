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
	got, err := Map(context.Background(), items, func(_ context.Context, i int) (string, error) { return fmt.Sprint(i), nil })
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
	var done atomic.Int64
	err := Each(context.Background(), make([]int, 100_000), func(context.Context, int) error {
		if done.Add(1) == 10 {
			return wrong
		}
		return nil
	})
	if !errors.Is(err, wrong) || done.Load() > 1000 {
		t.Errorf("%v after %d", err, done.Load())
	}
}

func TestACancelledContextStops(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	var done atomic.Int64
	err := Each(ctx, make([]int, 100_000), func(context.Context, int) error {
		if done.Add(1) == 10 {
			cancel()
		}
		return nil
	})
	if !errors.Is(err, context.Canceled) || done.Load() > 1000 {
		t.Errorf("%v after %d", err, done.Load())
	}
}
