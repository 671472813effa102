package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
)

// completions are lines that people type, up to the cursor, with words that the shell must offer and words that it must
// not offer. The folder is the club's site with two libraries.
var completions = []struct {
	line        string
	want, never []string
}{
	{"merry tak", []string{"take"}, []string{"check"}},
	{"merry order index.html --graph ", []string{"svg", "dot", "mermaid"}, []string{"js"}},
	{"merry seal --algorithm=sha5", []string{"sha512"}, []string{"sha256"}},
	{"merry take x --names ", []string{"shipped", "plain", "versioned"}, nil},
	{"merry bill --form ", []string{"cyclonedx", "notice"}, nil},
	{"merry include br", []string{"brinework"}, nil},
	{"merry include oarlock --page ti", []string{"tides.html"}, nil},
	{"merry move oarlock:dist/oarlock.m", []string{"oarlock.min.js"}, nil},
	{"merry hold oarlock --below 3 --bec", []string{"--because"}, nil},
	{"merry versions ", []string{"oarlock"}, []string{"index.html", "crate.yaml"}},
}

// TestCompletionInShells: bash with and without its completion package, zsh and fish offer what the program knows.
func TestCompletionInShells(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	for name, offered := range map[string]func(t *testing.T, s *merrytest.Site, line string) string{
		"bash": bash(""), "bash with its package": bash("/usr/share/bash-completion/bash_completion"), "zsh": zsh,
		"fish": fish,
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := exec.LookPath(strings.Fields(name)[0]); err != nil {
				t.Skip("this shell is not installed")
			}
			for i, c := range completions {
				if name == "zsh" && i%4 > 0 {
					continue // a line takes seconds there
				}
				got := offered(t, s, c.line)
				for _, w := range c.want {
					if !strings.Contains(got, w) {
						t.Errorf("%q does not offer %q:\n%s", c.line, w, got)
					}
				}
				for _, w := range c.never {
					if strings.Contains(got, w) {
						t.Errorf("%q offers %q:\n%s", c.line, w, got)
					}
				}
				if strings.Contains(got, "`") {
					t.Errorf("%q offers a backtick:\n%s", c.line, got)
				}
			}
		})
	}
}

// shellRun runs a script in a shell, with the program in its path, in the site's folder.
func shellRun(t *testing.T, s *merrytest.Site, shell string, args ...string) string {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, shell, args...)
	cmd.Dir = s.Dir
	cmd.Env = append(s.Command().Env, "PATH="+filepath.Dir(merrytest.Program(t))+string(os.PathListSeparator)+
		os.Getenv("PATH"), "TERM=dumb", "HOME="+s.Home)
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Errorf("%s: %v\n%s", shell, err, out)
	}
	return string(out)
}

// bash calls the completion function as readline does: with the line, and with its words split at "=" and ":", too.
func bash(pkg string) func(t *testing.T, s *merrytest.Site, line string) string {
	return func(t *testing.T, s *merrytest.Site, line string) string {
		t.Helper()
		source := ""
		if pkg != "" {
			if _, err := os.Stat(pkg); err != nil {
				t.Skip("the package bash-completion is not installed")
			}
			source = "source " + pkg + "; "
		}
		var words []string
		for _, w := range strings.Split(line, " ") {
			rest := w
			for {
				i := strings.IndexAny(rest, "=:")
				if i < 0 {
					break
				}
				if i > 0 {
					words = append(words, rest[:i])
				}
				words, rest = append(words, rest[i:i+1]), rest[i+1:]
			}
			if rest != "" || w == "" || strings.HasSuffix(w, "=") {
				words = append(words, rest)
			}
		}
		for i, w := range words {
			words[i] = "'" + w + "'"
		}
		script := fmt.Sprintf("%ssource <(merry completion bash); COMP_LINE='%s' COMP_POINT=%d COMP_WORDS=(%s) "+
			"COMP_CWORD=%d COMP_TYPE=63; __start_merry 2>&1; printf '%%s\\n' \"${COMPREPLY[@]}\"",
			source, line, len(line), strings.Join(words, " "), len(words)-1)
		return shellRun(t, s, "bash", "--norc", "-c", script)
	}
}

func fish(t *testing.T, s *merrytest.Site, line string) string {
	t.Helper()
	return shellRun(t, s, "fish", "--no-config", "-c", fmt.Sprintf("merry completion fish | source; complete -C '%s'",
		line))
}

// zsh types the line and two tabs into a zsh of its own, and returns what that shows.
func zsh(t *testing.T, s *merrytest.Site, line string) string {
	t.Helper()
	script := fmt.Sprintf(`zmodload zsh/zpty
zpty shell zsh -f -i
zpty -w shell "PS1='> '; setopt nobeep autolist noautomenu; LISTMAX=0; stty cols 200; autoload -U compinit; compinit -u -D; source <(merry completion zsh); compdef _merry merry; echo re''ady"
zpty -r shell out '*ready*'
zpty -n -w shell $'%s\t\t'
sleep 1
while zpty -r -t shell out; do print -r -- "$out"; sleep 0.1; done
zpty -d shell`, line)
	_, shown, _ := strings.Cut(shellRun(t, s, "zsh", "-f", "-c", script), line[:min(len(line), 6)])
	return shown
}
