package inspect

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/compose"
	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/graph"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
)

// Ordered is how a page's scripts and stylesheets take effect.
type Ordered struct {
	Page        string            `json:"page"`                  // the page, in the site
	Steps       []Step            `json:"steps"`                 // in the order in which they take effect
	Constraints []OrderConstraint `json:"constraints,omitempty"` // what must come before what
	Cycle       []string          `json:"cycle,omitempty"`       // the reasons round it
	Stuck       []string          `json:"stuck,omitempty"`       // what no move can fix
	Notes       []string          `json:"notes,omitempty"`       // what else to know
	// Shared are moves that would take a tag off other pages: its part is theirs, too.
	Shared []string `json:"shared,omitempty"`
}

// A Step is one script or stylesheet, in the order in which they take effect.
type Step struct {
	Name    string   `json:"name"`              // path, address or a description
	Kind    string   `json:"kind"`              // script, stylesheet and so on
	When    string   `json:"when"`              // when it takes effect
	Line    int      `json:"line"`              // of its tag, from 1
	In      string   `json:"in,omitempty"`      // the file that has its tag, where that is another one than the page's
	Library string   `json:"library,omitempty"` // the library that it belongs to
	Defines []string `json:"defines,omitempty"` // globals that it defines
	Needs   []string `json:"needs,omitempty"`   // globals that it needs
	Verdict Verdict  `json:"verdict"`           // fine, or what is wrong
	Size    int64    `json:"size"`              // bytes on disk
	Wire    int64    `json:"wire"`              // bytes on the wire, compressed
	From    string   `json:"from,omitempty"`    // local, or the host of a link
	Item    int      `json:"item"`              // index in the page's scripts and stylesheets
	Looks   []Look   `json:"looks,omitempty"`   // of own scripts
}

// A Verdict is the browser's view of a step, with a reason after a colon for some.
type Verdict string

// The verdicts.
const (
	Fine     Verdict = "fine"
	TooEarly Verdict = "too early"
	Racing   Verdict = "a race"
	Unknown  Verdict = "unknown"
	NotThere Verdict = "missing"
)

// Look is an id or a class that an own script looks up.
type Look struct {
	Selector string `json:"selector"` // the CSS selector
	At       string `json:"at"`       // position in the script
	Here     bool   `json:"here"`     // the page has such an element
}

// OrderConstraint is one reason why something must come before something else.
type OrderConstraint struct {
	Before int         `json:"before"`           // indices of steps
	After  int         `json:"after"`            // index of the step that must come later
	Reason string      `json:"reason"`           // why
	State  order.State `json:"state"`            // kept, broken or race
	Global string      `json:"global,omitempty"` // the global that decides it
}

// Order returns when pages' scripts and stylesheets take effect, with the reason for every constraint.
func Order(ctx context.Context, p *project.Project, patterns []string, dir string) ([]Ordered, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	pages, err := p.Select(site, patterns, dir)
	if err != nil {
		return nil, err
	}
	if pages, err = withoutWritten(p, pages); err != nil {
		return nil, err
	}
	c := newInspection(p, site)
	parts := p.PartsOf(ctx, site, pages)
	return parallel.Map(ctx, parts.Visited(pages), func(ctx context.Context, name paths.InSite) (Ordered, error) {
		v, err := tags.ReadComposed(p, parts, name)
		if err != nil {
			return Ordered{}, err
		}
		out := c.ordered(ctx, v)
		if v.Whole != nil {
			out.Shared = c.sharedMoves(ctx, parts, v)
		}
		return out, nil
	})
}

// sharedMoves says of the moves that would put a page in order which of them no command makes: those of a tag from a
// part that other pages have, too, into another file.
func (c *inspection) sharedMoves(ctx context.Context, parts *compose.Site, v *tags.Page) []string {
	items := c.scripts.Items(v)
	constraints, _ := c.scripts.Constraints(ctx, items)
	var list []string
	for _, m := range order.Repair(items, constraints).Moves {
		from, _, _ := v.Locate(v.Includes[m.Item].Start)
		to, _, _ := v.Locate(v.Includes[m.Anchor].Start)
		if with := parts.PagesWith(from); from != to && len(with) > 1 {
			list = append(list, fmt.Sprintf("%s is in %s, which is part of %d pages; move its tag, or that of %s, "+
				"by hand",
				items[m.Item].Name, from, len(with), items[m.Anchor].Name))
		}
	}
	return list
}

