package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
)

func (a *app) move() *cobra.Command {
	var req crate.MoveRequest
	var found bool
	c := &cobra.Command{
		Use:   "move LIB|LIB:FILE|FILE… TO",
		Short: "Move libraries, their files or own files; references follow",
		Long: `Move moves a library into a folder, one file of a library to another path, or the
site's own scripts, styles, pages and pictures. References follow: tags, links,
pictures and import maps on pages, also in conditional comments. So do url() and
@import in own stylesheets, imports in own modules, and both records. Paths in
strings of own scripts are reported; --in-scripts changes them.

TO is the new path of one file. It is a folder if it ends in a slash, if it
exists, or if several things move. For a library it is the folder for its files.
Move overwrites nothing.

With --found, records and pages follow what somebody moved by hand. Merry
recognises library files by their bytes.`,
		Example: "  merry move logbook gallery\n  merry move oarlock:dist/oarlock.min.js js/vendor/\n" +
			"  merry move js/tides.js js/crews.js js/scenes/\n  merry move crews/index.html teams/index.html\n" +
			"  merry move --found",
		Args: func(cmd *cobra.Command, args []string) error {
			if found {
				return cobra.NoArgs(cmd, args)
			}
			return cobra.MinimumNArgs(2)(cmd, args)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if found {
				return a.followMoved(cmd.Context())
			}
			req.What, req.To = args[:len(args)-1], args[len(args)-1]
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			m, err := door.Move(cmd.Context(), req)
			if err != nil {
				return err
			}
			return a.answer(m, func() { a.printMoved(m) })
		},
	}
	c.Flags().BoolVar(&found, "found", false, "follow what was moved by hand")
	c.Flags().BoolVar(&req.InScripts, "in-scripts", false, "also change paths in strings of own scripts")
	return a.changes(c)
}

func (a *app) followMoved(ctx context.Context) error {
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	m, err := door.FollowMoved(ctx)
	if err != nil {
		return err
	}
	return a.answer(m, func() {
		if len(m.Moves) == 0 {
			a.printf("nothing was moved by hand\n")
			return
		}
		a.printMoved(m)
	})
}

// maxMoves is how many moved files are listed.
const maxMoves = 20

func (a *app) printMoved(m *crate.Moved) {
	if m.DryRun {
		a.touched(m.Result)
		return
	}
	if len(m.Moves) == 0 {
		a.printf("nothing to move: everything is there already\n")
		return
	}
	t := &show.Table{}
	t.Add("moved", "to")
	for _, f := range m.Moves[:min(maxMoves, len(m.Moves))] {
		t.Add(show.Text(f.From), show.Text(f.To))
	}
	a.printf("%s", t.Text(a.paint, ""))
	if more := len(m.Moves) - maxMoves; more > 0 {
		a.printf("… and %s\n", show.Count(more, "file more", "files more"))
	}
	a.printFollowed(m.Pages)
	a.printMentions(m.Mentions)
	a.printNamed(m.Result)
	a.remarks(m.Notes)
	a.next("merry check; merry undo  # reverts this")
}

// printFollowed lists the references that followed, page by page, of many pages the first.
func (a *app) printFollowed(pages []crate.PageChange) {
	const most = 12
	t := &show.Table{}
	for _, p := range pages[:min(most, len(pages))] {
		for i, now := range p.Added {
			if i < len(p.Removed) {
				t.Add(show.Text(p.Page), show.Text(p.Removed[i]), "is now", show.Text(now))
			}
		}
	}
	if len(t.Rows) > 0 {
		a.printf("%s", t.Lines("  "))
	}
	if more := len(pages) - most; more > 0 {
		a.printf("  … and %s\n", show.Count(more, "page more", "pages more"))
	}
}

// printMentions lists texts in scripts that are paths of what moved.
func (a *app) printMentions(list []crate.Mention) {
	left := 0
	for _, m := range list {
		if m.Changed {
			a.printf("%s  %q is now %q\n", show.Text(m.At), show.Text(m.Text), show.Text(m.To))
			continue
		}
		left++
		a.printf("%s  %q may be a path to it and was left; the new path is %q\n", show.Text(m.At), show.Text(m.Text),
			show.Text(m.To))
	}
	if left > 0 {
		a.printf("to change those too: merry undo, then the same command with --in-scripts\n")
	}
}

// printNamed lists the places that name files which are gone, and that no command changes.
func (a *app) printNamed(of crate.Result) {
	const most = 12
	for _, n := range of.Named[:min(most, len(of.Named))] {
		at, name, _ := strings.Cut(n, " ")
		a.printf("%s  names %s; left unchanged\n", show.Text(at), show.Text(name))
	}
	if more := len(of.Named) - most; more > 0 {
		a.printf("… and %s\n", show.Count(more, "such place more", "such places more"))
	}
}
