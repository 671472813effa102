package sources

import (
	"context"
	"errors"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// File is one file of the crate as a CDN has it.
type File struct {
	CDN     string `json:"cdn"`     // the CDN's name in the packing list
	Library string `json:"library"` // the library's name in the crate
	File    string `json:"file"`    // path in the package
	Address string `json:"address"` // where the CDN has the file
	State   string `json:"state"`   // same, other bytes, or why it could not be had
}

// Try asks CDNs of the packing list, all where none is named, for every file of the crate that goes on pages.
func Try(ctx context.Context, p *project.Project, names []string) ([]File, error) {
	if len(names) == 0 {
		names = p.List.CDNNames()
	}
	var list []File
	files := map[string]*record.File{}
	for _, name := range names {
		pattern, ok := p.List.CDNs[name]
		if !ok {
			return nil, problem.Refuse(problem.SourceUnset, "it has "+strings.Join(p.List.CDNNames(), ", "),
				"%s has no CDN %s", record.ListFile, name)
		}
		for _, library := range p.Seal.Names() {
			lib, sealed := p.List.Library(library), p.Seal.Libraries[library]
			for i := range sealed.Files {
				if f := &sealed.Files[i]; lib != nil && f.Role == record.Tagged {
					at := lib.Address(pattern, sealed.Version, f)
					list, files[at] = append(list, File{CDN: name, Library: library, File: f.Path, Address: at}), f
				}
			}
		}
	}
	return parallel.MapWide(ctx, parallel.Connections, list, func(ctx context.Context, f File) (File, error) {
		b, err := p.Origin.Fetch(ctx, f.Address)
		switch {
		case err != nil:
			f.State = "missing"
			var fault *source.FetchError
			var refusal *problem.Problem
			switch {
			case errors.As(err, &fault):
				f.State = fault.Reason
			case errors.As(err, &refusal):
				f.State = "refused: " + refusal.Error()
			}
		case integrity.Of(b) != files[f.Address].Integrity:
			f.State = "other bytes"
		default:
			f.State = "same"
		}
		return f, ctx.Err()
	})
}
