package sandbox

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"time"
)

// TestMain lets this very test be the process that a room is. It counts what it was asked, and does as it is reported.
func TestMain(m *testing.M) {
	if len(os.Args) < 2 || os.Args[1] != Command {
		os.Exit(m.Run())
	}
	n := 0
	err := Serve(os.Stdin, os.Stdout, func([]byte) time.Duration { return 100 * time.Millisecond },
		func(request []byte, stop <-chan struct{}) ([]byte, error) {
			n++
			switch string(request) {
			case `"end"`:
				os.Exit(1)
			case `"end if used"`:
				if n > 1 {
					os.Exit(1)
				}
			case `"swell"`:
				fmt.Fprintln(os.Stderr, "out of memory")
				os.Exit(1)
			case `"talk"`:
				return []byte(`"` + strings.Repeat("a", maxReport) + `"`), nil
			case `"refuse"`:
				return nil, errors.New("merry: it can't be read\nmore")
			case `"compute"`: // until it is stopped
				for stopped := false; !stopped; {
					select {
					case <-stop:
						stopped = true
					default:
					}
				}
				return []byte(`"stopped"`), nil
			case `"sleep"`: // uses no processor time
				select {
				case <-stop:
					return []byte(`"stopped"`), nil
				case <-time.After(300 * time.Millisecond):
				}
			case `"wait"`:
				time.Sleep(time.Minute)
			}
			return fmt.Append(nil, n), nil
		})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
	}
	os.Exit(outside)
}

// TestRoomsAreUsedAgain: a room that has answered gets the next request, and no other.
func TestRoomsAreUsedAgain(t *testing.T) {
	var k Pool
	for i, step := range []struct{ request, want, why string }{
		{`"a"`, "1", ""},
		{`"b"`, "2", ""},
		{`"sleep"`, "3", ""},
		{`"compute"`, `"stopped"`, ""},
		{`"end if used"`, "1", ""}, // it had another try, in a room of its own
		{`"c"`, "2", ""},
		{`"end"`, "", "exit status 1"},
		{`"d"`, "1", ""},
		{`"swell"`, "", "it used too much memory"},
		{`"talk"`, "", "its report is too long"},
		{`"refuse"`, "", "it can't be read"},
		{`"e"`, "1", ""},
	} {
		got, err := k.Ask(context.Background(), []byte(step.request))
		if string(got) != step.want || (err == nil) != (step.why == "") || err != nil && err.Error() != step.why {
			t.Errorf("%d, %s: %.100s, %v", i, step.request, got, err)
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), 50*time.Millisecond)
	defer cancel()
	from := time.Now()
	if got, err := k.Ask(ctx, []byte(`"wait"`)); !errors.Is(err, context.DeadlineExceeded) ||
		time.Since(from) > 50*time.Second {
		t.Errorf("%s, %v after %v", got, err, time.Since(from))
	}
	if len(k.idle) != 0 {
		t.Errorf("%d rooms are kept that did not answer", len(k.idle))
	}
}

// TestRoomsSideBySide: each of several who ask at once has a room for itself.
func TestRoomsSideBySide(t *testing.T) {
	var k Pool
	var all sync.WaitGroup
	for range 6 {
		all.Go(func() {
			for range 3 {
				if got, err := k.Ask(context.Background(), []byte(`"a"`)); err != nil {
					t.Errorf("%s, %v", got, err)
				}
			}
		})
	}
	all.Wait()
	if len(k.idle) == 0 || len(k.idle) > 6 {
		t.Errorf("%d rooms were used by six", len(k.idle))
	}
	for _, p := range k.idle {
		p.end()
	}
}
