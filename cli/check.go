package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
)

func (a *app) check() *cobra.Command {
	var f checkFlags
	c := &cobra.Command{
		Use:   "check [PAGE…]",
		Short: "Find what a browser, server or colleague would trip over",
		Long: `Check compares the crate's files with the seal, and reports what will go wrong on
the pages. It finds missing files, names in the wrong case, and scripts that run
before what they need. It finds libraries included twice, and builds that a plain
script tag can't load.

It also rehearses pages: their scripts run in order in a sandbox. Few pages are
rehearsed by default, many only with --rehearse. It reports what a content
security policy blocks, from the page's head or from the files that headers: names.
It reports APIs and CSS that the browsers in browsers: lack.

Each cause is reported once, with the places where it shows; --pages lists by
page. --explain NAME describes a finding. The exit status is 1 if there are
findings.`,
		Example: "  merry check\n  merry check 'crews/*.html' --json\n  merry check --fix --dry-run\n" +
			"  merry check --profile live --online\n  merry check --watch\n  merry check --policy index.html\n" +
			"  merry check --explain need-later",
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.runCheck(cmd, &f, args)
		},
	}
	f.add(c.Flags())
	return a.changes(c)
}

// checkFlags are what check's flags say.
type checkFlags struct {
	req                                                          crate.CheckRequest
	fix, sarif, rehearse, noRehearse, policy, watch, byPage, all bool
	explain, report, baseline                                    string
}

// add adds the flags to a command's.
func (f *checkFlags) add(flags *pflag.FlagSet) {
	flags.StringVar(&f.req.Profile, "profile", "", "also compare the pages with this `NAME`d profile of the "+
		"packing list")
	flags.BoolVar(&f.req.Live, "live", false, "also report what a public page must not have: desk-only libraries, "+
		"branches, http, readable builds, tracking")
	flags.BoolVar(&f.req.Online, "online", false, "fetch each CDN link of the crate's libraries and compare its bytes")
	flags.BoolVar(&f.req.Fresh, "fresh", false, "read and check every page again, ignoring the cache")
	flags.StringVar(&f.req.Since, "changed-since", "", "only pages changed since this git `REVISION`, and pages that "+
		"use a changed file")
	flags.BoolVar(&f.rehearse, "rehearse", false, "rehearse all pages (default: only if they are few)")
	flags.BoolVar(&f.noRehearse, "no-rehearse", false, "do not rehearse pages")
	flags.BoolVar(&f.byPage, "pages", false, "list findings page by page instead of cause by cause")
	flags.BoolVar(&f.watch, "watch", false, "check again whenever a file changes, and print what is new and "+
		"what is fixed")
	flags.BoolVar(&f.fix, "fix", false, "fix what is safe to fix, then check")
	flags.BoolVar(&f.sarif, "sarif", false, "print the findings as SARIF 2.1.0")
	flags.BoolVar(&f.all, "all", false, "show all findings (default: the first 50 of each name)")
	flags.BoolVar(&f.policy, "policy", false, "print the smallest content security policy with which the pages work")
	flags.StringVar(&f.report, "report", "", "write the findings and each page's order to `FILE.html`")
	flags.StringVar(&f.baseline, "baseline", "", "only findings that are not in `FILE`, the --json answer of an "+
		"earlier check")
	flags.StringVar(&f.explain, "explain", "", "describe the finding `NAME`; without a name, list all findings")
	flags.Lookup("explain").NoOptDefVal = allFindings
}

