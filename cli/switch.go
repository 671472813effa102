package cli

import (
	"cmp"
	"fmt"
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/record"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

func (a *app) switchCommand() *cobra.Command {
	var req crate.SwitchRequest
	var cdn string
	var local, minified, readable bool
	var src sourceFlags
	var w watched
	c := &cobra.Command{
		Use:   "switch [LIB…]",
		Short: "Change references: local copy or CDN link, minified or readable",
		Long: `Switch makes pages refer to a CDN instead of the local copies, or back, and to the other build. A link
gets the sealed file's integrity and crossorigin; a local reference loses them; all else of a tag stays. Before
pages refer to an address, its bytes are fetched once and must equal the sealed ones; otherwise nothing is done.
With --fallback a file that its CDN does not deliver is loaded from the local copy, with --then from another CDN first.
Without libraries it is all of them, without --page all pages.`,
		Example: `  merry switch --cdn --dry-run
  merry switch oarlock --cdn=harbour --page index.html
  merry switch --local --readable
  merry switch --profile live`,
		RunE: func(cmd *cobra.Command, args []string) error {
			req.Libraries = args
			if cmd.Flags().Changed("cdn") {
				if local {
					return misuse("--cdn and --local exclude each other")
				}
				req.Serve = record.CDN
				if cdn != anyCDN {
					req.CDN = cdn
				}
			}
			if local {
				req.Serve = record.Local
			}
			var err error
			if req.Build, err = buildFlag(minified, readable); err != nil {
				return err
			}
			door, err := a.open(src)
			if err != nil {
				return err
			}
			defer door.Close()
			return a.around(cmd.Context(), w, req.Pages, func() (any, func(), error) {
				s, err := door.Switch(cmd.Context(), req)
				return s, func() { a.printSwitch(s) }, err
			})
		},
	}
	f := c.Flags()
	f.StringVar(&cdn, "cdn", "", "refer to a CDN: the only one, or --cdn=`NAME`")
	f.Lookup("cdn").NoOptDefVal = anyCDN
	f.BoolVar(&local, "local", false, "refer to the local copies")
	f.BoolVar(&minified, "minified", false, "use the minified build")
	f.BoolVar(&readable, "readable", false, "use the readable build")
	f.BoolVar(&req.Fallback, "fallback", false, "behind each CDN script, load the local copy if the CDN does not answer")
	f.StringSliceVar(&req.Then, "then", nil, "before the local copy, ask the CDN `NAME` (repeatable, in turn)")
	f.BoolVar(&req.Hints, "hints", false, "put preconnect and preload into the head")
	f.StringVar(&req.Profile, "profile", "", "do what the packing list says under this `NAME`")
	f.StringSliceVar(&req.Pages, "page", nil, "only on the pages that match `GLOB` (repeatable)")
	f.BoolVar(&src.fresh, "fresh", false, "compare with the CDN again what was compared before")
	w.add(c)
	return a.changes(c)
}

// anyCDN is what --cdn without a name says: the only one.
const anyCDN = "the only one"

func (a *app) printSwitch(s *crate.Switched) {
	a.remarks(s.Notes)
	if s.DryRun {
		a.touched(s.Result)
		return
	}
	for _, f := range s.Added {
		a.printf("put there for it: %s\n", show.Text(f))
	}
	if len(s.Pages) == 0 {
		a.printf("no page had anything to switch\n")
		return
	}
	const most = 8
	for i, p := range s.Pages {
		if i == most {
			a.printf("  … and %s more\n", show.Count(len(s.Pages)-most, "page", "pages"))
			break
		}
		a.printf("%s\n", a.paint.Bold(show.Text(p.Page)))
		for j := range p.Added {
			a.printf("  %s\n    → %s\n", show.Text(p.Removed[j]), show.Text(p.Added[j]))
		}
		if len(p.Also) > 0 {
			a.printf("  also %s\n", show.Text(strings.Join(p.Also, ", ")))
		}
		if p.Before != nil && p.After != nil {
			a.printf("  %s\n", a.paint.Dim(show.Text(costs(p.Before, p.After))))
		}
		if p.Note != "" {
			a.printf("  note: %s\n", show.Text(p.Note))
		}
	}
	a.next("merry check; merry undo  # takes this back")
}

// costs says what a page costs whoever opens it for the first time, before and after.
func costs(before, after *crate.Cost) string {
	pair := func(b, n string) string {
		if b == n {
			return n + " as before"
		}
		return b + " → " + n
	}
	hosts := cmp.Or(strings.Join(after.Hosts, ", "), "none")
	return fmt.Sprintf("own server %s, others %s; hosts to connect to: %s; requests that hold up rendering: %s", pair(show.Bytes(before.Own), show.Bytes(after.Own)), pair(show.Bytes(before.Others), show.Bytes(after.Others)), hosts, pair(plain(before.Blocking), plain(after.Blocking)))
}
