package cli

import (
	"bytes"
	"context"
	_ "embed"
	"fmt"
	"html/template"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"

	"github.com/google/renameio/v2/maybe"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
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

// maxDrawn is how many pages a report draws; those with findings come first.
const maxDrawn = 40

type reportData struct {
	Title                   string
	Pages                   int
	Errors, Warnings, Notes int
	Groups                  []reportGroup
	Drawn                   []reportDrawing
	Left                    int
	Unsure                  []string
}

type reportGroup struct {
	File     string
	Findings []check.Finding
}

type reportDrawing struct {
	Page      string
	SVG       template.HTML
	Files     int
	Size      int64
	Wire      int64
	Libraries string
}

// writeReport writes the report page: self-contained, and readable without scripts.
func (a *app) writeReport(ctx context.Context, door *crate.Crate, name string, patterns []string,
	c *crate.Checked) error {
	d := reportData{Title: filepath.Base(door.Root()), Pages: c.Pages, Unsure: c.Unsure}
	with := map[string]bool{}
	for _, f := range c.Findings {
		switch f.Severity {
		case check.Error:
			d.Errors++
		case check.Warning:
			d.Warnings++
		default:
			d.Notes++
		}
		if n := len(d.Groups); n == 0 || d.Groups[n-1].File != f.File {
			d.Groups = append(d.Groups, reportGroup{File: f.File})
		}
		g := &d.Groups[len(d.Groups)-1]
		g.Findings = append(g.Findings, f)
		with[f.File] = true
	}
	if len(patterns) == 0 {
		patterns = []string{"**"}
	}
	pages, err := door.Order(ctx, patterns)
	if err != nil {
		return err
	}
	for _, faulty := range []bool{true, false} {
		for i := range pages {
			o := &pages[i]
			if with[o.Page] != faulty || len(o.Steps) == 0 {
				continue
			}
			if len(d.Drawn) == maxDrawn {
				d.Left++
				continue
			}
			// The drawing escapes what it is handed.
			r := reportDrawing{Page: o.Page, SVG: template.HTML(show.SVG(drawing(o))), Files: len(o.Steps)}
			var libraries []string
			for _, s := range o.Steps {
				r.Size += s.Size
				r.Wire += s.Wire
				if s.Library != "" && !strings.Contains(" "+strings.Join(libraries, " ")+" ", " "+s.Library+" ") {
					libraries = append(libraries, s.Library)
				}
			}
			r.Libraries = strings.Join(libraries, " ")
			d.Drawn = append(d.Drawn, r)
		}
	}
	var b bytes.Buffer
	if err := reportPage().Execute(&b, d); err != nil {
		return err
	}
	return a.writeOut(name, b.Bytes())
}

// writeOut writes a file that the user asked for, whole or not at all.
func (a *app) writeOut(name string, b []byte) error {
	full := a.full(name)
	if info, err := os.Stat(filepath.Dir(full)); err != nil || !info.IsDir() {
		return problem.Misuse("make the folder first", "%s: there is no folder %s", name, filepath.Dir(name))
	}
	return maybe.WriteFile(full, b, 0o644)
}
