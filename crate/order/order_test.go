package order

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// page reads a page written in short: one word an item, NAME>defined,defined<needed,needed with d: for deferred, a: for
// async, s: for a library's stylesheet and o: for an own one.
func page(text string) []Item {
	var items []Item
	for _, w := range strings.Fields(text) {
		it := Item{}
		for len(w) > 1 && w[1] == ':' {
			switch w[0] {
			case 'd':
				it.Phase = Deferred
			case 'a':
				it.Phase = AnyTime
			case 's':
				it.Style, it.Library = true, w[2:]
			case 'o':
				it.Style, it.Own = true, true
			case 'i':
				it.Inline = true
			}
			w = w[2:]
		}
		w, needs, _ := strings.Cut(w, "<")
		it.Name, w, _ = strings.Cut(w, ">")
		it.Defines = NamesOf(strings.FieldsFunc(w, func(r rune) bool { return r == ',' })...)
		for _, n := range strings.FieldsFunc(needs, func(r rune) bool { return r == ',' }) {
			it.Needs = append(it.Needs, Need{Global: n, Where: it.Name + ":1:1"})
		}
		items = append(items, it)
	}
	return items
}

func names(items []Item, order []int) string {
	var list []string
	for _, i := range order {
		list = append(list, items[i].Name)
	}
	return strings.Join(list, " ")
}

// applied applies a plan's moves on the items' order.
func applied(items []Item, plan Plan) []int {
	list := make([]int, len(items))
	for i := range items {
		list[i] = i
	}
	for _, m := range plan.Moves {
		list = slices.DeleteFunc(list, func(i int) bool { return i == m.Item })
		at := slices.Index(list, m.Anchor)
		if m.After {
			at++
		}
		list = slices.Insert(list, at, m.Item)
	}
	return list
}

func TestRepair(t *testing.T) {
	for _, tt := range []struct{ name, page, want, moved string }{
		{"in order", "a>A b<A c", "a b c", ""},
		{"two the wrong way round", "b<A a>A", "a b", "b"},
		{"the needed one last of many", "b<A c<A d<A a>A", "a b c d", "a"},
		{"the needing one first of many", "b<A,C,D a>A c>C d>D", "a c d b", "b"},
		{"what is not concerned stays", "x b<A y a>A z", "x y a b z", "b"},
		{"a chain turned round", "c<B b>B<A a>A", "a b c", "b c"},
		{"deferred runs later by itself", "d:b<A a>A", "b a", ""},
		{"an own style above the library's", "o:own s:lib x", "lib own x", "own"},
		{"inline scripts stay where tags can move", "i:b<A a>A", "a b", "a"},
	} {
		items := page(tt.page)
		constraints, _ := Find(items, Rules{})
		plan := Repair(items, constraints)
		var moved []string
		for _, m := range plan.Moves {
			moved = append(moved, items[m.Item].Name)
			if len(m.Why) == 0 && tt.moved == "" {
				t.Errorf("%s: a move without a reason", tt.name)
			}
		}
		slices.Sort(moved)
		if got := names(items, applied(items, plan)); got != tt.want || strings.Join(moved, " ") != tt.moved {
			t.Errorf("%s: %s by moving %s, want %s by moving %s", tt.name, got, moved, tt.want, tt.moved)
		}
	}
}

func TestRepairCanNot(t *testing.T) {
	items := page("a>A<B b>B<C c>C<A d<A")
	constraints, _ := Find(items, Rules{})
	plan := Repair(items, constraints)
	if len(plan.Cycle) != 3 || len(plan.Moves) > 0 {
		t.Fatalf("a circle of three: %+v", plan)
	}
	for i, c := range plan.Cycle {
		if c.After != plan.Cycle[(i+1)%3].Before {
			t.Errorf("the circle is none: %+v", plan.Cycle)
		}
	}
	if r := plan.Cycle[0].Reason(items); !strings.Contains(r, " uses ") || !strings.Contains(r, ":1:1") {
		t.Errorf("the reason is %q", r)
	}
	for _, text := range []string{"b<A d:a>A", "b<A a:a>A", "a>A a:a>A b<A"} {
		items := page(text)
		constraints, _ := Find(items, Rules{})
		plan := Repair(items, constraints)
		if len(plan.Moves) > 0 || (len(plan.Stuck) == 1) != (text[0] == 'b') {
			t.Errorf("%s: %+v", text, plan)
		}
	}
}

