package cli

import (
	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
)

func (a *app) start() *cobra.Command {
	var req crate.StartRequest
	c := &cobra.Command{
		Use:   "start",
		Short: "Make the packing list for a new or existing site",
		Long: `Start finds out where the site keeps its scripts, styles, fonts and pictures, and
which files are pages. It writes that into crate.yaml, where you can correct it. In
an empty folder it creates a first page with a stylesheet and a script. Run again,
it changes nothing.`,
		Example: "  merry start\n  merry start --page index.html\n  merry start --site public",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			s, err := door.Start(cmd.Context(), req)
			if err != nil {
				return err
			}
			return a.answer(s, func() { a.printStart(s) })
		},
	}
	c.Flags().StringVar(&req.Page, "page", "", "create this `PAGE` if it does not exist")
	c.Flags().StringVar(&req.Site, "site", "", "the `FOLDER` that is served at \"/\" (default: this folder)")
	return a.changes(c)
}

// printLeftOut lists what no command counts or changes.
func (a *app) printLeftOut(list []crate.LeftOut) {
	const most = 8
	for _, l := range list[:min(len(list), most)] {
		a.printf("left out: %s; %s\n", show.Text(l.Path), l.Why)
	}
	if len(list) > most {
		a.printf("… and %d more\n", len(list)-most)
	}
}

func (a *app) printStart(s *crate.Started) {
	if s.Already && len(s.Files) == 0 {
		a.printf("crate.yaml exists already; nothing changed\n")
		a.next("merry check")
		return
	}
	if !s.Already {
		a.printf("%s\n", show.Count(s.Pages, "page", "pages"))
		t := &show.Table{}
		t.Add("folder for", "is", "because")
		for _, row := range []struct{ word, dir string }{{"scripts", s.Folders.Scripts}, {"styles", s.Folders.Styles},
			{"fonts", s.Folders.Fonts}, {"images", s.Folders.Images}, {"together", s.Folders.Together}} {
			t.Add(row.word, row.dir, s.Learned[row.word])
		}
		a.printf("%s", t.Text(a.paint, "  "))
		for _, name := range s.Headers {
			a.printf("the server's headers are in %s\n", show.Text(name))
		}
		a.printLeftOut(s.LeftOut)
	}
	if s.DryRun {
		a.touched(s.Result)
		return
	}
	for _, f := range s.Files {
		word := "wrote"
		if f.Do == crate.Changed {
			word = "added to"
		}
		a.printf("%s %s\n", word, f.Path)
	}
	a.next("merry peek  # lists your downloads")
	if s, err := settings(); err == nil && len(s.Registries) == 0 {
		a.next("to take packages from your registry: merry sources set registry URL")
	}
}
