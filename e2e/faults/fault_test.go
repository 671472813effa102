// Package e2e tests the built program as a person runs it: on files in a temporary folder.
package faults

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
	"merrycrate.example/merry/standin"
)

// changing are the commands that write, each with what must have been done before.
var changing = []struct {
	name   string
	before [][]string
	args   []string
}{
	{"start", nil, []string{"start", "--page", "new/news.html"}},
	{"take", [][]string{{"start"}}, []string{"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"}},
	{"include", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip"}}, []string{"include", "brinework",
		"--page", "**"}},
	{"omit", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}},
		[]string{"omit", "brinework"}},
	{"drop", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}},
		[]string{"drop", "brinework"}},
	{"repin", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip", "--names", "versioned", "--page", "**"}},
		[]string{"repin", "oarlock", "--from", "../downloads/oarlock-2.0.3.zip"}},
	{"switch", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip", "--page", "**"}},
		[]string{"switch", "--readable"}},
	{"hold", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip"}}, []string{"hold", "oarlock", "--because",
		"the kiosk"}},
	{"adopt", [][]string{{"start"}}, []string{"adopt", "index.html", "--tag", "js/club.js", "--as", "clubhouse@1.0.0"}},
	{"order --fix", ordered, []string{"order", "**", "--fix"}},
	{"check --fix", ordered, []string{"check", "--fix", "--no-rehearse"}},
	{"repin with renames", [][]string{{"start"}, {"take", "../downloads/oarlock-1.4.2.zip", "--page", "**"}},
		[]string{"repin", "oarlock", "--from", "../downloads/oarlock-2.0.3.zip", "--rename", "bw-bar=bw-header"}},
	{"refill", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}}, []string{"refill"}},
	{"sources set", [][]string{{"start"}}, []string{"sources", "set", "cdn", "harbour", harbourPattern}},
	{"sources learn", linkable, []string{"sources", "learn",
		"http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js"}},
	{"switch --cdn", append(linkable[:len(linkable):len(linkable)], []string{"sources", "set", "cdn", "harbour",
		harbourPattern}), []string{"switch", "--cdn", "--fallback"}},
	{"take again", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}},
		[]string{"take", "../downloads/brinework-1.2.0.zip", "--into", "vendor/brinework"}},
	{"drop a part", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}},
		[]string{"drop", "brinework", "--files", "js/*.js"}},
	{"move a library", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}},
		[]string{"move", "brinework", "vendor/brinework"}},
	{"move own files", [][]string{{"start"}}, []string{"move", "js", "crews/index.html", "css/club.css", "own/"}},
	{"move --found", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}},
		[]string{"move", "--found"}},
	{"settle", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}}, []string{"settle"}},
	{"undo", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}}, []string{"undo"}},
	{"undo --again", [][]string{{"start"}, {"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}, {"undo"}},
		[]string{"undo", "--again"}},
}

const harbourPattern = "http://cdn.harbour.example/lib/{name}/{version}/{path}"

// linkable is what was done before pages can link to the stand-in CDN; CDN stands for its address.
var linkable = [][]string{{"start"}, {"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"},
	{"sources", "set", "host", "cdn.harbour.example", "CDN"}}

// sharedCDN is one stand-in for all tests that only read from it.
var sharedCDN = sync.OnceValues(standin.NewCDN)

// ordered is what was done before an order is repaired; prepared muddles it.
var ordered = [][]string{{"start"}, {"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"}}

// prepared is the club's site as a command finds it.
func prepared(t *testing.T, name string, before [][]string) *merrytest.Site {
	s := merrytest.Club(t)
	for _, args := range before {
		if i := slices.Index(args, "CDN"); i >= 0 {
			c, err := sharedCDN()
			if err != nil {
				t.Fatal(err)
			}
			args = slices.Replace(slices.Clone(args), i, i+1, c.Addr)
		}
		s.Run(args...)
	}
	if name == "refill" {
		for _, gone := range []string{"fonts/brinework.woff", "css/brinework.min.css"} {
			if err := os.Remove(filepath.Join(s.Dir, gone)); err != nil {
				t.Fatal(err)
			}
		}
	}
	if name == "move --found" {
		s.Write("scripts/brinework.min.js", s.Read("js/brinework.min.js"))
		s.Remove("js/brinework.min.js")
	}
	if name == "settle" {
		s.Replace("crate.yaml", "    build: minified", "    build: readable\n    into: vendor/brinework")
	}
	if strings.HasSuffix(name, "--fix") {
		for _, page := range []string{"index.html", "tides.html"} {
			text := s.Read(page)
			first := strings.Index(text, "<script")
			s.Write(page, text[:first]+`<script src="js/club.js"></script>`+strings.Replace(text[first:],
				`<script src="js/club.js"></script>`, "", 1))
		}
	}
	return s
}

// leftovers lists what a change that is over must not leave in merry's own folder.
func leftovers(s *merrytest.Site) []string {
	all, _ := filepath.Glob(filepath.Join(s.Dir, ".merry/changes/*"))
	return slices.DeleteFunc(all, func(name string) bool {
		return strings.HasSuffix(name, ".done") || strings.HasSuffix(name, ".undone")
	})
}

// TestStoppedAtEveryWrite stops each command at every one of its writes and removals. Reading afterwards changes
// nothing and sees the old state or the new one, whole; finishing leads to that state, and giving up to the old one.
func TestStoppedAtEveryWrite(t *testing.T) {
	t.Parallel()
	for _, c := range changing {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			first := prepared(t, c.name, c.before)
			prepare := func() *merrytest.Site { return first.Copy() }
			contents := func(s *merrytest.Site) (seen string, r merrytest.Result) {
				r = s.Try("contents", "--json")
				return strings.ReplaceAll(r.Out, s.Dir, "SITE"), r
			}
			s := prepare()
			old := s.State()
			oldSeen, _ := contents(s)
			s.Run(c.args...)
			done := s.State()
			doneSeen, _ := contents(s)
			if old == done {
				t.Fatal("the command changes nothing")
			}
			olds, news, said := 0, 0, 0
			for n := 1; ; n += trials.Rounds(3, 1) { // an odd number: finishing and giving up take turns
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
				stopped := s.State()
				seen, r := contents(s)
				if s.State() != stopped {
					t.Fatalf("stopped at write %d, reading changed the site", n)
				}
				unfinished := strings.Contains(r.Err, "interrupted")
				if unfinished {
					said++
				}
				if seen != oldSeen && seen != doneSeen {
					t.Fatalf("stopped at write %d, the project is read neither as before nor as after:\n%s%s", n, r.Out,
						r.Err)
				}
				end := []string{"--finish", "--abandon"}[n%2]
				if r := s.Try("undo", end); r.Status != 0 &&
					!(c.name == "start" && strings.Contains(r.Err, "no change to undo")) {
					t.Fatalf("stopped at write %d, undo %s says\n%s%s", n, end, r.Out, r.Err)
				}
				switch s.State() {
				case old:
					olds++
					if unfinished && end == "--finish" {
						t.Errorf("stopped at write %d, past the commit point: finishing it led back", n)
					}
				case done:
					news++
					if unfinished && end == "--abandon" {
						t.Errorf("stopped at write %d: giving it up led on", n)
					}
				default:
					t.Fatalf("stopped at write %d, after undo %s the site is neither as before nor as after:\n%s", n,
						end, r.Err)
				}
				if end == "--finish" || unfinished {
					continue
				}
				// What is left of a plan, or of a change that is over, goes with the next change.
				s.Try("undo", "--finish")
				if left := leftovers(s); c.name != "start" && len(left) > 0 {
					t.Errorf("stopped at write %d, %v is left", n, left)
				}
			}
			if olds == 0 || news == 0 || said == 0 {
				t.Errorf("%d old states, %d new ones, %d times unfinished: the test did not reach both sides", olds,
					news, said)
			}
		})
	}
}