func TestFind(t *testing.T) {
	items := page("s:base o:club x<None a>A,B b<B,A")
	items = append(items, Item{Name: "one.js", Library: "one"}, Item{Name: "two.js", Library: "two"},
		Item{Name: "inert.js", Inert: true, Needs: []Need{{Global: "Nothing"}}})
	list, absent := Find(items, Rules{Needs: func(l string) []string { return map[string][]string{"one": {"two"}}[l] },
		Own: []string{"b", "x"}})
	var got []string
	for _, c := range list {
		got = append(got, fmt.Sprint(items[c.Before].Name, "<", items[c.After].Name, " ", c.Kind, " ",
			StateOf(items, c)))
		if c.Reason(items) == "" {
			t.Errorf("%+v has no reason", c)
		}
	}
	want := "a<b reads kept; two.js<one.js declared broken; base<club styles kept; b<x own broken"
	if strings.Join(got, "; ") != want {
		t.Errorf("constraints %s, want %s", strings.Join(got, "; "), want)
	}
	if len(absent) != 1 || absent[0].Need.Global != "None" {
		t.Errorf("absent: %+v", absent)
	}
	if got := names(items, Sequence(page("d:late now a:any later"))); got == "" {
		t.Error("no sequence")
	}
	mixed := page("d:late now a:any d:last later")
	if got := names(mixed, Sequence(mixed)); got != "now any later late last" {
		t.Errorf("they take effect as %s", got)
	}
}

// TestParts: members of a shared global are given before they are used, if both are on the page, and are nobody's
// affair if not.
func TestParts(t *testing.T) {
	items := []Item{{Name: "use", PartNeeds: []Need{{Global: "Race.Boat"}, {Global: "Race.Nobody"}}},
		{Name: "give", Parts: NamesOf("Race.Boat")}, {Name: "both", Parts: NamesOf("Race.Boat"),
			PartNeeds: []Need{{Global: "Race.Boat"}}}}
	list, absent := Find(items, Rules{})
	if len(list) != 1 || list[0].Before != 1 || list[0].After != 0 || len(absent) > 0 {
		t.Errorf("%+v %+v", list, absent)
	}
	if got := names(items, applied(items, Repair(items, list))); got != "give use both" {
		t.Errorf("repaired to %s", got)
	}
}

// TestRepairIsMinimal holds the moves against the smallest number that trying everything finds, on random pages.
func TestRepairIsMinimal(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for round := range 400 {
		n := 3 + r.IntN(4)
		perm := r.Perm(n)
		items := make([]Item, n)
		for i := range items {
			items[i] = Item{Name: fmt.Sprint("f", i), Defines: NamesOf(fmt.Sprint("G", i))}
		}
		for range 1 + r.IntN(n+2) {
			a, b := r.IntN(n), r.IntN(n)
			if perm[a] < perm[b] { // some order keeps all
				items[b].Needs = append(items[b].Needs, Need{Global: fmt.Sprint("G", a)})
			}
		}
		constraints, _ := Find(items, Rules{})
		plan := Repair(items, constraints)
		list := applied(items, plan)
		for _, c := range constraints {
			if slices.Index(list, c.Before) > slices.Index(list, c.After) {
				t.Fatalf("round %d: %s is not kept in %v", round, c.Reason(items), names(items, list))
			}
		}
		if best := fewestByTrying(n, constraints); len(plan.Moves) != best {
			t.Fatalf("round %d: %d moves, and %d would do", round, len(plan.Moves), best)
		}
	}
}

