package parallel

import (
	"context"
	"errors"
	"strings"
	"testing"
)

// TestGuard: a panic becomes an error with the place of it, an error stays what it is, and a panic that was caught once
// keeps its place.
func TestGuard(t *testing.T) {
	var p *Panic
	err := Recover(func() error { panic("low water") })
	if !errors.As(err, &p) || p.Text != "low water" || !strings.Contains(string(p.Stack), "guard_test.go") {
		t.Errorf("%v", err)
	}
	if again := Recover(func() error { panic(p) }); again != error(p) {
		t.Errorf("caught again it is %v", again)
	}
	mine := errors.New("mine")
	if err := Recover(func() error { return mine }); err != mine {
		t.Errorf("an error became %v", err)
	}
	if err := Recover(func() error { return nil }); err != nil {
		t.Errorf("nothing became %v", err)
	}
}

// TestPanicOfOne: a panic in one of many pieces of work ends them with an error, and not the program.
func TestPanicOfOne(t *testing.T) {
	var p *Panic
	_, err := Map(context.Background(), []int{1, 2, 3}, func(_ context.Context, n int) (int, error) {
		if n == 2 {
			panic("two")
		}
		return n, nil
	})
	if !errors.As(err, &p) || p.Text != "two" {
		t.Errorf("%v", err)
	}
	err = Spread(context.Background(), 1, func(_ context.Context, n int, more func(int)) error {
		if n == 3 {
			panic("three")
		}
		more(n + 1)
		return nil
	})
	if !errors.As(err, &p) || p.Text != "three" {
		t.Errorf("%v", err)
	}
}