// files leaves the lines of folders out of a state.
func files(state string) string {
	return strings.Join(slices.DeleteFunc(strings.Split(state, "\n"), func(line string) bool {
		return strings.HasSuffix(line, "/")
	}), "\n")
}

// TestWritesFail fails one write, or, as a full disk does, every one from a certain one on. Nothing has changed then,
// or, where it could not be reverted either, the change can be finished, and given up.
func TestWritesFail(t *testing.T) {
	t.Parallel()
	for kind, words := range map[string]string{"full": "the disk is full", "fail": "the disk can't read or write it"} {
		for _, c := range changing[1:] {
			if !trials.Whole() && !slices.Contains([]string{"take", "drop", "undo", "switch --cdn"}, c.name) {
				continue
			}
			t.Run(kind+" "+c.name, func(t *testing.T) {
				t.Parallel()
				first := prepared(t, c.name, c.before)
				old := first.State()
				s := first.Copy()
				s.Run(c.args...)
				done := s.State()
				for n := 1; ; n += trials.Rounds(3, 1) {
					s := first.Copy()
					s.Env = []string{fmt.Sprintf("MERRY_FAULT=%s@%d", kind, n)}
					r := s.Try(c.args...)
					s.Env = nil
					if r.Status == 0 {
						if files(s.State()) != files(done) { // an empty folder may be left
							t.Fatalf("write %d failed, and the command did not say so", n)
						}
						if kind == "full" || n > 200 || leftovers(s) == nil && n > 5 {
							return
						}
						continue // it was a removal of what is over, which the next command does
					}
					if r.Status != 3 || !strings.Contains(r.Err, words) {
						t.Fatalf("write %d: status %d: %s", n, r.Status, r.Err)
					}
					if strings.Contains(r.Err, "could not be reverted") {
						end, want := "--finish", done
						if n%2 == 0 {
							end, want = "--abandon", old
						}
						if s.Run("undo", end); s.State() != want {
							t.Fatalf("write %d: undo %s did not do its work", n, end)
						}
					} else if s.State() != old {
						t.Fatalf("write %d failed, and the site changed:\n%s", n, r.Err)
					}
				}
			})
		}
	}
}