// fewestByTrying is n less the longest part of the page's order that some order of all keeps.
func fewestByTrying(n int, constraints []Constraint) int {
	best := n
	var visit func(list []int, used int)
	visit = func(list []int, used int) {
		if len(list) == n {
			best = min(best, n-longestRising(list))
			return
		}
		for i := range n {
			if used&(1<<i) != 0 || slices.ContainsFunc(constraints, func(c Constraint) bool {
				return c.After == i && used&(1<<c.Before) == 0
			}) {
				continue
			}
			visit(append(slices.Clone(list), i), used|1<<i)
		}
	}
	visit(nil, 0)
	return best
}

func longestRising(list []int) int {
	length := make([]int, len(list))
	best := 0
	for i := range list {
		length[i] = 1
		for j := range i {
			if list[j] < list[i] {
				length[i] = max(length[i], length[j]+1)
			}
		}
		best = max(best, length[i])
	}
	return best
}

func TestStateOf(t *testing.T) {
	for text, want := range map[string]State{
		"a>A b<A": Kept, "b<A a>A": Broken, "d:b<A a>A": Kept, "d:a>A b<A": Broken, "d:a>A d:b<A": Kept,
		"d:b<A d:a>A": Broken,
		"a:a>A b<A":   Race, "a>A a:b<A": Kept, "a:b<A a>A": Race, "d:a>A a:b<A": Race,
	} {
		items := page(text)
		list, _ := Find(items, Rules{})
		if len(list) != 1 || StateOf(items, list[0]) != want {
			t.Errorf("%s: %+v is %s, want %s", text, list, StateOf(items, list[0]), want)
		}
	}
}

// TestManyItems: a page of many scripts in the worst order is repaired, in a time that nobody notices.
func TestManyItems(t *testing.T) {
	var words []string
	const n = 60
	for i := n - 1; i >= 0; i-- {
		w := fmt.Sprintf("f%d>G%d", i, i)
		if i > 0 {
			w += fmt.Sprintf("<G%d", i-1)
		}
		words = append(words, w)
	}
	items := page(strings.Join(words, " "))
	list, _ := Find(items, Rules{})
	plan := Repair(items, list)
	sequence := applied(items, plan)
	for _, c := range list {
		if slices.Index(sequence, c.Before) > slices.Index(sequence, c.After) {
			t.Fatalf("%s is not kept", c.Reason(items))
		}
	}
	if len(plan.Moves) != n-1 {
		t.Errorf("%d moves", len(plan.Moves))
	}
}

// TestRepairAround: what is about to come goes anywhere, what is fixed stays, and as little as can be of the rest
// moves.
func TestRepairAround(t *testing.T) {
	items := page("a<x b new>x<y c>y")
	all, _ := Find(items, Rules{})
	free := func(i int) bool { return i == 2 }
	none := func(int) bool { return false }
	plan := RepairAround(items, all, free, none)
	if got := applied(items, plan); !kept(items, all, got) {
		t.Errorf("repaired to %v by %+v", got, plan.Moves)
	}
	moved := 0
	for _, m := range plan.Moves {
		if m.Item != 2 {
			moved++
		}
	}
	if moved != 1 {
		t.Errorf("%d of what is there move: %+v", moved, plan.Moves)
	}
	if plan := RepairAround(items, all, free, func(i int) bool { return i == 0 || i == 3 }); len(plan.Moves) != 0 {
		t.Errorf("with both ends fixed there are moves: %+v", plan.Moves)
	}
}

// kept reports whether a sequence of items keeps all constraints.
func kept(items []Item, all []Constraint, sequence []int) bool {
	for _, c := range all {
		if slices.Index(sequence, c.Before) > slices.Index(sequence, c.After) {
			return false
		}
	}
	return len(sequence) == len(items)
}

