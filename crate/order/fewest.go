package order

import (
	"iter"
	"math"
	"math/bits"
	"slices"
)

// Up to these numbers the fewest moves are found exactly, in well under a second; above them an order is found in time
// n log n that may take more moves.
const (
	maxExactItems    = 2000    // items with constraints
	maxExactInverted = 2 << 20 // pairs that stand the wrong way round
)

// fewestMoves finds a set of items without which the rest can stay in the order of the page: the smallest, and of
// equal ones the cheapest to move. Loose items are moved in any case, fixed ones never. It returns nil if fixed items
// contradict each other.
//
// Two items are inverted if the second of the page must come before the first, over others too. The rest can stay if
// no two of it are inverted. Being inverted is transitive, so it is a partial order, and what stays is an antichain of
// it: the heaviest one, which a maximum flow finds (Dilworth's theorem, with weights).
//
// A page too large for that gets an order that keeps the constraints, as sequence; what stays is the longest part
// of it that is in the order of the page.
func (g *needs) fewestMoves(items []Item, loose []bool, fixed func(item int) bool) (moved []bool, sequence []int) {
	var bound []int // items with constraints, each after those that it needs
	for _, i := range g.sorted() {
		if len(g.in[i])+len(g.out[i]) > 0 {
			bound = append(bound, i)
		}
	}
	var inverted [][2]int
	ok := len(bound) <= maxExactItems
	if ok {
		inverted, ok = g.inverted(bound, loose)
	}
	if !ok {
		return g.longestKept(loose, fixed)
	}
	moved = slices.Clone(loose)
	if len(inverted) == 0 {
		return moved, nil
	}
	if slices.ContainsFunc(inverted, func(p [2]int) bool { return fixed(p[0]) && fixed(p[1]) }) {
		return nil, nil
	}
	for _, i := range g.cheapestCover(items, inverted, fixed) {
		moved[i] = true
	}
	return moved, nil
}

// inverted lists the pairs of items, in the page's order, of which the second must come before the first. It stops,
// with ok false, at too many.
func (g *needs) inverted(bound []int, loose []bool) (pairs [][2]int, ok bool) {
	rank := make([]int, g.n)
	for k, i := range bound {
		rank[i] = k
	}
	earlier := make([]bitset, len(bound)) // of each item, those that must come before it
	for k, i := range bound {
		earlier[k] = newBitset(len(bound))
		for _, e := range g.in[i] {
			before := rank[g.edges[e].Before]
			earlier[k].add(before)
			earlier[k].union(earlier[before])
		}
		if loose[i] {
			continue
		}
		for before := range earlier[k].all() {
			if j := bound[before]; j > i && !loose[j] {
				pairs = append(pairs, [2]int{i, j})
			}
		}
		if len(pairs) > maxExactInverted {
			return nil, false
		}
	}
	return pairs, true
}

// cheapestCover returns the items to move so that no inverted pair stays whole: as few as can be, then with the least
// cost, then those that stand first.
func (g *needs) cheapestCover(items []Item, inverted [][2]int, fixed func(item int) bool) []int {
	index := map[int]int{}
	var list []int
	for _, p := range inverted {
		for _, i := range p {
			if _, ok := index[i]; !ok {
				index[i] = 0
				list = append(list, i)
			}
		}
	}
	slices.Sort(list)
	n := int64(len(list))
	weight := make([]int64, n)
	total := int64(1)
	for k, i := range list {
		index[i] = k
		weight[k] = g.moveCost(items[i], i)*n*n + int64(k)
		total += weight[k]
	}
	for k := range weight {
		weight[k] += total // one move less is worth any difference in cost
	}
	for k, i := range list {
		if fixed(i) {
			weight[k] = 2 * n * total
		}
	}
	// Each item has a left copy that the source feeds and a right copy that feeds the sink, both up to its weight. Flow
	// runs from left copies to right copies of inverted items, and on through those, so that neighbours of the partial
	// order are enough.
	left := func(k int) int { return 2 + 2*k }
	right := func(k int) int { return 3 + 2*k }
	f := newFlow(2 + 2*len(list))
	for k, w := range weight {
		f.join(source, left(k), w)
		f.join(right(k), sink, w)
		f.join(right(k), left(k), unlimited/2)
	}
	for _, p := range neighbours(list, index, inverted) {
		f.join(left(p[0]), right(p[1]), unlimited/2)
	}
	f.run()
	var moved []int
	for k, i := range list {
		if f.level[left(k)] < 0 || f.level[right(k)] >= 0 { // the least cut goes through it
			moved = append(moved, i)
		}
	}
	return moved
}

// neighbours lists, by their indices, the pairs that no other item lies between: all others follow from them.
func neighbours(list []int, index map[int]int, inverted [][2]int) [][2]int {
	after := make([]bitset, len(list))
	for k := range after {
		after[k] = newBitset(len(list))
	}
	for _, p := range inverted {
		after[index[p[0]]].add(index[p[1]])
	}
	var pairs [][2]int
	covered := newBitset(len(list))
	for k := range list {
		clear(covered)
		for j := range after[k].all() {
			if !covered.has(j) {
				pairs = append(pairs, [2]int{k, j})
				covered.union(after[j])
			}
		}
	}
	return pairs
}

