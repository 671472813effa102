package cli

import (
	"cmp"
	"context"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
)

// A knower lists what may stand at a place, given the arguments before it and what is typed so far. It asks no network, prints
// nothing, and knows nothing where the project can't be read.
type knower func(ctx context.Context, door *crate.Crate, n *crate.Names, args []string, typed string) []string

// What may stand at places of the command line.
var (
	libraries knower = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.Libraries
	}
	pages    knower = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string { return n.Pages }
	profiles knower = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.Profiles
	}
	networks knower = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string { return n.CDNs }
	included knower = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return append(n.Libraries, n.Files...)
	}
	// oneLibrary is for commands that take one, and nothing else.
	oneLibrary knower = func(_ context.Context, _ *crate.Crate, n *crate.Names, args []string, _ string) []string {
		if len(args) > 0 {
			return nil
		}
		return n.Libraries
	}
	// pins are libraries, and behind an @ their versions.
	pins knower = func(ctx context.Context, door *crate.Crate, n *crate.Names, _ []string, typed string) []string {
		name, _, found := cutLast(typed, "@")
		if !found {
			return n.Libraries
		}
		versions, err := door.KnownVersions(ctx, name)
		if err != nil {
			return nil
		}
		var list []string
		for _, v := range versions {
			list = append(list, name+"@"+v)
		}
		return list
	}
	// compared are a library, then its versions.
	compared knower = func(ctx context.Context, door *crate.Crate, n *crate.Names, args []string, _ string) []string {
		if len(args) == 0 {
			return n.Libraries
		}
		versions, err := door.KnownVersions(ctx, args[0])
		if err != nil {
			return nil
		}
		return versions
	}
	// parts are those that peek lists of the library that was named.
	parts knower = func(ctx context.Context, door *crate.Crate, n *crate.Names, args []string, _ string) []string {
		if len(args) == 0 {
			return nil
		}
		p, err := door.Peek(ctx, cmp.Or(n.Packages[args[0]], args[0]), "", false)
		if err != nil {
			return nil
		}
		var list []string
		for _, o := range p.Options {
			list = append(list, o.Name)
		}
		return list
	}
)

// cutLast cuts a text at the last separator that is not its first letter, so that a scope's @ stays with its name.
func cutLast(s, sep string) (before, after string, found bool) {
	i := strings.LastIndex(s, sep)
	if i <= 0 {
		return s, "", false
	}
	return s[:i], s[i+len(sep):], true
}

// completed are the arguments of commands, by the words of the command, and the values of flags, behind "--".
var completed = map[string]knower{
	"include": included, "omit": included, "drop": oneLibrary, "refill": libraries, "move": included, "switch": libraries, "hold": oneLibrary,
	"versions": oneLibrary, "repin": pins, "compare": compared, "check": pages, "order": pages, "look": pages, "adopt": pages, "sources try": networks,
	"--page": pages, "--profile": profiles, "--cdn": networks, "--part": parts,
}

// completion prints what a shell needs to complete the program's commands, flags and names.
func (a *app) completion() *cobra.Command {
	return &cobra.Command{
		Use:   "completion SHELL",
		Short: "Print what a shell needs to complete commands, flags and names",
		Long: `Completion prints a script for bash, zsh, fish or powershell. Once the shell has read it, the tab key completes
commands and flags, and the project's own names: libraries, their files, versions that the cache knows of and
parts, pages, profiles, CDNs and findings. It opens no connection.`,
		Example:   "  source <(merry completion bash)\n  merry completion zsh > \"${fpath[1]}/_merry\"\n  merry completion fish > ~/.config/fish/completions/merry.fish\n  merry completion powershell | Out-String | Invoke-Expression",
		Args:      cobra.ExactArgs(1),
		ValidArgs: []string{"bash", "zsh", "fish", "powershell"},
		RunE: func(c *cobra.Command, args []string) error {
			switch root := c.Root(); args[0] {
			case "bash":
				return root.GenBashCompletionV2(a.out, true)
			case "zsh":
				return root.GenZshCompletion(a.out)
			case "fish":
				return root.GenFishCompletion(a.out, true)
			case "powershell":
				return root.GenPowerShellCompletionWithDesc(a.out)
			}
			return misuse("there is no completion for %q: name bash, zsh, fish or powershell", args[0])
		},
	}
}

// complete makes the shell's completion know the project's own names.
func (a *app) complete(root *cobra.Command) {
	var visit func(c *cobra.Command, words string)
	visit = func(c *cobra.Command, words string) {
		if k, ok := completed[words]; ok {
			c.ValidArgsFunction = a.completing(k)
		}
		for name, k := range completed {
			if flag, ok := strings.CutPrefix(name, "--"); ok && c.Flags().Lookup(flag) != nil {
				c.RegisterFlagCompletionFunc(flag, a.completing(k))
			}
		}
		for _, below := range c.Commands() {
			visit(below, strings.TrimSpace(words+" "+below.Name()))
		}
	}
	visit(root, "")
	if c, _, err := root.Find([]string{"check"}); err == nil {
		c.RegisterFlagCompletionFunc("explain", func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
			return beginning(typed, check.Names()), cobra.ShellCompDirectiveNoFileComp
		})
	}
}

// completing asks a knower as the shell's completion does. Where it knows nothing, files are offered.
func (a *app) completing(k knower) cobra.CompletionFunc {
	return func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		quiet := *a
		quiet.offline, quiet.err = true, io.Discard
		door, err := quiet.open(sourceFlags{})
		if err != nil {
			return nil, cobra.ShellCompDirectiveDefault
		}
		defer door.Close()
		n, err := door.Names(c.Context())
		if err != nil {
			return nil, cobra.ShellCompDirectiveDefault
		}
		fitting := beginning(typed, k(c.Context(), door, n, args, typed))
		if len(fitting) == 0 {
			return nil, cobra.ShellCompDirectiveDefault
		}
		return fitting, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
	}
}

// beginning are those of a list that begin as what is typed.
func beginning(typed string, list []string) []string {
	return slices.DeleteFunc(list, func(s string) bool { return !strings.HasPrefix(s, typed) })
}
