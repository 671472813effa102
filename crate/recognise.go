package crate

import (
	"encoding/json"
	"net/url"
	"os"
	"path"
	"regexp"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/source"
)

// Certainty says how sure a recognition is.
type Certainty string

// The certainties.
const (
	Sure    Certainty = "sure"   // the bytes are those of a source, or the user said so
	Likely  Certainty = "likely" // the file or its place names library and version
	Unknown Certainty = "unknown"
)

// recognised is what was made out about a script or stylesheet that nobody recorded.
type recognised struct {
	name, version string
	path          string // in the library, as far as that can be told
	sure          Certainty
	because       []string
	source        *opened // that has the very bytes, at path
	floating      string  // why its link gives other bytes at another time
	bytes         []byte
	known         *record.File // of the crate, that has the very bytes
	named         bool         // by the user, who may have reasons
}

// evidence is what one thing says of a library's name and version.
type evidence struct {
	what, name, version, path string
}

// recognise makes out what a file is. The user's own word counts most, then a package's manifest, the file's
// banner, its address, its name; the bytes in a source settle it.
func (p *Project) recognise(t Target, b []byte, as, from, dir string) (*recognised, error) {
	r := &recognised{bytes: b, sure: Unknown, named: as != ""}
	var list []evidence
	if as != "" {
		name, version := splitPackage(as)
		list = append(list, evidence{"you say so", name, version, ""})
	}
	if t.Path != "" {
		if e, ok := p.manifestAbove(t.Path); ok {
			list = append(list, e)
		}
	}
	banner := delivery.BannerOf(b)
	if banner.Name != "" || banner.Version != "" {
		list = append(list, evidence{"its banner", banner.Name, banner.Version, ""})
	}
	if t.URL != "" {
		if e := inAddress(t.URL); e.name != "" {
			list = append(list, e)
		}
		if e := inAddress(t.URL); e.version == "" {
			r.floating = "the address has no version"
		} else if banner.Version != "" && banner.Version != e.version && strings.HasPrefix(banner.Version, e.version+".") {
			r.floating = "the address names " + e.version + ", which is " + banner.Version + " today"
		}
	}
	base := path.Base(t.Path)
	if t.URL != "" {
		if u, err := url.Parse(t.URL); err == nil {
			base = path.Base(u.Path)
		}
	}
	if name, version := delivery.NameVersion(base); name != "" {
		list = append(list, evidence{"its file's name", strings.ToLower(name), version, ""})
	}
	r.weigh(list)
	if r.path == "" {
		r.path = base
	}
	if err := p.inSources(r, list, from, dir); err != nil {
		return nil, err
	}
	if as != "" && r.sure == Unknown && r.name != "" && (r.version != "" || r.floating != "") {
		r.sure = Sure
	}
	return r, nil
}

// weigh picks the name and the version from the evidence, which comes with the strongest first.
func (r *recognised) weigh(list []evidence) {
	var name, version evidence
	for _, e := range list {
		if e.name != "" && name.name == "" {
			name = e
		}
		if e.version != "" && version.version == "" {
			version = e
		}
		if r.path == "" {
			r.path = e.path
		}
	}
	r.name, r.version = name.name, version.version
	agree := 0
	for _, e := range list {
		if e.name != "" && delivery.NameKey(path.Base(e.name)) == delivery.NameKey(path.Base(r.name)) {
			agree++
			switch {
			case e.version != "":
				r.because = append(r.because, e.what+": "+e.name+" "+e.version)
			default:
				r.because = append(r.because, e.what+": "+e.name)
			}
		}
	}
	// One thing that names both, or several that agree; a file's name without a version is none by itself.
	if r.name != "" && r.version != "" && (agree > 1 || name == version) {
		r.sure = Likely
	}
	if r.sure == Unknown && agree == 1 && r.version == "" && name.what == "its file's name" {
		r.because = nil
	}
}

