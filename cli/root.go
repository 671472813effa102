// Package cli is the command line: one file a command, each turning flags into a request to package
// crate and the answer into text or JSON. It decides nothing about libraries or pages itself.
package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"merrycrate.example/merry/cli/sandbox"
	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
)

// app is one run of the program.
type app struct {
	in       io.Reader
	out, err io.Writer
	folds    *show.Folder // out, as it folds lines
	plain    io.Writer    // the output as it was handed in
	paint    show.Paint
	named    bool   // the user said --in
	dir      string // where the command was given, or what --in says; of several sites, the one whose turn it is
	top      string // of several sites, where the command was given
	json     bool
	dry      bool
	offline  bool
	quiet    bool // print errors alone
	// collected is where an answer goes that is one of several, nil if it is printed.
	collected *any
	// recorded gets the next steps of an answer instead of the output, while the answer is made into JSON.
	recorded *[]string
	leading  bool // the answer's next steps have begun
	// For an editor: the texts that are not saved, by absolute paths, and where the files of a dry run go.
	unsaved map[string][]byte
	keep    func(name string, content []byte)
	rooms   *sandbox.Pool // that several commands of one run share, nil for one
	bars    *progress
	waits   *waiting
}

// Run runs the program until it ends or the context is cancelled, and returns its exit status: 0 fine, 1 findings or a
// refusal, 2 wrong usage, 3 a fault outside, 4 a fault of its own, 130 stopped.
func Run(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	answer := &written{to: out}
	status := run(ctx, args, in, out, answer, errOut)
	if answer.err == nil || errors.Is(answer.err, syscall.EPIPE) { // whoever read it has had enough
		return status
	}
	fmt.Fprintf(errOut, "merry: the answer could not be written: %v\nnext:  make room there, or write it elsewhere; "+
		"merry undo --list  # shows whether anything was changed\n", answer.err)
	return exitOutside
}

// exitOutside is the status of a fault outside of the program.
const exitOutside = 3

// written remembers that an answer could not be written: a program that reads only a part of one must learn that.
type written struct {
	to  io.Writer
	err error
}

// Write writes to the output, until that fails.
func (w *written) Write(b []byte) (int, error) {
	if w.err != nil {
		return 0, w.err
	}
	n, err := w.to.Write(b)
	w.err = err
	return n, err
}

// run is Run, with the output itself, which may be a terminal, and what is written to it.
func run(ctx context.Context, args []string, in io.Reader, out io.Writer, answer *written, errOut io.Writer) int {
	collectSeldom()
	paint := show.PaintFor(out)
	if f, ok := out.(*os.File); ok && isTerminal(out) {
		if width, _, err := term.GetSize(int(f.Fd())); err == nil {
			show.Columns = width
		}
	}
	return (&app{in: in, plain: out, paint: paint}).execute(ctx, args, answer, errOut)
}

