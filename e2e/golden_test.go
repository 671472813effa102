package e2e

import (
	"bytes"
	"flag"
	"os"
	"regexp"
	"strings"
	"testing"

	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

var update = flag.Bool("update", false, "write the golden files anew")

var (
	port   = regexp.MustCompile(`127\.0\.0\.1:\d+`)
	first  = regexp.MustCompile(`first paint after \S+ \d+ requests.*`)
	called = regexp.MustCompile(`\(\w+/[\d.]+\)`)
	folder = regexp.MustCompile(`(/[^\s,]+)/(site|downloads)\b`)
)

// TestGoldenDemo holds every line that the demo prints, for each of the site's habits. Run it with
// -update, and read the difference, when an output changes.
func TestGoldenDemo(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	played := map[string][]string{"filled": {"--filled"}}
	for _, habit := range demo.Habits[:trials.Rounds(1, len(demo.Habits))] {
		played[habit] = []string{"--habit", habit}
	}
	for habit, flags := range played {
		s := merrytest.Empty(t)
		got := s.Run(append([]string{"demo", "--to", s.Dir + "/demo"}, flags...)...)
		got = folder.ReplaceAllString(port.ReplaceAllString(got, "127.0.0.1:PORT"), "/…/$2")
		got = called.ReplaceAllString(first.ReplaceAllString(got, "first paint after …"), "(BROWSER)")
		file := "testdata/demo-" + habit + ".golden"
		if *update {
			if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
			continue
		}
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		want := strings.Split(string(b), "\n")
		looked := strings.Index(string(b), "# Finally, the pages")
		if !strings.Contains(got, "# Finally, the pages") && habit != "filled" {
			// this machine has no browser
			want = strings.Split(string(b[:looked])+string(b[bytes.Index(b, []byte("The site is in")):]), "\n")
		}
		if at := strings.Index(string(b), "# What the server sends"); at > 0 && !strings.Contains(got, "# What the "+
			"server") {
			want = strings.Split(string(b[:at])+string(b[bytes.Index(b, []byte("# And back.")):]), "\n")
		}
		for i, line := range strings.Split(got, "\n") {
			if i >= len(want) || line != want[i] {
				t.Errorf("%s: line %d is\n%s\nwant\n%s", habit, i+1, line, append(want, "(nothing)")[min(i, len(want))])
				break
			}
		}
	}
}
