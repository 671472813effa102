package crate

import (
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/script"
)

// Ordered is how a page's scripts and stylesheets take effect.
type Ordered struct {
	Page        string            `json:"page"`
	Steps       []Step            `json:"steps"`
	Constraints []OrderConstraint `json:"constraints,omitempty"`
	Cycle       []string          `json:"cycle,omitempty"` // the reasons round it
	Stuck       []string          `json:"stuck,omitempty"` // what no move can mend
	Notes       []string          `json:"notes,omitempty"`
}

// Step is one script or stylesheet, in the order in which they take effect.
type Step struct {
	Name    string   `json:"name"`
	Kind    string   `json:"kind"`
	When    string   `json:"when"`
	Line    int      `json:"line"`
	Library string   `json:"library,omitempty"`
	Defines []string `json:"defines,omitempty"`
	Needs   []string `json:"needs,omitempty"`
	// Verdict is what the browser will say: fine, too early, absent, a race, unknown.
	Verdict string `json:"verdict"`
	Size    int64  `json:"size"`
	Wire    int64  `json:"wire"`
	From    string `json:"from,omitempty"` // local, or the host of a link
	Item    int    `json:"item"`
	Looks   []Look `json:"looks,omitempty"` // of own scripts
}

// Look is an id or a class that an own script looks up.
type Look struct {
	Selector string `json:"selector"`
	At       string `json:"at"`
	Here     bool   `json:"here"` // the page has such an element
}

// OrderConstraint is one reason why something must come before something else.
type OrderConstraint struct {
	Before int         `json:"before"` // indices of steps
	After  int         `json:"after"`
	Reason string      `json:"reason"`
	State  order.State `json:"state"`
	Global string      `json:"global,omitempty"`
}

// Order tells how pages' scripts and stylesheets take effect, with the reason for every constraint.
func (p *Project) Order(patterns []string, dir string) ([]Ordered, error) {
	site, err := p.Walk()
	if err != nil {
		return nil, err
	}
	pages, err := p.Select(site, patterns, dir)
	if err != nil {
		return nil, err
	}
	c := newChecker(p, site)
	return forEach(pages, func(name string) (Ordered, error) {
		b, err := readInto(p.path(p.inProject(name)), nil)
		if err != nil {
			return Ordered{}, err
		}
		v, err := p.view(name, b)
		if err != nil {
			return Ordered{}, err
		}
		return c.ordered(v), nil
	})
}

// rules are what the packing list knows of the order of things.
func (p *Project) rules() order.Rules {
	return order.Rules{Needs: func(l string) []string {
		if lib := p.List.Library(l); lib != nil {
			return lib.Needs
		}
		return nil
	}, Own: p.List.Own.Order}
}

// constraints finds a page's constraints, less the needs that a rehearsal does not confirm.
func (c *checker) constraints(v *view) ([]order.Item, []order.Constraint, []order.Absent) {
	items := c.items(v)
	all, absent := order.Find(items, c.p.rules())
	all = slices.DeleteFunc(all, func(k order.Constraint) bool {
		return k.Kind == order.Reads && order.StateOf(items, k) == order.Broken && !c.Confirms(&items[k.After], k.Global)
	})
	return items, all, absent
}

