package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/record"
)

func (a *app) versions() *cobra.Command {
	var all bool
	c := &cobra.Command{
		Use:   "versions LIB",
		Short: "What there is of a library, and what the pin and the hold allow",
		Long: `Versions asks the registry for all versions of a library of the crate, or of any package: when each came
out, its tags, its size unpacked and its licence, whether it is deprecated, and which syntax it demands, as
far as the cache has it.`,
		Example: "  merry versions oarlock\n  merry versions tidechart --all",
		Args:    cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			p, err := a.open()
			if err != nil {
				return err
			}
			v, err := p.Versions(args[0])
			if err != nil {
				return err
			}
			return a.answer(v, func() { a.printVersions(v, all) })
		},
	}
	c.Flags().BoolVar(&all, "all", false, "list more than the newest twenty")
	return c
}

func (a *app) printVersions(v *crate.Versions, all bool) {
	const most = 20
	a.printf("%s", a.paint.bold(clean(v.Library)))
	if v.Pinned != "" {
		a.printf("  pinned at %s", clean(v.Pinned))
	}
	if v.Hold != nil {
		a.printf("  held %s: %s", clean(holdText(v.Hold)), clean(orWord(v.Hold.Because, "no reason was given")))
	}
	a.printf("\n")
	t := &table{right: map[int]bool{3: true}}
	t.add("version", "came out", "tags", "size", "licence", "syntax", "")
	for i, l := range v.Lines {
		if i == most && !all {
			t.add(fmt.Sprintf("… and %d more: --all", len(v.Lines)-most), "", "", "", "", "", "")
			break
		}
		when, size, syntax := "", "", ""
		if l.Time != nil {
			when = l.Time.Format("2006-01-02")
		}
		if l.Size > 0 {
			size = bytesText(l.Size)
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
			words = append(words, "not allowed by the hold")
		}
		if l.Deprecated != "" {
			words = append(words, "deprecated: "+clean(l.Deprecated))
		}
		t.add(clean(l.Version), when, clean(strings.Join(l.Tags, " ")), size, clean(l.Licence), syntax, strings.Join(words, "; "))
	}
	t.print(a, "  ")
	a.remarks(v.Notes)
	if v.Stale {
		a.printf("%s as it was when the registry was last asked: offline\n", a.paint.yellow("note:"))
	}
}

func holdText(h *record.Hold) string {
	if h.At != "" {
		return "at " + h.At
	}
	return "below " + h.Below
}

func (a *app) hold() *cobra.Command {
	var h record.Hold
	var off bool
	c := &cobra.Command{
		Use:     "hold LIB",
		Short:   "Keep a library at a version, or below one, with the reason",
		Long:    "Hold records why a library must not move on. repin and versions respect it, contents shows it. Without\n--at or --below it holds the version that is in the crate.",
		Example: "  merry hold oarlock --below 2.0.0 --because \"the boathouse kiosk's browser has no classes\"\n  merry hold oarlock --off",
		Args:    cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if h.At != "" && h.Below != "" {
				return usageError{fmt.Errorf("--at and --below exclude each other")}
			}
			if !off && h.Because == "" {
				return usageError{fmt.Errorf("say why: --because TEXT; in a year nobody will remember")}
			}
			hold := &h
			if off {
				hold = nil
			}
			p, err := a.open()
			if err != nil {
				return err
			}
			out, err := p.Hold(args[0], hold)
			if err != nil {
				return err
			}
			return a.answer(out, func() {
				switch {
				case out.DryRun:
					a.touched(out.Outcome)
				case out.Hold == nil:
					a.printf("%s is not held any more\n", clean(out.Library))
				default:
					a.printf("%s is held %s: %s\n", clean(out.Library), clean(holdText(out.Hold)), clean(out.Hold.Because))
				}
			})
		},
	}
	c.Flags().StringVar(&h.At, "at", "", "hold it at this `VERSION`")
	c.Flags().StringVar(&h.Below, "below", "", "hold it below this `VERSION`")
	c.Flags().StringVar(&h.Because, "because", "", "the reason")
	c.Flags().BoolVar(&off, "off", false, "let it go")
	return a.changes(c)
}

func (a *app) repin() *cobra.Command {
	var req crate.RepinRequest
	c := &cobra.Command{
		Use:   "repin LIB@VERSION",
		Short: "Move a library to another version, references and all",
		Long: `Repin replaces a library's files by those of another version, follows versions in file names and the
references on all pages, and writes both records, in one change. A hold is respected. A file that somebody
changed is never written over.`,
		Example: "  merry repin oarlock@2.0.3 --dry-run\n  merry repin oarlock@^1.4\n  merry repin oarlock --from ../downloads/oarlock-2.0.3.zip",
		Args:    cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			req.Library, req.Wish = args[0], ""
			if i := strings.LastIndexByte(args[0], '@'); i > 0 {
				req.Library, req.Wish = args[0][:i], args[0][i+1:]
			}
			req.Dir = a.dir
			p, err := a.open()
			if err != nil {
				return err
			}
			out, err := p.Repin(req)
			if err != nil {
				return err
			}
			return a.answer(out, func() { a.printRepin(out) })
		},
	}
	c.Flags().StringVar(&req.Source, "from", "", "the `SOURCE` of the other version, where it is not the registry")
	return a.changes(c)
}

func (a *app) printRepin(r *crate.Repinned) {
	if r.DryRun {
		a.printf("would move %s from %s to %s\n\n", clean(r.Library), clean(r.Old), clean(r.New))
		a.touched(r.Outcome)
	} else if len(r.Files) > 0 {
		a.printf("moved %s from %s to %s\n", a.paint.bold(clean(r.Library)), clean(r.Old), clean(r.New))
		for _, f := range r.Files {
			a.printf("  %s %s\n", map[string]string{"add": "added  ", "change": "changed", "remove": "removed"}[f.Do], clean(f.Path))
		}
	}
	a.remarks(r.Notes)
	if len(r.Files) > 0 && !r.DryRun {
		a.next("merry check; merry undo takes this back")
	}
}