// execute runs a command line.
func (a *app) execute(ctx context.Context, args []string, answer *written, errOut io.Writer) int {
	paint := a.paint
	safe := &show.SafeWriter{To: behind{a, answer}, Colours: bool(paint)}
	defer safe.End()
	buffered := bufio.NewWriterSize(safe, 64<<10)
	defer buffered.Flush()
	a.folds = &show.Folder{To: buffered}
	defer a.folds.End()
	a.out, a.err = a.folds, flushFirst{a.folds, buffered, &show.SafeWriter{To: behind{a, errOut}, Colours: bool(paint)}}
	root := a.root()
	if len(args) > 0 && args[0] == cobra.ShellCompRequestCmd {
		plainUsages(root)
	}
	root.SetArgs(args)
	root.SetIn(a.in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	var ran *cobra.Command
	err := parallel.Recover(func() (err error) {
		ran, err = root.ExecuteContextC(ctx)
		return err
	})
	a.waits.end()
	a.bars.end()
	if err == nil {
		return 0
	}
	a.json = a.json || slices.Contains(args, "--json") // a flag before it may have been wrong
	var quiet quietStatus
	if errors.As(err, &quiet) {
		return int(quiet)
	}
	return a.report(ran, err)
}

// collectSeldom sets how often memory is collected: runs are short, so collecting often costs more than it frees.
// Chosen by measurement, on peek of an archive of 53 MB with many large builds: 400 percent 4.6 s of processor time and
// 480 MB, 200 percent 4.5 s and 420 MB, 100 percent 6.0 s and 375 MB. Commands on a small project take 20 MB whatever
// is set.
func collectSeldom() {
	debug.SetGCPercent(200)
	debug.SetMemoryLimit(1 << 30)
}

// flushFirst keeps what goes to the two outputs in the order in which it was written.
type flushFirst struct {
	folds *show.Folder
	out   *bufio.Writer
	err   io.Writer
}

// Write writes to the error output what was not written before.
func (f flushFirst) Write(b []byte) (int, error) {
	f.folds.End()
	f.out.Flush()
	return f.err.Write(b)
}

// flush prints what was written so far, for commands that go on.
func (a *app) flush() { a.err.Write(nil) }

// quietStatus ends the program with a status whose reason has been printed.
type quietStatus int

// Error says the status.
func (q quietStatus) Error() string { return fmt.Sprintf("status %d", int(q)) }

// misuse makes the error of flags or arguments that do not go together; help on the command is the next step.
func misuse(format string, args ...any) error { return problem.Misuse("", format, args...) }

// report prints an error, and returns the exit status that its class has.
func (a *app) report(ran *cobra.Command, err error) int {
	p := problem.Of(err)
	if p.Class == problem.Internal {
		p = a.reportBug(ran, err)
	}
	next := slices.DeleteFunc(slices.Clone(p.Next), func(n string) bool { return n == "" })
	if len(next) == 0 {
		next = []string{ran.CommandPath() + " --help"}
	}
	if a.json {
		a.printJSON(errorAnswer{p.What, p.Code, p.Class.String(), strings.Join(next, "; ")})
		return int(p.Class)
	}
	text := "merry: " + show.Lines(p.What) + "\n"
	for _, n := range next {
		text += show.Steps("next:  ", n)
	}
	for line := range strings.Lines(text) {
		fmt.Fprintln(a.err, show.FoldLine(strings.TrimSuffix(line, "\n")))
	}
	return int(p.Class)
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "merry",
		Short: "Add third-party libraries to websites that are built without a bundler",
		Long: `Merry adds third-party libraries to websites that are built without a bundler. It
takes the right files from a download, a registry or a CDN, and puts their tags on
pages in the right order. It records hashes, and reports what a browser will trip
over before you open it. Every change can be previewed with --dry-run and reverted
with undo.

A first tour:   merry demo`,
		Example: `  merry start                                     find the site's folders, write crate.yaml
  merry peek ../downloads/oarlock-2.0.3.zip       look inside a download
  merry take ../downloads/oarlock-2.0.3.zip --page '**'
  merry check                                     find what a browser would trip over`,
		SilenceErrors:     true,
		SilenceUsage:      true,
		PersistentPreRunE: func(c *cobra.Command, _ []string) error { return a.begin(c) },
	}
	root.SuggestionsMinimumDistance = 2
	root.CompletionOptions.DisableDefaultCmd = true
	root.PersistentFlags().BoolVar(&a.json, "json", false, "print the answer as JSON")
	root.PersistentFlags().BoolVar(&a.quiet, "quiet", false, "print errors only")
	root.PersistentFlags().BoolVar(&a.offline, "offline", false, "open no connection")
	root.PersistentFlags().StringVar(&a.dir, "in", "", "work in the project in `DIR` (default: the current folder)")
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		var bad *pflag.InvalidValueError
		if errors.As(err, &bad) {
			return problem.Misuse(c.CommandPath()+" --help", "--%s %s: write %s", bad.GetFlag().Name, bad.GetValue(),
				shapeOf(bad.GetFlag().Value.Type()))
		}
		return problem.Misuse(nearFlag(c, err), "%w", err)
	})
	root.AddCommand(a.commands()...)
	suggestByMeaning(root)
	explainArguments(root)
	a.complete(root)
	root.Args = func(c *cobra.Command, args []string) error {
		if len(args) > 0 {
			next := "merry help  # lists the commands"
			if near := suggestions(c, args[0]); len(near) > 0 {
				next = "merry " + strings.Join(near, " --help; merry ") + " --help"
			}
			return problem.Misuse(next, "there is no command %q", args[0])
		}
		return nil
	}
	root.RunE = func(c *cobra.Command, args []string) error {
		if version, err := c.Flags().GetBool("version"); err == nil && version {
			return a.printVersion()
		}
		return c.Help()
	}
	root.SetHelpCommand(helpOn(root))
	printed := root.HelpFunc()
	root.SetHelpFunc(func(c *cobra.Command, args []string) {
		if a.json {
			a.printJSON(helpOf(c))
			return
		}
		printed(c, args)
	})
	group(root)
	ownHelp(root)
	return root
}

// begin runs before each command: it starts the progress text and finds the folder to work in.
func (a *app) begin(c *cobra.Command) error {
	a.wait(c.Name())
	if a.named = a.dir != ""; !a.named {
		dir, err := os.Getwd()
		if err != nil {
			return problem.Fault(problem.DiskFault, "change to the folder of a project", "the current folder "+
				"does not exist any more, or can't be read")
		}
		a.dir = dir
		return nil
	}
	switch info, err := os.Stat(a.dir); {
	case errors.Is(err, fs.ErrNotExist):
		return problem.Misuse("name the folder of a project", "--in %s: there is no such folder", a.dir)
	case err == nil && !info.IsDir():
		return problem.Misuse("name the folder that contains it", "--in %s: it is a file, not a folder", a.dir)
	}
	return nil
}