func (c *checker) ordered(v *view) Ordered {
	items, constraints, absent := c.constraints(v)
	out := Ordered{Page: v.path}
	has := map[string]bool{}
	page.Names(v.Bytes, func(n page.Name) {
		switch n.Kind {
		case page.ClassName:
			has["."+n.Text] = true
		case page.IDName:
			has["#"+n.Text] = true
		}
	})
	at := make([]int, len(items)) // of each item, its step
	for n, i := range order.Sequence(items) {
		at[i] = n
		in := &v.Includes[i]
		line, _ := page.Position(v.Bytes, in.Start)
		s := Step{Name: items[i].Name, Kind: in.Kind.String(), Line: line, Library: items[i].Library, Defines: items[i].Defines, Verdict: "fine", Item: i, When: whenWords(in)}
		switch of := c.p.placed(v.targets[i]); {
		case items[i].Inline:
			s.Size = int64(len(v.InlineText(in)))
			s.Wire = s.Size
		case of.File != nil && v.targets[i].Path == "":
			at, _ := c.p.inSite(of.File.At)
			s.Size, s.Wire = c.p.sizes(at)
		case v.targets[i].Path != "":
			s.Size, s.Wire = c.p.sizes(v.targets[i].Path)
		}
		if u := v.targets[i].URL; u != "" {
			s.From = originOf(u)
		} else if !items[i].Inline {
			s.From = "local"
		}
		if text, ok := items[i].Text.([]byte); ok && items[i].Own {
			for _, l := range script.Looks(text) {
				whole, offset, name := text, l.Offset, c.p.inProject(items[i].Name)
				if items[i].Inline {
					whole, offset, name = v.Bytes, in.TextStart()+l.Offset, c.p.inProject(v.path)
				}
				line, column := page.Position(whole, offset)
				s.Looks = append(s.Looks, Look{l.Selector, fmt.Sprintf("%s:%d:%d", name, line, column), has[l.Selector]})
			}
		}
		for _, n := range items[i].Needs {
			s.Needs = append(s.Needs, n.Global)
		}
		if items[i].Unknown {
			s.Verdict = "unknown"
			if v.targets[i].Odd != "" {
				s.Verdict = "unknown: " + v.targets[i].Odd
			}
		} else if t := v.targets[i].Path; t != "" && !c.Has(t) {
			s.Verdict = "not there"
		}
		out.Steps = append(out.Steps, s)
	}
	unknown := slices.ContainsFunc(items, func(it order.Item) bool { return it.Unknown && !it.Inert })
	for _, a := range absent {
		if unknown || !c.Confirms(&items[a.Item], a.Need.Global) {
			continue
		}
		s := &out.Steps[at[a.Item]]
		if s.Verdict == "fine" {
			s.Verdict = a.Need.Global + " is nowhere"
		}
	}
	for _, k := range constraints {
		state := order.StateOf(items, k)
		out.Constraints = append(out.Constraints, OrderConstraint{Before: at[k.Before], After: at[k.After], Reason: k.Reason(items), State: state, Global: k.Global})
		if s := &out.Steps[at[k.After]]; s.Verdict == "fine" && state != order.Kept {
			s.Verdict = map[order.State]string{order.Broken: "too early", order.Race: "a race"}[state]
			if items[k.After].Style {
				s.Verdict = "too early: " + items[k.Before].Name + " will win"
			}
		}
	}
	plan := order.Repair(items, constraints)
	for _, k := range plan.Cycle {
		out.Cycle = append(out.Cycle, k.Reason(items))
	}
	for _, k := range plan.Stuck {
		out.Stuck = append(out.Stuck, k.Reason(items)+stuckWords(items, k))
	}
	return out
}

// stuckWords say why a constraint can't be mended by moving tags.
func stuckWords(items []order.Item, k order.Constraint) string {
	a, b := &items[k.Before], &items[k.After]
	switch {
	case a.When == order.AnyTime:
		return "; " + a.Name + " is async: a race. Take async off it"
	case b.When == order.AnyTime:
		return "; " + b.Name + " is async: a race. Take async off it"
	}
	return "; but " + a.Name + " is deferred, and " + b.Name + " runs where it stands. Take defer off the first, or write it on both"
}

func whenWords(in *page.Include) string {
	switch {
	case in.Kind == page.Stylesheet || in.Kind == page.InlineStyle:
		return "applies; scripts behind it wait"
	case in.Module && in.When == page.Async:
		return "module, at any time"
	case in.When == page.Async:
		return "at any time"
	case in.Module:
		return "module, after parsing"
	case in.When == page.Deferred:
		return "after parsing"
	}
	return "in place"
}

