package reconcile

import (
	"context"
	"maps"
	"net/url"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
)

// A mapKeeper keeps the import map of one page right, once all else is done to the page: names that its modules import
// and that the crate has lead to where the page has that library from, entries of files that went go, and links have
// their integrity (HTML Standard, section 8.1.5). What others wrote stays.
type mapKeeper struct {
	before, after *project.Project
	scripts       *tags.Scripts
	e             *tags.Editor
	current       *module.Map
	wish          module.Wish
	files         []tags.Target                // of the crate that the page's modules import
	scoped        map[string]map[string]string // names that lead elsewhere for one module, by that module's address
}

// keepMap writes the page's import map, where it has one or needs one, and the hints of modules where hints are wanted.
// Before a map refers to an address, its bytes are compared with the sealed ones, once for all pages.
func (d *Plan) keepMap(ctx context.Context, e *tags.Editor, after *project.Project, scripts *tags.Scripts,
	done *PageChange) error {
	at := -1
	for _, i := range e.ImportMaps() {
		if at < 0 && !e.Removed(i) {
			at = i
		}
	}
	if at < 0 && !e.HasModules() || after.List.Modules.Map == record.NoMap {
		e.HintModules(nil)
		return nil
	}
	k := &mapKeeper{before: d.Before, after: after, scripts: scripts, e: e, wish: module.Wish{Set: map[string]string{},
		Demand: map[string]string{}}}
	text := module.New
	if at >= 0 {
		_, text, _ = e.MapText(at)
	}
	var err error
	if k.current, err = e.ReadMapText(after, []byte(text)); err != nil {
		return nil // a map that browsers refuse is reported by check, and not edited
	}
	k.follow()
	k.add()
	k.scopes()
	if err := k.demand(ctx); err != nil {
		return err
	}
	if len(k.wish.Set)+len(k.wish.Scopes)+len(k.wish.Demand) > 0 {
		k.write(at, text, done)
	}
	if e.Hints() {
		k.files = nil
		k.asked(e.Modules())
		if e.HintModules(k.files) && !slices.Contains(done.Also, "its hints") {
			done.Also = append(done.Also, "its hints")
		}
	}
	return nil
}

// write edits the page's map, which is at an include, or makes one where that is -1.
func (k *mapKeeper) write(at int, text string, done *PageChange) {
	k.wish.Spell = k.spell
	indent, newline := k.e.Layout()
	edited := string(k.current.Edit(k.wish, indent, newline))
	again, err := k.e.ReadMapText(k.after, []byte(edited))
	if edited != text && err == nil {
		names := slices.Sorted(maps.Keys(k.wish.Set))
		for prefix := range k.wish.Scopes {
			names = append(names, "what "+prefix+" imports")
		}
		done.Also = append(done.Also, strings.TrimSuffix("its import map: "+project.Abbreviate(names, 3), ": "))
	}
	switch {
	case edited == text || err != nil:
	case at >= 0 && again.Empty() && !k.current.Empty():
		k.e.Remove(at)
	case at >= 0:
		k.e.SetMapText(at, edited)
	default:
		k.e.AddMap(edited)
	}
}

// spell writes an address of the site in the way of the page's other references, where a server makes these.
func (k *mapKeeper) spell(address string) (text string, ok bool) {
	to, err := k.e.Address().Parse(address)
	if err != nil || !k.e.Filled() {
		return "", false
	}
	t := tags.TargetAt(to)
	if t.Path.IsZero() {
		return "", false
	}
	text, err = k.e.Reach(t.Path)
	return text, err == nil && page.Templated(text)
}

// follow leads the map's entries to where files of the crate are now, and takes off those of files that went.
func (k *mapKeeper) follow() {
	for _, entry := range k.current.Entries {
		if entry.Scope != "" || entry.Address == "" || strings.HasSuffix(entry.Specifier, "/") {
			continue
		}
		to, err := k.e.Address().Parse(entry.Address)
		if err != nil {
			continue
		}
		t := tags.TargetAt(to)
		old := tags.FileOf(k.before, t)
		now := tags.FileOf(k.after, t)
		switch {
		case old.File == nil && now.File == nil:
			continue
		case now.File == nil:
			now = k.successor(old, entry.Specifier)
		}
		if now.File != nil && now.File.Module {
			now.File = k.after.Seal.Libraries[now.Library].InBuild(now.File, k.build(now.Library))
		}
		address := ""
		if now.File != nil && !k.off(entry.Specifier, now) {
			address = k.address(now, t)
		}
		if address == entry.Address {
			continue
		}
		k.wish.Set[entry.Specifier] = address
		if k.current.Integrity(entry.Address) != "" {
			k.wish.Demand[entry.Address] = ""
		}
	}
}

