package memo

import (
	"errors"
	"sync"
	"sync/atomic"
	"testing"
)

func TestOncePerKey(t *testing.T) {
	var m Memo[int, int]
	var worked atomic.Int64
	var wg sync.WaitGroup
	for i := range 100 {
		wg.Go(func() {
			if got := m.Of(i%3, func() int { worked.Add(1); return i % 3 * 10 }); got != i%3*10 {
				t.Errorf("%d is %d", i%3, got)
			}
		})
	}
	wg.Wait()
	if worked.Load() != 3 {
		t.Errorf("worked out %d times", worked.Load())
	}
	n := 0
	m.Each(func(int, int) { n++ })
	if n != 3 {
		t.Errorf("%d values", n)
	}
}

func TestErrorsAreNotRemembered(t *testing.T) {
	var m Memo[string, int]
	if _, err := m.Get("a", func() (int, error) { return 0, errors.New("not yet") }); err == nil {
		t.Error("no error")
	}
	if v, err := m.Get("a", func() (int, error) { return 7, nil }); v != 7 || err != nil {
		t.Errorf("%d, %v", v, err)
	}
}
