package crate

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
)

// fromRegistry marks the origin of a library that a registry delivered.
const fromRegistry = "registry:"

// splitPackage splits NAME[@WISH], where a name may begin with a scope's @.
func splitPackage(s string) (name, wish string) {
	if i := strings.LastIndexByte(s, '@'); i > 0 {
		return s[:i], s[i+1:]
	}
	return s, ""
}

// looksLikePackage tells a package's name from a path that is not there.
func looksLikePackage(s string) bool {
	name, _ := splitPackage(s)
	if !source.ValidPackage(name) || strings.HasPrefix(s, ".") {
		return false
	}
	if strings.Contains(strings.TrimPrefix(name, "@"), "/") && !strings.HasPrefix(name, "@") {
		return false
	}
	switch path.Ext(name) {
	case ".zip", ".tgz", ".gz", ".tar", ".xz", ".bz2", ".zst", ".css":
		return false
	}
	return true
}

// registryFor finds the registry that serves a package: its scope's, else the one for all.
func (r *Reach) registryFor(name string) (source.Registry, error) {
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
		return source.Registry{}, refused("merry sources set registry URL", "%s would come from a package registry, and none is set", name)
	}
	return *found, nil
}

// metadata reads a package's document, once in a run.
func (r *Reach) metadata(name string, full bool) (*source.Package, source.Registry, error) {
	reg, err := r.registryFor(name)
	if err != nil {
		return nil, reg, err
	}
	key := fmt.Sprint(name, " ", full)
	r.mu.Lock()
	p, ok := r.packages[key]
	r.mu.Unlock()
	if ok {
		return p, reg, nil
	}
	got, err, _ := r.flights.Do(key, func() (any, error) {
		return r.Client.Metadata(context.Background(), reg, name, full, r.Offline, r.Cache)
	})
	p, _ = got.(*source.Package)
	if errors.Is(err, source.ErrOffline) {
		return nil, reg, &Problem{Class: Outside, What: fmt.Sprintf("the registry was never asked about %s, and --offline allows no network", name), Next: []string{"the same command without --offline"}}
	}
	if err != nil {
		return nil, reg, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.packages == nil {
		r.packages = map[string]*source.Package{}
	}
	r.packages[key] = p
	return p, reg, nil
}

// openPackage opens a version of a package. One that was opened in this run is the same again: many
// libraries need the same few.
func (r *Reach) openPackage(name, wish string, allowed func(string) bool) (*opened, error) {
	p, reg, err := r.metadata(name, false)
	if err != nil {
		return nil, err
	}
	v, err := p.Resolve(wish, allowed)
	if err != nil {
		return nil, err
	}
	key := name + "@" + v.Version
	r.mu.Lock()
	o, ok := r.opens[key]
	r.mu.Unlock()
	if ok {
		return o, nil
	}
	got, err, _ := r.flights.Do(key, func() (any, error) {
		o, err := r.openVersion(name, v, reg)
		if err == nil {
			r.mu.Lock()
			if r.opens == nil {
				r.opens = map[string]*opened{}
			}
			r.opens[key] = o
			r.mu.Unlock()
		}
		return o, err
	})
	if err != nil {
		return nil, err
	}
	return got.(*opened), nil
}

func (r *Reach) openVersion(name string, v *source.Version, reg source.Registry) (*opened, error) {
	t, weak, err := r.Client.Tarball(context.Background(), reg, v, name, r.Offline, r.Cache)
	if errors.Is(err, source.ErrOffline) {
		return nil, &Problem{Class: Outside, What: fmt.Sprintf("%s %s was never fetched, and --offline allows no network", name, v.Version), Next: []string{"the same command without --offline"}}
	}
	if err != nil {
		return nil, err
	}
	o, err := describe(&opened{tree: t, from: fromRegistry + name, registry: true, shared: true})
	if err != nil {
		return nil, err
	}
	if o.Manifest.Version != "" && o.Manifest.Version != v.Version || o.Manifest.Name != "" && o.Manifest.Name != name {
		t.Close()
		return nil, refused("ask the registry's keeper", "the tarball of %s %s says that it is %s %s; it is not taken", name, v.Version, source.Printable(o.Manifest.Name), source.Printable(o.Manifest.Version))
	}
	o.Name, o.NameFrom, o.Version, o.VersionFrom = name, "the registry", v.Version, "the registry"
	if o.Licence == "" {
		o.Licence, o.LicenceFrom = string(v.Licence), "the registry"
	}
	o.version = v
	if weak {
		o.remarks = append(o.remarks, "the registry gives only a SHA-1 shasum for this tarball; it matches, and is weak")
	}
	if v.Deprecated != "" {
		o.remarks = append(o.remarks, fmt.Sprintf("%s %s is deprecated: %s", name, v.Version, source.Printable(string(v.Deprecated))))
	}
	return o, nil
}

// A Supply says what would supply a global that a library needs on a page.
type Supply struct {
	Global   string   `json:"global"`
	Or       []string `json:"or,omitempty"`
	Strength string   `json:"strength"`
	At       string   `json:"at"`                // file:line:column of the evidence
	Library  string   `json:"library,omitempty"` // of the crate, that defines it
	Package  string   `json:"package,omitempty"` // that would define it
	Range    string   `json:"range,omitempty"`   // of it, that the library asks for
}

// needsOf lists what the chosen scripts of a delivery need, each global once, by the strongest evidence.
func needsOf(o *opened, sel *delivery.Selection) []Supply {
	own := map[string]bool{}
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil {
			for _, g := range f.Script.Defines {
				own[g.Name] = true
			}
		}
	}
	var list []Supply
	for _, c := range sel.Choices {
		f := o.File(c.Path)
		if !c.Page || f.Script == nil {
			continue
		}
		for _, n := range f.Script.Needs {
			if n.Strength != script.Hard || own[n.Name] {
				continue
			}
			if slices.ContainsFunc(list, func(s Supply) bool {
				return s.Global == n.Name || slices.Contains(s.Or, n.Name) || slices.Contains(n.Or, s.Global)
			}) {
				continue
			}
			list = append(list, Supply{Global: n.Name, Or: n.Or, Strength: string(n.Strength), At: fmt.Sprintf("%s:%d:%d", f.Path, n.Line, n.Column)})
		}
	}
	return list
}

