package cli

import (
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

// TestVerbsThatPeopleTry: a command that is no command leads to the command that does what it means, and no command
// means two.
func TestVerbsThatPeopleTry(t *testing.T) {
	root := Command()
	for verb, want := range map[string]string{"add": "take", "install": "take", "list": "contents", "remove": "drop",
		"update": "repin", "INIT": "start"} {
		if got := suggestions(root, verb); !slices.Equal(got, []string{want}) {
			t.Errorf("%s leads to %v, want %s", verb, got, want)
		}
	}
	seen := map[string]string{}
	for name, words := range meant {
		if c, _, err := root.Find([]string{name}); err != nil || c == root {
			t.Errorf("there is no command %s", name)
		}
		for _, w := range strings.Fields(words) {
			if seen[w] != "" {
				t.Errorf("%s means %s and %s", w, seen[w], name)
			}
			seen[w] = name
			if c, _, err := root.Find([]string{w}); err == nil && c != root {
				t.Errorf("%s is a command", w)
			}
		}
	}
}

// TestFlagsThatPeopleTry: every flag of the table exists, and a word leads to the flag of the command available.
func TestFlagsThatPeopleTry(t *testing.T) {
	root := Command()
	for name := range flagMeanings {
		if !slices.ContainsFunc(root.Commands(), func(c *cobra.Command) bool {
			return c.Flags().Lookup(name) != nil || root.PersistentFlags().Lookup(name) != nil
		}) {
			t.Errorf("no command has --%s", name)
		}
	}
	for typed, want := range map[string]string{
		"take --force": "--overwrite?", "drop --force": "--even-if-needed?", "take --dest": "--into?",
		"check --cwd":    "--in?",
		"take --redable": "--readable?", "check --zzzzzzzzz": "merry check --help",
	} {
		words := strings.Fields(typed)
		c, _, err := root.Find(words[:1])
		if err != nil {
			t.Fatal(err)
		}
		if got := nearFlag(c, c.ParseFlags(words[1:])); !strings.Contains(got, want) {
			t.Errorf("%s leads to %q, want %q", typed, got, want)
		}
	}
}
