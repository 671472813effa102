package order

import (
	"maps"
	"slices"
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
	// Cycle is a circle of constraints, which no order can keep; then there are no moves.
	Cycle []Constraint
	// Stuck are broken constraints that no move can mend: a script that runs in place needs a deferred one, or one
	// of the two is async.
	Stuck []Constraint
}

// Repair finds the fewest moves after which all constraints are kept that moves can mend. What breaks none keeps its
// place.
func Repair(items []Item, constraints []Constraint) Plan {
	none := func(int) bool { return false }
	return RepairAround(items, constraints, none, none)
}

// RepairAround is Repair where some items are free, since they are about to come and may go anywhere, and others are fixed.
func RepairAround(items []Item, constraints []Constraint, free, fixed func(item int) bool) Plan {
	var plan Plan
	n := len(items)
	var edges []Constraint
	broken := false
	for _, c := range constraints {
		switch {
		case StateOf(items, c) == Race:
			plan.Stuck = append(plan.Stuck, c)
		case phase(&items[c.Before]) > phase(&items[c.After]):
			plan.Stuck = append(plan.Stuck, c)
		case phase(&items[c.Before]) < phase(&items[c.After]):
			// Kept wherever the two stand.
		default:
			broken = broken || c.Before > c.After
			edges = append(edges, c)
		}
	}
	if cycle := findCycle(n, edges); cycle != nil {
		plan.Cycle = cycle
		return plan
	}
	if !broken {
		return plan
	}
	loose := map[int]bool{}
	for i := range n {
		if free(i) {
			loose[i] = true
		}
	}
	moved := fewest(items, edges, loose, fixed)
	if moved == nil {
		return plan
	}
	sequence := arrange(n, edges, moved)
	going := map[int]bool{}
	for _, m := range movesTo(sequence, moved, edges) {
		at := slices.Index(sequence, m.Item)
		stays := loose[m.Item] && (at == 0 && m.Item == 0 || at > 0 && sequence[at-1] == m.Item-1 && !going[m.Item-1])
		if !stays {
			going[m.Item] = true
			plan.Moves = append(plan.Moves, m)
		}
	}
	return plan
}

// findCycle returns a shortest circle of constraints, nil where there is none.
func findCycle(n int, edges []Constraint) []Constraint {
	out := make([][]Constraint, n)
	for _, e := range edges {
		out[e.Before] = append(out[e.Before], e)
	}
	var best []Constraint
	for start := range n {
		from := make([]*Constraint, n)
		queue := []int{start}
		seen := make([]bool, n)
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for i := range out[at] {
				e := &out[at][i]
				if e.After == start {
					cycle := []Constraint{*e}
					for at != start {
						cycle = append(cycle, *from[at])
						at = from[at].Before
					}
					slices.Reverse(cycle)
					if best == nil || len(cycle) < len(best) {
						best = cycle
					}
					queue = nil
					break
				}
				if !seen[e.After] {
					seen[e.After], from[e.After] = true, e
					queue = append(queue, e.After)
				}
			}
		}
	}
	return best
}

// fewest finds the smallest set of items without which the rest can stay in the order of the page. The rest can when
// the constraints, with the page's order among the rest added, have no circle. Only items on such a circle are of
// interest, and pages are small: sets are tried by size; beyond four, the item with the most broken constraints goes
// until none is left.
func fewest(items []Item, edges []Constraint, free map[int]bool, fixed func(item int) bool) map[int]bool {
	n := len(items)
	candidates := slices.DeleteFunc(tangled(n, edges, free), fixed)
	for size := 0; size <= min(4, len(candidates)); size++ {
		var best map[int]bool
		var bestCost int
		choose(candidates, size, func(set []int) {
			moved := maps.Clone(free)
			cost := 0
			for _, i := range set {
				moved[i] = true
				cost += cost1(items[i], edges, i)
			}
			if (best == nil || cost < bestCost) && len(tangled(n, edges, moved)) == 0 {
				best, bestCost = moved, cost
			}
		})
		if best != nil {
			return best
		}
	}
	moved := maps.Clone(free)
	for {
		tangle := tangled(n, edges, moved)
		if len(tangle) == 0 {
			return moved
		}
		worst, most := -1, -1
		for _, i := range tangle {
			count := 0
			for _, e := range edges {
				if !moved[e.Before] && !moved[e.After] && e.Before > e.After && (e.Before == i || e.After == i) {
					count++
				}
			}
			if count > most && !fixed(i) && !moved[i] {
				worst, most = i, count
			}
		}
		if worst < 0 {
			return nil // what is fixed stands in the way
		}
		moved[worst] = true
	}
}

