package order

import (
	"container/heap"
	"slices"
	"sort"
)

// A Move puts an item right before or right after another that stays where it is.
type Move struct {
	Item   int
	Anchor int
	After  bool
	Why    []Constraint // the constraints that made it necessary
}

// A Plan puts a page's items right.
type Plan struct {
	Moves []Move // in the order in which they are to be made
	// NotFewest says that the page is so tangled that fewer moves may do.
	NotFewest bool
	// Cycle is a circle of constraints, which no order can keep; then there are no moves.
	Cycle []Constraint
	// Stuck are broken constraints that no move can fix: a script that runs in place needs a deferred one, or one
	// of the two is async.
	Stuck []Constraint
}

// Repair finds the fewest moves after which all constraints are kept that moves can fix. Items that break no
// constraint keep their place. It runs in polynomial time; see fewestMoves.
func Repair(items []Item, constraints []Constraint) Plan {
	none := func(int) bool { return false }
	return RepairAround(items, constraints, none, none)
}

// RepairAround is Repair where some items are free, since they are about to come and may go anywhere, and others are
// fixed.
func RepairAround(items []Item, constraints []Constraint, free, fixed func(item int) bool) Plan {
	var plan Plan
	n := len(items)
	edges, stuck := movable(items, constraints)
	plan.Stuck = stuck
	if !slices.ContainsFunc(edges, func(c Constraint) bool { return c.Before > c.After }) {
		return plan
	}
	g := newNeeds(n, edges)
	if plan.Cycle = g.shortestCycle(); plan.Cycle != nil {
		return plan
	}
	loose := make([]bool, n)
	for i := range n {
		loose[i] = free(i)
	}
	moved, sequence := g.fewestMoves(items, loose, fixed)
	if moved == nil {
		return plan
	}
	plan.NotFewest = sequence != nil
	if sequence == nil {
		sequence = g.arrange(moved)
	}
	at := make([]int, n)
	for k, i := range sequence {
		at[i] = k
	}
	going := make([]bool, n)
	for _, m := range g.movesTo(sequence, moved) {
		k := at[m.Item]
		stays := loose[m.Item] && (k == 0 && m.Item == 0 || k > 0 && sequence[k-1] == m.Item-1 && !going[m.Item-1])
		if !stays {
			going[m.Item] = true
			plan.Moves = append(plan.Moves, m)
		}
	}
	return plan
}

// Cycle returns a shortest cycle of constraints between items that can move, nil if there is none.
func Cycle(items []Item, constraints []Constraint) []Constraint {
	edges, _ := movable(items, constraints)
	return newNeeds(len(items), edges).shortestCycle()
}

// movable returns the constraints that depend on where tags stand, and those that are broken wherever they stand.
func movable(items []Item, constraints []Constraint) (edges, stuck []Constraint) {
	for _, c := range constraints {
		switch before, after := phase(&items[c.Before]), phase(&items[c.After]); {
		case StateOf(items, c) == Race, before > after:
			stuck = append(stuck, c)
		case before == after:
			edges = append(edges, c)
		}
	}
	return edges, stuck
}

// needs is the graph of a page's constraints: what must come before what.
type needs struct {
	n       int
	edges   []Constraint
	out, in [][]int // of each item, indices of edges
}

func newNeeds(n int, edges []Constraint) *needs {
	g := &needs{n: n, edges: edges, out: make([][]int, n), in: make([][]int, n)}
	for k, e := range edges {
		g.out[e.Before] = append(g.out[e.Before], k)
		g.in[e.After] = append(g.in[e.After], k)
	}
	return g
}

// sorted lists the items such that every constraint is kept, each as early as the page's own order allows. The list
// is shorter than the page if there is a circle (Kahn's algorithm).
func (g *needs) sorted() []int {
	waits := make([]int, g.n)
	ready := &byPage{}
	for i := range g.n {
		if waits[i] = len(g.in[i]); waits[i] == 0 {
			heap.Push(ready, i)
		}
	}
	var list []int
	for ready.Len() > 0 {
		i := heap.Pop(ready).(int)
		list = append(list, i)
		for _, k := range g.out[i] {
			j := g.edges[k].After
			if waits[j]--; waits[j] == 0 {
				heap.Push(ready, j)
			}
		}
	}
	return list
}

// maxCycleStarts bounds from how many items a shortest circle is looked for: a page with more in circles has a short
// one that starts at one of the first, and any circle explains what is wrong.
const maxCycleStarts = 200

