package adopt

import (
	"context"
	"path"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/tags"
)

// Certainty says how sure a recognition is.
type Certainty string

// The certainties.
const (
	Sure   Certainty = "sure"   // the bytes are those of a source, or the user said so
	Likely Certainty = "likely" // the file or its place names library and version
	Unsure Certainty = "unknown"
)

// recognised is what was made out about a script or stylesheet that nobody recorded.
type recognised struct {
	name, version string
	path          string // in the library, as far as that can be known
	sure          Certainty
	because       []string
	source        *origin.Opened // that has the very bytes, at path
	floating      string         // why its link gives other bytes at another time
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
func (a *adoption) recognise(ctx context.Context, t tags.Target, b []byte) (*recognised, error) {
	as := a.req.As
	r := &recognised{bytes: b, sure: Unsure, named: as != ""}
	var list []evidence
	if as != "" {
		name, version := origin.SplitPackage(as)
		list = append(list, evidence{"you said so", name, version, ""})
	}
	if !t.Path.IsZero() {
		if e, ok := manifestAbove(a.d.Before, t.Path); ok {
			list = append(list, e)
		}
	}
	banner := manifest.BannerOf(b)
	if banner.Name != "" || banner.Version != "" {
		list = append(list, evidence{"its banner", banner.Name, banner.Version, ""})
	}
	if t.URL != "" {
		e := origin.ReadAddress(t.URL)
		if e.Name != "" {
			list = append(list, evidence{"its address", e.Name, e.Version, e.Path})
		}
		if e.Version == "" {
			r.floating = "the address has no version"
			if branch := cdn.Branch(t.URL); branch != "" {
				r.floating = "the address names the branch " + branch
			}
		} else if banner.Version != "" && banner.Version != e.Version && strings.HasPrefix(banner.Version,
			e.Version+".") {
			r.floating = "the address names " + e.Version + ", which is " + banner.Version + " today"
		} else if branch := cdn.Branch(t.URL); branch != "" {
			r.floating = "the address names the branch " + branch
		}
	}
	base := t.Path.Base()
	if t.URL != "" {
		base = cdn.Base(t.URL)
	}
	if name, version := manifest.NameVersion(base); name != "" {
		list = append(list, evidence{"its file's name", strings.ToLower(name), version, ""})
	}
	r.weigh(list)
	if r.path == "" {
		r.path = base
	}
	if err := a.inSources(ctx, r, list); err != nil {
		return nil, err
	}
	if as != "" && r.sure == Unsure && r.name != "" && (r.version != "" || r.floating != "") {
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
		if e.name != "" && manifest.NameKey(path.Base(e.name)) == manifest.NameKey(path.Base(r.name)) {
			agree++
			switch {
			case e.version != "":
				r.because = append(r.because, e.what+": "+e.name+" "+e.version)
			default:
				r.because = append(r.because, e.what+": "+e.name)
			}
		}
	}
	// One thing that names both, or several that agree; a file's name without a version is not enough on its own.
	if r.name != "" && r.version != "" && (agree > 1 || name == version) {
		r.sure = Likely
	}
	if r.sure == Unsure && agree == 1 && r.version == "" && name.what == "its file's name" {
		r.because = nil
	}
}

// inSources looks for the bytes in a source: the one that the user names, or the registry's package of that
// name and version.
func (a *adoption) inSources(ctx context.Context, r *recognised, list []evidence) error {
	p, from := a.d.Before, a.req.From
	if from != "" {
		o, err := p.Origin.Open(ctx, origin.Request{Name: from, Dir: a.req.Dir})
		if err != nil {
			return err
		}
		if !r.settle(o, "the bytes are in "+o.Tree.Name) {
			o.Close()
		}
		return nil
	}
	if lib, sealed, f := p.WithBytes(integrity.Of(r.bytes), path.Base(r.path)); f != nil && !r.named {
		r.name, r.version, r.path, r.sure, r.known = lib.Name, sealed.Version, f.Path, Sure, f
		r.because = append([]string{"the crate has the same bytes"}, r.because...)
		return nil
	}
	if len(p.Origin.Registries) == 0 {
		return nil
	}
	if r.version == "" {
		if r.name == "" || r.floating != "" {
			return nil
		}
		return a.byBytes(ctx, r)
	}
	tried := map[string]bool{}
	for _, e := range list {
		if e.name == "" || tried[e.name] || !origin.LooksLikePackage(e.name) {
			continue
		}
		tried[e.name] = true
		o, err := p.Origin.OpenPackage(ctx, e.name, r.version, nil)
		if err != nil {
			continue // the registry need not know it
		}
		if r.settle(o, "the registry's "+e.name+" "+o.Version+" has the same bytes") {
			return nil
		}
		r.because = append(r.because, "the registry's "+e.name+" "+o.Version+" has other bytes")
		o.Close()
	}
	return nil
}

// settle looks for the bytes in a source, of several files with them for the one whose path agrees.
func (r *recognised) settle(o *origin.Opened, why string) bool {
	integ, found := integrity.Of(r.bytes), ""
	for i := range o.Files {
		f := &o.Files[i]
		if f.Size != int64(len(r.bytes)) || found != "" && path.Base(f.Path) != path.Base(r.path) {
			continue
		}
		if b, err := o.Tree.ReadFile(f.Path); err == nil && integrity.Of(b) == integ {
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
func manifestAbove(p *project.Project, name paths.InSite) (evidence, bool) {
	for dir := name.Dir(); dir != "." && dir != "/"; dir = path.Dir(dir) {
		if m, ok := walk.ManifestIn(p.Disk, p.InProject(paths.Found(dir)).String()); ok {
			rel, _ := strings.CutPrefix(name.String(), dir+"/")
			return evidence{"the manifest in " + dir, m.Name, m.Version, rel}, true
		}
	}
	return evidence{}, false
}