// cost1 prefers to move what is said by a tag alone over what stands on the page itself, and what needs over what is
// needed: a script that goes up may run before the elements that it looks for are there.
func cost1(it Item, edges []Constraint, i int) int {
	cost := 10
	if it.Inline {
		cost = 16
	}
	for _, e := range edges {
		if e.Before == i && e.Before > e.After {
			cost++
		}
	}
	return cost
}

func choose(list []int, size int, visit func([]int)) {
	set := make([]int, 0, size)
	var rec func(from int)
	rec = func(from int) {
		if len(set) == size {
			visit(set)
			return
		}
		for i := from; i < len(list); i++ {
			set = append(set, list[i])
			rec(i + 1)
			set = set[:len(set)-1]
		}
	}
	rec(0)
}

// tangled lists the items that lie on a circle of the constraints and the page's own order among those that are not
// moved.
func tangled(n int, edges []Constraint, moved map[int]bool) []int {
	next := make([][]int, n)
	for _, e := range edges {
		next[e.Before] = append(next[e.Before], e.After)
	}
	last := -1
	for i := range n {
		if moved[i] {
			continue
		}
		if last >= 0 {
			next[last] = append(next[last], i)
		}
		last = i
	}
	// Strongly connected components, by Tarjan's algorithm.
	index, low := make([]int, n), make([]int, n)
	on := make([]bool, n)
	var stack, out []int
	count := 0
	var visit func(v int)
	visit = func(v int) {
		count++
		index[v], low[v] = count, count
		stack, on[v] = append(stack, v), true
		for _, w := range next[v] {
			if index[w] == 0 {
				visit(w)
				low[v] = min(low[v], low[w])
			} else if on[w] {
				low[v] = min(low[v], index[w])
			}
		}
		if low[v] == index[v] {
			at := slices.Index(stack, v)
			if len(stack)-at > 1 {
				out = append(out, stack[at:]...)
			}
			for _, w := range stack[at:] {
				on[w] = false
			}
			stack = stack[:at]
		}
	}
	for v := range n {
		if index[v] == 0 {
			visit(v)
		}
	}
	slices.Sort(out)
	return out
}

// arrange returns all items in an order that keeps the constraints, the unmoved ones in the page's own; each moved
// one as near to where it stood as that allows.
func arrange(n int, edges []Constraint, moved map[int]bool) []int {
	var list []int
	for i := range n {
		if !moved[i] {
			list = append(list, i)
		}
	}
	// Of the moved ones, those that others of them need come first.
	var order []int
	var visit func(i int)
	visit = func(i int) {
		if slices.Contains(order, i) {
			return
		}
		for _, e := range edges {
			if e.After == i && moved[e.Before] {
				visit(e.Before)
			}
		}
		order = append(order, i)
	}
	for i := range n {
		if moved[i] {
			visit(i)
		}
	}
	for _, i := range order {
		low, high := 0, len(list)
		for at, j := range list {
			if reaches(edges, j, i) {
				low = at + 1
			}
			if high > at && reaches(edges, i, j) {
				high = at
			}
		}
		want := 0
		for at, j := range list {
			if j < i {
				want = at + 1
			}
		}
		list = slices.Insert(list, max(low, min(want, high)), i)
	}
	return list
}

// reaches tells whether a must come before b, over others too.
func reaches(edges []Constraint, a, b int) bool {
	seen := map[int]bool{a: true}
	queue := []int{a}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, e := range edges {
			if e.Before == at && !seen[e.After] {
				if e.After == b {
					return true
				}
				seen[e.After] = true
				queue = append(queue, e.After)
			}
		}
	}
	return false
}

// movesTo says the arrangement as moves: each moved item goes right after what comes before it, or, where it has to
// stand before what needs it and nothing else holds it, right before that.
func movesTo(list []int, moved map[int]bool, edges []Constraint) []Move {
	var moves []Move
	for at, i := range list {
		if !moved[i] {
			continue
		}
		m := Move{Item: i}
		for _, e := range edges {
			if (e.Before == i || e.After == i) && e.Before > e.After {
				m.Why = append(m.Why, e)
			}
		}
		heldFrom := func(j int) bool { return reaches(edges, j, i) }
		switch {
		case at > 0 && (heldFrom(list[at-1]) || at == len(list)-1):
			m.Anchor, m.After = list[at-1], true
		default:
			m.Anchor = list[at+1]
			switch {
			case !moved[m.Anchor]:
			case at > 0: // what comes next is not there yet
				m.Anchor, m.After = list[at-1], true
			default:
				for _, next := range list[1:] {
					if m.Anchor = next; !moved[next] {
						break
					}
				}
			}
		}
		moves = append(moves, m)
	}
	return moves
}
