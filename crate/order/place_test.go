package order

import (
	"fmt"
	"math/rand"
	"slices"
	"testing"
)

func TestPlace(t *testing.T) {
	needs := func(g string) []Need { return []Need{{Global: g}} }
	page := []Item{{Name: "core", Library: "core", Defines: NamesOf("core")}, {Name: "plugin", Library: "plugin",
		Needs: needs("base")}, {Name: "own", Own: true}}
	for _, tt := range []struct {
		name   string
		item   Item
		habits []Constraint
		index  int
		after  bool
	}{
		{"nothing binds it", Item{Name: "x"}, nil, -1, false},
		{"behind what it needs", Item{Name: "x", Needs: needs("core")}, nil, 0, true},
		{"before what needs it", Item{Name: "base", Library: "base", Defines: NamesOf("base")}, nil, 1, false},
		{"a habit", Item{Name: "x"}, []Constraint{{Before: 3, After: 2}}, 2, false},
		{"a need over a habit", Item{Name: "x", Needs: needs("core")}, []Constraint{{Before: 3, After: 0}}, 0, true},
		{"a base although habit has it last", Item{Name: "base", Defines: NamesOf("base"), Own: true},
			[]Constraint{{Before: 2, After: 3}}, 1, false},
	} {
		if index, after := Place(page, tt.item, Rules{}, tt.habits); index != tt.index || after != tt.after {
			t.Errorf("%s: %d %v", tt.name, index, after)
		}
	}
}

// TestPlaceKeepsWhatCanBeKept: on a page that is in order, a new item goes where the page stays in order, if there is
// such a place.
func TestPlaceKeepsWhatCanBeKept(t *testing.T) {
	for seed := range int64(3000) {
		r := rand.New(rand.NewSource(seed))
		var items []Item
		for i := range 1 + r.Intn(7) {
			it := Item{Name: fmt.Sprint("s", i), Defines: NamesOf(fmt.Sprint("g", i))}
			if i > 0 && r.Intn(2) == 0 {
				it.Needs = []Need{{Global: fmt.Sprint("g", r.Intn(i))}}
			}
			if r.Intn(4) == 0 {
				it.Needs = append(it.Needs, Need{Global: "new"})
			}
			items = append(items, it)
		}
		it := Item{Name: "new", Defines: NamesOf("new")}
		if r.Intn(2) == 0 {
			it.Needs = []Need{{Global: fmt.Sprint("g", r.Intn(len(items)))}}
		}
		broken := func(at int) int {
			page := slices.Insert(slices.Clone(items), at, it)
			constraints, _ := Find(page, Rules{})
			n := 0
			for _, c := range constraints {
				if StateOf(page, c) == Broken {
					n++
				}
			}
			return n
		}
		best := broken(0)
		for at := range len(items) {
			best = min(best, broken(at+1))
		}
		index, after := Place(items, it, Rules{}, nil)
		at := len(items)
		if index >= 0 {
			if at = index; after {
				at++
			}
		}
		if best == 0 && broken(at) > 0 {
			t.Fatalf("seed %d: placed at %d of %v", seed, at, items)
		}
	}
}
