package merrytest

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
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
