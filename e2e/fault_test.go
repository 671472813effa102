// Package e2e tests the built program as a person runs it: on files in a temporary folder.
package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

// changing are the commands that write, each with what must have been done before.
var changing = []struct {
	name   string
	before [][]string
	args   []string
}{
	{"start", nil, []string{"start", "--page", "new/news.html"}},
	{"take", [][]string{{"start"}}, []string{"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"}},
	{"include", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip"}}, []string{"include", "brinework", "--page", "**"}},
	{"omit", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}}, []string{"omit", "brinework"}},
	{"drop", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}}, []string{"drop", "brinework"}},
	{"repin", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip", "--names", "versioned", "--page", "**"}}, []string{"repin", "oarlock", "--from", "../downloads/oarlock-2.0.3.zip"}},
	{"switch", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip", "--page", "**"}}, []string{"switch", "--readable"}},
	{"hold", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip"}}, []string{"hold", "oarlock", "--because", "the kiosk"}},
	{"adopt", [][]string{{"start"}}, []string{"adopt", "index.html", "--tag", "js/club.js", "--as", "clubhouse@1.0.0"}},
	{"order --fix", ordered, []string{"order", "**", "--fix"}},
	{"check --fix", ordered, []string{"check", "--fix", "--no-rehearse"}},
	{"repin with renames", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip", "--page", "**"}}, []string{"repin", "oarlock", "--from", "../downloads/oarlock-2.0.3.zip", "--rename", "bw-bar=bw-header"}},
	{"undo", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}}, []string{"undo"}},
}

// ordered is what was done before an order is repaired; prepared muddles it.
var ordered = [][]string{{"start"}, {"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"}}

// prepared is the club's site as a command finds it.
func prepared(t *testing.T, name string, before [][]string) *merrytest.Site {
	s := merrytest.Club(t)
	for _, args := range before {
		s.Run(args...)
	}
	if strings.HasSuffix(name, "--fix") {
		for _, page := range []string{"index.html", "tides.html"} {
			text := s.Read(page)
			first := strings.Index(text, "<script")
			s.Write(page, text[:first]+`<script src="js/club.js"></script>`+strings.Replace(text[first:], `<script src="js/club.js"></script>`, "", 1))
		}
	}
	return s
}

// TestStoppedAtEveryWrite stops each command at every one of its writes. The next command must find
// the old state or the new one, and say what it put right.
func TestStoppedAtEveryWrite(t *testing.T) {
	for _, c := range changing {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			prepare := func() *merrytest.Site { return prepared(t, c.name, c.before) }
			s := prepare()
			old := s.State()
			s.Run(c.args...)
			done := s.State()
			if old == done {
				t.Fatal("the command changes nothing")
			}
			olds, news, said := 0, 0, 0
			for n := 1; ; n++ {
				s := prepare()
				s.Env = []string{fmt.Sprintf("MERRY_FAULT=stop@%d", n)}
				if r := s.Try(c.args...); r.Status == 0 {
					if n < 5 {
						t.Errorf("only %d writes were stopped", n-1)
					}
					break
				} else if r.Status != 86 {
					t.Fatalf("write %d: status %d\n%s%s", n, r.Status, r.Out, r.Err)
				}
				s.Env = nil
				// Before it is put right there may be anything; afterwards only the two.
				r := s.Try("contents")
				if strings.Contains(r.Err, "put right:") {
					said++
				}
				switch s.State() {
				case old:
					olds++
				case done:
					news++
				default:
					t.Fatalf("stopped at write %d, the site is neither as before nor as after:\n%s", n, r.Err)
				}
				if drafts, _ := filepath.Glob(filepath.Join(s.Dir, ".merry/changes/*.[dg][ro]*")); c.name != "start" {
					for _, d := range drafts {
						if !strings.HasSuffix(d, ".done") {
							t.Errorf("stopped at write %d, %s is left", n, filepath.Base(d))
						}
					}
				}
			}
			if olds == 0 || news == 0 || said == 0 {
				t.Errorf("%d old states, %d new ones, %d times said what was put right: the test did not reach both sides", olds, news, said)
			}
		})
	}
}

// TestFullDisk fails every write from a certain one on. Either nothing has changed, or, past the
// commit point, the next command finishes the work.
func TestFullDisk(t *testing.T) {
	for _, c := range changing[1:] {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			for n := 1; ; n++ {
				s := prepared(t, c.name, c.before)
				old := s.State()
				s.Env = []string{fmt.Sprintf("MERRY_FAULT=full@%d", n)}
				r := s.Try(c.args...)
				if r.Status == 0 {
					return
				}
				if r.Status != 3 || !strings.Contains(r.Err, "no space") {
					t.Fatalf("write %d: status %d: %s", n, r.Status, r.Err)
				}
				s.Env = nil
				if strings.Contains(r.Err, "the next command will finish it") {
					s.Run("contents")
					now := s.State()
					s2 := prepared(t, c.name, c.before)
					s2.Run(c.args...)
					if now != s2.State() {
						t.Fatalf("write %d: the next command did not finish the work", n)
					}
				} else if s.State() != old {
					t.Fatalf("write %d: the disk was full, and the site changed", n)
				}
			}
		})
	}
}

func TestTwoCommandsAtOnce(t *testing.T) {
	s := merrytest.Club(t)
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip")
	s.Run("take", "../downloads/brinework-1.2.0.zip")
	first, second := s.Command("include", "oarlock", "--page", "**"), s.Command("include", "brinework", "--page", "**")
	for _, c := range []interface{ Start() error }{first, second} {
		if err := c.Start(); err != nil {
			t.Fatal(err)
		}
	}
	e1, e2 := first.Wait(), second.Wait()
	if e1 != nil || e2 != nil {
		t.Fatalf("%v, %v", e1, e2)
	}
	for _, page := range []string{"index.html", "tides.html", "crews/index.html"} {
		for _, want := range []string{"oarlock.min.js", "brinework.min.js", "brinework.min.css"} {
			if n := strings.Count(s.Read(page), want); n != 1 {
				t.Errorf("%s has %s %d times", page, want, n)
			}
		}
	}
}

func TestUndoKeepsWhatWasChangedSince(t *testing.T) {
	s := merrytest.Club(t)
	s.Run("start")
	before := s.State()
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	s.Write("index.html", s.Read("index.html")+"<!-- mine -->\n")
	mine := s.State()
	s.Fail(1, []string{"index.html changed since", "next:"}, "undo")
	if s.State() != mine {
		t.Error("a refused undo changed something")
	}
	s.Write("index.html", strings.TrimSuffix(s.Read("index.html"), "<!-- mine -->\n"))
	s.Run("undo")
	if s.State() != before {
		t.Error("undo did not give back the state before")
	}
	s.Run("undo") // the start itself
	if _, err := os.Stat(filepath.Join(s.Dir, "crate.yaml")); err == nil {
		t.Error("crate.yaml is still there")
	}
	s.Fail(1, []string{"no change to undo"}, "undo")
}