// globals tells which library of the crate defines each global, by its scripts for pages.
func (p *Project) globals() map[string]string {
	p.defining.Lock()
	defer p.defining.Unlock()
	if p.defines == nil {
		p.defines = p.findGlobals()
	}
	return maps.Clone(p.defines)
}

// addGlobals takes note of what a library defines that is being taken.
func (p *Project) addGlobals(library string, o *opened, sel *delivery.Selection) {
	p.globals()
	p.defining.Lock()
	defer p.defining.Unlock()
	for _, c := range sel.Choices {
		if f := o.File(c.Path); c.Page && f.Script != nil {
			for _, g := range f.Script.Defines {
				p.defines[g.Name] = library
			}
		}
	}
}

func (p *Project) findGlobals() map[string]string {
	defines := map[string]string{}
	for _, name := range p.Seal.Names() {
		for _, w := range p.pageFiles(name, "") {
			if w.style {
				continue
			}
			b, err := p.bytesOf(name, p.Seal.Libraries[name], p.byPlace[p.inProject(w.at)].File)
			if err != nil {
				continue
			}
			for _, g := range script.Analyze(b).Defines {
				if _, ok := defines[g.Name]; !ok {
					defines[g.Name] = name
				}
			}
		}
	}
	return defines
}

// supply finds what meets the needs: a library of the crate first, by the global that it defines and
// whatever it is called; else a package that the library's own manifest depends on.
func (p *Project) supply(o *opened, needs []Supply) []Supply {
	if len(needs) == 0 {
		return nil
	}
	defined := p.globals()
	for i := range needs {
		n := &needs[i]
		for _, g := range append([]string{n.Global}, n.Or...) {
			if lib := defined[g]; lib != "" {
				n.Library = lib
				break
			}
		}
		if n.Library == "" && o.registry {
			n.Package, n.Range = p.packageFor(o, append([]string{n.Global}, n.Or...))
		}
	}
	return needs
}

// prefetch brings into the cache what a package's needs would ask for, needs of needs too, so that taking
// them one after the other waits for nothing.
func (p *Project) prefetch(o *opened, depth int) {
	if !o.registry || depth >= mostDepth {
		return
	}
	var wg sync.WaitGroup
	for _, n := range p.supply(o, needsOf(o, o.Suggest())) {
		if n.Package == "" {
			continue
		}
		wg.Go(func() {
			if dep, err := p.reach.openPackage(n.Package, n.Range, nil); err == nil {
				defer dep.close()
				p.prefetch(dep, depth+1)
			}
		})
	}
	wg.Wait()
}

// packageFor finds the dependency that defines one of the globals. Names that agree are tried first;
// what counts is that the package's own script defines the global.
func (p *Project) packageFor(o *opened, globals []string) (name, rng string) {
	type candidate struct{ name, rng string }
	var list []candidate
	for _, deps := range []map[string]string{o.version.Peers, o.version.Dependencies} {
		for n, r := range deps {
			list = append(list, candidate{n, r})
		}
	}
	near := func(c candidate) bool {
		return slices.ContainsFunc(globals, func(g string) bool {
			a, b := delivery.NameKey(c.name), delivery.NameKey(g)
			return a == b || strings.HasPrefix(a, b) || strings.HasPrefix(b, a)
		})
	}
	slices.SortFunc(list, func(a, b candidate) int {
		switch x, y := near(a), near(b); {
		case x && !y:
			return -1
		case y && !x:
			return 1
		}
		return strings.Compare(a.name, b.name)
	})
	const most = 8
	found := make([]bool, min(most, len(list)))
	var wg sync.WaitGroup
	for i, c := range list[:len(found)] {
		wg.Go(func() {
			dep, err := p.reach.openPackage(c.name, c.rng, nil)
			if err != nil {
				return
			}
			defer dep.close()
			for _, ch := range dep.Suggest().Choices {
				if f := dep.File(ch.Path); ch.Page && f.Script != nil {
					for _, g := range f.Script.Defines {
						found[i] = found[i] || slices.Contains(globals, g.Name)
					}
				}
			}
		})
	}
	wg.Wait()
	for i, ok := range found {
		if ok {
			return list[i].name, list[i].rng
		}
	}
	if len(list) > 0 && near(list[0]) {
		return list[0].name, list[0].rng
	}
	return "", ""
}

// allowedBy is what a library's hold allows.
func allowedBy(h *record.Hold) func(string) bool {
	if h == nil {
		return nil
	}
	return func(v string) bool {
		switch {
		case h.At != "":
			return v == h.At
		case h.Below != "":
			return source.CompareVersions(v, h.Below) < 0
		}
		return true
	}
}
