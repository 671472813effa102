package libraries

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Refilled is the result of refill.
type Refilled struct {
	reconcile.Result
	Whole    int      `json:"whole"`              // files that were there as sealed
	Restored []string `json:"restored,omitempty"` // paths that were put back
	Changed  []string `json:"changed,omitempty"`  // there with other bytes, left alone
	Missing  []string `json:"missing,omitempty"`  // to be had from nowhere
	Moved    []string `json:"moved,omitempty"`    // moved by hand, and left where they are
	Fetched  []string `json:"fetched,omitempty"`  // addresses that were asked
}

// A RefillRequest asks for the sealed files of libraries.
type RefillRequest struct {
	Names     []string // of libraries, all if there is none
	Overwrite bool     // what is there with other bytes, too
	// Sources are archives, or folders of them, to search. They are named from Dir, and each byte is verified against
	// the seal.
	Dir     string
	Sources []string
	Notify  func(note string)
}

// Refill plans to restore missing sealed files, and returns the state of each.
func Refill(ctx context.Context, d *reconcile.Plan, r RefillRequest) (*Refilled, error) {
	names := r.Names
	if len(names) == 0 {
		names = d.Seal.Names()
	}
	site, err := d.Site(ctx)
	if err != nil {
		return nil, err
	}
	strayed, err := d.Before.Strayed(ctx, site)
	if err != nil {
		return nil, err
	}
	out := &Refilled{}
	var all []project.Sealed
	for _, n := range names {
		sealed := d.Seal.Libraries[n]
		if sealed == nil {
			return nil, project.NotInCrate(d.List, n)
		}
		for i := range sealed.Files {
			if f := &sealed.Files[i]; !f.At.IsZero() && paths.Hidden(f.At.String()) && !d.Before.Exists(f.At) {
				r.Notify(f.At.String() + " was not put back: its name begins with a dot; such files are written only " +
					"if take --files names them")
			} else if to, moved := strayed[f.At]; moved {
				out.Moved = append(out.Moved, f.At.String()+" was found at "+to.String())
			} else if !f.At.IsZero() && !sealed.Linked {
				all = append(all, project.Sealed{Library: n, File: &sealed.Files[i]})
			}
		}
	}
	for _, n := range names {
		if err := fillFrom(ctx, d, r, n); err != nil {
			return nil, err
		}
	}
	if err := fetchMissing(ctx, d, names, out); err != nil {
		return nil, err
	}
	policy := reconcile.Leave
	if r.Overwrite {
		policy = reconcile.Overwrite
	}
	const missing = reconcile.LeftAlone + 1
	states, err := parallel.Map(ctx, all, func(_ context.Context, of project.Sealed) (reconcile.State, error) {
		if unchanged(d, of) {
			return reconcile.Whole, nil
		}
		b, err := d.Before.Origin.Kept(d.Seal.Libraries[of.Library], of.File)
		if errors.Is(err, fs.ErrNotExist) {
			if _, err := d.Before.Disk.Stat(of.File.At.String()); err == nil && !r.Overwrite {
				return reconcile.LeftAlone, nil
			}
			return missing, nil
		}
		if err != nil {
			return 0, err
		}
		return d.Put(of.Library, of.File.Path, of.File.At, b, policy)
	})
	if err != nil {
		return nil, err
	}
	out.tell(all, states, missing)
	return out, nil
}

// tell says what became of each file.
func (r *Refilled) tell(all []project.Sealed, states []reconcile.State, missing reconcile.State) {
	for i, s := range states {
		at := all[i].File.At.String()
		switch s {
		case reconcile.Whole:
			r.Whole++
		case reconcile.Put:
			r.Restored = append(r.Restored, at)
		case reconcile.LeftAlone:
			r.Changed = append(r.Changed, at)
		case missing:
			r.Missing = append(r.Missing, all[i].Library+": "+at)
		}
	}
}