// withoutWritten leaves reports of this program out of several pages; one that is named alone is refused when it is
// read.
func withoutWritten(p *project.Project, pages []paths.InSite) ([]paths.InSite, error) {
	if len(pages) < 2 {
		return pages, nil
	}
	var list []paths.InSite
	for _, name := range pages {
		b, err := p.ReadInSite(name)
		if err != nil {
			return nil, err
		}
		if !page.IsReport(b) {
			list = append(list, name)
		}
	}
	return list, nil
}

func (c *inspection) ordered(ctx context.Context, v *tags.Page) Ordered {
	items := c.scripts.Items(v)
	constraints, absent := c.scripts.Constraints(ctx, items)
	out := Ordered{Page: v.Path.String()}
	has := selectors(v)
	at := make([]int, len(items)) // of each item, its step
	imports := &imports{c: c, at: map[*graph.Node]int{}, out: &out}
	imported := graph.Of(c.scripts, v)
	for _, i := range order.Sequence(items) {
		tag := imported.Tag(i)
		imports.before(tag)
		at[i] = len(out.Steps)
		imports.at[tag] = len(out.Steps)
		out.Steps = append(out.Steps, c.step(v, i, &items[i], has))
	}
	unknown := slices.ContainsFunc(items, func(it order.Item) bool {
		return (it.Unread || it.DefinesUnknown) && !it.Inert
	})
	for _, a := range absent {
		if unknown || !c.scripts.Fails(ctx, &items[a.Item], a.Need.Global) {
			continue
		}
		s := &out.Steps[at[a.Item]]
		if s.Verdict == Fine {
			s.Verdict = Verdict(a.Need.Global + " is defined nowhere")
		}
	}
	for _, k := range constraints {
		state := order.StateOf(items, k)
		out.Constraints = append(out.Constraints, OrderConstraint{Before: at[k.Before], After: at[k.After],
			Reason: k.Reason(items), State: state, Global: k.Global})
		if s := &out.Steps[at[k.After]]; s.Verdict == Fine && state != order.Kept {
			s.Verdict = map[order.State]Verdict{order.Broken: TooEarly, order.Race: Racing}[state]
			if items[k.After].Style {
				s.Verdict = TooEarly + Verdict(": "+items[k.Before].Name+" will win")
			}
		}
	}
	imports.constrain(imported)
	plan := order.Repair(items, constraints)
	for _, k := range plan.Cycle {
		out.Cycle = append(out.Cycle, k.Reason(items))
	}
	for _, k := range plan.Stuck {
		out.Stuck = append(out.Stuck, k.Reason(items)+stuckWords(items, k))
	}
	return out
}

// selectors lists the ids and classes that a page has, as selectors.
func selectors(v *tags.Page) map[string]bool {
	has := map[string]bool{}
	page.Names(v.Bytes, func(n page.Name) {
		switch n.Kind {
		case page.ClassName:
			has["."+n.Text] = true
		case page.IDName:
			has["#"+n.Text] = true
		}
	})
	return has
}

// step says what is known of one include.
func (c *inspection) step(v *tags.Page, i int, it *order.Item, has map[string]bool) Step {
	in := &v.Includes[i]
	file, line, _ := v.Locate(in.Start)
	s := Step{Name: it.Name, Kind: in.Kind.String(), Line: line, Library: it.Library, Defines: it.Defines.List(),
		Verdict: Fine, Item: i, When: in.WhenWords()}
	if file != v.Path {
		s.In = file.String()
	}
	if it.Inline {
		s.Size = int64(len(v.InlineText(in)))
		s.Wire = s.Size
	} else {
		s.Size, s.Wire = c.p.Sizes(v.Location(c.p, i))
		s.From = cmp.Or(cdn.Origin(v.Targets[i].URL), "local")
	}
	if text, ok := it.Text.([]byte); ok && it.Own {
		for _, l := range script.Looks(text) {
			name := c.p.InProject(paths.Found(it.Name)).String()
			if it.Inline {
				at, line, column := v.Locate(in.TextStart() + l.Offset)
				s.Looks = append(s.Looks, Look{l.Selector, fmt.Sprintf("%s:%d:%d", c.p.InProject(at), line, column),
					has[l.Selector]})
				continue
			}
			line, column := page.Position(text, l.Offset)
			s.Looks = append(s.Looks, Look{l.Selector, fmt.Sprintf("%s:%d:%d", name, line, column), has[l.Selector]})
		}
	}
	for _, n := range it.Needs {
		s.Needs = append(s.Needs, n.Global)
	}
	if it.Unread {
		s.Verdict = Unknown
		if v.Targets[i].Odd != "" {
			s.Verdict += Verdict(": " + v.Targets[i].Odd)
		}
	} else if t := v.Targets[i].Path; !t.IsZero() && !c.leads.Has(t) {
		s.Verdict = NotThere
	}
	return s
}

