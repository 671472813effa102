package repin

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/upgrade"
)

// sureRenames adds the renames that comparing old and new is sure of, and notes those that are only likely.
func sureRenames(ctx context.Context, p *project.Project, list []*repinning, req Request, renames, parts,
	others map[string]string, out *Moved) error {
	for _, r := range list {
		from := ""
		for _, m := range req.Moves {
			if m.Library == r.lib.Name {
				from = cmp.Or(m.Source, r.o.Version)
			}
		}
		got, err := upgrade.Compare(ctx, p, upgrade.Request{Library: r.lib.Name, New: cmp.Or(from, r.o.Version),
			Dir: req.Dir})
		if err != nil {
			return err
		}
		for _, l := range got.Removed {
			switch {
			case len(l.Uses) == 0:
			case r.bridge != nil && r.bridge.globals[l.Name]: // pages make it themselves
			case l.Kind == "export" || l.Kind == "module":
				note := fmt.Sprintf("%s was removed, and is imported in %s", l.Title(), abbreviated(l.Uses))
				if l.Rename != nil {
					likely := "probably renamed"
					if l.Rename.Sure {
						likely = "renamed"
					}
					note += fmt.Sprintf("; %s to %s", likely, l.Rename.New)
				}
				out.Notes = append(out.Notes, note)
			case l.Kind == upgrade.Symbol && parts["#"+l.Name] != "":
			case l.Kind == upgrade.Symbol && l.Rename != nil && l.Rename.Sure:
				parts[l.Of+"#"+l.Name] = l.Rename.New
			case l.Kind == upgrade.Symbol && l.Rename != nil:
				out.Notes = append(out.Notes, fmt.Sprintf("%s was probably renamed to %s; if so: --rename '#%s=#%s'",
					l.Title(), l.Rename.New, l.Name, l.Rename.New))
			case l.Kind == upgrade.Symbol:
				out.Notes = append(out.Notes, fmt.Sprintf("%s was removed, and is shown in %s", l.Title(),
					abbreviated(l.Uses)))
			case (l.Kind == string(style.Attribute) || l.Kind == string(style.Property)) && others[l.Name] != "":
			case (l.Kind == string(style.Attribute) || l.Kind == string(style.Property)) && l.Rename != nil &&
				l.Rename.Sure:
				others[l.Name] = l.Rename.New
			case l.Kind == string(style.Attribute) || l.Kind == string(style.Property):
				out.Notes = append(out.Notes, lostNote(&l))
			case l.Kind != "class" && slices.ContainsFunc(l.Uses, func(u upgrade.Occurrence) bool {
				return u.How != script.Possible
			}):
				out.Notes = append(out.Notes, unwritten(&l))
			case l.Kind != "class":
			case l.Rename != nil && l.Rename.Sure:
				if _, said := renames[l.Name]; !said {
					renames[l.Name] = strings.Join(append([]string{l.Rename.New}, l.Rename.And...), " ")
				}
			case l.Rename != nil:
				out.Notes = append(out.Notes, fmt.Sprintf("the class %s was probably renamed to %s; if so: "+
					"--rename %s=%s", l.Name, l.Rename.New, l.Name, l.Rename.New))
			default:
				out.Notes = append(out.Notes, fmt.Sprintf("%s was removed, and is used in %s", l.Title(),
					abbreviated(l.Uses)))
			}
		}
	}
	return nil
}

// abbreviated are the first few places of uses.
func abbreviated(uses []upgrade.Occurrence) string {
	var places []string
	for _, u := range uses {
		places = append(places, u.At)
	}
	return project.Abbreviate(places, 3)
}

// lostNote says of an attribute or a custom property that it is gone, where it is used, and what it probably is called
// now.
func lostNote(l *upgrade.RemovedName) string {
	note := fmt.Sprintf("%s was removed, and is used in %s", l.Title(), abbreviated(l.Uses))
	if l.Rename == nil {
		return note
	}
	old, new := l.Name, l.Rename.New
	if l.Kind == string(style.Attribute) {
		old, new = "["+old+"]", "["+new+"]"
	}
	return fmt.Sprintf("%s; it was probably renamed to %s; if so: --rename '%s=%s'", note, l.Rename.New, old, new)
}

// unwritten says of a global or a member that is gone, or is something else now, where it is used, and what may have
// come in its place. Nobody writes that into scripts but who knows what they do.
func unwritten(l *upgrade.RemovedName) string {
	note := fmt.Sprintf("%s was removed, and is used in %s", l.Title(), abbreviated(l.Uses))
	switch {
	case l.Kind == "signature":
		return fmt.Sprintf("%s is called in %s; the notes say: %s", l.Name, abbreviated(l.Uses), l.Now)
	case l.Now != "":
		note = fmt.Sprintf("%s is %s now, and is used as before in %s", l.Title(), l.Now, abbreviated(l.Uses))
	}
	if l.Rename != nil {
		note += fmt.Sprintf("; %s has probably come in its place", l.Rename.New)
	}
	return note
}