// unchanged reports whether a file is there as it was sealed.
func unchanged(d *reconcile.Plan, of project.Sealed) bool {
	b, err := d.Before.ReadFile(of.File.At)
	return err == nil && of.File.Is(bytes.NewReader(b))
}

// fetchMissing brings into the cache what it has not: a source that is in the project, or an address. Whatever comes
// must have the digest that the seal has.
func fetchMissing(ctx context.Context, d *reconcile.Plan, names []string, out *Refilled) error {
	opener := d.Before.Origin
	for _, n := range names {
		lib := d.Seal.Libraries[n]
		needed := slices.ContainsFunc(lib.Files, func(f record.File) bool {
			if f.At.IsZero() || opener.Cache.Has(f.Integrity) {
				return false
			}
			return !d.Before.Exists(f.At)
		})
		if !needed {
			continue
		}
		asked, err := bringSource(ctx, d, n)
		if err != nil {
			return err
		}
		if asked != "" {
			out.Fetched = append(out.Fetched, asked)
		}
	}
	return nil
}

// bringSource brings a library's recorded source into the cache if it is not there, and returns the address that it
// asked. A source that can't be asked now is no error.
func bringSource(ctx context.Context, d *reconcile.Plan, name string) (asked string, err error) {
	opener, lib := d.Before.Origin, d.Seal.Libraries[name]
	if lib.Linked || lib.Digest != "" && opener.Cache.Has(lib.Digest) {
		return "", nil
	}
	req := origin.Request{Name: lib.Origin, Dir: string(d.Before.Root), Integrity: lib.Digest, Recorded: true}
	packaged := strings.HasPrefix(lib.Origin, record.FromRegistry)
	switch {
	case packaged, source.IsAddress(lib.Origin):
		if opener.Offline {
			return "", nil
		}
		if packaged {
			// the registry's own digest is compared with the seal's below
			req.Name, req.Integrity = lib.Origin+"@"+lib.Version, ""
		}
		asked = req.Name
	default:
		if _, err := d.Before.Disk.Stat(lib.Origin); err != nil {
			return "", nil // it is reported as missing
		}
	}
	return asked, fetchOne(ctx, opener, name, lib, req, packaged)
}

// fillFrom brings into the cache what it has not of a library, from archives and folders that a person has.
func fillFrom(ctx context.Context, d *reconcile.Plan, r RefillRequest, name string) error {
	sealed, opener := d.Seal.Libraries[name], d.Before.Origin
	missing := func(f record.File) bool {
		return !f.At.IsZero() && !d.Before.Exists(f.At) && !opener.Cache.Has(f.Integrity)
	}
	if sealed.Linked || !slices.ContainsFunc(sealed.Files, missing) || sealed.Digest != "" &&
		opener.Cache.Has(sealed.Digest) {
		return nil
	}
	for _, full := range origin.Candidates(r.Dir, r.Sources, name, sealed) {
		o, err := opener.Open(ctx, origin.Request{Name: full, Dir: r.Dir})
		if err != nil {
			continue // it is no such archive
		}
		err = opener.Fill(o, sealed, missing)
		o.Close()
		if err != nil || !slices.ContainsFunc(sealed.Files, missing) {
			return err
		}
	}
	return nil
}

func fetchOne(ctx context.Context, opener *origin.Opener, name string, lib *record.Sealed, req origin.Request,
	packaged bool) error {
	o, err := opener.Open(ctx, req)
	if err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	defer o.Close()
	if packaged && lib.Digest != "" {
		now, err := o.Tree.Digest()
		if err != nil {
			return err
		}
		if now != lib.Digest {
			return problem.Refuse(problem.NotTheBytes, "tell the registry's operator", "%s: the bytes of %s in the "+
				"registry are not the sealed ones\n  sealed: %s\n  there:  %s", name, lib.Version, lib.Digest, now)
		}
	}
	return opener.Store(ctx, o, lib)
}