func (a *app) runCheck(cmd *cobra.Command, f *checkFlags, args []string) error {
	if cmd.Flags().Changed("explain") {
		return a.explain(f.explain, args)
	}
	if f.rehearse && f.noRehearse {
		return misuse("--rehearse and --no-rehearse exclude each other")
	}
	f.req.Rehearse = rehearsing(f.rehearse, f.noRehearse)
	f.req.Pages = args
	if f.baseline != "" && f.policy {
		return misuse("--baseline filters findings, and --policy prints none")
	}
	if f.watch {
		if f.baseline != "" {
			return misuse("--watch prints what is new anyway; leave --baseline out")
		}
		if f.fix || f.policy || f.sarif || f.report != "" {
			return misuse("--watch can't be used with --fix, --policy, --sarif or --report")
		}
		a.waits.end()
		return a.watch(cmd.Context(), f.req)
	}
	door, err := a.open(sourceFlags{})
	if err != nil {
		return err
	}
	defer door.Close()
	if f.policy {
		return a.policies(cmd.Context(), door, args)
	}
	var mended *crate.Mended
	if f.fix {
		if mended, err = door.Mend(cmd.Context(), args); err != nil {
			return err
		}
		if a.dry {
			return a.answer(mended, func() { a.printMended(mended) })
		}
		if !a.json && !f.sarif {
			a.printMended(mended)
		}
	}
	found, err := door.Check(cmd.Context(), f.req)
	if err != nil {
		return err
	}
	if f.baseline != "" {
		earlier, err := a.earlier(f.baseline)
		if err != nil {
			return err
		}
		found.Against(earlier, len(args) > 0 || f.req.Since != "")
	}
	if f.report != "" {
		if err := a.writeReport(cmd.Context(), door, f.report, args, found); err != nil {
			return err
		}
	}
	return a.answerFindings(cmd.Context(), door, found, mended, f)
}

// earlier reads the answer of an earlier check.
func (a *app) earlier(name string) (*crate.Checked, error) {
	full := a.full(name)
	const write = "write one: merry check --json > baseline.json"
	b, err := os.ReadFile(full)
	if err != nil {
		return nil, problem.Refuse(problem.FileUnknown, write, "the earlier check %s can't be read", name)
	}
	// Only what identifies a finding is read: baselines of all formats have that.
	var known struct {
		Findings []struct {
			Name, File, Message string
		}
	}
	if err := json.Unmarshal(b, &known); err != nil || known.Findings == nil {
		return nil, problem.Refuse(problem.RecordBroken, write, "%s is not an answer of merry check --json", name)
	}
	c := &crate.Checked{}
	for _, f := range known.Findings {
		c.Findings = append(c.Findings, check.Finding{Name: f.Name, File: f.File, Message: f.Message})
	}
	return c, nil
}

// rehearsing is which pages two flags want rehearsed.
func rehearsing(always, never bool) crate.Rehearsing {
	switch {
	case always:
		return crate.Always
	case never:
		return crate.Never
	}
	return crate.IfFew
}

// policies prints the smallest policies of pages.
func (a *app) policies(ctx context.Context, door *crate.Crate, pages []string) error {
	list, err := door.Policies(ctx, pages)
	if err != nil {
		return err
	}
	return a.answer(policiesAnswer{list}, func() {
		for i, p := range list {
			if i > 0 {
				a.printf("\n")
			}
			a.printf("%s\n", a.paint.Bold(show.Text(some(p.Pages))))
			a.verbatim("  Content-Security-Policy: " + show.Text(p.Policy) + "\n")
			for _, n := range p.Notes {
				a.printf("  %s\n", a.paint.Dim(show.Text(n)))
			}
		}
		a.printf("\n%s\n", provedWords(list))
		a.next("name the file that has the server's headers in crate.yaml, such as headers: [_headers]; check then " +
			"compares the pages with it")
	})
}

// provedWords says how policies were held against their pages.
func provedWords(list []crate.PagePolicy) string {
	words := "Every page was rehearsed under its policy"
	if !slices.ContainsFunc(list, func(p crate.PagePolicy) bool { return len(p.ProvedBy) < 2 }) {
		words += ", and opened in the browser"
	}
	return words + ". What scripts do later is not seen: send it as Content-Security-Policy-Report-Only first."
}

