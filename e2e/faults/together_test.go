package faults

import (
	"fmt"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gofrs/flock"

	"merrycrate.example/merry/internal/merrytest"
)

// sideBySide are writing commands that step on each other's toes, on a site with two libraries on all pages.
var sideBySide = [][]string{
	{"include", "brinework", "--page", "tides.html"},
	{"drop", "brinework"},
	{"omit", "oarlock", "--page", "index.html"},
	{"switch", "--readable"},
	{"take", "../downloads/oarlock-1.4.2.zip", "--as", "oldlock", "--together", "--page", "tides.html"},
	{"repin", "oarlock", "--from", "../downloads/oarlock-1.4.2.zip"},
	{"hold", "oarlock", "--because", "the kiosk"},
	{"undo"},
	{"refill"},
	{"move", "brinework", "vendor/brinework"},
	{"settle"},
	{"order", "**", "--fix"},
}

// crowded is the site before them: brinework is off one page, and a file of it is gone.
func crowded(t *testing.T) *merrytest.Site {
	s := merrytest.Started(t)
	s.Run("omit", "brinework", "--page", "tides.html")
	s.Remove("fonts/brinework.woff")
	return s
}

// atOnce starts commands while the project is locked, so that all wait for it, lets them go, and returns how they
// ended.
func atOnce(t *testing.T, s *merrytest.Site, commands ...[]string) []string {
	t.Helper()
	lock := flock.New(filepath.Join(s.Dir, ".merry", "lock"))
	if err := lock.Lock(); err != nil {
		t.Fatal(err)
	}
	said := make([]string, len(commands))
	var wg sync.WaitGroup
	for i, args := range commands {
		wg.Go(func() {
			out, _ := s.Command(args...).CombinedOutput()
			said[i] = fmt.Sprintf("merry %s:\n%s", strings.Join(args, " "), out)
		})
	}
	time.Sleep(250 * time.Millisecond)
	if err := lock.Unlock(); err != nil {
		t.Fatal(err)
	}
	wg.Wait()
	return said
}

// TestTwoCommandsAtOnce: any two writing commands side by side end as one after the other would have, in one sequence
// or the other.
func TestTwoCommandsAtOnce(t *testing.T) {
	t.Parallel()
	base := crowded(t)
	for i, a := range sideBySide {
		for _, b := range sideBySide[i+1:] {
			t.Run(a[0]+" beside "+b[0], func(t *testing.T) {
				t.Parallel()
				ends := map[string]string{}
				for _, sequence := range [][][]string{{a, b}, {b, a}} {
					s := base.Copy()
					for _, args := range sequence {
						s.Try(args...)
					}
					ends[s.State()] = sequence[0][0] + " first"
				}
				s := base.Copy()
				said := atOnce(t, s, a, b)
				if ends[s.State()] == "" {
					t.Errorf("the site is as after neither sequence:\n%s\n%s", strings.Join(said, "\n"),
						s.Try("check", "--no-rehearse").Out)
				}
			})
		}
	}
}

// TestEightCommandsAtOnce: many commands side by side leave nothing dangling, and undo leads back step by step.
func TestEightCommandsAtOnce(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	before := s.State()
	said := atOnce(t, s, []string{"drop", "brinework"}, []string{"include", "brinework", "--page", "**"},
		[]string{"omit", "oarlock", "--page", "index.html"},
		[]string{"take", "../downloads/oarlock-1.4.2.zip", "--as", "oldlock", "--together", "--page", "tides.html"},
		[]string{"switch", "--readable"}, []string{"hold", "oarlock", "--because", "x"},
		[]string{"include", "oarlock", "--page", "index.html"}, []string{"switch", "--minified", "--page",
			"tides.html"})
	if out := s.Try("check", "--no-rehearse").Out; strings.Contains(out, "file-missing") ||
		strings.Contains(out, "sealed-") || strings.Contains(out, "included-twice") {
		t.Errorf("afterwards check says\n%s\n%s", out, strings.Join(said, "\n"))
	}
	for range 8 {
		if s.State() == before {
			return
		}
		s.Run("undo")
	}
	t.Error("undo does not lead back")
}

// TestWaitingIsTold: a command that waits for another says so, and gives up in the end.
func TestWaitingIsTold(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	lock := flock.New(filepath.Join(s.Dir, ".merry", "lock"))
	if err := lock.Lock(); err != nil {
		t.Fatal(err)
	}
	defer lock.Unlock()
	s.Fail(1, []string{"another command is changing this project; waiting", "for 10 seconds", "next:"}, "hold",
		"oarlock", "--because", "x")
}
