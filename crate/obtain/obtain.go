// Package obtain gets what a project's records name from where they say it came: from the cache if it is there, else
// over the network, and never with bytes other than the recorded ones.
package obtain

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"github.com/agext/levenshtein"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
)

// Bytes returns a sealed file's bytes: those at hand, or else what its address has.
func Bytes(ctx context.Context, p *project.Project, of project.Sealed) ([]byte, error) {
	b, err := p.LocalBytes(of)
	lib, sealed := p.List.Library(of.Library), p.Seal.Libraries[of.Library]
	if err == nil || lib == nil {
		return b, err
	}
	for _, address := range p.AddressesOf(lib, sealed, of.File) {
		b, ferr := p.Origin.Fetch(ctx, address)
		if ferr != nil {
			err = ferr
			continue
		}
		if integrity.Of(b) != of.File.Integrity {
			err = problem.Refuse(problem.NotTheBytes, "tell the CDN's operator", "%s has bytes other than the "+
				"sealed ones", address)
			continue
		}
		return b, p.Origin.Cache.Put(of.File.Integrity, b)
	}
	return nil, err
}

// Sealed opens a library of the crate as it was delivered: from the cache, from where it came, or from a registry
// that has the same bytes.
func Sealed(ctx context.Context, p *project.Project, name string) (*origin.Opened, error) {
	if o, err := p.OpenKept(ctx, name); err == nil {
		return o, nil
	}
	sealed := p.Seal.Libraries[name]
	from := cmp.Or(sealed.Origin, name)
	if pkg, ok := strings.CutPrefix(sealed.Origin, record.FromRegistry); ok {
		from = record.FromRegistry + pkg + "@" + sealed.Version
	} else if lib := p.List.Library(name); lib != nil && RegistryHas(ctx, p, lib, sealed) {
		from = record.FromRegistry + name + "@" + sealed.Version
	}
	o, err := p.Origin.Open(ctx, origin.Request{Name: from, Dir: string(p.Root), Recorded: true})
	if err != nil {
		cause := problem.Of(err)
		return nil, &problem.Problem{Code: cause.Code, Class: cause.Class, Err: err,
			Next: []string{"name the archive that it came from: merry compare " + name + " ARCHIVE NEW"},
			What: fmt.Sprintf("the package of %s %s is not in the cache, and can't be fetched again: %v", name,
				sealed.Version, err)}
	}
	return o, nil
}

// Named opens a source that a person named. The name alone of a library of the crate is that library, in the
// version that the crate has and from where it came; all else is opened as it is named.
func Named(ctx context.Context, p *project.Project, req origin.Request) (*origin.Opened, error) {
	lib, sealed := p.List.Library(req.Name), p.Seal.Libraries[req.Name]
	if lib == nil || sealed == nil || sealed.Version == "" || origin.There(req.Dir, req.Name) {
		o, err := p.Origin.Open(ctx, req)
		return o, nearNames(p, req.Name, err)
	}
	said := req.Name
	var o *origin.Opened
	var err error
	if pkg, ok := lib.Package(); ok {
		said = pkg + "@" + sealed.Version
		o, err = p.Origin.Open(ctx, origin.Request{Name: record.FromRegistry + said, Dir: req.Dir})
	} else if o, err = p.OpenKept(ctx, req.Name); errors.Is(err, fs.ErrNotExist) {
		return p.Origin.Open(ctx, req)
	} else if err == nil {
		o.Kind, o.From = origin.Address, lib.From // as the packing list has it
	}
	if err == nil {
		o.Name, o.Spec = req.Name, said
	}
	return o, err
}

// nearNames adds to the error of a package that no registry has the nearest names of the crate and of packages seen
// before.
func nearNames(p *project.Project, asked string, err error) error {
	var unknown *problem.Problem
	if !errors.As(err, &unknown) || unknown.Code != problem.PackageUnknown {
		return err
	}
	name, wish := origin.SplitPackage(asked)
	names := p.Origin.Cache.PackageNames()
	for _, l := range p.List.Libraries {
		names = append(names, l.NameOnCDNs())
	}
	best, least := "", len(name)/3+1 // a third of the letters may be wrong
	for _, n := range names {
		if d := levenshtein.Distance(n, name, nil); n != name && d <= least {
			best, least = n, d-1
		}
	}
	if best == "" {
		return err
	}
	near := *unknown
	if wish != "" {
		best += "@" + wish
	}
	near.Next = []string{"if you meant one of these: merry take " + best}
	return &near
}

// RegistryHas reports whether a registry's package of the same name and version has a library's very bytes, so that its
// other versions are those of the same library.
func RegistryHas(ctx context.Context, p *project.Project, lib *record.Library, sealed *record.Sealed) bool {
	if len(p.Origin.Registries) == 0 || !origin.LooksLikePackage(lib.Name) {
		return false
	}
	o, err := p.Origin.OpenPackage(ctx, lib.Name, sealed.Version, nil)
	if err != nil {
		return false
	}
	defer o.Close()
	return !slices.ContainsFunc(sealed.Files, func(f record.File) bool {
		if f.Role != record.Tagged {
			return false
		}
		b, err := o.Tree.ReadFile(f.Path)
		return err != nil || integrity.Of(b) != f.Integrity
	})
}
