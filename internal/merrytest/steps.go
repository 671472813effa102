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

var step = regexp.MustCompile(`(?m)^ *next: +(merry .*)$`)

// Steps are the commands that an answer says to type next.
func (r Result) Steps() []string {
	var list []string
	for _, m := range step.FindAllStringSubmatch(r.Out+"\n"+r.Err, -1) {
		list = append(list, m[1])
	}
	return list
}

// Shell runs a line as a shell would, with the program in its path, and returns how it ended.
func (s *Site) Shell(line string) Result {
	s.T.Helper()
	shell, err := exec.LookPath("sh")
	if err != nil {
		s.T.Skip("there is no shell here")
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

// follow types what an answer says to type next, in a copy of the site, and demands that it works. A step of each shape is typed once:
// the same command with the same flags, after the same command.
func (s *Site) follow(step string, args []string) {
	s.T.Helper()
	words := strings.Fields(step)
	if testing.Short() || len(words) < 2 || slices.Contains(args, "--in") || slices.Contains([]string{"serve", "look", "demo", "help", "completion"}, words[1]) {
		return // what runs on, or needs a browser
	}
	if _, again := followed.LoadOrStore(shapeOf(words)+" after "+shapeOf(append([]string{"merry"}, args...)), true); again {
		return
	}
	if _, err := os.Stat(s.Dir); err != nil {
		return
	}
	c := s.Copy()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
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
	if status == 0 || status == 1 && !strings.Contains(errOut.String(), "merry: ") { // findings are an answer
		return
	}
	s.T.Errorf("merry %s says next: %s\nwhich ends with status %d\n%s", strings.Join(args, " "), step, status, fmt.Sprint(out.String(), errOut.String()))
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
