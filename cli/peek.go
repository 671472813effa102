package cli

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/record"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
)

func (a *app) peek() *cobra.Command {
	var all, notes, start bool
	var src sourceFlags
	c := &cobra.Command{
		Use:   "peek [SOURCE]",
		Short: "Look inside a library, and take nothing",
		Long: `Peek opens an archive, a folder, a file, an https address or a registry package.
It lists the files for a page, with their builds, which of them belong together, and
which are excluded. It shows the set that take would bring in, with a reason for
each file. Without a source it lists the newest libraries in your
download folder; their numbers work as sources.`,
		Example: `  merry peek ../downloads/brinework-1.2.0.zip
  merry peek ../downloads/oarlock-2.0.3.zip --notes
  merry peek --downloads ../downloads`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return a.listDownloads(src)
			}
			name, err := a.numbered(args[0], src)
			if err != nil {
				return err
			}
			door, err := a.open(src)
			if err != nil {
				return err
			}
			defer door.Close()
			if notes || start {
				list, err := door.Texts(cmd.Context(), name, src.integrity, start)
				if err != nil {
					return err
				}
				return a.answer(textsAnswer{list}, func() { a.printNotes(list, start) })
			}
			p, err := door.Peek(cmd.Context(), name, src.integrity, all)
			if err != nil {
				return err
			}
			return a.answer(p, func() { a.printPeek(p, args[0], all) })
		},
	}
	c.Flags().BoolVar(&all, "all", false, "read every script, and list excluded files and the files of catalogues, "+
		"one by one")
	c.Flags().BoolVar(&notes, "notes", false, "print the library's readme, changelog and licence")
	c.Flags().BoolVar(&start, "start", false, "print the page examples of the library's readme")
	src.add(c)
	return c
}

func (a *app) printNotes(list []crate.LibraryText, start bool) {
	for i, n := range list {
		if i > 0 {
			a.printf("\n")
		}
		a.printf("%s\n", a.paint.Bold(show.Text(n.Path)))
		a.verbatim(strings.TrimRight(n.Text, "\n") + "\n")
	}
	if start {
		a.next("the tags name files as the readme does; take and include write the paths of your site")
	}
}

func (a *app) listDownloads(src sourceFlags) error {
	dir, err := downloadFolder(src.downloads)
	if err != nil {
		return err
	}
	if !filepath.IsAbs(dir) {
		dir = filepath.Join(a.dir, dir)
	}
	list, err := crate.Downloads(dir, src.downloads == "")
	if err != nil {
		return err
	}
	return a.answer(downloadsAnswer{list}, func() {
		if len(list) == 0 {
			a.printf("no archive in %s looks like a library\n", dir)
			return
		}
		t := &show.Table{Right: map[int]bool{0: true, 4: true}}
		t.Add("", "file", "name", "version", "size", "from")
		for _, d := range list {
			t.Add(plain(d.Number), show.Text(filepath.Base(d.File)), show.Text(d.Name), show.Text(d.Version),
				show.Bytes(d.Size), humanize.Time(d.Time))
		}
		a.printf("%s", t.Text(a.paint, ""))
		from := ""
		if src.downloads != "" {
			from = " --downloads " + show.Word(src.downloads)
		}
		a.next("merry peek 1%s; merry take 1%s", from, from)
	})
}

// catalogues tells which files are of a catalogue: they have one row together.
func catalogues(p *crate.Peeked) map[string]*crate.PeekedOption {
	of := map[string]*crate.PeekedOption{}
	for i := range p.Options {
		if o := &p.Options[i]; o.Kind == packages.Many {
			for _, name := range o.Files {
				of[name] = o
			}
		}
	}
	return of
}

