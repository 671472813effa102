package merrytest

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"

	"github.com/google/shlex"

	"merrycrate.example/merry/cli"
)

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

// placeholder is a word that stands for another one: nobody can paste that.
var placeholder = regexp.MustCompile(`(^|[@=:/])[A-Z]{3,}$`)

// pasted tells what is wrong with a command that is to work when it is pasted: it must be one that there is, with flags that it has and arguments
// that are none of a person's to fill in.
func pasted(line string) error {
	words, err := shlex.Split(line)
	if err != nil {
		return err
	}
	for _, w := range words {
		if placeholder.MatchString(w) {
			return fmt.Errorf("%s is to be filled in", w)
		}
		if w == "<" { // from a file
			words = words[:len(words)-2]
		}
	}
	if len(words) == 2 && words[1] == "help" || strings.HasSuffix(line, "--help") {
		return nil
	}
	command, args, err := cli.Command().Find(words[1:])
	if err != nil {
		return err
	}
	if err := command.ParseFlags(args); err != nil {
		return err
	}
	if err := command.ValidateArgs(command.Flags().Args()); err != nil {
		return err
	}
	if command.HasSubCommands() && len(command.Flags().Args()) > 0 {
		return fmt.Errorf("%s has no %s", command.CommandPath(), command.Flags().Args()[0])
	}
	return nil
}
