// Package cli is the command line: one file a command, each turning flags into a request to package
// crate and the answer into text or JSON. It decides nothing about libraries or pages itself.
package cli

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/change"
)

// app is one run of the program.
type app struct {
	in       io.Reader
	out, err io.Writer
	paint    paint
	dir      string // where the command was given, or what --in says
	json     bool
	dry      bool
	offline  bool
	fault    *change.Fault
}

// faultVariable names the environment variable by which tests stop the program at a chosen write.
const faultVariable = "MERRY_FAULT"

// Run runs the program and returns its exit status: 0 fine, 1 findings or a refusal, 2 wrong usage,
// 3 a fault outside.
func Run(args []string, in io.Reader, out, errOut io.Writer) int {
	// Runs are short and small: collecting less often costs little memory, up to a limit.
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(64 << 20)
	buffered := bufio.NewWriterSize(out, 64<<10)
	defer buffered.Flush()
	a := &app{in: in, out: buffered, err: flushFirst{buffered, errOut}, paint: paintFor(out)}
	var err error
	if a.fault, err = change.ParseFault(os.Getenv(faultVariable)); err != nil {
		fmt.Fprintln(errOut, "merry:", err)
		return int(crate.Usage)
	}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	err = root.Execute()
	if err == nil {
		return 0
	}
	var quiet quietStatus
	if errors.As(err, &quiet) {
		return int(quiet)
	}
	return a.report(err)
}

// flushFirst keeps what goes to the two outputs in the order in which it was written.
type flushFirst struct {
	out *bufio.Writer
	err io.Writer
}

func (f flushFirst) Write(b []byte) (int, error) {
	f.out.Flush()
	return f.err.Write(b)
}

// quietStatus ends the program with a status whose reason has been printed.
type quietStatus int

func (q quietStatus) Error() string { return fmt.Sprintf("status %d", int(q)) }

// usageError is a mistake in flags or arguments.
type usageError struct{ error }

func (a *app) report(err error) int {
	class := crate.ClassOf(err)
	var u usageError
	if errors.As(err, &u) {
		class = crate.Usage
	}
	var next []string
	var p *crate.Problem
	if errors.As(err, &p) {
		next = p.Next
	}
	if a.json {
		a.printJSON(map[string]any{"error": err.Error(), "next": next})
		return int(class)
	}
	fmt.Fprintf(a.err, "merry: %s\n", err)
	for _, n := range next {
		fmt.Fprintf(a.err, "next:  %s\n", n)
	}
	return int(class)
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "merry",
		Short: "Brings third-party libraries into a web project, and keeps its pages right",
		Long: `Merry brings third-party libraries into a web project that is made of pages: it looks inside
downloads, takes the files that a page wants, puts them where the site keeps such files, seals
them with hashes, includes them on pages in the right order, and checks what a browser would
trip over.

A first tour:   merry demo`,
		Example: `  merry start                                     learn the site, write crate.yaml
  merry peek ../downloads/oarlock-2.0.3.zip       look inside a download
  merry take ../downloads/oarlock-2.0.3.zip --page '**'
  merry check                                     find what a browser would trip over`,
		SilenceErrors: true,
		SilenceUsage:  true,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			if a.dir == "" {
				dir, err := os.Getwd()
				a.dir = dir
				return err
			}
			return nil
		},
	}
	root.SuggestionsMinimumDistance = 2
	root.CompletionOptions.HiddenDefaultCmd = true
	root.PersistentFlags().BoolVar(&a.json, "json", false, "print the answer as JSON")
	root.PersistentFlags().BoolVar(&a.offline, "offline", false, "never open a connection")
	root.PersistentFlags().StringVar(&a.dir, "in", "", "work in the project of `DIR` instead of this folder's")
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return usageError{fmt.Errorf("%w\nnext:  %s --help", err, c.CommandPath())}
	})
	root.AddCommand(a.start(), a.peek(), a.take(), a.include(), a.omit(), a.check(), a.contents(), a.seal(), a.undo(), a.refill(), a.drop(), a.cache(), a.sources(),
		a.versions(), a.hold(), a.repin(), a.switchCommand(), a.adopt(), a.order(), a.compare(), a.bill(), a.room(), a.demo())
	explainArguments(root)
	root.Args = func(c *cobra.Command, args []string) error {
		if len(args) > 0 {
			next := "merry help lists the commands"
			if near := c.SuggestionsFor(args[0]); len(near) > 0 {
				next = "did you mean merry " + strings.Join(near, " or merry ") + "?"
			}
			return usageError{fmt.Errorf("there is no command %q\nnext:  %s", args[0], next)}
		}
		return nil
	}
	root.RunE = func(c *cobra.Command, args []string) error { return c.Help() }
	return root
}

// explainArguments makes mistakes in arguments say what to type next, in all commands below c.
func explainArguments(c *cobra.Command) {
	for _, c := range c.Commands() {
		if check := c.Args; check != nil {
			c.Args = func(c *cobra.Command, args []string) error {
				if err := check(c, args); err != nil {
					return usageError{fmt.Errorf("%s: %w\nnext:  %s --help", c.Name(), err, c.CommandPath())}
				}
				return nil
			}
		}
		explainArguments(c)
	}
}

// changes gives a command the flag for a dry run.
func (a *app) changes(c *cobra.Command) *cobra.Command {
	c.Flags().BoolVar(&a.dry, "dry-run", false, "show the files and the diff, and change nothing")
	return c
}

func (a *app) options() change.Options { return change.Options{Dry: a.dry, Fault: a.fault} }

// open opens the project and says what it had to put right.
func (a *app) open() (*crate.Project, error) { return a.openWith(sourceFlags{}) }

func (a *app) openWith(s sourceFlags) (*crate.Project, error) {
	reach, err := a.reach(s)
	if err != nil {
		return nil, err
	}
	p, err := crate.Open(a.dir, reach, a.options())
	if err != nil {
		return nil, err
	}
	a.putRight(p.PutRight)
	return p, nil
}

func (a *app) putRight(said []string) {
	for _, s := range said {
		fmt.Fprintln(a.err, "put right:", s)
	}
}

func (a *app) printJSON(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

func (a *app) printf(format string, args ...any) { fmt.Fprintf(a.out, format, args...) }

// answer prints v as JSON where that was asked for, else runs text.
func (a *app) answer(v any, text func()) error {
	if a.json {
		return a.printJSON(v)
	}
	text()
	return nil
}

func (a *app) next(format string, args ...any) {
	a.printf("\n%s %s\n", a.paint.dim("next:"), fmt.Sprintf(format, args...))
}