// successor is the file that stands for one that its library has no more.
func (k *mapKeeper) successor(old project.Sealed, specifier string) project.Sealed {
	sealed := k.after.Seal.Libraries[old.Library]
	if sealed == nil {
		return project.Sealed{}
	}
	if f := sealed.File(old.File.Path); f != nil {
		return project.Sealed{Library: old.Library, File: f}
	}
	return k.after.Imported(specifier)
}

// off reports whether nothing on the page asks for a name any more: what did, or the library's own tags, were taken
// off.
func (k *mapKeeper) off(specifier string, of project.Sealed) bool {
	if !k.e.TakesOff() || k.after.Imported(specifier).Library != of.Library {
		return false // a name that somebody gave it stays
	}
	now, _ := k.asked(k.e.Modules())
	if now[specifier] {
		return false
	}
	before, _ := k.asked(k.e.ModulesBefore())
	return before[specifier] || k.e.TakenOff(of.Library)
}

// build is the one in which this page has a library.
func (k *mapKeeper) build(library string) record.Build {
	if build := k.e.BuildOf(library); build != record.NoBuild {
		return build
	}
	if lib := k.after.List.Library(library); lib != nil && lib.Build != record.NoBuild {
		return lib.Build
	}
	return record.Minified
}

// address is what an entry for a file says: where this page has the library from, and for local files as an address
// begins.
func (k *mapKeeper) address(of project.Sealed, was tags.Target) string {
	link := was.URL != ""
	if served, known := k.e.Served(of.Library); known {
		link = served
	} else if was == (tags.Target{}) {
		lib := k.after.List.Library(of.Library)
		link = lib != nil && lib.Serve == record.CDN
	}
	if link {
		if was.URL != "" && tags.FileOf(k.after, was).File == of.File {
			return was.URL
		}
		if list := k.after.AddressesOf(k.after.List.Library(of.Library), k.after.Seal.Libraries[of.Library],
			of.File); len(list) > 0 {
			return list[0]
		}
	}
	at, ok := k.after.InSite(of.File.At)
	if !ok {
		return ""
	}
	if was.Path == at && !was.Path.IsZero() {
		for _, entry := range k.current.Entries {
			if to, err := k.e.Address().Parse(entry.Address); err == nil && tags.TargetAt(to) == was {
				return entry.Address // as it is written
			}
		}
	}
	ref, ok := tags.Reference(k.e.Page.Page, k.e.From, at)
	if !ok {
		return ""
	}
	return asAddress(ref)
}

// asAddress is a reference as an import map takes it: a name without a dot or a slash at its begin is none there.
func asAddress(ref string) string {
	if page.Templated(ref) || strings.HasPrefix(ref, "/") || strings.HasPrefix(ref, "../") || strings.HasPrefix(ref,
		"./") ||
		strings.Contains(ref, "://") {
		return ref
	}
	return "./" + ref
}

// add adds the names that the page's modules import, that no map has, and that the crate has.
func (k *mapKeeper) add() {
	asked, _ := k.asked(k.e.Modules())
	for specifier := range asked {
		of := k.after.Imported(specifier)
		if of.File == nil || k.wish.Set[specifier] != "" {
			continue
		}
		if slices.ContainsFunc(k.current.Entries, func(e module.Entry) bool {
			return e.Scope == "" && e.Specifier == specifier
		}) {
			if _, goes := k.wish.Set[specifier]; !goes {
				continue // somebody's own
			}
		}
		if address := k.address(of, tags.Target{}); address != "" {
			k.wish.Set[specifier] = address
		}
	}
}

// scopes has the modules of libraries for which a name leads to another version of a package import that. A scope that
// is the address of one of the crate's modules is the crate's; those that others wrote are for folders mostly, and
// stay.
func (k *mapKeeper) scopes() {
	k.scoped = map[string]map[string]string{}
	k.asked(k.e.Modules())
	k.wish.Scopes = k.scoped
	for _, entry := range k.current.Entries {
		if entry.Scope == "" || k.scoped[entry.Scope] != nil || strings.HasSuffix(entry.Scope, "/") {
			continue
		}
		to, err := k.e.Address().Parse(entry.Scope)
		if err != nil {
			continue
		}
		if t := tags.TargetAt(to); tags.FileOf(k.before, t).File != nil || tags.FileOf(k.after, t).File != nil {
			k.scoped[entry.Scope] = map[string]string{}
		}
	}
}

