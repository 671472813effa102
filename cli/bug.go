package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
)

// reportBug writes what a fault of merry itself was into a file that the user can send, and returns the problem to
// print.
func (a *app) reportBug(ran *cobra.Command, err error) *problem.Problem {
	p := &problem.Problem{Code: problem.Bug, Class: problem.Internal, Err: err, What: "this is a bug in merry: " +
		firstLine(err.Error()), Next: []string{"report it, with the command that you typed"}}
	var stack []byte
	var panicked *parallel.Panic
	if errors.As(err, &panicked) {
		stack = panicked.Stack
	}
	dir, derr := stateDir()
	if derr != nil {
		return p
	}
	name := filepath.Join(dir, "faults", "merry-fault-"+time.Now().UTC().Format("20060102-150405")+".txt")
	text := fmt.Sprintf("merry %s, %s/%s, %s\ncommand: %s\nfault: %s\n\n%s", builtAs().text(), runtime.GOOS,
		runtime.GOARCH, runtime.Version(), commandWords(ran), err, withoutPaths(stack))
	if os.MkdirAll(filepath.Dir(name), 0o700) != nil || os.WriteFile(name, []byte(text), 0o600) != nil {
		return p
	}
	p.Next = []string{"read " + name + " and send it to the makers of merry; it holds the command, its flags without " +
		"their values, the error, and where in merry it happened"}
	return p
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

// commandWords names a command and its flags, without their values and without arguments: those may be private.
func commandWords(ran *cobra.Command) string {
	if ran == nil {
		return "merry"
	}
	words := []string{ran.CommandPath()}
	ran.Flags().Visit(func(f *pflag.Flag) { words = append(words, "--"+f.Name) })
	return show.Text(strings.Join(words, " "))
}

// withoutPaths takes the folders of the machine out of a stack: a file's own name and the line are enough.
func withoutPaths(stack []byte) string {
	lines := strings.Split(string(stack), "\n")
	for i, line := range lines {
		if place, ok := strings.CutPrefix(line, "\t"); ok {
			lines[i] = "\t" + filepath.Base(place)
		}
	}
	return strings.Join(lines, "\n")
}

// program is this program's version, "" if it was not built from one.
func program() string {
	if released != "" {
		return released
	}
	if info, ok := debug.ReadBuildInfo(); ok {
		return info.Main.Version
	}
	return ""
}
