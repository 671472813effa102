package switching

import (
	"context"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// AsListed makes pages refer to libraries as the packing list says: local or CDN, and in which build. It acts only
// where the list has changed since it was last applied, so a page that somebody switched alone stays as it is.
func AsListed(ctx context.Context, d *reconcile.Plan, dir string, out *libraries.Applied) (*tags.History, error) {
	memory := tags.NewHistory(d.Seal.Tags)
	for i := range d.List.Libraries {
		lib := &d.List.Libraries[i]
		was := d.Before.Seal.Libraries[lib.Name]
		if was == nil || d.Seal.Libraries[lib.Name] == nil {
			continue
		}
		req := Request{Libraries: []string{lib.Name}}
		serve, build := lib.Usage()
		if was.Serve != "" && was.Serve != serve {
			req.Serve = serve
		}
		if was.Build != record.NoBuild && was.Build != build {
			req.Build = build
		}
		if req.Serve == "" && req.Build == record.NoBuild {
			continue
		}
		explicit, brought := *lib, Switched{}
		if _, err := plan(ctx, d, req, dir, memory, &brought); err != nil {
			return nil, err
		}
		if entry := d.List.Library(lib.Name); explicit.Serve == "" && entry.Serve == record.Local {
			entry.Serve = "" // as it is written
		}
		out.Notes = append(out.Notes, brought.Notes...)
		out.Done = append(out.Done, libraries.Done{Library: lib.Name, What: reconcile.Titled("pages use it",
			string(req.Serve), string(req.Build))})
	}
	d.ListApplied = true
	return memory, nil
}
