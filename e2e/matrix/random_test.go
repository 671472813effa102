package matrix

import (
	"encoding/json"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// actions are what people do to a crate, in no order; PAGE and LIB stand for some.
var actions = []string{
	"take oarlock@1.4.2 --page PAGE", "take oarlock@2.0.3 --page **", "take tidechart@3.1.0 --with-needs --page PAGE",
	"take brinework@1.2.0 --with-needs --page PAGE", "take pennants --as flags --page PAGE",
	"take logbook --page PAGE", "include LIB --page PAGE", "include LIB --page **",
	"include LIB --page PAGE --readable", "omit LIB --page PAGE", "omit LIB", "drop LIB", "switch --readable",
	"switch --minified", "switch LIB --cdn=harbour --page PAGE",
	"switch --cdn=harbour --fallback", "switch --cdn=harbour --hints", "switch --local", "repin oarlock@2.0.3",
	"repin oarlock@1.4.2", "repin tidechart@3.0.0", "repin brinework@2.0.0 --rename-sure", "hold LIB --because x",
	"hold LIB --off",
	"take oarlock@2.0.3 --names versioned --page PAGE", "take oarlock@1.4.2 --as oldlock --page PAGE",
	"take pennants --as flags --together --page PAGE",
	"take oarlock@2.0.3 --both-builds --maps --page **", "adopt PAGE", "repin oarlock@2.1.0 tidechart@4.0.0",
	"repin --newest-allowed", "take oarlock@2.1.0 --readable --names versioned --page PAGE",
	"switch oarlock --cdn=harbour --readable --fallback", "include oldlock --page PAGE", "repin oldlock@2.0.3",
	"take tidechart@3.1.0 --part marks --page PAGE", "take tidechart@3.1.0 --part night --page PAGE",
	"take brinework@1.2.0 --together", "take brinework@1.2.0 --by-kind", "take oarlock@2.0.3 --into vendor/oarlock " +
		"--page PAGE",
	"take logbook --whole --into gallery --page PAGE", "take oarlock@2.0.3 --place " +
		"dist/oarlock.min.js=js/rowing/helper.js", "take tidechart@3.1.0 --keep dist/tidechart-marks.js",
	"take tidechart@3.1.0 --files ** --page PAGE",
	"drop tidechart --part marks", "drop tidechart --part night", "drop LIB --files **/*.css",
	"drop oarlock --files **/*.min.js", "move LIB vendor/LIB", "move LIB js", "move LIB lib/LIB",
	"move oarlock:dist/oarlock.min.js js/", "move oarlock:dist/oarlock.js js/deep/o.js",
	"move js/club.js js/own/", "move js/own/club.js js/", "move css/club.css styles/", "move styles/club.css css/",
	"move img/gull.svg img/birds/gull.svg", "move img/birds img/b2", "move tides.html pages/tides.html",
	"move pages/tides.html tides.html", "move lib packages", "move js scripts", "move scripts js",
	"settle", "include tidechart --only dist/tidechart-marks.js --page PAGE",
	"omit tidechart --only dist/tidechart.min.js --page PAGE", "move --found",
	"refill", "check --fix", "order ** --fix", "undo", "undo", "undo 2", "undo 3", "undo --again", "undo --again",
	"include js/club.js --page PAGE", "omit js/club.js --page PAGE",
}

// harmless are findings that a sequence may well lead to: what somebody asked for by leaving something out.
var harmless = []string{"need-absent", "unused-library", "on-no-page", "map-missing", "unrecorded-library",
	"syntax-newer", "script-fails", "link-plain", "two-versions", "old-path", "class-gone", "global-gone"}

// TestRandomSequences: whatever came before, each command that succeeds leaves records, disk and pages in agreement,
// and the order of the pages right; and undo leads back to the beginning, and forward again to the end.
func TestRandomSequences(t *testing.T) {
	t.Parallel()
	seeds := int64(trials.Rounds(5, 40))
	for seed := range seeds {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewSource(seed))
			s, _ := merrytest.Linked(t)
			s.Register()
			s.Run("drop", "brinework")
			s.Run("drop", "oarlock")
			if err := os.RemoveAll(filepath.Join(s.Dir, ".merry", "changes")); err != nil { // what is undone ends here
				t.Fatal(err)
			}
			// The site's states: those that undoing leads back to, the present one last, and those that doing again
			// leads to, the next one last.
			past, future := []string{s.State()}, []string(nil)
			var done []string
			for range 16 {
				command := actions[r.Intn(len(actions))]
				command = strings.ReplaceAll(command, "PAGE", []string{"index.html", "tides.html",
					"crews/index.html"}[r.Intn(3)])
				command = strings.ReplaceAll(command, "LIB", []string{"oarlock", "brinework", "tidechart", "flags",
					"logbook"}[r.Intn(5)])
				result := s.Try(strings.Fields(command)...)
				done = append(done, fmt.Sprintf("%s (%d)", command, result.Status))
				if strings.Contains(result.Err, "bug in merry") || result.Status > 3 {
					t.Fatalf("%s\n%s", strings.Join(done, "\n"), result.Err)
				}
				now := s.State()
				switch word, rest, _ := strings.Cut(command, " "); {
				case word == "undo" && rest == "--again" && len(future) > 0:
					past, future = append(past, future[len(future)-1]), future[:len(future)-1]
				case word == "undo" && rest != "--again":
					steps, err := strconv.Atoi(rest)
					if err != nil {
						steps = 1
					}
					for n := 0; n < steps && steps < len(past)+n; n++ {
						// all of them, or where there are not so many none
						past, future = past[:len(past)-1], append(future, past[len(past)-1])
					}
				case word != "undo" && now != past[len(past)-1]:
					past, future = append(past, now), nil
				}
				if now != past[len(past)-1] {
					t.Fatalf("after\n%s\nthe site is in another state than it was", strings.Join(done, "\n"))
				}
				agrees(t, s, done)
			}
			if steps := len(past) - 1; steps > 0 {
				s.Run("undo", strconv.Itoa(steps))
			}
			if s.State() != past[0] {
				t.Errorf("undo does not lead back after\n%s", strings.Join(done, "\n"))
			}
			for n := 1; n < len(past); n++ {
				if s.Run("undo", "--again"); s.State() != past[n] {
					t.Fatalf("step %d of doing it again leads elsewhere after\n%s", n, strings.Join(done, "\n"))
				}
			}
		})
	}
}

