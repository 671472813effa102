package record

import (
	"maps"

	"merrycrate.example/merry/crate/cdn"
)

// Share holds the values that a packing list gives to the sites below its folder.
type Share struct {
	CDNs     map[string]cdn.Pattern `yaml:"cdns,omitempty"`
	Profiles map[string]Profile     `yaml:"profiles,omitempty"`
	Holds    map[string]Hold        `yaml:"holds,omitempty"` // by the libraries' names
}

// Inherit adds values from a packing list further up. The list's own values win; they are written to no file.
func (l *List) Inherit(s *Share, from string) {
	l.CDNs, l.Profiles, l.holds = joined(s.CDNs, l.CDNs), joined(s.Profiles, l.Profiles), map[string]Hold{}
	for name, h := range s.Holds {
		h.From = from
		l.holds[name] = h
	}
	for i, lib := range l.Libraries {
		if lib.Hold == nil {
			l.Libraries[i].Hold = l.HoldFor(lib.Name)
		}
	}
}

// HoldFor is the hold that a library has, in the crate or about to be taken; nil for none.
func (l *List) HoldFor(name string) *Hold {
	if lib := l.Library(name); lib != nil && lib.Hold != nil {
		return lib.Hold
	}
	if h, ok := l.holds[name]; ok {
		return &h
	}
	return nil
}

// joined are two maps as one; of a key in both, the second has the say.
func joined[V any](first, second map[string]V) map[string]V {
	if len(first) == 0 {
		return second
	}
	all := maps.Clone(first)
	maps.Copy(all, second)
	return all
}

// Reason says the hold in words: "at 2.0.3" or "below 3.0.0".
func (h *Hold) Reason() string {
	by := ""
	if h.From != "" {
		by = " by " + h.From
	}
	if h.At != "" {
		return "at " + h.At + by
	}
	return "below " + h.Below + by
}
