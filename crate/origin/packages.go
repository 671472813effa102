package origin

import (
	"context"
	"errors"
	"fmt"
	"path"
	"strings"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/texts"
)

// SplitPackage splits NAME[@WISH], where a name may begin with a scope's @.
func SplitPackage(s string) (name, wish string) {
	if i := strings.LastIndexByte(s, '@'); i > 0 {
		return s[:i], s[i+1:]
	}
	return s, ""
}

// LooksLikePackage reports whether a text is a package's name rather than a missing path.
func LooksLikePackage(s string) bool {
	name, _ := SplitPackage(s)
	if !source.ValidPackage(name) || strings.HasPrefix(s, ".") {
		return false
	}
	if strings.Contains(strings.TrimPrefix(name, "@"), "/") && !strings.HasPrefix(name, "@") {
		return false
	}
	switch path.Ext(name) {
	case ".zip", ".tgz", ".gz", ".tar", ".xz", ".bz2", ".zst":
		return false
	}
	return true
}

// registryFor finds the registry that serves a package: its scope's, else the one for all.
func (r *Opener) registryFor(name string) (source.Registry, error) {
	scope := ""
	if strings.HasPrefix(name, "@") {
		scope, _, _ = strings.Cut(name, "/")
	}
	var found *source.Registry
	for i := range r.Registries {
		if s := r.Registries[i].Scope; s == scope || s == "" && found == nil {
			found = &r.Registries[i]
		}
	}
	if found == nil {
		return source.Registry{}, problem.Refuse(problem.SourceUnset, "set your registry: merry sources set "+
			"registry URL", "%s would come from a package registry, but none is set", name)
	}
	return *found, nil
}

// documentKey names a package's document, the full one or the short one.
type documentKey struct {
	name string
	full bool
}

// Document returns a registry's document on a package, once in a run. The full document has the times of the versions.
func (r *Opener) Document(ctx context.Context, name string, full bool) (*source.Package, error) {
	reg, err := r.registryFor(name)
	if err != nil {
		return nil, err
	}
	return r.documents.Get(documentKey{name, full}, func() (*source.Package, error) {
		p, err := r.Client.Metadata(ctx, reg, name, full, r.Offline, r.Cache)
		if errors.Is(err, source.ErrOffline) {
			return nil, problem.Fault(problem.Offline, "the same command without --offline", "the registry was never "+
				"asked about %s, and --offline allows no connection", name)
		}
		return p, err
	})
}

// OpenPackage opens a version of a package: an exact one, a tag, or the newest of a range. One that was opened in this
// run is the same again: many libraries need the same few.
func (r *Opener) OpenPackage(ctx context.Context, name, wish string, allowed func(string) bool) (*Opened, error) {
	p, err := r.Document(ctx, name, false)
	if err != nil {
		return nil, err
	}
	v, err := p.Resolve(wish, allowed)
	if err != nil {
		return nil, err
	}
	return r.packages.Get(name+"@"+v.Version, func() (*Opened, error) { return r.openVersion(ctx, name, v) })
}

func (r *Opener) openVersion(ctx context.Context, name string, v *source.Version) (*Opened, error) {
	reg, err := r.registryFor(name)
	if err != nil {
		return nil, err
	}
	t, weak, err := r.Client.Tarball(ctx, reg, v, name, r.Offline, r.Cache)
	if errors.Is(err, source.ErrOffline) {
		return nil, problem.Fault(problem.Offline, "the same command without --offline", "%s %s was never fetched, "+
			"and --offline allows no connection", name, v.Version)
	}
	if err != nil {
		return nil, err
	}
	o, err := r.Describe(ctx, &Opened{Tree: t, From: record.FromRegistry + name, Kind: Package, Dist: v, runs: true})
	if err != nil {
		return nil, err
	}
	for _, m := range o.Manifests {
		if m.Name == name && m.Version == v.Version {
			o.Manifest = m // others were written for other hands
		}
	}
	if said := strings.TrimLeft(o.Manifest.Version, "v="); said != "" && said != v.Version || o.Manifest.Name != "" &&
		manifest.NameKey(o.Manifest.Name) != manifest.NameKey(name) {
		t.Close()
		return nil, problem.Refuse(problem.SourceRefused, "tell the registry's operator", "the tarball of %s %s calls "+
			"itself %s %s, so it is refused", name, v.Version, texts.Text(o.Manifest.Name),
			texts.Text(o.Manifest.Version))
	}
	o.Name, o.NameFrom, o.Version, o.VersionFrom = name, "the registry", v.Version, "the registry"
	if o.Licence == "" {
		o.Licence, o.LicenceFrom = string(v.Licence), "the registry"
	}
	if weak {
		o.Notes = append(o.Notes, "the registry gives only a SHA-1 shasum for this tarball; it matches, but "+
			"SHA-1 is weak")
	}
	if v.Deprecated != "" {
		o.Notes = append(o.Notes, fmt.Sprintf("%s %s is deprecated: %s", name, v.Version,
			texts.Text(string(v.Deprecated))))
	}
	return o, nil
}

// OpenSeen opens a version of a package that the cache has; false if it has not.
func (r *Opener) OpenSeen(ctx context.Context, v *source.Version) (*Opened, bool) {
	seen, ok := r.Cache.Seen(v.Dist.Tarball)
	if !ok {
		return nil, false
	}
	o, err := r.OpenKept(ctx, seen.Integrity, seen.Name)
	return o, err == nil
}