// inSources looks for the bytes in a source: the one that the user names, or the registry's package of that
// name and version.
func (p *Project) inSources(r *recognised, list []evidence, from, dir string) error {
	if from != "" {
		o, err := p.reach.open(from, dir, "")
		if err != nil {
			return err
		}
		r.settle(o, "the bytes are in "+o.tree.Name)
		return nil
	}
	if lib, sealed, f := p.withBytes(integrity.Of(r.bytes), r.path); f != nil && !r.named {
		r.name, r.version, r.path, r.sure, r.known = lib.Name, sealed.Version, f.Path, Sure, f
		r.because = append([]string{"the crate has the same bytes"}, r.because...)
		return nil
	}
	if r.version == "" || len(p.reach.Registries) == 0 {
		return nil
	}
	tried := map[string]bool{}
	for _, e := range list {
		if e.name == "" || tried[e.name] || !source.ValidPackage(e.name) {
			continue
		}
		tried[e.name] = true
		o, err := p.reach.openPackage(e.name, r.version, nil)
		if err != nil {
			continue // the registry need not know it
		}
		if r.settle(o, "the registry's "+e.name+" "+o.Version+" has the same bytes") {
			return nil
		}
		r.because = append(r.because, "the registry's "+e.name+" "+o.Version+" has other bytes")
		o.close()
	}
	return nil
}

// settle looks for the bytes in a source, of several files with them for the one whose path agrees.
func (r *recognised) settle(o *opened, why string) bool {
	integ, found := integrity.Of(r.bytes), ""
	for i := range o.Files {
		f := &o.Files[i]
		if f.Size != int64(len(r.bytes)) || found != "" && path.Base(f.Path) != path.Base(r.path) {
			continue
		}
		if b, err := o.tree.ReadFile(f.Path); err == nil && integrity.Of(b) == integ {
			found = f.Path
		}
	}
	if found == "" {
		return false
	}
	if !r.named {
		r.name = o.Name
	}
	r.version, r.path, r.sure, r.source = o.Version, found, Sure, o
	r.because = append([]string{why}, r.because...)
	return true
}

// manifestAbove reads the package manifest in a folder above a file of the site: the nearest that has a name.
func (p *Project) manifestAbove(name string) (evidence, bool) {
	for dir := path.Dir(name); dir != "." && dir != "/"; dir = path.Dir(dir) {
		b, err := os.ReadFile(p.path(p.inProject(path.Join(dir, "package.json"))))
		if err != nil {
			continue
		}
		var m struct{ Name, Version string }
		if json.Unmarshal(b, &m) == nil && m.Name != "" {
			rel, _ := strings.CutPrefix(name, dir+"/")
			return evidence{"the manifest in " + dir, m.Name, m.Version, rel}, true
		}
	}
	return evidence{}, false
}

var (
	versionSegment = regexp.MustCompile(`^v?(\d+(?:\.\d+)*(?:-[0-9A-Za-z.-]+)?)$`)
	versionQuery   = regexp.MustCompile(`(?:^|&)(?:v|ver|version)=v?(\d+(?:\.\d+)+[0-9A-Za-z.-]*)(?:&|$)`)
)

// inAddress reads a library's name and version off a link, as CDNs write them: NAME@VERSION/…, NAME/VERSION/…,
// NAME-VERSION.js, or a version in the query.
func inAddress(address string) evidence {
	e := evidence{what: "its address"}
	u, err := url.Parse(address)
	if err != nil {
		return e
	}
	parts := strings.Split(strings.Trim(u.Path, "/"), "/")
	scoped := func(i int, name string) string {
		if i > 0 && strings.HasPrefix(parts[i-1], "@") {
			return parts[i-1] + "/" + name
		}
		return name
	}
	last := len(parts) - 1
	for i, part := range parts[:last] {
		if name, version := splitPackage(part); version != "" {
			e.name, e.path = scoped(i, name), strings.Join(parts[i+1:], "/")
			if versionSegment.MatchString(version) {
				e.version = strings.TrimPrefix(version, "v")
			}
			return e
		}
		if m := versionSegment.FindStringSubmatch(part); m != nil && i > 0 && strings.Contains(part, ".") {
			e.name, e.version, e.path = scoped(i-1, parts[i-1]), m[1], strings.Join(parts[i+1:], "/")
			return e
		}
	}
	e.name, e.version = delivery.NameVersion(parts[last])
	e.name, e.path = strings.ToLower(e.name), parts[last]
	if e.version != "" {
		// The file is called so at this address; in the library the version may well not be in its name.
		e.path = strings.Replace(strings.Replace(parts[last], "-"+e.version, "", 1), "."+e.version, "", 1)
	}
	if m := versionQuery.FindStringSubmatch(u.RawQuery); m != nil && e.version == "" {
		e.version = m[1]
	}
	if e.version == "" && last > 0 && slices.Contains([]string{"latest", "current", "stable", "main", "master"}, parts[last-1]) && last > 1 {
		e.name = parts[last-2]
	}
	return e
}
