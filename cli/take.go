package cli

import (
	"bufio"
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"strings"

	"merrycrate.example/merry/cli/picker"
	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/record"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/script"
)

func (a *app) take() *cobra.Command {
	var f takeFlags
	c := &cobra.Command{
		Use:   "take SOURCE…",
		Short: "Add a library to the project",
		Long: `Take puts a library's files into the site's own folders and records them in
crate.yaml and, with hashes, in crate.seal.json. On a terminal, without --files,
you pick the files; otherwise it takes the set that peek suggests. Files that a
stylesheet refers to come along, and every reference stays valid.

A source is an archive, a folder or a file; an https address of one; or NAME,
NAME@VERSION, NAME@RANGE or NAME@TAG in your package registry.

If the library is already in the crate, take adds the files that you ask for;
--together, --by-kind, --into and --place move it. For another version, use repin.`,
		Example: `  merry take ../downloads/oarlock-2.0.3.zip --page '**'
  merry take ../downloads/brinework-1.2.0.zip --needs oarlock --because "the look of the 2019 site"
  merry take 'tidechart@^3.0' --with-needs --page tides.html
  merry take ../downloads/brinework-1.2.0.zip --files 'css/*' --together --as brinework-css
  merry take ../downloads/logbook-1.0.0.zip --whole --into gallery/logbook
  merry take tidechart --part grid --page tides.html`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := f.fill(a, args); err != nil {
				return err
			}
			return a.runTake(cmd, &f, args)
		},
	}
	f.add(c)
	return a.changes(c)
}

// takeFlags are what take's flags say.
type takeFlags struct {
	req                           crate.TakeRequest
	src                           sourceFlags
	rename, places                []string
	minified, readable, suggested bool
	together, byKind              bool
	modules, scripts              bool
}

// add adds the flags to a command.
func (f *takeFlags) add(c *cobra.Command) {
	flags := c.Flags()
	flags.StringSliceVar(&f.req.Files, "files", nil, "take the files that match `GLOB` instead of the suggested set "+
		"(repeatable)")
	f.src.add(c)
	flags.BoolVar(&f.suggested, "suggested", false, "take the suggested set without asking")
	flags.StringSliceVar(&f.req.Parts, "part", nil, "also take the part, theme or variant `NAME` that peek lists "+
		"(repeatable)")
	flags.StringVar(&f.req.As, "as", "", "call the library `NAME` in the crate (default: its own name)")
	flags.StringSliceVar(&f.rename, "rename", nil, "rename a file: `OLD=NEW` (repeatable)")
	flags.StringSliceVar(&f.req.Keep, "keep", nil, "also keep the files that match `GLOB`, without tags (repeatable)")
	flags.BoolVar(&f.modules, "modules", false, "take the library as a module, if it has both forms")
	flags.BoolVar(&f.scripts, "scripts", false, "take the library as a plain script, if it has both forms")
	flags.BoolVar(&f.req.Fragments, "fragments", false, "with --page, also put tags on parts of pages")
	flags.BoolVar(&f.req.OnlyThisPage, "only-this-page", false, "with --page, "+onlyThisPage)
	flags.BoolVar(&f.req.Whole, "whole", false, "take everything for a page and keep it whole, in later versions too")
	flags.StringVar(&f.req.Into, "into", "", "keep the files in one folder, at this `FOLDER` of the site")
	flags.StringSliceVar(&f.places, "place", nil, "put a file or folder of the source at a path of its own: "+
		"`FILE=PATH` (repeatable)")
	flags.BoolVar(&f.together, "together", false, "keep the files in one folder")
	flags.BoolVar(&f.byKind, "by-kind", false, "put the files into the site's folders by kind")
	flags.StringVar((*string)(&f.req.Names), "names", "", "`HOW` to name files: shipped, plain (no version) or "+
		"versioned (default: as the site does)")
	flags.BoolVar(&f.minified, "minified", false, "pages use the minified build (the default)")
	flags.BoolVar(&f.readable, "readable", false, "pages use the readable build")
	flags.BoolVar(&f.req.Both, "both-builds", false, "also keep the build that pages do not use")
	flags.BoolVar(&f.req.Maps, "maps", false, "also take source maps")
	flags.StringVar(&f.req.Because, "because", "", "the `REASON` for this library or version, kept in crate.yaml")
	flags.StringSliceVar(&f.req.Pages, "page", nil, "also include it on the pages that match `GLOB` (repeatable)")
	flags.StringSliceVar(&f.req.Needs, "needs", nil, "the library needs `LIB` before it on a page (repeatable)")
	flags.BoolVar(&f.req.Fits, "fits", false, "take the newest version that fits the site's browsers and the "+
		"libraries "+
		"that are there")
	flags.BoolVar(&f.req.WithNeeds, "with-needs", false, "also take what it needs on a page from the registry")
	flags.BoolVar(&f.req.DevOnly, "only-desk", false, "the library is for development only and must not ship")
	flags.BoolVar(&f.req.Overwrite, "overwrite", false, "overwrite existing files that have other bytes")
}

