package packages

import "slices"

// A Choice is one file of a selection, and why it is in it.
type Choice struct {
	Path   string
	Reason string
	Page   bool // goes on pages, as a tag of its own
}

// A Selection is a set of files to take.
type Selection struct {
	Choices []Choice // sorted by path
	Notes   []string // what the choosing person should know
	Last    []string // files that go behind all others on a page, in this order

	has map[string]bool
}

// Paths lists the selection's files.
func (s *Selection) Paths() []string {
	var list []string
	for _, c := range s.Choices {
		list = append(list, c.Path)
	}
	return list
}

// Has reports whether a file is in the selection.
func (s *Selection) Has(name string) bool { return s.has[name] }

// Tagged reports whether a file of the selection goes on pages.
func (s *Selection) Tagged(name string) bool {
	return slices.ContainsFunc(s.Choices, func(c Choice) bool { return c.Path == name && c.Page })
}

// Without returns the selection less the files that drop names.
func (s *Selection) Without(drop func(name string) bool) *Selection {
	out := &Selection{Notes: s.Notes, Last: s.Last}
	for _, c := range s.Choices {
		if !drop(c.Path) {
			out.add(c.Path, c.Reason, c.Page)
		}
	}
	return out
}

// note adds what the choosing person should know, once.
func (s *Selection) note(text string) {
	if !slices.Contains(s.Notes, text) {
		s.Notes = append(s.Notes, text)
	}
}

// Add puts one more file into the selection.
func (s *Selection) Add(c Choice) { s.add(c.Path, c.Reason, c.Page) }

func (s *Selection) add(name, reason string, page bool) {
	if s.has[name] {
		for i := range s.Choices {
			if page && s.Choices[i].Path == name {
				s.Choices[i].Page = true
			}
		}
		return
	}
	if s.has == nil {
		s.has = map[string]bool{}
	}
	s.has[name] = true
	s.Choices = append(s.Choices, Choice{name, reason, page})
}
