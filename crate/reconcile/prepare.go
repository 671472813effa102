package reconcile

import (
	"context"
	"strings"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
)

// Trial begins a plan on a copy of a project, which is never written. Close ends it.
func Trial(ctx context.Context, p *project.Project) (*Plan, error) {
	set, err := change.Begin(ctx, p.Disk, "trial", change.Options{Dry: true})
	if err != nil {
		return nil, err
	}
	return New(p, set), nil
}

// Close discards what is planned, unless it was applied.
func (d *Plan) Close() { d.set.Close() }

// Prepare asks for edits of all pages before everything else is done to them. A note is told of the page.
func (d *Plan) Prepare(edit func(v *tags.Page) (edits []page.Edit, note string)) {
	d.prepare = append(d.prepare, edit)
}

// prepared is a page's text as it is before everything else is done to it.
func (d *Plan) prepared(name paths.InSite, text []byte, done *PageChange) ([]byte, error) {
	for _, edit := range d.prepare {
		v, err := tags.Read(d.Before, name, text)
		if err != nil {
			return nil, err
		}
		edits, note := edit(v)
		text = page.Apply(text, edits)
		done.Note = strings.Trim(done.Note+"; "+note, "; ")
	}
	return text, nil
}
