package cli

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

func (a *app) take() *cobra.Command {
	var req crate.TakeRequest
	var rename []string
	var minified, readable, suggested bool
	var src sourceFlags
	c := &cobra.Command{
		Use:   "take SOURCE…",
		Short: "Bring a library in: chosen files, placed and sealed",
		Long: `Take brings a library's files into the site's own folders, records them in crate.yaml and seals
them with hashes in crate.seal.json. On a terminal, without --files, it lets you pick; elsewhere it
takes the set that peek shows. A stylesheet brings along what it refers to, placed so that every
reference stays true.

A source is an archive, a folder or a file; an https address of one; or NAME, NAME@VERSION, NAME@RANGE or
NAME@TAG in the package registry that you have set.`,
		Example: `  merry take ../downloads/oarlock-2.0.3.zip --page '**'
  merry take ../downloads/brinework-1.2.0.zip --needs oarlock --because "the look of the 2019 site"
  merry take 'tidechart@^3.0' --with-needs --page tides.html
  merry take ../downloads/brinework-1.2.0.zip --files 'css/*' --together --as brinework-css`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if len(args) > 1 && (req.As != "" || len(req.Files)+len(req.Parts)+len(rename) > 0 || src.integrity != "") {
				return usageError{fmt.Errorf("--as, --files, --part, --rename and --integrity are of one source; take the others by themselves")}
			}
			req.More = args[1:]
			req.Dir, req.Integrity = a.dir, src.integrity
			var err error
			if req.Source, err = a.numbered(args[0], src); err != nil {
				return err
			}
			if req.Build, err = buildFlag(minified, readable); err != nil {
				return err
			}
			switch req.Names {
			case "", "shipped", "plain", "versioned":
			default:
				return usageError{fmt.Errorf("--names %s: write shipped, plain or versioned", req.Names)}
			}
			if req.Together && req.ByKind {
				return usageError{fmt.Errorf("--together and --by-kind exclude each other")}
			}
			if req.Rename, err = renames(rename); err != nil {
				return err
			}
			p, err := a.openWith(src)
			if err != nil {
				return err
			}
			choosing := len(req.Files)+len(req.Parts) == 0 && !suggested && len(args) == 1
			if choosing && isTerminal(a.in) && paintable(a.out) && !a.json && !a.dry {
				reach, err := a.reach(src)
				if err != nil {
					return err
				}
				look, err := crate.Peek(reach, req.Source, a.dir, src.integrity, true)
				if err != nil {
					return err
				}
				files, ok, err := a.pick(look, args[0])
				if err != nil {
					return err
				}
				if !ok {
					a.printf("nothing taken\n")
					return nil
				}
				req.Files = files
			}
			t, err := p.Take(req)
			if err != nil {
				return err
			}
			return a.answer(t, func() {
				pages, outcome := t.Pages, t.Outcome
				t.Pages, t.DryRun = nil, false
				for i, one := range append([]crate.Taken{*t}, t.Others...) {
					if i > 0 {
						a.printf("\n")
					}
					a.printTaken(&one, outcome.DryRun)
				}
				if outcome.DryRun {
					a.printf("\n")
					a.touched(outcome)
					return
				}
				a.printPages(pages)
				if len(pages) > 0 {
					a.next("merry check")
				} else {
					a.next("merry include %s --page PAGE", t.Library)
				}
			})
		},
	}
	f := c.Flags()
	f.StringSliceVar(&req.Files, "files", nil, "take the files that match `GLOB` instead of the suggested set (repeatable)")
	src.add(c)
	f.BoolVar(&suggested, "suggested", false, "take the suggested set without asking")
	f.StringSliceVar(&req.Parts, "part", nil, "take a part, theme or variant that peek lists by `NAME` (repeatable)")
	f.StringVar(&req.As, "as", "", "call the library `NAME` in the crate")
	f.StringSliceVar(&rename, "rename", nil, "give a file another name: `OLD=NEW` (repeatable)")
	f.BoolVar(&req.Together, "together", false, "keep the set as one folder")
	f.BoolVar(&req.ByKind, "by-kind", false, "put the files into the site's folders by kind, where its habit is another")
	f.StringVar(&req.Names, "names", "", "file names shipped, plain (without version) or versioned, where that differs from the site's habit")
	f.BoolVar(&minified, "minified", false, "pages use the minified build (the default)")
	f.BoolVar(&readable, "readable", false, "pages use the readable build")
	f.BoolVar(&req.OneBuild, "one-build", false, "keep only the build that pages use")
	f.StringVar(&req.Because, "because", "", "why this library, or this version: kept in crate.yaml")
	f.StringSliceVar(&req.Pages, "page", nil, "include it on the pages that match `GLOB` at once (repeatable)")
	f.StringSliceVar(&req.Needs, "needs", nil, "the library needs `LIB` before it on a page (repeatable)")
	f.BoolVar(&req.WithNeeds, "with-needs", false, "take from the registry what it needs on a page, too")
	f.BoolVar(&req.OnlyDesk, "only-desk", false, "it is for the developer alone and must not ship")
	f.BoolVar(&req.Overwrite, "overwrite", false, "write over files that are there with other bytes")
	return a.changes(c)
}

