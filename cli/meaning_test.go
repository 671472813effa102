package cli

import (
	"slices"
	"strings"
	"testing"
)

// TestVerbsThatPeopleTry: a verb that is no command leads to the command that does what it means, and no verb means two.
func TestVerbsThatPeopleTry(t *testing.T) {
	root := Command()
	for verb, want := range map[string]string{"add": "take", "install": "take", "list": "contents", "remove": "drop", "update": "repin", "INIT": "start"} {
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
