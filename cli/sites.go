package cli

import (
	"errors"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
)

// A siteAnswer is what a command answers of one of several sites: its answer, or what went wrong there.
type siteAnswer struct {
	Site   string `json:"site"`             // its folder, from where the command was given
	Answer any    `json:"answer,omitempty"` // as the command answers in one site
	Error  string `json:"error,omitempty"`  // why there is no answer
	Next   string `json:"next,omitempty"`   // what to do about it
}

// onSites gives a command the flag to run on every site below, and names each in the answer. Alone are flags that are
// of one site.
func (a *app) onSites(c *cobra.Command, alone ...string) *cobra.Command {
	var all bool
	c.Flags().BoolVar(&all, "all-sites", false, "do it for every site in this folder and below it")
	one := c.RunE
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if !all {
			return one(cmd, args)
		}
		for _, name := range alone {
			if cmd.Flags().Changed(name) {
				return misuse("--%s works on one site; leave it or --all-sites out", name)
			}
		}
		return a.eachSite(cmd, args, one)
	}
	return c
}

// eachSite runs a command on each site. The status is the worst of them.
func (a *app) eachSite(cmd *cobra.Command, args []string, one func(*cobra.Command, []string) error) error {
	sites, err := crate.Sites(cmd.Context(), a.dir)
	if err != nil {
		return err
	}
	worst := 0
	top := a.dir
	a.top = top
	defer func() { a.dir, a.top, a.collected = top, "", nil }()
	list := []siteAnswer{}
	for i, dir := range sites {
		name, err := filepath.Rel(top, dir)
		if err != nil {
			return err
		}
		answer := siteAnswer{Site: filepath.ToSlash(name)}
		a.dir, a.collected = dir, &answer.Answer
		if !a.json {
			if i > 0 {
				a.printf("\n")
			}
			a.printf("%s\n\n", a.paint.Bold(show.Text(answer.Site)))
		}
		var quiet quietStatus
		switch err := one(cmd, args); {
		case cmd.Context().Err() != nil:
			return err
		case errors.As(err, &quiet):
			worst = max(worst, int(quiet))
		case err != nil:
			p := problem.Of(err)
			answer.Error, answer.Next = p.What, strings.Join(p.Next, "; ")
			if worst = max(worst, int(p.Class)); !a.json {
				a.report(cmd, err)
			}
		}
		list = append(list, answer)
	}
	a.collected = nil
	if a.json {
		if err := a.printJSON(sitesAnswer{list}); err != nil {
			return err
		}
	}
	if worst > 0 {
		return quietStatus(worst)
	}
	return nil
}