// fill determines the request from the flags and arguments.
func (f *takeFlags) fill(a *app, args []string) error {
	if len(args) > 1 && (f.req.As != "" || len(f.req.Files)+len(f.req.Parts)+len(f.rename)+len(f.req.Keep)+
		len(f.places) > 0 || f.req.Into != "" || f.src.integrity != "") {
		return misuse("--as, --files, --part, --keep, --into, --place, --rename and --integrity work with " +
			"one source; " +
			"take the others separately")
	}
	f.req.More = args[1:]
	f.req.Integrity = f.src.integrity
	var err error
	if f.req.Source, err = a.numbered(args[0], f.src); err != nil {
		return err
	}
	if f.req.Build, err = buildFlag(f.minified, f.readable); err != nil {
		return err
	}
	switch {
	case f.modules && f.scripts:
		return misuse("--modules and --scripts exclude each other")
	case (f.modules || f.scripts) && len(f.req.Files) > 0:
		return misuse("--modules and --scripts choose the suggested set; --files names files")
	case f.modules:
		f.req.Form = script.Module
	case f.scripts:
		f.req.Form = script.Classic
	}
	switch f.req.Names {
	case "", record.Shipped, record.Plain, record.Versioned:
	default:
		return misuse("--names %s: use shipped, plain or versioned", f.req.Names)
	}
	switch {
	case f.together && f.byKind:
		return misuse("--together and --by-kind exclude each other")
	case f.together:
		f.req.Arrange = record.Together
	case f.byKind:
		f.req.Arrange = record.ByKind
	}
	if f.req.Whole && f.byKind {
		return misuse("--whole and --by-kind exclude each other: --whole keeps one folder")
	}
	if f.req.Into != "" && (f.together || f.byKind) {
		return misuse("--into names one folder; it excludes --together and --by-kind")
	}
	if f.req.Rename, err = pairs("--rename", "OLD=NEW", f.rename); err != nil {
		return err
	}
	f.req.Places, err = pairs("--place", "FILE=PLACE", f.places)
	return err
}

func (a *app) runTake(cmd *cobra.Command, f *takeFlags, args []string) error {
	ctx := cmd.Context()
	door, err := a.open(f.src)
	if err != nil {
		return err
	}
	defer door.Close()
	choosing := f.req.Form == "" && len(f.req.Files)+len(f.req.Parts)+len(f.req.Keep) == 0 && !f.req.Whole &&
		!f.suggested && len(args) == 1
	if choosing && isTerminal(a.in) && paintable(a.out) && !a.json {
		look, err := door.Peek(ctx, f.req.Source, f.src.integrity, true)
		if err != nil {
			return err
		}
		a.waits.end()
		chosen, err := picker.Pick(ctx, a.in, os.Stdout, look, typed(cmd, args), show.PaintFor(os.Stdout))
		if err != nil {
			return err
		}
		if len(chosen.Files) == 0 {
			a.printf("nothing taken\n")
			return nil
		}
		a.printf("%s\n", a.paint.Dim("$ "+chosen.Command))
		if !chosen.Suggested {
			f.req.Files = chosen.Files
		}
		if chosen.Plan && !a.dry {
			if ok, err := a.planned(ctx, door, f.req); err != nil || !ok {
				return err
			}
		}
	}
	t, err := door.Take(ctx, f.req)
	if err != nil {
		return err
	}
	return a.answerTaken(ctx, door, t)
}

