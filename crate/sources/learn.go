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
		return problem.Misuse("merry sources set cdn harbour 'https://cdn.harbour.example/{name}/{version}/{path}'",
			"%s: %w", shown, err)
	}
	if strings.ContainsAny(name, " :{}[]#") || name == "" {
		return problem.Misuse("use letters and digits, such as harbour", "%q is not a name for a CDN", name)
	}
	if d.List.CDNs == nil {
		d.List.CDNs = map[string]cdn.Pattern{}
	}
	d.List.CDNs[name] = p
	return nil
}

// Learned is a CDN's pattern that was determined from one link.
type Learned struct {
	reconcile.Result
	Name    string      `json:"name"`              // the CDN's name in the packing list
	Pattern cdn.Pattern `json:"pattern"`           // the address pattern
	Library string      `json:"library"`           // the library's name in the crate
	File    string      `json:"file"`              // that the link has
	Checked string      `json:"checked,omitempty"` // the address of a second file that was compared
	Notes   []string    `json:"notes,omitempty"`   // what else to know
}

// LearnCDN derives a CDN's address pattern from one link to a file of the crate, checks it with a second file, and
// plans it for the packing list. begin starts the plan once the link has been fetched.
func LearnCDN(ctx context.Context, opener *origin.Opener, address, name string, begin func() (*reconcile.Plan, error)) (
	*Learned, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return nil, problem.Misuse("copy a whole link: https://HOST/PATH", "%s is not an address", address)
	}
	if public, hidden := cdn.WithoutSecrets(address); len(hidden) > 0 {
		return nil, problem.Misuse("copy a link without it: pages can't hold a credential for a CDN",
			"%s contains a credential (%s)", public, strings.Join(hidden, ", "))
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
		return nil, problem.Refuse(problem.CDNUnclear, "take that library in this version, then the same command again",
			"no file of the crate has the bytes of %s, so no pattern can be derived from it\n  there: %s", address,
			integ)
	}
	out := &Learned{Name: cmp.Or(name, cdn.NameFor(address)), Library: lib.Name, File: f.Path}
	patterns := cdn.Explain(address, cdn.File{Name: lib.NameOnCDNs(), Version: sealed.Version, Path: f.Path})
	unsure := ""
	for _, pattern := range patterns {
		second := secondFile(lib, sealed, f, pattern)
		if second == nil {
			out.Pattern, unsure = pattern, "the library has no second file to check the pattern with"
			break
		}
		at := lib.Address(pattern, sealed.Version, second)
		got, err := opener.Fetch(ctx, at)
		if err == nil && integrity.Of(got) == second.Integrity {
			out.Pattern, out.Checked, unsure = pattern, at, ""
			break
		}
		if err != nil && unsure == "" {
			unsure = at + " is not available"
		}
	}
	if out.Pattern == "" && unsure != "" && len(patterns) > 0 {
		out.Pattern = patterns[0] // the most telling
	}
	if unsure != "" && out.Pattern != "" {
		out.Notes = append(out.Notes, "verified with one file only: "+unsure+"; each file is compared before it is "+
			"linked for the first time")
	}
	if out.Pattern == "" {
		return nil, problem.Refuse(problem.CDNUnclear, "set the pattern yourself: merry sources set cdn NAME PATTERN",
			"no pattern gives %s from the name, version and files of %s", address, lib.Name)
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
		if best == nil || g.Role == record.Tagged && path.Dir(g.Path) != path.Dir(f.Path) &&
			path.Dir(best.Path) == path.Dir(f.Path) {
			best = g
		}
	}
	return best
}
