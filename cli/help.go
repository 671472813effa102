package cli

import (
	"errors"
	"slices"
	"strings"

	"github.com/agext/levenshtein"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

func init() { cobra.AddTemplateFunc("flagList", flagList) }

// optional is how pflag writes a flag whose value may be left out.
var optional = memo.Regexp(`--(\S+) (\w+)\[="[^"]*"\]`)

// flagList is a list of flags as help prints it: a value that may be left out stands in brackets, and a default that
// the text says in words is not said again.
func flagList(flags *pflag.FlagSet) string {
	list := strings.ReplaceAll(flags.FlagUsagesWrapped(show.Columns), " (default )", "")
	return optional().ReplaceAllStringFunc(list, func(was string) string {
		m := optional().FindStringSubmatch(was)
		is := "--" + m[1] + "[=" + m[2] + "]"
		return is + strings.Repeat(" ", len(was)-len(is))
	})
}

// groups are the commands by the order of the work.
var groups = []struct{ title, commands string }{
	{"Start:", "start demo completion"}, {"Add:", "peek take adopt"}, {"Pages:", "include omit switch order move drop"},
	{"Verify:", "check look serve editor contents bill seal"},
	{"Upgrade:", "versions compare repin hold"}, {"Records:", "settle refill undo sources cache"},
}

// group puts the commands into their groups.
func group(root *cobra.Command) {
	root.SetHelpCommandGroupID(strings.Fields(groups[0].commands)[0])
	for _, g := range groups {
		id := strings.Fields(g.commands)[0]
		root.AddGroup(&cobra.Group{ID: id, Title: g.title})
		for _, c := range root.Commands() {
			if slices.Contains(strings.Fields(g.commands), c.Name()) {
				c.GroupID = id
			}
		}
	}
}

// ownHelp puts help into our own words, for a command and all below it.
func ownHelp(c *cobra.Command) {
	if !c.HasParent() {
		c.SetUsageTemplate(strings.NewReplacer(".LocalFlags.FlagUsages", "flagList .LocalFlags",
			".InheritedFlags.FlagUsages", "flagList .InheritedFlags",
			`Use "{{.CommandPath}} [command] --help" for more information about a command.`,
			`{{.CommandPath}} COMMAND --help shows the flags and examples of a command.`,
			"{{.CommandPath}} [command]", "{{.CommandPath}} COMMAND").Replace(c.UsageTemplate()))
		c.Flags().BoolP("version", "v", false, "print the version and the build")
	}
	c.Flags().BoolP("help", "h", false, "print this help")
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if strings.Contains(f.Usage, "(default: ") {
			f.DefValue = "" // the text says it in words
		}
	})
	for _, sub := range c.Commands() {
		ownHelp(sub)
	}
}

// helpOn is the command that prints help on others; one that is not there is a mistake.
func helpOn(root *cobra.Command) *cobra.Command {
	return &cobra.Command{ValidArgsFunction: func(c *cobra.Command, args []string, typed string) ([]string,
		cobra.ShellCompDirective) {
		on, _, err := root.Find(args)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		var names []string
		for _, below := range on.Commands() {
			if below.IsAvailableCommand() {
				names = append(names, below.Name())
			}
		}
		return beginning(typed, names), cobra.ShellCompDirectiveNoFileComp
	}, Use: "help [COMMAND | crate.yaml]", Short: "Show help for a command or for the packing list",
		Example: "  merry help take\n  merry help sources set\n  merry help crate.yaml\n  merry help crate.yaml " +
			"--json     as a JSON Schema", RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 1 && args[0] == record.ListFile {
				text := []byte(record.KeysText())
				if asJSON, err := c.Flags().GetBool("json"); err == nil && asJSON {
					text = record.Schema()
				}
				_, err := c.OutOrStdout().Write(text)
				return err
			}
			on, rest, err := root.Find(args)
			if err != nil || on == nil || len(rest) > 0 {
				next := "merry help  # lists the commands"
				if near := root.SuggestionsFor(args[0]); len(near) > 0 {
					next = "merry help " + strings.Join(near, "; merry help ")
				}
				return problem.Misuse(next, "there is no command %q", strings.Join(args, " "))
			}
			on.InitDefaultHelpFlag()
			return on.Help()
		}}
}

// nearFlag returns the next step for an unknown flag: the flag of c that means or is spelt like it, else the command's
// help.
func nearFlag(c *cobra.Command, err error) string {
	help := c.CommandPath() + " --help"
	var unknown *pflag.NotExistError
	if !errors.As(err, &unknown) {
		return help
	}
	name := strings.ToLower(unknown.GetSpecifiedName())
	best, least := "", len(name)/3+2 // a third of its letters may be wrong
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		if slices.Contains(strings.Fields(flagMeanings[f.Name]), name) {
			best, least = f.Name, 0
		} else if d := levenshtein.Distance(f.Name, name, nil); d < least {
			best, least = f.Name, d
		}
	})
	if best == "" {
		return help
	}
	return "did you mean --" + best + "?; " + help + "  # lists the flags"
}

// helpOf is the help of a command for programs.
func helpOf(c *cobra.Command) helpAnswer {
	h := helpAnswer{Name: c.CommandPath(), Use: c.UseLine(), Summary: c.Short, Text: c.Long}
	for line := range strings.Lines(c.Example) {
		h.Examples = append(h.Examples, strings.TrimSpace(line))
	}
	for _, sub := range c.Commands() {
		if sub.IsAvailableCommand() {
			h.Commands = append(h.Commands, helpCommand{sub.Name(), sub.Short})
		}
	}
	add := func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		value, text := pflag.UnquoteUsage(f)
		if f.DefValue == "false" || f.DefValue == "[]" {
			h.Flags = append(h.Flags, helpFlag{Name: f.Name, Value: value, Text: text})
			return
		}
		h.Flags = append(h.Flags, helpFlag{f.Name, value, text, f.DefValue})
	}
	c.LocalFlags().VisitAll(add)
	c.InheritedFlags().VisitAll(add)
	return h
}