// somePage is a page of the site to go on with: its first one, or what any would match.
func somePage(ctx context.Context, door *crate.Crate) string {
	if names, err := door.Names(ctx); err == nil && len(names.Pages) > 0 {
		return names.Pages[0]
	}
	return "**"
}

// typed is a command as it was typed: its path, its arguments, and the flags that were set.
func typed(cmd *cobra.Command, args []string) []string {
	words := append(strings.Fields(cmd.CommandPath()), args...)
	cmd.Flags().Visit(func(f *pflag.Flag) {
		if v, ok := f.Value.(pflag.SliceValue); ok {
			for _, one := range v.GetSlice() {
				words = append(words, "--"+f.Name, one)
			}
			return
		}
		if words = append(words, "--"+f.Name); f.Value.Type() != "bool" {
			words = append(words, f.Value.String())
		}
	})
	return words
}

// planned shows what taking would do, and asks whether to do it.
func (a *app) planned(ctx context.Context, door *crate.Crate, req crate.TakeRequest) (bool, error) {
	door.Dry = true
	t, err := door.Take(ctx, req)
	door.Dry = false
	if err == nil {
		err = a.answerTaken(ctx, door, t)
	}
	if err != nil {
		return false, err
	}
	a.printf("\ntake these files? type y and Enter: ")
	a.flush()
	answer, err := bufio.NewReader(a.in).ReadString('\n')
	if err != nil && err != io.EOF {
		return false, err
	}
	if strings.TrimSpace(strings.ToLower(answer)) != "y" {
		a.printf("nothing taken\n")
		return false, nil
	}
	return true, nil
}

// answerTaken prints what was taken, or would be.
func (a *app) answerTaken(ctx context.Context, door *crate.Crate, t *crate.Taken) error {
	return a.answer(t, func() {
		pages, outcome := t.Pages, t.Result
		t.Pages, t.DryRun = nil, false
		for i, one := range append([]crate.Taken{*t}, t.Others...) {
			if i > 0 {
				a.printf("\n")
			}
			a.printTaken(&one, outcome.DryRun)
		}
		if outcome.DryRun {
			a.printf("\n")
			a.printShared(pages)
			a.touched(outcome)
			return
		}
		a.printPages(pages)
		a.printMissing(t.Missing)
		if step := adoptStep(pages); step != "" {
			a.next("%s", step)
		} else if len(pages) > 0 || t.Already {
			a.next("%s", missingSteps(t.Missing)+"merry check")
		} else {
			a.next("merry include %s --page %s", t.Library, show.Word(somePage(ctx, door)))
		}
	})
}

// printNeeds says what the library needs on a page, and what supplies it.
func (a *app) printNeeds(t *crate.Taken) {
	for _, w := range t.AlsoTook {
		a.printf("also took: %s\n", show.Text(w))
	}
	var imports []string
	for _, n := range t.Needs {
		if n.Import != "" && n.Library != "" {
			imports = append(imports, show.Text(n.Import))
		}
	}
	if len(imports) > 0 {
		a.printf("imports %s by name: in the crate, and the pages' import maps lead there\n", abbreviated(imports, 4))
	}
	for _, n := range t.Needs {
		global := strings.Join(append([]string{n.Global}, n.Or...), " or ")
		switch {
		case n.Import != "" && n.Library != "":
		case n.Import != "":
			a.printf("imports %s by name (%s): provided by merry take '%s', or use --with-needs\n", show.Text(n.Import),
				show.Text(n.At), show.Text(strings.TrimSuffix(n.Package+"@"+n.Range, "@")))
		case n.Library != "":
			a.printf("needs %s before it on the page (%s): provided by %s in the crate\n", show.Text(global),
				show.Text(n.At), show.Text(n.Library))
			if n.Why != "" {
				a.printf("  %s\n", show.Text(n.Why))
			}
		case n.There != "":
			a.printf("needs %s before it on the page (%s): provided by %s, which stands on the page "+
				"without a record;\n  merry adopt records it\n", show.Text(global), show.Text(n.At), show.Text(n.There))
			if n.Why != "" {
				a.printf("  %s\n", show.Text(n.Why))
			}
		case n.Part != "":
			a.printf("needs %s before it on the page (%s): provided by %s of the package %s, with --with-needs\n",
				show.Text(global), show.Text(n.At), show.Text(n.Part), show.Text(n.Package))
		case n.Package != "":
			files := ""
			if n.Only != "" {
				files = " --files " + show.Word(n.Only)
			}
			a.printf("needs %s before it on the page (%s): provided by merry take '%s@%s'%s, or use --with-needs\n",
				show.Text(global), show.Text(n.At), show.Text(n.Package), show.Text(n.Range), files)
			if n.Why != "" {
				a.printf("  %s\n", show.Text(n.Why))
			}
		default:
			a.printf("needs %s before it on the page (%s), and nothing in the crate defines it\n", show.Text(global),
				show.Text(n.At))
			if n.Why != "" {
				a.printf("  %s\n", show.Text(n.Why))
			}
		}
	}
}