// printNeeds says what the library needs on a page, and what supplies it.
func (a *app) printNeeds(t *crate.Taken) {
	for _, w := range t.With {
		a.printf("with it: %s\n", clean(w))
	}
	for _, n := range t.Needs {
		global := strings.Join(append([]string{n.Global}, n.Or...), " or ")
		switch {
		case n.Library != "":
			a.printf("needs %s on the page before it (%s): %s of the crate has it\n", clean(global), clean(n.At), clean(n.Library))
		case n.Package != "":
			a.printf("needs %s on the page before it (%s): merry take '%s@%s' would supply it, or --with-needs\n", clean(global), clean(n.At), clean(n.Package), clean(n.Range))
		default:
			a.printf("needs %s on the page before it (%s), and nothing in the crate defines that\n", clean(global), clean(n.At))
		}
	}
}

// paintable tells whether what is printed goes to a terminal.
func paintable(out io.Writer) bool {
	return out != nil && isTerminal(os.Stdout)
}

func buildFlag(minified, readable bool) (string, error) {
	switch {
	case minified && readable:
		return "", usageError{fmt.Errorf("--minified and --readable exclude each other: pages use one build")}
	case minified:
		return "minified", nil
	case readable:
		return "readable", nil
	}
	return "", nil
}

func renames(list []string) (map[string]string, error) {
	if len(list) == 0 {
		return nil, nil
	}
	m := map[string]string{}
	for _, r := range list {
		old, new, ok := strings.Cut(r, "=")
		if !ok || old == "" || new == "" {
			return nil, usageError{fmt.Errorf("--rename %s: write it as OLD=NEW", r)}
		}
		m[old] = new
	}
	return m, nil
}

func (a *app) printTaken(t *crate.Taken, dry bool) {
	word := "took"
	if dry {
		word = "would take"
	}
	a.printf("%s %s\n", word, a.paint.bold(strings.TrimSpace(clean(t.Library)+" "+clean(t.Version))))
	if !dry {
		rows := &table{right: map[int]bool{1: true}}
		rows.add("file", "size", "because")
		for _, c := range t.Choices {
			rows.add(clean(c.At), bytesText(c.Size), clean(c.Reason))
		}
		rows.print(a, "  ")
	}
	if t.Why != "" {
		a.printf("kept together: %s\n", clean(t.Why))
	}
	if t.Digest != "" && t.FirstSeen && !dry {
		a.printf("first seen: nothing was known of these bytes before; to demand them elsewhere, pass on\n  --integrity %s\n", t.Digest)
	}
	a.printNeeds(t)
	a.remarks(t.Notes)
}
