package cli

import (
	"bytes"
	"cmp"
	"context"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/demo"
)

// A flagLookup lists what may stand at a place, given the arguments before it and what is typed so far. It asks no
// network, prints nothing, and knows nothing where the project can't be read.
type flagLookup func(ctx context.Context, door *crate.Crate, n *crate.Names, args []string, typed string) []string

// What may stand at places of the command line.
var (
	libraries flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.Libraries
	}
	pages flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.Pages
	}
	profiles flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.Profiles
	}
	networks flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.CDNs
	}
	files flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return n.Files
	}
	included flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, _ string) []string {
		return append(n.Libraries, n.Files...)
	}
	// moved are libraries, their files after a colon, and files.
	moved flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, _ []string, typed string) []string {
		if strings.Contains(typed, ":") {
			return n.LibraryFiles
		}
		return append(n.Libraries, n.Files...)
	}
	// oneLibrary is for commands that take one, and nothing else.
	oneLibrary flagLookup = func(_ context.Context, _ *crate.Crate, n *crate.Names, args []string, _ string) []string {
		if len(args) > 0 {
			return nil
		}
		return n.Libraries
	}
	// pins are libraries, and behind an @ their versions.
	pins flagLookup = func(ctx context.Context, door *crate.Crate, n *crate.Names, _ []string, typed string) []string {
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
	compared flagLookup = func(ctx context.Context, door *crate.Crate, n *crate.Names, args []string,
		_ string) []string {
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
	parts flagLookup = func(ctx context.Context, door *crate.Crate, n *crate.Names, args []string, _ string) []string {
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
var completed = map[string]flagLookup{
	"include": included, "omit": included, "drop": oneLibrary, "refill": libraries, "move": moved, "switch": libraries,
	"hold":     oneLibrary,
	"versions": oneLibrary, "repin": pins, "compare": compared, "check": pages, "order": pages, "look": pages,
	"adopt": pages, "sources try": networks,
	"--page": pages, "--profile": profiles, "--cdn": networks, "--then": networks, "--part": parts,
	"--only": files,
}

// takesFiles are the commands whose arguments may be files that the project does not know.
var takesFiles = []string{
	"take", "peek", "compare", "include", "move", "seal",
	"sources set browser", "sources set certificates", "sources set downloads",
}

// choices are the values of flags that take one of a few, by the flag. Where commands have flags of the same name for
// other things, the command's words stand before it.
var choices = map[string][]string{
	"bill --form":      {"table", "cyclonedx", "notice"},
	"order --graph":    {"svg", "dot", "mermaid"},
	"seal --algorithm": {"sha256", "sha384", "sha512"},
	"demo --habit":     demo.Habits,
	"--names":          {"shipped", "plain", "versioned"},
}

// valueFiles are the endings of files that a flag's value may name, by what the flag's help calls the value. No ending
// is any file.
var valueFiles = map[string][]string{"FILE": nil, "PATH": nil, "SOURCE": nil, "ARCHIVE": {"zip", "tgz", "tar", "gz"},
	"FILE.html": {"html"}, "FILE.md": {"md"}}

// valueFolders are what flags' helps call values that are folders.
var valueFolders = []string{"DIR", "FOLDER"}

// bashPackage is the line of the generated script that needs the package bash-completion; bashAlone stands in for it,
// and bashFiles for the package's function that completes files.
const (
	bashPackage = `    _get_comp_words_by_ref "$@" cur prev words cword
`
	bashAlone = `    if declare -F _get_comp_words_by_ref >/dev/null 2>&1; then
        _get_comp_words_by_ref "$@" cur prev words cword
        return
    fi
    # Joins what the shell split at "=" and ":".
    local i word rest=$COMP_LINE
    words=()
    for ((i = 0; i < ${#COMP_WORDS[@]}; i++)); do
        word=${COMP_WORDS[i]}
        if [[ $i -gt 0 && $rest != [[:space:]]* && ($word == [=:]* || ${COMP_WORDS[i-1]} == *[=:]) ]]; then
            words[${#words[@]}-1]+=$word
        else
            words+=("$word")
        fi
        rest=${rest#"${rest%%[![:space:]]*}"}
        rest=${rest#"$word"}
        if ((i == COMP_CWORD)); then
            cword=$((${#words[@]} - 1))
        fi
    done
    cur=${words[cword]} prev=${words[cword-1]}
`
	bashFiles = `# shellcheck shell=bash disable=SC2034,SC2048,SC2053,SC2086,SC2145,SC2295 # the rest is generated
if ! declare -F _filedir >/dev/null 2>&1; then
    # Completes files, or folders with -d, in shells without the package bash-completion.
    _filedir() {
        local name action=file
        if [[ ${1-} == -d ]]; then
            action=directory
        fi
        compopt -o filenames 2>/dev/null
        while IFS= read -r name; do
            COMPREPLY+=("$name")
        done < <(compgen -A "$action" -- "$cur")
    }
fi

`
)

// completion prints what a shell needs to complete the program's commands, flags and names.
func (a *app) completion() *cobra.Command {
	return &cobra.Command{
		Use:   "completion SHELL",
		Short: "Print the completion script for a shell",
		Long: `Completion prints a script for bash, zsh, fish or powershell. Once the shell has
read it, the tab key completes commands, flags and their values. It also completes
the project's libraries, files, versions, parts, pages, profiles, CDNs and
findings. It opens no connection.`,
		Example: "  source <(merry completion bash)\n  merry completion zsh > \"${fpath[1]}/_merry\"\n" +
			"  merry completion fish > ~/.config/fish/completions/merry.fish\n  merry completion powershell | " +
			"Out-String | Invoke-Expression",
		Args:      cobra.ExactArgs(1),
		ValidArgs: []string{"bash", "zsh", "fish", "powershell"},
		RunE: func(c *cobra.Command, args []string) error {
			var script bytes.Buffer
			var err error
			switch root := c.Root(); args[0] {
			case "bash":
				if err = root.GenBashCompletionV2(&script, true); err == nil {
					alone := strings.Replace(script.String(), bashPackage, bashAlone, 1)
					script.Reset()
					script.WriteString(bashFiles + alone)
				}
			case "zsh":
				err = root.GenZshCompletion(&script)
			case "fish":
				err = root.GenFishCompletion(&script, true)
			case "powershell":
				err = root.GenPowerShellCompletionWithDesc(&script)
			default:
				err = misuse("there is no completion for %q: use bash, zsh, fish or powershell", args[0])
			}
			if err != nil {
				return err
			}
			return a.answer(completionAnswer{args[0], script.String()}, func() { a.verbatim(script.String()) })
		},
	}
}

// complete makes the shell's completion know the project's own names, and offer no file where none is wanted.
func (a *app) complete(root *cobra.Command) {
	var visit func(c *cobra.Command, words string)
	visit = func(c *cobra.Command, words string) {
		if k, ok := completed[words]; ok {
			c.ValidArgsFunction = a.completing(k, slices.Contains(takesFiles, words))
		} else if c.ValidArgsFunction == nil && !slices.Contains(takesFiles, words) {
			c.ValidArgsFunction = withoutFiles(c.ValidArgs)
			c.ValidArgs = nil
		}
		c.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) { a.completeFlag(c, words, f) })
		for _, below := range c.Commands() {
			visit(below, strings.TrimSpace(words+" "+below.Name()))
		}
	}
	visit(root, "")
	root.PersistentFlags().VisitAll(func(f *pflag.Flag) { a.completeFlag(root, "", f) })
}

// completeFlag says what the value of a flag may be.
func (a *app) completeFlag(c *cobra.Command, words string, f *pflag.Flag) {
	value, _ := pflag.UnquoteUsage(f)
	endings, isFile := valueFiles[value]
	complete := withoutFiles(choices[words+" --"+f.Name], choices["--"+f.Name])
	switch k, known := completed["--"+f.Name]; {
	case known:
		complete = a.completing(k, false)
	case words == "check" && f.Name == "explain":
		complete = withoutFiles(check.Names())
	case isFile && len(endings) == 0:
		return // any file, as the shell offers them
	case isFile:
		complete = cobra.FixedCompletions(endings, cobra.ShellCompDirectiveFilterFileExt)
	case slices.Contains(valueFolders, value):
		complete = cobra.FixedCompletions(nil, cobra.ShellCompDirectiveFilterDirs)
	}
	c.RegisterFlagCompletionFunc(f.Name, complete)
}

// plainUsages takes the marks around the names of values off all flags' helps: a shell shows them as they are.
func plainUsages(c *cobra.Command) {
	plain := func(f *pflag.Flag) { _, f.Usage = pflag.UnquoteUsage(f) }
	c.Flags().VisitAll(plain)
	c.PersistentFlags().VisitAll(plain)
	for _, below := range c.Commands() {
		plainUsages(below)
	}
}

// withoutFiles offers the values of lists, and no file.
func withoutFiles(lists ...[]string) cobra.CompletionFunc {
	return func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		fitting := beginning(typed, slices.Concat(lists...))
		if len(fitting) == 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return fitting, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
	}
}

// completing asks a knower as the shell's completion does. Where it knows nothing, files are offered if they may are
// there.
func (a *app) completing(k flagLookup, orFiles bool) cobra.CompletionFunc {
	return func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		nothing := cobra.ShellCompDirectiveNoFileComp
		if orFiles {
			nothing = cobra.ShellCompDirectiveDefault
		}
		quiet := *a
		quiet.offline, quiet.err = true, io.Discard
		door, err := quiet.open(sourceFlags{})
		if err != nil {
			return nil, nothing
		}
		defer door.Close()
		n, err := door.Names(c.Context())
		if err != nil {
			return nil, nothing
		}
		fitting := beginning(typed, k(c.Context(), door, n, args, typed))
		if len(fitting) == 0 {
			return nil, nothing
		}
		return fitting, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
	}
}

// beginning are those of a list that begin as what is typed.
func beginning(typed string, list []string) []string {
	return slices.DeleteFunc(list, func(s string) bool { return !strings.HasPrefix(s, typed) })
}
