package relocate

import (
	"context"
	"path"
	"strings"

	"merrycrate.example/merry/crate/libraries"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
)

// Found plans that records and pages follow files which somebody moved by hand. It reports whether there are any.
func Found(ctx context.Context, d *reconcile.Plan) (bool, error) {
	site, err := d.Site(ctx)
	if err != nil {
		return false, err
	}
	strayed, err := d.Before.Strayed(ctx, site)
	if err != nil || len(strayed) == 0 {
		return false, err
	}
	moved := project.Moved(d.Seal, strayed)
	for _, name := range moved.Names() {
		new, old := moved.Libraries[name], d.Seal.Libraries[name]
		own := map[string]string{}
		for i := range new.Files {
			if f := &new.Files[i]; f.At != old.Files[i].At {
				if at, ok := d.Before.InSite(f.At); ok {
					own[f.Path] = at.String()
				}
			}
		}
		if len(own) == 0 {
			continue
		}
		if err := together(d.Before, name, old, new); err != nil {
			return false, err
		}
		d.Seal.Libraries[name] = new
		if entry := d.List.Library(name); entry != nil {
			folder(d.Before, entry, old, new, own)
			if err := libraries.Pin(ctx, d, name); err != nil {
				return false, err
			}
		}
	}
	return true, nil
}

// together refuses what was moved away from files that it asks for.
func together(p *project.Project, name string, old, new *record.Sealed) error {
	for i := range new.Files {
		f := &new.Files[i]
		if packages.KindOf(f.Path) != packages.Stylesheet {
			continue
		}
		b, err := p.ReadFile(f.At)
		if err != nil {
			continue
		}
		for _, r := range style.References(b) {
			by := packages.PathOf(r.URL)
			to := new.File(path.Join(path.Dir(f.Path), by))
			if to == nil || to.At.IsZero() || path.Join(f.At.Dir(), by) == to.At.String() ||
				path.Join(old.Files[i].At.Dir(), by) != old.File(to.Path).At.String() {
				continue
			}
			return problem.Refuse(problem.NameBad, "move "+to.At.String()+" to "+path.Join(f.At.Dir(), by)+
				" as well, or put "+f.At.String()+" back",
				"%s of %s was moved to %s, but %s, which it asks for, was not", f.Path, name, f.At, to.Path)
		}
	}
	return nil
}

// folder writes into an entry where its files are now: in a folder of its own, or each in a place of its own.
func folder(p *project.Project, entry *record.Library, old, new *record.Sealed, own map[string]string) {
	was, is := map[string]paths.InSite{}, map[string]paths.InSite{}
	sel := &packages.Selection{}
	for i := range new.Files {
		path := new.Files[i].Path
		was[path], _ = p.InSite(old.Files[i].At)
		is[path], _ = p.InSite(new.Files[i].At)
		sel.Add(packages.Choice{Path: path})
	}
	from, to := commonFolder(was), commonFolder(is)
	alone := from != "." && to != "." && len(own) == len(new.Files)
	for path, at := range was {
		alone = alone && strings.TrimPrefix(at.String(), from) == strings.TrimPrefix(is[path].String(), to)
	}
	habits := project.Habits(p.List)
	if alone && (entry.Into != "" || entry.Arrange == record.Together || strings.HasPrefix(from, habits.Together+"/")) {
		entry.Into, entry.Arrange, entry.Places = to, "", nil
		return
	}
	entry.Places = libraries.Own(sel, is, entry.Places, own)
}