// scope notes that a name leads elsewhere for one module of a library, and returns the address.
func (k *mapKeeper) scope(t tags.Target, by project.Sealed, specifier string) string {
	of := k.after.ImportedBy(by.Library, specifier)
	if by.File == nil || of.File == nil || of.File == k.after.Imported(specifier).File {
		return ""
	}
	from, address := k.address(by, t), k.address(of, tags.Target{})
	if k.scoped != nil && address != "" && from != "" {
		if k.scoped[from] == nil {
			k.scoped[from] = map[string]string{}
		}
		k.scoped[from][specifier] = address
	}
	return address
}

// demand has the map demand the integrity of what is imported from other hosts, and no more of what is not.
func (k *mapKeeper) demand(ctx context.Context) error {
	if !k.touched() {
		return nil
	}
	_, reached := k.asked(k.e.Modules())
	for address, f := range reached {
		if f == nil || k.current.Integrity(address) == f.Integrity {
			continue
		}
		if err := k.before.Origin.HasSame(ctx, address, f); err != nil {
			return err
		}
		k.wish.Demand[address] = f.Integrity
	}
	for _, address := range k.current.Demands() {
		to, err := k.e.Address().Parse(address)
		if err != nil {
			continue
		}
		if t := tags.TargetAt(to); reached[address] == nil && tags.FileOf(k.before, t).File != nil && t.URL != "" {
			k.wish.Demand[address] = ""
		}
	}
	return nil
}

// touched reports whether the map says anything of the crate: of others' names nothing is demanded.
func (k *mapKeeper) touched() bool {
	return len(k.wish.Set)+len(k.wish.Scopes) > 0 || slices.ContainsFunc(k.current.Entries, func(e module.Entry) bool {
		return k.after.Imported(e.Specifier).File != nil
	})
}

// asked are the names that some modules of the page import, they and what they import, and the linked files of the
// crate that are imported, by their addresses.
func (k *mapKeeper) asked(modules []tags.Module) (asked map[string]bool, reached map[string]*record.File) {
	asked, reached = map[string]bool{}, map[string]*record.File{}
	set := maps.Clone(k.wish.Set)
	names := module.Join([]*module.Map{k.current}, k.e.Address())
	seen := map[tags.Target]bool{}
	var visit func(at *url.URL, r *script.Report, depth int)
	lead := func(at *url.URL, imported bool, depth int) {
		t := tags.TargetAt(at)
		if imported && t.URL != "" {
			reached[t.URL] = tags.FileOf(k.after, t).File
		}
		if t.IsZero() || seen[t] {
			return
		}
		seen[t] = true
		if imported && tags.FileOf(k.after, t).File != nil {
			k.files = append(k.files, t)
		}
		if s := k.scripts.Of(t); s != nil {
			visit(at, s.Report, depth)
		}
	}
	visit = func(at *url.URL, r *script.Report, depth int) {
		if r == nil || depth > maxDeep {
			return
		}
		for _, in := range r.Imports {
			if !module.Relative(in.From) {
				t := tags.TargetAt(at)
				if other := k.scope(t, tags.FileOf(k.after, t), in.From); other != "" {
					if to, err := k.e.Address().Parse(other); err == nil {
						lead(to, true, depth+1)
					}
					continue
				}
				asked[in.From] = true
				if address := set[in.From]; address != "" {
					if to, err := k.e.Address().Parse(address); err == nil {
						lead(to, true, depth+1)
					}
					continue
				}
			}
			if to, ok := names.Resolve(at, in.From); ok {
				lead(to, true, depth+1)
			} else if of := k.after.Imported(in.From); of.File != nil {
				set[in.From] = k.address(of, tags.Target{})
				if to, err := k.e.Address().Parse(set[in.From]); err == nil {
					lead(to, true, depth+1)
				}
			}
		}
	}
	for _, m := range modules {
		if m.Target.IsZero() {
			visit(k.e.Address(), k.after.Facts.Script([]byte(m.Text)), 0)
		} else if m.Target.URL != "" {
			if at, err := url.Parse(m.Target.URL); err == nil {
				lead(at, false, 0)
			}
		} else {
			lead(tags.AddressIn(m.Target.Path), false, 0)
		}
	}
	return asked, reached
}

// maxDeep is how far imports are followed.
const maxDeep = 200

// scriptsAfter knows the scripts of the project as it will be.
func (d *Plan) scriptsAfter(after *project.Project) *tags.Scripts {
	s := tags.NewScripts(after)
	s.Contents = d.plannedScript
	return s
}
