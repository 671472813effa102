package origin

import (
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/packages"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// A LibraryText is a text from inside a package, for people.
type LibraryText struct {
	Path string `json:"path"` // path in the package
	Text string `json:"text"` // without terminal escapes
}

// Texts returns a library's readme, changelog and licence or, with start, only the page examples of its readme. Name is
// the user's name for the library.
func (o *Opened) Texts(name string, start bool) ([]LibraryText, error) {
	var notes []LibraryText
	for _, want := range []string{"readme", "change", "history", "release", "licen", "copying"} {
		for _, f := range o.Files {
			base := strings.ToLower(filepath.Base(f.Path))
			if strings.Contains(f.Path, "/") || !strings.HasPrefix(base, want) || f.Size > 1<<20 ||
				f.Kind == packages.Script {
				continue
			}
			b, err := o.Tree.ReadFile(f.Path)
			if err != nil {
				return nil, err
			}
			n := LibraryText{Path: f.Path, Text: printableText(string(b))}
			if start {
				if want != "readme" {
					continue
				}
				n.Text = manifest.StartExamples(n.Text)
			}
			if n.Text != "" {
				notes = append(notes, n)
			}
		}
	}
	if len(notes) == 0 {
		what := "readme, changelog or licence file"
		if start {
			what = "page example in its readme"
		}
		return nil, problem.Refuse(problem.NothingThere, "merry peek "+texts.Word(name)+" --all", "%s has no %s",
			o.Tree.Name, what)
	}
	return notes, nil
}

// printableText takes terminal escapes and other control characters out of a text, line by line.
func printableText(s string) string {
	var out strings.Builder
	for line := range strings.Lines(s) {
		body := strings.TrimRight(line, "\r\n")
		for i, part := range strings.Split(body, "\t") {
			if i > 0 {
				out.WriteString("    ")
			}
			for len(part) > 300 { // Text shortens what is too long for a name
				cut := strings.LastIndexByte(part[:300], ' ') + 1
				if cut == 0 {
					cut = 300
				}
				out.WriteString(texts.Text(part[:cut]))
				part = part[cut:]
			}
			out.WriteString(texts.Text(part))
		}
		out.WriteByte('\n')
	}
	return out.String()
}
