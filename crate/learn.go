package crate

import (
	"context"
	"io"
	"net/url"
	"os"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/record"
)

// Learned is a CDN's pattern that was worked out from one link.
type Learned struct {
	Outcome
	Name    string   `json:"name"`
	Pattern string   `json:"pattern"`
	Library string   `json:"library"`
	File    string   `json:"file"`              // that the link has
	Checked string   `json:"checked,omitempty"` // the address of a second file that was compared
	Notes   []string `json:"notes,omitempty"`
}

// LearnCDN works out how a CDN's addresses are made from one link to a file of the crate, and makes sure of
// it with a second file.
func (p *Project) LearnCDN(address, name string) (*Learned, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		return nil, usage("", "%s is no address", address)
	}
	b, err := p.reach.bytesAt(address)
	if err != nil {
		return nil, err
	}
	integ := integrity.Of(b)
	lib, sealed, f := p.withBytes(integ, u.Path)
	if f == nil {
		return nil, refused("merry take the library whose file this is, in this version, and learn again", "no file of the crate has the bytes of %s, so nothing can be learned from it\n  there: %s", address, integ)
	}
	if name == "" {
		labels := strings.Split(u.Hostname(), ".")
		name = labels[max(0, len(labels)-2)]
	}
	out := &Learned{Name: name, Library: lib.Name, File: f.Path}
	for _, pattern := range patternsOf(address, lib, sealed.Version, f) {
		second := secondFile(sealed, f, pattern, lib)
		if second == nil {
			out.Pattern = pattern
			out.Notes = append(out.Notes, "the library has no second file that could make sure of it")
			break
		}
		at := cdnAddress(pattern, lib, sealed.Version, second)
		if got, err := p.reach.bytesAt(at); err == nil && integrity.Of(got) == second.Integrity {
			out.Pattern, out.Checked = pattern, at
			break
		}
	}
	if out.Pattern == "" {
		return nil, refused("say it outright: merry sources set cdn NAME PATTERN", "no pattern that explains %s also gives a second file of %s", address, lib.Name)
	}
	oc, err := p.SetCDN(name, out.Pattern)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

// bytesAt fetches an address.
func (r *Reach) bytesAt(address string) ([]byte, error) {
	if r.Offline {
		return nil, &Problem{Class: Outside, What: address + " would have to be fetched, and --offline allows no network", Next: []string{"the same command without --offline"}}
	}
	got, err := r.Client.Fetch(context.Background(), address, r.Cache.Dir())
	if err != nil {
		return nil, err
	}
	defer os.Remove(got.File.Name())
	defer got.File.Close()
	b := make([]byte, got.Size)
	if _, err := got.File.ReadAt(b, 0); err != nil && err != io.EOF {
		return nil, err
	}
	return b, nil
}

// withBytes finds the sealed file of that integrity; of several, the one whose name the address has.
func (p *Project) withBytes(integ, urlPath string) (*record.Library, *record.Sealed, *record.File) {
	var found *record.File
	var in string
	for _, name := range p.Seal.Names() {
		for i := range p.Seal.Libraries[name].Files {
			f := &p.Seal.Libraries[name].Files[i]
			if f.Integrity == integ && p.List.Library(name) != nil && (found == nil || path.Base(f.Path) == path.Base(urlPath)) {
				found, in = f, name
			}
		}
	}
	if found == nil {
		return nil, nil, nil
	}
	return p.List.Library(in), p.Seal.Libraries[in], found
}

// patternsOf lists the patterns that explain an address, the most telling first.
func patternsOf(address string, lib *record.Library, version string, f *record.File) []string {
	scheme, rest, _ := strings.Cut(address, "://")
	host, where, _ := strings.Cut(rest, "/")
	where, query, _ := strings.Cut("/"+where, "?")
	if query != "" {
		query = "?" + strings.ReplaceAll(query, version, "{version}")
	}
	stem, ending := stemOf(path.Base(f.Path))
	var list []string
	for _, way := range []struct{ text, words string }{
		{f.Path, "{path}"}, {shortPath(f.Path), "{short}"}, {path.Base(f.Path), "{file}"},
		{stem + "-" + version + ending, "{stem}-{version}{ending}"}, {stem + "." + version + ending, "{stem}.{version}{ending}"},
	} {
		head, ok := strings.CutSuffix(where, way.text)
		if !ok || version == "" {
			continue
		}
		head = strings.ReplaceAll(head, version, "{version}")
		if i := strings.LastIndex(head, cdnName(lib)); i >= 0 {
			head = head[:i] + "{name}" + head[i+len(cdnName(lib)):]
		}
		if pattern := scheme + "://" + host + head + way.words + query; validPattern(pattern) == "" && !slices.Contains(list, pattern) {
			list = append(list, pattern)
		}
	}
	return list
}

// secondFile is another file of the library, best one in another folder, whose address differs.
func secondFile(sealed *record.Sealed, f *record.File, pattern string, lib *record.Library) *record.File {
	var best *record.File
	for i := range sealed.Files {
		g := &sealed.Files[i]
		if g.Path == f.Path || cdnAddress(pattern, lib, sealed.Version, g) == cdnAddress(pattern, lib, sealed.Version, f) {
			continue
		}
		if best == nil || g.Page && path.Dir(g.Path) != path.Dir(f.Path) && path.Dir(best.Path) == path.Dir(f.Path) {
			best = g
		}
	}
	return best
}
