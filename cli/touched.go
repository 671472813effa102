package cli

import (
	"strings"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/record"
)

// touched prints the files of a change, and their diffs on a dry run.
func (a *app) touched(o crate.Result) {
	if o.DryRun {
		for _, f := range o.Files {
			mark := map[crate.Action]string{crate.Added: "+", crate.Changed: "~", crate.Removed: "-"}[f.Do]
			a.printf("%s %s  %s\n", mark, show.Text(f.Path), a.paint.Dim(show.Bytes(f.Size)))
		}
		for _, f := range o.Files {
			// The seal's lines say nothing to a reader that the list above does not; and the texts of a
			// library's files are its makers' affair.
			if f.Diff != "" && f.Path != record.SealFile && f.Library == "" {
				a.printf("\n")
				a.verbatim(a.diff(f.Diff))
			}
		}
		if len(o.Files) == 0 {
			a.printf("nothing would change\n")
			return
		}
		a.next("the same command without --dry-run applies it")
	}
}

func (a *app) diff(text string) string {
	if !a.paint {
		return text
	}
	var out strings.Builder
	for line := range strings.Lines(text) {
		body := strings.TrimRight(line, "\r\n")
		switch {
		case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"):
			out.WriteString(a.paint.Bold(body) + "\n")
		case strings.HasPrefix(line, "+"):
			out.WriteString(a.paint.Green(body) + "\n")
		case strings.HasPrefix(line, "-"):
			out.WriteString(a.paint.Red(body) + "\n")
		case strings.HasPrefix(line, "@@"):
			out.WriteString(a.paint.Dim(body) + "\n")
		default:
			out.WriteString(body + "\n")
		}
	}
	return out.String()
}

// remarks prints what a person should know beside the answer.
func (a *app) remarks(notes []string) {
	for _, n := range notes {
		a.printf("%s\n", show.Folded(a.paint.Yellow("note:")+" ", show.Text(n)))
	}
}
