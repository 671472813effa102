// Package pasted holds commands that answers say to type next against the command line.
package pasted

import (
	"fmt"
	"regexp"

	"github.com/google/shlex"

	"merrycrate.example/merry/cli"
)

// placeholder is a word that stands for another one: nobody can paste that.
var placeholder = regexp.MustCompile(`(^|[@=:/])[A-Z]{3,}$`)

// Fault tells what is wrong with a command that is to work when it is pasted: it must be one that there is, with flags
// that it has and arguments that are none of a person's to fill in.
func Fault(line string) error {
	words, err := shlex.Split(line)
	if err != nil {
		return err
	}
	for _, w := range words {
		if placeholder.MatchString(w) && w != "HEAD" {
			return fmt.Errorf("%s is to be filled in", w)
		}
		if w == "<" { // from a file
			words = words[:len(words)-2]
		}
	}
	if words[len(words)-1] == "--help" {
		return nil
	}
	if words[1] == "help" {
		_, _, err := cli.Command().Find(words[2:])
		return err
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