// stuckWords say why a constraint can't be fixed by moving tags.
func stuckWords(items []order.Item, k order.Constraint) string {
	a, b := &items[k.Before], &items[k.After]
	switch {
	case a.Phase == order.AnyTime:
		return "; " + a.Name + " is async: a race. Remove async"
	case b.Phase == order.AnyTime:
		return "; " + b.Name + " is async: a race. Remove async"
	}
	return "; but " + a.Name + " is deferred, and " + b.Name +
		" runs at its position. Remove defer from the first, or write it on both"
}

// NotProvedFewest is said of moves on a page that is too large for the search for the fewest.
const NotProvedFewest = "there may be fewer moves: the page has too many scripts that need each other"

// OrderedPage is one page whose tags were moved, or could not be.
type OrderedPage struct {
	Page  string   `json:"page"`            // the page, in the site
	Moves []string `json:"moves,omitempty"` // the tags that moved
	// NotProvedFewest says that the page is so tangled that fewer moves may do.
	NotProvedFewest bool     `json:"not_proved_fewest,omitempty"`
	Why             []string `json:"why,omitempty"`   // the reasons of the moves
	Cycle           []string `json:"cycle,omitempty"` // scripts that need each other in a circle
	Stuck           []string `json:"stuck,omitempty"` // constraints that no move satisfies
}

// A Repairer puts pages in order.
type Repairer struct{ c *inspection }

// NewRepairer makes a repairer of pages of a project.
func NewRepairer(p *project.Project, site *walk.Site) *Repairer {
	return &Repairer{newInspection(p, site)}
}

// Order moves a page's tags into an order that satisfies the constraints, with the fewest moves. It returns the moves,
// and the constraints that no move satisfies.
func (r *Repairer) Order(ctx context.Context, e *tags.Editor) OrderedPage {
	done := OrderedPage{Page: e.Path.String()}
	items := r.c.scripts.Items(e.Page)
	for i := range items {
		items[i].Inert = items[i].Inert || e.Removed(i)
	}
	constraints, _ := r.c.scripts.Constraints(ctx, items)
	plan := order.Repair(items, constraints)
	if v := r.asEdited(e); v != nil {
		tried, refused, err := (&trial{c: r.c, v: v, items: items}).repair(ctx, constraints)
		if plan = tried; err != nil || refused != "" {
			done.Stuck = append(done.Stuck, cmp.Or(refused, fmt.Sprint("the page could not be rehearsed: ", err)))
		}
	}
	for _, k := range plan.Cycle {
		done.Cycle = append(done.Cycle, k.Reason(items))
	}
	for _, k := range plan.Stuck {
		done.Stuck = append(done.Stuck, k.Reason(items)+stuckWords(items, k))
	}
	done.Moves = e.Reorder(items, plan)
	done.NotProvedFewest = plan.NotFewest && len(done.Moves) > 0
	for _, m := range plan.Moves {
		for _, k := range m.Why {
			done.Why = append(done.Why, k.Reason(items))
		}
	}
	slices.Sort(done.Why)
	done.Why = slices.Compact(done.Why)
	return done
}

// asEdited reads a page as it will be by the edits so far, nil where it can't be run, or has other tags than before.
func (r *Repairer) asEdited(e *tags.Editor) *tags.Page {
	if e.Whole != nil {
		return nil
	}
	b, err := e.Bytes()
	if err != nil {
		return nil
	}
	v, err := tags.ReadFrom(e.Project(), e.Path, e.From, b)
	if err != nil || len(v.Includes) != len(e.Includes) {
		return nil
	}
	return v
}