func (a *app) printPeek(p *crate.Peeked, arg string, all bool) {
	a.printf("%s\n", a.paint.Bold(strings.TrimSpace(show.Text(p.Name)+" "+show.Text(p.Version))))
	t := &show.Table{}
	known := func(word, value, from string) {
		if value != "" {
			t.Rows = append(t.Rows, []string{word, show.Text(value), "from " + show.Text(from)})
		} else {
			t.Rows = append(t.Rows, []string{word, "unknown", ""})
		}
	}
	known("name", p.Name, p.NameFrom)
	known("version", p.Version, p.VersionFrom)
	known("licence", p.Licence, p.LicenceFrom)
	a.printf("%s", t.Lines("  "))

	if len(p.Files) > 0 {
		a.printf("\n")
		t = &show.Table{Right: map[int]bool{3: true, 4: true}}
		t.Add("file", "kind", "build", "size", "packed", "")
		row := catalogues(p)
		for _, f := range p.Files {
			if o := row[f.Path]; o != nil && !all {
				if o.Files[0] == f.Path {
					t.Add(fmt.Sprintf("%s and %d more", show.Text(f.Path), len(o.Files)-1), string(f.Kind), "",
						show.Bytes(o.Size), "", "--part "+show.Text(o.Name))
				}
				continue
			}
			wire := ""
			if f.Wire > 0 {
				wire = show.Bytes(f.Wire)
			}
			t.Add(show.Text(f.Path), string(f.Kind), string(f.Build), show.Bytes(f.Size), wire, remark(f))
		}
		a.printf("%s", t.Text(a.paint, "  "))
	}
	if len(p.Excluded) > 0 {
		a.printf("\n%s\n", a.paint.Dim("excluded"))
		t = &show.Table{Right: map[int]bool{2: true}}
		for _, g := range p.Excluded {
			some := strings.Join(g.Some, ", ")
			if g.Files > len(g.Some) {
				some += ", …"
			}
			t.Rows = append(t.Rows, []string{g.Why, show.Count(g.Files, "file", "files"), show.Bytes(g.Size),
				show.Text(some)})
		}
		a.printf("%s", t.Lines("  "))
	}
	a.printf("\n%s\n", a.paint.Bold("take would bring in"))
	t = &show.Table{}
	for _, c := range p.Suggested {
		t.Rows = append(t.Rows, []string{show.Text(c.Path), show.Text(c.Reason)})
	}
	a.printf("%s", t.Lines("  "))
	a.printDoubts(p.Decisions)
	if len(p.Options) > 0 {
		a.printf("\n%s\n", a.paint.Bold("or, with --part NAME"))
		t = &show.Table{Right: map[int]bool{2: true}}
		const most = 12
		for i, o := range p.Options {
			if i == most && len(p.Options) > most+2 {
				t.Rows = append(t.Rows, []string{fmt.Sprintf("… and %d more", len(p.Options)-most), "", "",
					"--json lists them"})
				break
			}
			t.Rows = append(t.Rows, []string{show.Text(o.Name), string(o.Kind), show.Bytes(o.Size),
				show.Text(o.Difference)})
		}
		a.printf("%s", t.Lines("  "))
	}
	for _, n := range p.Notes {
		a.printf("  %s %s\n", a.paint.Yellow("note:"), show.Text(n))
	}
	if len(p.Suggested) > 0 {
		public, _ := cdn.WithoutSecrets(arg) // what was seen once is known by its address without credentials
		a.next("merry take %s", show.Word(public))
	}
}

func (a *app) printDoubts(decisions []packages.Decision) {
	for _, d := range decisions {
		if doubt := d.Doubt(); doubt != "" {
			a.printf("  %s\n", a.paint.Yellow(show.Text(doubt)))
		}
	}
}

func remark(f crate.PeekedFile) string {
	switch {
	case f.ExcludedBecause != "":
		return f.ExcludedBecause
	case f.Kind == packages.Map && f.MapOf != "":
		return "maps " + path.Base(f.MapOf)
	case f.OtherBuild != "" && f.Build == record.Minified:
		return join(scriptWords(f), fmt.Sprintf("minified from %s", path.Base(f.OtherBuild)))
	}
	return scriptWords(f)
}

func join(parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), "; ")
}

// scriptWords says what matters of a script: its form, its syntax, what it defines and needs.
func scriptWords(f crate.PeekedFile) string {
	if f.Form == "" {
		return ""
	}
	words := string(f.Form)
	switch f.Form {
	case script.Broken, script.Server, script.AMD:
		return words
	}
	if f.Syntax > 2009 {
		words += fmt.Sprintf(", %d", f.Syntax)
	} else {
		words += ", ES5"
	}
	var defines, needs []string
	for _, g := range f.Defines {
		defines = append(defines, show.Text(g.Name))
	}
	for _, n := range f.Needs {
		if n.Strength == script.Hard {
			needs = append(needs, show.Text(strings.Join(append([]string{n.Name}, n.Or...), " or ")))
		}
	}
	if len(defines) > 3 {
		defines = append(defines[:3], "…")
	}
	if len(defines) > 0 {
		words += ", defines " + strings.Join(defines, " ")
	}
	if len(needs) > 0 {
		words += ", needs " + strings.Join(needs, " ")
	}
	return words
}