// abbreviated are the first few of a list in a sentence.
func abbreviated(list []string, most int) string {
	if len(list) > most+1 {
		return strings.Join(list[:most], ", ") + fmt.Sprintf(" and %d more", len(list)-most)
	}
	return strings.Join(list, ", ")
}

// paintable reports whether what is printed goes to a terminal.
func paintable(out io.Writer) bool {
	return out != nil && isTerminal(os.Stdout)
}

func buildFlag(minified, readable bool) (record.Build, error) {
	switch {
	case minified && readable:
		return "", misuse("--minified and --readable exclude each other: pages use one build")
	case minified:
		return record.Minified, nil
	case readable:
		return record.Readable, nil
	}
	return "", nil
}

// pairs reads what a flag has as one text, such as OLD=NEW.
func pairs(flag, form string, list []string) (map[string]string, error) {
	if len(list) == 0 {
		return nil, nil
	}
	m := map[string]string{}
	for _, r := range list {
		old, new, ok := strings.Cut(r, "=")
		if !ok || old == "" || new == "" {
			return nil, misuse("%s %s: write it as %s", flag, r, form)
		}
		m[old] = new
	}
	return m, nil
}

func (a *app) printTaken(t *crate.Taken, dry bool) {
	word := "took"
	added, moved := 0, 0
	for _, c := range t.Choices {
		switch c.State {
		case crate.StateAdded:
			added++
		case crate.StateMoved:
			moved++
		}
	}
	switch {
	case !t.Already:
	case added == 0 && moved == 0:
		word = "already there:"
	default:
		word = "added to"
	}
	if dry {
		word = map[string]string{"took": "would take", "added to": "would add to"}[word]
	}
	a.printf("%s %s\n", cmp.Or(word, "already there:"),
		a.paint.Bold(strings.TrimSpace(show.Text(t.Library)+" "+show.Text(t.Version))))
	if !dry {
		a.printTakenFiles(t)
	}
	if t.FolderReason != "" {
		a.printf("kept in one folder: %d of %s, because %s\n", len(t.InFolder), show.Count(len(t.Choices), "file",
			"files"), show.Text(t.FolderReason))
	}
	if t.Digest != "" && t.FirstSeen && !dry {
		a.printf("first download, so there is nothing to verify it against; to require the same bytes elsewhere, "+
			"use\n  --integrity %s\n", t.Digest)
	}
	a.printNeeds(t)
	a.remarks(t.Notes)
}

// maxTakenRows is how many rows of files are printed; of a library that is kept whole the first stand for the rest.
const maxTakenRows = 40

// printTakenFiles lists the files, those of a library that was there as far as something was done to them.
func (a *app) printTakenFiles(t *crate.Taken) {
	rows := &show.Table{Right: map[int]bool{1: true}}
	rows.Add("file", "size", "because")
	there, more := 0, 0
	for _, c := range t.Choices {
		reason := c.Reason
		switch {
		case c.State == crate.StateThere:
			there++
			continue
		case c.State == crate.StateMoved:
			reason = "moved from " + c.Was
		}
		if len(rows.Rows) > maxTakenRows {
			more++
			continue
		}
		rows.Add(show.Text(c.At), show.Bytes(c.Size), show.Text(reason))
	}
	if len(rows.Rows) > 1 {
		a.printf("%s", rows.Text(a.paint, "  "))
	}
	if more > 0 {
		a.printf("  … and %s\n", show.Count(more, "more file", "more files"))
	}
	if there > 0 {
		a.printf("  %s unchanged\n", show.Count(there, "file", "files"))
	}
}