func TestUndoKeepsWhatWasChangedSince(t *testing.T) {
	t.Parallel()
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
	s.Run("take", "../downloads/brinework-1.2.0.zip")
	if err := os.RemoveAll(filepath.Join(s.Dir, "fonts")); err != nil {
		t.Fatal(err)
	}
	s.Run("undo") // a file that is already as it was before stands in no one's way
	if s.State() != before {
		t.Error("undo did not give back the state before a take whose files are gone")
	}
	s.Run("undo") // the start itself
	if _, err := os.Stat(filepath.Join(s.Dir, "crate.yaml")); err == nil {
		t.Error("crate.yaml is still there")
	}
	s.Fail(1, []string{"no change to undo"}, "undo")
}

// TestKilledAtRandom ends commands wherever they happen to be, as a power cut does. Afterwards the project is as before
// or as after, one way to the end leads there, and the next command works.
func TestKilledAtRandom(t *testing.T) {
	t.Parallel()
	runs := trials.Rounds(4, 60)
	for _, c := range changing[1:] {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			first := prepared(t, c.name, c.before)
			s := first.Copy()
			from := time.Now()
			s.Run(c.args...)
			took, done, old := time.Since(from), s.State(), first.State()
			for i := range runs {
				s := first.Copy()
				s.Env = append(s.Env, "MERRY_FAULT=slow@2")
				cmd := s.Command(c.args...)
				if err := cmd.Start(); err != nil {
					t.Fatal(err)
				}
				time.Sleep(time.Duration(i+1) * (took + 60*time.Millisecond) / time.Duration(runs+1))
				cmd.Process.Kill()
				cmd.Wait()
				s.Env = nil
				s.Run("undo", []string{"--finish", "--abandon"}[i%2])
				if now := s.State(); now != old && now != done {
					t.Fatalf("killed, the project is neither as before nor as after")
				}
				s.Run("undo", "--finish")
				if left := leftovers(s); len(left) > 0 {
					t.Errorf("%v is left", left)
				}
			}
		})
	}
}