// shortestCycle returns a shortest circle of constraints, nil if there is none.
func (g *needs) shortestCycle() []Constraint {
	sorted := g.sorted()
	if len(sorted) == g.n {
		return nil
	}
	open := make([]bool, g.n) // can lie on a circle
	for i := range open {
		open[i] = true
	}
	for _, i := range sorted {
		open[i] = false
	}
	var best []Constraint
	starts := 0
	for start := range g.n {
		if !open[start] {
			continue
		}
		cycle := g.cycleFrom(start, open)
		if cycle != nil && (best == nil || len(cycle) < len(best)) {
			best = cycle
		}
		if starts++; starts >= maxCycleStarts && best != nil {
			break
		}
	}
	return best
}

// cycleFrom returns a shortest circle through an item, over open items.
func (g *needs) cycleFrom(start int, open []bool) []Constraint {
	from := map[int]int{} // of each item that was reached, the edge
	queue := []int{start}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, k := range g.out[at] {
			e := g.edges[k]
			if e.After == start {
				cycle := []Constraint{e}
				for at != start {
					cycle = append(cycle, g.edges[from[at]])
					at = g.edges[from[at]].Before
				}
				slices.Reverse(cycle)
				return cycle
			}
			if _, seen := from[e.After]; !seen && open[e.After] {
				from[e.After] = k
				queue = append(queue, e.After)
			}
		}
	}
	return nil
}

// reach marks what must come after an item, over others too, or before it.
func (g *needs) reach(i int, after bool) []bool {
	seen := make([]bool, g.n)
	queue := []int{i}
	for len(queue) > 0 {
		at := queue[len(queue)-1]
		queue = queue[:len(queue)-1]
		edges := g.in[at]
		if after {
			edges = g.out[at]
		}
		for _, k := range edges {
			j := g.edges[k].Before
			if after {
				j = g.edges[k].After
			}
			if !seen[j] {
				seen[j] = true
				queue = append(queue, j)
			}
		}
	}
	return seen
}

// arrange returns all items in an order that keeps the constraints, the unmoved ones in the page's own; each moved
// one as near to where it stood as that allows.
func (g *needs) arrange(moved []bool) []int {
	var list []int
	for i := range g.n {
		if !moved[i] {
			list = append(list, i)
		}
	}
	// Of the moved ones, those that others of them need come first.
	var order []int
	listed := make([]bool, g.n)
	var visit func(i int)
	visit = func(i int) {
		if listed[i] {
			return
		}
		listed[i] = true
		for _, k := range g.in[i] {
			if before := g.edges[k].Before; moved[before] {
				visit(before)
			}
		}
		order = append(order, i)
	}
	for i := range g.n {
		if moved[i] {
			visit(i)
		}
	}
	for _, i := range order {
		earlier, later := g.reach(i, false), g.reach(i, true)
		low, high, want := 0, len(list), 0
		for at, j := range list {
			if earlier[j] {
				low = at + 1
			}
			if high > at && later[j] {
				high = at
			}
			if j < i {
				want = at + 1
			}
		}
		list = slices.Insert(list, max(low, min(want, high)), i)
	}
	return list
}

// movesTo says the arrangement as moves: each moved item goes right after what comes before it, or, where it has to
// stand before what needs it and nothing else holds it, right before that.
func (g *needs) movesTo(list []int, moved []bool) []Move {
	var moves []Move
	for at, i := range list {
		if !moved[i] {
			continue
		}
		m := Move{Item: i}
		for _, k := range g.brokenAt(i) {
			m.Why = append(m.Why, g.edges[k])
		}
		switch {
		case at == len(list)-1:
			m.Anchor, m.After = list[at-1], true
		case at > 0 && (moved[list[at+1]] || g.directly(list[at-1], i)):
			// What comes next is not there yet, or what comes before holds it.
			m.Anchor, m.After = list[at-1], true
		case !moved[list[at+1]]:
			m.Anchor = list[at+1]
		default:
			for _, next := range list[1:] {
				if m.Anchor = next; !moved[next] {
					break
				}
			}
		}
		moves = append(moves, m)
	}
	return moves
}

// directly reports whether a constraint says that a comes before b. For neighbours in an order that keeps the
// constraints this is the same as over others: those would stand between the two.
func (g *needs) directly(a, b int) bool {
	return slices.ContainsFunc(g.in[b], func(k int) bool { return g.edges[k].Before == a })
}

// brokenAt lists an item's constraints that the page breaks, in the order of the edges.
func (g *needs) brokenAt(i int) []int {
	var list []int
	for _, k := range slices.Concat(g.in[i], g.out[i]) {
		if g.edges[k].Before > g.edges[k].After {
			list = append(list, k)
		}
	}
	slices.Sort(list)
	return list
}

// byPage is a heap of items for container/heap, with the first of the page on top.
type byPage struct{ sort.IntSlice }

func (h *byPage) Push(i any) { h.IntSlice = append(h.IntSlice, i.(int)) }

func (h *byPage) Pop() any {
	last := len(h.IntSlice) - 1
	i := h.IntSlice[last]
	h.IntSlice = h.IntSlice[:last]
	return i
}