// TestRepairOfManyItems: a thousand items in the worst order are repaired exactly, and ten thousand with an order that
// keeps all constraints. Both would take years if sets of items were tried.
func TestRepairOfManyItems(t *testing.T) {
	for _, tt := range []struct {
		n         int
		notFewest bool
	}{{1000, false}, {10_000, true}} {
		items := make([]Item, tt.n)
		for i := range items {
			items[i] = Item{Name: fmt.Sprint("f", i), Inline: true, Defines: NamesOf(fmt.Sprint("v", i))}
			if i+1 < tt.n {
				items[i].Needs = []Need{{Global: fmt.Sprint("v", i+1)}}
			}
		}
		list, _ := Find(items, Rules{})
		plan := Repair(items, list)
		if len(plan.Moves) != tt.n-1 || plan.NotFewest != tt.notFewest {
			t.Fatalf("%d items: %d moves, not the fewest: %v", tt.n, len(plan.Moves), plan.NotFewest)
		}
		if tt.n > 1000 {
			continue // carrying the moves out takes longer than finding them
		}
		if got := applied(items, plan); !kept(items, list, got) {
			t.Errorf("%d items: the order does not keep the constraints", tt.n)
		}
	}
}

// TestRepairPrefers: of equally many moves, tags move rather than texts on the page, and what needs rather than what is
// needed; what is fixed stays.
func TestRepairPrefers(t *testing.T) {
	items := page("i:a<B b>B")
	list, _ := Find(items, Rules{})
	if plan := Repair(items, list); len(plan.Moves) != 1 || plan.Moves[0].Item != 1 {
		t.Errorf("the text moves: %+v", plan.Moves)
	}
	items = page("a<B b>B")
	list, _ = Find(items, Rules{})
	none := func(int) bool { return false }
	if plan := RepairAround(items, list, none, none); len(plan.Moves) != 1 || plan.Moves[0].Item != 0 {
		t.Errorf("what is needed moves: %+v", plan.Moves)
	}
	if plan := RepairAround(items, list, none, func(i int) bool { return i == 0 }); len(plan.Moves) != 1 ||
		plan.Moves[0].Item != 1 {
		t.Errorf("what is fixed moves: %+v", plan.Moves)
	}
}

// TestConstraintsAreTold: nothing comes before itself, and of equal stylesheets of a library the last one counts.
func TestConstraintsAreTold(t *testing.T) {
	items := []Item{
		{Name: "lib.css", Style: true, Library: "lib"}, {Name: "own.css", Style: true, Own: true},
		{Name: "lib.css", Style: true, Library: "lib"},
		{Name: "self.js", Defines: NamesOf("self"), Needs: []Need{{Global: "self"}}},
	}
	list, _ := Find(items, Rules{})
	if len(list) != 1 || list[0].Before != 2 || list[0].After != 1 || list[0].Kind != Styles {
		t.Errorf("%+v", list)
	}
}

// TestCircleHasNoMoves: where constraints go round in a circle nothing is moved, also where something else is out of
// order.
func TestCircleHasNoMoves(t *testing.T) {
	items := page("a<B b>B<C c>C<B d<E e>E")
	list, _ := Find(items, Rules{})
	if plan := Repair(items, list); len(plan.Cycle) != 2 || len(plan.Moves) > 0 {
		t.Errorf("%+v", plan)
	}
}

// TestFewestBeforeCheapest: one text on the page moves rather than two tags, though that costs more: five that come
// need it, too.
func TestFewestBeforeCheapest(t *testing.T) {
	items := page("l1<P l2<P l3<P l4<P l5<P b<P c<P i:z>P")
	list, _ := Find(items, Rules{})
	free := func(i int) bool { return i < 5 }
	moved := map[string]bool{}
	for _, m := range RepairAround(items, list, free, func(int) bool { return false }).Moves {
		moved[items[m.Item].Name] = true
	}
	if !moved["z"] || moved["b"] || moved["c"] {
		t.Errorf("moved are %v", moved)
	}
}