// bitset is a set of small numbers.
type bitset []uint64

func newBitset(n int) bitset { return make(bitset, (n+63)/64) }

func (b bitset) add(i int)      { b[i/64] |= 1 << (i % 64) }
func (b bitset) has(i int) bool { return b[i/64]&(1<<(i%64)) != 0 }

func (b bitset) union(c bitset) {
	for w := range c {
		b[w] |= c[w]
	}
}

// all lists the numbers in rising order.
func (b bitset) all() iter.Seq[int] {
	return func(yield func(int) bool) {
		for w, word := range b {
			for ; word != 0; word &= word - 1 {
				if !yield(w*64 + bits.TrailingZeros64(word)) {
					return
				}
			}
		}
	}
}

// The cost of moving an item, in steps of a broken constraint. A tag alone is moved rather than a script whose text is
// on the page; an item that needs rather than the one that it needs, since a script that goes up may run before the
// elements that it looks for are there.
const (
	costOfTag    = 10
	costOfInline = 16
)

func (g *needs) moveCost(it Item, i int) int64 {
	cost := int64(costOfTag)
	if it.Inline {
		cost = costOfInline
	}
	for _, k := range g.out[i] {
		if i > g.edges[k].After {
			cost++
		}
	}
	return cost
}

// longestKept returns an order that keeps the constraints, and as moved all items but those of its heaviest part
// that is in the order of the page. It returns nil if a fixed item would move.
func (g *needs) longestKept(loose []bool, fixed func(item int) bool) (moved []bool, sequence []int) {
	sequence = g.sorted()
	best := make([]rising, g.n+1) // a Fenwick tree over the page: the heaviest part that ends at or before a place
	from := make([]int, g.n)
	var end rising
	end.last = -1
	for i := range best {
		best[i].last = -1
	}
	for _, i := range sequence {
		if loose[i] {
			continue
		}
		part := rising{last: -1}
		for at := i; at > 0; at &= at - 1 {
			part = part.heavier(best[at])
		}
		from[i] = part.last
		part.weight++
		if fixed(i) {
			part.weight += g.n
		}
		part.last = i
		for at := i + 1; at <= g.n; at += at & -at {
			best[at] = best[at].heavier(part)
		}
		end = end.heavier(part)
	}
	moved = make([]bool, g.n)
	for i := range moved {
		moved[i] = true
	}
	for i := end.last; i >= 0; i = from[i] {
		moved[i] = false
	}
	for i, m := range moved {
		if m && fixed(i) {
			return nil, nil
		}
	}
	return moved, sequence
}

// rising is a part of a sequence that is in the page's order: its weight and its last item.
type rising struct{ weight, last int }

func (a rising) heavier(b rising) rising {
	if b.weight > a.weight {
		return b
	}
	return a
}

// flow is a network in which a maximum flow is sought. Node 0 is its source and node 1 its sink.
type flow struct {
	arcs  [][]arc // of each node; arcs come in pairs, one each way
	level []int   // of each node, the distance from the source; -1 is not reached
	next  []int   // of each node, the arc to try next
}

type arc struct {
	to    int
	spare int64 // capacity that is left over
	back  int   // the other arc of the pair, among those of to
}

const (
	source    = 0
	sink      = 1
	unlimited = math.MaxInt64
)

func newFlow(nodes int) *flow {
	return &flow{make([][]arc, nodes), make([]int, nodes), make([]int, nodes)}
}

func (f *flow) join(from, to int, capacity int64) {
	f.arcs[from] = append(f.arcs[from], arc{to, capacity, len(f.arcs[to])})
	f.arcs[to] = append(f.arcs[to], arc{from, 0, len(f.arcs[from]) - 1})
}

// run finds a maximum flow (Dinic's algorithm), and leaves the levels of what the source still reaches.
func (f *flow) run() {
	for f.levels() {
		clear(f.next)
		f.push(source, unlimited)
	}
}

// levels numbers the nodes by their distance from the source, and reports whether the sink can be reached.
func (f *flow) levels() bool {
	for v := range f.level {
		f.level[v] = -1
	}
	f.level[source] = 0
	for queue := []int{source}; len(queue) > 0; {
		v := queue[0]
		queue = queue[1:]
		for _, a := range f.arcs[v] {
			if a.spare > 0 && f.level[a.to] < 0 {
				f.level[a.to] = f.level[v] + 1
				queue = append(queue, a.to)
			}
		}
	}
	return f.level[sink] >= 0
}

// push sends up to amount from a node to the sink, away from the source, and returns what went.
func (f *flow) push(v int, amount int64) (sent int64) {
	if v == sink {
		return amount
	}
	for ; f.next[v] < len(f.arcs[v]); f.next[v]++ {
		a := &f.arcs[v][f.next[v]]
		if a.spare == 0 || f.level[a.to] != f.level[v]+1 {
			continue
		}
		went := f.push(a.to, min(amount-sent, a.spare))
		a.spare -= went
		f.arcs[a.to][a.back].spare += went
		if sent += went; sent == amount {
			break // this arc may take more
		}
	}
	return sent
}
