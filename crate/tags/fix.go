package tags

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
)

// Concern says that something else is known of an include than when the page was written.
func (e *Editor) Concern(i int) { e.concerned[i] = true }

// ConcernLibrary says that of all includes of a library.
func (e *Editor) ConcernLibrary(library string) {
	for i := range e.Includes {
		if library != "" && e.Library(i) == library {
			e.concerned[i] = true
		}
	}
}

// Finish puts tags that are to come, or of which something else is known now, where all constraints are kept that
// moving can keep. Where no place for a new one will do, what is in the way is moved, the fewest tags, and never one
// with its text on the page. What was wrong before stays as it was.
func (e *Editor) Finish(ctx context.Context) {
	fresh := slices.ContainsFunc(e.list, func(s slot) bool { return s.index < 0 && !s.moved })
	if !fresh && len(e.concerned) == 0 {
		return
	}
	items, positions := e.items()
	plain := make([]order.Item, len(items))
	slots := make([]slot, len(items))
	for i := range items {
		plain[i], slots[i] = items[i].Item, e.list[positions[i]]
	}
	ours := func(i int) bool { return slots[i].index < 0 || e.concerned[slots[i].index] }
	constraints, _ := e.scripts.Constraints(ctx, plain)
	broken := false
	edges := slices.DeleteFunc(constraints, func(c order.Constraint) bool {
		if order.StateOf(plain, c) != order.Broken {
			return false
		}
		mine := ours(c.Before) || ours(c.After)
		broken = broken || mine
		return !mine
	})
	if !broken {
		return
	}
	plan := order.RepairAround(plain, edges, func(i int) bool { return slots[i].index < 0 && !slots[i].moved },
		func(i int) bool { return plain[i].Inline })
	at := slices.Clone(positions)
	for _, m := range plan.Moves {
		e.shift(at, m)
		if slots[m.Item].index >= 0 {
			where := "before"
			if m.After {
				where = "after"
			}
			e.Messages = append(e.Messages, fmt.Sprintf("moved %s %s %s, because %s", plain[m.Item].Name, where,
				plain[m.Anchor].Name, why(plain, edges, m)))
		}
	}
}

// why is the reason for a move: a constraint that it fixes, or one that binds the tag to what made it necessary.
func why(items []order.Item, edges []order.Constraint, m order.Move) string {
	for _, c := range append(m.Why, edges...) {
		if c.Before == m.Item || c.After == m.Item {
			return c.Reason(items)
		}
	}
	return "a script there needs it"
}

// shift moves the slot of one item beside that of another. The positions of all items follow.
func (e *Editor) shift(at []int, m order.Move) {
	from := e.list[at[m.Item]]
	tags := []slot{from}
	if from.index >= 0 {
		indices := []int{from.index}
		if n, _ := e.FallbackOf(from.index); n >= 0 {
			indices = append(indices, n)
		}
		tags = nil
		items, positions := e.items()
		for _, i := range indices {
			what := item{Item: order.Item{Inert: true}}
			for k, p := range positions {
				if e.list[p].index == i {
					what = items[k]
				}
			}
			what.Name = cmp.Or(what.Name, moved(i))
			tags = append(tags, slot{tag: e.Tag(i), what: what, moved: true})
		}
		e.Remove(indices...)
	} else {
		e.withdraw(at, at[m.Item])
	}
	anchor := at[m.Anchor]
	to := e.list[anchor]
	spot := to.spot
	if to.index >= 0 {
		spot = page.Spot{Index: to.index, After: m.After}
		if n, _ := e.FallbackOf(to.index); m.After && n >= 0 {
			spot.Index, anchor = n, e.position(n)
		}
	}
	if m.After {
		anchor++
	}
	for k, s := range tags {
		s.spot = spot
		e.insertAt(anchor+k, s)
	}
	for i := range at {
		if at[i] >= anchor {
			at[i] += len(tags)
		}
	}
	at[m.Item] = anchor
}

// withdraw takes a slot out of the list, and lets positions follow.
func (e *Editor) withdraw(at []int, position int) {
	e.list = slices.Delete(e.list, position, position+1)
	for i := range at {
		if at[i] > position {
			at[i]--
		}
	}
}
