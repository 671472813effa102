package repin

import (
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
)

// A bridge stands on a page in the place of a library's plain script: a module that imports the library and hands it to
// the page's other scripts by the global that they know.
type bridge struct {
	text    string          // of the module
	globals map[string]bool // that it makes
}

// bridgeTo makes the bridge to a library's new module. The error is that its module can't be imported by name.
func bridgeTo(p *project.Project, r *repinning) (*bridge, error) {
	name := r.o.Manifest.Name
	f := r.o.File(r.o.Specifiers()[name])
	if name == "" || f == nil || f.Script == nil {
		return nil, problem.Refuse(problem.NothingThere, "merry versions "+r.lib.Name+"  # lists others",
			"%s %s has no module that a page could import by the library's name", r.lib.Name, r.o.Version)
	}
	b := &bridge{globals: map[string]bool{}}
	var globals []string
	for global, library := range p.Globals() {
		if library == r.lib.Name && !strings.Contains(global, ".") {
			globals = append(globals, global)
		}
	}
	slices.Sort(globals)
	// What nobody could call by its own name is a global by the way.
	globals = slices.DeleteFunc(globals, func(g string) bool { return strings.HasPrefix(g, "_") })
	if len(globals) == 0 {
		return nil, problem.Refuse(problem.NothingThere, "merry drop "+r.lib.Name+"; merry take "+name,
			"it is not known by which global pages use %s", r.lib.Name)
	}
	for _, g := range globals {
		b.globals[g] = true
		as, value := "* as "+g, "{ ..."+g+" }" // others may add to it, as they could before
		switch {
		case slices.Contains(f.Script.Exports, g):
			as, value = "{ "+g+" }", g
		case slices.Contains(f.Script.Exports, "default"):
			as, value = g, g
		}
		b.text += fmt.Sprintf("import %s from %q;\nwindow.%s = %s;\n", as, name, g, value)
	}
	return b, nil
}

// onPages asks for the bridge on all pages that have a plain script of the library. Scripts behind it that use its
// globals wait for it: they are deferred, and those in the page become modules.
func (b *bridge) onPages(d *reconcile.Plan, r *repinning, out *Moved) {
	was := d.Before.Seal.Libraries[r.lib.Name]
	d.Prepare(func(v *tags.Page) (edits []page.Edit, note string) {
		waits := map[string]bool{} // globals that are there later than before
		done := false
		for i := range v.Includes {
			in := &v.Includes[i]
			of := v.Of[i]
			switch {
			case in.Kind != page.Script && in.Kind != page.InlineScript || in.Inert != "" || in.Module:
			case of.Library == r.lib.Name && was.File(of.File.Path) != nil && of.File.Role == record.Tagged &&
				packages.KindOf(of.File.Path) == packages.Script && !of.File.Module:
				edit := page.Edit{Start: in.Start, End: in.End}
				if !done {
					edit.Text = "<script type=\"module\"" + nonceOf(v, in) + ">\n" + b.text + "</script>"
				}
				edits, done = append(edits, edit), true
				for g := range b.globals {
					waits[g] = true
				}
			case len(waits) > 0:
				edit, makes, names := b.waiting(d.Before, v, i, waits)
				if edit == nil {
					continue
				}
				edits = append(edits, *edit)
				for _, g := range makes {
					waits[g] = true
				}
				if line, _ := page.Position(v.Bytes, in.Start); len(names) > 0 {
					note = fmt.Sprintf("the script in line %d is a module now, so its names are its own: %s; what "+
						"others use must be put on window", line, project.Abbreviate(names, 4))
				}
			}
		}
		return edits, note
	})
	// The bridge makes the globals that the library itself makes no more.
	gone := d.Seal.Libraries[r.lib.Name].Gone
	for version, names := range gone {
		gone[version] = slices.DeleteFunc(names, func(name string) bool { return b.globals[name] })
	}
	out.Modules = append(out.Modules, strings.Split(strings.TrimSpace(b.text), "\n")...)
}

// nonceOf is the nonce of a tag, as it is written, with a blank before it.
func nonceOf(v *tags.Page, in *page.Include) string {
	for _, a := range in.Attrs {
		if strings.EqualFold(a.Name, "nonce") {
			return " " + string(v.Bytes[a.NameStart:a.End])
		}
	}
	return ""
}

// waiting makes a plain script wait for modules before it, where it uses one of some globals: nil if it does not. It
// returns the globals that the script makes, which come later now, and of one that becomes a module the names that
// become its own.
func (b *bridge) waiting(p *project.Project, v *tags.Page, i int, waits map[string]bool) (edit *page.Edit, makes,
	names []string) {
	in := &v.Includes[i]
	text := v.InlineText(in)
	if in.Ref != "" {
		var err error
		if v.Targets[i].Path.IsZero() {
			return nil, nil, nil
		}
		if text, err = p.ReadInSite(v.Targets[i].Path); err != nil {
			return nil, nil, nil
		}
	}
	if !slices.ContainsFunc(script.Uses(text, func(w string) bool { return waits[w] }), func(u script.Use) bool {
		return u.Global || u.Member && (u.Of == "window" || u.Of == "self" || u.Of == "globalThis")
	}) {
		return nil, nil, nil
	}
	for _, g := range p.Facts.Script(text).Defines {
		makes = append(makes, g.Name)
	}
	word := " defer"
	if in.Ref == "" {
		word, names, makes = " type=\"module\"", makes, nil
	}
	at := in.Start + len("<script")
	for _, a := range in.Attrs {
		switch strings.ToLower(a.Name) {
		case "type":
			if in.Ref == "" {
				return &page.Edit{Start: a.NameStart, End: a.End, Text: "type=\"module\""}, makes, names
			}
		case "defer", "async":
			if in.Ref != "" {
				return nil, makes, nil
			}
		}
	}
	return &page.Edit{Start: at, End: at, Text: word}, makes, names
}
