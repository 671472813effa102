package cli

import (
	"bytes"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

func TestDiffsArePainted(t *testing.T) {
	a := &app{paint: true}
	if got := a.diff("--- a\n+++ b\n@@ x\n-1\n+2\n 3\n"); strings.Count(got, "\x1b[0m") != 5 {
		t.Errorf("a diff is painted %q", got)
	}
}

func TestRenames(t *testing.T) {
	if m, err := pairs("--rename", "OLD=NEW", []string{"a.js=b.js"}); err != nil || m["a.js"] != "b.js" {
		t.Errorf("%v, %v", m, err)
	}
	for _, bad := range []string{"a.js", "=b", "a="} {
		if _, err := pairs("--rename", "OLD=NEW", []string{bad}); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

// TestEveryCommandHelps: each has a line, a text and an example, and changing ones have a dry run.
func TestEveryCommandHelps(t *testing.T) {
	a := &app{out: &bytes.Buffer{}, err: &bytes.Buffer{}}
	changing := []string{"start", "take", "include", "omit", "undo", "refill", "drop", "hold", "repin", "switch",
		"adopt", "order", "check", "move", "settle"}
	var visit func(c *cobra.Command, deep bool)
	visit = func(c *cobra.Command, deep bool) {
		for _, sub := range c.Commands() {
			if sub.Name() == "help" || sub.Name() == "completion" || sub.Hidden {
				continue
			}
			if sub.Short == "" || strings.HasSuffix(sub.Short, ".") || len(sub.Short) > 90 {
				t.Errorf("%s: its line is %q", sub.CommandPath(), sub.Short)
			}
			if !deep && (sub.Long == "" || !strings.Contains(sub.Example, "merry "+sub.Name())) {
				t.Errorf("%s has no text or no example", sub.CommandPath())
			}
			visit(sub, true)
		}
	}
	root := a.root()
	visit(root, false)
	for _, name := range changing {
		c, _, err := root.Find([]string{name})
		if err != nil || c.Flags().Lookup("dry-run") == nil {
			t.Errorf("%s has no --dry-run", name)
		}
	}
}

// TestFlagsSayWhatTheyTake: a flag with a value names it in capitals, in one style, and every command that does
// something has an example.
func TestFlagsSayWhatTheyTake(t *testing.T) {
	a := &app{out: &bytes.Buffer{}, err: &bytes.Buffer{}}
	var visit func(c *cobra.Command)
	visit = func(c *cobra.Command) {
		for _, line := range strings.Split(flagList(c.LocalFlags()), "\n") {
			flag := regexp.MustCompile(`^ +(?:-\w, )?--([\w-]+)(\S*)( \S+)?  `).FindStringSubmatch(line)
			if line != "" && flag == nil {
				t.Errorf("%s: the flag's line is %q", c.CommandPath(), line)
				continue
			}
			if flag == nil {
				continue
			}
			if strings.Contains(line, "(default )") || strings.Count(line, "(default") > 1 {
				t.Errorf("%s: the default is empty, or said twice: %q", c.CommandPath(), line)
			}
			takes := c.LocalFlags().Lookup(flag[1]).Value.Type() != "bool"
			if named := regexp.MustCompile(`^(\[=[A-Z]+\]| [A-Z][A-Z=:.a-z]*)$`).MatchString(flag[2] +
				flag[3]); named != takes {
				t.Errorf("%s: --%s takes a value: %v; its line is %q", c.CommandPath(), flag[1], takes, line)
			}
		}
		if c.Runnable() && !c.Hidden && c.Name() != "help" && !strings.Contains(c.Example, c.CommandPath()) {
			t.Errorf("%s has no example of itself: %q", c.CommandPath(), c.Example)
		}
		for _, sub := range c.Commands() {
			visit(sub)
		}
	}
	visit(a.root())
}