// OrderFixed says what order --fix did.
type OrderFixed struct {
	Outcome
	Pages []OrderedPage `json:"pages"`
}

// OrderedPage is one page whose tags were moved, or could not be.
type OrderedPage struct {
	Page  string   `json:"page"`
	Moves []string `json:"moves,omitempty"`
	Why   []string `json:"why,omitempty"`
	Cycle []string `json:"cycle,omitempty"`
	Stuck []string `json:"stuck,omitempty"`
}

// FixOrder repairs the order of pages with the fewest moves.
func (p *Project) FixOrder(patterns []string, dir string) (*OrderFixed, error) {
	set, site, pages, err := p.begin("order --fix", patterns, dir, true)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	c := newChecker(p, site)
	out := &OrderFixed{Pages: make([]OrderedPage, len(pages))}
	if _, err := p.editPages(set, pages, func(v *view) ([]byte, IncludedPage, error) {
		done := OrderedPage{Page: v.path}
		b, err := c.reorder(v, &done)
		i, _ := slices.BinarySearch(pages, v.path)
		out.Pages[i] = done
		return b, IncludedPage{}, err
	}); err != nil {
		return nil, err
	}
	oc, err := p.commit(set, p.list)
	if err != nil {
		return nil, err
	}
	out.Outcome = *oc
	return out, nil
}

// reorder moves a page's tags into an order that keeps the constraints. Each tag keeps its bytes, and a fallback stays
// with its script.
func (c *checker) reorder(v *view, done *OrderedPage) ([]byte, error) {
	items, constraints, _ := c.constraints(v)
	plan := order.Repair(items, constraints)
	for _, k := range plan.Cycle {
		done.Cycle = append(done.Cycle, k.Reason(items))
	}
	for _, k := range plan.Stuck {
		done.Stuck = append(done.Stuck, k.Reason(items)+stuckWords(items, k))
	}
	list := make([]int, len(items)) // the page's includes as they stand now, by what they were at first
	for i := range list {
		list[i] = i
	}
	for _, m := range plan.Moves {
		from, anchor := slices.Index(list, m.Item), slices.Index(list, m.Anchor)
		tags := []int{from}
		if at, _ := v.fallbackOf(from); at >= 0 {
			tags = append(tags, at)
		}
		if m.After {
			if at, _ := v.fallbackOf(anchor); at >= 0 {
				anchor = at
			}
		}
		texts := make([]string, len(tags))
		for i, t := range tags {
			texts[i] = string(v.Bytes[v.Includes[t].Start:v.Includes[t].End])
		}
		anchored, moved := list[anchor], slices.Clone(list[from:from+len(tags)])
		cut, err := c.p.view(v.path, page.Apply(v.Bytes, v.Remove(tags...)))
		if err != nil {
			return nil, err
		}
		list = slices.Delete(list, from, from+len(tags))
		at := slices.Index(list, anchored)
		e, err := cut.Insert(page.Spot{Index: at, After: m.After}, texts)
		if err != nil {
			return nil, refused("move the tag by hand", "%s: %s can't be moved: %v", v.path, items[m.Item].Name, err)
		}
		if m.After {
			at++
		}
		list = slices.Insert(list, at, moved...)
		if v, err = c.p.view(v.path, page.Apply(cut.Bytes, []page.Edit{e})); err != nil {
			return nil, err
		}
		where := "before"
		if m.After {
			where = "behind"
		}
		done.Moves = append(done.Moves, fmt.Sprintf("%s goes %s %s", items[m.Item].Name, where, items[m.Anchor].Name))
		for _, k := range m.Why {
			done.Why = append(done.Why, k.Reason(items))
		}
	}
	slices.Sort(done.Why)
	done.Why = slices.Compact(done.Why)
	return v.Bytes, nil
}
