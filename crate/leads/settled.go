package leads

import "strings"

// settled are addresses, as pages of one folder write them, of which there is nothing to tell wherever they stand: menus and
// lists lead to the same places on page after page.
type settled struct {
	dir      string
	near     map[string]bool // seen from the folder
	anywhere map[string]bool // that mean the same from every folder
}

// mostSettled is how many addresses are kept at most.
const mostSettled = 1 << 16

// enter begins with a page of a folder.
func (s *settled) enter(dir string) *settled {
	if s.dir != dir || len(s.near) > mostSettled {
		s.dir, s.near = dir, map[string]bool{}
	}
	if s.anywhere == nil || len(s.anywhere) > mostSettled {
		s.anywhere = map[string]bool{}
	}
	return s
}

func fromAnywhere(value string) bool {
	return strings.HasPrefix(value, "/") || strings.HasPrefix(value, "https://") || strings.HasPrefix(value, "http://")
}

// has tells whether an address is among them.
func (s *settled) has(value []byte) bool {
	return s.near[string(value)] || len(value) > 0 && (value[0] == '/' || value[0] == 'h') && s.anywhere[string(value)]
}

func (s *settled) add(value string) {
	if fromAnywhere(value) {
		s.anywhere[value] = true
	} else {
		s.near[value] = true
	}
}
