package htmlpage

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"sync"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/texts"
)

//go:embed report.html
var reportText string

var reportPage = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("report").Funcs(template.FuncMap{"steps": texts.Steps,
		"plural": show.Count, "bytes": show.Bytes,
		"place": func(f check.Finding) string {
			if f.Line == 0 {
				return ""
			}
			return fmt.Sprintf("line %d", f.Line)
		},
	}).Parse(reportText))
})

// MaxDrawn is how many pages a report draws; those with findings come first.
const MaxDrawn = 40

// A Report is what check found, with drawings of pages.
type Report struct {
	Title                   string
	Pages                   int
	Errors, Warnings, Notes int
	Groups                  []Group
	Drawn                   []Drawing
	Left                    int
	Unsure                  []string
}

// A Group is the findings of one file.
type Group struct {
	File     string
	Findings []check.Finding
}

// A Drawing is one page's order, drawn, with what its files come to.
type Drawing struct {
	Page      string
	SVG       template.HTML
	Files     int
	Size      int64
	Wire      int64
	Libraries string
}

// Write writes the report.
func (r *Report) Write() ([]byte, error) {
	var b bytes.Buffer
	err := reportPage().Execute(&b, r)
	return b.Bytes(), err
}
