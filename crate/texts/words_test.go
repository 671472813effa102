package texts

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// TestCommand: words come back from a shell as they were.
func TestCommand(t *testing.T) {
	shell, err := exec.LookPath("sh")
	if err != nil {
		t.Skip("this system has no POSIX shell")
	}
	all := []string{"", " ", "\t", "a\nb", "$HOME", "`id`", `\`, "#no", "~", "a=b", "[x]", "{a,b}", "!x", `"`, "'",
		"a;b", "a&b", "<x>", "(x)", "ü", "*", "--", "a|b", "x?", "é'\""}
	out, err := exec.Command(shell, "-c", `for word in `+Command(all)+`; do printf '%s\001' "$word"; done`).Output()
	if err != nil || string(out) != strings.Join(all, "\x01")+"\x01" {
		t.Errorf("%v: a shell reads %q as %q", err, all, strings.Split(string(out), "\x01"))
	}
}

// TestSteps: a semicolon parts two steps, but not within quotes; a letter's apostrophe is none.
func TestSteps(t *testing.T) {
	for text, want := range map[string][]string{
		"merry check": {"merry check"}, "merry check; merry undo  # reverts this": {"merry check",
			"merry undo  # reverts this"},
		"merry check 'a; b.html'; wait":         {"merry check 'a; b.html'", "wait"},
		"tell the registry's operator; or wait": {"tell the registry's operator", "or wait"}, "it's 'so": {"it's 'so"},
		"": {""},
	} {
		if got := Steps(text); !slices.Equal(got, want) {
			t.Errorf("%q has the steps %q, want %q", text, got, want)
		}
	}
}