// agrees holds records, disk and pages against each other.
func agrees(t *testing.T, s *merrytest.Site, done []string) {
	t.Helper()
	var checked struct {
		Findings []struct{ Name, File, Message string }
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--json", "--no-rehearse").Out), &checked); err != nil {
		t.Fatal(err)
	}
	for _, f := range checked.Findings {
		// one library that somebody took under two names
		twoNames := f.Name == "included-twice" && strings.Contains(f.Message, "is another build of")
		if !slices.Contains(harmless, f.Name) && !twoNames {
			t.Fatalf("after\n%s\ncheck says %s: %s: %s", strings.Join(done, "\n"), f.Name, f.File, f.Message)
		}
	}
	if out := s.Run("settle", "--dry-run"); !strings.Contains(out, "settled: files, seal and pages match the "+
		"packing list") {
		t.Fatalf("after\n%s\nthere is something to settle:\n%s", strings.Join(done, "\n"), out)
	}
	var answer struct {
		Pages []struct {
			Page        string
			Constraints []struct{ State, Reason string }
		}
	}
	if err := json.Unmarshal([]byte(s.Run("order", "**", "--json")), &answer); err != nil {
		t.Fatal(err)
	}
	for _, p := range answer.Pages {
		for _, c := range p.Constraints {
			if c.State != "kept" {
				t.Fatalf("after\n%s\n%s: %s: %s", strings.Join(done, "\n"), p.Page, c.State, c.Reason)
			}
		}
	}
}
