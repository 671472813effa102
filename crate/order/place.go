package order

// Place finds where a new item belongs among items that keep their order. Index is that of the item right behind which
// it goes, with after set, or else right before which; -1 where nothing binds it. The constraints are those by which
// findings and repairs go; the habits, which speak of the new item as the one behind the last, give way where they
// contradict.
func Place(items []Item, it Item, rules Rules, habits []Constraint) (index int, after bool) {
	n := len(items)
	all := append(items[:n:n], it)
	constraints, _ := Find(all, rules)
	bounds := func(list []Constraint) (last, first int) {
		last, first = -1, n
		for _, c := range list {
			switch {
			case c.After == n:
				last = max(last, c.Before)
			case c.Before == n:
				first = min(first, c.After)
			}
		}
		return last, first
	}
	last, first := bounds(constraints)
	usualLast, usualFirst := bounds(habits)
	switch low, high := max(last, usualLast), min(first, usualFirst); {
	case high < n && low < high:
		return high, false
	case low >= 0 && low < first:
		return low, true
	case first < n && last < first:
		return first, false
	case last >= 0:
		return last, true
	}
	return -1, false
}
