package sources

import (
	"cmp"
	"context"
	"net/url"
	"path"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// PutCDN plans a CDN's address pattern for the packing list. It refuses a bad pattern or name.
func PutCDN(d *reconcile.Plan, name string, p cdn.Pattern) error {
	if err := p.Validate(); err != nil {
		shown, _ := cdn.WithoutSecrets(string(p))
		return problem.Misuse("merry sources set cdn harbour 'https://cdn.harbour.example/{name}/{version}/{path}'", "%s: %w", shown, err)
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
	reconcile.Result
	Name    string      `json:"name"`
	Pattern cdn.Pattern `json:"pattern"`
	Library string      `json:"library"`
	File    string      `json:"file"`              // that the link has
	Checked string      `json:"checked,omitempty"` // the address of a second file that was compared
	Notes   []string    `json:"notes,omitempty"`
}

// LearnCDN derives a CDN's address pattern from one link to a file of the crate, checks it with a second file, and plans
// it for the packing list. begin starts the plan once the link has been fetched.
func LearnCDN(ctx context.Context, opener *origin.Opener, address, name string, begin func() (*reconcile.Plan, error)) (*Learned, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return nil, problem.Misuse("copy a whole link: https://HOST/PATH", "%s is no address", address)
	}
	if public, hidden := cdn.WithoutSecrets(address); len(hidden) > 0 {
		return nil, problem.Misuse("copy a link without it: a CDN that wants one for every file can't be written into pages", "%s has a credential in it (%s)", public, strings.Join(hidden, ", "))
	}
	b, err := opener.FetchAsked(ctx, address)
	if err != nil {
		return nil, err
	}
	opener.Client.Trusted = append(opener.Client.Trusted, u.Hostname()) // its other files are asked for as well
	d, err := begin()
	if err != nil {
		return nil, err
	}
	integ := integrity.Of(b)
	lib, sealed, f := d.Before.WithBytes(integ, path.Base(u.Path))
	if f == nil {
		return nil, problem.Refuse(problem.CDNUnclear, "take the library whose file this is, in this version, and learn again", "no file of the crate has the bytes of %s, so nothing can be learned from it\n  there: %s", address, integ)
	}
	out := &Learned{Name: cmp.Or(name, cdn.NameFor(address)), Library: lib.Name, File: f.Path}
	patterns := cdn.Explain(address, cdn.File{Name: lib.NameOnCDNs(), Version: sealed.Version, Path: f.Path})
	unsure := ""
	for _, pattern := range patterns {
		second := secondFile(lib, sealed, f, pattern)
		if second == nil {
			out.Pattern, unsure = pattern, "the library has no second file that could make sure of it"
			break
		}
		at := lib.Address(pattern, sealed.Version, second)
		got, err := opener.Fetch(ctx, at)
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
	if err := PutCDN(d, out.Name, out.Pattern); err != nil {
		return nil, err
	}
	return out, d.Finish(ctx, &out.Result, nil, nil)
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
