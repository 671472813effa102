package cli

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/editor"
	"merrycrate.example/merry/cli/sandbox"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
)

func (a *app) editor() *cobra.Command {
	c := &cobra.Command{
		Use:   "editor",
		Short: "Serve an editor while you type (Language Server Protocol)",
		Long: `Editor is started by an editor, and speaks the Language Server Protocol 3.17 with it
over standard input and output. The editor then shows the findings of check as you
type, repairs them, completes paths, classes, libraries and globals, and says what a
tag loads. Texts that are not saved count. Nothing is written and no connection is
opened, unless you choose an action that does.

docs/editors.md has the lines that some editors need.`,
		Example: "  merry editor",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if isTerminal(a.plain) {
				return problem.Misuse("add merry editor to your editor's settings, as docs/editors.md says", "editor "+
					"speaks with an editor, not with a terminal")
			}
			a.rooms = new(sandbox.Pool)
			explanations := ""
			if cache, err := homeFolder(os.UserCacheDir); err == nil {
				explanations = filepath.Join(cache, "findings")
			}
			in, ok := a.in.(io.ReadCloser)
			if !ok {
				in = io.NopCloser(a.in)
			}
			return editor.Serve(cmd.Context(), editor.Options{In: in, Out: unclosed{a.plain},
				Version: builtAs().Version, Open: a.beside, Run: a.runBeside, Changes: a.changesSomething,
				Explanations: explanations})
		},
	}
	return c
}

// unclosed is an output that ends with the program.
type unclosed struct{ io.Writer }

// Close does nothing.
func (unclosed) Close() error { return nil }

// beside opens the project around a folder, for reading, with texts that are not saved. It opens no connection.
func (a *app) beside(dir string, unsaved map[string][]byte) (*crate.Crate, error) {
	inner := &app{in: strings.NewReader(""), out: io.Discard, err: io.Discard, dir: dir, offline: true, quiet: true,
		unsaved: unsaved, rooms: a.rooms}
	return inner.open(sourceFlags{})
}

// runBeside runs a command line in a folder, and returns what it prints. With keep it is a dry run, whose files keep
// gets.
func (a *app) runBeside(ctx context.Context, dir string, args []string, unsaved map[string][]byte,
	keep func(name string, content []byte)) (string, error) {
	var out bytes.Buffer
	inner := &app{in: strings.NewReader(""), plain: &out, unsaved: unsaved, keep: keep, rooms: a.rooms}
	args = append([]string{"--in", dir}, args...)
	status := inner.execute(ctx, args, &written{to: &out}, &out)
	if text, failed := strings.CutPrefix(out.String(), "merry: "); failed && status != 0 {
		return "", errors.New(strings.TrimSpace(text))
	}
	return out.String(), nil
}

// changesSomething reports whether a command line may change a project: the command has a dry run, and one that only
// reads without a flag has that.
func (a *app) changesSomething(args []string) bool {
	c, _, err := (&app{in: a.in, out: io.Discard, err: io.Discard}).root().Find(args)
	if err != nil || c.Flags().Lookup("dry-run") == nil || slices.Contains(args, "--dry-run") {
		return false
	}
	if c.Flags().Lookup("fix") != nil {
		return slices.Contains(args, "--fix")
	}
	return true
}
