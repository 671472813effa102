package crate

import (
	"cmp"
	"context"
	"errors"
	"net/url"
	"path"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/sources"
)

// RefuseUser refuses an address that names a user, a password or a token.
func RefuseUser(address string) error { return source.RefuseUser(address) }

// SourceState is a registry and how it answered.
type SourceState struct {
	record.Registry
	State string `json:"state"`
}

// TrySources asks every registry whether it answers. Set tells whether an environment variable is.
func (c *Crate) TrySources(ctx context.Context, list []record.Registry, set func(name string) bool) ([]SourceState, error) {
	return parallel.MapWide(ctx, parallel.Connections, list, func(ctx context.Context, r record.Registry) (SourceState, error) {
		out := SourceState{Registry: r, State: "answers"}
		switch {
		case r.TokenFrom != "" && !set(r.TokenFrom):
			out.State = "its token is missing: the environment has no " + r.TokenFrom
		case c.Origin.Offline:
			out.State = "not asked: offline"
		default:
			if err := c.Origin.Client.Ping(ctx, source.Registry{URL: r.URL, Scope: r.Scope}); err != nil {
				var f *source.FetchError
				if out.State = err.Error(); errors.As(err, &f) {
					out.State = f.Reason
				}
			}
		}
		return out, ctx.Err()
	})
}

// CDNs lists the patterns of the project's CDNs by their names; outside of a project there are none.
func (c *Crate) CDNs(ctx context.Context) map[string]cdn.Pattern {
	p, err := c.read(ctx)
	if err != nil {
		return nil
	}
	return p.List.CDNs
}

// SetCDN writes a CDN's address pattern into the packing list.
func (c *Crate) SetCDN(ctx context.Context, name, pattern string) (*Outcome, error) {
	d, set, err := c.draft(ctx, reconcile.Titled("set cdn", name))
	if err != nil {
		return nil, err
	}
	defer set.Close()
	out := &Outcome{}
	if err := putCDN(d, name, cdn.Pattern(pattern)); err != nil {
		return nil, err
	}
	return out, d.Finish(ctx, out, nil, nil)
}

func putCDN(d *reconcile.Draft, name string, p cdn.Pattern) error {
	if why := p.Fault(); why != "" {
		shown, _ := cdn.WithoutSecrets(string(p))
		return problem.Misuse("merry sources set cdn harbour 'https://cdn.harbour.example/{name}/{version}/{path}'", "%s: %s", shown, why)
	}
	if strings.ContainsAny(name, " :{}[]#") || name == "" {
		return problem.Misuse("use letters and digits, such as harbour", "%q is no name for a CDN", name)
	}
	if d.List.CDNs == nil {
		d.List.CDNs = map[string]cdn.Pattern{}
	}
	d.List.CDNs[name] = p
	return nil
}

// Learned is a CDN's pattern that was worked out from one link.
type Learned struct {
	Outcome
	Name    string      `json:"name"`
	Pattern cdn.Pattern `json:"pattern"`
	Library string      `json:"library"`
	File    string      `json:"file"`              // that the link has
	Checked string      `json:"checked,omitempty"` // the address of a second file that was compared
	Notes   []string    `json:"notes,omitempty"`
}

// LearnCDN works out how a CDN's addresses are made from one link to a file of the crate, and makes sure of
// it with a second file.
func (c *Crate) LearnCDN(ctx context.Context, address, name string) (*Learned, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return nil, problem.Misuse("copy a whole link: https://HOST/PATH", "%s is no address", address)
	}
	if public, hidden := cdn.WithoutSecrets(address); len(hidden) > 0 {
		return nil, problem.Misuse("copy a link without it: a CDN that wants one for every file can't be written into pages", "%s has a credential in it (%s)", public, strings.Join(hidden, ", "))
	}
	b, err := c.Origin.FetchAsked(ctx, address)
	if err != nil {
		return nil, err
	}
	c.Origin.Client.Trusted = append(c.Origin.Client.Trusted, u.Hostname()) // its other files are asked for as well
	d, set, err := c.draft(ctx, "learn a CDN")
	if err != nil {
		return nil, err
	}
	defer set.Close()
	integ := integrity.Of(b)
	lib, sealed, f := d.Before.WithBytes(integ, path.Base(u.Path))
	if f == nil {
		return nil, problem.Refuse(problem.CDNUnclear, "take the library whose file this is, in this version, and learn again", "no file of the crate has the bytes of %s, so nothing can be learned from it\n  there: %s", address, integ)
	}
	out := &Learned{Name: cmp.Or(name, cdn.NameFor(address)), Library: lib.Name, File: f.Path}
	patterns := cdn.Explain(address, cdn.File{Name: lib.CDNName(), Version: sealed.Version, Path: f.Path})
	unsure := ""
	for _, pattern := range patterns {
		second := secondFile(lib, sealed, f, pattern)
		if second == nil {
			out.Pattern, unsure = pattern, "the library has no second file that could make sure of it"
			break
		}
		at := lib.Address(pattern, sealed.Version, second)
		got, err := c.Origin.Fetch(ctx, at)
		if err == nil && integrity.Of(got) == second.Integrity {
			out.Pattern, out.Checked, unsure = pattern, at, ""
			break
		}
		if err != nil && unsure == "" {
			unsure = at + " could not be had"
		}
	}
	if out.Pattern == "" && unsure != "" && len(patterns) > 0 {
		out.Pattern = patterns[0] // the most telling
	}
	if unsure != "" && out.Pattern != "" {
		out.Notes = append(out.Notes, "proved by one file alone: "+unsure+"; each file is compared when it is first linked")
	}
	if out.Pattern == "" {
		return nil, problem.Refuse(problem.CDNUnclear, "say it outright: merry sources set cdn NAME PATTERN", "no pattern explains %s by the name, version and files of %s", address, lib.Name)
	}
	d.Title("set cdn " + out.Name)
	if err := putCDN(d, out.Name, out.Pattern); err != nil {
		return nil, err
	}
	return out, d.Finish(ctx, &out.Outcome, nil, nil)
}

// What asking hosts answers.
type (
	CDNFile      = sources.File
	MeasuredHost = sources.Measured
)

// TryCDNs asks CDNs of the packing list, all where none is named, for every file of the crate that goes on pages.
func (c *Crate) TryCDNs(ctx context.Context, names []string) ([]CDNFile, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return sources.Try(ctx, p, names)
}

// MeasureHosts asks each host that pages link to a few times for one of the files that they have from it.
func (c *Crate) MeasureHosts(ctx context.Context) ([]MeasuredHost, error) {
	p, err := c.read(ctx)
	if err != nil {
		return nil, err
	}
	return sources.Measure(ctx, p)
}

// secondFile is another file of the library, best one in another folder, whose address differs.
func secondFile(lib *record.Library, sealed *record.Sealed, f *record.File, pattern cdn.Pattern) *record.File {
	var best *record.File
	for i := range sealed.Files {
		g := &sealed.Files[i]
		if g.Path == f.Path || lib.Address(pattern, sealed.Version, g) == lib.Address(pattern, sealed.Version, f) {
			continue
		}
		if best == nil || g.Role == record.Tagged && path.Dir(g.Path) != path.Dir(f.Path) && path.Dir(best.Path) == path.Dir(f.Path) {
			best = g
		}
	}
	return best
}