// commands returns all commands.
func (a *app) commands() []*cobra.Command {
	return []*cobra.Command{
		a.start(), a.peek(), a.take(), a.include(), a.omit(), a.onSites(a.check(), "sarif", "report",
			"watch", "baseline", "explain"), a.onSites(a.contents()), a.seal(), a.undo(), a.onSites(a.refill()),
		a.drop(),
		a.move(), a.settle(), a.cache(), a.sources(),
		a.onSites(a.versions()), a.hold(), a.repin(), a.switchCommand(), a.adopt(), a.order(), a.compare(),
		a.onSites(a.bill(), "form"), a.serve(), a.look(), a.editor(), a.sandbox(), a.completion(), a.demo(),
	}
}

// released is the version that a release's build sets; "" in all other builds.
var released string

// Command is the whole command line with its help, for manual pages; Run runs it.
func Command() *cobra.Command {
	return (&app{in: strings.NewReader(""), out: io.Discard, err: io.Discard}).root()
}

// builtAs returns the version of the program, the commit of its source, and what built it, as the build recorded them.
func builtAs() versionAnswer {
	v := versionAnswer{Version: "development build", Go: runtime.Version(), OS: runtime.GOOS, Arch: runtime.GOARCH}
	if info, ok := debug.ReadBuildInfo(); ok {
		if info.Main.Version != "" && info.Main.Version != "(devel)" {
			v.Version = info.Main.Version
		}
		for _, s := range info.Settings {
			switch {
			case s.Key == "vcs.revision":
				v.Commit = s.Value[:min(12, len(s.Value))]
			case s.Key == "vcs.modified" && s.Value == "true":
				v.Commit += " with changes"
			}
		}
	}
	if released != "" {
		v.Version = released
	}
	return v
}

// printVersion answers --version.
func (a *app) printVersion() error {
	v := builtAs()
	return a.answer(v, func() { a.printf("merry %s\n", v.text()) })
}

func (v versionAnswer) text() string {
	commit := ""
	if v.Commit != "" {
		commit = ", commit " + v.Commit
	}
	return fmt.Sprintf("%s%s, %s, %s/%s", v.Version, commit, v.Go, v.OS, v.Arch)
}

// shapeOf says how a flag's value of some type is written.
func shapeOf(kind string) string {
	switch kind {
	case "duration":
		return "a time, such as 30s or 1h"
	case "int", "int64":
		return "a number"
	case "intSlice":
		return "numbers separated by commas, such as 360,1280"
	case "bool":
		return "no value, or =false"
	}
	return "another value"
}

// explainArguments makes mistakes in arguments say what to type next, in all commands below c.
func explainArguments(c *cobra.Command) {
	for _, c := range c.Commands() {
		if check := c.Args; check != nil {
			c.Args = func(c *cobra.Command, args []string) error {
				if check(c, args) == nil {
					return nil
				}
				wrong := "the arguments don't fit"
				if len(args) == 0 {
					wrong = "an argument is missing"
				}
				return problem.Misuse(c.CommandPath()+" --help", "%s: %s; it is typed: %s", c.Name(), wrong,
					c.UseLine())
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

// printf prints for a person: nothing where errors alone are wanted. What is for machines is printed anyway.
func (a *app) printf(format string, args ...any) {
	if !a.quiet && a.recorded == nil {
		fmt.Fprintf(a.out, format, args...)
	}
}

// verbatim prints a text whose lines are not folded: a diff, a file, code.
func (a *app) verbatim(text string) {
	if !a.quiet && a.recorded == nil {
		a.write(text)
	}
}

// write writes a text for programs, which is not folded, and not left out under --quiet either.
func (a *app) write(text string) {
	if a.folds == nil {
		io.WriteString(a.out, text)
		return
	}
	a.folds.Pass(text)
}

// next prints what to do next: steps separated by "; ", each a command or an action of a person.
func (a *app) next(format string, args ...any) {
	steps := fmt.Sprintf(format, args...)
	if a.offline {
		steps = offlineSteps(steps)
	}
	if a.recorded != nil {
		*a.recorded = append(*a.recorded, steps)
		return
	}
	if !a.leading {
		a.printf("\n")
	}
	a.leading = true
	a.printf("%s", show.Steps(a.paint.Dim("next:")+" ", steps))
}

// offlineSteps adds --offline to commands: who wanted no connection wants none for the next step.
func offlineSteps(steps string) string {
	list := strings.Split(steps, "; ")
	for i, step := range list {
		command, comment, has := strings.Cut(step, "  #")
		if !strings.HasPrefix(command, "merry ") {
			continue
		}
		if list[i] = command + " --offline"; has {
			list[i] += "  #" + comment
		}
	}
	return strings.Join(list, "; ")
}

// sandbox is the hidden command that a rehearsal's own process runs.
func (a *app) sandbox() *cobra.Command {
	return &cobra.Command{Use: sandbox.Command, Hidden: true, Args: cobra.NoArgs, RunE: func(*cobra.Command,
		[]string) error {
		return sandbox.Serve(a.in, a.plain, crate.SandboxLimit, crate.ServeSandbox)
	}}
}