// answerFindings prints findings, and returns the exit status for them.
func (a *app) answerFindings(ctx context.Context, door *crate.Crate, found *crate.Checked, mended *crate.Mended,
	f *checkFlags) (err error) {
	print := a.printFindings
	if f.byPage {
		print = a.printByPage
	}
	var answer any = found
	if mended != nil {
		answer = mendedAndChecked{found, mended}
	}
	if f.sarif {
		err = a.printJSON(door.SARIF(ctx, found.Findings, program()))
	} else {
		err = a.answer(answer, func() { print(found, f.all) })
	}
	if err != nil {
		return err
	}
	return statusOf(found)
}

// mendedAndChecked is the answer of check --fix: what was fixed, and what a check finds after that.
type mendedAndChecked struct {
	*crate.Checked
	Mended *crate.Mended `json:"mended"` // what was fixed
}

// statusOf is the exit status for findings: notes are none.
func statusOf(c *crate.Checked) error {
	for _, f := range c.Findings {
		if f.Severity != check.Note {
			return quietStatus(problem.Refused)
		}
	}
	return nil
}

// allFindings is what --explain without a name says.
const allFindings = "all"

func (a *app) explain(name string, args []string) error {
	if name == allFindings && len(args) == 1 {
		name = args[0] // --explain NAME, with a space
	}
	if name == allFindings || name == "" {
		all := findingTextsAnswer{}
		for _, n := range check.Names() {
			all.Findings = append(all.Findings, findingTextAnswer{n, check.Explain(n)})
		}
		return a.answer(all, func() {
			t := &show.Table{}
			for _, n := range check.Names() {
				t.Rows = append(t.Rows, []string{n, check.Summary(n)})
			}
			a.printf("%s", t.Lines(""))
			a.next("describe one of them: merry check --explain=NAME")
		})
	}
	text := check.Explain(name)
	if text == "" {
		near := ""
		for _, n := range check.Names() {
			if strings.Contains(n, name) || strings.Contains(name, n) {
				near += " " + n
			}
		}
		return problem.Misuse(fmt.Sprintf("merry check --explain  # lists them%s", near), "there is no finding %q",
			name)
	}
	return a.answer(findingTextAnswer{name, text}, func() { a.printf("%s", text) })
}

func (a *app) printMended(m *crate.Mended) {
	if len(m.Pages) == 0 {
		a.printf("nothing that --fix could fix\n\n")
		return
	}
	for _, p := range m.Pages {
		a.printf("%s\n", a.paint.Bold(show.Text(p.Page)))
		for _, d := range p.Did {
			a.printf("  %s\n", show.Text(d))
		}
	}
	a.printf("\n")
	a.touched(m.Result)
}

// printFindings prints each cause once, with its places.
func (a *app) printFindings(c *crate.Checked, all bool) {
	defer a.printUnsure(c)
	if len(c.Findings) == 0 {
		what := "no findings"
		if c.Before+c.Mended > 0 {
			what = "nothing new"
		}
		a.printf("%s: %s%s%s\n", show.Count(c.Pages, "page", "pages"), what, since(c), rehearsed(c))
		return
	}
	causes := check.Causes(c.Findings)
	limit := limitPerName{all: all}
	for i, f := range causes {
		if !limit.shows(f.Name) {
			continue
		}
		if i > 0 {
			a.printf("\n")
		}
		a.printf("%s  %s\n%s\n", a.paint.Bold(show.Text(f.Place())), a.severely(f.Finding),
			show.Folded("  ", show.Text(f.Message)))
		if len(f.Places) > 0 {
			a.printf("  also: %s\n", show.Text(placesOf(f.Places)))
		}
		if f.On != "" {
			a.printf("%s\n", show.Folded("  on:   ", show.Text(f.On)))
		}
		a.printf("%s\n", show.Folded("  why:  ", show.Text(f.Why)))
		if f.Then != "" {
			a.printf("%s\n", show.Folded("  then: ", show.Text(f.Then)))
		}
		a.printf("%s", show.Steps("  next: ", f.Next))
	}
	a.printf("\n%s%s\n", limit.rest(), total(c, len(causes)))
}

