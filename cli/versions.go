package cli

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/problem"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/record"
)

func (a *app) versions() *cobra.Command {
	var all, newer bool
	var advisories string
	c := &cobra.Command{
		Use:   "versions LIB | --newer",
		Short: "List a library's versions, and which of them a hold allows",
		Long: `Versions asks the registry for all versions of a library of the crate, or of any
package. It lists date, tags, unpacked size, licence and deprecation. Of versions
that the cache has it also says whether they have a plain script or modules, with
syntax and size on the wire. It says which do not fit the site's browsers.
take --fits and repin --fits find the newest that fits. --newer lists the libraries of the crate
that are behind, with holds, and with what an upgrade would break on these pages.`,
		Example: "  merry versions oarlock\n  merry versions tidechart --all\n  merry versions --newer",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if newer != (len(args) == 0) {
				return misuse("name a library, or use --newer for the whole crate")
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			if newer {
				if advisories != "" {
					advisories = a.full(advisories)
				}
				list, err := door.Newer(cmd.Context(), advisories)
				if err != nil {
					return err
				}
				return a.answer(upgradesAnswer{list}, func() { a.printNewer(list) })
			}
			v, err := door.Versions(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.answer(v, func() { a.printVersions(v, all) })
		},
	}
	c.Flags().BoolVar(&all, "all", false, "list all versions (default: the newest 20)")
	c.Flags().BoolVar(&newer, "newer", false, "list the libraries of the crate that are behind")
	c.Flags().StringVar(&advisories, "advisories", "", "with --newer: `PATH` of a folder, archive or file of "+
		"advisories in the OSV format")
	return c
}

func (a *app) printNewer(list []crate.UpgradeLine) {
	if len(list) == 0 {
		a.printf("the crate is empty\n")
		return
	}
	t := &show.Table{}
	t.Add("library", "here", "allowed", "newest", "behind", "upgrade", "held")
	behind := ""
	for _, l := range list {
		held := ""
		if l.Hold != nil {
			held = l.Hold.Reason() + ": " + l.Hold.Because
		}
		t.Add(show.Text(l.Library), show.Text(l.Here), show.Text(l.Allowed), show.Text(l.Newest), orWord(l.Behind, "-"),
			show.Text(orWord(l.Effect, "-")), show.Text(held))
		if behind == "" && l.Allowed != "" && l.Allowed != l.Here {
			behind = l.Library + " " + l.Allowed
		}
	}
	a.printf("%s", t.Text(a.paint, ""))
	for _, l := range list {
		if l.Deprecated != "" {
			a.printf("  %s %s is deprecated: %s\n", show.Text(l.Library), show.Text(l.Here), show.Text(l.Deprecated))
		}
		if l.Fits != "" || l.Why != "" {
			fits := ""
			if l.Fits != "" && l.Fits != l.Here {
				fits = "; the newest that fits is " + l.Fits
			}
			a.printf("  %s %s%s\n", show.Text(l.Library), show.Text(l.Why), show.Text(fits))
		}
		for _, w := range l.Advisories {
			a.printf("  %s %s: %s\n", show.Text(l.Library), show.Text(l.Here), a.paint.Red(show.Text(w)))
		}
	}
	if behind != "" {
		a.next("merry compare %s; merry repin --newest-allowed --dry-run", show.Text(behind))
	}
}

func (a *app) printVersions(v *crate.Versions, all bool) {
	const most = 20
	a.printf("%s", a.paint.Bold(show.Text(v.Library)))
	if v.Pinned != "" {
		a.printf("  pinned at %s", show.Text(v.Pinned))
	}
	if v.Hold != nil {
		a.printf("  held %s: %s", show.Text(v.Hold.Reason()), show.Text(orWord(v.Hold.Because, "no reason was given")))
	}
	a.printf("\n")
	t := &show.Table{Right: map[int]bool{3: true, 4: true}}
	t.Add("version", "published", "tags", "size", "wire", "licence", "build", "syntax", "")
	for i, l := range v.Lines {
		if i == most && !all {
			t.Add(fmt.Sprintf("… and %d more: --all", len(v.Lines)-most), "", "", "", "", "", "", "", "")
			break
		}
		when, size, syntax := "", "", ""
		if l.Time != nil {
			when = l.Time.Format("2006-01-02")
		}
		if l.Size > 0 {
			size = show.Bytes(l.Size)
		}
		wire := ""
		if l.Wire > 0 {
			wire = show.Bytes(l.Wire)
		}
		switch {
		case l.Syntax == 2009:
			syntax = "ES5"
		case l.Syntax > 0:
			syntax = plain(l.Syntax)
		}
		var words []string
		if l.Pinned {
			words = append(words, "pinned")
		}
		if l.Held {
			words = append(words, "excluded by the hold")
		}
		if l.Unfit != "" {
			words = append(words, "does not fit: "+show.Text(l.Unfit))
		}
		if l.Deprecated != "" {
			words = append(words, "deprecated: "+show.Text(l.Deprecated))
		}
		t.Add(show.Text(l.Version), when, show.Text(strings.Join(l.Tags, " "+
			"")), size, wire, show.Text(l.Licence), l.Form,
			syntax, strings.Join(words, "; "))
	}
	a.printf("%s", t.Text(a.paint, "  "))
	a.remarks(v.Notes)
	if v.Stale {
		a.printf("%s as the registry last answered: offline\n", a.paint.Yellow("note:"))
	}
}

func (a *app) hold() *cobra.Command {
	var h record.Hold
	var off bool
	c := &cobra.Command{
		Use:   "hold LIB",
		Short: "Keep a library at or below a version, with the reason",
		Long: `Hold records why a library must not move. repin and versions respect it, and
contents shows it. Without --at or --below, it holds the version in the crate.`,
		Example: "  merry hold oarlock --below 2.0.0 --because \"the boathouse kiosk's browser has no classes\"\n" +
			"  merry hold oarlock --off",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if h.At != "" && h.Below != "" {
				return misuse("--at and --below exclude each other")
			}
			if !off && h.Because == "" {
				return misuse("a hold needs a reason: --because TEXT")
			}
			hold := &h
			if off {
				hold = nil
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			out, err := door.Hold(cmd.Context(), args[0], hold)
			if err != nil {
				return err
			}
			return a.answer(out, func() {
				switch {
				case out.DryRun:
					a.touched(out.Result)
				case out.Hold == nil:
					a.printf("%s is no longer held\n", show.Text(out.Library))
				default:
					a.printf("%s is held %s: %s\n", show.Text(out.Library), show.Text(out.Hold.Reason()),
						show.Text(out.Hold.Because))
				}
			})
		},
	}
	c.Flags().StringVar(&h.At, "at", "", "hold it at this `VERSION`")
	c.Flags().StringVar(&h.Below, "below", "", "hold it below this `VERSION`")
	c.Flags().StringVar(&h.Because, "because", "", "the `REASON`, kept in crate.yaml")
	c.Flags().BoolVar(&off, "off", false, "remove the hold")
	return a.changes(c)
}

func (a *app) repin() *cobra.Command {
	var req crate.RepinRequest
	var from string
	var renames []string
	var table string
	var w watched
	c := &cobra.Command{
		Use:   "repin LIB@VERSION… | --newest-allowed",
		Short: "Move libraries to other versions, with all references",
		Long: `Repin replaces libraries' files with those of other versions and updates versions in
file names, references, links and fallbacks on all pages, and both records. It is
one change. It respects holds, and first checks that the new versions still suit
each other. It never overwrites a file that somebody changed. A file that the new
version lacks is dropped with its tags, unless another one stands in for it. Where
repin refuses, it names a command that works; it has tried that on a copy.

--rename and --renames rename classes on pages and in the site's own stylesheets
and scripts, and parts of pictures that pages show by name. --rename-sure applies
the renames that compare is certain of. A table for --renames has an old and a new
name in each line, as text, CSV or Markdown; merry compare --renames-to writes one.`,
		Example: "  merry repin oarlock@2.0.3 --dry-run\n  merry repin brinework@2.0.0 --rename-sure --rename " +
			"bw-left=bw-start\n  merry repin oarlock@2 tidechart@4\n  merry repin oarlock --from " +
			"../downloads/oarlock-2.0.3.zip\n  merry repin --newest-allowed --dry-run",
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case req.Newest && (len(args) > 0 || from != ""):
				return misuse("--newest-allowed works on the whole crate; name libraries or use it")
			case !req.Newest && len(args) == 0:
				return problem.Misuse("merry versions --newer  # lists what is behind", "name libraries, or use "+
					"--newest-allowed")
			case from != "" && len(args) > 1:
				return misuse("--from is the source of one library, and you named %d", len(args))
			}
			for _, arg := range args {
				m := crate.Move{Library: arg, Source: from}
				if i := strings.LastIndexByte(arg, '@'); i > 0 {
					m.Library, m.Wish = arg[:i], arg[i+1:]
				}
				req.Moves = append(req.Moves, m)
			}
			var err error
			if req.Renames, err = a.renameTable(table); err != nil {
				return err
			}
			for _, r := range renames {
				old, new, ok := strings.Cut(r, "=")
				if !ok || old == "" || new == "" || strings.ContainsAny(r, " \t\"'<>&") {
					return misuse("--rename %s: write --rename old=new", r)
				}
				req.Renames[old] = new
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			return a.around(cmd.Context(), w, nil, func() (any, func(), error) {
				out, err := door.Repin(cmd.Context(), req)
				return out, func() { a.printRepin(out) }, err
			})
		},
	}
	f := c.Flags()
	f.StringVar(&from, "from", "", "the `SOURCE` of the other version (default: the registry)")
	f.BoolVar(&req.Newest, "newest-allowed", false, "move every registry library to the newest version that its "+
		"hold allows")
	f.StringSliceVar(&renames, "rename", nil, "rename a class, `OLD=NEW`, a part of pictures, '#OLD=#NEW', an "+
		"attribute, '[OLD]=[NEW]', or a custom property, '--OLD=--NEW' (repeatable)")
	f.StringVar(&table, "renames", "", "rename the classes in the table in `FILE`")
	f.BoolVar(&req.PagesOnly, "pages-only", false, "rename classes on pages only, not in own stylesheets and scripts")
	f.BoolVar(&req.RenameSure, "rename-sure", false, "make the renames that compare is certain of")
	f.BoolVar(&req.WithNeeds, "with-needs", false, "move what the libraries need along: take what is new, release "+
		"what is needed no more")
	f.BoolVar(&req.Fits, "fits", false, "move to the newest version that fits browsers and libraries")
	f.BoolVar(&req.Modules, "modules", false, "allow a version that has only modules: pages import it, and hand it to "+
		"their plain scripts")
	f.BoolVar(&req.KeepParts, "keep-parts", false, "refuse a version that lacks a file which pages have")
	w.add(c)
	return a.changes(c)
}

