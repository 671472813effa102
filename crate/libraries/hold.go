package libraries

import (
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
)

// Hold plans to keep a library at a version, or below one; a nil hold lets it go. A hold that says neither is filled in
// with the version that is there.
func Hold(d *reconcile.Plan, name string, hold *record.Hold) error {
	lib := d.List.Library(name)
	if lib == nil {
		return project.NotInCrate(d.List, name)
	}
	if hold != nil {
		if hold.At == "" && hold.Below == "" {
			hold.At = lib.Version
		}
		if !project.AllowedBy(hold)(lib.Version) {
			return problem.Refuse(problem.Held, "move "+name+" to a version that the hold allows first: "+
				"merry repin "+name+"@VERSION", "%s is at %s, which this hold would exclude", name, lib.Version)
		}
	}
	if hold == nil && lib.Hold != nil && lib.Hold.From != "" {
		return problem.Refuse(problem.Held, "remove it from share: there", "%s is held by %s, for all "+
			"sites below it", name, lib.Hold.From)
	}
	lib.Hold = hold
	return nil
}
