package inspect

import (
	"context"
	"fmt"
	"slices"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/pageload"
	"merrycrate.example/merry/crate/rehearsals"
	"merrycrate.example/merry/crate/tags"
)

// A trial tries orders of one page's tags in the sandbox. Reading tells what a script needs when it begins; what its
// functions need that are called while the page loads, only a run tells.
type trial struct {
	c     *inspection
	v     *tags.Page // as it stands before tags are moved
	items []order.Item
}

// maxTrials is how many orders of one page are tried.
const maxTrials = 6

// repair is the plan that keeps some constraints, and those that runs of the page show. Where with every such plan a
// script stops that did not before, there are no moves, and refused says which.
func (t *trial) repair(ctx context.Context, constraints []order.Constraint) (best order.Plan, refused string,
	err error) {
	plan := order.Repair(t.items, constraints)
	before, err := t.stops(ctx, t.v)
	if err != nil || len(plan.Moves) == 0 && len(before) == 0 {
		return plan, "", err
	}
	best = order.Plan{Cycle: plan.Cycle, Stuck: plan.Stuck}
	fewest, worse := len(before), ""
	var found []order.Constraint
	for n := 0; n < maxTrials; n++ {
		after := before
		if len(plan.Moves) > 0 {
			moved, err := t.moved(plan)
			if err != nil {
				return plan, "", nil // who writes the page will say why that can't be
			}
			if after, err = t.stops(ctx, moved); err != nil {
				return best, "", err
			}
			if name := first(after, before); name != "" {
				worse = name
			} else if len(after) < fewest || len(after) == fewest && len(best.Moves) == 0 {
				best, fewest = plan, len(after)
			}
		}
		more := t.shown(after, slices.Concat(constraints, found))
		if len(more) == 0 {
			break
		}
		found = append(found, more...)
		plan = order.Repair(t.items, slices.Concat(constraints, found))
		if len(plan.Cycle) > 0 {
			break
		}
	}
	if len(best.Moves) == 0 && len(plan.Moves) > 0 && worse != "" {
		refused = fmt.Sprintf("with its tags in order, %s; so nothing was moved", worse)
	}
	return best, refused, nil
}

// A stop is a script that stops while the page loads.
type stop struct {
	item   int    // of the page as it stood
	global string // that was not there, "" where something else is the reason
	where  string
	words  string
}

// stops runs a page, which has the tags of the trial's page in whatever order, and lists the scripts that stop.
func (t *trial) stops(ctx context.Context, v *tags.Page) ([]stop, error) {
	runner := &rehearsals.Runner{P: t.c.p, Scripts: t.c.scripts, Staging: t.c.staging, Leads: t.c.leads}
	faults, err := runner.Stops(ctx, v)
	if err != nil {
		return nil, err
	}
	at := t.positions(v)
	var list []stop
	for _, f := range faults {
		if i, known := at[f.Include]; known {
			list = append(list, stop{i, f.Global, f.Where, f.Words})
		}
	}
	return list, nil
}

// positions tells of the scripts of a page with the same tags in whatever order, which of the trial's page they are.
func (t *trial) positions(v *tags.Page) map[int]int {
	free := map[string][]int{}
	for _, i := range pageload.Scripts(t.v) {
		key := t.v.Text(i)
		free[key] = append(free[key], i)
	}
	at := map[int]int{}
	for _, i := range pageload.Scripts(v) {
		if list := free[v.Text(i)]; len(list) > 0 {
			at[i], free[v.Text(i)] = list[0], list[1:]
		}
	}
	return at
}

// moved is the trial's page with its tags moved as a plan says.
func (t *trial) moved(plan order.Plan) (*tags.Page, error) {
	v, err := tags.ReadFrom(t.c.p, t.v.Path, t.v.From, t.v.Bytes)
	if err != nil {
		return nil, err
	}
	e := tags.NewEditor(t.c.p, t.c.scripts, v)
	e.Reorder(t.items, plan)
	b, err := e.Bytes()
	if err != nil {
		return nil, err
	}
	return tags.ReadFrom(t.c.p, t.v.Path, t.v.From, b)
}

// shown are the constraints that stops show and that are not known: who defines what was missing comes before the
// script that stopped.
func (t *trial) shown(stops []stop, known []order.Constraint) []order.Constraint {
	var list []order.Constraint
	for _, s := range stops {
		for j := range t.items {
			if s.global == "" || j == s.item || t.items[j].Inert || !t.items[j].Defines.Has(s.global) ||
				t.items[j].Phase != t.items[s.item].Phase || slices.ContainsFunc(known, func(k order.Constraint) bool {
				return k.Before == j && k.After == s.item
			}) {
				continue
			}
			list = append(list, order.Constraint{Before: j, After: s.item, Kind: order.Reads, Global: s.global,
				Where: s.where})
			break
		}
	}
	return list
}

// first is a script of some that stop which does not stop among others, in words.
func first(stops, others []stop) string {
	for _, s := range stops {
		if !slices.ContainsFunc(others, func(o stop) bool { return o.item == s.item }) {
			return s.words
		}
	}
	return ""
}
