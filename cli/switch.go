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
		Short: "Switch pages between local copies and CDN, or between builds",
		Long: `Switch makes pages refer to a CDN instead of the local copies, or back, or to the
other build. A link gets the sealed file's integrity and crossorigin; a local
reference loses them. Everything else in a tag stays. Merry fetches each new
address once, and refuses to switch if the bytes differ from the sealed ones.

With --fallback, a page loads the local copy if the CDN does not answer. --then
names other CDNs to try first. Without libraries, switch works on all libraries.`,
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
	f.BoolVar(&req.Fallback, "fallback", false, "after each CDN script, load the local copy if the CDN does not answer")
	f.StringSliceVar(&req.Then, "then", nil, "try the CDN `NAME` before the local copy (repeatable, in this order)")
	f.BoolVar(&req.Hints, "hints", false, "put preconnect and preload hints into the head")
	f.StringVar(&req.Profile, "profile", "", "apply this `NAME`d profile of the packing list")
	f.StringSliceVar(&req.Pages, "page", nil, "only on the pages that match `GLOB` (default: all pages; repeatable)")
	f.BoolVar(&src.fresh, "fresh", false, "compare with the CDN again, ignoring the cache")
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
		a.printf("added for it: %s\n", show.Text(f))
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
	a.next("merry check; merry undo  # reverts this")
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
	return fmt.Sprintf("own server %s, others %s; other hosts: %s; render-blocking requests: %s",
		pair(show.Bytes(before.Own), show.Bytes(after.Own)), pair(show.Bytes(before.Others), show.Bytes(after.Others)),
		hosts, pair(plain(before.Blocking), plain(after.Blocking)))
}
