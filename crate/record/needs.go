package record

import "slices"

// NeededBy returns the names of the libraries that need a library, in their order.
func (l *List) NeededBy(name string) []string {
	var list []string
	for _, other := range l.Libraries {
		if other.Name != name && slices.Contains(other.Needs, name) {
			list = append(list, other.Name)
		}
	}
	return list
}

// FirstToDrop returns the library that can be dropped first of a library and those that need it: none needs it. Among
// libraries that need each other it is any of them.
func (l *List) FirstToDrop(name string) string {
	seen := map[string]bool{}
	for by := l.NeededBy(name); len(by) > 0 && !seen[by[0]]; by = l.NeededBy(name) {
		seen[name], name = true, by[0]
	}
	return name
}

// NeedsFirst returns names of libraries in an order in which each stands behind those of them that it needs, and in
// their own order otherwise. Libraries that need each other keep the order in which they are reached; names that are
// not in the crate stay.
func (l *List) NeedsFirst(names []string) []string {
	var sorted []string
	seen := map[string]bool{}
	var visit func(name string)
	visit = func(name string) {
		if seen[name] {
			return
		}
		seen[name] = true
		if lib := l.Library(name); lib != nil {
			for _, need := range lib.Needs {
				if slices.Contains(names, need) {
					visit(need)
				}
			}
		}
		sorted = append(sorted, name)
	}
	for _, name := range names {
		visit(name)
	}
	return sorted
}
