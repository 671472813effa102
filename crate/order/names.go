package order

import "iter"

// Names are the globals that a script defines, or the members that it adds. A large library has hundreds, and every
// page with it asks for a few. Nil is empty.
type Names struct {
	list []string
	is   map[string]bool
}

// NamesOf makes Names of a list, which nobody changes any more.
func NamesOf(list ...string) *Names {
	n := &Names{list, make(map[string]bool, len(list))}
	for _, name := range list {
		n.is[name] = true
	}
	return n
}

// Has reports whether a name is among them.
func (n *Names) Has(name string) bool { return n != nil && n.is[name] }

// List lists them in their order.
func (n *Names) List() []string {
	if n == nil {
		return nil
	}
	return n.list
}

// each lists those of the names that are asked for, by going through the shorter of the two.
func (n *Names) each(asked map[string]int) iter.Seq[string] {
	return func(yield func(string) bool) {
		if n == nil {
			return
		}
		if len(n.list) <= len(asked) {
			for _, name := range n.list {
				if _, ok := asked[name]; ok && !yield(name) {
					return
				}
			}
			return
		}
		for name := range asked {
			if n.is[name] && !yield(name) {
				return
			}
		}
	}
}