// maxShown is how many findings of one name are shown to people: nobody reads more of the same.
const maxShown = 50

// limitPerName counts findings by name, and shows the first ones of each.
type limitPerName struct {
	all   bool // there is no limit
	count map[string]int
}

func (l *limitPerName) shows(name string) bool {
	if l.count == nil {
		l.count = map[string]int{}
	}
	l.count[name]++
	return l.all || l.count[name] <= maxShown
}

// rest says how many of each name were not shown, a line each.
func (l *limitPerName) rest() string {
	var text strings.Builder
	for _, name := range slices.Sorted(maps.Keys(l.count)) {
		if n := l.count[name] - maxShown; n > 0 && !l.all {
			fmt.Fprintf(&text, "%s: %d more (--all)\n", name, n)
		}
	}
	return text.String()
}

// printByPage prints the findings file by file, a line each.
func (a *app) printByPage(c *crate.Checked, all bool) {
	defer a.printUnsure(c)
	file := ""
	limit := limitPerName{all: all}
	for _, f := range c.Findings {
		if !limit.shows(f.Name) {
			continue
		}
		if f.File != file {
			if file != "" {
				a.printf("\n")
			}
			file = f.File
			a.printf("%s\n", a.paint.Bold(show.Text(file)))
		}
		a.printf("  %s  %s: %s\n", strings.TrimPrefix(strings.TrimPrefix(f.Place(), f.File), ":"), a.severely(f),
			show.Text(f.Message))
	}
	if file != "" {
		a.printf("\n")
	}
	a.printf("%s%s\n", limit.rest(), total(c, len(check.Causes(c.Findings))))
}

// severely is a finding's name behind its severity, in its colour, too.
func (a *app) severely(f check.Finding) string {
	switch f.Severity {
	case check.Error:
		return a.paint.Red("error: " + f.Name)
	case check.Warning:
		return a.paint.Yellow("warning: " + f.Name)
	}
	return "note: " + f.Name
}

// placesOf lists places, the first six of many.
func placesOf(list []string) string {
	const most = 6
	if len(list) > most {
		return strings.Join(list[:most], ", ") + fmt.Sprintf(" and %d more", len(list)-most)
	}
	return strings.Join(list, ", ")
}

// total sums a check up.
func total(c *crate.Checked, causes int) string {
	counts := map[check.Severity]int{}
	for _, f := range c.Findings {
		counts[f.Severity]++
	}
	text := fmt.Sprintf("%s: %s, %s", show.Count(c.Pages, "page", "pages"), show.Count(counts[check.Error], "error",
		"errors"), show.Count(counts[check.Warning], "warning", "warnings"))
	if n := counts[check.Note]; n > 0 {
		text += ", " + show.Count(n, "note", "notes")
	}
	if causes < len(c.Findings) {
		text += ", of " + show.Count(causes, "cause", "causes") + "; --pages lists them page by page"
	}
	return text + since(c) + rehearsed(c)
}

// since says how the findings stand to those of an earlier check.
func since(c *crate.Checked) string {
	text := ""
	if c.Before > 0 {
		text += fmt.Sprintf("; %d as before", c.Before)
	}
	if c.Mended > 0 {
		text += fmt.Sprintf("; %d of the baseline fixed", c.Mended)
	}
	return text
}

func rehearsed(c *crate.Checked) string {
	switch c.Rehearsed {
	case 0:
		return ""
	case c.Pages:
		return "; rehearsed"
	}
	return fmt.Sprintf("; %d rehearsed", c.Rehearsed)
}

// printUnsure prints what rehearsals showed and can't be sure of.
func (a *app) printUnsure(c *crate.Checked) {
	const most = 5
	for i, u := range c.Unsure {
		if i == most {
			a.printf("%s\n", a.paint.Dim(fmt.Sprintf("uncertain: … and %d more; --json lists them",
				len(c.Unsure)-most)))
			return
		}
		a.printf("%s\n", a.paint.Dim("uncertain: "+show.Text(u)))
	}
}
