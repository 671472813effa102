package facts

import (
	"context"
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"testing"
	"time"

	"merrycrate.example/merry/crate/rehearse"
	"merrycrate.example/merry/crate/source"
)

// reader returns a reader whose sandbox answers what the test says, and a count of how often it was asked.
func reader(t *testing.T, report *rehearse.Report) (r *Reader, asked *int) {
	t.Helper()
	asked = new(int)
	return &Reader{Cache: source.NewCache(t.TempDir()), Sandbox: func(context.Context, []byte) ([]byte, error) {
		*asked++
		return json.Marshal(report)
	}}, asked
}

// TestStoppedIsTriedAgain: a rehearsal that was stopped is not repeated for each question, but it is after a day.
func TestStoppedIsTriedAgain(t *testing.T) {
	r, asked := reader(t, &rehearse.Report{Stopped: "it took too long", Ran: []bool{false}})
	for range 2 {
		if report, err := r.Alone(context.Background(), "it", []byte("for (;;);")); err != nil ||
			report.Stopped == "" {
			t.Fatalf("%+v, %v", report, err)
		}
	}
	if *asked != 1 {
		t.Errorf("asked %d times within a day", *asked)
	}
	old := time.Now().Add(-stoppedFor - time.Minute)
	err := filepath.WalkDir(r.Cache.Dir(), func(name string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		return os.Chtimes(name, old, old)
	})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := r.Alone(context.Background(), "it", []byte("for (;;);")); err != nil || *asked != 2 {
		t.Errorf("asked %d times after a day, %v", *asked, err)
	}
}

// TestFinishedIsKept: a rehearsal that came to its end is never repeated.
func TestFinishedIsKept(t *testing.T) {
	r, asked := reader(t, &rehearse.Report{Ran: []bool{true}, Reads: []rehearse.Read{{Global: "oarlock"}}})
	text := []byte("setTimeout(function () {}); var a = oarlock")
	if !r.AsksFor(context.Background(), text, "oarlock") || r.AsksFor(context.Background(), text, "brinework") ||
		*asked != 1 {
		t.Errorf("asked %d times", *asked)
	}
	again := &Reader{Cache: r.Cache, Sandbox: r.Sandbox}
	if !again.AsksFor(context.Background(), text, "oarlock") || *asked != 1 {
		t.Errorf("another command asked again: %d", *asked)
	}
}

// TestCertainNeedsAreNotTried: what reading alone makes certain needs no rehearsal.
func TestCertainNeedsAreNotTried(t *testing.T) {
	r, asked := reader(t, &rehearse.Report{Ran: []bool{true}})
	if !r.AsksFor(context.Background(), []byte("oarlock.ready()"), "oarlock") || *asked != 0 {
		t.Errorf("asked %d times", *asked)
	}
}

// TestWithoutSandbox: a need counts if it can't be tried.
func TestWithoutSandbox(t *testing.T) {
	r := &Reader{}
	if !r.FailsWithout(context.Background(), []byte("start(); oarlock()"), "oarlock") {
		t.Error("a need that can't be tried does not count")
	}
}

// TestLimit: large requests get more time, up to a bound.
func TestLimit(t *testing.T) {
	small, large, huge := Limit(nil), Limit(make([]byte, 4<<20)), Limit(make([]byte, 100<<20))
	if small >= large || large >= huge || huge != Limit(make([]byte, 200<<20)) {
		t.Errorf("%v, %v, %v", small, large, huge)
	}
}