func (a *app) printRepin(r *crate.Repinned) {
	verb := "moved"
	if r.DryRun {
		verb = "would move"
	}
	moved := 0
	for _, l := range r.Libraries {
		if l.Old != l.New {
			moved++
			a.printf("%s %s from %s to %s\n", verb, a.paint.Bold(show.Text(l.Library)), show.Text(l.Old),
				show.Text(l.New))
		}
	}
	switch {
	case moved == 0 && len(r.Notes) == 0:
		a.printf("all libraries are at the newest allowed version\n")
	case moved == 0:
		a.printf("no library moves\n")
	}
	for _, name := range r.Took {
		a.printf("  also took %s, which is needed now\n", a.paint.Bold(show.Text(name)))
	}
	for _, name := range r.Released {
		a.printf("  released %s, which nothing needs any more\n", a.paint.Bold(show.Text(name)))
	}
	if len(r.Modules) > 0 {
		a.printf("  pages import it as a module now:\n")
		for _, line := range r.Modules {
			a.printf("      %s\n", show.Text(line))
		}
	}
	for _, part := range r.Dropped {
		a.printf("  dropped %s\n", show.Text(part))
	}
	for _, n := range r.Renames {
		where := ""
		if len(n.Files) > 0 {
			where = ": pages and " + show.Text(abbreviated(n.Files, 3))
		}
		a.printf("  %s %s is now %s, in %s%s\n", n.Kind, show.Text(n.Old), show.Text(n.New), show.Count(n.Places,
			"place", "places"), where)
	}
	if r.DryRun {
		a.printf("\n")
		a.touched(r.Result)
	} else {
		for _, f := range r.Files {
			a.printf("  %s %s\n", map[crate.Action]string{crate.Added: "added  ", crate.Changed: "changed",
				crate.Removed: "removed"}[f.Do], show.Text(f.Path))
		}
	}
	a.printNamed(r.Result)
	for _, p := range r.Pages {
		if p.Note != "" {
			a.remarks([]string{p.Page + ": " + p.Note})
		}
	}
	a.remarks(r.Notes)
	a.printFaults(r.Faults)
	if len(r.Files) > 0 && !r.DryRun {
		a.next("merry check; merry undo  # reverts this")
	}
}

// printFaults lists what is wrong on pages only since a change, as far as it fits on a screen.
func (a *app) printFaults(found []check.Finding) {
	const most = 8
	if len(found) == 0 {
		return
	}
	a.printf("\n%s on pages that have it:\n", a.paint.Red(show.Count(len(found), "new finding", "new findings")))
	for i, f := range check.Causes(found) {
		if i == most {
			a.printf("  … and more: merry check\n")
			break
		}
		a.printf("  %s  %s: %s\n", show.Text(f.Place()), a.severely(f.Finding), show.Text(f.Message))
	}
}
