package merrytest

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"
)

// Pasted, where it is set, tells what is wrong with a command that an answer says to type next.
var Pasted func(line string) error

var step = regexp.MustCompile(`(?m)^ *next: +(.*)$`)

// Steps are the commands that an answer says to type next.
func (r Result) Steps() []string {
	var list []string
	for _, s := range r.steps() {
		list = append(list, s.line)
	}
	return list
}

// A nextStep is a command to type next. It is ready if nothing is to be done by hand before it.
type nextStep struct {
	line  string
	ready bool
}

func (r Result) steps() []nextStep {
	var list []nextStep
	end, ready := 0, true
	text := r.Out + "\n" + r.Err
	for _, m := range step.FindAllStringSubmatchIndex(text, -1) {
		if line := text[m[2]:m[3]]; text[end:m[0]] != "\n" && strings.TrimSpace(text[end:m[0]]) != "" {
			ready = true // another finding, or another answer
			if strings.HasPrefix(line, "merry ") {
				list = append(list, nextStep{line, ready})
			}
		} else if strings.HasPrefix(line, "merry ") {
			list = append(list, nextStep{line, ready})
		}
		ready = ready && strings.HasPrefix(text[m[2]:m[3]], "merry ")
		end = m[1]
	}
	return list
}

// Shell runs a line as a shell would, with the program in its path, and returns how it ended.
func (s *Site) Shell(line string) Result {
	s.T.Helper()
	shell, err := exec.LookPath("sh")
	if err != nil {
		s.T.Skip("this system has no POSIX shell")
	}
	cmd := s.Command()
	cmd.Path, cmd.Args = shell, []string{"sh", "-c", line}
	cmd.Env = append(cmd.Env, "PATH="+filepath.Dir(Program(s.T))+string(os.PathListSeparator)+os.Getenv("PATH"))
	var out, errOut bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errOut
	if err := cmd.Run(); cmd.ProcessState == nil {
		s.T.Fatal(err)
	}
	return Result{cmd.ProcessState.ExitCode(), out.String(), errOut.String()}
}

// followed are the shapes of next steps that a test has typed already.
var followed sync.Map

// follow types what an answer says to type next, in a copy of the site, and demands that it works. A step of each shape
// is typed once: the same command with the same flags, after the same command.
func (s *Site) follow(step string, args []string) {
	s.T.Helper()
	words := strings.Fields(step)
	if testing.Short() || len(words) < 2 || slices.Contains(args, "--in") || slices.Contains(words, "<") ||
		slices.Contains(args, "--all-sites") || len(args) > 0 && args[0] == "demo" ||
		slices.Contains([]string{"serve", "look", "demo", "help", "completion"}, words[1]) {
		return // what runs on, or needs a browser
	}
	if strings.HasPrefix(step, "merry repin ") || strings.HasPrefix(step, "merry settle --dry-run") {
		return // they may need a choice that only a person can make: another file, or where a download lies
	}
	if _, again := followed.LoadOrStore(shapeOf(words)+" after "+shapeOf(append([]string{"merry"}, args...)),
		true); again {
		return
	}
	if _, err := os.Stat(s.Dir); err != nil {
		return
	}
	c, err := s.copied()
	if err != nil {
		return // a site of names that can't be copied, or that another command is changing
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	shell, err := exec.LookPath("sh")
	if err != nil {
		return
	}
	prepared := c.Command()
	cmd := exec.CommandContext(ctx, shell, "-c", step)
	cmd.Dir = prepared.Dir
	cmd.Env = append(prepared.Env, "PATH="+filepath.Dir(Program(s.T))+string(os.PathListSeparator)+os.Getenv("PATH"))
	var out, errOut bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errOut
	cmd.Run()
	status := cmd.ProcessState.ExitCode()
	if strings.Contains(errOut.String(), "that you never used") {
		return // the refusal that protects this network
	}
	if status == 0 || status == 3 || status == 1 && !strings.Contains(errOut.String(), "merry: ") {
		// findings are an answer, and a server that is away is no dead end
		return
	}
	s.T.Errorf("merry %s says next: %s\nwhich ends with status %d\n%s", strings.Join(args, " "), step, status,
		fmt.Sprint(out.String(), errOut.String()))
}

// shapeOf is a command with its flags, without what they are about.
func shapeOf(words []string) string {
	var shape []string
	for i, w := range words {
		flag, _, _ := strings.Cut(w, "=")
		if i < 2 || strings.HasPrefix(flag, "-") || w == "set" || w == ";" || w == "#" {
			shape = append(shape, flag)
		}
		if w == "#" {
			break
		}
	}
	return strings.Join(shape, " ")
}
