package reconcile

import (
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/template"
)

// hidden finds the references that a server makes and that may lead to files which get another place, or go. Such a
// reference is left as it is.
type hidden struct {
	gone []paths.InSite // the old places

	mu sync.Mutex
	at []string
}

func newHidden(d *Plan, follow *follower, relink *relinker) *hidden {
	h := &hidden{}
	for old, new := range follow.moved {
		if at, ok := d.Before.InSite(old.At); ok && !old.At.IsZero() && (new == nil || new.At != old.At) {
			h.gone = append(h.gone, at)
		}
	}
	if relink != nil {
		for from := range relink.moved {
			if !slices.Contains(h.gone, from) {
				h.gone = append(h.gone, from)
			}
		}
	}
	for at := range d.off {
		if name, ok := d.Before.InSite(paths.FoundInProject(at)); ok && !name.IsZero() {
			h.gone = append(h.gone, name)
		}
	}
	return h
}

// look looks at a page's tags.
func (h *hidden) look(e *tags.Editor) {
	if len(h.gone) == 0 || len(e.Holes()) == 0 {
		return
	}
	for i := range e.Includes {
		in := &e.Includes[i]
		if in.RefAttr.End == 0 || !e.Targets[i].IsZero() || !page.Templated(in.Ref) {
			continue
		}
		w := template.Reference(in.Ref)
		if slices.ContainsFunc(h.gone, func(at paths.InSite) bool {
			return template.MayBe(w.Pattern(), at.String()) && strings.HasSuffix(at.String(), in.Kind.Ending())
		}) {
			h.mu.Lock()
			h.at = append(h.at, e.At(i))
			h.mu.Unlock()
		}
	}
}

// tell tells of such references, once.
func (h *hidden) tell(p *project.Project) {
	if len(h.at) == 0 || p.Notify == nil {
		return
	}
	slices.Sort(h.at)
	p.Notify("a server makes the references at " + project.Abbreviate(h.at, 4) +
		", which may lead to files that move or go; left unchanged")
}
