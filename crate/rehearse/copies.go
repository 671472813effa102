package rehearse

import (
	"merrycrate.example/merry/crate/memo"

	"github.com/dop251/goja"
)

// A Replacement is a global in whose place a later script put a copy of the same library.
type Replacement struct {
	Global  string `json:"global"`
	First   int    `json:"first"`   // the script that defined it
	Script  int    `json:"script"`  // the script that replaced it
	Was     string `json:"was"`     // the version that the first copy tells, "" for none
	Version string `json:"version"` // that of the second one
}

// An original is what a script defined.
type original struct {
	value  *goja.Object
	script int
}

// compareCopies notes, after a script ran, which of the watched globals it defined, and which it replaced by something
// with mostly the same members.
func (s *page) compareCopies(script int) {
	for _, name := range s.req.Watched {
		now, ok := s.vm.GlobalObject().Get(name).(*goja.Object)
		if !ok || s.standIns[name] == now {
			continue
		}
		old, had := s.copies[name]
		if had && old.value.SameAs(now) {
			continue
		}
		if had && old.script != script && alike(old.value, now) {
			s.out.Replaced = append(s.out.Replaced, Replacement{name, old.script, script, versionOf(old.value),
				versionOf(now)})
		}
		if s.copies == nil {
			s.copies = map[string]original{}
		}
		s.copies[name] = original{now, script}
	}
}

// alike reports whether most members of one object are those of another, too; a few say nothing.
func alike(a, b *goja.Object) bool {
	const fewest = 3
	names := a.GetOwnPropertyNames()
	has := map[string]bool{}
	for _, n := range b.GetOwnPropertyNames() {
		has[n] = true
	}
	same := 0
	for _, n := range names {
		if has[n] {
			same++
		}
	}
	return len(names) >= fewest && 2*same > len(names)
}

var isVersion = memo.Regexp(`^\d+\.\d+[\w.+-]*$`)

// versionOf is what an object of a library says of its version.
func versionOf(o *goja.Object) string {
	for _, key := range []string{"version", "VERSION"} {
		if v := o.Get(key); v != nil && isVersion().MatchString(v.String()) {
			return v.String()
		}
	}
	if fn, ok := o.Get("fn").(*goja.Object); ok { // plug-ins are added there, and its own version has no fixed name
		for _, key := range fn.GetOwnPropertyNames() {
			if v := fn.Get(key); v != nil && isVersion().MatchString(v.String()) {
				return v.String()
			}
		}
	}
	return ""
}
