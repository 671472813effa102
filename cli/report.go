package cli

import (
	"context"
	_ "embed"
	"errors"
	"html/template"
	"os"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/cli/htmlpage"
	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate/problem"

	"github.com/google/renameio/v2/maybe"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
)

// writeReport writes the report page: self-contained, and readable without scripts.
func (a *app) writeReport(ctx context.Context, door *crate.Crate, name string, patterns []string,
	c *crate.Checked) error {
	d := htmlpage.Report{Title: filepath.Base(door.Root()), Pages: c.Pages, Unsure: c.Unsure}
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
			d.Groups = append(d.Groups, htmlpage.Group{File: f.File})
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
			if len(d.Drawn) == htmlpage.MaxDrawn {
				d.Left++
				continue
			}
			// The drawing escapes what it is handed.
			r := htmlpage.Drawing{Page: o.Page, SVG: template.HTML(show.SVG(drawing(o))), Files: len(o.Steps)}
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
	b, err := d.Write()
	if err != nil {
		return err
	}
	return a.writeOut(name, b)
}

// writeOut writes a file that the user asked for, whole or not at all. What is there and is no plain file, such as a
// device or a pipe, is written to, and not replaced.
func (a *app) writeOut(name string, b []byte) error {
	full := a.full(name)
	if info, err := os.Stat(filepath.Dir(full)); err != nil || !info.IsDir() {
		return problem.Misuse("make the folder first", "%s: there is no folder %s", name, filepath.Dir(name))
	}
	if info, err := os.Stat(full); err == nil && !info.Mode().IsRegular() {
		f, err := os.OpenFile(full, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		_, err = f.Write(b)
		return errors.Join(err, f.Close())
	}
	return maybe.WriteFile(full, b, 0o644)
}
